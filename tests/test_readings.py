"""Readings, typed and recorded: every way of measuring gives back what went in, and says what is
wrong with the readings.
"""

import math
from dataclasses import replace

import numpy as np
import pytest
from helpers import about_95, benches, lay, wait_for
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from sparring.core.characterise import METHODS
from sparring.core.characterise.base import local_gravity
from sparring.core.characterise.brake import BrakeReading, RopeBrake
from sparring.core.characterise.counting import Counting, CountReading
from sparring.core.characterise.drawbar import Drawbar, DrawbarReading
from sparring.core.characterise.drum import DrumFriction, DrumReading
from sparring.core.characterise.generator import Generator, GeneratorReading
from sparring.core.characterise.lever import Lever, LeverReading
from sparring.core.characterise.motor import BareMotor, MotorReading
from sparring.core.characterise.runup import RunUp, RunUpReading
from sparring.core.characterise.scale import Scale, ScaleReading
from sparring.core.characterise.stepper import Stepper, StepReading
from sparring.core.characterise.swing import Swing, SwingReading
from sparring.core.characterise.windup import WindUp, WindUpReading
from sparring.core.instruments.meters import VoltagePoint, Voltmeter
from sparring.core.plant.bench import bench_of
from sparring.core.plant.fixtures import FIXTURES, record
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import changed
from sparring.core.uncertainty import budget, nominal, std
from sparring.files import log_files
from sparring.logbook import recovery
from sparring.ui.readings.dialog import ReadingsDialog
from sparring.ui.widgets.gravity import gravity_at

RPM = 2 * math.pi / 60


def figure(judged, id):
    return next(r for r in judged.results if r.id == id)


def ids(judged):
    return {f.id for f in judged.findings}


def test_a_lever_counts_its_own_weight_and_brackets_the_stall():
    lever = Lever(
        arm=Measured(0.2, 1e-4),
        arm_mass=Measured(0.05),
        arm_centre=Measured(0.1),
        hook_mass=Measured(0.01),
        gravity=Measured(9.81),
    )
    judged = lever.reduce(
        [
            LeverReading(
                lifted=Measured(1.0), not_lifted=Measured(1.2), angle=Measured(math.radians(10))
            )
        ]
    )
    own = 0.05 * 0.1 + 0.01 * 0.2
    low, high = (9.81 * math.cos(math.radians(10)) * (m * 0.2 + own) for m in (1.0, 1.2))
    stall = figure(judged, "stall-torque").value
    assert nominal(figure(judged, "most-lifted").value) == pytest.approx(low)
    assert nominal(stall) == pytest.approx((low + high) / 2)
    # a rectangle's, nearly all of it
    assert std(stall) == pytest.approx((high - low) / 2 / math.sqrt(3), rel=0.02)
    assert budget(stall)[0].name == "reading 1: between lifted and not"
    assert "arm-weight-ignored" in ids(
        changed(lever, ("arm_mass",), Measured(0.0)).reduce([LeverReading()])
    )
    with pytest.raises(ValueError, match="exchange them"):
        lever.reduce([LeverReading(lifted=Measured(1.2), not_lifted=Measured(1.0))])


def test_a_scale_is_tared_and_reckoned_level():
    judged = Scale(arm=Measured(0.15), gravity=Measured(9.81)).reduce(
        [ScaleReading(shows=Measured(1.2), tare=Measured(0.2), angle=Measured(0.0))]
    )
    assert nominal(figure(judged, "torque").value) == pytest.approx(9.81 * 0.15)
    steep = Scale().reduce([ScaleReading(angle=Measured(math.radians(12)))])
    assert "lever-steep" in ids(steep)
    assert "scale-sign" in ids(
        Scale().reduce([ScaleReading(shows=Measured(0.1), tare=Measured(0.3))])
    )


def test_a_rope_brake_gives_torque_power_and_catches_the_impossible():
    brake = RopeBrake(drum=Measured(0.06), rope=Measured(0.004), heat=10.0)
    judged = brake.reduce(
        [
            BrakeReading(
                tight=Measured(30.0),
                slack=Measured(5.0),
                speed=Measured(20.0),
                voltage=Measured(12.0),
                current=Measured(1.0),
            )
        ]
    )
    assert nominal(figure(judged, "torque").value) == pytest.approx(25 * 0.032)
    assert nominal(figure(judged, "drum-power").value) == pytest.approx(16.0)
    assert ids(judged) == {"output-above-input", "brake-overheats"}
    with pytest.raises(ValueError, match="slack end"):
        brake.reduce([BrakeReading(tight=Measured(1.0), slack=Measured(5.0))])


