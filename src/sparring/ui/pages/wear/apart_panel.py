"""Taking apart and putting together: the build's own list, ticked off while it is done."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sparring.core.care import Dismantling
from sparring.core.wear.inspection import Done
from sparring.core.wear.look_at import bets
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.list_editor import ListEditor
from sparring.ui.widgets.parts import heading, note, press
from sparring.ui.widgets.photo import PICTURES, show_large


class ApartPanel(QWidget):
    """Space ticks the step that is chosen; from its first tick to its last is the time taken."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        self.bets = note("")
        column.addWidget(self.bets)
        self.told = note("")
        column.addWidget(self.told)
        self.list = QListWidget()
        self.list.setAccessibleName("Steps of taking apart")
        self.list.setAccessibleDescription("Space ticks a step off")
        self.list.setWordWrap(True)
        self.list.itemChanged.connect(self._ticked)
        self.list.itemDoubleClicked.connect(lambda _item: self.show_photo())
        column.addWidget(self.list, 3)
        row = QHBoxLayout()
        row.addWidget(heading("Its order, for this build and its revisions"))
        row.addStretch(1)
        press(row, ("Photo of the step …", self.ask_photo), ("Show it", self.show_photo))
        column.addLayout(row)
        columns = [
            ("Step", ("step",)),
            ("How", ("kind",)),
            ("Grease", ("grease",)),
            ("Mind", ("mind",)),
        ]
        self.order = ListEditor(
            desk, ("dismantling",), Dismantling.ours(step="step"), columns, "Order of taking apart"
        )
        column.addWidget(self.order, 2)

    def refresh(self) -> None:
        look, steps = self.desk.look, self.desk.build.dismantling
        done = {d.step for d in look.taken_apart} if look is not None else set()
        self.list.blockSignals(True)
        row = self.list.currentRow()
        self.list.clear()
        for s in steps:
            more = [s.kind, *([f"mind: {s.mind}"] if s.mind else [])]
            more += [f"grease: {s.grease}"] if s.grease else []
            more += ["with a photo"] if s.photo else []
            item = QListWidgetItem(f"{s.step}\n{', '.join(more)}")
            item.setData(Qt.ItemDataRole.UserRole, s.step)
            flags = item.flags() | Qt.ItemFlag.ItemIsUserCheckable
            item.setFlags(flags if look is not None else flags & ~Qt.ItemFlag.ItemIsEnabled)
            ticked = Qt.CheckState.Checked if s.step in done else Qt.CheckState.Unchecked
            item.setCheckState(ticked)
            self.list.addItem(item)
        self.list.setCurrentRow(max(row, 0) if steps else -1)
        self.list.blockSignals(False)
        load = (look.peak_torque if look is not None else None) or self.desk.build.expected_load
        earlier = [i for key, i in self.desk.looks if key != self.desk.look_id]
        first = bets(self.desk.build, earlier, load or 0.0)[:4]
        self.bets.setText(
            "Look first at: " + "; ".join(f"{b.part} ({b.why})" for b in first) + "."
            if first
            else ""
        )
        if not steps:
            self.told.setText("No order yet: type its steps below, as they are done.")
        else:
            took = f", {look.took / 60:.0f} min" if look is not None and look.took else ""
            count = sum(s.step in done for s in steps)
            self.told.setText(
                f"{count} of {len(steps)} done{took}. Put together from the last to the first."
            )

    def ask_photo(self) -> None:
        """Asks for a picture of the step that is chosen; it is copied into the logbook."""
        name, _ = QFileDialog.getOpenFileName(self, "Photo of the step", "", PICTURES)
        if name:
            self.add_photo(Path(name))

    def add_photo(self, path: Path) -> None:
        from sparring.logbook import photos

        n, book = self.list.currentRow(), self.desk.book
        if book is None or not 0 <= n < len(self.desk.build.dismantling):
            self.desk.said.emit("Choose a step first.")
            return
        try:
            name = photos.keep(book.folder, path, self.desk.build.name)
        except photos.PhotoError as err:
            self.desk.said.emit(str(err))
            return
        if refused := self.desk.edit("build", ("dismantling", n, "photo"), name):
            self.desk.said.emit(refused)

    def show_photo(self) -> None:
        """The picture of the step that is chosen, large."""
        from sparring.logbook.photos import FOLDER

        n, book = self.list.currentRow(), self.desk.book
        steps = self.desk.build.dismantling
        if book is None or not 0 <= n < len(steps) or not steps[n].photo:
            self.desk.said.emit("This step has no photo.")
            return
        show_large(self, book.folder / FOLDER / steps[n].photo, steps[n].step)

    def _ticked(self, item: QListWidgetItem) -> None:
        look = self.desk.look
        if look is None:
            return
        step = item.data(Qt.ItemDataRole.UserRole)
        now = datetime.now().astimezone()
        others = tuple(d for d in look.taken_apart if d.step != step)
        if item.checkState() == Qt.CheckState.Checked:
            done = (*others, Done(step=step, at=now.isoformat(timespec="seconds")))
        else:
            done = others
        times = sorted(datetime.fromisoformat(d.at) for d in done if d.at)
        took = (times[-1] - times[0]).total_seconds() if len(times) > 1 else look.took
        after = look.model_copy(update={"taken_apart": done, "took": took})
        self.desk.edit_whole_look(after, f"“{step}” ticked")
