"""What the tester does to records, each as one command that can be undone."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, cast

from PyQt6.QtGui import QUndoCommand

from sparring.core.build import Build
from sparring.core.records import Record
from sparring.core.revise import Kind
from sparring.core.rig import Rig

if TYPE_CHECKING:
    from sparring.core.duty.record import Duty
    from sparring.core.outlook.campaign import Campaign
    from sparring.core.plan import Plan
    from sparring.core.run import Run
    from sparring.core.wear.inspection import Inspection
    from sparring.ui.model.on_desk import OnDesk


class _Command(QUndoCommand):
    """One that the logbook may refuse: the reason is said, and a command that did nothing is not
    kept.
    """

    def __init__(self, desk: OnDesk, text: str) -> None:
        super().__init__(text)
        self.desk = desk

    def _try(self, what: Callable[[], None], *, first: bool = True) -> None:
        """first: it is about to be put on the stack."""
        from sparring.logbook import LogbookError

        try:
            what()
        except LogbookError as err:  # a name taken since, a full disk: all stays as it is
            self.setObsolete(first)
            self.desk.said.emit(str(err))


class Edit(_Command):
    """A record of the desk changed. It was kept before this is pushed, so that what cannot be kept
    is never pushed.
    """

    def __init__(self, desk: OnDesk, what: str, before: Record, after: Record, text: str) -> None:
        super().__init__(desk, text)
        self.what, self.before, self.after = what, before, after
        self.owner = desk.owner(what)
        self.done = True

    def redo(self) -> None:
        if self.done:
            self.done = False
        else:
            self._try(lambda: self.desk.put(self.what, self.after, self.owner), first=False)

    def undo(self) -> None:
        self._try(lambda: self.desk.put(self.what, self.before, self.owner), first=False)


class Begin(_Command):
    """A build or rig begun and laid on the desk. Taking it back lays what was there before; with
    tests of its own it stays.
    """

    def __init__(self, desk: OnDesk, record: Build | Rig, text: str) -> None:
        super().__init__(desk, text)
        self.record = record
        self.kind: Kind = "build" if isinstance(record, Build) else "rig"
        self.before = desk.build_id, desk.rig_id, desk.test_id
        self.made: int | None = None

    def redo(self) -> None:
        self._try(self._begin, first=self.made is None)

    def _begin(self) -> None:
        book = self.desk.book
        assert book is not None
        if isinstance(self.record, Build):
            self.made = book.save_build(self.record, self.made)
            self.desk.choose_build(self.made)
        else:
            self.made = book.save_rig(self.record, self.made)
            self.desk.choose_rig(self.made)

    def undo(self) -> None:
        from sparring.logbook import LogbookError

        book = self.desk.book
        assert book is not None
        try:
            book.remove(self.kind, cast(int, self.made))
        except LogbookError as err:
            self.desk.said.emit(f"{self.record.name}: {err}.")
        self.desk.lay_again(*self.before)


class Strike(_Command):
    """Leaves lifts out of the results, or takes them back in."""

    def __init__(self, desk: OnDesk, run_ids: list[int], struck: bool, why: str) -> None:
        super().__init__(desk, "excluding a run" if struck else "restoring runs")
        self.run_ids, self.struck, self.why = run_ids, struck, why

    def redo(self) -> None:
        self._try(lambda: self.desk.put_struck(self.run_ids, self.struck, self.why))

    def undo(self) -> None:
        self._try(lambda: self.desk.put_struck(self.run_ids, not self.struck), first=False)


class Read(_Command):
    """A run that was read by a person is kept; taken back, it is left out."""

    def __init__(self, desk: OnDesk, run: Run) -> None:
        super().__init__(desk, "run read by eye")
        self.run, self.made = run, 0

    def redo(self) -> None:
        self._try(self._keep)

    def _keep(self) -> None:
        if self.made:
            self.desk.put_struck([self.made], False)
        else:
            self.made = self.desk.add_run(self.run)

    def undo(self) -> None:
        self._try(lambda: self.desk.put_struck([self.made], True), first=False)


class RunEdit(_Command):
    """What is known of a run beside its recording is changed."""

    def __init__(self, desk: OnDesk, run_id: int, *, before: Run, after: Run, text: str) -> None:
        super().__init__(desk, text)
        self.run_id, self.before, self.after = run_id, before, after

    def redo(self) -> None:
        self._try(lambda: self.desk.put_run(self.run_id, self.after))

    def undo(self) -> None:
        self._try(lambda: self.desk.put_run(self.run_id, self.before), first=False)


class NewTrial(_Command):
    """The test of a campaign's trial begun and laid on the desk; taken back it is gone, unless runs
    were made in it.
    """

    def __init__(self, desk: OnDesk, campaign: Campaign, build_id: int, build: str) -> None:
        super().__init__(desk, f"test of {build}")
        self.campaign, self.key = campaign, desk.campaign_id
        self.build_id, self.build, self.rig_id = build_id, build, desk.rig_id
        self.before = desk.build_id, desk.rig_id, desk.test_id
        self.made = 0

    def redo(self) -> None:
        def begin() -> None:
            book = self.desk.book
            assert book is not None
            plan = self.campaign.plan_of(self.build)
            self.made = book.begin_trial(self.key, self.build, self.build_id, self.rig_id, plan)
            self.desk.choose_test(self.made)

        self._try(begin, first=not self.made)

    def undo(self) -> None:
        def end() -> None:
            assert self.desk.book is not None
            self.desk.book.end_in(self.key, self.made)
            self.desk.lay_again(*self.before)
            self.desk.lay_campaign(self.key)

        self._try(end, first=False)


class FactorsSaid(_Command):
    """What a test is one level of, beyond what build and rig say."""

    def __init__(self, desk: OnDesk, test: int, before: Plan, after: Plan) -> None:
        super().__init__(desk, "factors of a test")
        self.test, self.before, self.after = test, before, after

    def redo(self) -> None:
        self._try(lambda: self.desk.put("plan", self.after, self.test))

    def undo(self) -> None:
        self._try(lambda: self.desk.put("plan", self.before, self.test), first=False)


class NewDuty(_Command):
    """A duty begun and laid on the desk; taken back it is gone."""

    def __init__(self, desk: OnDesk, duty: Duty) -> None:
        super().__init__(desk, f"new duty {duty.name}")
        self.duty, self.key, self.before = duty, 0, desk.duty_id

    def redo(self) -> None:
        self._try(self._begin, first=not self.key)

    def _begin(self) -> None:
        self.key = self.desk.put_duty(self.key, self.duty)

    def undo(self) -> None:
        def end() -> None:
            self.desk.put_duty(self.key, None)
            self.desk.lay_duty(self.before)

        self._try(end, first=False)


class NewCampaign(_Command):
    """A campaign begun; taken back it is gone, unless runs were made for it."""

    def __init__(self, desk: OnDesk, campaign: Campaign) -> None:
        super().__init__(desk, f"campaign {campaign.name}")
        self.campaign, self.key = campaign, 0
        self.before = desk.campaign_id

    def redo(self) -> None:
        def keep() -> None:
            assert self.desk.book is not None
            self.key = self.desk.book.save_campaign(self.campaign)
            self.desk.lay_campaign(self.key)

        self._try(keep)

    def undo(self) -> None:
        def drop() -> None:
            assert self.desk.book is not None
            self.desk.book.drop_campaign(self.key)
            self.desk.lay_campaign(self.before)

        self._try(drop, first=False)


class NewInspection(_Command):
    """An inspection begun; taken back it is out of what is judged."""

    def __init__(self, desk: OnDesk, inspection: Inspection) -> None:
        super().__init__(desk, "new inspection")
        self.inspection, self.made, self.before = inspection, 0, desk.look_id
        self.build = desk.build_id

    def redo(self) -> None:
        def keep() -> None:
            assert self.desk.book is not None
            self.made = self.desk.book.save_inspection(self.build, self.inspection, self.made)
            self.desk.look_id = self.made
            self.desk.find_inspections()

        self._try(keep, first=not self.made)

    def undo(self) -> None:
        def drop() -> None:
            self.desk.look_id = self.before
            self.desk.put_look(self.made, None)

        self._try(drop, first=False)


class InspectionEdit(_Command):
    """An inspection changed; after: None: taken out."""

    def __init__(
        self, desk: OnDesk, key: int, *, before: Inspection, after: Inspection | None, text: str
    ) -> None:
        super().__init__(desk, text)
        self.key, self.before, self.after = key, before, after

    def redo(self) -> None:
        self._try(lambda: self.desk.put_look(self.key, self.after))

    def undo(self) -> None:
        self._try(lambda: self.desk.put_look(self.key, self.before), first=False)
