"""A run that a person reads: the same results as from a board, with wider intervals."""

import json
import math
from functools import partial

import numpy as np
import pytest
from benches import shares, study
from helpers import about_95, benches, planned
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.core.analysis import analyse
from sparring.core.by_eye import ByEye, between, read_within, reading
from sparring.core.methods import Brake, Drawbar, Generator, Hoist, Lever, RopeBrake, RunUp, Scale
from sparring.core.plant import eye
from sparring.core.quantity import Measured, QuantityError
from sparring.core.recording import Recording
from sparring.core.records import RecordError, changed
from sparring.core.reduce.spread import random_part, shared_parts, size, unshared
from sparring.core.run import Run
from sparring.core.uncertainty import nominal, std
from sparring.files import eye_files, record_files
from sparring.logbook import Logbook, keeping

NOTHING = Recording.nothing()
STEADY = Brake(hold=2.0), Drawbar(hold=2.5), Generator(hold=2.0, resistors=(22.0, 13.2))
FIVE = """weight;turned [deg];time;voltage;current;ended
0.50 kg;1586 ± 5;1.0 ± 0.2 s;12.00 ± 0.05 V;0.55 ± 0.01 A;
0.50 kg;1580 ± 5;1.0 ± 0.2 s;12.00 ± 0.05 V;0.56 ± 0.01 A;
1.00 kg;1400 ± 5;1.0 ± 0.2 s;11.98 ± 0.05 V;0.75 ± 0.01 A;lifted
1.50 kg;1200 ± 5;1.0 ± 0.2 s;11.95 ± 0.05 V;0.95 ± 0.01 A;
4.00 kg;;;11.80 V;2.0 A;stalled
"""


def one(build, rig, read, load=1.0, voltage=12.0, **more):
    run = Run(load=Measured(load), source="eye", voltage=voltage, read=read, **more)
    return analyse(build, rig, planned(), [(run, NOTHING)])


def test_turned_degrees_and_a_clock_are_a_speed(build, rig):
    """1586° in 1 s is 264.3 rpm (common practice, no source); ± 0.2 s of a hand makes it ± 20 %."""
    read = ByEye(turned=Measured(math.radians(1586)), time=Measured(1.0, 0.1))
    speed = one(build, rig, read).steps[0].speed
    assert nominal(speed) * 60 / (2 * math.pi) == pytest.approx(264.3, abs=0.05)
    assert std(speed) / nominal(speed) == pytest.approx(0.1)


def test_the_way_of_the_weight_is_the_same_speed_as_the_angle(build, rig):
    radius = nominal(rig.method.radius(rig.method.figures()))
    way = ByEye(travel=Measured(10 * radius), time=Measured(2.0, 0.01))
    angle = ByEye(turned=Measured(10.0), time=Measured(2.0, 0.01))
    by_way, by_angle = (one(build, rig, r).steps[0].speed for r in (way, angle))
    assert nominal(by_way) == pytest.approx(nominal(by_angle)) == pytest.approx(5.0)
    assert std(by_way) > std(by_angle)  # the drum's radius is in it, too


def test_efficiency_by_eye_agrees_with_a_monte_carlo_of_the_readings(build, rig):
    """JCGM 101:2008: η = (m + m_hook) g r θ/(t V I) from a million draws of what was read and of
    what the data sheets promise; none of the reductions' code."""
    read = ByEye(
        turned=Measured(26.0, 0.05),
        time=Measured(1.6, 0.03),
        voltage=Measured(11.9, 0.03),
        current=Measured(1.1, 0.01),
    )
    result = one(build, rig, read, load=2.0).steps[0].wire_to_shaft
    rng, n, m = np.random.default_rng(4), 1_000_000, rig.method

    def draw(value, u):
        return value + u * rng.standard_normal(n)

    r = (
        draw(m.drum_diameter.value, m.drum_diameter.u)
        + (2 * m.layers - 1) * draw(m.cord_diameter.value, m.cord_diameter.u)
    ) / 2
    mass = 2.0 + draw(m.hook_mass.value, m.hook_mass.u)
    torque = mass * draw(rig.gravity.value, rig.gravity.u) * r + draw(m.bearing.value, m.bearing.u)
    volts = 11.9 + draw(0, 0.03)
    amperes = 1.1 + draw(0, 0.01)
    volts *= draw(1, rig.sensors.voltage_accuracy / 2)
    amperes *= draw(1, rig.sensors.current_accuracy / 2)
    eta = torque * draw(26.0, 0.05) / draw(1.6, 0.03) / (volts * amperes)
    assert nominal(result) == pytest.approx(eta.mean(), rel=2e-3)
    assert std(result) == pytest.approx(eta.std(), rel=0.02)


