"""The plan's record: a list of steps, each a load, a voltage or a speed, and a kind."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from itertools import count
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, model_validator

from sparring.core.methods import MethodBase
from sparring.core.quantity import Measured
from sparring.core.records import Q, Record, RecordError, problems

Kind = Literal[
    "measure",
    "sweep",
    "hold",
    "to stall",
    "to failure",
    "run in",
    "cool down",
    "inspect",
    "first power",
]
COUNTED: tuple[Kind, ...] = ("measure", "sweep", "hold", "to stall", "to failure")
"""Kinds whose runs are measured in; the others prepare."""
STILL: tuple[Kind, ...] = ("cool down", "inspect")
"""Kinds in which nothing is driven."""
LOADS = tuple(Measured(m, 0.0005) for m in (0.4, 0.9, 1.4, 1.9, 2.4))
_MOST = 1000  # steps
FIRST_POWER = 1 / 3
"""Part of the voltage that a new drive is first turned at (common practice: low enough to see which
way it turns before anything can happen)."""


class PlanStep(Record):
    """One line of a plan.

    id: by which runs know it, whatever its place; load: mass hung or on the clamp, None: none;
    resistor: of a generator's load; voltage at the motor, or speed of the output, for which the
    voltage is worked out; repeats: how often; time: how long it is held, run in or left to cool;
    part: that should fail first, or that is inspected; excluded: it is not done.
    """

    id: Annotated[int, Field(ge=0)] = 0
    kind: Kind = "measure"
    load: Annotated[Measured, Q("mass", least=0.0)] | None = None
    resistor: Annotated[float, Q("resistance", above=0.0)] | None = None
    voltage: Annotated[float, Q("voltage", above=0.0, most=1000.0)] | None = None
    speed: Annotated[float, Q("speed", "rpm", above=0.0)] | None = None
    repeats: Annotated[int, Field(ge=1, le=100)] = 1
    time: Annotated[float, Q("time", above=0.0)] | None = None
    part: Annotated[str, Field(max_length=80)] = ""
    excluded: bool = False

    @model_validator(mode="after")
    def _whole(self) -> PlanStep:
        if self.voltage is not None and self.speed is not None:
            raise ValueError("both voltage and speed are given; a step is set by one of them")
        if self.kind not in STILL and self.voltage is None and self.speed is None:
            raise ValueError("neither voltage nor speed is given; add one of them")
        if self.kind in ("hold", "run in", "cool down") and self.time is None:
            raise ValueError(f"a step of kind “{self.kind}” needs its time")
        if self.load is not None and self.resistor is not None:
            raise ValueError("both load and resistor are given; a step has one of them")
        return self

    @property
    def counted(self) -> bool:
        """Whether its runs are measured in."""
        return self.kind in COUNTED

    @property
    def mass(self) -> float | None:
        """Of the load [kg]."""
        return None if self.load is None else self.load.value

    def setting(self, method: MethodBase) -> float:
        """What the bench is set to: a mass [kg], a resistor [Ω]; nothing where it says nothing."""
        return method.setting(self.mass, self.resistor)

    def does(self) -> tuple[Any, ...]:
        """What makes it the step it is: runs of another are not its repeats."""
        return (self.kind, self.load, self.resistor, self.voltage, self.speed, self.part)


class Factor(Record):
    """What a test is one level of: `specimen`, `operator`, or whatever else the tester varies."""

    name: Annotated[str, Field(min_length=1, max_length=40)]
    level: Annotated[str, Field(min_length=1, max_length=60)]


class Plan(Record):
    """The steps, in the order they are listed; order: as listed, shuffled within rounds by `seed`,
    or by bisection, which makes only those that close in on the stall.

    settle: time before what is measured in, measure: for how long; advance: when steady, a run that
    only its time ends is over as soon as it has been so for long enough, and a run for which nobody
    has to do anything begins by itself; question: what it is to answer;
    reasons: why its figures are what they are; factors: what the test is one level of, beyond what
    build and rig say; above_rated: whether somebody said that a step may give the motor more than
    its own voltage.
    """

    version: Literal["sparring.plan/2"] = "sparring.plan/2"
    steps: Annotated[tuple[PlanStep, ...], Field(min_length=1, max_length=_MOST)]
    settle: Annotated[float, Q("time", least=0.0)] = 0.5
    measure: Annotated[float, Q("time", above=0.0)] = 1.0
    order: Literal["as listed", "shuffled", "bisection"] = "as listed"
    seed: Annotated[int, Field(ge=0, le=999_999)] = 0
    advance: Literal["by hand", "when steady"] = "by hand"
    question: Annotated[str, Field(max_length=40)] = ""
    reasons: tuple[Annotated[str, Field(max_length=400)], ...] = ()
    factors: Annotated[tuple[Factor, ...], Field(max_length=20)] = ()
    above_rated: Literal["refused", "allowed"] = "refused"

    @model_validator(mode="before")
    @classmethod
    def _numbered(cls, data: Any) -> Any:
        """Steps of a file have their place as id where they name none."""
        steps = data.get("steps") if isinstance(data, dict) else None
        if not isinstance(steps, list) or not all(isinstance(s, dict) for s in steps):
            return data
        taken = {s["id"] for s in steps if isinstance(s.get("id"), int)}
        free = (n for n in range(2 * len(steps) + 1) if n not in taken)
        return {**data, "steps": [s if "id" in s else {"id": next(free), **s} for s in steps]}

    @model_validator(mode="after")
    def _told_apart(self) -> Plan:
        counts = Counter(s.id for s in self.steps)
        if (twice := next((i for i, n in counts.items() if n > 1), None)) is not None:
            raise ValueError(f"two steps have the id {twice}; give each its own, or none")
        named = Counter(f.name for f in self.factors)
        if (again := next((f for f, n in named.items() if n > 1), None)) is not None:
            raise ValueError(f"the factor {again} stands there twice; give it one level")
        if all(s.excluded for s in self.steps):
            raise ValueError("all steps are excluded; keep at least one")
        return self

    @classmethod
    def from_json(cls, text: str | bytes, where: str = "") -> Plan:
        """The plan that `text` says, in this version or the first. Raises RecordError, a line a
        problem.
        """
        try:
            told = json.loads(text)
        except (ValueError, RecursionError):
            told = None  # said with its place below
        if isinstance(told, dict) and "steps" not in told and _of_first(told):
            return _First.from_json(text, where).opened()
        return super().from_json(text, where)

    @property
    def todo(self) -> tuple[PlanStep, ...]:
        """The steps that are not excluded."""
        return tuple(s for s in self.steps if not s.excluded)

    def step(self, id: int) -> PlanStep | None:
        """The step of that id; None: it is in the plan no more."""
        return next((s for s in self.steps if s.id == id), None)

    @property
    def loads(self) -> tuple[Measured, ...]:
        """The different masses of the steps that are measured in, as listed."""
        found = {s.load.value: s.load for s in self.todo if s.counted and s.load is not None}
        return tuple(found.values())

    @property
    def voltages(self) -> tuple[float, ...]:
        """The different voltages of the steps that are measured in, lowest first [V]."""
        return tuple(sorted({s.voltage for s in self.todo if s.counted and s.voltage is not None}))

    def voltage(self, rated: float) -> float:
        """The highest voltage, at which a drive gives and takes the most [V]; the motor's own
        (`rated`) in a plan of speeds alone.
        """
        return max(self.voltages, default=rated)

    @property
    def repeats(self) -> int:
        """The most runs that one of its steps asks for."""
        return max((s.repeats for s in self.todo if s.counted), default=1)

    def on(self, method: MethodBase) -> Plan:
        """The plan as this method carries it out: one that takes no weights has a step for each
        voltage, a generator one for each of its resistors.
        """
        steps = tuple(_fitted(self.steps, method))
        return self if steps == self.steps else self.model_copy(update={"steps": steps})

    def revised(self, steps: Iterable[PlanStep], used: Iterable[int] = ()) -> Plan:
        """With other steps; those that do what one did before keep its id, all others get one that
        neither the plan nor a run (`used`) has had. Raises RecordError.
        """
        known: dict[tuple[Any, ...], list[int]] = {}
        for s in self.steps:
            known.setdefault(s.does(), []).append(s.id)
        free = 1 + max([s.id for s in self.steps] + list(used))
        kept: list[PlanStep] = []
        for s in steps:
            if same := known.get(s.does()):
                id = s.id if s.id in same else same[0]
                same.remove(id)
            else:
                id, free = free, free + 1
            kept.append(s if s.id == id else s.model_copy(update={"id": id}))
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        try:
            return Plan.model_validate(fields | {"steps": tuple(kept)})
        except ValidationError as err:
            raise RecordError(problems(err, "")) from err


def ladder(
    loads: Sequence[Measured | None],
    voltages: Sequence[float],
    repeats: int = 5,
    *,
    kind: Kind = "measure",
    **plan: Any,
) -> Plan:
    """A plan of every load at every voltage [V], lightest voltage first; plan: its other fields."""
    steps = [(v, m) for v in voltages for m in loads]
    return Plan(
        steps=tuple(
            PlanStep(id=n, kind=kind, load=m, voltage=v, repeats=repeats)
            for n, (v, m) in enumerate(steps)
        ),
        **plan,
    )


def _fitted(steps: Sequence[PlanStep], method: MethodBase) -> Iterator[PlanStep]:
    resistors = method.STEPS[0] and [float(r) for r in getattr(method, method.STEPS[0])]
    if method.STEP and not resistors:
        # what was planned for another bench is asked for without a weight
        yield from (s.model_copy(update={"resistor": None}) if s.resistor else s for s in steps)
        return
    seen: dict[tuple[Any, ...], PlanStep] = {}
    for s in steps:
        if s.kind in STILL or s.kind == "first power" or (s.resistor is not None and resistors):
            seen.setdefault((s.id,), s)
        else:  # one step a voltage: the loads are the method's
            bare = s.model_copy(update={"load": None, "resistor": None})
            seen.setdefault(bare.does(), bare)
    taken = {s.id for s in seen.values()}
    for key, s in seen.items():
        if not resistors or len(key) == 1:
            yield s
            continue
        for n, r in enumerate(resistors):
            # the first has the id of the step it stands for, as runs of one voltage expect
            id = next(i for i in count(s.id) if n == 0 or i not in taken)
            taken.add(id)
            yield s.model_copy(update={"id": id, "resistor": r})


class _First(Record):
    """A plan of the first version: weights at one voltage, all lifted equally often."""

    version: Literal["sparring.plan/1"] = "sparring.plan/1"
    loads: Annotated[
        tuple[Annotated[Measured, Q("mass", above=0.0)], ...], Field(min_length=1, max_length=50)
    ] = LOADS
    repeats: Annotated[int, Field(ge=1, le=100)] = 5
    voltage: Annotated[float, Q("voltage", above=0.0)]
    settle: Annotated[float, Q("time", least=0.0)] = 0.5
    measure: Annotated[float, Q("time", above=0.0)] = 1.0
    order: Literal["ladder", "shuffled", "bisection"] = "ladder"

    def opened(self) -> Plan:
        """As a plan of this version; what its runs call a step is its weight's place."""
        order = "as listed" if self.order == "ladder" else self.order
        return ladder(
            self.loads,
            (self.voltage,),
            self.repeats,
            settle=self.settle,
            measure=self.measure,
            order=order,
        )


def _of_first(told: dict[str, Any]) -> bool:
    """Whether a plan without steps is one of the first version: says so, or has its fields."""
    own = {"loads", "repeats", "voltage"}
    return told.get("version") == "sparring.plan/1" or bool(own & told.keys())
