"""What a pattern from tooth to tooth, and from planet to planet, tells."""

from __future__ import annotations

from collections.abc import Iterator

from sparring.core.build import Build
from sparring.core.finding import Finding, noted
from sparring.core.wear import hunting
from sparring.core.wear.inspection import TOOTHED
from sparring.core.wear.parts import Gear, gears_of
from sparring.core.wear.result import Wear
from sparring.core.wear.why.registry import BROKEN, FLANK_WEAR, harm, newest, numbers, place, rule


def _mates(build: Build, gear: Gear) -> list[Gear]:
    stage = build.stages[gear.stage]
    names = {c.name: (c.a, c.b) for c in stage.contacts()}
    bodies = {f"stage {gear.stage + 1} {names[c][2 - side]}" for c, side in gear.contacts}
    mates: dict[str, Gear] = {}
    for g in gears_of(build):
        if g.body in bodies:
            mates.setdefault(g.body, g)
    return list(mates.values())


@rule
def every_nth_tooth(build: Build, wear: Wear) -> Iterator[Finding]:
    """Damage that repeats by the common factor of the teeth comes from the mating gear."""
    for gear in gears_of(build):
        of_it = [s for s in harm(wear) if s.part == gear.name and s.teeth and s.spot in TOOTHED]
        if not of_it:
            continue
        worst = max(s.severity for s in of_it)
        bad = {t for s in of_it if s.severity == worst for t in s.teeth}
        for mate in _mates(build, gear):
            g = hunting.period(bad, gear.teeth, mate.teeth)
            if g is None:
                continue
            first = {(t - 1) % g + 1 for t in bad}
            yield noted(
                "every-nth-tooth",
                "caution",
                title=f"Every {_nth(g)} tooth: {gear.name}",
                seen=(
                    f"Teeth {numbers(bad)} of {gear.teeth} are worst, every {_nth(g)} from "
                    f"{numbers(first)}: {gear.teeth} and {mate.teeth} share the factor {g}."
                ),
                why=(
                    f"Each of these teeth meets the same {_few(mate.teeth // g)} of the "
                    f"{mate.name} again and again."
                ),
                causes=(
                    f"a damaged tooth of the {mate.name}: {_suspects(wear, gear, mate, bad)}",
                    f"an error of making that repeats on the {gear.name}",
                ),
                remedies=(f"Look at those teeth of the {mate.name}.", *_instead(gear, mate)),
                place=place(gear.name),
            )
            break


def _suspects(wear: Wear, gear: Gear, mate: Gear, bad: set[int]) -> str:
    ring = gear.ring or mate.ring
    for mark in newest(wear).marks:
        if mark.part == gear.name and mark.mate == mate.name and mark.meets:
            meeting = (1, mark.meets)
        elif mark.part == mate.name and mark.mate == gear.name and mark.meets:
            meeting = (mark.meets, 1)
        else:
            continue
        found = {
            t
            for b in bad
            for t in hunting.meets(b, mate.teeth, gear.teeth, meeting=meeting, ring=ring)
        }
        return f"one of {numbers(found)}"
    g = hunting.factor(gear.teeth, mate.teeth)
    return f"one in {g}; which ones, the marked teeth that meet would tell"


def _instead(gear: Gear, mate: Gear) -> list[str]:
    near = hunting.hunting_near(*sorted((gear.teeth, mate.teeth)))[:2]
    if not near or "planet" in gear.body + mate.body:
        return []  # a planet's teeth follow from those of sun and ring
    pairs = " or ".join(f"{x.z1}/{x.z2}" for x in near)
    return [f"Use {pairs} teeth: without a common factor all meet all, and wear evens out."]


def _few(n: int) -> str:
    return "tooth" if n == 1 else f"{n} teeth"


def _nth(n: int) -> str:
    end = "th" if n % 100 in (11, 12, 13) else {1: "st", 2: "nd", 3: "rd"}.get(n % 10, "th")
    return f"{n}{end}"