@pytest.mark.study
@pytest.mark.parametrize("tachometer", [False, True])
def test_truth_lies_in_what_was_read_by_eye_95_times_in_100(tachometer):
    n = benches(100)
    found = study(Hoist(travel=0.8), 7, n, eye=partial(eye.read, tachometer=tachometer))
    for name in ("torque", "gearbox", "wire_to_shaft"):
        for step in (0, 1):
            # rounding to a display's last digit is no normal error: intervals are wide
            assert about_95(shares(found, name, step), n, most=1.0)


@pytest.mark.study
@pytest.mark.parametrize("method", [Hoist(travel=0.8), *STEADY], ids=lambda m: m.kind)
def test_board_and_eye_agree_within_their_intervals(method):
    """The same runs of a bench; what both share drops out of the difference."""
    n = benches(40)
    by_board, by_eye = (study(method, 11, n, eye=how) for how in (None, eye.read))
    for name in ("gearbox", "wire_to_shaft"):
        agree = []
        for (a, *_), (b, *_) in zip(by_board, by_eye, strict=True):
            x, y = getattr(a.steps[1], name), getattr(b.steps[1], name)
            rest = size(u for _, u in unshared(shared_parts(x), shared_parts(y), same_rig=True))
            u = math.hypot(random_part(x), random_part(y), rest)
            agree.append(abs(nominal(x) - nominal(y)) <= 2 * u)
        assert len(agree) == n
        assert about_95(np.mean(agree), n, most=1.0)


@pytest.mark.study
@pytest.mark.parametrize("method", [*STEADY, RopeBrake()], ids=lambda m: m.kind)
def test_every_method_read_by_eye_holds_the_truth(method):
    n = benches(40)
    found = study(method, 9, n, eye=eye.read)
    assert not any(result.skipped for result, *_ in found)
    for name in ("torque", "gearbox"):
        assert about_95(shares(found, name, 1), n, most=1.0), name


@pytest.mark.study
def test_an_arm_on_a_scale_holds_the_stall_torque():
    n = benches(60)
    hits = []
    for result, truths, _ in study(Scale(), 5, n, eye=eye.read):
        held, true = result.stall.held, truths[0]["torque"][-60:-45].mean()
        hits.append(abs(nominal(held) - true) <= 2 * std(held))
    assert about_95(np.mean(hits), n, most=1.0)


@pytest.mark.study
def test_a_spin_timed_by_hand_holds_the_torque_at_its_speed():
    n = benches(24)
    hits = []
    for result, (truth,), _ in study(RunUp(hold=12.0, gearing=3.0), 6, n, eye=eye.read):
        assert not result.skipped
        step = result.steps[0]
        speed = truth["speed"] / 3.0
        top = int(np.argmax(speed))
        true = np.interp(nominal(step.speed), speed[:top], truth["torque"][:top])
        hits.append(abs(nominal(step.torque) - true) <= 2 * std(step.torque))
    assert about_95(np.mean(hits), n, most=1.0)