def test_a_pull_that_grows_with_the_ballast_is_the_floors():
    sled = Drawbar(mass=Measured(2.0), gravity=Measured(9.81))
    rows = [
        DrawbarReading(pull=Measured(0.6 * 9.81 * (2 + b)), ballast=Measured(b))
        for b in (0.0, 1.0, 2.0)
    ]
    judged = sled.reduce(rows)
    assert "traction-limited" in ids(judged)
    assert nominal(figure(judged, "least-wheel-torque").value) == pytest.approx(
        0.6 * 9.81 * 4 * 0.05
    )
    flat = [DrawbarReading(pull=Measured(20.0), ballast=Measured(b)) for b in (0.0, 1.0, 2.0)]
    assert "traction-limited" not in ids(sled.reduce(flat))
    assert "peak-is-not-pull" in ids(
        sled.reduce([DrawbarReading(pull=Measured(10.0), peak=Measured(15.0))])
    )
    with pytest.raises(ValueError, match="wrong side"):
        sled.reduce([DrawbarReading(pull=Measured(10.0), peak=Measured(5.0))])


def test_inertia_behind_a_ratio_cp():
    """0.152 kg·m² behind 3:1 looks like 0.0169, behind 2.5:1 like 0.0243; 3600 rpm / 2.5 = 1440 rpm
    (cp).
    """
    for ratio, seen in ((3.0, 0.0169), (2.5, 0.0243)):
        judged = RunUp(mass=Measured(0.152), ratio=Measured(ratio)).reduce([RunUpReading()])
        assert nominal(figure(judged, "inertia-at-motor").value) == pytest.approx(seen, abs=5e-5)
    assert 3600 / 2.5 == 1440


def test_a_run_up_along_a_motor_line_gives_the_lines_torque():
    """ω = ω₀(1 − e^(−t/τ)) with drag: over a short span the torque is that of the line at its
    middle.
    """
    J, ratio, stall, top, drag = 0.02, 3.0, 1.5, 40.0, 0.05
    tau = J * top / stall

    def speed(t):
        return top * (1 - math.exp(-t / tau))

    t1, t2 = 0.2 * tau, 0.25 * tau
    middle = (speed(t1) + speed(t2)) / 2
    reading = RunUpReading(
        first=Measured(speed(t1)),
        second=Measured(speed(t2)),
        time=Measured(t2 - t1),
        coast_first=Measured(20.0),
        coast_second=Measured(19.0),
        coast_time=Measured(J * 1.0 / drag),
    )
    judged = RunUp(mass=Measured(J), rotor=Measured(1e-12), ratio=Measured(ratio)).reduce([reading])
    net = stall * (1 - middle / top)
    assert nominal(figure(judged, "mass-torque").value) == pytest.approx(net + drag, rel=1e-3)
    assert nominal(figure(judged, "drag").value) == pytest.approx(drag, rel=1e-6)
    assert "no-coast-down" in ids(RunUp().reduce([RunUpReading()]))
    assert "above-safe-speed" in ids(RunUp(safe=10.0).reduce([RunUpReading()]))
    assert "inertia-on-the-wrong-side" in ids(RunUp(mass=Measured(1e-6)).reduce([RunUpReading()]))


def test_the_swing_formula_against_the_exact_motion():
    """Bifilar pendulum, energy integral with SciPy: rise h(θ) = L − √(L² − 4 r² sin²(θ/2)); small
    swings give the formula.
    """
    from scipy.integrate import quad

    m, r, L, J, g = 1.2, 0.06, 1.0, 3.1e-3, 9.81

    def rise(theta):
        return L - math.sqrt(L**2 - 4 * r**2 * math.sin(theta / 2) ** 2)

    top = math.radians(8)
    # θ = top sin φ takes the pole out of the integral
    quarter = quad(
        lambda phi: (
            top * math.cos(phi) / math.sqrt(2 * m * g * (rise(top) - rise(top * math.sin(phi))) / J)
        ),
        0,
        math.pi / 2 * (1 - 1e-9),
    )[0]
    swing = Swing(mass=Measured(m), radius=Measured(r), length=Measured(L), gravity=Measured(g))
    judged = swing.reduce([SwingReading(swings=20, time=Measured(20 * 4 * quarter, 0.05))])
    assert nominal(figure(judged, "inertia").value) == pytest.approx(J, rel=3e-3)
    assert "cords-short" in ids(changed(swing, ("length",), Measured(0.2)).reduce([SwingReading()]))
    wire = Swing(hung_on="a wire", known=Measured(2e-3, 1e-5))
    on_wire = wire.reduce([SwingReading(time=Measured(30.0), known_time=Measured(20.0))])
    assert nominal(figure(on_wire, "inertia").value) == pytest.approx(2e-3 * 2.25)
    with pytest.raises(ValueError, match="known body"):
        wire.reduce([SwingReading()])


