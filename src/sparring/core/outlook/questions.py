"""From a question to a plan, with the reasons for its figures. A question is one function,
registered by `@question`; the tester can change every step of what it gives.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from sparring.core import predict
from sparring.core.build import Build
from sparring.core.outlook.drive import Drive, Load
from sparring.core.plan.line import nothing
from sparring.core.plan.record import Kind, Plan, PlanStep
from sparring.core.plan.repeats import power, repeats_for
from sparring.core.plan.weights import hang
from sparring.core.quantity import Measured
from sparring.core.rig import Rig

_SPREAD = 0.009
"""Relative standard deviation of repeats where no test has told it (common practice)."""


@dataclass(frozen=True)
class Ask:
    """What a question is asked about. voltages: to test at [V], empty: the motor's own; of a drive
    without one speeds of its input [rad/s], empty: as what turns it usually does; spread: of
    the repeats, relative, None: not measured yet; difference: that matters, relative; power: chance
    to find it; load: a working load at the output [N·m].
    """

    build: Build
    rig: Rig
    voltages: tuple[float, ...] = ()
    spread: float | None = None
    difference: float = 0.015
    power: float = 0.9
    load: float | None = None
    seed: int = 1

    @property
    def nominal(self) -> float:
        """The motor's own voltage [V], or the input's usual speed [rad/s]."""
        b = self.build
        return b.motor.voltage.value if b.has_motor else b.usual_input

    def drive(self, v: float) -> dict[str, float]:
        """A step's field that says it."""
        b = self.build
        if b.has_motor:
            return {"voltage": v}
        turns = v / abs(b.ratio()) * 30 / math.pi
        return {"speed": float(f"{turns:.3g}") * math.pi / 30}

    def at(self, v: float) -> str:
        """`At 12 V`."""
        return f"At {v:g} V" if self.build.has_motor else f"Turned at {v * 30 / math.pi:.0f} rpm"

    @property
    def settings(self) -> str:
        return "voltages" if self.build.has_motor else "speeds"

    def volts(self, *parts: float) -> list[float]:
        """Those asked for, else these parts of the motor's own."""
        own = [float(f"{p * self.nominal:.3g}") for p in (parts or (1.0,))]
        return sorted(self.voltages) or own

    def stall(self, voltage: float) -> tuple[float, float]:
        """Predicted stall torque and its standard uncertainty [N·m]; of a drive without a motor
        the torque at which its weakest part gives way, and nothing beyond is asked of it.
        """
        if not self.build.has_motor:
            return predict.stall_torque(self.build, voltage), 0.0
        drive = Drive.of(self.build)
        held = Load.of(np.inf, voltage)
        here, slopes = drive.state(held), drive.jacobian(held)
        return float(here.torque[0]), float(np.linalg.norm(slopes.torque[0]))


class Question(NamedTuple):
    """id: for good; words: as asked; plan: the answer's plan."""

    id: str
    words: str
    plan: Callable[[Ask], Plan]


QUESTIONS: dict[str, Question] = {}
_OF_MOTORS = ("find the stall", "does the data sheet hold")


def question(id: str, words: str) -> Callable[[Callable[[Ask], Plan]], Callable[[Ask], Plan]]:
    """Registers a question."""

    def register(make: Callable[[Ask], Plan]) -> Callable[[Ask], Plan]:
        QUESTIONS[id] = Question(id, words, make)
        return make

    return register


def ask(id: str, about: Ask) -> Plan:
    """The plan for a question by its id. Raises ValueError: there is none, or this bench cannot
    answer it.
    """
    if id not in QUESTIONS:
        raise ValueError(f"“{id}” is not one of the questions: {', '.join(QUESTIONS)}")
    if not about.build.has_motor and id in _OF_MOTORS:
        raise ValueError(
            "this drive has no motor of its own: it neither stalls nor has a data sheet"
        )
    return QUESTIONS[id].plan(about)


# --- loads ----------------------------------------------------------------------------------------


def _mass_for(rig: Rig, torque: float) -> float:
    """Mass [kg] that asks for about this torque; what the bench asks for grows evenly with it."""
    empty, full = (rig.method.expected(m, rig.gravity.value) for m in (0.0, 1.0))
    return (torque - empty) / (full - empty)


def _round(mass: float) -> float:
    """To two figures: what a person would hang."""
    if mass <= 0:
        return 0.0
    size = 10 ** math.floor(math.log10(mass))
    return float(f"{round(mass / size * 20) / 20 * size:.6g}")


def _loads(a: Ask, torques: Iterable[float]) -> list[dict[str, Any]]:
    """What to set for each torque, as fields of steps; with the shelf's own where there is one."""
    method = a.rig.method
    if not method.STEP:
        return [{}]
    if method.SET_BY[1] != "mass":
        return [{"resistor": float(r)} for r in getattr(method, method.STEPS[0])]
    found: dict[float, Measured] = {}
    for torque in torques:
        mass = _round(_mass_for(a.rig, torque))
        if mass <= 0:
            continue
        made = Measured(mass, 5e-4)
        if a.rig.shelf and (hung := hang(a.rig.shelf, mass, tolerance=0.1)).on:
            made = hung.total
        found[made.value] = made
    if not found:
        raise ValueError(
            "even the lightest load of this rig exceeds what the drive can turn; use a smaller "
            "drum or arm, or a higher voltage"
        )
    return [{"load": found[m]} for m in sorted(found)]


