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
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtGui import QUndoStack

from sparring.core import quantity
from sparring.core.build import Build
from sparring.core.finding import Finding
from sparring.core.methods import MethodBase
from sparring.core.plan import Lift, Outcome, Plan, lifts_of
from sparring.core.quantity import Measured
from sparring.core.records import Record, RecordError, annotation, changed
from sparring.core.revise import Correction, Kind, bears_on_results
from sparring.core.rig import Rig
from sparring.ui.model import background
from sparring.ui.model.deriving import Deriver
from sparring.ui.model.edits import Begin, Broke, Draft, Edit, Strike
from sparring.ui.model.units import InUnits, stored_units

if TYPE_CHECKING:
    from sparring.core.reduce.results import TestResult
    from sparring.core.run import Run
    from sparring.logbook import Logbook
    from sparring.logbook.store import StoredRun

_MANY = 500  # runs that are read off this thread


class Desk(InUnits, QObject):
    """The window's model. Signals carry nothing: who hears one looks again."""

    opened = pyqtSignal()
    not_opened = pyqtSignal(str)
    build_changed = pyqtSignal()
    rig_changed = pyqtSignal()
    plan_changed = pyqtSignal()
    result_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    lists_changed = pyqtSignal()
    draft_changed = pyqtSignal()
    units_changed = pyqtSignal()
    said = pyqtSignal(str)
    place_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.book: Logbook | None = None
        self.folder: Path | None = None  # of the logbook that is open, or could not be opened
        self.build, self.rig, self.plan = Build.ours(), Rig.ours(), Plan.ours()
        self.build_id = self.rig_id = self.test_id = 0
        self.result: TestResult | None = None
        self.runs: list[StoredRun] = []
        self.load = 0.3  # output torque that the tester looks at [N·m]
        self.step: int | None = None  # chosen step of the result
        self.point: int | None = None  # chosen lift of that step
        self.undo = QUndoStack(self)
        self.draft: Draft | None = None
        # of what is on the desk: said to have been wrong all along
        self._correcting: set[tuple[str, int]] = set()
        self.settings = QSettings("sparring", "sparring")
        self.units = stored_units(self.settings)
        self._counted: tuple[list[StoredRun], list[Outcome], list[Lift]] = ([], [], [])
        self._deriver = Deriver(self)
        self._choosing = 0
        self._damage_told: set[str] = set()

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
            self.plan = Plan.ours()
            self.undo.clear()
            self.draft = None
            self._correcting.clear()
            self._damage_told.clear()
            if test_id:
                self.choose_test(test_id, runs)
            else:
                self.choose_build(self.book.builds()[0][0])
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
            f"{old} has tests and stays as it is; “{name}” is a rig of its own, with the same cell."
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
            self.said.emit(
                f"Damaged in this logbook, and left out: {', '.join(new[:3])}{more}. All else goes"
                " on; a copy of an earlier day may have them whole: Logbook ▸ Go back to a copy."
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

    def new_revision(self) -> None:
        """A copy of the build in hand under the next number, laid on the desk."""
        assert self.book is not None
        build = changed(self.build, ("revision",), self.book.next_revision(self.build.family))
        self.undo.push(Begin(self, build, f"new revision {build.name}"))
        self.said.emit(
            f"{build.name} begun as a copy. Change what is new; the tests of the old one stay"
            " with it."
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

    # --- editing ----------------------------------------------------------------------------------

    def owner(self, what: str) -> int:
        return {"build": self.build_id, "rig": self.rig_id, "plan": self.test_id}[what]

    def in_hand(self, what: str) -> Record:
        """The build, rig or plan, with an edit of it that waits for the tester's word."""
        if self.draft is not None and self.draft.kind == what:
            return self.draft.after
        record: Record = getattr(self, what)
        return record

    def edit(
        self, what: str, path: tuple[str | int, ...], value: Any, text: str = ""
    ) -> str | None:
        """Changes a field of the build, rig or plan, undoably; an empty path: all of it. Returns
        the reason when the result does not hold.

        A build or rig with runs is what was tested: the first edit of it becomes the `draft`, until
        the tester has said whether it is a new one (`begin_anew`) or was wrong all along
        (`correct`).
        """
        if self.book is None:
            return "the logbook is still being opened; nothing can be kept yet"
        record, text = self.in_hand(what), text or str(path[-1]).replace("_", " ")
        try:
            after = changed(record, path, value)
        except RecordError as err:
            return str(err)
        if after == record:
            return None
        if isinstance(after, Build | Rig) and (draft := self._as_draft(after, text)):
            if self.draft is not None and self.draft.kind != draft.kind:
                return (
                    f"first say what the edit of {self.draft.before.name} is: it waits above the"
                    " page"
                )
            self.draft = draft if draft.after != draft.before else None
            self.draft_changed.emit()
            return None
        return self._keep(what, after, text)

    def _as_draft(self, after: Build | Rig, text: str) -> Draft | None:
        """An edit that has to wait for the tester's word, joined to one that waits already; None
        where it need not wait.
        """
        assert self.book is not None
        kind: Kind = "build" if isinstance(after, Build) else "rig"
        if self.draft is not None and self.draft.kind == kind:
            return Draft(
                kind, self.draft.before, after, f"{self.draft.text}, {text}", self.draft.runs
            )
        before: Any = getattr(self, kind)
        if (kind, self.owner(kind)) in self._correcting or not bears_on_results(before, after):
            return None
        runs = self.book.runs_with(kind, self.owner(kind))
        return Draft(kind, before, after, text, runs) if runs else None

    def _keep(self, what: str, after: Record, text: str) -> str | None:
        from sparring.logbook import LogbookError

        before: Record = getattr(self, what)
        try:
            self.put(what, after, self.owner(what))
        except LogbookError as err:
            return str(err)
        self.undo.push(Edit(self, what, before, after, text))
        return None

    def drop_draft(self) -> None:
        """The edit that waits is not made; fields show again what is kept."""
        draft, self.draft = self.draft, None
        self.draft_changed.emit()
        if draft is not None:
            (self.build_changed if draft.kind == "build" else self.rig_changed).emit()

    def begin_anew(self) -> None:
        """The edit that waits goes into a new revision (of a rig: a rig of its own); what was
        tested stays as it was.
        """
        draft, self.draft = self.draft, None
        self.draft_changed.emit()
        if draft is None or self.book is None:
            return
        if isinstance(draft.after, Build):
            new: Build | Rig = changed(
                draft.after, ("revision",), self.book.next_revision(draft.after.family)
            )
        else:
            new = changed(
                changed(draft.after, ("name",), self.book.free_rig_name(draft.after.name)),
                ("care_read",),
                None,
            )
        self.undo.push(Begin(self, new, f"{draft.text} in {new.name}"))
        self.said.emit(
            f"{new.name} begun with {draft.text} changed. {draft.before.name} and its {draft.runs}"
            " runs stay as they were."
        )

    def correct(self) -> None:
        """The edit that waits puts right what was wrong all along: results follow, and the old
        value is kept beside them. Further edits of the same record are taken the same way while it
        lies on the desk."""
        draft, self.draft = self.draft, None
        self.draft_changed.emit()
        if draft is None:
            return
        self._correcting.add((draft.kind, self.owner(draft.kind)))
        reason = self._keep(draft.kind, draft.after, draft.text)
        self.said.emit(
            reason
            or f"Corrected in {draft.before.name}: {draft.text}. Its results follow; the old value"
            " is kept beside them on Results."
        )

    def corrections(self) -> list[Correction]:
        """What was put right of the build and rig in hand after runs were made with them."""
        return (
            self.book.corrections(self.build_id, self.rig_id)
            if self.book is not None and self.test_id
            else []
        )

    def put(self, what: str, record: Record, owner: int) -> None:
        """Keeps a record (also: takes it back) and shows it if it is the one in hand."""
        assert self.book is not None
        if what == "build" and isinstance(record, Build):
            self.book.save_build(record, owner)
        elif what == "rig" and isinstance(record, Rig):
            self.book.save_rig(record, owner)
        elif what == "plan" and isinstance(record, Plan) and owner:
            self.book.save_plan(owner, record)
        if self.owner(what) != owner:
            self.lists_changed.emit()
            return
        setattr(self, what, record)
        {"build": self.build_changed, "rig": self.rig_changed, "plan": self.plan_changed}[
            what
        ].emit()
        self.lists_changed.emit()
        self.reanalyse()

    def strike(self, run_ids: list[int], struck: bool) -> None:
        """Leaves runs out of the results, or takes them back; undoably."""
        self.undo.push(Strike(self, run_ids, struck))

    def note_break(self, stored: StoredRun, part: str) -> None:
        """Notes, undoably, which part gave way in a run; "": none did."""
        self.undo.push(
            Broke(
                self,
                stored.id,
                stored.run,
                stored.run.model_copy(update={"broke": part.strip()[:80]}),
            )
        )

    def put_run(self, run_id: int, run: Run) -> None:
        assert self.book is not None
        self.book.save_run(run_id, run)
        self.runs_changed([run_id])

    def put_struck(self, run_ids: list[int], struck: bool) -> None:
        assert self.book is not None
        self.book.strike(run_ids, struck)
        self.runs_changed(run_ids)

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
            return self.show(load.value if load is not None else steps[step], "mass", decimals=2)
        if method.STEP and step < len(steps):
            return quantity.show(
                steps[step],
                method.SET_BY[1],
                quantity.kind_of(method.SET_BY[1]).default,
                decimals=1,
            )
        return f"part {step + 1}"

    def run_name(self, run: Run) -> str:
        """How a run's step is told: by its load, or as a part of a sweep."""
        return (
            f"part {run.step + 1}" if self.rig.method.swept else self.step_name(run.step, run.load)
        )

    def dimension(self) -> str:
        """The rig's first dimension in a few words: `drum ⌀ 50.0 mm`."""
        method = self.rig.method
        label, name = next(f for f in method.FIELDS if f[1] == (method.MAIN or method.FIELDS[0][1]))
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

    # --- results ----------------------------------------------------------------------------------

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
        from sparring.core.findings.build import judge_build

        return judge_build(self.build, self.plan.voltage)

    def setup_findings(self) -> list[Finding]:
        """Judgements on the bench as set up, before anything runs; and what was measured of it
        since.
        """
        from sparring.core.findings.setup import judge_setup

        measured = [f for f in self.findings if f.place.startswith("rig")]
        return measured + judge_setup(self.build, self.rig, self.plan, date.today())

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


def first_of(book: Logbook) -> tuple[int, list[StoredRun]]:
    """What a logbook is opened with, and its runs: the test that was last on the desk, else the
    newest that can be laid on it; 0: none. Reads all tests, which the window then only looks
    through."""
    from sparring.logbook import LogbookError

    if not book.builds():
        book.save_build(Build(family="First drive"))
    if not book.rigs():
        book.save_rig(Rig())
    remembered = book.setting("test")
    for test in sorted(book.tests(), key=lambda t: (t.id != remembered, -t.id)):
        try:
            # damaged ones cannot be laid on the desk
            (book.build(test.build_id), book.rig(test.rig_id))
        except LogbookError:
            continue
        return test.id, book.runs(test.id, struck=True)
    return 0, []
