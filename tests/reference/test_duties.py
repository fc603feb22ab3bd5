"""Duties against an integration of motor, inertia and heat with SciPy that uses none of our code,
and against plain arithmetic.
"""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from sparring.core.duty.figures import Candidate, KnownMotor, KnownTrain, known_drive
from sparring.core.duty.meets import meets
from sparring.core.duty.needs import needs
from sparring.core.duty.ratio import best, over_ratio, plain, scaled
from sparring.core.duty.record import Duty
from sparring.core.duty.segment import Segment
from sparring.core.duty.tasks import Lift, SpinUp, Vehicle, Vent
from sparring.core.duty.teeth import GearAtHand, proposals
from sparring.core.outlook.drive import Drive
from sparring.core.records import changed
from sparring.demo.hollin_yard import dunnock

K, R, I0, JM = 0.0250, 6.2, 0.11, 1.1e-6
A, B, RATIO = 0.0385, 6e-4, 30.0
COPPER, IRON, INNER, OUTER = 12.0, 38.0, 5.0, 9.0
ROOM, ZERO, MAGNET = 293.15, 255.0, 1.5e-3


def candidate(ratio=RATIO, a=A, b=B, draws=1):
    one = np.ones(draws)
    motor = KnownMotor(
        "m",
        K * one,
        R * one,
        K * I0 * one,
        0 * one,
        0 * one,
        inertia=JM,
        bodies=np.array([COPPER, IRON, INNER, OUTER])[:, np.newaxis] * one,
        winding=ROOM,
        zero=ZERO,
        magnet=MAGNET,
        hottest=400.0,
        stands=400.0,
        mass=0.1,
    )
    train = KnownTrain("t", ratio, a * one, b * one, (), (0 * one, 0.0), thins=(), life=None)
    return Candidate("c", motor, train, measured=False)


def integrated(duty, cycles):
    """(energy of the last cycle, its hottest winding and magnets, speed in its first segment), by
    `solve_ivp` over so many cycles. Written out anew: no inductance, the motor is on its line.
    """
    state, energy, hottest, magnets, speed = [0.0, 0.0], 0.0, 0.0, 0.0, 0.0
    for _ in range(cycles):
        energy, hottest, magnets, used = 0.0, 0.0, 0.0, 0.0
        for s in duty.todo:
            way = s.speed * s.time

            def rates(_t, x, s=s):
                w, c = x[0], x[1]
                warmer = 0.0 if s.room is None else s.room - ROOM
                lost = (c - warmer) / OUTER
                if s.kind != "drive":
                    return [-(w - c) / INNER / COPPER, ((w - c) / INNER - lost) / IRON, 0, 0]
                k = K * (1 - MAGNET * c)
                i = (A * s.torque + B + K * I0) / k
                omega = (duty.voltage - i * R * (1 + w / ZERO)) / k / RATIO
                heat = i * i * R * (1 + w / ZERO)
                return [
                    (heat - (w - c) / INNER) / COPPER,
                    ((w - c) / INNER - lost) / IRON,
                    omega,
                    duty.voltage * i,
                ]

            done = (lambda _t, x, way=way: x[2] - way) if s.kind == "drive" else (lambda *_: 1.0)
            done.terminal = True
            run = (
                solve_ivp(rates, (0, s.time * 50), [*state, 0, 0], events=done, rtol=1e-8)
                if (s.kind == "drive")
                else solve_ivp(rates, (0, s.time), [*state, 0, 0], rtol=1e-8)
            )
            state, used = [float(run.y[0][-1]), float(run.y[1][-1])], used + float(run.t[-1])
            energy += float(run.y[3][-1])
            hottest = max(hottest, float(run.y[0].max()))
            magnets = max(magnets, float(run.y[1].max()))
            if s is duty.todo[0]:
                speed = way / float(run.t[-1])
        rest = solve_ivp(
            lambda _t, x: [
                -(x[0] - x[1]) / INNER / COPPER,
                ((x[0] - x[1]) / INNER - x[1] / OUTER) / IRON,
            ],
            (0, duty.period - used),
            state,
            rtol=1e-8,
        )
        state = [float(rest.y[0][-1]), float(rest.y[1][-1])]
    return energy, hottest, magnets, speed


