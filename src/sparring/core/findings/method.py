"""Rules on the way of measuring: traction, fading brakes, peaks, warm motors, cells out of range,
methods that disagree.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from itertools import pairwise

from sparring.core import predict
from sparring.core.finding import Fact, Finding, Peer, noted, of_motor
from sparring.core.findings.registry import rule
from sparring.core.happening import Happening
from sparring.core.methods import Drawbar
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult
from sparring.core.reduce.spread import differ
from sparring.core.uncertainty import mean_of, nominal, std

_SAME_LOAD = 0.08  # torques this near are compared
_LESS = 0.4  # part of the expected growth of the pull below which the wheels, not the sled, set it
_PEAK = 1.15  # peak over mean worth a word
_FADE = 0.03  # part of a brake's torque lost within a run that is worth a word
_HALF = (0.4, 0.6)  # measured over expected gearbox efficiency that looks like a factor of two
_WORTH = 0.3  # expected efficiency below which nothing is concluded
_CHOPPED = 0.01  # part by which the mean of v·i may leave the product of the means
_WARM = 15.0  # [K] above the motor's line worth a word


@rule
def traction_limited(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """The pull stays while the ballast grows: the wheels slip."""
    m = result.rig.method
    steps = [s for s in result.running if s.points[0].run.load is not None]
    if not isinstance(m, Drawbar) or len(steps) < 2:
        return
    by_mass = sorted(
        steps, key=lambda s: nominal(s.points[0].run.load.value) if s.points[0].run.load else 0.0
    )
    sled, radius = m.sled_mass.value, m.wheel_diameter.value / 2
    for before, after in pairwise(by_mass):
        first, last = before.points[0].run.load, after.points[0].run.load
        assert first is not None
        assert last is not None
        grown = (sled + last.value) / (sled + first.value) - 1
        pull = after.torque / before.torque - 1
        if grown > 0.1 and nominal(pull) + 2 * std(pull) < _LESS * grown:
            force = after.torque / radius - m.rolls.value
            yield replace(
                noted(
                    "traction-limited",
                    "caution",
                    title="The wheels slip: traction was measured, not torque",
                    seen=(
                        "From {first} to {last} of ballast the pull should rise by "
                        "{grown}; it stays at {force}."
                    ),
                    why="The wheel torque is at least this, but its true value is not known.",
                    causes=("too little load on the driven wheels", "a smooth or dusty floor"),
                    remedies=(
                        "Add mass on the driven wheels.",
                        "Clean the tyres.",
                        "Use only the steps below this one.",
                    ),
                    place="rig.method.on_wheels",
                    first=(first.value, "mass"),
                    last=(last.value, "mass"),
                    grown=(grown, "ratio"),
                    force=(force, "force"),
                ),
                steps=(after.index,),
            )
            return


@rule
def noticed(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """What a person noticed in the runs and no instrument tells."""
    runs: dict[str, set[int]] = {}
    for s in result.steps:
        for p in (*s.points, *s.stalls):
            for what in () if p.run.read is None else p.run.read.noticed:
                runs.setdefault(what, set()).add(s.index)
    if not runs:
        return
    steps = set().union(*runs.values())
    yield replace(
        noted(
            "noticed",
            "caution",
            title=f"Noticed during the run: {', '.join(runs)}",
            seen=f"Noted by hand at {len(steps)} of {len(result.steps)} steps.",
            why="Heat, smell and bending precede damage and change the result.",
            remedies=(
                (
                    "Let it cool, find the cause, and repeat a light step to see whether its "
                    "result has changed."
                ),
            ),
        ),
        steps=tuple(sorted(steps)),
    )


@rule
def happened(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """What the detectors found in the recordings."""
    steps: dict[str, set[int]] = {}
    first: dict[str, tuple[int, Happening]] = {}
    for s in result.steps:
        for p in (*s.points, *s.stalls):
            meant = p.run.kind in ("to stall", "to failure")  # it was planned so
            for e in () if meant else (p.source or p.run).events:
                if e.severity in ("wrong", "caution"):
                    steps.setdefault(e.id, set()).add(s.index)
                    first.setdefault(e.id, (p.run.repeat, e))
    for id, at in steps.items():
        repeat, e = first[id]
        what = e.seen[:1].lower() + e.seen[1:].rstrip(".")
        yield replace(
            noted(
                "happened",
                "caution",
                title=f"{e.title} during a run",
                seen=f"First in run {repeat}, for {{lasted}}: {what}.",
                why="What was measured in that run is not what a sound drive does.",
                remedies=(
                    "Open its recording: the event is shaded where it happened.",
                    "Exclude the run with this reason, and repeat it.",
                ),
                lasted=Fact(e.until - e.at, "time", digits=2),
            ),
            steps=tuple(sorted(at)),
        )


@rule
def brake_fades(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """The torque of a friction brake falls within the runs."""
    points = [
        (s, p.pull.fade)
        for s in result.running
        for p in s.points
        if p.pull is not None and p.pull.fade is not None
    ]
    fading = [(s, fade) for s, fade in points if fade > _FADE]
    if not result.rig.method.FADES or len(fading) < max(1, len(points) // 3):
        return
    worst = max(fade for _, fade in fading)
    yield replace(
        noted(
            "brake-fades",
            "caution",
            title="The brake fades",
            seen="Its torque falls by {worst} within a run.",
            why="The load was not constant during the run, and repeats start warm.",
            causes=("the brake is hot", "its lining is glazed or oily"),
            remedies=(
                "Use shorter runs with pauses to cool.",
                "Use a heavier brake, or one without friction.",
            ),
            place="rig.method.hold",
            worst=(worst, "ratio"),
        ),
        steps=tuple(sorted({s.index for s, _ in fading})),
    )


@rule
def peak_is_no_average(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """Peak and mean of a pull are far apart."""
    found = [
        (s, p, p.torque_peak / nominal(p.torque))
        for s in result.running
        for p in s.points
        if p.torque_peak and nominal(p.torque) > 0
    ]
    if not found or not isinstance(result.rig.method, Drawbar):
        return
    step, point, factor = max(found, key=lambda f: f[2])
    if factor > _PEAK:
        yield replace(
            noted(
                "peak-is-no-average",
                "note",
                title="Peak and mean of the pull are far apart",
                seen="The peak is {peak} at the wheels, the mean {mean}.",
                why="A scale with peak hold would show the peak instead of the mean.",
                causes=(
                    "the sled sticks to the floor between slips",
                    "a springy tow line",
                    "the breakaway of the sled at the start",
                ),
                remedies=(
                    "Report the mean, with the peak beside it.",
                    "Use a stiffer tow line and a smoother floor.",
                ),
                peak=(point.torque_peak, "torque"),
                mean=(point.torque, "torque"),
            ),
            steps=(step.index,),
        )


@rule
@of_motor
def warm_motor(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """The motor is warmer than when its line was measured."""
    known = [
        (s, p.temperature) for s in result.running for p in s.points if p.temperature is not None
    ]
    if not known:
        return
    step, hottest = max(known, key=lambda k: k[1])
    if hottest - inputs.motor.temperature > _WARM:
        yield replace(
            noted(
                "motor-warmer-than-its-line",
                "caution",
                title="The motor is warmer than when it was measured",
                seen="It reached {hot}; its no-load and stall readings apply at {line}.",
                why=(
                    "Resistance rises by 0.4 % per kelvin; torque from speed is corrected "
                    "for it, with added uncertainty."
                ),
                causes=("runs too close together in time", "a load too close to stall"),
                remedies=(
                    "Let it cool between runs.",
                    "Measure the bare motor again at this temperature.",
                ),
                hot=(hottest, "temperature"),
                line=(inputs.motor.temperature, "temperature"),
            ),
            steps=(step.index,),
        )


@rule
def cell_out_of_its_range(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """The cell was used beyond its calibration, or where it hardly reads anything."""
    cal, method = result.rig.calibration, result.rig.method
    used = [
        (s, f)
        for s in result.running
        if s.points[0].torque_cell is not None
        and (f := method.cell_force(nominal(s.torque))) is not None
    ]
    cal = next((s.points[0].run.calibration for s, _ in used if s.points[0].run.calibration), cal)
    if cal is None or not used:
        return
    reached = max(p.mass.value for p in cal.points) * result.rig.gravity.value
    beyond = [(s, f) for s, f in used if f > 1.05 * reached]
    if beyond:
        yield replace(
            noted(
                "cell-beyond-its-calibration",
                "caution",
                title="The load cell was used beyond its calibration",
                seen="It read {force}; the calibration ends at {reached}.",
                why="Beyond it the stated uncertainty does not hold.",
                remedies=("Calibrate up to the heaviest step.",),
                place="rig.calibration",
                force=(max(f for _, f in beyond), "force"),
                reached=(reached, "force"),
            ),
            steps=tuple(s.index for s, _ in beyond),
        )
    low = [(s, f) for s, f in used if f < 0.02 * reached]
    if (low and result.rig.torque_from == "cell") or any(
        s.points[0].torque_mass is None for s, _ in low
    ):
        yield replace(
            noted(
                "cell-near-its-floor",
                "caution",
                title="The loads use little of the cell's range",
                seen="It read at most {force} of a calibrated {reached}.",
                why="Zero drift and creep are then as large as the reading.",
                remedies=("Use a cell of lower capacity, or a smaller radius.",),
                place="rig.calibration",
                force=(min(f for _, f in low), "force"),
                reached=(reached, "force"),
            ),
            steps=tuple(s.index for s, _ in low),
        )


@rule
@of_motor
def more_than_the_motor_gives(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """Output power above the most that the motor's line holds."""
    powers = [(s, s.power_out) for s in result.running if s.power_out is not None]
    volts = [s.voltage for s in result.running if s.voltage is not None]
    if not powers:
        return
    m = inputs.motor
    voltage = mean_of(volts) if volts else result.voltage
    most = m.stall_torque(voltage) * m.speed(0.0, voltage) / 4
    step, power = max(powers, key=lambda p: nominal(p[1]))
    if nominal(power) - 2 * std(power) > 1.05 * (nominal(most) + 2 * std(most)):
        yield replace(
            noted(
                "more-than-the-motor-gives",
                "wrong",
                title="Output power exceeds what the motor can deliver",
                seen=(
                    "The output delivers {power}; from its readings the motor can deliver "
                    "{most} at most."
                ),
                why="A gearbox cannot add power: an input is wrong.",
                causes=(
                    "a factor of ten in a length or a mass",
                    "radius entered for diameter",
                    "degrees or revolutions for radians",
                    "another motor",
                ),
                remedies=("Check every dimension of the rig, then the motor's readings.",),
                power=(power, "power"),
                most=(most, "power"),
            ),
            steps=(step.index,),
        )


