"""All teeth of a part in a row: the higher a bar, the worse; so a pattern from tooth to tooth
shows.
"""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen

from sparring.core.wear.inspection import Spot
from sparring.ui.pages.wear.cursor import ROWS, Cursor
from sparring.ui.pages.wear.on_teeth import OnTeeth
from sparring.ui.theme import font, theme

_HEAD, _LEFT, _GAP = 18, 96, 3  # [px]
_WORST = 5


class Strip(OnTeeth):
    """A row a spot, a column a tooth; the keys are those of the drawing."""

    def __init__(self, caret: Cursor) -> None:
        super().__init__(caret, "All teeth in a row")
        self.setMinimumHeight(_HEAD + (len(ROWS) + 1) * 17)

    def sizeHint(self) -> QSize:
        return QSize(400, _HEAD + (len(ROWS) + 1) * 34)

    def _cell(self, tooth: int, row: int) -> QRectF:
        n = max(self.caret.teeth, 1)
        wide = (self.width() - _LEFT - 6) / n
        tall = (self.height() - _HEAD - 2) / (len(ROWS) + 1)
        gap = _GAP if wide > 9 else 1 if wide > 4 else 0
        return QRectF(
            _LEFT + (tooth - 1) * wide, _HEAD + row * tall, max(wide - gap, 1.0), tall - _GAP
        )

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        p = QPainter(self)
        c = self.caret
        p.setFont(font(11))
        names = [words for _, words in ROWS] + ["crack, break"]
        for row, words in enumerate(names):
            box = self._cell(1, row)
            p.setPen(theme.colour("ink-2"))
            left = QRectF(0, box.top(), _LEFT - 8, box.height())
            p.drawText(left, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
        wide = self._cell(1, 0).width() + _GAP
        every = max(1, -(-22 // max(int(wide), 1))) if wide < 22 else 1
        for tooth in range(1, c.teeth + 1):
            grades = [c.grade(tooth, spot) for spot, _ in ROWS] + [c.broken(tooth)]
            for row, grade in enumerate(grades):
                box = self._cell(tooth, row)
                p.fillRect(box, theme.colour("rule", 70))
                if grade:
                    part = box.adjusted(0, box.height() * (1 - grade / _WORST), 0, 0)
                    p.fillRect(part, theme.colour("vermilion" if row == len(ROWS) else "heat"))
            if (tooth - 1) % every == 0:
                p.setPen(theme.colour("brass" if tooth == 1 else "ink-2"))
                box = self._cell(tooth, 0)
                over = QRectF(box.center().x() - 16, 0, 32, _HEAD - 2)
                p.drawText(over, Qt.AlignmentFlag.AlignCenter, str(tooth))
        spots = [s for s, _ in ROWS]
        p.setBrush(Qt.BrushStyle.NoBrush)
        if c.teeth and c.spot in spots:
            for tooth in c.selected:
                p.setPen(QPen(theme.colour("reseda"), 2 if tooth == c.tooth else 1.3))
                p.drawRect(self._cell(tooth, spots.index(c.spot)).adjusted(-1, -1, 1, 1))
        self.paint_focus(p)

    def at(self, where: QPointF) -> tuple[int, Spot] | None:
        for row, (spot, _) in enumerate(ROWS):
            box = self._cell(1, row)
            if box.top() <= where.y() <= box.bottom() + _GAP and where.x() >= _LEFT:
                wide = (self.width() - _LEFT - 6) / max(self.caret.teeth, 1)
                tooth = int((where.x() - _LEFT) / wide) + 1
                return (tooth, spot) if tooth <= self.caret.teeth else None
        return None

    def places(self) -> dict[str, QPoint]:
        """Where each cell is, by its name."""
        return {
            f"tooth {t}, {spot}": self._cell(t, row).center().toPoint()
            for t in range(1, self.caret.teeth + 1)
            for row, (spot, _) in enumerate(ROWS)
        }
