"""Judgements on a build before anything is measured. A rule is one small function, registered by
`@build_rule`.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import cached_property

from sparring.core import motor as motors
from sparring.core import predict
from sparring.core.build import MOTOR, OUTPUT, Build
from sparring.core.finding import ORDER, Fact, Finding, applies, noted, of_motor
from sparring.core.train import kinematics, strength
from sparring.core.train.kinds import ClutchStage
from sparring.core.train.torque import back_drive_efficiency


@dataclass(frozen=True)
class Case:
    """A build at a voltage, with what several rules ask for worked out once."""

    build: Build
    voltage: float

    @cached_property
    def stall(self) -> float:
        return predict.stall_torque(self.build, self.voltage)

    @property
    def limits(self) -> tuple[strength.Limit, ...]:
        return self.build.limits

    @cached_property
    def back(self) -> float | None:
        return back_drive_efficiency(self.build.elements(), MOTOR, OUTPUT)


Rule = Callable[[Case], Iterable[Finding]]
BUILD_RULES: list[Rule] = []


def build_rule(function: Rule) -> Rule:
    """Registers a rule."""
    BUILD_RULES.append(function)
    return function


def judge_build(build: Build, voltage: float) -> list[Finding]:
    """All findings on a build with `voltage` [V] at its motor, or turned at so many rad/s where it
    has none (`predict.set_to`), worst first.
    """
    case = Case(build, voltage)
    found = [
        replace(f, facts={k: v._replace(digits=3) for k, v in f.facts.items()})
        for check in BUILD_RULES
        if applies(check, has_motor=build.has_motor)
        for f in check(case)
    ]
    return sorted(found, key=lambda f: ORDER[f.severity])


@build_rule
def stages_assemble(case: Case) -> Iterable[Finding]:
    """What each stage says of itself: assembly, mesh, undercut, support."""
    many = len(case.build.stages) > 1
    for n, stage in enumerate(case.build.stages):
        for f in stage.faults():
            yield replace(
                f,
                title=f"Stage {n + 1}: {f.title[0].lower()}{f.title[1:]}" if many else f.title,
                place=f"build.stages.{n}.{f.place}",
            )


@build_rule
def weakest_part(case: Case) -> Iterable[Finding]:
    """Torque the drive promises against torque its parts carry."""
    if not case.limits:
        return
    first = case.limits[0]
    facts = {"stall": Fact(case.stall, "torque"), "breaks": Fact(first.output, "torque")}
    others = tuple(
        f"then the {o.name}: {o.mode} at {o.output / first.output:.1f} times that"
        for o in case.limits[1:3]
        if first.output > 0
    )
    place = f"build.stages.{first.stage}."
    protected = (
        any(isinstance(s, ClutchStage) and s.type == "slip" for s in case.build.stages)
        and first.mode == "slips"
    )
    if not case.build.has_motor:
        yield Finding(
            id="weakest-part",
            severity="note",
            title=f"Weakest: {first.name}",
            seen=f"{first.mode.capitalize()} at {{breaks}} output torque.",
            why="Nothing limits the torque of a hand, a drill or the wind" + first.basis + ".",
            causes=others,
            remedies=(),
            steps=(),
            place=place,
            facts={"breaks": facts["breaks"]},
        )
    elif first.output < case.stall and not protected:
        yield Finding(
            id="breaks-before-stall",
            severity="caution" if case.build.is_fuse(first) else "wrong",
            title="The motor can break the drive",
            seen=(
                f"The weakest part is the {first.name}: {first.mode} at {{breaks}} output "
                "torque, below the stall torque of {stall}."
            ),
            why="A blocked output breaks this part before the motor stalls" + first.basis + ".",
            causes=others,
            remedies=(
                "Limit the current or lower the voltage.",
                "Use a wider part, a larger module or a stronger material.",
                "Name it as the fuse part if it is meant to fail first.",
            ),
            steps=(),
            place=place,
            facts=facts,
        )
    else:
        yield Finding(
            id="weakest-part",
            severity="note",
            title=f"Weakest: {first.name}",
            seen=(
                f"{first.mode.capitalize()} at {{breaks}} output torque; the drive stalls at "
                "{stall}."
            ),
            why=(
                "Static strength from typical figures ("
                + first.basis
                + "); shock and fatigue act earlier."
            ),
            causes=others,
            remedies=(),
            steps=(),
            place=place,
            facts=facts,
        )


@build_rule
def fuse_part(case: Case) -> Iterable[Finding]:
    """Where a fuse part is named: does it go first, and by what margin?"""
    if not case.build.fuse.strip() or not case.limits:
        return
    own = [x for x in case.limits if case.build.is_fuse(x)]
    rest = [x for x in case.limits if not case.build.is_fuse(x)]
    if not own:
        names = ", ".join(dict.fromkeys(x.name for x in case.limits))
        yield noted(
            "fuse-unknown",
            "caution",
            title="The fuse part does not exist in this build",
            seen=(
                f"“{case.build.fuse}” is named as the fuse; parts of known strength are: {names}."
            ),
            why="Its protection of the other parts cannot be checked.",
            remedies=("Use the part's name from the strength table.",),
            place="build.fuse",
        )
        return
    if rest and rest[0].output < own[0].output:
        yield noted(
            "fuse-not-first",
            "wrong",
            title="The fuse part does not fail first",
            seen=(
                f"The {own[0].name} holds to {{fuse}}, but the {rest[0].name} fails at "
                f"{{other}}: {rest[0].mode}."
            ),
            why="The part that it should protect breaks instead.",
            remedies=(
                "Make the fuse narrower or of a softer material.",
                f"Make the {rest[0].name} stronger.",
            ),
            place="build.fuse",
            fuse=(own[0].output, "torque"),
            other=(rest[0].output, "torque"),
        )
    elif rest:
        margin = rest[0].output / own[0].output if own[0].output > 0 else math.inf
        yield noted(
            "fuse-first",
            "good" if margin > 1.4 else "caution",
            title=(
                "The fuse part fails first"
                if margin > 1.4
                else "The fuse part fails first, by a narrow margin"
            ),
            seen=(
                f"The {own[0].name} fails at {{fuse}}; next is the {rest[0].name} at "
                f"{margin:.2f} times that."
            ),
            why="Strengths are typical values, ± 20 %: a margin below 1.4 may reverse.",
            place="build.fuse",
            fuse=(own[0].output, "torque"),
        )


@build_rule
def unknown_material(case: Case) -> Iterable[Finding]:
    """Materials without figures are left out of the ranking; that must be said."""
    missing = strength.unknown_materials(case.build.stages, case.build.setting())
    if missing:
        names = ", ".join(dict.fromkeys(f"“{name}” (stage {n + 1})" for n, name in missing))
        yield noted(
            "material-unknown",
            "caution",
            title="No strength known for a material",
            seen=f"{names}: its parts are missing from the strength table and the mass.",
            why="The weakest part may be among them.",
            causes=("a material name that differs from the table",),
            remedies=(
                "Choose one of the materials in the list.",
                "Add the material and its properties to the build.",
            ),
            place=f"build.stages.{missing[0][0]}.material",
        )


def _source(build: Build) -> str:
    return "motor" if build.has_motor else "input"


@build_rule
def holds_or_turns_back(case: Case) -> Iterable[Finding]:
    """Self-locking, against what is wanted; and what drag carried through does."""
    b = case.build
    line = b.back_drive_line()
    locks = case.back is None or line is None
    if locks or line is None:
        wanted = b.holding != "must turn back"
        yield noted(
            "holds",
            "note" if b.holding == "either will do" else "good" if wanted else "wrong",
            title="Self-locking",
            seen=f"No torque at the output turns the {_source(b)}.",
            why=(
                "Mesh friction exceeds what the load can drive through"
                + ("." if wanted else ", but this build must be back-drivable.")
            ),
            remedies=(
                ()
                if wanted
                else ("Use fewer meshes, less friction, a larger lead angle or a lower ratio.",)
            ),
            place="build.holding",
        )
        return
    a, lost = line
    # output torque at which the motor shaft just turns, with nothing on it
    needs = lost / a if a > 0 else 0.0
    friction = b.motor_line().friction
    breaks_away = (lost + float(friction)) / a if a > 0 else math.inf
    yield noted(
        "turns-back",
        "wrong" if b.holding == "must hold by itself" else "note",
        title=(
            "Back-drivable"
            if b.holding != "must hold by itself"
            else "Back-drivable, although it must be self-locking"
        ),
        seen=(
            f"The output turns the train from {{needs}} and the {_source(b)} from {{driven}}; "
            f"{{share}} of any torque beyond reaches the {_source(b)}."
        ),
        why=(
            "A high ratio multiplies drag torque, so small loads may still be held, and "
            "more with static friction."
        ),
        remedies=(
            ("Add a worm, a brake or a ratchet.",) if b.holding == "must hold by itself" else ()
        ),
        place="build.holding",
        needs=(needs, "torque"),
        driven=(breaks_away, "torque"),
        share=(case.back or 0.0, "ratio"),
    )


@build_rule
def power_circulates(case: Case) -> Iterable[Finding]:
    """Meshes through which far more power passes than the drive is given, as in split rings and
    strain waves.
    """
    flow = case.build.flow(0.5 * case.stall or 1.0)
    if not flow.meshes or flow.power_in <= 0:
        return
    most = max(flow.meshes, key=lambda m: m.power)
    times = most.power / flow.power_in
    if times > 1.8:
        where = f"{most.mesh.name} {most.mesh.contact}".strip()
        yield noted(
            "power-circulates",
            "note",
            title="Power circulates in the train",
            seen=f"{where} carries {times:.1f} times the motor's power.",
            why=f"Each percent lost in this mesh costs the drive about {times:.0f} %.",
            causes=("nearly equal tooth numbers that act against each other",),
            remedies=(
                ("Reduce the friction of this mesh first: grease, smoother flanks, more teeth."),
                "Move part of the ratio to a stage before it.",
            ),
            place=f"build.stages.{int(most.mesh.name.split()[1]) - 1}.",
        )


@build_rule
def over_speed(case: Case) -> Iterable[Finding]:
    """Shafts faster than the build allows, at no load."""
    limit = case.build.fastest
    if limit is None:
        return
    free = float(case.build.motor_line().speed(case.build.torque_line()[1], case.voltage))
    speeds = kinematics.solve_speeds(case.build.elements(), {MOTOR: free})
    for f, m in zip(case.build.further_motors, range(2, 9), strict=False):
        speeds[f"motor {m}"] = free * f.gearing
    over = {s: abs(w) for s, w in speeds.items() if abs(w) > limit}
    if over:
        worst = max(over, key=lambda s: over[s])
        yield noted(
            "over-speed",
            "wrong",
            title=f"{worst.capitalize()} turns too fast",
            seen=(
                f"At no load the {worst} reaches {{speed}}"
                + (f", and {len(over) - 1} more shafts are too fast" if len(over) > 1 else "")
                + "; the maximum is set to {limit}."
            ),
            why="Bearings run hot, plastic teeth soften, and rims and magnets can come loose.",
            remedies=("Lower the voltage.", "Change the ratio of the stages before it."),
            place="build.fastest",
            speed=(over[worst], "speed"),
            limit=(limit, "speed"),
        )


@build_rule
@of_motor
def motor_range(case: Case) -> Iterable[Finding]:
    """The expected load against what the motor does well."""
    load = case.build.expected_load
    if load is None or case.stall <= 0:
        return
    line = case.build.motor_line()
    a, b = case.build.torque_line()
    share = (a * load + b) / float(line.stall_torque(case.voltage))
    facts = {
        "load": Fact(load, "torque"),
        "share": Fact(share, "ratio"),
        "stall": Fact(case.stall, "torque"),
    }
    free, stalled = float(line.friction / line.k), float(case.voltage / line.R)
    best, best_at = (
        motors.best_efficiency(free, stalled),
        (math.sqrt(free * stalled) - free) / (stalled - free) if stalled > free else 0.0,
    )
    if share >= 1:
        yield Finding(
            id="load-stalls-motor",
            severity="wrong",
            title="The expected load stalls the drive",
            seen="{load} needs {share} of the motor's stall torque; the drive stalls at {stall}.",
            why="The drive does not turn and the winding carries the full stall current.",
            remedies=("Use a higher ratio, a larger motor or a higher voltage.",),
            place="build.expected_load",
            facts=facts,
        )
    elif share > 0.5:
        yield Finding(
            id="motor-overloaded",
            severity="caution",
            title="The expected load is above the motor's best range",
            seen="At {load} the motor delivers {share} of its stall torque.",
            why=(
                "Above half of it power falls and heat rises; best efficiency is "
                f"{best:.0%} at {best_at:.0%}."
            ),
            remedies=("Use a higher ratio.",),
            place="build.expected_load",
            facts=facts,
        )
    elif share < 0.05:
        yield Finding(
            id="motor-idle",
            severity="note",
            title="The motor is lightly loaded",
            seen="At {load} the motor delivers {share} of its stall torque.",
            why="Friction and iron losses then take most of the power.",
            place="build.expected_load",
            facts=facts,
        )


@build_rule
def ratio_convention(case: Case) -> Iterable[Finding]:
    """A step-up may be a ratio entered the other way round."""
    ratio = case.build.ratio()
    if abs(ratio) < 0.999:
        yield noted(
            "step-up",
            "note",
            title=f"The output turns faster than the {_source(case.build)}",
            seen=f"This train is a {kinematics.ratio_in_words(ratio)}.",
            why=f"Here the {_source(case.build)} drives the gear named first in each stage.",
            causes=("a stage entered with driving and driven gear interchanged",),
            remedies=("If a reduction was meant, interchange pinion and wheel.",),
            place="build.stages.0.",
        )


@build_rule
@of_motor
def motors_share(case: Case) -> Iterable[Finding]:
    """Unequal motors on one train."""
    lines = case.build.motor_lines()
    if len(lines) < 2:
        return
    load = case.build.expected_load or 0.3 * case.stall
    a, b = case.build.torque_line()
    speed = float(case.build.motor_line().speed(a * load + b, case.voltage))
    torques = [float(t) for t in motors.shares(lines, max(speed, 0.0), case.voltage)]
    mean = sum(torques) / len(torques)
    shares = (
        ", ".join(f"motor {n}: {t / sum(torques):.0%}" for n, t in enumerate(torques, start=1))
        if sum(torques)
        else ""
    )
    uneven = max(torques) > 1.2 * mean
    dragged = min(torques) < 0
    yield noted(
        "motors-share",
        "wrong" if dragged else "caution" if uneven else "note",
        title=(
            "One motor drives another"
            if dragged
            else "The motors share the load unequally"
            if uneven
            else "The motors share the load"
        ),
        seen=f"At {{load}}: {shares}.",
        why="On one shaft the motor with the higher no-load speed carries more of the load.",
        remedies=("Pair motors of equal no-load speed.",) if uneven or dragged else (),
        place="build.motor",
        load=(load, "torque"),
    )


@build_rule
def one_way(case: Case) -> Iterable[Finding]:
    """A one-way clutch that runs free in the direction the motor turns."""
    shafts = case.build.shafts()
    speeds = kinematics.solve_speeds(case.build.elements(), {MOTOR: 1.0})
    for n, stage in enumerate(case.build.stages):
        if isinstance(stage, ClutchStage) and stage.type == "one-way":
            forwards = speeds[shafts[n]] > 0
            if forwards != (stage.drives == "forwards"):
                yield noted(
                    "one-way-runs-free",
                    "wrong",
                    title=f"Stage {n + 1}: the one-way clutch overruns",
                    seen=(
                        f"Its input turns {'forwards' if forwards else 'backwards'} with the motor"
                        f" turning forwards; it drives {stage.drives} only."
                    ),
                    why="The output does not turn.",
                    remedies=("Reverse the clutch.", "Reverse the motor."),
                    place=f"build.stages.{n}.drives",
                )