def test_a_lever_is_only_watched(build, rig):
    arm = changed(rig, ("method",), Lever())
    runs = [
        (Run(step=n, load=Measured(m), source="eye", ended=e, read=ByEye(), voltage=12.0), NOTHING)
        for n, (m, e) in enumerate([(0.4, "top"), (0.6, "top"), (0.8, "stalled")])
    ]
    stall = analyse(build, arm, planned(), runs).stall
    g, a = arm.gravity.value, arm.method
    own = a.arm_mass.value * a.arm_centre.value
    torques = [g * ((m + a.hook_mass.value) * a.arm.value + own) for m in (0.6, 0.8)]
    assert nominal(stall.lifted) == pytest.approx(torques[0])
    assert nominal(stall.not_lifted) == pytest.approx(torques[1])


def test_what_is_read_goes_before_what_was_recorded(build, rig, plan):
    """A board logs speed and volts; the current is read off the supply."""
    t = np.arange(0, 3, 0.01)
    level = np.clip((t - 0.3) / 0.3, 0, 1)
    log = Recording(t, {"speed": 10 * level, "voltage": 12 * level})
    run = Run(load=Measured(1.0), read=ByEye(current=Measured(0.8, 0.005)), voltage=12.0)
    step = analyse(build, rig, plan, [(run, log)]).steps[0]
    assert nominal(step.speed) == pytest.approx(10, rel=1e-3)
    assert nominal(step.power_in) == pytest.approx(9.6, rel=2e-3)
    assert step.gearbox is not None


@pytest.mark.parametrize(
    ("figures", "said"),
    [
        ({"turned": Measured(3.0)}, "enter the time"),
        (
            {"turned": Measured(3.0), "speed": Measured(3.0), "time": Measured(1.0)},
            "delete one of them",
        ),
    ],
)
def test_readings_that_tell_no_speed_are_refused(figures, said):
    with pytest.raises(ValueError, match=said):
        ByEye(**figures)


def test_what_cannot_be_reduced_says_why(build, rig):
    reasons = {
        one(build, rig, ByEye(voltage=Measured(12.0))).skipped[0][1],
        one(build, rig, ByEye(speed=Measured(3.0)), ended="limit").skipped[0][1],
        one(build, changed(rig, ("method",), RunUp()), ByEye()).skipped[0][1],
    }
    for words in ("read a tachometer, or an angle", "repeat it", "two flywheel speeds"):
        assert any(words in reason for reason in reasons)


def test_a_figure_between_two_is_rectangular():
    """JCGM 100:2008, 4.3.7: u = a/√3 of half the width."""
    read = between(3.1, 3.3)
    assert (read.value, read.u) == pytest.approx((3.2, 0.1 / math.sqrt(3)))
    assert read_within(5.0, 0.1).u == pytest.approx(0.1 / math.sqrt(12))
    with pytest.raises(ValueError, match="interchange"):
        between(3.3, 3.1)


@pytest.fixture
def table(tmp_path):
    path = tmp_path / "read.csv"
    path.write_text(FIVE, encoding="utf-8")
    return path


def test_a_table_reads_back_as_it_was_written(table, tmp_path):
    runs = eye_files.read(table)
    assert [(r.step, r.repeat) for r in runs] == [(0, 1), (0, 2), (1, 1), (2, 1), (3, 1)]
    again = tmp_path / "again.csv"
    again.write_text(eye_files.text_of(runs), encoding="utf-8")
    for a, b in zip(runs, eye_files.read(again), strict=True):
        assert (a.load, a.ended, a.step) == (b.load, b.ended, b.step)
        if a.read.turned is not None:
            assert a.read.turned.value == pytest.approx(b.read.turned.value)
            assert a.read.time == b.read.time


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("weight,ended\n", "holds 0 lines"),
        ("weight,spin\n1 kg,3\n", "unknown: spin"),
        ("weight,time,time\n1 kg,3 s,3 s\n", "twice: time"),
        ("weight,current\n1 kg,3\n", "line 2: current"),
        ("weight,current\n1 kg,0,5 A\n", "semicolons"),
        ("weight,ended\n1 kg,fell\n", "must be lifted or stalled"),
        ("weight,turned\n1 kg,300 deg\n", "enter the time"),
        ("weight,time\n-1 kg,3 s\n", "too small"),
    ],
)
def test_a_table_that_does_not_hold_says_where_and_what_to_do(tmp_path, text, said):
    path = tmp_path / "read.csv"
    path.write_text(text)
    with pytest.raises(RecordError, match=said):
        eye_files.read(path)


