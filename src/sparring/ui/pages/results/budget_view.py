"""An uncertainty's inputs as bars."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from sparring.core.uncertainty import Share
from sparring.ui.theme import font, theme


class BudgetView(QWidget):
    """Which input makes how much of the uncertainty: bars, the largest first, with the one to
    improve named.
    """

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[Share] = []
        self.title = ""
        self.setMinimumHeight(120)
        theme.changed.connect(self.update)

    def put(self, title: str, rows: list[Share]) -> None:
        self.title, self.rows = title, rows
        self.setAccessibleName(
            title + ": " + ", ".join(f"{r.name} {100 * r.share:.0f} percent" for r in rows[:6])
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setFont(font(13))
        p.setPen(theme.colour("ink"))
        if not self.rows:
            p.drawText(
                self.rect(),
                Qt.AlignmentFlag.AlignCenter,
                "Select a point to see its uncertainty contributors.",
            )
            return
        advice = f"{self.title} To reduce it, improve: {self.rows[0].name}."
        p.drawText(
            QRectF(4, 2, self.width() - 8, 20),
            Qt.AlignmentFlag.AlignVCenter,
            p.fontMetrics().elidedText(advice, Qt.TextElideMode.ElideRight, self.width() - 8),
        )
        height = 21
        room = max(1, (self.height() - 28) // height)
        for i, row in enumerate(self.rows[:room]):
            y = 28 + i * height
            p.setFont(font(12))
            p.setPen(theme.colour("ink"))
            p.drawText(QRectF(4, y, 250, height - 3), Qt.AlignmentFlag.AlignVCenter, row.name)
            width = (self.width() - 340) * row.share
            p.fillRect(
                QRectF(260, y + 3, max(width, 1), height - 9),
                theme.colour("reseda" if i else "brass"),
            )
            p.setPen(theme.colour("ink-2"))
            p.drawText(
                QRectF(266 + width, y, 70, height - 3),
                Qt.AlignmentFlag.AlignVCenter,
                f"{100 * row.share:.0f} %" if row.share >= 0.005 else "< 1 %",
            )
