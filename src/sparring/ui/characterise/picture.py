"""A sketch of how each kind of readings is set up."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from sparring.core.methods import METHODS
from sparring.core.rig import Rig
from sparring.ui.theme import font, theme
from sparring.ui.widgets.benches import paint_bench
from sparring.ui.widgets.sketch import drive, floor, ink, mass, shaft, taut

_AS_ON_A_RIG = ("generator",)  # drawn like the method of that kind


class ReadingPicture(QWidget):
    """Draws the set-up of the readings that `kind` names."""

    def __init__(self) -> None:
        super().__init__()
        self.kind = ""
        self.setMinimumHeight(90)
        self.setAccessibleName("Test setup")
        theme.changed.connect(self.update)

    def show_kind(self, kind: str) -> None:
        """kind: the id of the readings."""
        self.kind = kind
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(self.rect()).adjusted(4, 4, -4, -4)
        wide = min(room.width(), 2.0 * room.height())
        box = QRectF(room.center().x() - wide / 2, room.y(), wide, room.height())
        if self.kind in _AS_ON_A_RIG:
            method = next(m for m in METHODS if m.model_fields["kind"].default == self.kind)
            paint_bench(p, box, Rig(method=method()))
        elif (paint := _SKETCHES.get(self.kind)) is not None:
            p.translate(box.topLeft())
            scale = min(box.width() / 200.0, box.height() / 100.0)
            p.translate((box.width() - 200 * scale) / 2, (box.height() - 100 * scale) / 2)
            p.scale(scale, scale)
            paint(p)


def _name(p: QPainter, x: float, y: float, text: str) -> None:
    p.setFont(font(9))
    p.setPen(theme.colour("ink-2"))
    p.drawText(QRectF(x - 60, y - 8, 120, 16), Qt.AlignmentFlag.AlignCenter, text)


def _turning(p: QPainter, x: float, y: float, r: float, to_and_fro: bool = False) -> None:
    """An arc with an arrow: it turns about (x, y)."""
    ink(p, 1.4)
    p.drawArc(QRectF(x - r, y - r, 2 * r, 2 * r), 20 * 16, 140 * 16)
    for side in (1, -1) if to_and_fro else (1,):
        angle = math.radians(90 + side * 70)
        tip = QPointF(x + r * math.cos(angle), y - r * math.sin(angle))
        p.setBrush(theme.colour("ink"))
        p.drawPolygon(QPolygonF([tip + QPointF(0, 6), tip + QPointF(-4, -1), tip + QPointF(4, -1)]))


# --- each on a sheet of 200 by 100 ----------------------------------------------------------------


def _swing(p: QPainter) -> None:
    ink(p, 2)
    p.drawLine(QPointF(50, 8), QPointF(150, 8))
    taut(p, QPointF(70, 8), QPointF(70, 70))
    taut(p, QPointF(130, 8), QPointF(130, 70))
    ink(p, 1.6, "brass")
    p.drawRect(QRectF(54, 70, 92, 14))
    _name(p, 100, 77, "body")
    _name(p, 160, 40, "length")
    _turning(p, 100, 70, 22, True)


def _motor(p: QPainter) -> None:
    floor(p, 20, 180, 84)
    drive(p, QRectF(50, 36, 66, 40), "motor")
    ink(p, 1.6, "sheet")
    p.drawRect(QRectF(116, 52, 22, 8))
    _turning(p, 140, 56, 18)
    p.setPen(theme.colour("voltage"))
    p.drawLine(QPointF(50, 48), QPointF(22, 48))
    p.drawLine(QPointF(50, 64), QPointF(22, 64))
    _name(p, 30, 32, "volts, amperes")
    _name(p, 160, 76, "free or stalled")


def _stepper(p: QPainter) -> None:
    floor(p, 20, 180, 92)
    drive(p, QRectF(40, 26, 54, 50), "stepper")
    ink(p, 1.6, "brass")
    p.drawEllipse(QPointF(112, 51), 16, 16)
    shaft(p, QPointF(112, 51), 5)
    taut(p, QPointF(128, 51), QPointF(128, 70))
    mass(p, 128, 70, 22, 16)
    _name(p, 166, 66, "torque")


def _wind_up(p: QPainter) -> None:
    floor(p, 20, 180, 92)
    drive(p, QRectF(60, 34, 60, 46))
    ink(p, 1.6, "ink-2")
    p.drawRect(QRectF(40, 44, 20, 26))
    _name(p, 40, 36, "held")
    ink(p, 1.6, "pale")
    p.drawRect(QRectF(120, 53, 52, 8))
    _turning(p, 150, 57, 24, True)
    _name(p, 156, 76, "torque, angle")


def _break_away(p: QPainter) -> None:
    floor(p, 20, 180, 92)
    drive(p, QRectF(50, 34, 60, 46))
    ink(p, 1.6, "pale")
    p.drawRect(QRectF(110, 53, 56, 8))
    taut(p, QPointF(162, 53), QPointF(162, 24))
    _name(p, 150, 16, "slow pull")
    _name(p, 32, 58, "open")
    _turning(p, 136, 57, 14)


def _holding(p: QPainter) -> None:
    floor(p, 20, 180, 96)
    drive(p, QRectF(40, 14, 60, 46))
    ink(p, 1.6, "brass")
    p.drawEllipse(QPointF(118, 37), 16, 16)
    shaft(p, QPointF(118, 37), 5)
    taut(p, QPointF(134, 37), QPointF(134, 66))
    mass(p, 134, 66, 24, 16)
    _name(p, 30, 72, "no power")
    _name(p, 164, 40, "creeps?")


def _currents(p: QPainter) -> None:
    floor(p, 20, 180, 92)
    ink(p, 1.6, "pale")
    p.drawEllipse(QPointF(44, 57), 15, 15)
    _name(p, 44, 57, "A")
    drive(p, QRectF(78, 34, 60, 46))
    ink(p, 1.6, "pale")
    p.drawRect(QRectF(138, 53, 36, 8))
    _turning(p, 158, 57, 16)
    p.setPen(theme.colour("current"))
    p.drawLine(QPointF(59, 57), QPointF(78, 57))
    _name(p, 158, 30, "free, held, loaded")


def _drum(p: QPainter) -> None:
    floor(p, 40, 170, 96)
    ink(p, 1.6, "brass")
    p.drawEllipse(QPointF(96, 34), 24, 24)
    shaft(p, QPointF(96, 34), 7)
    taut(p, QPointF(120, 34), QPointF(120, 68))
    mass(p, 120, 68, 24, 18)
    _turning(p, 96, 34, 30, True)
    _name(p, 46, 70, "torque at the shaft")


def _sheaves(p: QPainter) -> None:
    floor(p, 40, 170, 96)
    ink(p, 1.6, "brass")
    for x, y in ((96, 22), (110, 52)):
        p.drawEllipse(QPointF(x, y), 14, 14)
        shaft(p, QPointF(x, y), 3)
    taut(p, QPointF(96, 8), QPointF(30, 8))
    taut(p, QPointF(124, 14), QPointF(124, 52))
    taut(p, QPointF(110, 22), QPointF(96, 52))
    taut(p, QPointF(110, 66), QPointF(110, 72))
    mass(p, 110, 72, 24, 16)
    _name(p, 34, 24, "pull each way")


def _counting(p: QPainter) -> None:
    ink(p, 1.6, "pale")
    p.drawEllipse(QPointF(86, 50), 32, 32)
    shaft(p, QPointF(86, 50), 7)
    ink(p, 1.6, "vermilion")
    p.drawRect(QRectF(82, 19, 8, 8))
    ink(p, 1.6, "ink-2")
    p.drawRect(QRectF(124, 14, 26, 14))
    _name(p, 166, 52, "counts marks")
    _turning(p, 86, 50, 40)


_SKETCHES: dict[str, Callable[[QPainter], None]] = {
    "swing": _swing,
    "bare-motor": _motor,
    "stepper": _stepper,
    "wind-up": _wind_up,
    "break-away": _break_away,
    "holding": _holding,
    "currents": _currents,
    "drum-friction": _drum,
    "sheaves": _sheaves,
    "counting": _counting,
}
