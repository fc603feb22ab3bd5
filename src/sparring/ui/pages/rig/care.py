"""The care notes of the rig in hand, and who has confirmed them."""

from __future__ import annotations

from datetime import date

from PyQt6.QtWidgets import QLineEdit, QPushButton, QVBoxLayout, QWidget

from sparring.core.care import CareRead, care_notes
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.parts import heading
from sparring.ui.widgets.plain import Label


class CarePanel(QWidget):
    """Confirmed once for each rig, by name; the date is today's."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(heading("Care"))
        self.notes = Label()
        self.notes.setWordWrap(True)
        column.addWidget(self.notes)
        self.ask = QWidget()
        row = QVBoxLayout(self.ask)
        row.setContentsMargins(0, 0, 0, 0)
        self.name = QLineEdit(str(desk.settings.value("name", "") or ""))
        self.name.setPlaceholderText("your name")
        self.name.setAccessibleName("Name of the person confirming the care notes")
        self.name.returnPressed.connect(self.confirm)
        row.addWidget(self.name)
        self.button = QPushButton("I have read this")
        self.button.clicked.connect(self.confirm)
        row.addWidget(self.button)
        column.addWidget(self.ask)
        self.said = Label()
        self.said.setObjectName("note")
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        desk.rig_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        rig = self.desk.rig
        self.notes.setText("\n".join(care_notes(rig.method)))
        self.ask.setVisible(not rig.care_confirmed)
        read = rig.care_read
        self.said.setText(
            f"Confirmed by {read.by} on {read.on} for this {rig.method.word}."
            if read is not None and rig.care_confirmed
            else ""
        )
        self.said.setVisible(rig.care_confirmed)

    def confirm(self) -> None:
        """Keeps the name, undoably."""
        name = self.name.text().strip()
        if not name:
            self.desk.said.emit("Type your name first: it is saved with the rig and the date.")
            self.name.setFocus()
            return
        self.desk.settings.setValue("name", name)
        read = CareRead(
            by=name[:80], on=f"{date.today():%Y-%m-%d}", method=self.desk.rig.method.kind
        )
        if reason := self.desk.edit("rig", ("care_read",), read, "confirmation of the care notes"):
            self.desk.said.emit(reason)