@rule
def methods_disagree(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """The same build, measured another way, has another efficiency at the same load."""
    for peer in peers:
        if not peer.same_build or peer.method in ("", result.rig.method.kind):
            continue
        other_way = peer.method.replace("-", " ")
        pairs = [
            (s, other)
            for s in result.running
            for other in peer.steps
            if s.gearbox is not None
            and other.shared
            and abs(other.torque - nominal(s.torque)) < _SAME_LOAD * nominal(s.torque)
        ]
        apart = [
            (s, other) for s, other in pairs if differ(s.gearbox, other, same_rig=peer.same_rig)
        ]
        if pairs and len(apart) > len(pairs) / 2:
            step, other = max(
                apart, key=lambda pair: abs(nominal(pair[0].gearbox) - pair[1].gearbox)
            )
            yield replace(
                noted(
                    "methods-disagree",
                    "caution",
                    title=f"{result.rig.method.word.capitalize()} and {other_way} disagree",
                    seen=(
                        f"At {{torque}}: {{mine}} here, {{other}} by the {other_way} on the same "
                        "build."
                    ),
                    why=(
                        "Two methods must agree within their uncertainty: one has an error "
                        "that it does not state."
                    ),
                    causes=(
                        "a dimension of one of the rigs",
                        "a load cell out of calibration",
                        "the build changed between them",
                    ),
                    remedies=(
                        "Measure one load with both methods, one after the other.",
                        "Check the dimensions of both rigs.",
                    ),
                    torque=(nominal(step.torque), "torque"),
                    mine=(step.gearbox, "ratio"),
                    other=(other.gearbox, "ratio"),
                ),
                steps=(step.index,),
            )


@rule
@of_motor
def supply_is_chopped(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """The mean of v·i is not the product of the means: voltage and current swing together, or
    against each other.
    """
    for step in result.running:
        if (
            step.power_in is None
            or step.voltage is None
            or step.current is None
            or nominal(step.voltage * step.current) <= 0
        ):
            continue
        off = nominal(step.power_in) / nominal(step.voltage * step.current) - 1
        if abs(off) > _CHOPPED:
            yield replace(
                noted(
                    "supply-chopped",
                    "note",
                    title="The supply is pulsed",
                    seen=(
                        "Mean power is {power}, the product of mean voltage and current "
                        "{product}: {off} apart."
                    ),
                    why="The mean power is used here; averaging meters would give the other.",
                    causes=(
                        "a pulse-width speed controller",
                        "a supply that cycles at its current limit",
                    ),
                    remedies=(),
                    place="rig.sensors.supply",
                    power=(step.power_in, "power"),
                    product=(step.voltage * step.current, "power"),
                    off=(abs(off), "ratio"),
                ),
                steps=(step.index,),
            )
            return


@rule
def half_of_what_was_expected(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """At every load about half of the gearbox efficiency that the losses let expect: a length is
    half, or twice, what it is.
    """
    pairs = []
    for step in result.running:
        if step.gearbox is None or step.voltage is None or nominal(step.torque) <= 0:
            continue
        expected = predict.power_flow(
            result.build, nominal(step.torque), nominal(step.voltage)
        ).gearbox
        if expected > _WORTH:
            pairs.append((step, nominal(step.gearbox) / expected, expected))
    if not pairs or not all(_HALF[0] < part < _HALF[1] for _, part, _ in pairs):
        return
    step, _, expected = max(pairs, key=lambda p: nominal(p[0].torque))
    label, name = result.rig.method.main()
    yield replace(
        noted(
            "factor-of-two",
            "caution",
            title="Half of the expected efficiency at every load",
            seen="The gearbox efficiency is {eta}; {expected} is predicted.",
            why=(
                "Losses do not halve every point, but a length or mass wrong by a factor "
                "of two does."
            ),
            causes=(
                f"{label.lower()}: radius for diameter, or the reverse",
                "a second cord or a second cell carries the other half",
            ),
            remedies=(f"Measure again: {label.lower()}.", "Check the torque with a second method."),
            place=f"rig.method.{name}",
            eta=(step.gearbox, "ratio"),
            expected=(expected, "ratio"),
        ),
        steps=tuple(s.index for s, *_ in pairs),
    )
