"""Before a run: what the load does to arm, cord, mass, brake, motor and supply, and dimensions that
look wrong.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

from sparring.core import predict
from sparring.core.build import Build
from sparring.core.finding import Finding, noted, of_motor
from sparring.core.findings.setup.bench import Bench, setup_rule
from sparring.core.methods import Drawbar, Lever, RunUp
from sparring.core.plan import Plan, above_rated
from sparring.core.uncertainty import nominal

_SWEEP = 5.0  # [s] below which a sweep is quick
_HOT = 40.0  # [K] that a winding may warm in one run before its line has moved by a sixth


@setup_rule
def arm_weight(b: Bench) -> Iterable[Finding]:
    """The lever's own weight is left out although it counts."""
    m = b.rig.method
    if not isinstance(m, Lever) or m.arm_mass.value > 0:
        return
    lightest = min((p.value for p in b.plan.loads), default=0.0) + m.hook_mass.value
    # a flat bar of aluminium, 20 mm by 5 mm, weighs about 0.27 kg a metre
    assumed = 0.25 * m.arm.value
    share = assumed * m.arm.value / 2 / (lightest * m.arm.value)
    if share > 0.005:
        yield noted(
            "arm-weight-ignored",
            "caution" if share > 0.02 else "note",
            title="The arm's own weight is neglected",
            seen="A light-metal arm of {arm} adds about {share} to the lightest step.",
            why="The stall torque is too low, most of all at light loads.",
            remedies=(
                (
                    "Weigh the arm, balance it on an edge to find its centre of mass, "
                    "and enter both."
                ),
            ),
            place="rig.method.arm_mass",
            arm=(m.arm.value, "length"),
            share=(share, "ratio"),
        )


@setup_rule
def factor_of_ten(b: Bench) -> Iterable[Finding]:
    """A dimension that looks like another unit's."""
    m = b.rig.method
    name, _, high = m.SIZE
    if not name:
        return
    value, low = getattr(m, name).value, m.least_size()
    if low <= value <= high:
        return
    label = name.replace("_", " ")
    yield noted(
        "factor-of-ten",
        "caution",
        title=f"The {label} looks wrong by a factor of ten",
        seen="{value} is entered; typical rigs have {low} to {high}.",
        why="Torque is proportional to it.",
        causes=("centimetres entered as millimetres, or the reverse",),
        remedies=("Measure it again.",),
        place=f"rig.method.{name}",
        value=(value, "length"),
        low=(low, "length"),
        high=(high, "length"),
    )


@setup_rule
def inertia_and_size(b: Bench) -> Iterable[Finding]:
    """The mass of a run-up would be far too thick, or too thin, for its inertia."""
    m = b.rig.method
    if not isinstance(m, RunUp) or 0.02 < m.thickness() / m.outer_radius < 6:
        return
    yield noted(
        "factor-of-ten",
        "caution",
        title="Inertia and size of the flywheel are inconsistent",
        seen=(
            "A disc of {radius} radius and this density needs a thickness of {thick} for {inertia}."
        ),
        why="Every torque is proportional to the inertia.",
        causes=(
            "kg·cm² or g·cm² entered as kg·m²",
            "diameter entered as radius",
            "the inertia is that of another flywheel",
        ),
        remedies=(("Weigh the flywheel and calculate m r²/2, or measure it with a swing test."),),
        place="rig.method.inertia",
        radius=(m.outer_radius, "length"),
        thick=(m.thickness(), "length"),
        inertia=(m.inertia.value, "inertia"),
    )


