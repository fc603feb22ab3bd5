"""The title block at the bottom, as on a drawing."""

from __future__ import annotations

from datetime import date
from typing import NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.plain import tip


class Cell(NamedTuple):
    """A cell of the title block: its heading, and the place or command that changes it."""

    heading: str
    place: str


class TitleBlock(QWidget):
    """As on a drawing: build, train, rig, calibration, plan, recorded, units; each a button to
    change it.
    """

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setFixedHeight(50)
        self.setAutoFillBackground(True)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.cells: dict[str, _TitleCell] = {}
        for cell, stretch in (
            (Cell("Build", "build.family"), 18),
            (Cell("Train", "build.train"), 21),
            (Cell("Rig", "rig.chosen"), 15),
            (Cell("Calibrated", "rig.calibration"), 15),
            (Cell("Plan", "plan"), 13),
            (Cell("Recorded", "results"), 14),
            (Cell("Units", "view.units"), 11),
        ):
            button = _TitleCell(cell)
            button.clicked.connect(lambda _c=False, place=cell.place: self.wanted.emit(place))
            row.addWidget(button, stretch)
            self.cells[cell.place] = button
        for signal in (
            desk.build_changed,
            desk.rig_changed,
            desk.plan_changed,
            desk.result_changed,
            desk.units_changed,
            desk.lists_changed,
            theme.changed,
        ):
            signal.connect(self.refresh)

    def refresh(self) -> None:
        d = self.desk
        cal = d.rig.calibration
        age = "not calibrated"
        if cal:
            days = (date.today() - date.fromisoformat(cal.date)).days
            age = f"{days} days ago" if days != 1 else "yesterday"
            age = "today" if days == 0 else age
        kept = sum(1 for r in d.runs if not r.struck)
        texts = {
            "build.family": f"{d.build.name}  {d.build.title}",
            "build.train": d.build.train_in_words(),
            "rig.chosen": f"{d.rig.name}, {d.rig.method.word}",
            "rig.calibration": age + (f", {cal.cell}" if cal else ""),
            "plan": d.plan_in_short(),
            "results": (f"{kept} run{'' if kept == 1 else 's'}, saved" if kept else "no runs yet"),
            "view.units": " ".join(d.units[k] for k in ("torque", "speed", "mass")),
        }
        for place, text in texts.items():
            self.cells[place].set_text(text)


class _TitleCell(QPushButton):
    def __init__(self, cell: Cell) -> None:
        super().__init__()
        self.cell, self.value = cell, ""
        self.setMinimumWidth(60)
        self.setFixedHeight(50)

    def set_text(self, text: str) -> None:
        self.value = text
        self.setToolTip(tip(text))
        self.setAccessibleName(f"{self.cell.heading}: {text}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.colour("pale" if self.underMouse() else "sheet"))
        p.setPen(theme.colour("rule"))
        p.drawLine(0, 0, self.width(), 0)
        p.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
        p.setPen(theme.colour("ink-2"))
        p.setFont(font(11))
        p.drawText(12, 19, self.cell.heading)
        p.setPen(theme.colour("ink"))
        p.setFont(font(13))
        p.drawText(
            12,
            38,
            p.fontMetrics().elidedText(self.value, Qt.TextElideMode.ElideRight, self.width() - 20),
        )
        if self.hasFocus():
            p.setPen(theme.colour("reseda"))
            p.drawRect(self.rect().adjusted(1, 1, -2, -2))