@pytest.mark.parametrize(
    ("per_day", "torque", "time", "room"),
    [
        (2000, 0.5, 15.0, None),
        (400, 0.55, 60.0, None),
        (6000, 0.3, 6.0, None),
        (2000, 0.5, 15.0, ROOM + 35.0),
        (400, 0.55, 60.0, ROOM - 30.0),
    ],
)
def test_energy_speed_and_temperature_are_those_of_an_integration(per_day, torque, time, room):
    segments = (
        Segment(torque=torque, speed=6.0, time=time, room=room),
        Segment(kind="rest", time=5.0),
        Segment(torque=0.1, speed=6.0, time=time / 3),
    )
    duty = Duty(segments=segments, per_day=float(per_day), voltage=12.0)
    found = meets([candidate()], duty).found[0]
    energy, hottest, magnets, speed = integrated(duty, 4 + int(16 * IRON * OUTER / duty.period))
    assert found.energy == pytest.approx(energy, rel=2e-3)
    assert found.winding - ROOM == pytest.approx(hottest, rel=2e-3)
    assert found.magnets - ROOM == pytest.approx(magnets, rel=2e-3)
    assert found.segments[0].speed == pytest.approx(speed, rel=2e-3)


@pytest.mark.parametrize("most", [None, 1.2])
def test_a_spin_up_is_that_of_an_integration(most):
    duty = Duty(
        task=SpinUp(inertia=0.02, speed=10.0, time=3.0, torque=0.2), current=most, voltage=12.0
    )
    found = meets([candidate()], duty).found[0]
    reflected = JM + A * 0.02 / RATIO
    energy = 0.0

    def rates(_t, x):
        i = (12.0 - K * x[0]) / R
        i = i if most is None else min(i, most)
        volts = 12.0 if most is None or (12.0 - K * x[0]) / R < most else i * R + K * x[0]
        return [(K * i - K * I0 - A * 0.2 - B) / reflected, volts * i]

    def there(_t, x):
        return x[0] - 10.0 * RATIO

    there.terminal = True
    run = solve_ivp(rates, (0, 60), [0.0, 0.0], events=there, rtol=1e-9, max_step=0.002)
    energy = float(run.y[1][-1])
    assert found.segments[0].time == pytest.approx(float(run.t[-1]), rel=0.01)
    assert found.energy == pytest.approx(energy, rel=0.01)


def test_facts_of_common_practice():
    # 350 rpm/V at 22.2 V behind 125:1: 62 rpm (common practice)
    k = 60 / (2 * math.pi * 350)
    c = candidate(ratio=125.0, a=1 / 125, b=0.0)
    free = replace(c.motor, k=np.array([k]), friction=np.array([0.0]), R=np.array([1e-6]))
    duty = Duty(segments=(Segment(torque=0.0, speed=1.0, time=10.0),), voltage=22.2)
    found = meets([replace(c, motor=free)], duty).found[0]
    assert found.segments[0].speed * 60 / (2 * math.pi) == pytest.approx(62, abs=0.5)
    # a 5 in wheel 21 times as fast as a motor of 100 rpm: 31.2 mph (common practice)
    speed = 21 * 100 * 2 * math.pi / 60 * 5 * 0.0254 / 2
    task = Vehicle(wheel=5 * 0.0254, top_speed=speed)
    assert speed / 0.44704 == pytest.approx(31.2, abs=0.05)
    assert task.segments()[0].speed * 60 / (2 * math.pi) == pytest.approx(2100)


@given(st.floats(2.0, 200.0), st.floats(1.5, 4.0))
def test_a_reflected_inertia_goes_with_the_square_of_the_ratio(ratio, times):
    """Spun up to the same motor speed, without losses and rotor: the time goes with J/i²."""
    c = candidate(ratio=ratio, a=1 / ratio, b=0.0)
    cold = replace(c.motor, inertia=0.0, friction=np.array([0.0]), zero=1e9, magnet=0.0)
    light = replace(c, motor=cold)
    geared = replace(light, train=scaled(light.train, ratio * times))

    def time(x, motor_speed):
        duty = Duty(task=SpinUp(inertia=0.01, speed=motor_speed / x.ratio, time=1.0), voltage=12.0)
        return meets([x], duty).found[0].segments[0].time

    assert time(light, 200.0) / time(geared, 200.0) == pytest.approx(times**2, rel=1e-6)


def test_the_ratio_for_the_shortest_spin_up_reflects_equal_inertias():
    """i = √(J_load/J_motor) for a pure inertia at a given torque (physics of servo drives): seen
    where the speed is far below what the motor makes."""
    load = 0.004
    c = candidate(a=1 / RATIO, b=0.0)
    motor = replace(c.motor, friction=np.array([0.0]))
    duty = Duty(task=SpinUp(inertia=load, speed=0.05, time=5.0), voltage=12.0)
    ratios = np.geomspace(5, 700, 400)
    over = over_ratio(motor, c.train, duty, ratios)
    times = [m.segments[0].time for m in over.met]
    assert ratios[int(np.argmin(times))] == pytest.approx(math.sqrt(load / JM), rel=0.03)