def test_a_generator_gives_constant_resistance_and_power():
    k, R = 0.025, 2.0
    rows = [
        GeneratorReading(speed=Measured(400.0), voltage=Measured(k * 400), current=Measured(0.0))
    ]
    rows.append(
        GeneratorReading(
            speed=Measured(400.0),
            voltage=Measured(k * 400 - 1.5 * R),
            current=Measured(1.5),
            torque=Measured(0.045),
        )
    )
    judged = Generator().reduce(rows)
    assert nominal(figure(judged, "constant").value) == pytest.approx(k)
    assert nominal(figure(judged, "inner-resistance").value) == pytest.approx(R)
    assert nominal(figure(judged, "best-efficiency").value) == pytest.approx(
        1.5 * 7 / (0.045 * 400)
    )
    impossible = changed(rows[1], ("torque",), Measured(0.01))
    assert "output-above-input" in ids(Generator().reduce([rows[0], impossible]))


def motor_rows(k=0.025, R=3.0, f=0.003, noise=0.0, rng=None):
    rows = []
    for V, load in ((6.0, 0.0), (12.0, 0.0), (12.0, 0.03), (9.0, 0.02), (6.0, None)):
        if load is None:
            i, w, t = V / R, 0.0, None
        else:
            i = (load + f) / k
            w, t = (V - i * R) / k, Measured(load, 1e-5) if load else None
        e = rng.normal(0, noise, 3) if rng is not None else np.zeros(3)
        rows.append(
            MotorReading(
                voltage=Measured(V * (1 + e[0]), V * noise),
                speed=Measured(w * (1 + e[1]), w * noise),
                current=Measured(i * (1 + e[2]), i * noise),
                torque=t,
            )
        )
    return rows


def test_the_bare_motor_comes_out_of_any_mix_of_readings():
    judged = BareMotor().reduce(motor_rows())
    assert nominal(figure(judged, "resistance").value) == pytest.approx(3.0)
    assert nominal(figure(judged, "constant").value) == pytest.approx(0.025)
    assert nominal(figure(judged, "friction").value) == pytest.approx(0.003)
    assert nominal(figure(judged, "stall-torque").value) == pytest.approx(0.025 * 4 - 0.003)
    bad = motor_rows()
    bad[2] = changed(bad[2], ("speed",), Measured(500.0))
    assert "motor-not-a-line" in ids(BareMotor().reduce(bad))
    with pytest.raises(ValueError, match="held still"):
        BareMotor().reduce(motor_rows()[:1])
    hot = BareMotor(cold_resistance=Measured(2.0))
    assert "winding-hot" in ids(hot.reduce(motor_rows()))
    # (235 + ϑ)/(235 + 20) = R/R₂₀ (IEC 60034-1)
    assert nominal(figure(hot.reduce(motor_rows()), "winding-temperature").value) == pytest.approx(
        255 * 1.5 - 235 + 273.15
    )


def test_a_loop_gives_play_stiffness_and_loss():
    stiffness, play = 40.0, math.radians(1.0)
    torques = [0.0, 0.5, 1.0, 0.5, 0.1, -0.1, -0.5, -1.0, -0.5, -0.1]
    rows = [
        WindUpReading(
            torque=Measured(t),
            angle=Measured(t / stiffness + math.copysign(play / 2, t) if t else 0.0),
        )
        for t in torques
    ]
    judged = WindUp(small=0.05).reduce(rows)
    assert nominal(figure(judged, "lost-motion").value) == pytest.approx(play)
    assert nominal(figure(judged, "stiffness").value) == pytest.approx(stiffness)
    x, y = [r.angle.value for r in rows], [r.torque.value for r in rows]
    area = (
        abs(sum(x[i] * y[(i + 1) % len(x)] - x[(i + 1) % len(x)] * y[i] for i in range(len(x)))) / 2
    )
    # the loop's area by the shoelace formula
    assert nominal(figure(judged, "loop-energy").value) == pytest.approx(area, abs=1e-12)
    with pytest.raises(ValueError, match="either side"):
        WindUp().reduce(rows[:3])


def test_gravity_at_known_places():
    """WGS 84: 9.7803253359 at the equator, 9.8321849378 at the poles (NIMA TR8350.2); 9.80620 at
    45° (normal gravity, handbook).
    """
    assert local_gravity(0.0) == pytest.approx(9.7803253359, abs=1e-9)
    assert local_gravity(math.pi / 2) == pytest.approx(9.8321849378, abs=1e-8)
    assert local_gravity(math.radians(45)) == pytest.approx(9.80620, abs=2e-5)
    assert local_gravity(math.radians(45)) - local_gravity(
        math.radians(45), 1000.0
    ) == pytest.approx(3.086e-3, rel=2e-3)  # free air


