"""`sparring record`: a whole plan on a bench, from a terminal."""

from __future__ import annotations

import queue
import time
from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from sparring.bench.captures import Notice
from sparring.bench.link import Link
from sparring.bench.session import Session
from sparring.core.build import Build
from sparring.core.outlook.foresee import driven
from sparring.core.plan import Lift, Outcome, Plan, PlanStep, remaining, what_next
from sparring.core.plan.record import STILL
from sparring.core.reduce.inputs import ReductionError
from sparring.core.rig import Rig
from sparring.core.run import Run, run_of
from sparring.core.uncertainty import nominal, std
from sparring.exchange.deriving import derive
from sparring.logbook import Logbook, LogbookError
from sparring.logbook.recovery import adopt, recover

_FIRST = 15.0  # [s] within which a bench has to say what it is
_PUT_AWAY = 10.0  # [s] for a lift to be kept once it is over


class Interrupted(Exception):
    """The plan ended before its end; the message says why. What was lifted is kept."""


class PlanOnBench:
    """Every lift of a plan on one bench, kept in a logbook as a test."""

    def __init__(
        self, book: Logbook, build: Build, rig: Rig, plan: Plan, say: Callable[[str], None]
    ) -> None:
        self.book, self.build, self.rig = book, build, rig
        self.plan, self.say = plan.on(rig.method), say
        self._volts = {s.id: s.voltage for s in driven(build, rig, self.plan).steps}
        self.runs: list[int] = []
        self.test = 0
        self._heard: queue.SimpleQueue[Notice] = queue.SimpleQueue()
        self.session = Session(self._heard.put)
        self.session.keep, self.session.limits = partial(adopt, book), rig.watched()
        self.state = "off"

    def go(
        self, port: str, confirm: Callable[[str], None], lifted: Callable[[int, int], None]
    ) -> None:
        """Connects and lifts. confirm: asks whoever stands there to do what it says, and returns
        when it is done; lifted: is told after each lift how many are done, of how many. Raises
        Interrupted; KeyboardInterrupt stops the bench and passes on.
        """
        link = Link(port, self.session)
        self.session.attach(link, lambda: link.reader.tally)
        link.start()
        try:
            self._until(
                lambda: self.state == "ready" and self.session.facts().obeys,
                _FIRST,
                f"{port} sends no valid lines",
            )
            simulated = self.session.facts().simulated
            if not simulated and not self.rig.care_confirmed:
                raise Interrupted(
                    f"the care notes of {self.rig.name} are not confirmed: sparring care LOGBOOK"
                    f" --rig '{self.rig.name}' --confirm NAME"
                )
            if self.rig.method.CELL:
                if not simulated:
                    confirm("Remove all load from the load cell")
                self._step(lambda: self.session.zero(f"{self.rig.method.SET_BY[0]} 0"))
                if self.session.facts().tare is None:
                    raise Interrupted("the bench was not tared")
            while (lift := what_next(self.plan, self._outcomes())) is not None:
                self._lift(lift, "simulated" if simulated else "bench", confirm)
                lifted(len(self.runs), self.total)
        except KeyboardInterrupt:
            self.session.stop()
            raise
        finally:
            self.session.detach()
            link.close()
            self._hear()

    @property
    def total(self) -> int:
        """Lifts that the plan asks for; by bisection about as many."""
        return remaining(self.plan, ())

    def _outcomes(self) -> list[Outcome]:
        return (
            [Outcome(r.run.step, r.run.ended == "stalled") for r in self.book.runs(self.test)]
            if self.test
            else []
        )

    def _lift(self, lift: Lift, source: Any, confirm: Callable[[str], None]) -> None:
        method, before = self.rig.method, len(self.runs)
        step = self.plan.step(lift.step)
        assert step is not None
        if step.kind in STILL:
            self._rest(step, lift.repeat, confirm)
            return
        setting = (method.SET_BY[0], step.setting(method)) if method.STEP else None
        if setting is not None and source == "bench" and self.session.facts().hung != setting[1]:
            confirm(f"{setting[0]} {setting[1]:g}")
        if not self.test:
            self.test = self.book.add_test(self.build_id, self.rig_id, self.plan, "")
        run = run_of(self.rig, step, lift.repeat, source, self._volts[step.id] or 0.0)
        path = self.book.capture_path()
        self._step(lambda: self.session.lift(run, self.test, path, setting, step.time))
        if len(self.runs) == before:
            raise Interrupted(f"run {before + 1} was not made")
        ended = self.book.run(self.runs[-1]).run.ended
        if ended not in ("top", "stalled"):
            raise Interrupted(
                f"run {len(self.runs)} ended by {ended}; it has been saved, and the plan ends here"
            )
        if step.kind == "first power":
            confirm("See that it turned the right way, smoothly")

    def _rest(self, step: PlanStep, repeat: int, confirm: Callable[[str], None]) -> None:
        """A step in which nothing is driven: it cools for its time, or somebody inspects it."""
        began = datetime.now(UTC).isoformat(timespec="seconds")
        if step.kind == "inspect":
            confirm(f"Inspect {step.part or 'the drive'}, its supply off")
        else:
            self.say(f"It cools for {step.time or 0:g} s.")
            end = time.monotonic() + (step.time or 0.0)
            while time.monotonic() < end:
                self._hear(0.05)
        if not self.test:
            self.test = self.book.add_test(self.build_id, self.rig_id, self.plan, "")
        run = Run(step=step.id, kind=step.kind, repeat=repeat, started=began, source="eye")
        self.runs.append(self.book.add_run(self.test, run))

    @property
    def build_id(self) -> int:
        """Its entry in the logbook, made when it is not there."""
        found = next((i for i, b in self.book.builds() if b.name == self.build.name), None)
        if found is None:
            return self.book.save_build(self.build)
        if self.book.build(found).to_json() != self.build.to_json():
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

    # --- hearing ----------------------------------------------------------------------------------

    def _step(self, begin: Callable[[], bool]) -> None:
        """Does one thing with the bench and waits until all of it is over,
        however long it takes."""
        if not begin():
            raise Interrupted(f"the bench is not at rest: it is {self.state}")
        lost_for = _PUT_AWAY
        while True:
            self._hear(0.05)
            facts = self.session.facts()
            if self.state == "ready" and not facts.recording and not facts.keeping:
                self._hear()
                return
            lost_for = lost_for - 0.05 if self.state == "lost" else _PUT_AWAY
            if lost_for < 0:
                raise Interrupted(f"the bench is lost: {facts.why}")

    def _until(self, condition: Callable[[], bool], seconds: float, otherwise: str) -> None:
        end = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > end:
                raise Interrupted(otherwise)
            self._hear(0.05)

    def _hear(self, wait: float = 0.0) -> None:
        """Takes in what the session has told; waits so long [s] for the first of it."""
        try:
            notice = self._heard.get(timeout=wait) if wait else self._heard.get_nowait()
            while True:
                if notice.kind == "state":
                    self.state = notice.what
                elif notice.kind == "said":
                    self.say(notice.what)
                elif notice.kind == "kept":
                    self.runs.append(notice.what)
                notice = self._heard.get_nowait()
        except queue.Empty:
            return