@rule
def planets_unequal(build: Build, wear: Wear) -> Iterator[Finding]:
    """One planet that is worn less or more than the others says how the load is shared."""
    for n, stage in enumerate(build.stages):
        count = int(getattr(stage, "planets", 1))
        names = [f"stage {n + 1} planet {k + 1}" for k in range(count)]
        if count < 3:
            continue
        level = {
            name: max(
                (s.severity for s in harm(wear, *FLANK_WEAR, *BROKEN) if s.part == name), default=0
            )
            for name in names
        }
        odd = _odd_one(level)
        if odd is None:
            continue
        name, less = odd
        rest = next(v for k, v in level.items() if k != name)
        yield noted(
            "planets-unequal",
            "caution",
            title=f"{'All planets but one are' if less else 'One planet is'} worn, stage {n + 1}",
            seen=(
                f"The flanks of {name} have severity {level[name]}, those of the other "
                f"{count - 1} severity {rest}."
            ),
            why=(
                "The planets do not share the load: the others carry more than their part."
                if less
                else "The planets do not share the load: this one carries most of it."
            ),
            causes=(
                f"the pin of {name} sits {'further' if less else 'less far'} back in the "
                "direction of the load than the others",
                f"{name} has {'thinner' if less else 'thicker'} teeth, or a "
                f"{'wider' if less else 'narrower'} bore",
                "neither sun, carrier nor ring can float",
            ),
            remedies=(
                "Change the planets round their pins: if the pattern stays, it is the carrier.",
                "Measure the angles between the pins.",
                "Leave the sun free to move by a few tenths of a millimetre.",
            ),
            place=place(name),
        )


def _odd_one(level: dict[str, int]) -> tuple[str, bool] | None:
    """(the one that differs by two grades from all others, which are alike; whether it is less)."""
    for name, value in level.items():
        others = {v for k, v in level.items() if k != name}
        if max(others) - min(others) <= 1 and min(abs(value - v) for v in others) >= 2:
            return name, value < min(others)
    return None


@rule
def one_flank_only(build: Build, wear: Wear) -> Iterator[Finding]:
    """Driving flanks worn, coasting flanks as new: load in one direction."""
    worn = harm(wear, *FLANK_WEAR)
    driving = {s.part for s in worn if s.spot == "driving flank"}
    other = {s.part for s in worn if s.spot in ("coasting flank", "both flanks")}
    looked = {s.part for s in newest(wear).seen if s.spot == "coasting flank"}
    turnable = [
        g.name for g in gears_of(build) if g.name in driving - other and "planet" not in g.body
    ]
    if turnable and not other:
        seen_well = "were looked at and are as new" if looked else "have no damage noted"
        yield noted(
            "one-flank-worn",
            "note",
            title="Load in one direction only",
            seen=(
                f"Only driving flanks are worn ({', '.join(turnable[:3])}); the coasting flanks "
                f"{seen_well}."
            ),
            why="That is normal for a drive that is loaded one way.",
            remedies=("Turn the gear over on its shaft: its other flanks give it a second life.",),
            place=place(turnable[0]),
        )


@rule
def pitting_place(build: Build, wear: Wear) -> Iterator[Finding]:
    """Where on the flank the pits are."""
    for s in harm(wear, "macropitting", "micropitting"):
        if not s.height:
            continue
        usual = s.height == "below the pitch line"
        at = s.height == "at the pitch line"
        yield noted(
            "pitting-place",
            "caution" if s.mode == "macropitting" else "note",
            title=f"Pitting {s.height}: {s.part}",
            seen=f"The {s.part} shows {s.mode}, severity {s.severity}, {s.height}.",
            why=(
                "There rolling and sliding oppose each other: the place where fatigue begins."
                if usual
                else "There a single pair carries all the load, and nothing slides."
                if at
                else "That is unusual: there the flank slides with the rolling."
            ),
            causes=(
                ("contact pressure above what the material endures", "too little lubricant")
                if usual
                else ("overload: pressure too high in single contact", "too narrow a face")
                if at
                else ("tip interference or no tip relief", "an error of the profile")
            ),
            remedies=(
                ("Reduce the load or widen the face.", "Use a thicker lubricant.")
                if usual or at
                else ("Relieve the tips of the mating gear.", "Check the centre distance.")
            ),
            place=place(s.part),
        )
