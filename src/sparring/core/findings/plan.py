"""Judgements on a plan before it is run: what will stall, get hot or break, and what its steps can
tell.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from sparring.core.build import Build
from sparring.core.finding import ORDER, Fact, Finding, noted
from sparring.core.findings.setup.loads import too_much_voltage
from sparring.core.outlook.foresee import Foreseen, Outlook
from sparring.core.plan import Plan
from sparring.core.plan.weights import Hung
from sparring.core.rig import Rig

_LONG = 300.0  # [s] of cooling that is worth a word
_FEW = 3  # repeats that tell a spread


@dataclass(frozen=True)
class Planned:
    """A plan with its prediction; hung: what the shelf gives for each step to be done, None: not
    worked out.
    """

    build: Build
    rig: Rig
    plan: Plan
    outlook: Outlook
    hung: Sequence[Hung | None] | None = None

    @property
    def rows(self) -> list[Foreseen]:
        """Of the steps that are measured in."""
        return [r for r in self.outlook.rows.values() if r.step.counted]


Rule = Callable[[Planned], Iterable[Finding]]
PLAN_RULES: list[Rule] = []


def plan_rule(function: Rule) -> Rule:
    """Registers a rule."""
    PLAN_RULES.append(function)
    return function


def judge_plan(planned: Planned) -> list[Finding]:
    """All findings on a plan, worst first."""
    found = [f for check in PLAN_RULES for f in check(planned)]
    return sorted(found, key=lambda f: ORDER[f.severity])


def _steps(rows: Sequence[Foreseen]) -> tuple[int, ...]:
    return tuple(r.step.id for r in rows)


@plan_rule
def above_its_voltage(p: Planned) -> Iterable[Finding]:
    """A step asks for more than the motor's own voltage, and nobody said that it may."""
    if p.build.has_motor:
        yield from too_much_voltage(p.build, p.plan)


@plan_rule
def will_stall(p: Planned) -> Iterable[Finding]:
    """A step that is meant to turn will hardly do so."""
    rows = [r for r in p.rows if r.stalls > 0.5 and r.step.kind != "to stall"]
    if not p.build.has_motor or not rows or p.rig.method.HELD:
        return
    first = min(rows, key=lambda r: r.torque)
    some = len(rows) > 1
    yield noted(
        "step-will-stall",
        "caution" if len(rows) > 1 else "note",
        title=f"{len(rows)} steps will stall" if some else "A step will stall",
        seen=f"At {{torque}} and {first.voltage:.3g} V the chance that it stalls is {{chance}}.",
        why=(
            "One such step gives the measured stall; more of them only heat the winding."
            if some
            else "It gives the measured stall, and heats the winding for as long as it stands."
        ),
        remedies=("Exclude all but the lightest of them, or plan them as “to stall”.",)
        if some
        else (),
        steps=_steps(rows),
        place="plan.steps",
        torque=Fact(first.torque, "torque", digits=3),
        chance=Fact(first.stalls, "ratio", digits=2),
    )


@plan_rule
def no_motor(p: Planned) -> Iterable[Finding]:
    """A voltage for a drive that has no motor."""
    rows = [r for r in p.rows if r.step.voltage is not None]
    if not rows or p.build.has_motor:
        return
    turns = p.build.usual_input / abs(p.build.ratio()) * 30 / math.pi
    yield noted(
        "step-without-speed",
        "wrong",
        title="A voltage turns nothing here",
        seen=f"{p.build.name} is turned by {p.build.driven_by}, and has no motor.",
        why="Its steps are told by the speed of its output.",
        remedies=(f"Give a speed in place of the voltage: at {turns:.3g} rpm.",),
        steps=_steps(rows),
        place="plan.line",
    )


@plan_rule
def cannot_sweep(p: Planned) -> Iterable[Finding]:
    """A sweep with a load that stays as it is set."""
    rows = [r for r in p.rows if r.step.kind == "sweep"]
    if not rows or p.rig.method.swept:
        return
    yield noted(
        "step-cannot-sweep",
        "caution",
        title="A sweep is run as one load",
        seen=f"A {p.rig.method.word} keeps the load that is set.",
        why="A sweep grows the load slowly within one run, which a swept brake does.",
        remedies=("Plan a ladder of loads, or take a swept brake on Rig.",),
        steps=_steps(rows),
        place="plan.steps",
    )


