"""The work order: the pages in the order of the job, each with its state."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from sparring.ui.theme import font, theme


class WorkOrder(QWidget):
    """`chosen(name)` when a page is picked by mouse or arrow keys."""

    chosen = pyqtSignal(str)

    def __init__(self, pages: list[str]) -> None:
        super().__init__()
        self.pages, self.current = pages, pages[0]
        self.states: dict[str, str] = {}
        self.setFixedHeight(36)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Work order")
        theme.changed.connect(self.update)

    def set_current(self, page: str) -> None:
        self.current = page
        self.setAccessibleDescription(f"{page}, {self.states.get(page, '')}")
        self.update()

    def set_state(self, page: str, state: str) -> None:
        """state: 'done', 'needs you: …', '8/15' or ''."""
        if self.states.get(page) != state:
            self.states[page] = state
            self.update()

    def _cell(self, i: int) -> QRectF:
        width = self.width() / len(self.pages)
        return QRectF(i * width, 0, width, self.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        point = 12.0
        for i in reversed(range(len(self.pages))):
            page, r = self.pages[i], self._cell(i)
            state = self.states.get(page, "")
            chosen = page == self.current
            fill = "deep" if chosen else "pale" if state == "done" else "bench"
            shape = QPolygonF(
                [
                    QPointF(r.left(), 0),
                    QPointF(r.right(), 0),
                    QPointF(r.right() + point, r.height() / 2),
                    QPointF(r.right(), r.height()),
                    QPointF(r.left(), r.height()),
                ]
            )
            p.setPen(QPen(theme.colour("rule"), 1))
            p.setBrush(theme.colour(fill))
            p.drawPolygon(shape)
            p.setPen(theme.colour("on-deep" if chosen else "ink"))
            p.setFont(font(14, bold=chosen))
            p.drawText(r.adjusted(44, 0, -80, 0), Qt.AlignmentFlag.AlignVCenter, page)
            p.setFont(font(12))
            p.drawText(r.adjusted(26, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, str(i + 1))
            self._state(p, r, state, chosen)
        if self.hasFocus():
            p.setPen(QPen(theme.colour("brass"), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(self._cell(self.pages.index(self.current)).adjusted(2, 2, -2, -2))
        p.setPen(theme.colour("rule"))
        p.drawLine(0, self.height() - 1, self.width(), self.height() - 1)

    def _state(self, p: QPainter, r: QRectF, state: str, chosen: bool) -> None:
        box = r.adjusted(100, 0, -22, 0)
        flag = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if state == "done":
            p.setPen(QPen(theme.colour("on-deep" if chosen else "reseda"), 2))
            x, y = r.right() - 30, r.height() / 2
            p.drawPolyline(
                QPolygonF([QPointF(x - 4, y), QPointF(x - 1, y + 4), QPointF(x + 6, y - 5)])
            )
        elif state.startswith("needs attention"):
            p.setPen(theme.colour("on-deep" if chosen else "ink"))
            p.setFont(font(12))
            text = state.partition(": ")[2] or state
            width = p.fontMetrics().horizontalAdvance(text)
            p.setBrush(theme.colour("vermilion"))
            p.drawText(box, flag, text)
            p.setPen(Qt.PenStyle.NoPen)
            p.drawEllipse(QPointF(box.right() - width - 10, r.height() / 2), 4, 4)
        else:
            p.setPen(theme.colour("on-deep" if chosen else "ink-2"))
            p.setFont(font(13, bold=chosen))
            p.drawText(box, flag, state)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.chosen.emit(
                self.pages[
                    min(
                        int(event.position().x() / self.width() * len(self.pages)),
                        len(self.pages) - 1,
                    )
                ]
            )

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = (
            {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
            if event is not None
            else None
        )
        if step is not None:
            self.chosen.emit(self.pages[(self.pages.index(self.current) + step) % len(self.pages)])
        else:
            super().keyPressEvent(event)
