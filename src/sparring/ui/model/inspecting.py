"""The inspections of the build in hand, and what they tell, worked out off the window's thread."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sparring.core.records import RecordError, changed
from sparring.core.wear.inspection import Inspection, Inspections
from sparring.ui.model import background
from sparring.ui.model.editing import Editing
from sparring.ui.model.edits import InspectionEdit, NewInspection

if TYPE_CHECKING:
    from sparring.core.wear.peers import Faster
    from sparring.core.wear.result import Wear


class Inspecting(Editing):
    """What a desk does with inspections. looks: (number, inspection) by their turns; look_id: the
    one that is shown.
    """

    def find_inspections(self) -> None:
        """Those of the build on the desk."""
        found = self.book.inspections(self.build_id) if self.book and self.build_id else []
        self.looks = sorted(
            found, key=lambda x: (x[1].turns.value + x[1].elsewhere_turns.value, x[0])
        )
        known = [key for key, _ in self.looks]
        if self.look_id not in known:
            self.look_id = known[-1] if known else 0
        self._judged += 1  # what is being worked out is of what was before
        self._wear_due = True
        # of the same build it stays until the new one comes
        if self._wear_of != self.build_id or not self.looks:
            self.wear, self.wear_failed, self.worn_peers = None, "", []
        self._wear_of = self.build_id
        self.wear_changed.emit()

    @property
    def look(self) -> Inspection | None:
        """The inspection that is shown."""
        return dict(self.looks).get(self.look_id)

    def choose_look(self, key: int) -> None:
        self.look_id = key
        self.wear_changed.emit()

    def begin_inspection(self, inspection: Inspection) -> None:
        """Keeps a new one, undoably, and shows it."""
        self.undo.push(NewInspection(self, inspection))

    def edit_look(self, path: tuple[str | int, ...], value: object, text: str) -> str | None:
        """Changes the inspection that is shown, undoably; the reason where it does not hold."""
        if self.look is None:
            return "There is no inspection yet. Begin one first."
        try:
            after = changed(self.look, path, value)
        except RecordError as err:
            return str(err)
        self.edit_whole_look(after, text)
        return None

    def edit_whole_look(self, after: Inspection, text: str) -> None:
        """The inspection that is shown becomes another, undoably."""
        before = self.look
        if before is not None and after != before:
            edit = InspectionEdit(self, self.look_id, before=before, after=after, text=text)
            self.undo.push(edit)

    def strike_look(self) -> None:
        """Takes the inspection that is shown out of what is judged."""
        if self.look is not None:
            self.undo.push(
                InspectionEdit(
                    self, self.look_id, before=self.look, after=None, text="inspection removed"
                )
            )

    def put_look(self, key: int, inspection: Inspection | None) -> None:
        """Keeps it (None: takes it out) and shows it."""
        assert self.book is not None
        if inspection is None:
            self.book.strike_inspection(key)
        else:
            self.book.save_inspection(self.build_id, inspection, key)
            self.look_id = key
        self.find_inspections()

    def want_wear(self) -> None:
        """Somebody looks at what the inspections tell: it is worked out, where it is not yet."""
        ticket, build = self._judged, self.build
        given = tuple(i for _, i in self.looks)
        if not self._wear_due or not given:
            return
        self._wear_due = False

        def work() -> Wear:
            from sparring.core.wear.judge import wear_of

            return wear_of(build, Inspections(inspections=given))

        def done(found: Wear) -> None:
            if ticket == self._judged:
                self.wear, self.wear_failed = found, ""
                self.wear_changed.emit()
                self._compare_wear(ticket)

        def failed(err: Exception) -> None:
            if ticket == self._judged:
                self.wear, self.wear_failed = None, str(err)
                self.wear_changed.emit()

        background.run(work, done, failed)

    def _compare_wear(self, ticket: int) -> None:
        """Holds the rates against those of the other builds that were inspected."""
        book, mine, wear, known = self.book, self.build_id, self.wear, self._peer_wear
        if book is None or wear is None or not wear.flanks:
            return

        def work() -> list[Faster]:
            from sparring.core.reduce.inputs import ReductionError
            from sparring.core.wear.judge import wear_of
            from sparring.core.wear.peers import WornPeer, against

            found = []
            for key, build in book.builds():
                looks = tuple(i for _, i in book.inspections(key)) if key != mine else ()
                if len(looks) < 2:
                    continue
                if known.get(key, (None,))[0] != (build, looks):  # a mark here changes none of them
                    try:
                        flanks = wear_of(build, Inspections(inspections=looks)).flanks
                    except ReductionError:
                        flanks = ()  # said where that build is shown
                    known[key] = (build, looks), flanks
                peer = WornPeer(build.name, build.lubricant, known[key][1])
                if (faster := against(wear.flanks, peer)) is not None:
                    found.append(faster)
            return found

        def done(found: list[Faster]) -> None:
            if ticket == self._judged:
                self.worn_peers = found
                self.wear_changed.emit()

        background.run(work, done, lambda err: self.said.emit(str(err)))