@plan_rule
def may_break(p: Planned) -> Iterable[Finding]:
    """A part may fail in a step that is not meant to break it."""
    rows = [r for r in p.rows if r.breaks > 0.02 and r.step.kind != "to failure"]
    if not rows:
        return
    weakest, worst = p.build.limits[0], max(rows, key=lambda r: r.breaks)
    yield noted(
        "step-may-break",
        "wrong" if worst.breaks > 0.5 else "caution",
        title=f"The {weakest.name} may fail",
        seen="At {torque} the chance is {chance}; it should fail at {limit}.",
        why="A test that breaks the drive ends there, and what it measured before is all there is.",
        causes=(weakest.basis,),
        remedies=("Stay below, or plan these steps as “to failure” with spares ready.",),
        steps=_steps(rows),
        place="plan.steps",
        torque=Fact(worst.torque, "torque", digits=3),
        chance=Fact(worst.breaks, "ratio", digits=2),
        limit=Fact(weakest.output, "torque", digits=3),
    )


@plan_rule
def too_hot(p: Planned) -> Iterable[Finding]:
    """A run heats the winding beyond its insulation even from cold."""
    rows = [r for r in p.rows if r.winding > p.build.winding_limit]
    if rows:
        worst = max(rows, key=lambda r: r.winding)
        yield noted(
            "step-too-hot",
            "wrong",
            title="The winding will be too hot",
            seen="A run at {torque} ends with the winding at {winding}, even from cold.",
            why=f"Its insulation ends at {p.build.winding_limit - 273.15:.0f} °C; a burnt motor "
            "tells nothing.",
            remedies=("Run it for a shorter time, at a lower voltage, or with a lighter load.",),
            steps=_steps(rows),
            place="plan.steps",
            torque=Fact(worst.torque, "torque", digits=3),
            winding=Fact(worst.winding, "temperature", digits=3),
        )


@plan_rule
def limit_stops(p: Planned) -> Iterable[Finding]:
    """The bench's own limits will end a step."""
    limits, found = p.rig.limits, p.outlook.rows
    asked: list[tuple[str, float | None, dict[int, float]]] = [
        ("current", limits.current, {i: r.current for i, r in found.items()}),
        ("speed", limits.speed, {i: r.speed for i, r in found.items()}),
        ("torque", limits.torque, {i: r.torque for i, r in found.items()}),
    ]
    if p.build.has_motor:
        drawn = {i: r.current * r.voltage for i, r in found.items()}
        asked.append(("power", limits.power, drawn))
        asked.append(("temperature", limits.temperature, {i: r.case for i, r in found.items()}))
    for name, limit, expected in asked:
        if limit is None:
            continue
        rows = [r for r in p.rows if expected[r.step.id] > limit]
        if rows:
            worst = max(rows, key=lambda r: expected[r.step.id])
            yield noted(
                "limit-will-stop-it",
                "caution",
                title=f"The {name} limit will end {'some steps' if len(rows) > 1 else 'a step'}",
                seen="At {torque} {value} is expected; the bench stops at {limit}.",
                why="A run that a limit ends gives no point.",
                remedies=("Raise the limit if all parts allow it, or exclude the step.",),
                steps=_steps(rows),
                place=f"rig.limits.{name}",
                torque=Fact(worst.torque, "torque", digits=3),
                value=Fact(expected[worst.step.id], name, digits=3),
                limit=Fact(limit, name, digits=3),
            )


@plan_rule
def start_stops(p: Planned) -> Iterable[Finding]:
    """What the motor draws while it comes up ends a step."""
    limit = p.rig.limits.current
    rows = [r for r in p.rows if r.starts > limit >= r.current]
    if rows:
        worst = max(rows, key=lambda r: r.starts)
        yield noted(
            "start-will-stop-it",
            "caution",
            title=f"The starting current will end {'some steps' if len(rows) > 1 else 'a step'}",
            seen=f"Switched on at {worst.voltage:.3g} V it draws {{start}} over 50 ms while it "
            "comes up; the bench stops at {limit}.",
            why="The run is over before the drive turns at its speed.",
            remedies=(
                "Let the supply bring the voltage up slowly, or limit its current.",
                "Raise the limit if supply, leads and motor allow it.",
            ),
            steps=_steps(rows),
            place="rig.limits.current",
            start=Fact(worst.starts, "current", digits=2),
            limit=Fact(limit, "current", digits=3),
        )


