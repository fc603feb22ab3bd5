"""The plan on the desk: its steps as the rig sets them, how they are told, what is done of them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sparring.core import quantity
from sparring.core.outlook.drive import Drive
from sparring.core.outlook.foresee import FIRST, Outlook, first_power, foresee
from sparring.core.outlook.learn import learnt
from sparring.core.plan import Lift, Outcome, Plan, PlanStep, above_rated, lifts_of, remaining
from sparring.core.records import annotation, in_words
from sparring.ui.model.on_desk import OnDesk

if TYPE_CHECKING:
    from sparring.core.run import Run
    from sparring.logbook.stored import StoredRun


class Planned(OnDesk):
    """What a desk says of its plan."""

    @property
    def todo(self) -> Plan:
        """The plan as the rig's method carries it out; of a build that nobody has seen turn, first
        power comes first.
        """
        made = (self.plan, self.rig.method, self.unseen)
        if self._fitted is None or any(
            a is not b for a, b in zip(made, self._fitted, strict=False)
        ):
            plan = self.plan.on(self.rig.method)
            if self.unseen and all(s.kind != "first power" for s in plan.todo):
                first = first_power(self.build, FIRST)
                plan = plan.model_copy(update={"steps": (first, *plan.steps)})
            self._fitted = *made, plan
        return self._fitted[3]

    @property
    def unseen(self) -> bool:
        """Whether nobody has said that the build turns as it should, and no run tells it."""
        if self.build.first_power is not None or self.book is None or not self.build.has_motor:
            return False
        known = (self.build_id, self.book, self.runs)
        if self._turned is None or any(
            a is not b for a, b in zip(known, self._turned[0], strict=True)
        ):
            first = sum(r.run.kind == "first power" for r in self.runs)
            made = self.book.runs_with("build", self.build_id) if self.build_id else 0
            self._turned = known, made > first
        return not self._turned[1]

    def turned_once(self) -> bool:
        """Whether first power was run in the test in hand."""
        return any(r.run.kind == "first power" and not r.struck for r in self.runs)

    def plan_in_short(self) -> str:
        """`5 weights × 3 voltages × 2`, for the title block."""
        method, plan = self.rig.method, self.todo
        steps = [s for s in plan.todo if s.counted]
        loads = len({(s.load, s.resistor) for s in steps})
        drives = len({(s.voltage, s.speed) for s in steps})
        what = "weight" if method.weighed() else method.STEP
        parts = [f"{loads} {what}{'s' * (loads > 1)}"] if method.STEP else []
        if drives > 1 or loads != len(steps):
            parts = [f"{len(steps)} steps"]
        if plan.order == "bisection":
            return " × ".join(parts) + ", bisected"
        repeats = plan.repeats
        if not parts:
            return f"{repeats} run{'s' * (repeats > 1)}"
        return " × ".join([*parts, str(repeats)])

    def outlook(self) -> Outlook:
        """What is left of the plan as predicted; worked out once for what lies on the desk."""
        made = (self.build, self.rig, self.todo, self.result, self.runs)
        if self._outlook is None or any(
            a is not b for a, b in zip(made, self._outlook[0], strict=True)
        ):
            result = self.result
            fits = result is not None and result.build is self.build
            drive = learnt(result) if result is not None and fits else Drive.of(self.build)
            self._outlook = made, drive, foresee(drive, self.rig, self.todo, self.done_lifts())
        return self._outlook[2]

    def drive(self) -> Drive:
        """The drive's figures as they are known by now."""
        self.outlook()
        assert self._outlook is not None
        return self._outlook[1]

    def above_rated(self) -> float:
        """See `plan.above_rated`; a step set by a speed counts with the voltage that it needs."""
        plan = self.todo
        steps = tuple(
            s
            if s.speed is None or not self.build.has_motor
            else s.model_copy(update={"voltage": self.voltage_of(s), "speed": None})
            for s in plan.steps
        )
        return above_rated(self.build, plan.model_copy(update={"steps": steps}))

    def top_voltage(self) -> float:
        """The plan's highest [V], the motor's own where it names none."""
        return self.plan.voltage(self.build.motor.voltage.value)

    def voltage_of(self, step: PlanStep) -> float:
        """At which a step is run [V]; worked out for one that is set by its speed."""
        return step.voltage if step.voltage is not None else self.outlook().rows[step.id].voltage

    def todo_count(self) -> int:
        """Runs that the plan asks for; by bisection about as many as halvings."""
        return remaining(self.todo, ())

    def load_name(self, step: PlanStep) -> str:
        """`1.50 kg`, `22.0 Ω`; "" where nothing is set."""
        method = self.rig.method
        if not method.STEP:
            return ""
        if method.SET_BY[1] == "mass":
            return self.mass_name(step.mass) if step.mass else "no load"
        if step.resistor is None:
            return "open circuit"
        return quantity.show(step.resistor, "resistance", "Ω", decimals=1)

    def mass_name(self, mass: float) -> str:
        """A mass [kg] with as many places as it has."""
        shown = quantity.from_si(mass, self.units["mass"], "mass")
        even = abs(shown - round(shown, 2)) < 5e-4
        return self.show(mass, "mass", decimals=2 if even else 3)

    def drive_name(self, step: PlanStep | Run) -> str:
        """`9 V`, `60 rpm`: what the drive is set to."""
        if isinstance(step, PlanStep) and step.speed is not None:
            return self.show(step.speed, "speed", decimals=0)
        if step.voltage is None:
            return ""
        volts = quantity.from_si(step.voltage, self.units["voltage"], "voltage")
        return f"{volts:.4g} {self.units['voltage']}"

    def step_name(self, step: PlanStep) -> str:
        """How a step is told: by its load, and its voltage where the plan has several; a step that
        measures nothing by what it is.
        """
        if not step.counted:
            return in_words(step.kind)
        drives = {(s.voltage, s.speed) for s in self.todo.todo if s.counted}
        several = len(drives) > 1
        parts = [self.load_name(step), self.drive_name(step) if several else ""]
        return ", ".join(p for p in parts if p) or self.rig.method.DOES[0].lower()

    def run_name(self, run: Run) -> str:
        """How a run's step is told: by its load, or as a part of a sweep."""
        method = self.rig.method
        if method.swept or method.ACCELERATES:
            return f"part {run.step + 1}"
        step = PlanStep.ours(kind=run.kind, load=run.load, voltage=run.voltage)
        if not method.weighed() or not self.build.has_motor:
            step = self.todo.step(run.step) or step
            if step.resistor is None and method.STEPS[0]:
                return f"part {run.step + 1}"
        return "run" if method.HELD else self.step_name(step)

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
            outcomes = [r.run.outcome for r in self.runs if r.run.counts and not r.struck]
            self._counted = self.runs, outcomes, lifts_of(outcomes)
        return self._counted[1]

    @property
    def broken(self) -> str:
        """The part that broke in the newest run, until somebody says that it is whole again."""
        newest = self._newest()
        return "" if newest is None or newest.id == self._mended else newest.run.broke

    def mended(self) -> None:
        """What broke was replaced."""
        newest = self._newest()
        self._mended = 0 if newest is None else newest.id

    def _newest(self) -> StoredRun | None:
        return next((r for r in reversed(self.runs) if not r.struck), None)

    def done_lifts(self) -> list[Lift]:
        """They as lifts, numbered per weight."""
        self.outcomes()
        return self._counted[2]