CASES = {  # truth, and how the tester's readings follow from it
    "lever": (
        lambda d: Lever(
            arm=d(0.2, 4e-4),
            arm_mass=d(0.05, 5e-4),
            arm_centre=d(0.1, 1e-3),
            hook_mass=d(0.01, 5e-4),
            gravity=d(9.81, 1e-3),
        ),
        lambda d: LeverReading(lifted=d(1.0, 2e-3), angle=d(0.1, 0.01)),
        "most-lifted",
    ),
    "scale": (
        lambda d: Scale(arm=d(0.15, 3e-4), gravity=d(9.81, 1e-3)),
        lambda d: ScaleReading(shows=d(1.2, 3e-3), tare=d(0.2, 1e-3), angle=d(0.05, 0.01)),
        "torque",
    ),
    "brake": (
        lambda d: RopeBrake(drum=d(0.06, 1e-4), rope=d(0.003, 2e-4)),
        lambda d: BrakeReading(tight=d(30.0, 0.2), slack=d(4.0, 0.1), speed=d(20.0, 0.2)),
        "drum-power",
    ),
    "run-up": (
        lambda d: RunUp(mass=d(0.02, 2e-4), rotor=d(1e-6, 5e-8), ratio=Measured(3.0)),
        lambda d: RunUpReading(
            first=d(20.0, 0.2),
            second=d(60.0, 0.2),
            time=d(2.0, 0.02),
            coast_first=d(60.0, 0.2),
            coast_second=d(30.0, 0.2),
            coast_time=d(9.0, 0.05),
        ),
        "mass-torque",
    ),
    "swing": (
        lambda d: Swing(
            mass=d(1.2, 1e-3), radius=d(0.06, 3e-4), length=d(1.0, 2e-3), gravity=d(9.81, 1e-3)
        ),
        lambda d: SwingReading(time=d(24.0, 0.1)),
        "inertia",
    ),
}


# the most lifted is no mean
@pytest.mark.parametrize(
    ("case", "repeats"), [(c, n) for c in CASES for n in (1, 4) if (c, n) != ("lever", 4)]
)
def test_the_truth_lies_inside_the_stated_interval(case, repeats):
    """200 testers, each with dimensions and readings off by their uncertainty: 95 ± 4 % of the k =
    2 intervals hold the truth.
    """
    method, reading, label = CASES[case]
    rng = np.random.default_rng(1)

    def exact(value, u):
        return Measured(value)

    def seen(value, u):
        return Measured(value + rng.normal(0, u), u)

    truth = nominal(figure(method(exact).reduce([reading(exact)]), label).value)
    inside = 0
    for _ in range(200):
        got = figure(method(seen).reduce([reading(seen) for _ in range(repeats)]), label).value
        inside += abs(nominal(got) - truth) <= 2 * std(got)
    assert 0.91 <= inside / 200 <= 0.99


def test_scatter_that_nobody_stated_is_found_in_the_repeats():
    """Readings typed without ±: the scatter of four repeats alone gives a 95 ± 4 % interval."""
    rng = np.random.default_rng(2)
    inside = 0
    for _ in range(600):
        rows = [
            BrakeReading(
                tight=Measured(30 + rng.normal(0, 0.4)), slack=Measured(4.0), speed=Measured(20.0)
            )
            for _ in range(4)
        ]
        got = figure(
            RopeBrake(drum=Measured(0.06), rope=Measured(0.004)).reduce(rows), "torque"
        ).value
        inside += abs(nominal(got) - 26 * 0.032) <= 2 * std(got)
    assert 0.91 <= inside / 600 <= 0.99


ACCURACY = {
    "voltage": 0.005,
    "current": 0.01,
    "speed": 0.001,
    "motor_speed": 0.001,
    "force": 0.004,
    "torque": 0.005,
}
INSTRUMENTS = {
    "voltmeter": 0.005,
    "ammeter": 0.01,
    "tachometer": 0.001,
    "scale": 0.004,
    "balances": 0.004,
    "torquemeter": 0.005,
}


