"""A photo with its pins and lines; a drag makes a line, a click a pin, as its tool says."""

from __future__ import annotations

import math
from typing import Literal

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QWidget

from sparring.core.quantity import Measured
from sparring.core.wear.inspection import Photo, Ruler
from sparring.ui.theme import font, theme

Tool = Literal["look", "pin", "scale", "measure", "crop"]
_READ = 2.0  # [px of the screen] by which an end of a line is set, k = 2


def scale_of(photo: Photo, wide: float, high: float) -> Measured | None:
    """Metres for one unit of a picture of that width and height, by the lines of known length; the
    longest where there are several.
    """
    known = [r for r in photo.rulers if r.length is not None]
    if not known:
        return None
    best = max(known, key=lambda r: _long(r, wide, high))
    assert best.length is not None
    long = _long(best, wide, high)
    u = math.hypot(best.length.u / best.length.value, _READ / 2 * math.sqrt(2) / max(long, 1.0))
    return Measured(best.length.value / long, best.length.value / long * u)


def measured(photo: Photo, ruler: Ruler, wide: float, high: float) -> Measured | None:
    """The length of a line; None: nothing sets the scale."""
    if ruler.length is not None:
        return ruler.length
    scale = scale_of(photo, wide, high)
    if scale is None:
        return None
    long = _long(ruler, wide, high)
    part = math.hypot(scale.u / scale.value, _READ / 2 * math.sqrt(2) / max(long, 1.0))
    return Measured(scale.value * long, scale.value * long * part)


def _long(r: Ruler, wide: float, high: float) -> float:
    return math.hypot((r.x2 - r.x) * wide, (r.y2 - r.y) * high)


class PhotoView(QWidget):
    """`pinned(x, y)`, `lined(x, y, x2, y2)`, parts of the picture from its left and top. other: a
    second picture that is laid over the right of `share`.
    """

    pinned = pyqtSignal(float, float)
    lined = pyqtSignal(float, float, float, float)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Photo")
        self.setMinimumSize(160, 120)
        self.photo: Photo | None = None
        self.picture, self.other = QPixmap(), QPixmap()
        self.share, self.tool = 0.5, "look"
        self._from: QPointF | None = None
        self._to = QPointF()
        theme.changed.connect(self.update)

    def show_photo(self, photo: Photo | None, picture: QPixmap) -> None:
        self.photo, self.picture = photo, picture
        self.update()

    def box(self) -> QRectF:
        """Where the picture is drawn."""
        if self.picture.isNull():
            return QRectF(self.rect())
        size = self.picture.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        left, top = (self.width() - size.width()) / 2, (self.height() - size.height()) / 2
        return QRectF(left, top, size.width(), size.height())

    def _at(self, x: float, y: float) -> QPointF:
        box = self.box()
        return QPointF(box.left() + x * box.width(), box.top() + y * box.height())

    def _part(self, at: QPointF) -> tuple[float, float]:
        box = self.box()
        x, y = (at.x() - box.left()) / box.width(), (at.y() - box.top()) / box.height()
        return min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHints(
            QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform
        )
        p.setFont(font(11))
        photo, box = self.photo, self.box()
        if photo is None or self.picture.isNull():
            p.setPen(theme.colour("ink-2"))
            words = (
                "Drop photos here, or add them. They stay on this machine."
                if photo is None
                else f"{photo.file} is missing from the logbook, or cannot be read."
            )
            p.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, words)
            return
        p.drawPixmap(box, self.picture, QRectF(self.picture.rect()))
        if not self.other.isNull():
            edge = box.left() + self.share * box.width()
            p.save()
            p.setClipRect(QRectF(edge, box.top(), box.right() - edge, box.height()))
            p.drawPixmap(box, self.other, QRectF(self.other.rect()))
            p.restore()
            p.setPen(QPen(theme.colour("vermilion"), 2))
            p.drawLine(QPointF(edge, box.top()), QPointF(edge, box.bottom()))
            return
        for r in photo.rulers:
            known = r.length is not None
            a, b = self._at(r.x, r.y), self._at(r.x2, r.y2)
            p.setPen(QPen(theme.colour("speed" if known else "vermilion"), 2))
            p.drawLine(a, b)
            long = measured(photo, r, box.width(), box.height())
            if long is not None:
                half = 2 * long.u * 1e3
                digits = max(0, 1 - math.floor(math.log10(half))) if half > 0 else 2
                text = f"{long.value * 1e3:.{digits}f} ± {half:.{digits}f} mm"
                self._label(p, QPointF((a.x() + b.x()) / 2, (a.y() + b.y()) / 2), text)
        for n, pin in enumerate(photo.pins, start=1):
            at = self._at(pin.x, pin.y)
            p.setPen(QPen(theme.colour("sheet"), 1.5))
            p.setBrush(theme.colour("vermilion"))
            p.drawEllipse(at, 8, 8)
            p.setPen(theme.colour("on-deep"))
            p.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, str(n))
            p.setBrush(Qt.BrushStyle.NoBrush)
        if self._from is not None:
            p.setPen(QPen(theme.colour("reseda"), 2, Qt.PenStyle.DashLine))
            if self.tool == "crop":
                p.drawRect(QRectF(self._from, self._to))
            else:
                p.drawLine(self._from, self._to)

    def _label(self, p: QPainter, at: QPointF, text: str) -> None:
        wide = p.fontMetrics().horizontalAdvance(text) + 8
        box = QRectF(at.x() - wide / 2, at.y() - 20, wide, 17)
        p.fillRect(box, theme.colour("sheet", 220))
        p.setPen(theme.colour("ink"))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or self.photo is None:
            return
        if self.tool == "pin":
            self.pinned.emit(*self._part(event.position()))
        elif self.tool in ("scale", "measure", "crop"):
            self._from = self._to = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._from is not None:
            self._to = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._from is None:
            return
        start, self._from = self._from, None
        if (event.position() - start).manhattanLength() > 6:
            self.lined.emit(*self._part(start), *self._part(event.position()))
        self.update()
