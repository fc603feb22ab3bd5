"""What was seen on the part: the teeth in a row, the modes to mark with, the observations and what
more is known of the one that is selected.
"""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QSize
from PyQt6.QtGui import QIcon, QPainter, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from sparring.core.quantity import Measured
from sparring.core.wear.inspection import BODY_SPOTS, Mark, Seen
from sparring.core.wear.modes import BY_ID, MODES, Mode
from sparring.core.wear.why.registry import numbers
from sparring.ui.model.desk import Desk
from sparring.ui.pages.wear.cursor import ROWS, Cursor
from sparring.ui.pages.wear.strip import Strip
from sparring.ui.theme import theme
from sparring.ui.widgets.choice import Choice, Count
from sparring.ui.widgets.parts import Table, note
from sparring.ui.widgets.plain import Label
from sparring.ui.widgets.quantity_field import QuantityField

_ENDS = ("whole face", "inner end", "outer end", "middle")
_HEIGHTS = ("", "below the pitch line", "at the pitch line", "above the pitch line")
_DRAWN = 20  # [px] of a mode's drawing


def drawing(mode: Mode, size: int = _DRAWN) -> QPixmap:
    """A mode's line drawing."""
    made = QPixmap(2 * size, 2 * size)
    made.setDevicePixelRatio(2.0)
    made.fill(theme.colour("sheet", 0))
    p = QPainter(made)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    for n, stroke in enumerate(mode.strokes):
        p.setPen(QPen(theme.colour("ink" if n == 0 else "vermilion-text"), 1.2))
        p.drawPolyline(QPolygonF([QPointF(size * x, size * (1 - y)) for x, y in stroke]))
    p.end()
    return made


