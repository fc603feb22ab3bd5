"""A spur train drawn to scale, face on: true involutes, in mesh, turning on demand, picked by click."""

from __future__ import annotations

import math
from functools import lru_cache

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from sparring.core.build import Build
from sparring.core.train import teeth
from sparring.ui.theme import font, theme

_FASTEST = 1.6  # [rad/s] of the motor gear on the screen: faster teeth would seem to stand or turn back


@lru_cache(maxsize=256)
def gear_path(module: float, z: int, shift: float, alpha: float) -> QPainterPath:
    """The outline as a path, in millimetres, a tooth on +x."""
    xy = teeth.outline(module, z, shift, alpha) * 1e3
    path = QPainterPath()
    path.addPolygon(QPolygonF([QPointF(x, -y) for x, y in xy]))
    bore = min(max(teeth.root_diameter(module, z, shift) * 1e3 * 0.12, 0.6), 2.5)
    path.addEllipse(QPointF(0, 0), bore, bore)
    return path


class GearView(QWidget):
    """The build's train. `picked(stage, member)`: member 0 the pinion, 1 the wheel."""

    picked = pyqtSignal(int, int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.build: Build | None = None
        self.chosen: tuple[int, int] | None = (0, 0)
        self.angle = 0.0
        self.setMinimumSize(240, 180)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Gear train, drawn to scale. Arrow keys choose a gear, Space turns the train.")
        self._timer = QTimer(self)
        self._timer.setInterval(33)
        self._timer.timeout.connect(self._advance)
        theme.changed.connect(self.update)

    def set_build(self, build: Build) -> None:
        self.build = build
        if self.chosen and self.chosen[0] >= len(build.stages):
            self.chosen = (0, 0)
        self.update()

    @property
    def turning(self) -> bool:
        return self._timer.isActive()

    def turn(self, on: bool) -> None:
        self._timer.start() if on else self._timer.stop()

    def _advance(self) -> None:
        if self.isVisible():
            self.angle += _FASTEST * 0.033
            self.update()

    def placed(self) -> list[tuple[int, int, float, float, float, float]]:
        """(stage, member, x, y [m], angle [rad], tip radius [m]) of every gear, wheels before the pinions on them."""
        if self.build is None:
            return []
        gears = []
        x = y = 0.0
        motion = self.angle
        for n, s in enumerate(self.build.stages):
            heading = math.radians(-24 if n % 2 else 18) if len(self.build.stages) > 1 else 0.0
            gears.append((n, 0, x, y, motion, teeth.tip_diameter(s.module, s.pinion, s.pinion_shift) / 2))
            a = s.centre_distance()
            x, y = x + a * math.cos(heading), y + a * math.sin(heading)
            wheel = teeth.meshing_angle(s.pinion, s.wheel, motion, heading)
            gears.append((n, 1, x, y, wheel, teeth.tip_diameter(s.module, s.wheel, s.wheel_shift) / 2))
            motion = wheel
        return gears

    def _fit(self) -> tuple[float, float, float]:
        gears = self.placed()
        left = min(x - r for *_, x, _y, _a, r in gears)
        right = max(x + r for *_, x, _y, _a, r in gears)
        low = min(y - r for *_, _x, y, _a, r in gears)
        high = max(y + r for *_, _x, y, _a, r in gears)
        scale = min((self.width() - 40) / (right - left), (self.height() - 64) / (high - low))
        return scale, self.width() / 2 - scale * (left + right) / 2, (self.height() - 20) / 2 + scale * (low + high) / 2

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.build is None:
            return
        scale, cx, cy = self._fit()
        drawn = self.placed()
        for n, member, x, y, angle, _r in sorted(drawn, key=lambda g: (g[0], -g[1])):
            s = self.build.stages[n]
            z, shift = (s.pinion, s.pinion_shift) if member == 0 else (s.wheel, s.wheel_shift)
            p.save()
            p.translate(cx + x * scale, cy - y * scale)
            p.rotate(-math.degrees(angle))
            p.scale(scale / 1e3, scale / 1e3)
            chosen = self.chosen == (n, member)
            fill = theme.colour("brass", 235) if n == 0 and member == 0 else theme.colour("pale" if not chosen else "reseda", 225)
            pen = QPen(theme.colour("brass" if chosen else "ink"), 2.2 if chosen else 1.1)
            pen.setCosmetic(True)
            p.setPen(pen)
            p.setBrush(fill)
            p.drawPath(gear_path(s.module, z, shift, s.pressure_angle))
            p.restore()
        p.setPen(theme.colour("ink-2"))
        p.setFont(font(11))
        for n, member, x, y, _angle, r in drawn:
            s = self.build.stages[n]
            z = s.pinion if member == 0 else s.wheel
            at = QPointF(cx + x * scale, cy - (y + (r if member or n == 0 else 0)) * scale)
            if member:
                p.drawText(QRectF(at.x() - 40, at.y() - 17, 80, 14), Qt.AlignmentFlag.AlignCenter, f"z {z}")
            elif n == 0:
                p.drawText(QRectF(cx + (x - r) * scale - 46, cy - y * scale - 7, 40, 14), Qt.AlignmentFlag.AlignRight, f"z {z}")
        self._scale_bar(p, scale)

    def _scale_bar(self, p: QPainter, scale: float) -> None:
        length = max(v for v in (1e-3, 2e-3, 5e-3, 10e-3, 20e-3, 50e-3, 0.1) if v * scale < 130 or v == 1e-3)
        y = self.height() - 12
        p.setPen(QPen(theme.colour("ink-2"), 1))
        p.drawLine(QPointF(14, y), QPointF(14 + length * scale, y))
        for x in (14.0, 14 + length * scale):
            p.drawLine(QPointF(x, y - 4), QPointF(x, y + 4))
        p.drawText(QPointF(20 + length * scale, y + 4), f"{length * 1e3:.0f} mm")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.build is None:
            return
        scale, cx, cy = self._fit()
        at = event.position()
        hits = [
            (r, n, m) for n, m, x, y, _a, r in self.placed() if math.hypot(at.x() - cx - x * scale, at.y() - cy + y * scale) <= r * scale
        ]
        if hits:
            self.pick(*min(hits)[1:])

    def pick(self, stage: int, member: int) -> None:
        self.chosen = (stage, member)
        self.update()
        self.picked.emit(stage, member)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.build is None:
            return
        order = [(n, m) for n in range(len(self.build.stages)) for m in (0, 1)]
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is not None:
            now = order.index(self.chosen) if self.chosen in order else 0
            self.pick(*order[(now + step) % len(order)])
        elif event.key() == Qt.Key.Key_Space:
            self.turn(not self.turning)
        else:
            super().keyPressEvent(event)