def _plan(
    a: Ask, id: str, steps: Sequence[dict[str, Any]], reasons: Sequence[str], **fields: Any
) -> Plan:
    numbered = tuple(PlanStep(id=n, **s) for n, s in enumerate(steps))
    return Plan(steps=numbered, question=id, reasons=tuple(reasons), **fields)


def _grid(
    a: Ask,
    voltages: Sequence[float],
    loads: Sequence[dict[str, Any]],
    repeats: int,
    kind: Kind = "measure",
    **more: Any,
) -> list[dict[str, Any]]:
    return [
        {"kind": kind, **a.drive(v), "repeats": repeats, **load, **more}
        for v in voltages
        for load in loads
    ]


def _spread_of(a: Ask) -> tuple[float, str]:
    if a.spread is not None:
        return a.spread, f"Repeats of this drive spread by {100 * a.spread:.2g} %."
    return _SPREAD, (
        f"No spread is known yet; {100 * _SPREAD:.2g} % is assumed, and the first repeats tell it."
    )


# --- the questions --------------------------------------------------------------------------------


@question("efficiency curve", "How efficient is it at each load?")
def efficiency_curve(a: Ask) -> Plan:
    steps: list[dict[str, Any]] = []
    reasons = []
    for v in a.volts():
        stall, u = a.stall(v)
        steps += _grid(a, [v], _loads(a, np.linspace(0.12, 0.85, 6) * stall), 3)
        most = (
            f"it should stall at {stall:.3g} ± {2 * u:.2g} N·m"
            if a.build.has_motor
            else f"its parts carry {stall:.3g} N·m"
        )
        reasons.append(
            f"{a.at(v)} {most}: six loads from an eighth of it to six sevenths."
            if "load" in steps[-1]
            else f"{a.at(v)} {most}: each load that the rig has."
        )
    reasons.append(
        "Three runs of each load, so that a spread can be told; shuffled, so that warming does not "
        "look like an effect of the load."
    )
    return _plan(a, "efficiency curve", steps, reasons, order="shuffled", seed=a.seed)


@question("find the stall", "At what torque does it stall?")
def find_the_stall(a: Ask) -> Plan:
    steps: list[dict[str, Any]] = []
    reasons = []
    for v in a.volts():
        stall, u = a.stall(v)
        if a.rig.method.HELD:
            steps += _grid(a, [v], [{}], 5, "to stall")
            reasons.append(f"At {v:g} V {stall:.3g} N·m is expected; five pushes tell the spread.")
            continue
        half = min(max(3 * u, 0.12 * stall), 0.9 * stall)
        loads = _loads(a, np.linspace(stall - half, stall + half, 15))
        steps += _grid(a, [v], loads, 1, "to stall")
        reasons.append(
            f"At {v:g} V it should stall at {stall:.3g} ± {2 * u:.2g} N·m: {len(loads)} loads "
            f"around it, of which halving tries about {math.log2(len(loads) + 1):.0f}."
        )
    reasons.append("Each trial halves the interval in which the stall still lies.")
    order = "as listed" if a.rig.method.HELD else "bisection"
    return _plan(a, "find the stall", steps, reasons, order=order)


@question("is it better", "Is this build better than another?")
def is_it_better(a: Ask) -> Plan:
    v = max(a.volts())
    stall, _ = a.stall(v)
    spread, said = _spread_of(a)
    n = min(repeats_for(spread, a.difference, a.power), 100)
    reached = power(n, spread, a.difference)
    return _plan(
        a,
        "is it better",
        _grid(a, [v], _loads(a, np.array([0.25, 0.45, 0.65]) * stall), n),
        [
            said,
            f"To find a difference of {100 * a.difference:.2g} % with a power of "
            f"{100 * a.power:.0f} % each build needs {n} runs a load ({100 * reached:.0f} %).",
            "Run the same plan on both builds, in turns: one round of each after the other.",
        ],
        order="shuffled",
        seed=a.seed,
    )


@question("what breaks", "At what load does it break, and what?")
def what_breaks(a: Ask) -> Plan:
    if not a.build.limits:
        raise ValueError(
            "no part of this build has a known strength; enter its materials and sizes"
        )
    weakest, v = a.build.limits[0], max(a.volts())
    stall, _ = a.stall(v)
    if 0.6 * weakest.output > stall:
        raise ValueError(
            f"it stalls at {stall:.3g} N·m, long before the {weakest.name} should fail at "
            f"{weakest.output:.3g} N·m; load it at standstill, with a lever"
        )
    top = min(1.5 * weakest.output, 1.05 * stall)
    loads = _loads(a, np.linspace(0.5 * weakest.output, top, 11))
    return _plan(
        a,
        "what breaks",
        _grid(a, [v], loads, 1, "to failure", part=weakest.name),
        [
            f"The {weakest.name} should fail first, at {weakest.output:.3g} N·m ({weakest.mode}): "
            "loads rise from half of it.",
            "Strengths scatter by 15 %: three specimens tell a mean to about 10 %.",
            "Have three sets of the part ready, of each hand where it is handed.",
        ],
    )