class SeenPanel(QWidget):
    """Marks what the cursor has selected with a mode and a severity."""

    def __init__(self, desk: Desk, cursor: Cursor) -> None:
        super().__init__()
        self.desk, self.caret = desk, cursor
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        self.strip = Strip(cursor)
        column.addWidget(self.strip, 3)
        column.addLayout(self._marks())
        column.addLayout(self._pen())
        self.table = Table(
            ["observation", "where", "teeth", "severity"], "Observations of this part", left=(1, 2)
        )
        self.table.setMinimumHeight(66)
        self.table.itemSelectionChanged.connect(self._chosen)
        column.addWidget(self.table, 3)
        column.addLayout(self._details())
        cursor.marked.connect(self.mark)
        cursor.graded.connect(self.grade)
        cursor.cleared.connect(self.clear)
        cursor.moved.connect(self._moved)
        theme.changed.connect(self._draw_modes)

    def _marks(self) -> QHBoxLayout:
        """What the part meets, and how its marked first tooth stands to it."""
        row = QHBoxLayout()
        self.meets = note("")
        row.addWidget(self.meets, 1)
        row.addWidget(Label("Tooth 1 meets"))
        self.marked = Count()
        self.marked.setAccessibleName("Tooth of the mate that meets tooth 1")
        self.marked.setToolTip(
            "Tooth 1 is the one with the pen mark; which tooth of the mate it meets when the "
            "drive is put together. Teeth are counted counter-clockwise, both seen from one side."
        )
        self.marked.setRange(0, 2000)
        self.marked.setSpecialValueText("not known")
        self.marked.setKeyboardTracking(False)
        self.marked.setButtonSymbols(Count.ButtonSymbols.NoButtons)
        self.marked.valueChanged.connect(self._marked)
        row.addWidget(self.marked)
        return row

    def mate(self) -> str:
        """The part that it meets first; "": none."""
        part = self.caret.part
        if part is None:
            return ""
        stage = self.desk.build.stages[part.stage]
        for c in stage.contacts():
            if part.body.name in (c.a, c.b):
                other = c.b if part.body.name == c.a else c.a
                number = " 1" if "planet" in other and hasattr(stage, "planets") else ""
                return f"stage {part.stage + 1} {other}{number}"
        return ""

    def _marked(self, tooth: int) -> None:
        look, part = self.desk.look, self.caret.part
        if look is None or part is None:
            return
        others = tuple(m for m in look.marks if m.part != part.name)
        mark = Mark(part=part.name, how="pen", mate=self.mate(), meets=tooth or None)
        self.desk.edit_look(("marks",), (*others, mark), f"mark on {part.name}")

    def _pen(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        self.mode = Choice()
        self.mode.setAccessibleName("Mode of damage")
        self.mode.setIconSize(QSize(_DRAWN, _DRAWN))
        self.mode.setMinimumContentsLength(12)
        self.mode.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for m in MODES:
            self.mode.addItem(f"{m.title}   {m.key}", m.id)
        self.mode.activated.connect(lambda _n: self.mark(self.mode.currentData()))
        row.addWidget(self.mode, 1)
        self.spot = Choice()
        self.spot.setAccessibleName("Spot")
        for spot in (*[s for s, _ in ROWS], *BODY_SPOTS):
            self.spot.addItem(spot, spot)
        self.spot.activated.connect(
            lambda _n: self.caret.go(self.caret.tooth, self.spot.currentData())
        )
        row.addWidget(self.spot)
        self._draw_modes()
        return row

    def _draw_modes(self) -> None:
        for n, m in enumerate(MODES):
            self.mode.setItemIcon(n, QIcon(drawing(m)))
            self.mode.setItemData(n, m.look[0].upper() + m.look[1:], 3)  # its tool tip

    def _details(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.end, self.height_ = Choice(), Choice()
        self.end.setAccessibleName("End of the face")
        self.end.addItems(_ENDS)
        self.end.activated.connect(lambda _n: self._put("end", self.end.currentText()))
        self.height_.setAccessibleName("Height on the flank")
        self.height_.addItems(["any height", *_HEIGHTS[1:]])
        self.height_.activated.connect(
            lambda n: self._put("height", _HEIGHTS[self.height_.currentIndex()])
        )
        info = Seen.quantity("extent")
        assert info is not None
        self.extent = QuantityField(
            info, "mm", self._extent, optional=True, name="Extent of the damage"
        )
        self.note = QLineEdit()
        self.note.setAccessibleName("Note on the observation")
        self.note.setPlaceholderText("note")
        self.extent.setPlaceholderText("extent")
        self.note.editingFinished.connect(self._noted)
        for field, share in ((self.end, 0), (self.height_, 0), (self.extent, 2), (self.note, 3)):
            field.setToolTip(field.accessibleName())
            row.addWidget(field, share)
        return row

    # --- showing ----------------------------------------------------------------------------------

    def places_of(self) -> list[int]:
        """Where the observations of this part stand in the inspection."""
        look, part = self.desk.look, self.caret.part
        if look is None or part is None:
            return []
        return [n for n, s in enumerate(look.seen) if s.part == part.name]

    def refresh(self) -> None:
        look = self.desk.look
        here = self.places_of()
        kept = self._at()
        rows = []
        for n in here:
            assert look is not None
            s = look.seen[n]
            teeth = numbers(s.teeth) if s.teeth else "all" if s.spot in dict(ROWS) else "–"
            rows.append([BY_ID[s.mode].title, s.spot, teeth, str(s.severity)])
        self.table.blockSignals(True)
        self.table.fill(rows)
        if rows:
            self.table.selectRow(here.index(kept) if kept in here else len(rows) - 1)
        self.table.blockSignals(False)
        mark = None
        if look is not None and self.caret.part is not None:
            mark = next((m for m in look.marks if m.part == self.caret.part.name), None)
        self.marked.blockSignals(True)
        self.marked.setValue(mark.meets if mark is not None and mark.meets else 0)
        self.marked.setEnabled(look is not None and bool(self.mate()))
        self.marked.blockSignals(False)
        self._chosen()

    def _at(self) -> int | None:
        """The observation that is selected, as it stands in the inspection."""
        here, row = self.places_of(), self.table.currentRow()
        return here[row] if 0 <= row < len(here) else None

    def _chosen(self) -> None:
        look, at = self.desk.look, self._at()
        s = look.seen[at] if look is not None and at is not None else None
        for w in (self.end, self.height_, self.extent, self.note):
            w.setEnabled(s is not None)
        if s is not None:
            self.end.setCurrentText(s.end)
            self.height_.setCurrentIndex(_HEIGHTS.index(s.height))
            self.extent.set_value(s.extent)
            self.note.setText(s.note)
            self.mode.setCurrentIndex(self.mode.findData(s.mode))

    def _moved(self) -> None:
        self.spot.setCurrentIndex(self.spot.findData(self.caret.spot))

    # --- marking ----------------------------------------------------------------------------------

    def mark(self, mode: str) -> None:
        """Marks what is selected."""
        c, look = self.caret, self.desk.look
        if c.part is None:
            return
        if look is None:
            self.desk.said.emit("There is no inspection yet. Begin one first (Ctrl+Shift+I).")
            return
        new = Seen(part=c.part.name, spot=c.spot, mode=mode, teeth=c.chosen)
        seen = list(look.seen)
        alike = next(
            (n for n in self.places_of() if seen[n].spot == c.spot and seen[n].mode == mode), None
        )
        if alike is None:
            seen.append(new)
        else:
            old = seen[alike]
            whole = not c.chosen or not old.teeth
            teeth = () if whole else tuple(sorted({*old.teeth, *c.chosen}))
            seen[alike] = old.model_copy(update={"teeth": teeth})
        self._keep(seen, f"{BY_ID[mode].title} on {c.part.name}")

    def grade(self, severity: int) -> None:
        """Severity of what is seen where the cursor is."""
        look, c = self.desk.look, self.caret
        if look is None:
            return
        here = [n for n in self.places_of() if self._is_at(look.seen[n])]
        at = here[-1] if here else self._at()
        if at is None or look.seen[at].severity == severity:
            return
        seen = list(look.seen)
        seen[at] = seen[at].model_copy(update={"severity": severity})
        self._keep(seen, f"severity on {c.part.name if c.part else 'the part'}")

    def clear(self) -> None:
        """Takes away what is seen where the cursor is: from the selected teeth, or altogether."""
        look, c = self.desk.look, self.caret
        if look is None or c.part is None:
            return
        mine, chosen, seen = set(self.places_of()), set(c.chosen), []
        for n, s in enumerate(look.seen):
            if n not in mine or not self._is_at(s):
                seen.append(s)
            elif chosen:
                whole = s.teeth or tuple(range(1, c.teeth + 1))
                if left := tuple(t for t in whole if t not in chosen):
                    seen.append(s.model_copy(update={"teeth": left}))
        self._keep(seen, f"observation removed from {c.part.name}")

    def _is_at(self, s: Seen) -> bool:
        c = self.caret
        return s.spot == c.spot and (not s.teeth or not c.chosen or bool({*s.teeth} & {*c.chosen}))

    def _keep(self, seen: list[Seen], text: str) -> None:
        if refused := self.desk.edit_look(("seen",), tuple(seen), text):
            self.desk.said.emit(refused)

    def _put(self, name: str, value: object) -> None:
        at = self._at()
        if at is not None and (refused := self.desk.edit_look(("seen", at, name), value, name)):
            self.desk.said.emit(refused)

    def _noted(self) -> None:
        if self.note.isModified():
            self._put("note", self.note.text().strip()[:400])

    def _extent(self, value: Measured | None) -> str | None:
        at = self._at()
        if at is None:
            return "Select an observation first."
        return self.desk.edit_look(("seen", at, "extent"), value, "extent of the damage")
