"""A whole plan on one bench: connecting, taring, every run in its turn, and what is kept of it."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import UTC, date, datetime
from functools import partial
from typing import Any

from sparring.bench.attended import Attended, Interrupted
from sparring.bench.captures import Notice
from sparring.bench.lookout import Lookout
from sparring.core.build import Build
from sparring.core.care import FirstPower
from sparring.core.events import Event
from sparring.core.instruments.devices import DeviceSet
from sparring.core.outlook.foresee import FIRST, driven, first_power
from sparring.core.plan import Lift, Outcome, Plan, PlanStep, above_rated, remaining, what_next
from sparring.core.plan.record import STILL
from sparring.core.rig import Rig
from sparring.core.run import Run, run_of
from sparring.logbook import Logbook, LogbookError
from sparring.logbook.recovery import adopt


class PlanOnBench(Attended):
    """Every lift of a plan on one bench, kept in a logbook as a test."""

    def __init__(
        self,
        book: Logbook,
        build: Build,
        rig: Rig,
        plan: Plan,
        say: Callable[[str], None],
        happened: Callable[[Lift, Event], None] | None = None,
    ) -> None:
        """happened: is told each event of the run under way, once."""
        super().__init__(rig, say)
        self.book, self.build = book, build
        self.plan = plan.on(rig.method)
        self.todo = self.plan  # with first power before it, where nobody has seen the drive turn
        set_by_voltage = driven(build, rig, self.plan)
        self._above = above_rated(build, set_by_voltage)
        self._volts = {s.id: s.voltage for s in set_by_voltage.steps}
        self.runs: list[int] = []
        self.test = 0
        self.session.keep = partial(adopt, book)
        self._lift_now = Lift(0, 1)
        self._lookout = Lookout(self.session, build, rig, self.plan, happened=self._happened)
        self._told = happened

    def go(
        self, devices: DeviceSet, confirm: Callable[[str], None], lifted: Callable[[int, int], None]
    ) -> None:
        """Connects and lifts. confirm: asks whoever stands there to do what it says, and returns
        when it is done; lifted: is told after each lift how many are done, of how many. Raises
        Interrupted; KeyboardInterrupt stops the bench and passes on.
        """
        if self._above:
            raise Interrupted(
                f"a step asks for {self._above:g} V, and the motor of {self.build.name} is for"
                f" {self.build.motor.voltage.value:g} V. Nothing was switched on. Lower the step's"
                " voltage, correct the motor's, or say --above-rated to run it all the same"
            )
        with self.connected(devices, confirm) as simulated:
            if not simulated and not self._seen:
                self._first_power()
            while (lift := what_next(self.todo, self._outcomes())) is not None:
                if self.runs and (part := self.book.run(self.runs[-1]).run.broke):
                    confirm(f"Replace {part}")
                self._lift(lift, "simulated" if simulated else "bench", confirm)
                lifted(len(self.runs), self.total)

    @property
    def total(self) -> int:
        """Lifts that the plan asks for; by bisection about as many."""
        return remaining(self.todo, ())

    @property
    def _seen(self) -> bool:
        """Whether the drive is known to turn as it should: somebody said so, or runs show it."""
        known = self.book.build(self.build_id)
        whole = known.first_power is not None or self.build.first_power is not None
        planned = any(s.kind == "first power" for s in self.plan.todo)
        runs = self.book.runs_with("build", self.build_id)
        return whole or planned or bool(runs) or not self.build.has_motor

    def _first_power(self) -> None:
        """Puts it before the plan."""
        step = first_power(self.build, FIRST)
        self.todo = self.plan.model_copy(update={"steps": (step, *self.plan.steps)})
        self._volts[FIRST] = step.voltage

    def _outcomes(self) -> list[Outcome]:
        runs = self.book.runs(self.test) if self.test else []
        return [r.run.outcome for r in runs if r.run.counts]

    def _lift(self, lift: Lift, source: Any, confirm: Callable[[str], None]) -> None:
        method, before = self.rig.method, len(self.runs)
        step = self.todo.step(lift.step)
        assert step is not None
        if step.kind in STILL:
            self._rest(step, lift.repeat, confirm)
            return
        self._lift_now = lift
        setting = (method.SET_BY[0], step.setting(method)) if method.STEP else None
        if setting is not None and source == "bench" and self.session.facts().hung != setting[1]:
            confirm(f"{setting[0]} {setting[1]:g}")
        if not self.test:
            self.test = self.book.add_test(self.build_id, self.rig_id, self.plan, "")
        volts, own = self._volts[step.id] or 0.0, self.build.has_motor
        run = run_of(self.rig, step, lift.repeat, source, volts, has_motor=own)
        path = self.book.capture_path()
        self.step(lambda: self.session.lift(run, self.test, path, setting, step.time))
        if len(self.runs) == before:
            raise Interrupted(f"run {before + 1} was not made")
        made = self.book.run(self.runs[-1]).run
        if made.broke and step.kind != "to failure":
            raise Interrupted(
                f"{made.broke} broke in run {len(self.runs)}; it has been saved, and the plan ends"
                " here"
            )
        if not made.broke and made.ended not in ("top", "stalled"):
            raise Interrupted(
                f"run {len(self.runs)} ended by {made.ended}; it has been saved, and the plan ends"
                " here"
            )
        # a board without a stop of its own, told to stop where it stood
        if method.LETS_DOWN and self.session.facts().hook_up:
            self.step(self.session.lower)
        if step.kind == "first power":
            confirm("See that it turned the right way, smoothly")
            seen = FirstPower(on=f"{date.today():%Y-%m-%d}")
            known = self.book.build(self.build_id).model_copy(update={"first_power": seen})
            self.book.save_build(known, self.build_id)

    def _rest(self, step: PlanStep, repeat: int, confirm: Callable[[str], None]) -> None:
        """A step in which nothing is driven: it cools for its time, or somebody inspects it."""
        began = datetime.now(UTC).isoformat(timespec="seconds")
        if step.kind == "inspect":
            confirm(f"Inspect {step.part or 'the drive'}, its supply off")
        else:
            self.say(f"It cools for {step.time or 0:g} s.")
            end = time.monotonic() + (step.time or 0.0)
            while time.monotonic() < end:
                self.hear(0.05)
        if not self.test:
            self.test = self.book.add_test(self.build_id, self.rig_id, self.plan, "")
        run = Run(
            step=step.id, kind=step.kind, repeat=repeat, voltage=0.0, started=began, source="eye"
        )
        self.runs.append(self.book.add_run(self.test, run))

    @property
    def build_id(self) -> int:
        """Its entry in the logbook, made when it is not there."""
        found = next((i for i, b in self.book.builds() if b.name == self.build.name), None)
        if found is None:
            return self.book.save_build(self.build)
        kept, given = (
            b.model_copy(update={"first_power": None}) for b in (self.book.build(found), self.build)
        )
        if kept.to_json() != given.to_json():
            raise LogbookError(
                f"the logbook has a different {self.build.name}: give this one another "
                "revision number"
            )
        return found

    @property
    def rig_id(self) -> int:
        """Its entry in the logbook, made when it is not there."""
        same = self.rig.to_json()
        return next(
            (i for i, r in self.book.rigs() if r.to_json() == same), None
        ) or self.book.save_rig(self.rig)

    def _happened(self, event: Event) -> None:
        """A detector found something in the run under way: what broke is not driven on."""
        if event.id == "breakage":
            self.session.stop()
        if self._told is not None:
            self._told(self._lift_now, event)

    # --- hearing ----------------------------------------------------------------------------------

    def took(self, notice: Notice) -> None:
        if notice.kind == "kept":
            self.runs.append(notice.what)
        elif notice.kind == "block":
            self._lookout.add(*notice.what)

    def looked(self) -> None:
        steady = self._lookout.look()
        if steady and self.plan.advance == "when steady":
            self.session.finish()
