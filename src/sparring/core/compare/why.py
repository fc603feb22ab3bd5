"""What is to be said of a comparison. A further judgement is a function with `@rule`."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

from sparring.core.compare.compared import Compared
from sparring.core.compare.comparison import Difference, voltages
from sparring.core.compare.observed import BY_ID, span_of
from sparring.core.finding import ORDER, Fact, Finding, noted
from sparring.core.input_quantity import whose
from sparring.core.reduce.spread import tag_of

Rule = Callable[[Compared], Iterable[Finding]]
RULES: list[Rule] = []
_ODD = 0.01  # p below which residuals are not taken as normal


def rule(function: Rule) -> Rule:
    """Registers a rule."""
    RULES.append(function)
    return function


def judge(found: Compared) -> list[Finding]:
    """All judgements, worst first."""
    return sorted((f for r in RULES for f in r(found)), key=lambda f: ORDER[f.severity])


def _name(found: Compared, n: int) -> str:
    return found.comparison.subjects[n].name


def _names(names: Iterable[str]) -> str:
    found = list(names)
    return found[0] if len(found) == 1 else f"{', '.join(found[:-1])} and {found[-1]}"


@rule
def two_rigs(found: Compared) -> Iterable[Finding]:
    """Rigs whose inputs do not drop out of the differences."""
    side = found.comparison
    rigs = dict.fromkeys(
        s.rig for s, c in zip(side.subjects, side.row.cells, strict=True) if c and s.rig
    )
    if len(rigs) < 2 or not side.differences:
        return
    cells = side.row.cells
    worst: tuple[float, str] = (0.0, "")
    for d in side.differences:
        a, b = cells[d.subject], cells[d.reference]
        if a is None or b is None:
            continue
        for key in {*a.shared, *b.shared}:
            left = abs(a.shared.get(key, 0.0) - b.shared.get(key, 0.0))
            if whose(tag_of(key)) == "rig" and any(key.endswith(f" of {rig}") for rig in rigs):
                worst = max(worst, (left, key))
    if worst[0] <= 0:
        return
    yield noted(
        "compare-rigs",
        "caution",
        title="Two rigs in one comparison" if len(rigs) == 2 else "Several rigs in one comparison",
        seen=(
            f"These were tested on {_names(rigs)}; what they do not share adds up to {{u}} to a "
            "difference."
        ),
        why="Each rig's own errors stay in a difference between rigs, and more runs do not help.",
        remedies=("Test what is close once more on one rig.",),
        u=Fact(2 * worst[0], apart_kind(side.figure.kind), digits=2),
    )


@rule
def other_voltage(found: Compared) -> Iterable[Finding]:
    """Tests without the common voltage."""
    side = found.comparison
    away = voltages(side.subjects)
    if not away:
        return
    reduced = "stall, no-load speed and power by its model"
    yield noted(
        "compare-voltage",
        "note",
        title="Tested at another voltage",
        seen=f"{_names(n for n, _ in away)} was tested at {{other}}, not at {{common}}.",
        why=f"Reduced to the common voltage are {reduced}; figures at a torque are not.",
        remedies=("Run it at the common voltage, or choose another to compare at.",),
        other=Fact(away[0][1], "voltage", digits=3),
        common=Fact(side.at.voltage, "voltage", digits=3),
    )


@rule
def outside_loads(found: Compared) -> Iterable[Finding]:
    """Tests whose loads end before the torque."""
    side = found.comparison
    if side.figure.id not in BY_ID or side.at.share is not None:
        return
    for s, cell in zip(side.subjects, side.row.cells, strict=True):
        span = span_of(s, side.at.voltage)
        if cell is None and span is not None and s.level(side.at.voltage) is not None:
            yield noted(
                "compare-outside",
                "note",
                title=f"{s.name} was not run at this torque",
                seen="Its loads go from {low} to {high}; compared is at {at}.",
                why="Nothing is extrapolated: it has no figure here.",
                remedies=("Choose a torque that all carried, or add a load to its plan.",),
                low=Fact(span[0], "torque", digits=3),
                high=Fact(span[1], "torque", digits=3),
                at=Fact(side.at.torque, "torque", digits=3),
            )


@rule
def lifted_once(found: Compared) -> Iterable[Finding]:
    """Figures without any scatter of their own."""
    side = found.comparison
    once = [
        s.name
        for s, c in zip(side.subjects, side.row.cells, strict=True)
        if c is not None and c.freedom == 0
    ]
    if once:
        yield noted(
            "compare-once",
            "caution",
            title="Run only once",
            seen=f"{_names(once)} has one run at this load.",
            why=(
                "Its own scatter is not known: that of the others stands for it, or nothing can be "
                "told."
            ),
            remedies=("Repeat it at least three times.",),
        )


@rule
def told_apart(found: Compared) -> Iterable[Finding]:
    """Differences that are real, and pairs that cannot be told apart."""
    side = found.comparison
    same = [d for d in side.differences if d.same < 0.05 and not d.verdict]
    for d in same[:3]:
        yield noted(
            "compare-same",
            "good",
            title=f"{_name(found, d.subject)} and {_name(found, d.reference)} are the same",
            seen=f"Their {side.figure.words} differs by {{value}}, within ± {{margin}}.",
            why="Both one-sided tests hold at 5 %: a larger difference is ruled out.",
            value=_fact(d, side.figure.kind),
            margin=Fact(side.margin, apart_kind(side.figure.kind), digits=2),
        )
    for d in [d for d in side.differences if not d.verdict and d.same >= 0.05][:3]:
        yield noted(
            "compare-not-told",
            "note",
            title=f"{_name(found, d.subject)} and {_name(found, d.reference)}: not distinguishable",
            seen=f"Their {side.figure.words} differs by {{value}}, p = {d.adjusted:.2g} by Holm.",
            why="So much is seen by chance too often among so many comparisons.",
            remedies=(more_in_words(d),),
            value=_fact(d, side.figure.kind),
        )


def more_in_words(d: Difference) -> str:
    """What would tell two apart."""
    more = d.more
    if more is None:
        return ""
    if more.lifts is not None:
        again = "" if not more.unknown else " to learn their scatter"
        return f"Make {more.lifts} more run{'s' * (more.lifts > 1)} of each{again}."
    if more.blame:
        return f"Test both on one rig: more runs do not help, they do not share the {more.blame}."
    return "Treat them as equal: so small a difference is not resolved by repeating."


def apart_kind(kind: str) -> str:
    """What kind a difference of two figures is: of two parts, points."""
    return "points" if kind == "ratio" else kind


def _fact(d: Difference, kind: str) -> Fact:
    half = d.high - d.value
    return Fact(d.value, apart_kind(kind), half / 2 if math.isfinite(half) else 0.0)


@rule
def crosses(found: Compared) -> Iterable[Finding]:
    """Where the better one changes over the load."""
    for a, b, c in found.crossings[:3]:
        yield noted(
            "compare-crossing",
            "note",
            title=f"{_name(found, a)} and {_name(found, b)} cross",
            seen="They are equal at {torque}, surely between {low} and {high}.",
            why="Which of them is better depends on the load.",
            remedies=("Compare them at the torque of the duty.",),
            torque=Fact(c.torque, "torque", digits=3),
            low=Fact(c.low, "torque", digits=3),
            high=Fact(c.high, "torque", digits=3),
        )


@rule
def confounded(found: Compared) -> Iterable[Finding]:
    """Factors that go together in what was tested."""
    effects = found.effects
    if effects is None:
        return
    named: set[str] = set()
    for c in effects.confounded:
        if c.a in named or c.b in named:
            continue  # one sentence for each factor is enough
        named |= {c.a, c.b}
        part = (
            () if c.part is None else (f"Test one with {c.a} {c.part[0]} and {c.b} {c.part[1]}.",)
        )
        yield noted(
            "compare-confounded",
            "caution",
            title=f"{c.a.capitalize()} and {c.b} are confounded",
            seen=f"In what was tested, {c.b} changes only together with {c.a}.",
            why=f"An effect of {c.a} may be one of {c.b}: no analysis can tell.",
            remedies=part,
        )


@rule
def effects_told(found: Compared) -> Iterable[Finding]:
    """Effects, in plain words."""
    effects = found.effects
    if effects is None:
        return
    kind = apart_kind(effects.figure.kind)
    mixed_up = {x for c in effects.confounded for x in (c.a, c.b)}
    for e in sorted(effects.effects, key=lambda e: e.adjusted)[:4]:
        fact = Fact(e.value, kind, (e.high - e.value) / 2)
        title = f"{e.factor.capitalize()}: {e.level} against {e.against}"
        at = Fact(effects.at.torque, "torque", digits=3)
        doubt = ", confounded with another factor" if e.factor in mixed_up else ""
        if e.verdict:
            yield noted(
                "compare-effect",
                "note",
                title=title,
                seen=f"{{value}} of {effects.figure.words} at {{at}}{doubt}.",
                why="Over the other factors' levels alike; it stands after Holm's correction.",
                value=fact,
                at=at,
            )
        else:
            yield noted(
                "compare-no-effect",
                "note",
                title=f"{title}: not distinguishable",
                seen=f"{{value}} of {effects.figure.words} at {{at}}, p = {e.adjusted:.2g}{doubt}.",
                why="The interval holds no effect as well.",
                remedies=("Test further specimens: repeats of the same ones tell little more.",),
                value=fact,
                at=at,
            )


@rule
def specimens(found: Compared) -> Iterable[Finding]:
    """Effects of specimens that stand for themselves alone."""
    effects = found.effects
    if effects is None or "specimen" not in effects.alone:
        return
    yield noted(
        "compare-specimen",
        "caution",
        title="One specimen of each",
        seen=f"{effects.specimens} specimens for as many combinations of the factors.",
        why="How specimens of one build scatter is not known: the effects hold for these alone.",
        remedies=("Test a second specimen of one build, named as such with its test.",),
    )


@rule
def residuals(found: Compared) -> Iterable[Finding]:
    """A model whose assumptions do not hold."""
    effects = found.effects
    if effects is None:
        return
    strange = [r for r in effects.residuals if r.strange]
    if not (effects.normal < _ODD or strange):
        return
    who = _names(dict.fromkeys(_name(found, r.subject) for r in strange)) if strange else ""
    yield noted(
        "compare-residuals",
        "caution",
        title="Residuals are not as they should be",
        seen=(
            f"{len(strange)} of {effects.observations} lie far out ({who})."
            if strange
            else f"They are not normally distributed (Shapiro and Wilk, p = {effects.normal:.2g})."
        ),
        why="Intervals of the effects rest on residuals that scatter normally and alike.",
        remedies=("Look at those runs; exclude one only with a reason.",),
    )
