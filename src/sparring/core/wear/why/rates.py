"""What the figures of wear tell."""

from __future__ import annotations

from collections.abc import Iterator

from sparring.core.build import Build
from sparring.core.finding import Fact, Finding, noted
from sparring.core.wear.result import Wear
from sparring.core.wear.why.registry import place, rule

_SURE = 0.9  # probability of running-in from which it is told


@rule
def ways_disagree(build: Build, wear: Wear) -> Iterator[Finding]:
    """Sizes of one gear that do not tell the same depth."""
    for f in wear.flanks:
        if f.agree:
            continue
        b, *_, a = sorted(f.ways, key=lambda w: w.depth.value)
        yield noted(
            "wear-ways-disagree",
            "caution",
            title=f"Sizes do not agree: {f.flank.body}",
            seen=f"By {a.by} it has lost {{most}}, by {b.by} {{least}}: further apart than ±.",
            why="One of them is wrong, or wear is not even over the flank; the ± is widened.",
            causes=(
                "the part has taken up moisture, or was measured warm",
                "another number of teeth, or other pins, than when new",
                "calipers that rode on a burr",
                "wear at tip or root only",
            ),
            remedies=(
                "Measure a part that has not run beside it.",
                "Repeat both readings, at three places of the gear.",
            ),
            most=Fact(a.depth.value, "length", a.depth.u),
            least=Fact(b.depth.value, "length", b.depth.u),
            place=place(f.flank.body),
        )


@rule
def ways_agree(build: Build, wear: Wear) -> Iterator[Finding]:
    """Two and more ways of measuring that tell one depth."""
    for f in wear.flanks:
        kinds = {w.by for w in f.ways}
        if f.agree and len(kinds) >= 2 and wear.widened == 1.0 and f.thinning.low > 0:
            yield noted(
                "wear-ways-agree",
                "good",
                title=f"Wear agrees {len(kinds)} ways: {f.flank.body}",
                seen=f"{_listed(sorted(kinds))} tell one depth within their ±: {{depth}}.",
                why="Readings of different kinds do not err alike.",
                depth=Fact(f.thinning.value, "length", f.thinning.u),
                place=place(f.flank.body),
            )
            return


def _rough(turns: float) -> str:
    return f"{float(f'{turns:.2g}'):,.0f}".replace(",", "\u202f")


def _listed(words: list[str]) -> str:
    told = " and ".join([", ".join(words[:-1]), words[-1]]) if len(words) > 1 else words[0]
    return told[0].upper() + told[1:]


@rule
def scatters_more(build: Build, wear: Wear) -> Iterator[Finding]:
    """Readings that scatter more than their ± says."""
    if wear.widened > 1:
        yield noted(
            "wear-scatters",
            "caution",
            title="Readings scatter more than their ±",
            seen=(
                f"The readings lie {wear.widened:.1f} times as far from any steady wear as their "
                "± says; all intervals are as much wider."
            ),
            why="Something changed between the inspections that was not read.",
            causes=(
                "the load, the speed or the lubricant was changed",
                "moisture or temperature",
                "a part was replaced or turned over",
            ),
            remedies=(
                "Note what was changed, and begin again from the look after it.",
                "Measure a part that has not run beside the others.",
            ),
        )


@rule
def worn_out(build: Build, wear: Wear) -> Iterator[Finding]:
    """A flank thinner than allowed."""
    for f in wear.flanks:
        if f.thinning.value < f.allowed:
            continue
        sure = f.thinning.low >= f.allowed
        yield noted(
            "worn-out",
            "wrong" if sure else "caution",
            title=f"Worn out: {f.flank.body}",
            seen="Its flank has lost {lost}; {allowed} is allowed.",
            why="A thin tooth bends and breaks, and its mate no longer rolls on it evenly.",
            causes=("its life is over",),
            remedies=("Replace it, with its mate.", "Turn it over if its other flank is as new."),
            lost=Fact(f.thinning.value, "length", f.thinning.u),
            allowed=Fact(f.allowed, "length", digits=2),
            place=place(f.flank.body),
        )


@rule
def ran_in(build: Build, wear: Wear) -> Iterator[Finding]:
    """Running-in that the looks show."""
    if wear.ran_in >= _SURE and wear.runs_in is not None:
        yield noted(
            "ran-in",
            "note",
            title="It has run in",
            seen=(
                f"Until about {_rough(wear.runs_in.value)} turns of the output "
                f"({_rough(wear.runs_in.low)} to {_rough(wear.runs_in.high)}) it wore faster "
                "than since."
            ),
            why="The rate and the life left are those of the steady state after it.",
        )
