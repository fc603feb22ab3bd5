"""A train drawn to scale: face on, in mesh, turning on demand, picked and edited in place; or from
the side, axes spread out.
"""

from __future__ import annotations

import math
from dataclasses import replace

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QTransform
from PyQt6.QtWidgets import QWidget

from sparring.core.build import MOTOR, Build
from sparring.core.train import kinematics
from sparring.ui.theme import font, theme
from sparring.ui.widgets.count_box import CountBox
from sparring.ui.widgets.train_drawing import (
    Drawn,
    _slanted_lines,
    drawn_stage,
    fill_of,
    paint_stage,
)

_FASTEST = (
    1.6  # [rad/s] of the motor gear on the screen: faster teeth would seem to stand or turn back
)
_FLAT = ("spur", "shift", "belt")  # kinds on parallel axes, drawn joined; others stand apart


class TrainView(QWidget):
    """The build's train. `picked(stage, field)`: field of the stage's record that the part stands
    for.
    """

    picked = pyqtSignal(int, str)
    count_edited = pyqtSignal(int, str, int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.build: Build | None = None
        self.chosen: tuple[int, str] = (0, "")
        self.angle = 0.0
        self.from_side = False
        self.backwards = False
        self._drawn: list[Drawn] = []
        self._speeds: dict[str, float] = {}
        self._origins: list[tuple[float, float, float]] = []
        self._bounds = QRectF()
        self._apart: list[int] = []
        self._field: CountBox | None = None
        self.setMinimumSize(240, 180)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Gear train, drawn to scale")
        self.setAccessibleDescription(
            "Arrow keys select a part, Enter changes its teeth, Space animates the train"
        )
        self._timer = QTimer(self)
        self._timer.setInterval(33)
        self._timer.timeout.connect(self._advance)
        theme.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(560, 320)

    # --- what is drawn ----------------------------------------------------------------------------

    def set_build(self, build: Build) -> None:
        if build == self.build:
            return
        self._close_field()  # it belonged to a part that may be another one now
        old, self.build = self.build, build
        kept = (
            {}
            if old is None
            else {id(s): [d for d in self._drawn if d.stage == n] for n, s in enumerate(old.stages)}
        )
        same_length = old is not None and len(old.stages) == len(build.stages)
        self._drawn = []
        for n, stage in enumerate(build.stages):
            known = kept.get(id(stage), []) if same_length else []
            self._drawn += (
                [replace(d, stage=n) for d in known]
                if known and known[0].stage == n
                else drawn_stage(build, n)
            )
        self._speeds = kinematics.solve_speeds(build.elements(), {MOTOR: 1.0})
        self._place()
        if self.chosen[0] >= len(build.stages) or self.chosen not in self.parts():
            last = min(self.chosen[0], len(build.stages) - 1)
            self.chosen = next(part for part in self.parts() if part[0] == last)
        self.update()

    def parts(self) -> list[tuple[int, str]]:
        """(stage, field) of everything that can be picked, in order along the train."""
        seen: dict[tuple[int, str], None] = {}
        assert self.build is not None
        for n, stage in enumerate(self.build.stages):
            order = [field for _, field in stage.FIELDS]
            fields = dict.fromkeys(
                d.body.field for d in self._drawn if d.stage == n and d.body.field
            )
            for part in sorted(fields, key=lambda f: order.index(f) if f in order else 99):
                seen[n, part] = None
        return list(seen)

    def _place(self) -> None:
        """Origin and heading of every stage [mm, rad], and the bounds of all."""
        assert self.build is not None
        self._origins, self._apart = [], []
        bounds = QRectF()
        x = y = 0.0
        stages = self.build.stages
        for n, stage in enumerate(stages):
            joined = stage.kind in _FLAT and (n == 0 or stages[n - 1].kind in _FLAT)
            heading = 0.0
            if stage.kind in _FLAT and len(stages) > 1:
                heading = math.radians(-24 if n % 2 else 18)
            own = self._stage_bounds(n, heading)
            if n and not joined:
                x = bounds.right() + 6.0 - own.left()
                y = bounds.center().y() - own.center().y()
                self._apart.append(n)
            self._origins.append((x, y, heading))
            bounds = bounds.united(own.translated(x, y)) if n else own.translated(x, y)
            dx, dy = (1e3 * v for v in stage.output_at())
            c, s = math.cos(heading), math.sin(heading)
            x, y = x + c * dx - s * dy, y + s * dx + c * dy
        self._bounds = bounds

    def _stage_bounds(self, n: int, heading: float) -> QRectF:
        """Bounds of a stage about its own origin [mm], y up."""
        c, s = math.cos(heading), math.sin(heading)
        bounds = QRectF()
        for d in self._drawn:
            if d.stage == n:
                x, y = (1e3 * v for v in d.body.at)
                u, v, r = c * x - s * y, s * x + c * y, 1e3 * d.body.reach
                if r > 0:
                    bounds = bounds.united(QRectF(u - r, v - r, 2 * r, 2 * r))
        return bounds

    # --- turning ----------------------------------------------------------------------------------

    @property
    def turning(self) -> bool:
        return self._timer.isActive()

    def turn(self, on: bool) -> None:
        self._timer.start() if on else self._timer.stop()

    def _advance(self) -> None:
        if self.isVisible():
            self.angle += (-1 if self.backwards else 1) * _FASTEST * 0.033
            self.update()

    def turned(self, shaft: str) -> float:
        """Angle of a shaft on the screen [rad]: all in the true proportion to the motor's."""
        return self._speeds.get(shaft, 0.0) * self.angle

    # --- painting ---------------------------------------------------------------------------------

    def _scale(self) -> tuple[float, float, float]:
        """(pixels a millimetre, x, y of the drawing's origin on the screen)."""
        b = self._side_bounds() if self.from_side else self._bounds
        scale = min(
            (self.width() - 60) / max(b.width(), 1e-3), (self.height() - 70) / max(b.height(), 1e-3)
        )
        return (
            scale,
            self.width() / 2 - scale * b.center().x(),
            (self.height() - 20) / 2 + scale * b.center().y(),
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.build is None:
            return
        if self.from_side:
            self._paint_side(p)
            return
        scale, ox, oy = self._scale()
        for n in self._apart:  # the shaft between stages that stand apart
            before, own = (
                self._stage_bounds(k, self._origins[k][2]).translated(*self._origins[k][:2])
                for k in (n - 1, n)
            )
            p.setPen(QPen(theme.colour("ink-2"), 1, Qt.PenStyle.DashDotLine))
            y = oy - scale * own.center().y()
            p.drawLine(QPointF(ox + scale * before.right(), y), QPointF(ox + scale * own.left(), y))
        for n in range(len(self.build.stages)):
            p.save()
            p.setTransform(self._to_screen(n, scale, ox, oy), True)
            paint_stage(
                p,
                [d for d in self._drawn if d.stage == n],
                self.turned,
                chosen=self.chosen[1] if self.chosen[0] == n else "",
                first_shaft=MOTOR,
            )
            p.restore()
        self._labels(p, scale, ox, oy)
        self._scale_bar(p, scale)

    def _to_screen(self, n: int, scale: float, ox: float, oy: float) -> QTransform:
        x, y, heading = self._origins[n]
        t = QTransform.fromTranslate(ox + x * scale, oy - y * scale)
        t.rotate(-math.degrees(heading))
        t.scale(scale, scale)
        return t

    def _labels(self, p: QPainter, scale: float, ox: float, oy: float) -> None:
        """Tooth counts, one for each kind of part, kept clear of one another."""
        p.setFont(font(11))
        taken: list[QRectF] = []
        seen: set[tuple[int, str]] = set()
        for d in reversed(self._drawn):
            key = (d.stage, d.body.name)
            if not d.body.teeth or key in seen:
                continue
            seen.add(key)
            t = self._to_screen(d.stage, scale, ox, oy)
            x, y = d.body.centre(self.turned)
            centre = t.map(QPointF(1e3 * x, -1e3 * y))
            r = scale * 1e3 * (d.body.tall or d.body.reach)
            spots = [
                QPointF(centre.x(), centre.y() - r - 9),
                QPointF(centre.x(), centre.y() + r + 9),
                QPointF(centre.x() - r - 22, centre.y()),
                centre,
            ]
            if d.body.look == "ring":
                spots = [spots[1], spots[0], spots[2]]
            elif d.body.carrier:
                spots = [centre, *spots]
            text = f"{d.body.teeth}"
            for at in spots:
                box = QRectF(at.x() - 16, at.y() - 8, 32, 16)
                if not any(box.intersects(o) for o in taken) and QRectF(self.rect()).contains(box):
                    taken.append(box)
                    wide = p.fontMetrics().horizontalAdvance(text) + 6
                    p.fillRect(
                        QRectF(at.x() - wide / 2, at.y() - 7, wide, 14), theme.colour("sheet", 215)
                    )
                    p.setPen(theme.colour("ink"))
                    p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
                    break

    def _scale_bar(self, p: QPainter, scale: float) -> None:
        length = max(v for v in (1, 2, 5, 10, 20, 50, 100, 200) if v * scale < 130 or v == 1)
        y = self.height() - 12
        p.setPen(QPen(theme.colour("ink-2"), 1))
        p.drawLine(QPointF(14, y), QPointF(14 + length * scale, y))
        for x in (14.0, 14 + length * scale):
            p.drawLine(QPointF(x, y - 4), QPointF(x, y + 4))
        p.setFont(font(11))
        p.drawText(QPointF(20 + length * scale, y + 4), f"{length:.0f} mm")

    # --- from the side ----------------------------------------------------------------------------

    def _side_boxes(self) -> list[tuple[Drawn, QRectF, float]]:
        """(body, box in the plane of axis and height [mm], y up, height of its axis), axes spread
        one above the other.
        """
        assert self.build is not None
        found: list[tuple[Drawn, QRectF, float]] = []
        x = y = 0.0
        for n, stage in enumerate(self.build.stages):
            dx, dy = stage.output_at()
            step = 1e3 * math.hypot(dx, dy) * (1 if n % 2 == 0 else -1)
            end = x
            for d in (d for d in self._drawn if d.stage == n):
                b = d.body
                if b.width <= 0 or b.reach <= 0 or b.look in ("north", "south", "band"):
                    continue
                away = math.hypot(*b.at)
                at_output = not b.carrier and away > 0 and abs(away - math.hypot(dx, dy)) < 1e-9
                axis = y + step if at_output else y + (1e3 * b.at[1] if b.carrier else 0.0)
                if (
                    b.carrier
                    and abs(b.at[1]) < 0.3 * away
                    and found
                    and any(f[0].stage == n and f[0].body.field == b.field for f in found)
                ):
                    continue
                box = QRectF(x + 1e3 * b.layer, axis - 1e3 * b.reach, 1e3 * b.width, 2e3 * b.reach)
                found.append((d, box, axis))
                end = max(end, box.right())
            x, y = end + 2.0, y + step
        return found

    def _side_bounds(self) -> QRectF:
        bounds = QRectF()
        for _, box, _ in self._side_boxes():
            bounds = bounds.united(box)
        return bounds

    def _paint_side(self, p: QPainter) -> None:
        scale, ox, oy = self._scale()
        axes: dict[float, tuple[float, float]] = {}
        for d, box, axis in sorted(self._side_boxes(), key=lambda f: -f[0].body.reach):
            on_screen = QRectF(
                ox + scale * box.left(),
                oy - scale * box.bottom(),
                scale * box.width(),
                scale * box.height(),
            )
            chosen = self.chosen == (d.stage, d.body.field)
            p.setPen(QPen(theme.colour("brass" if chosen else "ink"), 2 if chosen else 1))
            p.setBrush(fill_of(d.body, chosen, d.body.shaft == MOTOR and d.body.look == "gear"))
            if d.body.look == "ring":  # only its rim is cut
                rim = min(on_screen.height() * 0.14, on_screen.height() / 2)
                p.drawRect(QRectF(on_screen.left(), on_screen.top(), on_screen.width(), rim))
                p.drawRect(
                    QRectF(on_screen.left(), on_screen.bottom() - rim, on_screen.width(), rim)
                )
            else:
                p.drawRect(on_screen)
                if d.body.slant:
                    _slanted_lines(p, on_screen, d.body.slant)
            left, right = axes.get(axis, (math.inf, -math.inf))
            axes[axis] = (min(left, on_screen.left()), max(right, on_screen.right()))
        p.setPen(QPen(theme.colour("ink-2"), 1, Qt.PenStyle.DashDotLine))
        for axis, (left, right) in axes.items():
            p.drawLine(
                QPointF(left - 14, oy - scale * axis), QPointF(right + 14, oy - scale * axis)
            )
        self._scale_bar(p, scale)
        p.setPen(theme.colour("ink-2"))
        p.drawText(
            QRectF(0, self.height() - 22, self.width() - 12, 16),
            Qt.AlignmentFlag.AlignRight,
            "from the side, axes spread out; motor left",
        )

    # --- picking and editing ----------------------------------------------------------------------

    def part_at(self, at: QPointF) -> tuple[int, str] | None:
        """The part under a point of the screen, front ones first."""
        scale, ox, oy = self._scale()
        if self.from_side:
            boxes = sorted(self._side_boxes(), key=lambda f: f[0].body.reach)
            point = QPointF((at.x() - ox) / scale, (oy - at.y()) / scale)
            return next(
                ((d.stage, d.body.field) for d, box, _ in boxes if box.contains(point)), None
            )
        for d in reversed(self._drawn):
            back, possible = self._to_screen(d.stage, scale, ox, oy).inverted()
            if not possible or not d.body.field:
                continue
            path, x, y, angle = d.pose(self.turned, scale)
            local = back.map(at) - QPointF(x, -y)
            c, s = math.cos(angle), math.sin(angle)
            if path.contains(QPointF(c * local.x() - s * local.y(), s * local.x() + c * local.y())):
                return d.stage, d.body.field
        return None

    def places(self) -> dict[str, QPoint]:
        """A point of the widget on each part that can be picked, by `stage n field`."""
        found = {}
        scale, ox, oy = self._scale()
        for d in self._drawn:
            x, y = d.body.centre(self.turned)
            centre = self._to_screen(d.stage, scale, ox, oy).map(QPointF(1e3 * x, -1e3 * y))
            for n in range(48):
                r, a = scale * 1e3 * d.body.reach * (0.85, 0.6, 0.96)[n // 16], math.tau * n / 16
                at = QPointF(centre.x() + r * math.cos(a), centre.y() + r * math.sin(a))
                if d.body.field and self.part_at(at) == (d.stage, d.body.field):
                    found[f"stage {d.stage + 1} {d.body.field.replace('_', ' ')}"] = at.toPoint()
                    break
        return found

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if (
            event is not None
            and self.build is not None
            and (part := self.part_at(event.position()))
        ):
            self.pick(*part)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if (
            event is not None
            and self.build is not None
            and (part := self.part_at(event.position()))
        ):
            self.pick(*part)
            self.edit_count()

    def pick(self, stage: int, field: str = "") -> None:
        """Chooses a part; without a field the stage's first."""
        parts = self.parts()
        if (stage, field) not in parts:
            field = next(f for n, f in parts if n == stage)
        self.chosen = (stage, field)
        self.update()
        self.picked.emit(stage, field)

    def edit_count(self) -> None:
        """A small field on the chosen part for its number of teeth, lobes or poles."""
        n, field = self.chosen
        assert self.build is not None
        value = getattr(self.build.stages[n], field, None)
        if not isinstance(value, int) or self.from_side:
            return
        body = next(d.body for d in self._drawn if d.stage == n and d.body.field == field)
        scale, ox, oy = self._scale()
        x, y = body.centre(self.turned)
        at = self._to_screen(n, scale, ox, oy).map(QPointF(1e3 * x, -1e3 * y))
        self._close_field()
        spin = CountBox(self)
        spin.setRange(1, 2000)
        spin.setValue(value)
        spin.setAccessibleName(f"Number of {field.replace('_', ' ')}")
        spin.setFixedSize(84, 40)
        spin.move(
            int(min(max(at.x() - 42, 0), self.width() - 84)),
            int(min(max(at.y() - 20, 0), self.height() - 40)),
        )
        spin.taken.connect(lambda: self._take_count(n, field))
        spin.left.connect(self._close_field)
        self._field = spin
        spin.show()
        spin.setFocus()
        spin.selectAll()

    def _take_count(self, n: int, field: str) -> None:
        spin = self._field
        if spin is not None:
            value = spin.value()
            self._close_field()
            self.count_edited.emit(n, field, value)

    def _close_field(self) -> None:
        if self._field is not None:
            spin, self._field = self._field, None
            spin.hide()
            spin.deleteLater()
            self.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.build is None:
            return
        order = self.parts()
        step = {
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Down: 1,
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Up: -1,
        }.get(Qt.Key(event.key()))
        if step is not None:
            now = order.index(self.chosen) if self.chosen in order else 0
            self.pick(*order[(now + step) % len(order)])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit_count()
        elif event.key() == Qt.Key.Key_Space:
            self.turn(not self.turning)
        else:
            super().keyPressEvent(event)
