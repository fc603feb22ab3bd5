"""What is gone through before power: the care notes, and the list of what to look at."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from sparring.core.rig import Check
from sparring.ui.model.desk import Desk
from sparring.ui.pages.rig.care import CarePanel
from sparring.ui.widgets.parts import heading
from sparring.ui.widgets.ticked import Clickable


class Checklist(QWidget):
    """What to look at before a run. What was found loose is counted, and stands first the next
    time.
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.care = CarePanel(desk)
        column.addWidget(self.care)
        column.addSpacing(6)
        column.addWidget(heading("Checks before power"))
        self.rows = QVBoxLayout()
        self.rows.setSpacing(2)
        column.addLayout(self.rows)
        add = QHBoxLayout()
        self.text = QLineEdit()
        self.text.setPlaceholderText("another check")
        self.text.setAccessibleName("Another check for the list")
        self.text.returnPressed.connect(self._add)
        add.addWidget(self.text, 1)
        clear = QPushButton("Untick all")
        clear.clicked.connect(self._untick)
        add.addWidget(clear)
        column.addLayout(add)
        column.addStretch(1)
        self._ticked: set[str] = set()
        self._shown: tuple[Check, ...] = ()
        desk.rig_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        checks = tuple(sorted(self.desk.rig.checks, key=lambda c: -c.loose))
        if checks == self._shown:
            return
        self._shown = checks
        while self.rows.count():
            item = self.rows.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for check in checks:
            line = QWidget()
            row = QHBoxLayout(line)
            row.setContentsMargins(0, 0, 0, 0)
            box = QCheckBox()
            box.setAccessibleName(check.text)
            box.setChecked(check.text in self._ticked)
            box.toggled.connect(
                lambda on, text=check.text: (self._ticked.add if on else self._ticked.discard)(text)
            )
            row.addWidget(box)
            text = Clickable(check.text + (f" (loose {check.loose} ×)" if check.loose else ""), box)
            row.addWidget(text, 1)
            loose = QPushButton("was loose")
            loose.setObjectName("quiet")
            loose.setAccessibleName(f"{check.text}: was loose")
            loose.clicked.connect(lambda _on, text=check.text: self._loose(text))
            row.addWidget(loose)
            self.rows.addWidget(line)

    def _loose(self, text: str) -> None:
        checks = tuple(
            c.model_copy(update={"loose": c.loose + 1}) if c.text == text else c
            for c in self.desk.rig.checks
        )
        self.desk.edit("rig", ("checks",), checks, "mark of a loose check")

    def _add(self) -> None:
        text = self.text.text().strip()
        if text and all(c.text != text for c in self.desk.rig.checks):
            reason = self.desk.edit(
                "rig", ("checks",), (*self.desk.rig.checks, Check(text=text)), "adding a check"
            )
            if reason:
                self.desk.said.emit(reason)
                return
        self.text.clear()

    def _untick(self) -> None:
        self._ticked.clear()
        self._shown = ()
        self.refresh()