@setup_rule
def spinning_mass(b: Bench) -> Iterable[Finding]:
    """The mass would run too fast, burst, or hardly be felt."""
    m = b.rig.method
    if not isinstance(m, RunUp):
        return
    top = b.free_speed * m.gearing
    if top > m.safe_speed:
        yield noted(
            "mass-above-its-safe-speed",
            "wrong",
            title="The flywheel can exceed its safe speed",
            seen="At no load the drive takes it to {top}; its safe speed is {safe}.",
            why="A bursting flywheel can penetrate guards.",
            causes=("the step-up to the flywheel is too high", "the voltage is too high"),
            remedies=(
                "Lower the voltage or the step-up.",
                "Set the automatic stop to a lower speed.",
            ),
            place="rig.method.safe_speed",
            top=(top, "speed"),
            safe=(m.safe_speed, "speed"),
        )
    stress = float(m.rim_stress(top))
    if stress > m.strength / 4:
        yield noted(
            "rim-stress",
            "wrong",
            title="The rim stress is too high",
            seen="At {top} the stress is {stress} of a strength of {strength}.",
            why="A rim bursts without warning; stay below a quarter of its strength.",
            remedies=("Use a lower speed, or a smaller or stronger flywheel.",),
            place="rig.method.strength",
            top=(top, "speed"),
            stress=(stress, "pressure"),
            strength=(m.strength, "pressure"),
        )
    ratio = abs(b.build.ratio())
    felt = m.at_output() / ratio**2
    if felt < 0.5 * b.build.rotor_inertia():
        yield noted(
            "inertia-on-the-wrong-side",
            "caution",
            title="The flywheel is small compared with the rotor",
            seen=(
                (
                    "Behind {ratio}:1 the flywheel's {mass} is only {felt} at the motor; its "
                    "rotor has {rotor}."
                ).replace("{ratio}", f"{ratio:.4g}")
            ),
            why="The run-up would mostly measure the rotor.",
            causes=(
                "the inertia is entered for the wrong side of the ratio",
                "the flywheel sits on the motor's shaft",
                "a factor of ten",
            ),
            remedies=(
                "Enter the inertia of the flywheel itself.",
                "Gear the flywheel up, or use a larger one.",
            ),
            place="rig.method.inertia",
            mass=(m.at_output(), "inertia"),
            felt=(felt, "inertia"),
            rotor=(b.build.rotor_inertia(), "inertia"),
        )
    constant = m.at_output() * b.free_speed / b.stall if b.stall > 0 else math.inf
    if m.hold < 2 * constant:
        yield noted(
            "spin-too-short",
            "note",
            title="The run ends before the flywheel is up to speed",
            seen="It takes about {time} to 90 % of its speed; the drive is on for {hold}.",
            why="The upper end of the curve will be missing.",
            remedies=("Drive it longer, or use a smaller flywheel.",),
            place="rig.method.hold",
            time=(constant * math.log(10), "time"),
            hold=(m.hold, "time"),
        )


@setup_rule
def heat(b: Bench) -> Iterable[Finding]:
    """The brake or the winding gets too hot within a run."""
    m = b.rig.method
    heaviest = b.stall if m.HELD else max(b.torques, default=0.0)
    if 0 < heaviest < b.stall:
        power = predict.power_flow(b.build, heaviest, b.set_to).power_out
        if m.holds_for(power) < m.course[1] < math.inf:
            yield noted(
                "brake-too-hot",
                "wrong",
                title="The brake will overheat",
                seen=(
                    "At the heaviest step it absorbs {power}: {time} from cold, but the "
                    "plan needs {hold}."
                ),
                why="A hot brake fades, and its lining may burn.",
                remedies=("Use shorter runs with pauses, or a heavier brake.",),
                place="rig.method.hold",
                power=(power, "power"),
                time=(m.holds_for(power), "time"),
                hold=(m.course[1], "time"),
            )
    lasts = b.plan.settle + b.plan.measure if math.isinf(m.course[1]) else m.course[1]
    slope, drag = b.build.torque_line()
    carried = (slope * heaviest + drag + nominal(b.motor.friction)) / nominal(b.motor.k)
    current = min(carried, b.set_to / nominal(b.motor.R))
    rise = current**2 * nominal(b.motor.R) * lasts / b.build.heat_capacity()
    if rise > _HOT and b.build.has_motor:
        yield noted(
            "winding-too-hot",
            "caution",
            title="The winding warms considerably in each run",
            seen=f"At the heaviest step it warms by about {rise:.0f} K in {{time}}.",
            why="Speed falls during the measurement, and the next run starts warm.",
            remedies=(
                "Measure for a shorter time, lower the voltage, and let it cool between runs.",
            ),
            place="rig.limits.stalled_for",
            time=(lasts, "time"),
        )


@setup_rule
@of_motor
def above_its_voltage(b: Bench) -> Iterable[Finding]:
    """A step asks for more than the motor's own voltage, and nobody said that it may."""
    yield from too_much_voltage(b.build, b.plan)