@plan_rule
def outlasts_travel(p: Planned) -> Iterable[Finding]:
    """A time is asked for that the rig's travel does not last."""
    travel, method = p.rig.method.course[0], p.rig.method
    if not math.isfinite(travel):
        return
    asked: list[tuple[float, Foreseen]] = []
    for r in p.rows:
        radius = method.body(r.step.setting(method), p.rig.gravity.value)["radius"]
        if r.step.time is not None and (needs := radius * r.speed * r.step.time) > 1.05 * travel:
            asked.append((needs, r))
    if asked:
        needs, worst = max(asked, key=lambda x: x[0])
        yield noted(
            "step-outlasts-travel",
            "caution",
            title="The travel ends before the step's time",
            # in metres: the unit of a rig's lengths is too small for these
            seen=f"A step of {{time}} needs {needs:.3g} m of cord; {travel:.3g} m are there.",
            why="The run ends at the top, whatever time was asked for.",
            remedies=(
                "Shorten the step, or repeat it.",
                "For long times take a brake or a generator on Rig, or a life test, which drives "
                "again and again.",
            ),
            steps=_steps([r for _, r in asked]),
            place="plan.steps",
            time=Fact(worst.step.time or 0.0, "time", digits=3),
        )


@plan_rule
def cooling(p: Planned) -> Iterable[Finding]:
    """Much of the time goes to cooling."""
    if p.outlook.cooling > _LONG:
        yield noted(
            "cooling-takes-time",
            "note",
            title="The motor needs pauses to cool",
            seen="{cooling} of {whole} are pauses for the winding.",
            why="A warm winding lowers the speed, and above its limit it ages within minutes.",
            remedies=("Put light steps between heavy ones, measure for less time, or use a fan.",),
            place="plan.steps",
            cooling=Fact(p.outlook.cooling, "time", digits=2),
            whole=Fact(p.outlook.seconds, "time", digits=2),
        )


@plan_rule
def separates(p: Planned) -> Iterable[Finding]:
    """Whether the plan can tell drag that grows with the speed from drag that does not."""
    rows = [r for r in p.rows if r.stalls < 0.5]
    drives = {(r.step.voltage, r.step.speed) for r in rows}
    what = "voltage" if p.build.has_motor else "speed"
    if len(rows) < 4 or p.rig.method.STANDS or p.rig.method.HELD:
        return
    if len(drives) > 1:
        yield noted(
            "voltages-separate-losses",
            "good",
            title=f"{len(drives)} {what}s separate the losses",
            seen="The same load is run at several speeds.",
            why="So drag that grows with the speed can be told from drag that does not.",
            steps=_steps(rows),
            place="plan.steps",
        )
    else:
        yield noted(
            "one-voltage-mixes-losses",
            "note",
            title=f"One {what} does not separate the losses",
            seen=f"Every load is run at one {what}.",
            why="Constant drag and drag that grows with the speed then look the same.",
            remedies=(f"Add a second {what}, for example half of the first.",),
            steps=_steps(rows),
            place="plan.steps",
        )


@plan_rule
def few_repeats(p: Planned) -> Iterable[Finding]:
    """Too few repeats to tell a spread."""
    rows = [r for r in p.rows if r.step.repeats < _FEW and r.step.kind == "measure"]
    if (
        rows
        and p.plan.order != "bisection"
        and len(rows) == len([r for r in p.rows if r.step.kind == "measure"])
    ):
        yield noted(
            "few-repeats-planned",
            "note",
            title="Too few repeats for a spread",
            seen=f"No step is run more than {max(r.step.repeats for r in rows)} times.",
            why="The scatter between runs is then hardly known, and every ± is wider.",
            remedies=(f"Run each step {_FEW} times or more.",),
            steps=_steps(rows),
            place="plan.steps",
        )


@plan_rule
def not_on_the_shelf(p: Planned) -> Iterable[Finding]:
    """A load that the weights of the shelf do not make."""
    steps = p.plan.on(p.rig.method).todo
    missing = [
        (s, h)
        for s, h in zip(steps, p.hung or [None] * len(steps), strict=True)
        if h is not None and not h.fits and s.mass
    ]
    if missing:
        step, hung = max(missing, key=lambda x: abs(x[1].total.value - (x[0].mass or 0.0)))
        yield noted(
            "load-not-on-the-shelf",
            "caution",
            title="A load cannot be made from the shelf",
            seen="{load} is planned; the nearest that can be hung is {nearest}.",
            why="What hangs is the load: a planned figure that never hung is wrong everywhere.",
            remedies=("Plan what the shelf makes, or add the missing weight to the shelf.",),
            steps=tuple(s.id for s, _ in missing),
            place="plan.weights",
            load=Fact(step.mass or 0.0, "mass", digits=4),
            nearest=Fact(hung.total.value, "mass", digits=4),
        )