@pytest.mark.parametrize("title", FIXTURES)
def test_a_recording_gives_the_truth_as_often_as_it_says(title, build, rig):
    """Set-ups of every kind that records, each dimension and instrument off
    by its own uncertainty."""
    rng, n = np.random.default_rng(4), benches(40)

    def vary(x, part=0.15):
        return x * rng.uniform(1 - part, 1 + part, n)

    def seen(true, u):
        return Measured(float(true + u * rng.standard_normal()), u)

    base = bench_of(build, rig)
    names = {"k": 0.15, "R": 0.15, "friction": 0.15, "windup": 0.15, "backlash": 0.5}
    bench = replace(
        base,
        **{k: vary(getattr(base, k), part) for k, part in names.items()},
        up=tuple(vary(u, 0.05) for u in base.up),
    )
    how = {
        "swing": lambda: {
            "inertia": vary(2.2e-3),
            "mass": vary(1.2),
            "radius": vary(0.06),
            "length": vary(1.0),
        },
        "scale": lambda: {"arm": vary(0.15)},
        "rope-brake": lambda: {"radius": vary(0.0315)},
        "break-away": lambda: {"stick": rng.uniform(1.05, 1.8, n)},
        "wind-up": lambda: {"friction": vary(0.01, 0.4)},
        "drum-friction": lambda: {
            "radius": vary(0.0255),
            "mass": vary(0.15),
            "bearing": vary(0.004, 0.5),
        },
    }.get(title, dict)()
    fixture = FIXTURES[title](bench, **how)
    gains = {c: 1 + a / 2 * rng.standard_normal(n) for c, a in ACCURACY.items()}
    gains["force_2"] = gains["force"]
    kind = next(k for k in METHODS if title == k.ID)
    hits = {label: [] for label in fixture.truth()}
    for i, recording in enumerate(record(fixture, seed=4, gains=gains)):
        known = {name: a for name, a in INSTRUMENTS.items() if name in kind.model_fields}
        if "gravity" in kind.model_fields:
            known["gravity"] = seen(base.gravity, 0.003)
        for name, u in (("mass", 1e-3), ("radius", 2e-4), ("length", 1e-3), ("arm", 2e-4)):
            if name in how and name in kind.model_fields:
                known[name] = seen(how[name][i], u)
        if title == "rope-brake":
            known |= {"rope": seen(0.003, 2e-4), "drum": seen(2 * how["radius"][i] - 0.003, 1e-4)}
        if title == "drum-friction":
            known |= {
                "weight": seen(how["mass"][i], 3e-4),
                "constant": seen(bench.k[i], 2e-4),
                "friction": seen(bench.friction[i], 5e-5),
            }
        way = kind(**known)
        judged = way.reduce(way.from_log(recording))
        for label, true in fixture.truth().items():
            value = figure(judged, label).value
            hits[label].append(abs(nominal(value) - np.broadcast_to(true, n)[i]) <= 2 * std(value))
    for label, found in hits.items():
        assert about_95(np.mean(found), n), label


def test_recordings_that_lack_something_are_refused_in_words(build, rig):
    for kind in (k for k in METHODS if k.CHANNELS):
        fixture = FIXTURES[kind.ID](bench_of(build, rig))
        (whole,) = record(fixture, seed=1)
        for channel in kind.CHANNELS:
            with pytest.raises(ValueError, match="the recording has no"):
                kind().from_log(
                    Recording(whole.t, {c: v for c, v in whole.channels.items() if c != channel})
                )
        still = Recording(whole.t, {c: np.zeros(len(whole)) for c in kind.CHANNELS})
        with pytest.raises(ValueError, match=r"recording|beyond|typed"):
            kind().reduce(kind().from_log(still))
        with pytest.raises(ValueError, match="samples"):
            kind().from_log(whole.span(0.0, 0.05))
    with pytest.raises(ValueError, match="typed, not recorded"):
        Lever().from_log(whole)


def test_every_way_asks_for_fields_it_has():
    for kind in METHODS:
        assert kind.TITLE
        assert kind.PURPOSE
        assert all(name in kind.model_fields for _, name in kind.FIELDS)
        assert all(name in kind.READING.model_fields for _, name in kind.READING.FIELDS)
        assert kind.from_json(kind().to_json()).to_json() == kind().to_json()


@pytest.fixture
def window(shown, tmp_path):
    lay(shown, tmp_path / "book")
    return shown


def test_readings_are_typed_kept_and_used(window, qtbot):
    window.errands.readings()
    dialog = window.errands.dialog
    grid = dialog.grid
    for text in ("500 g", "0.6 kg ± 1 g", "0 deg"):
        grid.currentItem().setText(text)
        qtbot.keyClick(grid, Qt.Key.Key_Return)
    assert (grid.currentRow(), grid.currentColumn()) == (0, 1)
    assert dialog.results.item(1, 0).text() == "Stall torque"
    grid.currentItem().setText("three stones")
    assert "three" in dialog.said.text()
    assert "Repeat 2, lifted" in dialog.said.text()
    assert dialog.results.rowCount() == 0
    qtbot.keyClick(grid, Qt.Key.Key_Delete)
    assert dialog.results.rowCount() == 3
    dialog.set_gravity(gravity_at(60.0))
    assert dialog.method.gravity.value == pytest.approx(9.819, abs=2e-3)
    dialog.accept()
    again = ReadingsDialog(window.desk, window.session, window)
    assert again.grid.texts() == [["500 g", "0.6 kg ± 1 g", "0 deg"]]
    assert again.method.gravity.value == pytest.approx(9.819, abs=2e-3)
    again.choice.setCurrentIndex(METHODS.index(BareMotor))
    rows = [["12 V", "460 rad/s", "0.12 A", ""], ["12 V", "0 rpm", "4 A", ""]]
    again.grid.set_texts(rows)
    again._use()
    x, y = again.chart.curve.getData()
    assert (x[0], y[0]) == pytest.approx((0.12, 460.0 / RPM))
    assert (x[-1], y[-1]) == pytest.approx((4.0, 0.0), abs=1e-6)
    assert window.desk.build.motor.stall_current.value == pytest.approx(4.0)
    assert window.desk.build.motor.no_load_speed.value == pytest.approx(460.0)
    window.desk.undo.undo()
    assert window.desk.build.motor.no_load_speed.value != pytest.approx(460.0)
    for n in range(len(METHODS)):
        again.choice.setCurrentIndex(n)
        assert again.grid.rowCount() == len(METHODS[n].READING.FIELDS)


