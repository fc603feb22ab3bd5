"""Heat, dirt and dust."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from sparring.core.build import Build
from sparring.core.finding import Fact, Finding, noted
from sparring.core.wear.parts import parts_of
from sparring.core.wear.result import Wear
from sparring.core.wear.why.registry import gear_of, harm, newest, place, rule


@rule
def flank_melted(build: Build, wear: Wear) -> Iterator[Finding]:
    """A flank that melted or flowed: the temperature held against where it softens."""
    warm: dict[int, float] = {}
    torque, speed = wear.duty
    if torque > 0:
        pace = speed or _usual_speed(build, torque)
        if pace > 0:
            ratio = abs(build.ratio())
            for (stage, _), t in build.teeth_at(build.flow(torque, pace * ratio)).items():
                warm[stage] = max(warm.get(stage, 0.0), t)
    for s in harm(wear, "melted", "cold-flow", "creep"):
        part = next((p for p in parts_of(build) if p.name == s.part), None)
        if part is None or s.spot in ("planet pin", "carrier"):
            continue
        material = build.setting().material(part.body.material)
        facts: dict[str, Any] = {}
        told = f"The {s.part} is {'melted' if s.mode == 'melted' else 'deformed'} at its {s.spot}"
        if material is not None:
            facts["softens"] = Fact(material.softens, "temperature", digits=2)
            told += f"; {material.name} has half its strength left at {{softens}}"
            if part.stage in warm:
                facts["warm"] = Fact(warm[part.stage], "temperature", digits=2)
                told += ", and its teeth are calculated at {warm} under the test's load"
        yield noted(
            "flank-melted",
            "wrong" if s.severity >= 4 else "caution",
            title=f"Too hot: {s.part}" if s.mode == "melted" else f"Flowed: {s.part}",
            seen=told + ".",
            why="Sliding makes heat in the teeth, and plastic carries it away badly.",
            causes=(
                "too fast for the load: heat grows with both",
                "no pause to cool",
                "too little lubricant",
                "heat of the motor, through shaft or mount",
            ),
            remedies=(
                "Grease it, or run it slower or with pauses.",
                "Make one of the two gears of metal: it carries the heat away.",
                "Use a material that softens later.",
            ),
            place=place(s.part),
            **facts,
        )


def _usual_speed(build: Build, torque: float) -> float:
    """Of the output at the load, at the voltage of the motor's readings [rad/s]; 0: not known."""
    if not build.has_motor:
        return 0.0
    from sparring.core.uncertainty import nominal

    slope, drag = build.torque_line()
    motor = build.motor_line()
    speed = float(nominal(motor.speed(slope * torque + drag, nominal(build.motor.voltage.value))))
    return max(speed, 0.0) / abs(build.ratio())


@rule
def dirt_in_mesh(build: Build, wear: Wear) -> Iterator[Finding]:
    """Foreign dirt, or dents and scratches that tell of it."""
    dirt = harm(wear, "dirt")
    scratched = harm(wear, "abrasive", "indentation")
    if dirt:
        more = f", and {len(scratched)} scratched or dented places" if scratched else ""
        yield noted(
            "dirt-in-mesh",
            "caution",
            title="Foreign dirt in the drive",
            seen=f"Dirt lies at {', '.join(sorted({s.part for s in dirt}))}{more}.",
            why="Hard grains cut the softer flank; the rates are not those of a clean drive.",
            causes=("the housing is open", "chips of making", "dirty or old grease"),
            remedies=(
                "Clean the drive and close the housing.",
                "Judge the wear rate from here on only.",
            ),
            place=place(dirt[0].part),
        )


@rule
def dust_without_thinning(build: Build, wear: Wear) -> Iterator[Finding]:
    """Dust of a part's own material that no size shows."""
    look = newest(wear)
    dust = harm(wear, "own-dust")
    weighed = {w.part for w in look.weighings}
    for s in dust:
        gear = gear_of(build, s.part)
        body = gear.body if gear else s.part
        thinned = [f for f in wear.flanks if f.flank.body == body and f.thinning.low > 0]
        if thinned or s.part in weighed:
            continue
        yield noted(
            "dust-without-thinning",
            "note",
            title=f"Dust, but no thinning measured: {s.part}",
            seen=f"Dust of its own material lies at the {s.part}, and no size of it shows a loss.",
            why="A hundredth of a gram is dust enough to see, and too little for calipers.",
            remedies=(
                "Weigh the part, with one that has not run beside it for moisture.",
                "Measure over pins, which shows about twice what a span does.",
            ),
            place=place(s.part),
        )