def test_traction_does_not_depend_on_the_ratio_and_caps_what_a_vehicle_does():
    task = Vehicle(mass=5.0, wheel=0.1, top_speed=0.4, friction=0.5, gripping=0.6)
    needed, slips = task.grip()
    assert slips == pytest.approx(0.5 * 0.6 * 5.0 * 9.80665)
    assert needed == pytest.approx(0.02 * 5.0 * 9.80665)
    c = candidate()
    over = over_ratio(c.motor, c.train, Duty(task=task, voltage=12.0), distance=1.0)
    assert best(over, Duty(task=task, voltage=12.0)).grip == (needed, slips)
    # where it could pull more than grips, the time to a distance is that of the slipping pull
    strong = over.pull > 3 * slips
    quick = math.sqrt(2 * 1.0 * 5.0 / (slips - needed))
    assert (over.to_distance[strong] >= quick * (1 - 1e-9)).all()
    falls = over.pull < needed
    assert np.isnan(over.to_distance[falls]).all()


def test_a_run_to_a_distance_is_that_of_an_integration():
    task = Vehicle(mass=4.0, wheel=0.1, top_speed=0.5, friction=0.3)
    c = candidate()
    duty = Duty(task=task, voltage=12.0)
    over = over_ratio(c.motor, c.train, duty, [12.0, 30.0, 80.0], distance=2.0)
    resist = 0.02 * 4.0 * 9.80665
    grip = 0.3 * 4.0 * 9.80665
    for ratio, time in zip([12.0, 30.0, 80.0], over.to_distance, strict=True):
        a = A * RATIO / ratio

        def rates(_t, x, a=a, ratio=ratio):
            omega = x[1] / 0.05 * ratio
            pull = (K * (12.0 - K * omega) / R - K * I0 - B) / a / 0.05
            mass = 4.0 + JM * ratio / a / 0.05**2
            return [x[1], (min(pull, grip) - resist) / mass]

        def there(_t, x):
            return x[0] - 2.0

        there.terminal = True
        run = solve_ivp(rates, (0, 100), [0.0, 0.0], events=there, rtol=1e-9, max_step=0.01)
        assert time == pytest.approx(float(run.t[-1]), rel=5e-3)


def test_vents_and_lifts_by_hand():
    vent = Vent(width=0.4, length=0.6, mass=1.5, wind=8.0, gust=12.0, gearing=12.0, time=20.0)
    opening, held = vent.segments()
    # 0.6 kg/m³ × 1.2 × 64 × 0.24 m² = 11.06 N and 14.71 N, both at 0.2 m, through 12:1
    assert opening.torque == pytest.approx((11.0592 + 14.709975) * 0.2 / 12, rel=1e-6)
    assert opening.speed == pytest.approx(math.pi / 4 * 12 / 20)
    assert held.torque == pytest.approx((11.0592 * 2.25 + 14.709975) * 0.2 / 12, rel=1e-6)
    (lift,) = Lift(mass=2.0, speed=0.1, height=0.5, drum=0.05).segments()
    assert (lift.torque, lift.speed, lift.time) == pytest.approx((0.4903325, 4.0, 5.0))


@pytest.mark.whole
@given(st.floats(2.0, 300.0))
def test_proposed_gears_make_the_ratio(ratio):
    for p in proposals(ratio):
        made = math.prod(q.wheel / q.pinion for q in p.pairs)
        assert abs(made / ratio - 1) <= 0.02
        assert p.off == pytest.approx(made / ratio - 1)
        assert p.hunting == all(math.gcd(q.pinion, q.wheel) == 1 for q in p.pairs)


def test_gears_at_hand_are_used_as_often_as_they_are_there():
    owned = [GearAtHand(12, 1e-3), GearAtHand(60, 1e-3), GearAtHand(72, 1e-3), GearAtHand(18, 1e-3)]
    found = proposals(20.0, owned=owned, within=0.01)
    assert {tuple((q.pinion, q.wheel) for q in p.pairs) for p in found} == {
        ((12, 60), (18, 72)),
        ((18, 72), (12, 60)),
        ((12, 72), (18, 60)),
        ((18, 60), (12, 72)),
    }
    assert proposals(36.0, owned=owned, within=0.001) == []  # it would take 12/72 twice
    with pytest.raises(ValueError, match="no reduction"):
        proposals(0.5)