def test_drum_friction_is_half_of_what_the_ways_differ_by(window):
    r, f = 0.0255, 0.012
    rows = [
        DrumReading(
            load=Measured(m),
            lifting=Measured(m * 9.81 * r + f),
            lowering=Measured(m * 9.81 * r - f),
        )
        for m in (0.5, 1.0)
    ]
    way = DrumFriction(radius=Measured(r), gravity=Measured(9.81))
    judged = way.reduce(rows)
    assert nominal(figure(judged, "drum-friction").value) == pytest.approx(f)
    assert nominal(figure(judged, "weight-radius").value) == pytest.approx(r)
    assert not judged.findings
    alone = way.reduce([DrumReading(load=Measured(1.0), lifting=Measured(9.81 * r + f))])
    assert nominal(figure(alone, "drum-friction").value) == pytest.approx(f)
    assert "drum-radius-as-measured" in ids(
        changed(way, ("radius",), Measured(2 * r, 1e-4)).reduce(rows)
    )
    assert "drum-friction-negative" in ids(
        way.reduce([DrumReading(load=Measured(1.0, 1e-4), lifting=Measured(0.2))])
    )
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(DrumFriction))
    dialog.grid.set_texts([["1 kg", "0.27 N·m", "0.25 N·m"]])
    dialog.use.click()
    assert window.desk.rig.method.bearing.value == pytest.approx(0.01)
    window.desk.undo.undo()
    assert window.desk.rig.method.bearing.value == 0


def test_counted_speeds_are_as_coarse_as_their_counts():
    """A gate of 1 s with 20 pulses is known to about 1 in 20, the time of 20 pulses far better
    (rectangular ends, JCGM 100 4.3.7).
    """
    gate = Counting().reduce([CountReading(counted=20, time=Measured(1.0))])
    timed = Counting(way="time of so many pulses").reduce(
        [CountReading(counted=20, time=Measured(1.0, 1e-4))]
    )
    for judged in (gate, timed):
        assert nominal(figure(judged, "wanted-speed").value) == pytest.approx(2 * math.pi * 20)
    assert std(figure(gate, "wanted-speed").value) == pytest.approx(
        2 * math.pi / math.sqrt(6), rel=1e-3
    )
    assert std(figure(timed, "wanted-speed").value) < 0.05
    assert ids(gate) == {"speed-coarse"}
    geared = Counting(way="time of so many pulses", pulses=4, gear=30.0).reduce(
        [CountReading(counted=40, time=Measured(2.0))]
    )
    assert nominal(figure(geared, "wanted-speed").value) == pytest.approx(2 * math.pi * 5 / 30)
    film = Counting(way="frames of a film", rate=240.0)
    assert nominal(
        figure(film.reduce([CountReading(counted=3, frames=720)]), "wanted-speed").value
    ) == pytest.approx(2 * math.pi)
    assert "film-too-slow" in ids(film.reduce([CountReading(counted=100, frames=240)]))
    assert "taps-too-quick" in ids(
        Counting(way="tapped with a finger").reduce([CountReading(counted=50, time=Measured(6.0))])
    )
    with pytest.raises(ValueError, match="frames"):
        film.reduce([CountReading(counted=3, time=Measured(1.0))])
    with pytest.raises(ValueError, match="time is missing"):
        Counting().reduce([CountReading(counted=3, frames=9)])


def test_a_stepper_falls_out_between_kept_and_lost():
    way = Stepper(steps=200, micro=2, inertia=Measured(2e-5))
    rows = [
        StepReading(rate=Measured(r), kept=Measured(k), lost=Measured(k + 0.02), ramp=Measured(5.0))
        for r, k in ((800.0, 0.3), (80.0, 0.2))
    ]
    judged = way.reduce(rows)
    assert judged.results[0].label == "Pull-out torque at 12 rpm"
    assert nominal(judged.results[0].value) == pytest.approx(0.21)
    assert std(judged.results[0].value) == pytest.approx(
        math.hypot(0.02 / math.sqrt(12), 0.002 / math.sqrt(2) * 0), rel=0.1
    )
    assert nominal(judged.results[3].value) == pytest.approx(0.31 * 4 * math.pi)
    assert ids(judged) == {"stepper-resonance"}
    assert "accelerated-too-quickly" in ids(
        way.reduce([changed(rows[0], ("ramp",), Measured(1e-3))])
    )
    with pytest.raises(ValueError, match="exchange"):
        way.reduce([StepReading(kept=Measured(0.3), lost=Measured(0.2))])


