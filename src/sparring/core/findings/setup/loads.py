"""Before a run: what the load does to arm, cord, mass, brake, motor and supply, and dimensions that
look wrong.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

from sparring.core import predict
from sparring.core.finding import Finding, noted
from sparring.core.findings.setup.bench import Bench, setup_rule
from sparring.core.methods import Drawbar, Lever, RunUp
from sparring.core.uncertainty import nominal

_SWEEP = 5.0  # [s] below which a sweep is quick
_HOT = 40.0  # [K] that a winding may warm in one run before its line has moved by a sixth


@setup_rule
def arm_weight(b: Bench) -> Iterable[Finding]:
    """The lever's own weight is left out although it counts."""
    m = b.rig.method
    if not isinstance(m, Lever) or m.arm_mass.value > 0:
        return
    lightest = min(p.value for p in b.plan.loads) + m.hook_mass.value
    # a flat bar of aluminium, 20 mm by 5 mm, weighs about 0.27 kg a metre
    assumed = 0.25 * m.arm.value
    share = assumed * m.arm.value / 2 / (lightest * m.arm.value)
    if share > 0.005:
        yield noted(
            "arm-weight-ignored",
            "caution" if share > 0.02 else "note",
            title="The arm's own weight is left out",
            seen="An arm of {arm} in light metal adds about {share} to the lightest step.",
            why=(
                "It pulls at every load alike: the stall torque comes out too low, and worse at"
                " light loads."
            ),
            remedies=("Weigh the arm, balance it on an edge for its mass centre, and enter both.",),
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
        seen="It is entered as {value}; benches of this kind have {low} to {high}.",
        why="Torque is in proportion to it.",
        causes=("centimetres entered as millimetres, or the other way round",),
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
        title="Inertia and size of the mass do not go together",
        seen=(
            "A disc of {radius} radius and this density would be {thick} thick for an inertia of"
            " {inertia}."
        ),
        why="A factor of ten in an inertia is a factor of ten in every torque.",
        causes=(
            "kg·cm² or g·cm² entered as kg·m²",
            "diameter entered as radius",
            "the inertia belongs to another mass",
        ),
        remedies=("Weigh the mass and reckon m r²/2, or swing it on cords.",),
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
            title="The mass can run above its safe speed",
            seen="Without load the drive takes it to {top}; {safe} is set as safe.",
            why="A mass that bursts goes through guards.",
            causes=("the ratio between output and mass is too high", "the voltage is too high"),
            remedies=(
                "Lower the voltage, or gear the mass down.",
                "Set the bench to stop at a lower speed.",
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
            title="The rim would be stressed too highly",
            seen="At {top} its stress is {stress}; the strength entered is {strength}.",
            why="A rim bursts without warning: less than a quarter of its strength is wanted.",
            remedies=("Stay slower, or take a smaller or stronger mass.",),
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
            title="The motor hardly feels the mass",
            seen=(
                "Behind {ratio}:1 the mass of {mass} is only {felt} at the motor, whose own rotor"
                " has {rotor}.".replace("{ratio}", f"{ratio:.4g}")
            ),
            why=(
                "An inertia behind a ratio counts by the ratio squared: the spin would measure the"
                " rotor."
            ),
            causes=(
                "the inertia is entered for the wrong side of the ratio",
                "the mass sits on the motor's shaft",
                "a factor of ten",
            ),
            remedies=(
                "Enter the inertia of the mass itself.",
                "Gear the mass up, or take more of it.",
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
            title="The spin ends before the mass is up to speed",
            seen="It takes about {time} to nine tenths of its speed; the drive is on for {hold}.",
            why="The curve will lack its upper end.",
            remedies=("Drive it longer, or take less mass.",),
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
        power = predict.power_flow(b.build, heaviest, b.plan.voltage).power_out
        if m.holds_for(power) < m.course[1] < math.inf:
            yield noted(
                "brake-too-hot",
                "wrong",
                title="The brake will get too hot",
                seen=(
                    "At the heaviest step it takes {power}; from cold it may hold for {time}, the"
                    " plan asks for {hold}."
                ),
                why="A hot brake fades, and its lining or its arm may burn.",
                remedies=("Run shorter, with pauses; or take a heavier brake.",),
                place="rig.method.hold",
                power=(power, "power"),
                time=(m.holds_for(power), "time"),
                hold=(m.course[1], "time"),
            )
    lasts = b.plan.settle + b.plan.measure if math.isinf(m.course[1]) else m.course[1]
    slope, drag = b.build.torque_line()
    carried = (slope * heaviest + drag + nominal(b.motor.friction)) / nominal(b.motor.k)
    current = min(carried, b.plan.voltage / nominal(b.motor.R))
    rise = current**2 * nominal(b.motor.R) * lasts / b.build.heat_capacity()
    if rise > _HOT:
        yield noted(
            "winding-too-hot",
            "caution",
            title="The motor's winding warms a lot in each run",
            seen=f"At the heaviest step it gains about {rise:.0f} K in {{time}}.",
            why=(
                "Warm copper resists more: the speed falls while it is measured, and the next run"
                " starts warm."
            ),
            remedies=(
                "Measure for a shorter time, lower the voltage, and let it cool between runs.",
            ),
            place="rig.limits.stalled_for",
            time=(lasts, "time"),
        )


@setup_rule
def supply(b: Bench) -> Iterable[Finding]:
    """Starting draws more than the bench stops at, or than the supply, or the breaker before it,
    gives.
    """
    start = b.plan.voltage / nominal(b.motor.R)
    limit, gives = b.rig.limits.current, b.rig.limits.supply
    if gives is not None and start > gives:
        yield noted(
            "supply-too-small",
            "caution",
            title="The supply gives less than the motor draws when it starts",
            seen="It gives {gives}; started at once the motor draws {start}.",
            why=(
                "The voltage sags or the breaker trips, and a stall is then the supply's, not the"
                " drive's."
            ),
            remedies=(
                "Start at a low voltage and turn it up.",
                "Take a supply that gives the motor's stall current.",
            ),
            place="rig.limits.supply",
            gives=(gives, "current"),
            start=(start, "current"),
        )
    if start > 1.5 * limit:
        yield noted(
            "start-current",
            "note",
            title="Starting draws more than the set limit",
            seen="At standstill the motor draws about {start}; the bench stops at {limit}.",
            why=(
                "The limit counts after 0.3 s, so a brisk start passes; a heavy one may not, and a"
                " breaker may trip first."
            ),
            remedies=(
                (
                    "Let the voltage rise slowly, or raise the limit if leads, supply and motor"
                    " bear it."
                ),
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
            seen="From a ballast of {mass} on, the sled asks for more than the tyres hold.",
            why=(
                "From there on traction is measured, not torque: the wheel torque is only known to"
                " be at least that."
            ),
            remedies=("Put more mass on the driven wheels, or less on the sled.",),
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
                "It carries {carries}; the heaviest step pulls {asked}, the drive at its stall"
                " {jammed}."
            ),
            why="A cord that breaks whips back, and the weight falls.",
            remedies=(
                "Take a stronger cord, or lower the current at which the bench stops.",
                "Leave the heaviest steps out.",
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
            title="The sweep is quick",
            seen="It goes up and down again in {hold}.",
            why=(
                "Each part of the range then lasts a moment: few samples, and speed and torque lag"
                " behind each other."
            ),
            remedies=("Let it take 10 s or more; the brake's heat sets how long it may.",),
            place="rig.method.hold",
            hold=(seconds, "time"),
        )