def too_much_voltage(build: Build, plan: Plan) -> Iterable[Finding]:
    """The same, for whoever judges the plan."""
    if asked := above_rated(build, plan):
        yield noted(
            "above-rated-voltage",
            "wrong",
            title="A step is above the motor's voltage",
            seen="The plan asks for {asked}; the motor is entered for {rated}.",
            why=(
                "Its currents and its heat grow with the voltage: brushes and winding may be gone"
                " before anything is measured."
            ),
            causes=("The plan is that of another drive.", "The motor's voltage is not its own."),
            remedies=(
                "Lower the step's voltage on Plan, or correct the motor's on Build.",
                "Bench ▸ Allow more than the motor's voltage runs this test all the same.",
            ),
            place="plan",
            asked=(asked, "voltage"),
            rated=(build.motor.voltage.value, "voltage"),
        )


@setup_rule
@of_motor
def supply(b: Bench) -> Iterable[Finding]:
    """Starting draws more than the bench stops at, or than the supply, or the breaker before it,
    gives.
    """
    start = b.set_to / nominal(b.motor.R)
    limit, gives = b.rig.limits.current, b.rig.limits.supply
    if gives is not None and start > gives:
        yield noted(
            "supply-too-small",
            "caution",
            title="The supply's current is below the starting current",
            seen="It supplies {gives}; a direct start draws {start}.",
            why="The voltage sags or a breaker trips, and the stall is that of the supply.",
            remedies=(
                "Start at a low voltage and raise it.",
                "Use a supply rated for the motor's stall current.",
            ),
            place="rig.limits.supply",
            gives=(gives, "current"),
            start=(start, "current"),
        )
    if start > 1.5 * limit:
        yield noted(
            "start-current",
            "note",
            title="The starting current exceeds the set limit",
            seen="At standstill the motor draws about {start}; the bench stops at {limit}.",
            why="The limit acts after 0.3 s, so a slow start may trip it.",
            remedies=(
                ("Ramp the voltage, or raise the limit if leads, supply and motor allow it."),
            ),
            place="rig.limits.current",
            start=(start, "current"),
            limit=(limit, "current"),
        )


@setup_rule
def traction(b: Bench) -> Iterable[Finding]:
    """Some steps pull more than the wheels find."""
    m = b.rig.method
    if not isinstance(m, Drawbar):
        return
    most = m.traction * m.on_wheels.value
    slipping = [
        x.value for x in b.plan.loads if m.sled_friction * (x.value + m.sled_mass.value) > most
    ]
    if slipping:
        yield noted(
            "will-slip",
            "note",
            title="The wheels will slip before the drive stalls",
            seen=(
                "From a ballast of {mass} the sled needs more force than the tyres can transmit."
            ),
            why="Beyond it traction is measured, and torque only has a lower bound.",
            remedies=("Add mass on the driven wheels, or remove some from the sled.",),
            place="rig.method.on_wheels",
            mass=(min(slipping), "mass"),
        )


@setup_rule
def cord_overloaded(b: Bench) -> Iterable[Finding]:
    """The cord or tow line is asked for more than it carries, or would be if the drive jams."""
    carries, method = b.rig.limits.cord, b.rig.method
    if carries is None or not method.CORD or not b.torques:
        return
    asked, jammed = (method.cell_force(t) or 0.0 for t in (b.torques[-1], b.stall))
    if max(asked, jammed) > carries:
        yield noted(
            "cord-overloaded",
            "wrong" if asked > carries else "caution",
            title=(
                "The cord may break"
                if asked > carries
                else "The cord would break before the drive stalls"
            ),
            seen=(
                "It holds {carries}; the heaviest step pulls {asked}, the drive at stall {jammed}."
            ),
            why="A breaking cord whips back, and the weight falls.",
            remedies=(
                "Use a stronger cord, or lower the current limit of the bench.",
                "Remove the heaviest steps from the plan.",
            ),
            place="rig.limits.cord",
            carries=(carries, "force"),
            asked=(asked, "force"),
            jammed=(jammed, "force"),
        )


@setup_rule
def sweep_too_quick(b: Bench) -> Iterable[Finding]:
    """A brake swept so fast that little time is left for each part of its range."""
    method = b.rig.method
    seconds = method.course[1]
    if method.swept and seconds < _SWEEP:
        yield noted(
            "sweep-too-quick",
            "caution",
            title="The sweep is fast",
            seen="It goes up and down in {hold}.",
            why="Each part of the range then has few samples, and speed lags behind torque.",
            remedies=("Sweep for 10 s or more, as far as the brake's heat allows.",),
            place="rig.method.hold",
            hold=(seconds, "time"),
        )