def test_nominally_equal_motors_are_told_apart_beyond_their_doubt(window, build):
    def measure(current):
        window.errands.readings()
        dialog = window.errands.dialog
        dialog.choice.setCurrentIndex(METHODS.index(BareMotor))
        dialog.grid.set_texts(
            [
                ["12 V", "460 rad/s", "0.12 A ± 1 mA", ""],
                ["12 V", "0 rpm", f"{current} A ± 20 mA", ""],
            ]
        )
        dialog.compare.click()
        said = dialog.said.text()
        dialog.accept()
        return said

    assert "Only one motor" in measure(4.0)
    window.desk.add_build(changed(build, ("family",), "Second"))
    assert "do not differ" in measure(4.01)
    window.desk.add_build(changed(build, ("family",), "Third"))
    assert "R of Third" not in measure(4.4)
    assert "% above that of Third" in measure(4.4)


TYPED = {  # one column each, as a tester types it
    "Lever on a scale": (["1.2 kg ± 2 g", "0.2 kg ± 1 g", "0 deg"], "Torque"),
    "Rope brake": (["30 N", "4 N", "190 rpm", "12 V", "2 A"], "Power at the drum"),
    "Drawbar pull": (["4 lbf", "", "", "0 kg"], "Wheel torque"),
    "Run-up of a known inertia": (
        ["100 rpm", "600 rpm", "2 s", "600 rpm", "300 rpm", "9 s"],
        "Drag",
    ),
    "Swing test of an inertia": (["20", "24 s ± 0.2 s", ""], "Inertia"),
    "Generator into a load": (["4000 rpm", "10 V", "0 A", ""], "Constant, open terminals"),
    "Wind-up and lost motion": (["0.5 N·m", "1 deg"], ""),
}


@pytest.mark.parametrize("title", TYPED)
def test_each_way_is_worked_from_the_window(window, qtbot, title):
    dialog = ReadingsDialog(window.desk, window.session, window)
    dialog.choice.setCurrentText(title)
    texts, label = TYPED[title]
    for text in texts:
        dialog.grid.currentItem().setText(text)
        qtbot.keyClick(dialog.grid, Qt.Key.Key_Return)
    labels = [dialog.results.item(r, 0).text() for r in range(dialog.results.rowCount())]
    if label:
        row = labels.index(label)
        assert any(c.isdigit() for c in dialog.results.item(row, 1).text())
    else:  # one point is no loop
        assert "either side" in dialog.said.text()
    assert dialog.care.text()
    window.desk.set_unit("torque", "oz·in")
    dialog._work()
    if "Torque" in labels:
        assert dialog.results.item(labels.index("Torque"), 1).text().endswith("oz·in")
    window.desk.set_unit("torque", "N·m")


@pytest.mark.parametrize("title", FIXTURES)
def test_each_way_is_recorded_from_the_bench(window, qtbot, title):
    """Simulated set-up, Record, and the readings stand in the grid, as true as they say; the
    recording is kept.
    """
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex([k.ID for k in METHODS].index(title))
    s, recorder = window.session, dialog.recorder
    assert not recorder.go.isEnabled()
    recorder.start_simulated(speed=25.0)
    wait_for(
        lambda: s.state == "ready" and s.obeys and recorder.go.isEnabled(),
        25.0,
        QApplication.processEvents,
    )
    dialog.activateWindow()
    qtbot.keyClick(dialog.grid, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert "recorded" in recorder.live.text()
    wait_for(
        lambda: dialog.grid.texts() or "recording" in dialog.said.text(),
        40.0,
        QApplication.processEvents,
    )
    assert dialog.grid.texts(), dialog.said.text()
    truth = FIXTURES[title](
        bench_of(
            window.desk.build,
            window.desk.rig,
            friction=[f * 1.05 for f in window.desk.build.loss_figures()],
        )
    ).truth()
    for label, true in truth.items():
        value = figure(dialog.judged, label).value
        assert nominal(value) == pytest.approx(float(true), abs=4 * std(value)), label
    dialog.grab()
    assert len(window.desk.book.recording(dialog.logs[0])) > 100
    window.go("run")  # the bench that is still there is no rig's: the page says so and stands
    QApplication.processEvents()
    s.disconnect_bench()
    assert dialog.recorder.go.isEnabled() is False


def test_a_recording_cut_off_by_a_crash_is_taken_the_next_time(window, qtbot, tmp_path):
    """What is on disk of a recording that nobody ended is found, said, and in the grid when those
    readings are opened.
    """
    s, book = window.session, window.desk.book
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(Swing))
    # slowly enough that it is not over before it is cut
    dialog.recorder.start_simulated(speed=12.0)
    wait_for(lambda: dialog.recorder.go.isEnabled(), 25.0, QApplication.processEvents)
    dialog.recorder.go.click()
    (stream,) = (book.folder / "recordings").glob("*.arrow")
    wait_for(
        lambda: s.ring.t[-1] - s.ring.t[0] > 15.0 and stream.stat().st_size > 15_000,
        25.0,
        QApplication.processEvents,
    )
    cut = stream.read_bytes()  # the disk at this moment
    dialog.accept()
    s.disconnect_bench()
    book.set_setting(dialog._key(), {})
    stream.write_bytes(cut)
    assert "Recovered a recording that was cut off" in recovery.recover(book)[0]
    assert not stream.exists()
    window.errands.readings()
    again = window.errands.dialog
    assert not again.grid.texts()
    again.choice.setCurrentIndex(METHODS.index(Swing))
    assert again.grid.texts(), again.said.text()
    assert len(again.logs) == 1
    again.choice.setCurrentIndex(0)
    again.choice.setCurrentIndex(METHODS.index(Swing))
    assert len(again.grid.texts()) == 1  # not taken twice


