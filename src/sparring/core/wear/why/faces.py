"""What damage at one end of a face tells, and planets that lean."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

from sparring.core.build import Build
from sparring.core.finding import Fact, Finding, noted
from sparring.core.wear.inspection import Seen
from sparring.core.wear.parts import Gear
from sparring.core.wear.result import Wear
from sparring.core.wear.why.registry import BROKEN, FLANK_WEAR, gear_of, harm, place, rule

_ENDS = ("inner end", "outer end")
_MOST_OF = 0.5  # of the teeth, from which the end is the gear's and not a tooth's


@rule
def one_end_of_face(build: Build, wear: Wear) -> Iterator[Finding]:
    """Most teeth worn at the same end: the axes are not parallel."""
    done = set()
    for s, gear in _at_one_end(build, wear):
        if gear.body in done or gear.body.endswith("planet"):
            continue
        done.add(gear.body)
        angle = ""
        facts: dict[str, Any] = {}
        if s.extent is not None and s.extent.value < gear.width:
            lean = math.atan(s.extent.value / gear.width)
            facts["angle"] = Fact(lean, "angle", s.extent.u / gear.width)
            angle = ", {angle} out of parallel by its depth over the face width"
        yield noted(
            "damage-at-one-end",
            "caution",
            title=f"Worn at its {s.end}: {s.part}",
            seen=f"{_how_many(s, gear)} of the {s.part} are worn at their {s.end}{angle}.",
            why="A tooth that bears at one end carries its load on a part of its width.",
            causes=(
                "the shafts are not parallel",
                "the shaft bends under load",
                "a bearing has play, or the housing yields",
                "the bore is not square to the gear",
            ),
            remedies=(
                "Hold the shaft on both sides of the gear.",
                "Measure the centre distance at both ends.",
                "Ink the teeth, turn slowly under load, and look at the contact.",
            ),
            place=place(s.part),
            **facts,
        )


def _how_many(s: Seen, gear: Gear) -> str:
    return "All teeth" if not s.teeth else f"{len(s.teeth)} of {gear.teeth} teeth"


def _at_one_end(build: Build, wear: Wear) -> Iterator[tuple[Seen, Gear]]:
    found = harm(wear, *FLANK_WEAR, *BROKEN, "creep", "tooth-bent", "polishing")
    for s in found:
        gear = gear_of(build, s.part)
        if gear is None or s.end not in _ENDS:
            continue
        if s.teeth and len(s.teeth) < _MOST_OF * gear.teeth:
            continue
        opposite = _ENDS[1 - _ENDS.index(s.end)]
        if not any(o.part == s.part and o.end == opposite and o.mode == s.mode for o in found):
            yield s, gear


@rule
def planets_lean(build: Build, wear: Wear) -> Iterator[Finding]:
    """Planets or their pins that lean, or bear at one end."""
    leaning = [
        s
        for s in harm(wear, "creep", "tooth-bent", "crack", "whitening")
        if s.spot in ("planet pin", "carrier", "pin")
    ]
    at_end = [(s, g) for s, g in _at_one_end(build, wear) if g.body.endswith("planet")]
    for n, stage in enumerate(build.stages):
        of_it = [s for s in leaning if s.part.startswith(f"stage {n + 1} ")]
        ends = {s.end for s, g in at_end if g.stage == n}
        if not hasattr(stage, "planets") or not (of_it or len(ends) == 1):
            continue
        one_side = getattr(stage, "support", "") == "on one side"
        told = (
            f"{len(of_it)} of the pins or the carrier of stage {n + 1} are bent or strained"
            if of_it
            else f"The planets of stage {n + 1} bear at their {next(iter(ends))} only"
        )
        held = "held on one side" if one_side else "held on both sides"
        yield noted(
            "planets-lean",
            "caution",
            title=f"Planets lean: stage {n + 1}",
            seen=f"{told}; by the build the pins are {held}.",
            why="A pin held on one side bends away from its load, and the planet bears at one end.",
            causes=(
                "the pins are held on one side" if one_side else "the second plate yields",
                "the carrier is too thin or too soft at this temperature",
                "the pins are thinner than the load asks for",
            ),
            remedies=(
                "Add a second plate that holds the pins' free ends.",
                "Use steel pins, pressed as deep as the plate allows.",
            ),
            place=place(of_it[0].part if of_it else at_end[0][0].part),
        )