def record(
    folder: Path, build: Build, rig: Rig, plan: Plan, port: str, *, ask: bool, quiet: bool
) -> dict[str, Any]:
    """Runs a plan; the document described in docs/formats.md. ask: wait for Enter wherever somebody
    has to do something.
    """
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeElapsedColumn

    console = Console(stderr=True)
    why = ""
    with (
        Logbook(folder) as book,
        Progress(
            TextColumn("{task.description}"),
            BarColumn(),
            MofNCompleteColumn(),
            TimeElapsedColumn(),
            console=console,
            disable=quiet,
        ) as progress,
    ):
        for text in recover(book):
            console.print(text, markup=False)
        work = PlanOnBench(
            book, build, rig, plan=plan, say=lambda text: console.print(text, markup=False)
        )
        task = progress.add_task(f"{build.name} on {rig.name}", total=work.total)

        def confirm(what: str) -> None:
            if ask:
                console.input(f"{what}, then press Enter. ", markup=False)

        try:
            work.go(
                port,
                confirm,
                lambda n, total: progress.update(task, completed=n, total=max(n, total)),
            )
        except Interrupted as err:
            why = str(err)
        except KeyboardInterrupt:
            why = "ended by its caller"
        kept = {r.id: r.run for r in book.runs(work.test, struck=True)} if work.test else {}
        result = None
        try:
            result = derive(book, work.test) if kept else None
        except ReductionError as err:
            console.print(str(err), markup=False)
    best = result.best if result is not None else None
    gearbox = best.gearbox if best is not None else None
    runs = [
        {"id": i, "step": kept[i].step, "repeat": kept[i].repeat, "ended": kept[i].ended}
        for i in work.runs
    ]
    return {
        "format": "sparring.record/1",
        "logbook": str(folder),
        "test": work.test or None,
        "runs": runs,
        "best_gearbox_efficiency": (
            None if gearbox is None else {"value": nominal(gearbox), "u": std(gearbox)}
        ),
        "findings": [f.id for f in result.findings] if result is not None else [],
        "whole": not why,
        "why": why or None,
    }
