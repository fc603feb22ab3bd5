"""Bores, joints and what broke, against what they should carry."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from sparring.core.build import Build
from sparring.core.finding import Fact, Finding, noted
from sparring.core.train.strength import Limit
from sparring.core.wear.inspection import Seen
from sparring.core.wear.result import Wear
from sparring.core.wear.why.registry import BROKEN, gear_of, harm, newest, place, rule

_BY_LOAD = "broken-root", "broken-end", "overload", "fatigue-fracture", "flank-fracture"
_EARLY = 0.8  # of what a part should carry, below which it broke too early (common practice)


def _joint_limit(build: Build, s: Seen) -> Limit | None:
    """The weakest joint limit of the stage that an observation is of."""
    stage = int(s.part.split()[1]) - 1 if s.part.startswith("stage ") else -1
    of_it = [x for x in build.limits if x.stage == stage and "joint" in x.part]
    return min(of_it, key=lambda x: x.output, default=None)


@rule
def joint_turned(build: Build, wear: Wear) -> Iterator[Finding]:
    """A bore turned on its flat, a rounded hexagon: the joint against the torque that it saw."""
    peak = newest(wear).peak_torque
    for s in harm(wear, "bore-turned", "hex-rounded"):
        limit = _joint_limit(build, s)
        facts: dict[str, Any] = {}
        what = "a bore turned on its flat" if s.mode == "bore-turned" else "a rounded hexagon"
        told = f"The {s.part} has {what}"
        causes = ["starts and stalls hammer the joint", "the fit was loose"]
        if limit is not None:
            facts["carries"] = Fact(limit.carries, "torque", digits=2)
            told += "; its joint carries {carries} by the strength table"
            if peak is not None:
                facts["saw"] = Fact(limit.carried(peak), "torque", digits=2)
                told += ", and has seen {saw}"
                if limit.carried(peak) > limit.carries:
                    causes.insert(0, "more torque than the joint carries")
        if s.extent is not None:
            facts["extent"] = Fact(s.extent.value, "length", s.extent.u)
            told += " (damage {extent})"
        yield noted(
            "joint-turned",
            "wrong" if s.severity >= 4 else "caution",
            title=f"Joint yields: {s.part}",
            seen=told + ".",
            why="A joint with play strikes at every start and grows until it slips or splits.",
            causes=tuple(causes),
            remedies=(
                "Use a key, a hexagon or a cross pin in place of a flat.",
                "Make the bore's part longer, or of metal.",
                "Keep stalls short, and limit the current.",
            ),
            place=place(s.part),
            **facts,
        )


@rule
def split_from_corner(build: Build, wear: Wear) -> Iterator[Finding]:
    """A crack that begins at a sharp corner."""
    for s in harm(wear, "split-from-corner"):
        teeth = f" to the root of tooth {s.teeth[0]}" if s.teeth else ""
        facts: dict[str, Any] = (
            {} if s.extent is None else {"long": Fact(s.extent.value, "length", s.extent.u)}
        )
        long = "" if s.extent is None else ", {long} long"
        gear = gear_of(build, s.part)
        wall = (
            f"; its root circle is {gear.module * (gear.teeth - 2.5 + 2 * gear.shift) * 1e3:.1f} mm"
            if gear is not None and not gear.ring
            else ""
        )
        yield noted(
            "split-from-corner",
            "wrong",
            title=f"Split from a corner: {s.part}",
            seen=f"A crack runs from the {s.spot}'s corner{teeth}{long}{wall}.",
            why="A sharp corner doubles or triples the stress, and the wall there is thinnest.",
            causes=(
                "a sharp corner of the flat or the key",
                "too few walls round the bore",
                "the bore turned first, and then split",
                "a press fit that strains the hub",
            ),
            remedies=(
                "Round the corner, or use a hexagon or a cross pin.",
                "Print two more walls round the bore, or make the hub larger than the teeth.",
                "Set the flat under a tooth and not under a gap.",
            ),
            place=place(s.part),
            **facts,
        )


@rule
def layers_parted(build: Build, wear: Wear) -> Iterator[Finding]:
    """A printed part that split along its layers."""
    for s in harm(wear, "layers-parted", "glue-parted", "insert-pulled", "infill-crushed"):
        gear = gear_of(build, s.part)
        material = gear.material if gear else ""
        words = {
            "layers-parted": ("Layers parted", "across its layers a print bears about half"),
            "glue-parted": ("Glued joint parted", "glue bears shear, and peels easily"),
            "insert-pulled": ("Insert pulled out", "the plastic round an insert bears little pull"),
            "infill-crushed": ("Infill crushed", "infill bears a small part of what walls bear"),
        }
        title, why = words[s.mode]
        yield noted(
            "layers-parted",
            "wrong" if s.severity >= 4 else "caution",
            title=f"{title}: {s.part}",
            seen=(
                f"The {s.part}{f' ({material})' if material else ''} has severity {s.severity} at "
                f"its {s.spot}."
            ),
            why=f"The load goes where the part is weakest: {why}.",
            causes=(
                "the part was printed so that the load pulls its layers apart",
                "too cold or too fast a print",
                "more torque than planned",
            ),
            remedies=(
                "Print it the other way, so that the load runs along the layers.",
                "Print more walls and, where it is loaded, no infill.",
                "Enter the factor across layers on Build: the strength table then counts with it.",
            ),
            place=place(s.part),
        )


@rule
def broke_below(build: Build, wear: Wear) -> Iterator[Finding]:
    """What broke, against the torque at which it should; the fuse among it."""
    look = newest(wear)
    broken = [s for s in harm(wear, *BROKEN) if s.severity >= 4]
    if not broken:
        return
    parts = {s.part for s in broken}
    fuse = build.fuse.strip()
    if fuse:
        went = any(_is(part, fuse) for part in parts)
        others = [p for p in parts if not _is(p, fuse)]
        if went and not others:
            yield noted(
                "fuse-went-first",
                "good",
                title="The fuse part went first, as meant",
                seen=f"The fuse part ({fuse}) is broken, and nothing else is.",
                why="It has saved the parts behind it.",
                remedies=("Replace it and go on.",),
                place=place(next(iter(parts))),
            )
        elif others:
            yield noted(
                "fuse-did-not-go-first",
                "wrong",
                title="The fuse part did not go first",
                seen=(
                    f"What broke: {', '.join(sorted(others))}; the fuse part ({fuse}) "
                    f"{'broke too' if went else 'is whole'}."
                ),
                why="What the fuse was to save is lost.",
                causes=(
                    "the fuse is stronger than the part it protects",
                    "a shock was over before the fuse gave way",
                ),
                remedies=(
                    "Make the fuse weaker: the order of failure on Build shows both.",
                    "Move the fuse closer to where the shock comes from.",
                ),
                place=place(sorted(others)[0]),
            )
    if look.peak_torque is None:
        return
    for part in sorted({s.part for s in broken if s.mode in _BY_LOAD}):
        of_it = [x for x in build.limits if part.startswith(x.name) and "shaft" not in x.part]
        limit = min(of_it, key=lambda x: x.output, default=None)
        if limit is None or look.peak_torque >= _EARLY * limit.output:
            continue
        fatigue = any(s.mode == "fatigue-fracture" for s in broken if s.part == part)
        yield noted(
            "broke-below",
            "wrong",
            title=f"Broke below what it should carry: {part}",
            seen=(
                "By the strength table it fails at {limit} at the output; no more than {most} "
                "was seen, {share} of that."
            ),
            why="A static figure says nothing of what repeats, strikes or was flawed.",
            causes=(
                *(
                    ("fatigue, as its smooth break says",)
                    if fatigue
                    else ("fatigue: many loads below its limit",)
                ),
                "a shock shorter than the log shows",
                "a flaw: a void, a poor layer, a sharp corner",
                "it was warmer than calculated",
            ),
            remedies=(
                "Look at the break: rest lines mean fatigue, a rough white one overload.",
                "Test further specimens at this load; sparring life tells how many.",
            ),
            limit=Fact(limit.output, "torque", digits=2),
            most=Fact(look.peak_torque, "torque", digits=2),
            share=Fact(look.peak_torque / limit.output, "ratio", digits=2),
            place=place(part),
        )


def _is(part: str, fuse: str) -> bool:
    return fuse.casefold() in part.casefold() or part.casefold() in fuse.casefold()
