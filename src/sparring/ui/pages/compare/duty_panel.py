"""Which drive does the duty: all of them ranked, what limits each, and the chosen one in detail."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QSizePolicy,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from sparring.core import quantity
from sparring.core.duty.meets import LIMITS, InSegment, Met, least_margin
from sparring.ui.model.comparing import DRIVES
from sparring.ui.model.desk import Desk
from sparring.ui.pages.compare.duty_form import DutyForm
from sparring.ui.theme import theme
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import Table, heading, note, sheet

_SURE = 0.9
_CHANCE = Qt.ItemDataRole.UserRole + 5


class _Bar(QStyledItemDelegate):
    """A chance with a bar under it."""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: object) -> None:
        super().paint(painter, option, index)  # type: ignore[arg-type]
        chance = index.data(_CHANCE)  # type: ignore[attr-defined]
        if painter is None or chance is None:
            return
        area = QRectF(option.rect).adjusted(4, option.rect.height() - 4, -4, -1)
        painter.fillRect(area, theme.colour("pale"))
        area.setWidth(area.width() * chance)
        painter.fillRect(area, theme.colour("reseda" if chance >= _SURE else "amber"))


class DutyPanel(QWidget):
    """The duty on the desk against the drives of the logbook."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        frame, column = sheet(margins=8)
        frame.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)
        self.form = DutyForm(desk)
        column.addWidget(self.form)
        row.addWidget(frame)
        beside = QVBoxLayout()
        beside.setSpacing(6)
        beside.addWidget(self._ranking(), 5)
        beside.addWidget(self._detail(), 3)
        beside.addWidget(self.form.segments, 4)
        row.addLayout(beside, 1)
        desk.comparing.duty_changed.connect(self.refresh)
        desk.units_changed.connect(self.refresh)

    def _ranking(self) -> QWidget:
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        row.addWidget(heading("Which drive"))
        row.addStretch(1)
        self.drives = Choice()
        self.drives.setAccessibleName("Drives that are looked at")
        self.drives.addItems(list(DRIVES))
        self.drives.activated.connect(lambda n: self.desk.comparing.want(drives=DRIVES[n]))
        row.addWidget(self.drives)
        column.addLayout(row)
        self.table = Table(
            ["drive", "meets it", "margin", "energy", "worn after", "limit"],
            "Drives by how surely they do the duty",
            4,
            left=(5,),
            wraps=True,
        )
        self.table.setItemDelegateForColumn(1, _Bar(self.table))
        head = self.table.verticalHeader()
        if head is not None:
            head.setDefaultSectionSize(26)
        self.table.itemSelectionChanged.connect(self._show_chosen)
        column.addWidget(self.table, 1)
        self.told = note("")
        column.addWidget(self.told)
        return frame

    def _detail(self) -> QWidget:
        frame, column = sheet(margins=8)
        self.title = heading("In each segment")
        column.addWidget(self.title)
        self.segments = Table(
            ["segment", "chance", "× speed", "× stall", "× break", "× hold", "η"],
            "The chosen drive in each segment",
            1,
        )
        self.segments.setToolTip(
            "Margins: speed over the one asked for; torque that stalls, breaks or back-drives it "
            "over that of the segment"
        )
        column.addWidget(self.segments, 1)
        self.table.setToolTip(
            "Margin: the least of speed, stall, strength and holding over what is asked; energy of "
            "a cycle; cycles until a flank is worn"
        )
        return frame

    # --- showing ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        if not self.isVisible():
            return
        comparing = self.desk.comparing
        comparing.look_at_duty()
        self.drives.setCurrentText(comparing.wanted.drives)
        ranking = comparing.ranking
        found = () if ranking is None else ranking.found
        self.table.blockSignals(True)
        kept = self.table.currentRow()
        self.table.fill([self._row(m) for m in found])
        for r, m in enumerate(found):
            item = self.table.item(r, 1)
            if item is not None:
                item.setData(_CHANCE, None if math.isnan(m.probability) else m.probability)
        self.table.setCurrentCell(max(0, min(kept, len(found) - 1)), 0)
        self.table.blockSignals(False)
        self.told.setText(self._in_words())
        self._show_chosen()

    def _row(self, m: Met) -> list[str]:
        p = "–" if math.isnan(m.probability) else f"{100 * m.probability:.0f} %"
        limit = LIMITS.get(m.limit, "none")
        part = f", {m.part}" if m.part else ""
        margin = least_margin(m)
        name = m.candidate.name if m.candidate.measured else f"({m.candidate.name})"
        return [
            name,
            p,
            "–" if math.isinf(margin) else f"{margin:.2f}",
            self.desk.three(m.energy, "energy"),
            "–" if math.isnan(m.wears) else _rough(m.wears),
            f"{limit}{part}",
        ]

    def _in_words(self) -> str:
        comparing = self.desk.comparing
        if comparing.duty_failed:
            return comparing.duty_failed
        ranking = comparing.ranking
        if ranking is None:
            return "It is being worked out."
        if not ranking.found:
            return "No drive with a motor to look at."
        text = f"{ranking.looked_at} drives looked at. "
        if ranking.looked_at > len(ranking.found):
            text += f"The best {len(ranking.found)} are listed. "
        if any(m.meets for m in ranking.found):
            return (
                text
                + "In brackets: not measured as it stands. Predicted strengths scatter by 15 %."
            )
        either = [n for n in comparing.needs if n.either]
        rest = [n for n in comparing.needs if not n.either]
        said = []
        if either:
            said.append(" or ".join(f"{n.words} {self._need(n.value, n.kind)}" for n in either))
        said += [f"{n.words} {self._need(n.value, n.kind)}" for n in rest]
        name = ranking.found[0].candidate.name
        needs = "; and ".join(said) or "more than one change"
        return f"{text}None does it. Nearest is {name}, which would need {needs}."

    def _need(self, value: float, kind: str) -> str:
        return f"{value:.3g}" if kind == "ratio" else self.desk.three(value, kind)

    def _show_chosen(self) -> None:
        ranking, n = self.desk.comparing.ranking, self.table.currentRow()
        if ranking is None or not 0 <= n < len(ranking.found):
            self.segments.fill([])
            return
        m = ranking.found[n]
        most = max((s.current for s in m.segments), default=0.0)
        self.title.setText(
            f"{m.candidate.name}: at most {self.desk.three(most, 'current')}, winding "
            f"{m.winding - 273.15:.0f} °C, magnets {m.magnets - 273.15:.0f} °C"
        )
        todo = self.desk.duty.todo
        rows = [self._segment(s.note or s.kind, x) for s, x in zip(todo, m.segments, strict=False)]
        self.segments.fill(rows)

    def _segment(self, words: str, x: InSegment) -> list[str]:
        efficiency = quantity.show(
            None if math.isnan(x.efficiency) else x.efficiency, "ratio", "%", decimals=1
        )
        return [
            words,
            f"{100 * x.reaches:.0f} %",
            _times(x.speed_margin),
            _times(x.stall_margin),
            _times(x.strength_margin),
            _times(x.holding_margin),
            efficiency,
        ]


def _times(x: float) -> str:
    if math.isnan(x):
        return "–"
    return "∞" if math.isinf(x) else f"{x:.2f}" if x < 9.995 else f"{x:.0f}"


def _rough(x: float) -> str:
    """Two digits: cycles of a life are not known better."""
    return f"{float(f'{x:.2g}'):,.0f}".replace(",", "\N{NARROW NO-BREAK SPACE}")
