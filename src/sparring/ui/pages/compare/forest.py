"""Each difference with its interval, and what it says."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QWidget

from sparring.core.compare.comparison import Comparison, Difference
from sparring.core.compare.why import more_in_words
from sparring.ui.model.desk import Desk
from sparring.ui.pages.compare.looks import look
from sparring.ui.pages.compare.shown import apart_factor, apart_unit
from sparring.ui.theme import font, theme

_ROW, _TOP, _FOOT = 44, 6, 26
_SIDE = 12


class Forest(QWidget):
    """One row a difference; Enter shows them as a table."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.dialog: QDialog | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Differences with their intervals")
        theme.changed.connect(self.update)

    def _side(self) -> Comparison | None:
        found = self.desk.comparing.found
        return None if found is None else found.comparison

    def refresh(self) -> None:
        side = self._side()
        rows = [] if side is None else side.differences
        self.setAccessibleDescription(
            "; ".join(f"{self.name_of(d)}: {self.told(d)}" for d in rows[:20])
            or "No two builds have this figure"
        )
        self.setMinimumHeight(_TOP + _FOOT + _ROW * len(rows))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(280, self.minimumHeight())

    def name_of(self, d: Difference) -> str:
        side = self._side()
        assert side is not None
        own, other = side.subjects[d.subject].name, side.subjects[d.reference].name
        if side.reference is not None:
            return own
        family = own.rpartition(" r")[0]
        return f"{own} − {other.removeprefix(family + ' ') if family else other}"

    def told(self, d: Difference) -> str:
        """Its verdict in words."""
        side = self._side()
        assert side is not None
        better = side.figure.better
        if d.verdict:
            words = {1: "better", -1: "worse"} if better else {1: "higher", -1: "lower"}
            return words[d.verdict]
        if d.same < 0.05:
            return "the same within the margin"
        more = d.more
        if more is not None and more.lifts is not None:
            return f"not distinguishable: {more.lifts} more run{'s' * (more.lifts > 1)}"
        if more is not None and more.blame:
            return f"not distinguishable: {more.blame} differs"
        return "not distinguishable"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.colour("sheet"))
        side = self._side()
        if side is None or not side.differences:
            p.setPen(theme.colour("ink-2"))
            p.setFont(font(12))
            text = (
                "No two of these have this figure here."
                if side is not None and len(side.subjects) > 1
                else "Tick two builds or more in the logbook."
            )
            p.drawText(self.rect().adjusted(4, 8, -4, 0), Qt.TextFlag.TextWordWrap, text)
        else:
            self._paint(p, side)
        if self.hasFocus():
            p.setPen(QPen(theme.colour("reseda"), 2))
            p.drawRect(self.rect().adjusted(1, 1, -2, -2))

    def _paint(self, p: QPainter, side: Comparison) -> None:
        one = apart_factor(self.desk, side.figure.kind)
        rows = side.differences
        ends = np.array([(d.low, d.high) for d in rows]) / one
        known = ends[np.isfinite(ends).all(axis=1)]
        values = np.array([d.value for d in rows]) / one
        low = min(0.0, float(known.min(initial=0.0)), float(values.min()))
        high = max(0.0, float(known.max(initial=0.0)), float(values.max()))
        room = 0.06 * (high - low) or 1.0
        low, high = low - room, high + room
        wide = self.width() - 2 * _SIDE

        def at(x: float) -> float:
            return _SIDE + wide * (x - low) / (high - low)

        bottom = _TOP + _ROW * len(rows)
        margin = side.margin / one
        band = QRectF(at(max(-margin, low)), _TOP, 0, bottom - _TOP)
        band.setRight(at(min(margin, high)))
        p.fillRect(band, theme.colour("pale"))
        p.setPen(QPen(theme.colour("ink-2"), 1))
        p.drawLine(int(at(0.0)), _TOP, int(at(0.0)), bottom)
        for n, d in enumerate(rows):
            self._row(p, side, n, d, at, one, low, high)
        p.setFont(font(11))
        p.setPen(theme.colour("ink-2"))
        for x in _ticks(low, high):
            text = "0" if x == 0 else f"{x:+g}".replace("-", "−")
            p.drawText(QRectF(at(x) - 30, bottom + 4, 60, 16), Qt.AlignmentFlag.AlignHCenter, text)

    def _row(
        self,
        p: QPainter,
        side: Comparison,
        n: int,
        d: Difference,
        at: Any,
        one: float,
        low: float,
        high: float,
    ) -> None:
        y = _TOP + _ROW * n
        colour = theme.colour(look(d.subject).colour)
        p.setFont(font(12, bold=True))
        p.setPen(colour)
        self._words(p, y, self.name_of(d), Qt.AlignmentFlag.AlignLeft)
        middle = y + 23
        if math.isfinite(d.low):
            p.setPen(QPen(colour, 2))
            p.drawLine(
                int(at(max(d.low / one, low))), middle, int(at(min(d.high / one, high))), middle
            )
        p.setPen(QPen(colour, 2))
        p.setBrush(colour if d.verdict else theme.colour("sheet"))
        p.drawEllipse(QRectF(at(d.value / one) - 4, middle - 4, 8, 8))
        p.setFont(font(11))
        p.setPen(theme.colour("ink" if d.verdict else "ink-2"))
        text = self.told(d)
        right = p.fontMetrics().horizontalAdvance(text) < self.width() - 2 * _SIDE
        end = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        self._words(p, y + 28, text, end)

    def _words(self, p: QPainter, y: float, text: str, end: Qt.AlignmentFlag) -> None:
        """A line of text on its own ground, so that no line crosses it."""
        area = QRectF(_SIDE, y, self.width() - 2 * _SIDE, 16)
        text = p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(area.width()))
        p.fillRect(p.boundingRect(area, end, text).adjusted(-2, 0, 2, -1), theme.colour("sheet"))
        p.drawText(area, end, text)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.show_table()
        else:
            super().keyPressEvent(event)

    def mouseDoubleClickEvent(self, event: Any) -> None:
        self.show_table()

    def show_table(self) -> None:
        """All differences as a table."""
        from sparring.ui.widgets.chart_table import ChartTable

        side = self._side()
        if side is None:
            return
        one, unit = (
            apart_factor(self.desk, side.figure.kind),
            apart_unit(self.desk, side.figure.kind),
        )
        head = ["difference", unit or "value", "from", "to", "p (Holm)", "blocks paired", "says"]
        lines: list[list[Any]] = [
            [
                self.name_of(d),
                d.value / one,
                d.low / one if math.isfinite(d.low) else "–",
                d.high / one if math.isfinite(d.high) else "–",
                f"{d.adjusted:.2g}",
                float(d.paired),
                more_in_words(d) or self.told(d),
            ]
            for d in side.differences
        ]
        self.dialog = ChartTable("Differences", head, lines, self)
        self.dialog.open()


def _ticks(low: float, high: float) -> list[float]:
    """Round figures between two, zero among them where it is between."""
    span = high - low
    step = 10.0 ** math.floor(math.log10(span / 3))
    step *= next(k for k in (1, 2, 5, 10) if span / (k * step) <= 5)
    return [round(k * step, 10) for k in range(math.ceil(low / step), math.floor(high / step) + 1)]
