"""The plan on the desk: its steps as the rig sets them, how they are told, what is done of them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sparring.core import quantity
from sparring.core.plan import Lift, Outcome, Plan, lifts_of
from sparring.core.quantity import Measured
from sparring.core.records import annotation
from sparring.ui.model.on_desk import OnDesk

if TYPE_CHECKING:
    from sparring.core.run import Run


class Planned(OnDesk):
    """What a desk says of its plan."""

    @property
    def todo(self) -> Plan:
        """The plan with the steps that the rig's method has."""
        return self.plan.of(len(self.steps()))

    def todo_count(self) -> int:
        """Runs that the plan asks for; by bisection about as many as halvings."""
        plan = self.todo
        return (
            len(plan.loads).bit_length()
            if plan.order == "bisection"
            else len(plan.loads) * plan.repeats
        )

    def steps(self) -> list[float]:
        """What each step of the plan sets: a mass [kg], a resistor [Ω], nothing."""
        return self.rig.method.settings([m.value for m in self.plan.loads])

    def step_name(self, step: int, load: Measured | None = None) -> str:
        """`1.50 kg`, `22.0 Ω`, `part 3`: how a step is told. load: as a run had it, where the plan
        may have changed since.
        """
        method, steps = self.rig.method, self.steps()
        if method.weighed() and (load is not None or step < len(steps)):
            value = load.value if load is not None else steps[step]
            shown = quantity.from_si(value, self.units["mass"], "mass")
            even = abs(shown - round(shown, 2)) < 5e-4
            return self.show(value, "mass", decimals=2 if even else 3)
        if method.STEP and step < len(steps):
            return quantity.show(
                steps[step],
                method.SET_BY[1],
                quantity.kind_of(method.SET_BY[1]).default,
                decimals=1,
            )
        return "run" if method.HELD else f"part {step + 1}"

    def run_name(self, run: Run) -> str:
        """How a run's step is told: by its load, or as a part of a sweep."""
        return (
            f"part {run.step + 1}" if self.rig.method.swept else self.step_name(run.step, run.load)
        )

    def dimension(self) -> str:
        """The rig's first dimension in a few words: `drum ⌀ 50.0 mm`."""
        method = self.rig.method
        label, name = method.main()
        info = annotation(self.rig.method, (name,))[1]
        value = getattr(self.rig.method, name)
        assert info is not None
        unit = (
            info.file_unit
            if info.kind not in ("length", "mass") or self.units[info.kind] in ("mm", "kg")
            else self.units[info.kind]
        )
        shown = quantity.show(
            getattr(value, "value", value),
            info.kind,
            unit,
            decimals=None if info.kind == "inertia" else 1 if unit == "mm" else 3,
        )
        return f"{label.split(',')[0].lower().replace('diameter', '⌀')} {shown}"

    def outcomes(self) -> list[Outcome]:
        """Runs of the test in hand that count, in the order they were made."""
        if self._counted[0] is not self.runs:  # it is looked at many times between two lifts
            outcomes = [
                Outcome(r.run.step, r.run.ended == "stalled") for r in self.runs if not r.struck
            ]
            self._counted = self.runs, outcomes, lifts_of(outcomes)
        return self._counted[1]

    def done_lifts(self) -> list[Lift]:
        """They as lifts, numbered per weight."""
        self.outcomes()
        return self._counted[2]
