"""What lies on the desk: the open logbook, the build, rig, plan and test in hand, their result, and
the undo stack.

Pages are handed the desk; they show what it holds and tell it what the tester wants. No page knows
another.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from sparring.core.build import Build
from sparring.core.care import FirstPower
from sparring.core.finding import Finding
from sparring.core.methods import MethodBase
from sparring.core.plan import standard
from sparring.core.records import changed
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.ui.model import background
from sparring.ui.model.comparing import Comparing
from sparring.ui.model.deriving import Deriver
from sparring.ui.model.duties import Duties
from sparring.ui.model.edits import Begin
from sparring.ui.model.first import first_of

if TYPE_CHECKING:
    from sparring.logbook import Logbook
    from sparring.logbook.stored import StoredRun

_MANY = 500  # runs that are read off this thread


class Desk(Duties):
    """The window's model."""

    def __init__(self) -> None:
        super().__init__()
        self._deriver = Deriver(self)
        self.comparing = Comparing(self)
        self._choosing = 0
        self._damage_told: set[str] = set()
        self.lists_changed.connect(self._forget_made)

    # --- the logbook ------------------------------------------------------------------------------

    def open(self, folder: Path, then: Callable[[], None] | None = None) -> None:
        """Opens a logbook off this thread and lays its newest test on the desk."""
        before = self.folder

        def work() -> tuple[Logbook, list[str], tuple[int, list[StoredRun]]]:
            from sparring.logbook import Logbook
            from sparring.logbook.recovery import recover

            book = Logbook(folder)
            return book, recover(book), first_of(book)

        def done(opened: tuple[Logbook, list[str], tuple[int, list[StoredRun]]]) -> None:
            self.close()
            self.book, recovered, (test_id, runs) = opened
            self.folder = self.book.folder
            self.build_id = self.rig_id = self.test_id = (
                0  # what was laid on the desk stays with the logbook it is from
            )
            self.undo.clear()
            self.draft = None
            self._correcting.clear()
            self._damage_told.clear()
            if test_id:
                self.choose_test(test_id, runs)
            else:
                first, build = self.book.builds()[0]
                self.plan = standard(build)
                self.choose_build(first)
            self.find_duty()
            for text in recovered:
                self.said.emit(text)
            self.opened.emit()
            if then:
                then()

        def failed(err: Exception) -> None:
            self.folder = before if self.book is not None else folder
            self.not_opened.emit(str(err))

        background.run(work, done, failed)

    def close(self) -> None:
        from sparring.logbook import LogbookError

        if self.book:
            self.closes.emit()
            with contextlib.suppress(LogbookError):  # a full disk keeps nobody from closing
                self.book.set_setting("test", self.test_id)
            self.book.close()
            self.book = None

    @property
    def rig_key(self) -> tuple[Path | None, int]:
        """Which rig is on the desk, of which logbook: numbers begin anew in every logbook."""
        return self.book.folder if self.book is not None else None, self.rig_id

    # --- choosing ---------------------------------------------------------------------------------

    def choose_build(self, build_id: int) -> None:
        """Lays a build on the desk with its newest test, or with a fresh one in mind."""
        assert self.book is not None
        if newest := self.book.newest_test(build_id):
            self.choose_test(newest)
            return
        self.build_id, self.build = build_id, self.book.build(build_id)
        rigs = self.book.rigs()
        if not self.rig_id and rigs:
            self.rig_id, self.rig = rigs[0]
        self.test_id, self.result = 0, None
        if self.top_voltage() != self.build.motor.voltage.value:  # it is that of another motor
            self.plan = standard(self.build)
        self._laid()

    def choose_test(self, test_id: int, known: list[StoredRun] | None = None) -> None:
        """Lays a test on the desk; one of very many runs when they have been read. known: they have
        been.
        """
        from sparring.logbook import LogbookError

        assert self.book is not None
        book = self.book
        self._choosing += 1
        ticket = self._choosing

        def lay(runs: list[StoredRun]) -> None:
            if ticket != self._choosing or book is not self.book:
                return
            self.test_id, self.build_id, self.rig_id, self.plan = (
                test.id,
                test.build_id,
                test.rig_id,
                test.plan,
            )
            self.build, self.rig, self.result = build, rig, None
            self._laid(runs)
            self.reanalyse()

        try:
            test = book.test(test_id)
            build, rig = book.build(test.build_id), book.rig(test.rig_id)
            if known is not None or test.runs <= _MANY:
                lay(book.runs(test_id, struck=True) if known is None else known)
                return
        except LogbookError as err:
            self.said.emit(str(err))
            return
        self.said.emit(f"Reading the {test.runs} runs of this test.")
        background.run(
            lambda: book.runs(test_id, struck=True), lay, lambda err: self.said.emit(str(err))
        )

    def choose_rig(self, rig_id: int) -> None:
        """Another rig for this desk; a test that has runs keeps its own, so a new test begins."""
        assert self.book is not None
        self.rig_id, self.rig = rig_id, self.book.rig(rig_id)
        if self.runs:
            self.test_id, self.result = 0, None
        self._laid()

    def set_method(self, method: MethodBase) -> None:
        """The rig set up for another method. One that tests were made with stays as it is, and a
        rig of its own begins.
        """
        assert self.book is not None
        if not self.book.has_tests("rig", self.rig_id):
            old = self.rig.method.TITLE
            own = self.rig.name.removeprefix(
                old
            ).strip()  # named after its method, perhaps with a number
            name = (
                self.book.free_rig_name(method.TITLE)
                if self.rig.name.startswith(old) and (not own or own.isdigit())
                else self.rig.name
            )
            made = self.rig.model_copy(update={"method": method, "name": name})
            if reason := self.edit("rig", (), made, f"method {method.TITLE.lower()}"):
                self.said.emit(reason)
            return
        old, name = self.rig.name, self.book.free_rig_name(method.TITLE)
        self.undo.push(
            Begin(
                self,
                self.rig.model_copy(update={"name": name, "method": method, "care_read": None}),
                f"rig {name}",
            )
        )
        self.said.emit(
            f"{old} has tests and is unchanged; “{name}” is a new rig with the same cell."
        )

    def new_rig(self) -> None:
        """A copy of the rig in hand, laid on the desk."""
        assert self.book is not None
        name = self.book.free_rig_name(f"{self.rig.name} copy"[:60])
        self.undo.push(
            Begin(
                self, self.rig.model_copy(update={"name": name, "care_read": None}), f"rig {name}"
            )
        )

    def lay_again(self, build_id: int, rig_id: int, test_id: int) -> None:
        """Lays on the desk what was on it before."""
        if test_id:
            self.choose_test(test_id)
            return
        assert self.book is not None
        self.build_id, self.build, self.rig_id, self.rig = (
            build_id,
            self.book.build(build_id),
            rig_id,
            self.book.rig(rig_id),
        )
        self.test_id, self.result = 0, None
        self._laid()

    def _laid(self, runs: list[StoredRun] | None = None) -> None:
        assert self.book is not None
        self._choosing += 1  # what was being read meanwhile is not laid over it
        self._deriver.forget()
        if self.draft is not None:
            self.said.emit(
                f"{self.draft.text[0].upper()}{self.draft.text[1:]} of {self.draft.before.name} was"
                " not changed."
            )
            self.drop_draft()
        self._correcting &= {("build", self.build_id), ("rig", self.rig_id)}
        self.runs = runs if runs is not None else []
        self.step = self.point = None
        self.find_campaign()
        self.find_inspections()
        for signal in (
            self.build_changed,
            self.rig_changed,
            self.plan_changed,
            self.result_changed,
            self.selection_changed,
            self.lists_changed,
        ):
            signal.emit()
        self._tell_damage()

    def _tell_damage(self) -> None:
        """Says once which rows of the logbook are damaged and left out."""
        damage = self.book.damage if self.book is not None else {}
        if new := sorted(set(damage) - self._damage_told):
            self._damage_told |= set(new)
            more = f" and {len(new) - 3} more" if len(new) > 3 else ""
            self.warned.emit(
                f"Damaged in this logbook and omitted: {', '.join(new[:3])}{more}. "
                "Everything else is available; an earlier backup may hold them intact: "
                "Logbook ▸ Restore a backup."
            )

    def new_test(self) -> None:
        """A fresh test of the build in hand, with the same rig and plan."""
        self.test_id, self.result = 0, None
        if self.book:
            self._laid()

    def ensure_test(self, title: str = "") -> int:
        """The test that runs are kept under; begun when the first run comes."""
        assert self.book is not None
        if not self.test_id:
            self.test_id = self.book.add_test(self.build_id, self.rig_id, self.plan, title)
            self.lists_changed.emit()
        return self.test_id

    def allow_above_rated(self) -> None:
        """Keeps, undoably and with this test, that its steps may give the motor more than it is
        for.
        """
        if not self.above_rated():
            self.said.emit("No step of this test asks for more than the motor's voltage.")
            return
        self.edit("plan", ("above_rated",), "allowed", "allowing more than the motor's voltage")

    def saw_it_turn(self) -> None:
        """Keeps, undoably, that the build turns the right way and smoothly."""
        name = str(self.settings.value("name", "") or "")[:80]
        seen = FirstPower(by=name, on=f"{date.today():%Y-%m-%d}")
        if reason := self.edit("build", ("first_power",), seen, "first power"):
            self.said.emit(reason)

    def new_revision(self, of: Build | None = None) -> None:
        """The build in hand, or what was made of it, under the next number, laid on the desk;
        nobody has seen that one turn.
        """
        assert self.book is not None
        number = self.book.next_revision(self.build.family)
        build = (of or self.build).model_copy(update={"revision": number, "first_power": None})
        self.undo.push(Begin(self, build, f"new revision {build.name}"))
        self.said.emit(
            f"{build.name} created as a copy. Change what is new; the tests of the old one "
            "stay with it."
            if of is None
            else f"{build.name} created: {build.train_in_words()}. Run it next."
        )

    def add_build(self, build: Build) -> None:
        """Keeps a build from a file or a template; a taken number gets the next free one."""
        assert self.book is not None
        if any(b.name == build.name for _, b in self.book.builds()):
            build = changed(build, ("revision",), self.book.next_revision(build.family))
        self.undo.push(Begin(self, build, f"build {build.name}"))

    def add_rig(self, rig: Rig) -> None:
        """Keeps a rig from a file, under a name that is free."""
        assert self.book is not None
        name = self.book.free_rig_name(rig.name)
        self.undo.push(Begin(self, changed(rig, ("name",), name), f"rig {name}"))

    # --- results ----------------------------------------------------------------------------------

    def add_run(self, run: Run) -> int:
        """Keeps a run without a recording; its number."""
        assert self.book is not None
        made = self.book.add_run(self.ensure_test(), run)
        self.runs_changed([made])
        return made

    def runs_changed(self, run_ids: list[int]) -> None:
        """Looks at these runs again, new ones among them."""
        if self.book is None:  # closed meanwhile; the run is kept
            return
        changed_runs = {r.id: r for r in self.book.some_runs(run_ids) if r.test_id == self.test_id}
        self.runs = [changed_runs.pop(r.id, r) for r in self.runs] + [
            changed_runs[i] for i in sorted(changed_runs)
        ]
        self._tell_damage()
        self.lists_changed.emit()
        self.reanalyse()

    def reanalyse(self) -> None:
        """Derives the result anew, off this thread; the newest call wins."""
        self._deriver.again()

    @property
    def findings(self) -> tuple[Finding, ...]:
        return self.result.findings if self.result else ()

    def build_findings(self) -> list[Finding]:
        """Judgements on the build in hand, before anything is measured."""
        from sparring.core import predict
        from sparring.core.findings.build import judge_build

        return judge_build(self.build, predict.set_to(self.build, self.plan))

    def setup_findings(self) -> list[Finding]:
        """Judgements on the bench as set up, before anything runs; and what was measured of it
        since.
        """
        from sparring.core.findings.setup import judge_setup

        measured = [f for f in self.findings if f.place.startswith("rig")]
        return measured + judge_setup(self.build, self.rig, self.plan, date.today())

    def plan_findings(self) -> list[Finding]:
        """Judgements on the plan in hand, before it is run."""
        from sparring.core.findings.plan import Planned, judge_plan

        return judge_plan(Planned(self.build, self.rig, self.plan, self.outlook()))

    def select(self, step: int | None, point: int | None = None) -> None:
        """Chooses a step of the result, and one of its lifts."""
        if (step, point) != (self.step, self.point):
            self.step, self.point = step, point
            self.selection_changed.emit()

    # --- units ------------------------------------------------------------------------------------

    def set_unit(self, kind: str, unit: str) -> None:
        self.units[kind] = unit
        self.settings.setValue(f"units/{kind}", unit)
        self.units_changed.emit()