def test_by_eye_from_the_command_line_and_in_a_logbook(table, tmp_path, build, rig):
    for name, record in (("build", build), ("rig", rig)):
        record_files.save(tmp_path / f"{name}.json", record)

    def call(*args, ends=0):
        done = CliRunner().invoke(app, [str(a) for a in args])
        assert done.exit_code == ends, done.output
        return done.stdout

    records = ("--build", tmp_path / "build.json", "--rig", tmp_path / "rig.json")
    document = json.loads(call("by-eye", table, *records, "--json"))
    assert document["format"] == "sparring.result/1"
    assert [s["lifted"] for s in document["steps"]] == [2, 1, 1, 0]
    assert document["stall"]["torque_not_lifted_Nm"] > document["stall"]["torque_lifted_Nm"]
    book = tmp_path / "book"
    for name in ("build", "rig"):
        call("import", book, tmp_path / f"{name}.json")
    done = json.loads(call("import", book, table, "--json"))
    assert (done["test"], done["runs"]) == (1, 5)
    with Logbook(book) as opened:  # closed and opened again
        kept = analyse(build, rig, opened.test(1).plan, opened.material(opened.runs(1)))
    for a, b in zip(document["steps"], kept.steps, strict=True):
        assert a["torque_Nm"] == pytest.approx(nominal(b.torque))
    assert not keeping.check(book)["damaged"]
    folder = tmp_path / "out"
    made = call("export", book, folder).strip()
    exported = eye_files.read(folder / made.rpartition("/")[2] / "readings.csv")
    assert len(exported) == 5
    assert not list(folder.rglob("run-*"))


def test_a_rope_brake_by_hand(build, rig):
    """(F_tight − F_slack)(D + d)/2 in figures: (20 − 2) N · 63 mm/2 = 0.567 N·m; without a scale at
    the slack end its pull is the weight hung there."""
    rope = RopeBrake(drum_diameter=Measured(0.060), rope_diameter=Measured(0.003))
    on = changed(rig, ("method",), rope)
    both = ByEye(force=Measured(20.0), slack=Measured(2.0), speed=Measured(10.0))
    assert nominal(one(build, on, both).steps[0].torque) == pytest.approx(0.567)
    hung = ByEye(force=Measured(20.0), speed=Measured(10.0))
    torque = one(build, on, hung, load=0.2).steps[0].torque
    assert nominal(torque) == pytest.approx((20 - 0.2 * on.gravity.value) * 0.0315)
    two = changed(on, ("sensors", "second_cell"), "taken off")  # the cells have done it already
    assert nominal(one(build, two, hung, load=0.2).steps[0].torque) == pytest.approx(0.63)


def test_an_arm_on_a_scale_by_hand(build, rig):
    """A kilogram beyond the arm's own at 150 mm: 9.81 · 0.15; pushes that scatter widen it."""
    on = changed(rig, ("method",), Scale(arm=Measured(0.15), angle=Measured(0.0)))
    g = rig.gravity.value
    runs = [
        (
            Run(
                source="eye",
                ended="stalled",
                read=ByEye(force=Measured(m * g), rest=Measured(0.05 * g)),
                voltage=12.0,
            ),
            NOTHING,
        )
        for m in (1.03, 1.05, 1.07)
    ]
    held = analyse(build, on, planned(), runs).stall.held
    assert nominal(held) == pytest.approx(g * 0.15)
    s = 0.02 * g * 0.15
    # Student's variance for two degrees of freedom has no bound: at most three times s/√n
    assert s / math.sqrt(3) < std(held) <= 3 * s / math.sqrt(3)