def test_the_chance_to_meet_a_duty_is_that_of_what_is_not_known():
    """Where speed alone decides: a normal chance by the drive's own uncertainty."""
    drive = Drive.of(dunnock(2), scatter=0.0)
    c = known_drive(drive, measured=False)
    duty = Duty(segments=(Segment(torque=0.3, speed=1.0, time=1.0),), per_day=1.0, voltage=12.0)
    alone = meets([c], duty).found[0]
    from sparring.core.outlook.drive import Load

    told = drive.foretell(Load.of(0.3, 12.0))
    speed, u = float(told.state.speed[0]), float(told.u.speed[0])
    assert alone.segments[0].speed == pytest.approx(speed, rel=2e-3)
    for z, chance in ((-1.0, 0.841), (0.0, 0.5), (1.0, 0.159)):
        asked = changed(duty, ("segments", 0, "speed"), alone.segments[0].speed + z * u)
        assert meets([c], asked).found[0].probability == pytest.approx(chance, abs=0.08)


def test_what_would_have_to_change_is_enough():
    drive = known_drive(Drive.of(dunnock(2)), measured=False)
    duty = Duty(segments=(Segment(torque=0.9, speed=8.0, time=3.0),), voltage=12.0)
    met = meets([drive], duty).found[0]
    assert not met.meets
    ways = {n.id: n for n in needs(met, duty)}
    assert set(ways) >= {"voltage"}
    more = changed(duty, ("voltage",), ways["voltage"].value)
    assert meets([drive], more).found[0].meets
    less = changed(duty, ("voltage",), ways["voltage"].value * 0.97)
    assert not meets([drive], less).found[0].meets


def test_a_train_nobody_built_loses_what_it_is_said_to():
    train = plain(0.8, 1e-3, 40.0, 1)
    assert float(train.a[0]) * 40.0 == pytest.approx(1 / 0.8)


def turns_for_ever(torque, way, period, cycles=400, step=0.05):
    """Whether a motor gets its way done in every cycle, stepped by hand from the cold on."""
    w = c = 0.0
    for _ in range(cycles):
        gone, t, begun = 0.0, 0.0, (w, c)
        while t < period:
            k, hot = K * (1 - MAGNET * c), R * (1 + w / ZERO)
            i = (A * torque + B + K * I0) / k
            omega = (12.0 - i * hot) / k / RATIO
            if gone < way and omega <= 0:
                return False
            drives = gone < way
            heat = i * i * hot if drives else 0.0
            gone += omega * step if drives else 0.0
            across = (w - c) / INNER
            w, c = w + step * (heat - across) / COPPER, c + step * (across - c / OUTER) / IRON
            t += step
        if gone < way:
            return False
        if abs(w - begun[0]) < 1e-3 and abs(c - begun[1]) < 1e-3:
            return True
    return True


def test_a_segment_in_the_cold_is_not_judged_by_the_warm_room():
    """Where it fills the whole period the room that the drive never rests in says nothing."""
    c = candidate()
    cooled = c.motor.bodies * np.array([1, 1, 0.1, 0.1])[:, np.newaxis]
    c = replace(c, motor=replace(c.motor, bodies=cooled))

    def told(room):
        segment = Segment(torque=0.95, speed=1.0, time=600.0, room=263.15)
        duty = Duty(
            segments=(segment,), room=room, per_day=144.0, control="held to the speed", voltage=12.0
        )
        return meets([c], duty).found[0]

    warm, cold = told(368.15), told(263.15)
    assert cold.segments[0].stall_margin > 1.1
    assert warm.segments[0].stall_margin == pytest.approx(cold.segments[0].stall_margin, rel=1e-3)
    assert warm.winding == pytest.approx(cold.winding, abs=0.1)


@pytest.mark.parametrize("period", [30.0, 120.0])
def test_what_stalls_once_it_is_warm_is_told_where_a_stepped_motor_stalls(period):
    def margin(torque):
        duty = Duty(
            segments=(Segment(torque=torque, speed=2.0, time=3.0),),
            per_day=86_400 / period,
            voltage=12.0,
        )
        (met,) = meets([candidate()], duty).found
        (told,) = met.segments
        assert (told.stall_margin > 1) == (told.speed > 0)
        return told.stall_margin

    told = [margin(t) for t in np.linspace(0.3, 1.5, 40)]
    assert (np.diff(told) <= 1e-9).all()
    low, high = 0.3, 1.5
    for _ in range(9):
        middle = (low + high) / 2
        low, high = (middle, high) if turns_for_ever(middle, 6.0, period) else (low, middle)
    assert margin(0.97 * low) > 1
    assert margin(1.03 * high) <= 1