def test_recorded_readings_go_by_the_rigs_meters(window):
    """A voltmeter that shows five per cent too much: the readings are right once it was compared,
    the recording is kept as it came.
    """
    d = window.desk
    fixture = FIXTURES["bare-motor"](bench_of(d.build, d.rig))
    (recording,) = record(fixture, seed=2, gains={"voltage": 1.05})
    pairs = ((3.0, 3.151), (6.0, 6.299), (9.0, 9.451), (12.0, 12.6))
    compared = Voltmeter(points=tuple(VoltagePoint(reference=r, shown=x) for r, x in pairs))
    assert d.edit("rig", ("sensors", "voltmeter"), compared) is None
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(BareMotor))
    assert dialog.take(recording, "bench")
    value = figure(dialog.judged, "resistance").value
    assert nominal(value) == pytest.approx(float(fixture.bench.R), abs=3 * std(value))
    assert std(value) < 0.02 * nominal(value)
    kept = d.book.recording(dialog.logs[0])
    assert np.array_equal(kept.channels["voltage"], recording.channels["voltage"])
    crooked = Voltmeter(
        points=tuple(
            VoltagePoint(reference=r, shown=x) for r, x in ((3.0, 9.0), (6.0, 2.0), (9.0, 5.0))
        )
    )
    assert d.edit("rig", ("sensors", "voltmeter"), crooked) is None
    assert dialog.take(recording, "bench")  # kept all the same
    assert "does not follow the reference" in dialog.said.text()
    assert len(dialog.logs) == 2


def test_closing_the_readings_ends_a_recording_and_takes_it(window):
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(Swing))
    dialog.recorder.start_simulated(speed=25.0)
    wait_for(lambda: dialog.recorder.go.isEnabled(), 25.0, QApplication.processEvents)
    dialog.recorder.go.click()
    begun = window.session.ring.t[-1]
    wait_for(lambda: window.session.ring.t[-1] > begun + 12.0, 25.0, QApplication.processEvents)
    key = dialog._key()
    dialog.accept()
    kept = window.desk.book.setting(key)
    assert len(kept["readings"]) == len(kept["recordings"]) == 1
    assert not list((window.desk.book.folder / "recordings").glob("*.arrow"))
    window.session.disconnect_bench()


def test_recording_does_not_set_a_board_going(window, qtbot):
    """A bench of another kind is recorded as it is: nothing is told to move."""
    s = window.session
    s.simulate(window.desk.build, window.desk.rig, speed=8.0)
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(BareMotor))
    wait_for(
        lambda: s.state == "ready" and s.obeys and dialog.recorder.go.isEnabled(),
        25.0,
        QApplication.processEvents,
    )
    sent = []
    s.send = sent.append
    dialog.recorder.go.click()
    begun = s.ring.t[-1]
    wait_for(lambda: s.ring.t[-1] > begun + 2.0, 25.0, QApplication.processEvents)
    dialog.recorder.go.click()
    assert "up" not in sent
    assert np.abs(s.ring.values("speed")).max() < 1.0
    assert "no steady state under voltage" in dialog.said.text()
    dialog.accept()
    s.disconnect_bench()


def test_a_log_of_readings_is_taken_and_a_wrong_one_is_told(window, tmp_path):
    fixture = FIXTURES["wind-up"](bench_of(window.desk.build, window.desk.rig))
    (recording,) = record(fixture, seed=2)
    log_files.write(tmp_path / "loop.csv", recording)
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(WindUp))
    dialog.recorder.open_log(tmp_path / "loop.csv")
    asked = dialog.recorder.dialog
    assert asked.mapping() == {0: ("t", "s"), 1: ("torque", "N·m"), 2: ("angle", "deg")}
    asked.accept()
    value = figure(dialog.judged, "stiffness").value
    assert nominal(value) == pytest.approx(fixture.bench.windup, abs=4 * std(value))
    assert len(dialog.grid.texts()) > 20
    dialog.choice.setCurrentIndex(METHODS.index(Swing))
    dialog.recorder.open_log(tmp_path / "loop.csv")
    dialog.recorder.dialog.accept()
    assert "whole swings are in the recording" in dialog.said.text()
    dialog.recorder.open_log(tmp_path / "none.csv")
    assert "none.csv" in dialog.said.text()
