"""Edits on the desk: at once, undoably; those of what was tested wait for the tester's word."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from pydantic import ValidationError

from sparring.core.build import Build
from sparring.core.duty.record import Duty
from sparring.core.outlook.campaign import Campaign
from sparring.core.plan import Plan, PlanStep, standard
from sparring.core.records import Record, RecordError, changed, problems
from sparring.core.revise import Correction, Kind, bears_on_results
from sparring.core.rig import Rig
from sparring.ui.model.draft import Draft
from sparring.ui.model.edits import Begin, Edit, Read, RunEdit, Strike
from sparring.ui.model.planned import Planned

if TYPE_CHECKING:
    from sparring.core.run import Run
    from sparring.logbook.stored import StoredRun


def _fields_of(step: PlanStep) -> dict[str, Any]:
    return {name: getattr(step, name) for name in PlanStep.model_fields}


class Editing(Planned):
    """What a desk does with an edit."""

    def in_hand(self, what: str) -> Record:
        """The build, rig or plan, with an edit of it that waits for the tester's word."""
        if self.draft is not None and self.draft.kind == what:
            return self.draft.after
        record: Record = getattr(self, what)
        return record

    def edit(
        self, what: str, path: tuple[str | int, ...], value: Any, text: str = ""
    ) -> str | None:
        """Changes a field of the build, rig, plan or duty, undoably; an empty path: all of it.
        Returns the reason when the result does not hold.

        A build or rig with runs is what was tested: the first edit of it becomes the `draft`, until
        the tester has said whether it is a new one (`begin_anew`) or was wrong all along
        (`correct`).
        """
        if self.book is None:
            return "the logbook is still opening; nothing can be saved yet"
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
                    "first answer the question above the page: what kind of edit of "
                    f"{self.draft.before.name} is it?"
                )
            self.draft = draft if draft.after != draft.before else None
            self.draft_changed.emit()
            return None
        return self._keep(what, after, text)

    def lay_steps(self, steps: Iterable[PlanStep], text: str, **fields: Any) -> str | None:
        """Other steps for the plan, undoably; fields: of the plan, beside them. It answers no
        question any more unless they say which. Steps that do what one did keep their runs; without
        any they are numbered anew. Returns the reason when the plan does not hold.
        """
        steps = list(steps)
        if not self.runs:
            steps = [s.model_copy(update={"id": n}) for n, s in enumerate(steps)]
        try:
            made = (
                self.plan.revised(steps, [r.run.step for r in self.runs])
                if self.runs
                else changed(self.plan, ("steps",), tuple(steps))
            )
        except RecordError as err:
            return str(err)
        asked: dict[str, Any] = {"question": "", "reasons": ()}
        return self.edit("plan", (), made.model_copy(update=asked | fields), text)

    def still_answers(self, why: str) -> dict[str, Any]:
        """What `lay_steps` takes where the plan goes on to answer its question; why: its steps are
        now as they are.
        """
        plan = self.plan
        return {"question": plan.question, "reasons": (*plan.reasons, why)} if plan.question else {}

    def change_step(self, id: int, text: str, **fields: Any) -> str | None:
        """Other fields for one step of the plan, undoably. Returns the reason when it does not
        hold.
        """
        try:
            steps = [
                PlanStep.model_validate(_fields_of(s) | fields) if s.id == id else s
                for s in self.plan.steps
            ]
        except ValidationError as err:
            return problems(err, "").removeprefix("the whole record: ")
        return self.lay_steps(steps, text)

    def _as_draft(self, after: Build | Rig, text: str) -> Draft | None:
        """An edit that has to wait for the tester's word, joined to one that waits already; None
        where it need not wait.
        """
        assert self.book is not None
        kind: Kind = "build" if isinstance(after, Build) else "rig"
        if self.draft is not None and self.draft.kind == kind:
            return Draft(
                kind,
                self.draft.before,
                after,
                text=f"{self.draft.text}, {text}",
                runs=self.draft.runs,
            )
        before: Any = getattr(self, kind)
        if (kind, self.owner(kind)) in self._correcting or not bears_on_results(before, after):
            return None
        runs = self.book.runs_with(kind, self.owner(kind))
        return Draft(kind, before, after, text=text, runs=runs) if runs else None

    def _keep(self, what: str, after: Record, text: str) -> str | None:
        from sparring.logbook import LogbookError

        before: Record = getattr(self, what)
        try:
            self.put(what, after, self.owner(what))
        except LogbookError as err:
            return str(err)
        self.undo.push(Edit(self, what, before, after=after, text=text))
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
            number = self.book.next_revision(draft.after.family)
            new: Build | Rig = draft.after.model_copy(
                update={"revision": number, "first_power": None}
            )
        else:
            new = changed(
                changed(draft.after, ("name",), self.book.free_rig_name(draft.after.name)),
                ("care_read",),
                None,
            )
        self.undo.push(Begin(self, new, f"{draft.text} in {new.name}"))
        self.said.emit(
            f"{new.name} created with {draft.text} changed. {draft.before.name} and its "
            f"{draft.runs} runs are unchanged."
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
            or (
                f"Corrected in {draft.before.name}: {draft.text}. Its results are "
                "recalculated; the old value is listed on Results."
            )
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
        elif what == "duty" and isinstance(record, Duty):
            self.put_duty(owner, record)
            return
        elif what == "campaign" and isinstance(record, Campaign):
            self._put_campaign(record, owner)
            return
        if self.owner(what) != owner:
            self.lists_changed.emit()
            return
        if isinstance(record, Build) and not self.test_id and self.plan == standard(self.build):
            plan = standard(record)  # nobody planned it: it goes with the motor
            if plan != self.plan:
                self.plan = plan
                self.plan_changed.emit()
        setattr(self, what, record)
        {"build": self.build_changed, "rig": self.rig_changed, "plan": self.plan_changed}[
            what
        ].emit()
        self.lists_changed.emit()
        if what == "build":
            self.find_inspections()
        self.reanalyse()

    def _put_campaign(self, campaign: Campaign, owner: int) -> None:
        """Keeps it with the tests that were begun meanwhile, whose plans ask for what it does."""
        assert self.book is not None
        kept = dict(self.book.campaigns()).get(owner)
        campaign = campaign.model_copy(update={"tests": kept.tests if kept else ()})
        self.book.save_campaign(campaign, owner)
        for held in campaign.tests:
            said = self.book.test(held.test).plan.factors
            plan = campaign.plan_of(held.build).model_copy(update={"factors": said})
            self.book.save_plan(held.test, plan)
        self.lay_campaign(owner)
        if any(t.test == self.test_id for t in campaign.tests):
            self.plan = self.book.test(self.test_id).plan
            self.plan_changed.emit()
        self.lists_changed.emit()

    def strike(self, run_ids: list[int], struck: bool, why: str = "") -> None:
        """Leaves runs out of the results, or takes them back; undoably."""
        self.undo.push(Strike(self, run_ids, struck, why))

    def note_break(self, stored: StoredRun, part: str) -> None:
        """Notes, undoably, which part gave way in a run; "": none did."""
        after = stored.run.model_copy(update={"broke": part.strip()[:80]})
        self.edit_run(stored, after, "note of a breakage")

    def edit_run(self, stored: StoredRun, after: Run, text: str) -> None:
        """Changes, undoably, what is known of a run beside its recording."""
        self.undo.push(RunEdit(self, stored.id, before=stored.run, after=after, text=text))

    def keep_read(self, run: Run) -> None:
        """Keeps, undoably, a run that a person read."""
        self.undo.push(Read(self, run))

    def put_run(self, run_id: int, run: Run) -> None:
        assert self.book is not None
        self.book.save_run(run_id, run)
        self.runs_changed([run_id])

    def put_struck(self, run_ids: list[int], struck: bool, why: str = "") -> None:
        assert self.book is not None
        self.book.strike(run_ids, struck, why)
        self.runs_changed(run_ids)