@question("how does it wear", "How fast does it wear?")
def how_does_it_wear(a: Ask) -> Plan:
    if math.isfinite(a.rig.method.course[0]):
        raise ValueError(
            f"a {a.rig.method.word} cannot hold a load for half an hour: its travel of"
            f" {a.rig.method.course[0]:.3g} m is over within seconds. Take a brake or a generator"
            " on Rig, or a life test, which drives again and again"
        )
    v = max(a.volts())
    stall, _ = a.stall(v)
    torque = a.load if a.load is not None else 0.4 * stall
    load = _loads(a, [torque])[0]
    check = {"kind": "measure", **a.drive(v), "repeats": 3, **load}
    steps: list[dict[str, Any]] = [
        {"kind": "run in", **a.drive(round(0.5 * v, 3)), "time": 300.0},
        check,
        {"kind": "inspect", "part": "teeth, backlash"},
    ]
    for _ in range(4):
        steps += [
            {"kind": "hold", **a.drive(v), "time": 1800.0, **load},
            check,
            {"kind": "inspect", "part": "teeth, backlash"},
        ]
    return _plan(
        a,
        "how does it wear",
        steps,
        [
            f"It works at {torque:.3g} N·m; run in at half the voltage, so that rough tops do not "
            "count as wear.",
            "Four spells of half an hour with the same check and inspection between: wear is the "
            "change, and four changes tell whether it slows down.",
        ],
    )


@question("does the data sheet hold", "Does the data sheet hold at these voltages?")
def does_the_data_sheet_hold(a: Ask) -> Plan:
    steps: list[dict[str, Any]] = []
    reasons = []
    volts = a.volts(0.5, 0.75, 1.0)
    load = a.load if a.load is not None else 0.35 * a.stall(max(volts))[0]
    working = _loads(a, [load])
    for v in volts:
        stall, u = a.stall(v)
        if a.rig.method.STEP:
            steps += _grid(a, [v], [dict(nothing(a.rig.method))], 3)
            loads = working if load < 0.85 * stall else []
            further = _loads(a, [0.65 * stall])
            steps += _grid(a, [v], sorted(loads + further, key=lambda x: _torque(a, x)), 3)
        beyond = _loads(a, [1.3 * stall + 3 * u])[-1:]
        steps += _grid(a, [v], beyond, 2, "to stall")
    reasons.append(
        "At each voltage: turning free (speed, current), at the working load "
        f"({load:.3g} N·m) where it can carry it, at two thirds of the stall, and stalled."
    )
    reasons.append("Three points on a line tell the stall torque, the stalled run its current.")
    reasons.append("Three voltages tell a wrong figure from a wrong voltage.")
    return _plan(a, "does the data sheet hold", steps, reasons)


@question("what does each stage lose", "What does each stage lose?")
def what_does_each_stage_lose(a: Ask) -> Plan:
    volts = a.volts(0.5, 0.75, 1.0)
    stall, _ = a.stall(min(volts))
    n = len(a.build.stages)
    return _plan(
        a,
        "what does each stage lose",
        _grid(a, volts, _loads(a, np.linspace(0.15, 0.75, 4) * stall), 3),
        [
            f"Run it on the whole train, then with one of its {n} stages taken out, at the same "
            "torque where that stage sat: the difference is what the stage loses.",
            f"Three {a.settings} at the same loads tell drag that grows with speed from drag that "
            "does not; one cannot.",
        ],
        order="shuffled",
        seed=a.seed,
    )


@question("which speed for which load", "Which speed and efficiency at which load and voltage?")
def which_speed_for_which_load(a: Ask) -> Plan:
    volts = a.volts(0.5, 0.75, 1.0)
    stall, _ = a.stall(max(volts))
    steps = []
    for v in volts:
        own, u = a.stall(v)
        loads = _loads(a, np.linspace(0.1, 0.85, 5) * stall)
        kept = [x for x in loads if _torque(a, x) < 0.9 * own - 2 * u] or loads[:1]
        steps += _grid(a, [v], kept, 2)
    return _plan(
        a,
        "which speed for which load",
        steps,
        [
            f"{len(volts)} {a.settings} and the same loads at each, where they should not stall: a "
            "map needs points all round.",
            "Two runs of each: the neighbours tell the rest.",
        ],
        order="shuffled",
        seed=a.seed,
    )


def _torque(a: Ask, load: dict[str, Any]) -> float:
    mass = load.get("load")
    return a.rig.method.expected(mass.value, a.rig.gravity.value) if mass is not None else 0.0
