"""The common conditions, in one line above the page."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QLineEdit, QMenu, QPushButton, QWidget

from sparring.core import quantity
from sparring.core.compare.choice import Choice as Chosen
from sparring.core.compare.figures import BY_ID, FIGURES
from sparring.core.quantity import QuantityError
from sparring.core.uncertainty import nominal
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import narrow
from sparring.ui.widgets.plain import Label


class Typed(QLineEdit):
    """A text that is taken with Enter or on leaving; Escape brings back what held."""

    def __init__(self, name: str, tool: str, width: int) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setToolTip(tool)
        self.setFixedWidth(width)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.shown = ""

    def show_text(self, text: str) -> None:
        self.shown = text
        if not self.isModified():
            self.setText(text)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.isModified():
            self.setText(self.shown)
            self.setModified(False)
            return
        super().keyPressEvent(event)


class Bar(QWidget):
    """Figure, torque, voltage, reference and margin; choices under a name."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.saved = QPushButton("Choices")
        self.saved.setToolTip("Builds chosen before, and queries, kept under a name")
        self._menu = QMenu(self)
        self._menu.aboutToShow.connect(self._fill_menu)
        self.saved.setMenu(self._menu)
        row.addWidget(self.saved)
        self.figure = narrow(Choice())
        self.figure.setAccessibleName("Compared in")
        self.figure.setMinimumContentsLength(17)
        for f in FIGURES:
            self.figure.addItem(f.words, f.id)
        self.figure.activated.connect(
            lambda n: desk.comparing.want(figure=self.figure.itemData(n), margin=None)
        )
        row.addWidget(self.figure)
        row.setStretchFactor(self.figure, 3)
        self.torque = Typed("At torque", "A torque at the output, or a share of stall: 40 %", 88)
        self.voltage = Typed("At voltage", "Empty: the voltage that most tests share", 60)
        self.margin = Typed("Same within", "Margin within which two count as the same", 86)
        self.reference = narrow(Choice())
        self.reference.setAccessibleName("Against")
        self.reference.activated.connect(self._take_reference)
        for field, take in (
            (self.torque, self._take_torque),
            (self.voltage, self._take_voltage),
            (self.margin, self._take_margin),
        ):
            field.editingFinished.connect(take)
        self._add(row, "at", self.torque)
        row.addWidget(self.voltage)
        self._add(row, "against", self.reference)
        row.setStretchFactor(self.reference, 2)
        self._add(row, "same ±", self.margin)

    def _add(self, row: QHBoxLayout, words: str, field: QWidget) -> None:
        label = Label(words)
        label.setBuddy(field)
        row.addWidget(label)
        row.addWidget(field)

    def refresh(self) -> None:
        comparing = self.desk.comparing
        wanted, found = comparing.wanted, comparing.found
        self.figure.setCurrentIndex(self.figure.findData(wanted.figure))
        names = [] if found is None else [s.name for s in found.comparison.subjects]
        pairs = [tuple(c) for c in comparing.choices]
        self.reference.clear()
        self.reference.addItem("each other", None)
        for pair, name in zip(pairs, names, strict=False):
            self.reference.addItem(name, pair)
        at = pairs.index(wanted.reference) + 1 if wanted.reference in pairs else 0
        self.reference.setCurrentIndex(min(at, self.reference.count() - 1))
        if found is None:
            return
        side = found.comparison
        shown = (
            self.desk.three(side.at.torque, "torque")
            if side.at.share is None
            else f"{100 * side.at.share:.3g} %"
        )
        self.torque.show_text(shown)
        self.voltage.show_text(f"{side.at.voltage:.4g} V")
        kind = side.figure.kind
        if kind == "ratio":
            self.margin.show_text(f"{100 * side.margin:.3g} points")
        elif kind == "count":
            self.margin.show_text(f"{side.margin:.3g}")
        else:
            self.margin.show_text(self.desk.three(side.margin, kind))

    # --- what is typed ----------------------------------------------------------------------------

    def _take_torque(self) -> None:
        text = self.torque.text().strip()
        if not self.torque.isModified():
            return
        if not text:
            self._taken(self.torque, torque=None, share=None)
        elif text.endswith("%"):
            self._parsed(self.torque, text, "ratio", "share", torque=None)
        else:
            self._parsed(self.torque, text, "torque", "torque", share=None)

    def _take_voltage(self) -> None:
        if self.voltage.isModified():
            text = self.voltage.text().strip()
            if text:
                self._parsed(self.voltage, text, "voltage", "voltage")
            else:
                self._taken(self.voltage, voltage=None)

    def _take_margin(self) -> None:
        if not self.margin.isModified():
            return
        text = self.margin.text().strip()
        kind = BY_ID[self.desk.comparing.wanted.figure].kind
        if not text:
            self._taken(self.margin, margin=None)
        elif kind == "ratio":
            text = text.removesuffix("points").strip()
            self._parsed(self.margin, text if text.endswith("%") else f"{text} %", kind, "margin")
        else:
            self._parsed(self.margin, text, kind, "margin")

    def _parsed(self, field: Typed, text: str, kind: str, name: str, **more: object) -> None:
        bare = "" if kind == "count" else self.desk.units[kind]
        try:
            value = quantity.parse(text, kind, bare).value
            if not value > 0:
                raise QuantityError(f"{text} is not above zero")
        except QuantityError as err:
            self.desk.said.emit(f"{field.accessibleName()}: {err}")
            return
        self._taken(field, **{name: value}, **more)

    def _taken(self, field: Typed, **fields: object) -> None:
        field.setModified(False)
        self.desk.comparing.want(**fields)

    def _take_reference(self, n: int) -> None:
        pair = self.reference.itemData(n)
        self.desk.comparing.want(reference=None if pair is None else tuple(pair))

    def at(self, torque: float) -> None:
        """Compares at a torque [N·m], to three digits in the tester's unit."""
        text = self.desk.three(torque, "torque")
        self.desk.comparing.want(torque=quantity.parse(text, "torque").value, share=None)

    def sort(self, figure: str) -> None:
        """Puts the builds in the order of a figure, best first."""
        found = self.desk.comparing.found
        if found is None:
            return
        row = next(r for r in found.comparison.rows if r.figure.id == figure)
        sign = -(row.figure.better or 1)

        def key(pair: tuple[Chosen, int]) -> tuple[bool, float]:
            known = row.cells[pair[1]]
            return known is None, 0.0 if known is None else sign * nominal(known.value)

        choices = self.desk.comparing.choices
        ordered = sorted(zip(choices, range(len(choices)), strict=True), key=key)
        self.desk.comparing.choose([c for c, _ in ordered])

    # --- choices under a name ---------------------------------------------------------------------

    def _fill_menu(self) -> None:
        menu, comparing = self._menu, self.desk.comparing
        menu.clear()
        names = sorted(comparing.saved())
        for name in names:
            menu.addAction(name, lambda name=name: comparing.take_saved(name))
        if names:
            menu.addSeparator()
        menu.addAction("Save this choice …", self.save)
        if comparing.query:
            menu.addAction(f"Save “{comparing.query}” …", lambda: self.save(comparing.query))
        menu.addAction("None", lambda: comparing.choose([]))
        if names:
            forget = menu.addMenu("Forget")
            if forget is not None:
                for name in names:
                    forget.addAction(name, lambda name=name: comparing.drop_saved(name))

    def save(self, query: str = "") -> None:
        """Asks for the name under which a choice, or a query, is kept."""
        dialog = QInputDialog(self)
        dialog.setWindowTitle("Save this choice")
        dialog.setLabelText("Name of the query" if query else "Name of these builds")
        dialog.textValueSelected.connect(
            lambda name: self.desk.comparing.save_as(name.strip(), query) if name.strip() else None
        )
        dialog.open()