def test_a_spin_along_a_motors_line_in_closed_form(build, rig):
    """J dω/dt = T₀ (1 − ω/ω₀): from ω₁ to ω₂ in τ ln((ω₀ − ω₁)/(ω₀ − ω₂)). What is read of it gives
    the line's torque at the speed it is given for, which the middle of both speeds would not."""
    mass = RunUp(inertia=Measured(0.02), gearing=1.0)
    on = changed(rig, ("method",), mass)
    volts, ratio = 12.0, abs(build.ratio())
    no_load = nominal(build.motor_line().speed(0.0, volts)) / ratio
    for low, high in ((0.1, 0.4), (0.3, 0.8), (0.05, 0.93)):
        time = 2.5 * math.log((1 - low) / (1 - high))  # τ = 2.5 s
        read = ByEye(
            first_speed=Measured(low * no_load),
            second_speed=Measured(high * no_load),
            time=Measured(time),
            voltage=Measured(volts),
        )
        step = one(build, on, read).steps[0]
        line = 0.02 * no_load / 2.5 * (1 - nominal(step.speed) / no_load)
        assert nominal(step.torque) == pytest.approx(line, rel=1e-9)
        middle = 0.02 * no_load / 2.5 * (1 - (low + high) / 2)
        assert nominal(step.torque) < 0.99 * middle
    too_far = read.model_copy(update={"second_speed": Measured(0.99 * no_load)})
    assert "practically the no-load speed" in one(build, on, too_far).skipped[0][1]


def test_a_pull_without_a_speed_is_a_torque_and_nothing_more(build, rig):
    on = changed(rig, ("method",), Drawbar(rolls=Measured(0.0)))
    step = one(build, on, ByEye(force=Measured(12.0))).steps[0]
    assert nominal(step.torque) == pytest.approx(12 * 0.03)
    assert step.speed is None
    assert step.gearbox is None


@pytest.mark.parametrize(
    ("text", "kind", "value", "u"),
    [
        ("between 3.1 and 3.3", "voltage", 3.2, 0.1 / math.sqrt(3)),
        ("Between 310 and 0.33 kg", "mass", None, None),
        ("between 310 g and 0.33 kg", "mass", 0.32, 0.01 / math.sqrt(3)),
        ("312 frames at 240", "time", 1.3, math.sqrt(2 / 12) / 240),
        ("120 frames @ 59.94 fps", "time", 120 / 59.94, math.sqrt(2 / 12) / 59.94),
        ("5 turns", "angle", 10 * math.pi, 0.0),
        ("412 g", "force", 0.412 * 9.80665, 0.0),
        ("between 3 ± 1 and 4", "voltage", None, None),
        ("between 4 and 3", "voltage", None, None),
        ("0 frames at 240", "time", None, None),
    ],
)
def test_what_a_person_types_is_understood(text, kind, value, u):
    unit = {"voltage": "V", "time": "s", "mass": "kg"}.get(kind)
    if value is None:
        with pytest.raises(QuantityError):
            reading(text, kind, unit)
    else:
        read = reading(text, kind, unit)
        assert (read.value, read.u) == pytest.approx((value, u))


def test_two_speeds_of_a_spin_go_with_the_time_between():
    with pytest.raises(ValueError, match="time is missing"):
        ByEye(first_speed=Measured(1.0), second_speed=Measured(2.0))
    with pytest.raises(ValueError, match="the mass accelerates"):
        ByEye(first_speed=Measured(3.0), second_speed=Measured(2.0), time=Measured(1.0))
    with pytest.raises(ValueError, match="slows down"):
        ByEye(coast_first=Measured(1.0), coast_second=Measured(2.0), coast_time=Measured(1.0))
