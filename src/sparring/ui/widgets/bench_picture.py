"""The bench drawn for its method, its dimensions as fields: beside the drawing with a line from
each to the place it is measured at, below a wide one with a number for each."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QSizePolicy, QWidget

from sparring.core.methods import Lever
from sparring.core.rig import Rig
from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.form import Form
from sparring.ui.widgets.sketch import cell, drive, floor, ink, mass, shaft, taut

Places = dict[str, QPointF]
"""Where each field's line ends, and where the live values of cell and speed stand."""


_TALL = ("hoist",)  # methods whose drawing is taller than wide
_ROOM = 130  # [px] least height of a drawing above its fields
_BALLOON = 9.0  # [px] radius of a number


class BenchPicture(QWidget):
    """Drawing and fields; both follow the rig's method."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.live: dict[str, str] = {}  # "cell", "speed": as they read now
        self.setMinimumSize(340, 196)
        self.row = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.addStretch(1)
        self.form: Form | None = None
        self._kind = ""
        for signal in (desk.rig_changed, desk.units_changed):
            signal.connect(self.refresh)
        theme.changed.connect(self.update)
        self.refresh()

    @property
    def fields(self) -> dict[str, QWidget]:
        """Each dimension's field by its name."""
        return {str(path[-1]): w for path, w in self.form.fields.items()} if self.form else {}

    def refresh(self) -> None:
        method = self.desk.rig.method
        if method.kind != self._kind:
            self._kind = method.kind
            if self.form is not None:
                self.row.removeWidget(self.form)
                self.form.hide()
                self.form.deleteLater()
            self.form = Form(
                self.desk, "rig", [(label, ("method", name)) for label, name in method.FIELDS]
            )
            # their units are long
            self.form.setMinimumWidth(318 if self._kind in ("run-up", "generator") else 286)
            self.row.addWidget(self.form)
        self._arrange()
        self.update()

    @property
    def below(self) -> bool:
        """Whether the fields stand below the drawing."""
        return self.row.direction() == QBoxLayout.Direction.TopToBottom

    def _arrange(self) -> None:
        """A wide drawing stands above its fields where the window is high enough."""
        if self.form is None:
            return
        below = (
            self._kind not in _TALL
            and self.height() - self.form.minimumSizeHint().height() >= _ROOM
        )
        self.row.setDirection(
            QBoxLayout.Direction.TopToBottom if below else QBoxLayout.Direction.LeftToRight
        )
        self.row.setContentsMargins(round(2.5 * _BALLOON) if below else 0, 0, 0, 0)
        self.form.setMaximumWidth(460 if below else 320)
        upright = QSizePolicy.Policy.Maximum if below else QSizePolicy.Policy.Preferred
        self.form.setSizePolicy(QSizePolicy.Policy.Preferred, upright)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._arrange()

    def show_live(self, live: dict[str, str]) -> None:
        if live != self.live:
            self.live = live
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.form is None:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        places = PAINTERS[self._kind](p, self._box(), self.desk.rig)
        self._number(p, places) if self.below else self._lead(p, places)
        p.setFont(font(13, bold=True))
        for name, colour in (("cell", "force"), ("speed", "speed")):
            if name in places and name in self.live:
                at = places[name]
                p.setPen(theme.colour(colour))
                across = p.fontMetrics().horizontalAdvance(self.live[name]) + 4
                left = max(
                    min(
                        at.x() - across / 2,
                        (self.width() if self.below else self.form.x() - 4.0) - across,
                    ),
                    0.0,
                )
                p.drawText(
                    QRectF(left, max(at.y() - 10, 0.0), across, 20),
                    Qt.AlignmentFlag.AlignCenter,
                    self.live[name],
                )

    def _box(self) -> QRectF:
        """Where the drawing goes."""
        assert self.form is not None
        if self.below:
            tall = self.form.y() - 14.0
            wide = min(self.width() - 2.0, 2.2 * tall)
            return QRectF((self.width() - wide) / 2, 4, wide, tall)
        wide = max(self.form.x() - 26.0, 120.0)
        tall = min(self.height() - 8.0, (2.0 if self._kind in _TALL else 1.6) * wide)
        return QRectF(0, (self.height() - tall) / 2, wide, tall)

    def _lead(self, p: QPainter, places: Places) -> None:
        """A line from each field to its place."""
        assert self.form is not None
        p.setPen(QPen(theme.colour("ink-3", 170), 1))
        p.setBrush(theme.colour("ink-2"))
        for name, field in self.fields.items():
            to = places.get(name)
            if to is None:
                continue
            start = QPointF(self.form.x() - 4.0, self.form.y() + field.y() + field.height() / 2)
            p.drawLine(start, QPointF(start.x() - 8, start.y()))
            p.drawLine(QPointF(start.x() - 8, start.y()), to)
            p.drawEllipse(to, 2.2, 2.2)

    def _number(self, p: QPainter, places: Places) -> None:
        """A number at each place and before its field."""
        assert self.form is not None
        numbered = [(field, places[name]) for name, field in self.fields.items() if name in places]
        p.setFont(font(11, bold=True))
        for n, ((field, to), at) in enumerate(
            zip(numbered, _apart([to for _, to in numbered], self._box()), strict=True), start=1
        ):
            p.setPen(QPen(theme.colour("ink-2"), 1))
            p.setBrush(theme.colour("ink-2"))
            p.drawLine(to, at)
            p.drawEllipse(to, 2.2, 2.2)
            for centre in (
                at,
                QPointF(
                    self.form.x() - 1.4 * _BALLOON, self.form.y() + field.y() + field.height() / 2
                ),
            ):
                p.setBrush(theme.colour("sheet"))
                p.drawEllipse(centre, _BALLOON, _BALLOON)
                p.drawText(
                    QRectF(centre.x() - 10, centre.y() - 10, 20, 20),
                    Qt.AlignmentFlag.AlignCenter,
                    str(n),
                )


def _apart(places: list[QPointF], box: QRectF) -> list[QPointF]:
    """Where the numbers of these places stand: a little outwards of each, and
    clear of each other."""
    middle = (
        QPointF(sum(p.x() for p in places) / len(places), sum(p.y() for p in places) / len(places))
        if places
        else box.center()
    )
    found = []
    for place in places:
        x, y = place.x() - middle.x(), place.y() - middle.y()
        far = math.hypot(x, y) or 1.0
        found.append([place.x() + 2.4 * _BALLOON * x / far, place.y() + 2.4 * _BALLOON * y / far])
    for _ in range(60):
        for i, a in enumerate(found):
            for b in found[:i]:
                x, y = a[0] - b[0], a[1] - b[1]
                far = math.hypot(x, y) or 1.0
                push = max(2.3 * _BALLOON - far, 0.0) / 2
                a[0], a[1], b[0], b[1] = (
                    a[0] + push * x / far,
                    a[1] + push * y / far,
                    b[0] - push * x / far,
                    b[1] - push * y / far,
                )
            a[0] = min(max(a[0], box.left() + _BALLOON), box.right() - _BALLOON)
            a[1] = min(max(a[1], box.top() + _BALLOON), box.bottom() - _BALLOON)
    return [QPointF(x, y) for x, y in found]


# --- the drawings: each returns where its fields' lines end ---------------------------------------


def _hoist(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    drum, r = QPointF(b.x() + 0.45 * w, b.y() + 0.24 * h), min(0.14 * h, 0.2 * w)
    ink(p, 3)
    p.drawLine(QPointF(b.x() + 0.2 * w, b.y() + 3), QPointF(b.x() + 0.8 * w, b.y() + 3))
    ink(p, 1.6, "bench")
    p.drawRect(QRectF(drum.x() - 5, b.y() + 3, 10, drum.y() - b.y()))
    ink(p, 1.6, "brass", 200)
    p.drawEllipse(drum, r, r)
    shaft(p, drum, r * 0.22)
    x = drum.x() + r + 1.5
    p.setPen(QPen(theme.colour("force"), 2.2))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawArc(QRectF(drum.x() - r - 1.5, drum.y() - r - 1.5, 2 * r + 3, 2 * r + 3), 0, 16 * 200)
    cell_y = b.y() + 0.58 * h
    taut(p, QPointF(x, drum.y()), QPointF(x, b.y() + 0.74 * h))
    cell(p, x, cell_y)
    mass(p, x, b.y() + 0.74 * h, 46, 0.13 * h)
    ground = b.bottom() - 8
    floor(p, b.x() + 0.12 * w, b.x() + 0.95 * w, ground)
    tx = drum.x() - r - 18
    p.setPen(QPen(theme.colour("ink-2"), 1))
    p.drawLine(QPointF(tx, drum.y()), QPointF(tx, ground))
    for y in (drum.y(), ground):
        p.drawLine(QPointF(tx - 5, y), QPointF(tx + 5, y))
    return {
        "drum_diameter": QPointF(drum.x() + r * 0.7, drum.y() - r * 0.7),
        "drum_radius": QPointF(drum.x() + r * 0.55, drum.y()),
        "cord_diameter": QPointF(x, b.y() + 0.44 * h),
        "layers": QPointF(drum.x() + r * 0.92, drum.y() + r * 0.45),
        "hook_mass": QPointF(x + 13, cell_y + 4),
        "bearing": QPointF(drum.x() + r * 0.15, drum.y() + r * 0.15),
        "travel": QPointF(tx, b.y() + 0.85 * h),
        "cell": QPointF((tx + x - 13) / 2, cell_y),
        "speed": QPointF(drum.x() - r - 10, drum.y() - r - 10),
    }


def _lever(p: QPainter, b: QRectF, rig: Rig) -> Places:
    m = rig.method
    assert isinstance(m, Lever)
    w, h = b.width(), b.height()
    axis, reach = QPointF(b.x() + 0.16 * w, b.y() + 0.42 * h), 0.66 * w
    drive(p, QRectF(axis.x() - 26, axis.y() - 34, 52, 68), "")

    def at(angle: float, part: float) -> QPointF:
        return QPointF(
            axis.x() + reach * part * math.cos(angle), axis.y() - reach * part * math.sin(angle)
        )

    p.setPen(QPen(theme.colour("ink-3"), 1, Qt.PenStyle.DashLine))
    p.drawLine(axis, at(0.0, 1.12))
    for angle in (m.start.value, m.top.value):
        p.drawLine(at(angle, 0.5), at(angle, 1.1))
        ink(p, 1.4, "ink-2", 120)
        tip, down = at(angle, 0.9), 1 if angle == m.start.value else -1
        p.drawPolygon(
            QPolygonF(
                [
                    tip,
                    QPointF(tip.x() - 7, tip.y() + 14 * down),
                    QPointF(tip.x() + 7, tip.y() + 14 * down),
                ]
            )
        )
        p.setPen(QPen(theme.colour("ink-3"), 1, Qt.PenStyle.DashLine))
    p.save()
    p.translate(axis)
    p.rotate(-math.degrees(m.start.value))
    ink(p, 1.6, "brass", 200)
    p.drawRect(QRectF(-8, -5, reach + 16, 10))
    p.restore()
    shaft(p, axis, 8)
    end = at(m.start.value, 1.0)
    hook = QPointF(end.x(), end.y() + 0.16 * h)
    taut(p, end, hook)
    mass(p, hook.x(), hook.y(), 46, 0.17 * h)
    centre = at(m.start.value, min(max(m.arm_centre.value / m.arm.value, 0.0), 1.0))
    ink(p, 1.2, "sheet")
    p.drawEllipse(centre, 5, 5)
    return {
        "arm": at(m.start.value, 0.72),
        "arm_mass": at(m.start.value, 0.28),
        "arm_centre": centre,
        "hook_mass": QPointF(hook.x(), hook.y() - 6),
        "start": at(m.start.value, 0.9),
        "top": at(m.top.value, 0.9),
        "speed": QPointF(axis.x(), axis.y() - 48),
    }


def _brake(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    axis, r = QPointF(b.x() + 0.3 * w, b.y() + 0.42 * h), min(0.17 * h, 0.16 * w)
    ink(p, 1.6, "brass", 200)
    p.drawEllipse(axis, r, r)
    ink(p, 1.6, "ink-2", 150)
    for side in (-1, 1):
        p.drawChord(
            QRectF(axis.x() - r - 8, axis.y() - r - 8, 2 * r + 16, 2 * r + 16),
            16 * (50 if side < 0 else 230),
            16 * 80,
        )
    arm_y = axis.y() + r + 14
    ink(p, 1.6, "pale")
    p.drawRect(QRectF(axis.x() - r - 12, arm_y - 5, 0.62 * w, 10))
    cell_x = axis.x() - r - 12 + 0.6 * w
    ground = b.bottom() - 8
    floor(p, b.x() + 0.05 * w, b.x() + 0.98 * w, ground)
    cell(p, cell_x, (arm_y + ground) / 2 + 2, 24, ground - arm_y - 12)
    shaft(p, axis, r * 0.25)
    clamp = QPointF(axis.x() + 0.34 * w, axis.y() - r - 14)
    roomy = w > 240
    ink(p, 1.6, "pale")
    p.drawRect(QRectF(axis.x() - r - 12, clamp.y() - 4, clamp.x() - axis.x() + r + 18, 8))
    taut(p, clamp, QPointF(clamp.x(), clamp.y() + 0.12 * h))
    mass(p, clamp.x(), clamp.y() + 0.12 * h, 32, 0.1 * h)
    return {
        "arm": QPointF(axis.x() + 0.26 * w, arm_y),
        "angle": QPointF(cell_x, arm_y + 6),
        "grips": QPointF(clamp.x(), clamp.y() + 0.17 * h),
        "heat_capacity": QPointF(axis.x() + r * 0.6, axis.y() - r * 0.5),
        "hottest": QPointF(axis.x() + r * 0.5, axis.y() + r * 0.98),
        "cell": QPointF(cell_x + 66, ground - 14) if roomy else QPointF(cell_x - 68, ground - 14),
        "speed": (
            QPointF(axis.x() - r - 46, axis.y())
            if roomy
            else QPointF(axis.x() - 6, axis.y() - r - 34)
        ),
    }


def _drawbar(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    ground = b.y() + 0.78 * h
    floor(p, b.x(), b.right(), ground)
    r = min(0.11 * h, 0.1 * w)
    wheel = QPointF(b.x() + 0.8 * w, ground - r)
    drive(p, QRectF(b.x() + 0.6 * w, ground - 2.6 * r - 20, 0.36 * w, 1.4 * r + 14))
    for x in (wheel.x(), b.x() + 0.66 * w):
        ink(p, 1.6, "brass", 200) if x == wheel.x() else ink(p, 1.6, "bench")
        p.drawEllipse(QPointF(x, ground - r), r, r)
    shaft(p, wheel, r * 0.25)
    sled = QRectF(b.x() + 0.02 * w, ground - 0.1 * h, 0.26 * w, 0.1 * h - 1)
    rope = sled.center().y()
    taut(p, QPointF(sled.right(), rope), QPointF(b.x() + 0.6 * w, rope))
    cell(p, b.x() + 0.44 * w, rope)
    ink(p, 1.6, "pale")
    p.drawRect(sled)
    mass(p, sled.center().x(), sled.top() - 0.12 * h, 0.16 * w, 0.12 * h)
    return {
        "wheel_diameter": QPointF(wheel.x() + r * 0.7, wheel.y() - r * 0.7),
        "on_wheels": QPointF(wheel.x(), ground - 2.6 * r - 12),
        "rolls": QPointF(b.x() + 0.66 * w, ground - r * 0.4),
        "sled_mass": QPointF(sled.right() - 8, sled.top() + 5),
        "sled_friction": QPointF(sled.right() - 12, ground),
        "traction": QPointF(wheel.x(), ground),
        "cell": QPointF(b.x() + 0.44 * w, rope - 26),
        "speed": QPointF(wheel.x(), ground + 18),
    }


def _run_up(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    axis, r = QPointF(b.x() + 0.62 * w, b.y() + 0.46 * h), min(0.36 * h, 0.3 * w)
    p.setPen(QPen(theme.colour("amber"), 3, Qt.PenStyle.DashLine))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawEllipse(axis, r + 14, r + 14)
    ink(p, 1.6, "ink-2", 110)
    p.drawEllipse(axis, r, r)
    ink(p, 1.6, "sheet")
    (
        p.drawEllipse(axis, r * 0.55, r * 0.55)
        if getattr(rig.method, "shape", "disc") == "ring"
        else None
    )
    pinion = r * 0.22
    wheel_r = min(pinion * 2.6, 0.24 * w)
    wheel = QPointF(axis.x() - pinion - wheel_r, axis.y() + 0.0)
    ink(p, 1.6, "pale", 230)
    p.drawEllipse(wheel, wheel_r, wheel_r)
    ink(p, 1.6, "brass", 220)
    p.drawEllipse(axis, pinion, pinion)
    shaft(p, axis, pinion * 0.4)
    shaft(p, wheel, pinion * 0.4)
    p.setFont(font(11))
    p.setPen(theme.colour("ink-2"))
    p.drawText(
        QRectF(b.x(), b.bottom() - 18, w, 16),
        Qt.AlignmentFlag.AlignCenter,
        "guard closed all round",
    )
    return {
        "inertia": QPointF(axis.x() + r * 0.05, axis.y() - r * 0.9),
        "gearing": QPointF(axis.x(), axis.y() - pinion * 0.7),
        "coasts": QPointF(axis.x() + pinion * 0.7, axis.y()),
        "safe_speed": QPointF(axis.x() + r * 0.75, axis.y() - r * 0.4),
        "outer_radius": QPointF(axis.x() + r * 0.99, axis.y() + r * 0.1),
        "shape": QPointF(axis.x() + r * 0.62, axis.y() + r * 0.3),
        "density": QPointF(axis.x() + r * 0.5, axis.y() + r * 0.62),
        "strength": QPointF(axis.x() + r * 0.34, axis.y() + r * 0.94),
        "speed": QPointF(axis.x() - r - 20, axis.y() - r - 4),
    }


def _generator(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    y = b.y() + 0.4 * h
    drive(p, QRectF(b.x() + 0.02 * w, y - 0.14 * h, 0.26 * w, 0.28 * h))
    ink(p, 4)
    p.drawLine(QPointF(b.x() + 0.28 * w, y), QPointF(b.x() + 0.42 * w, y))
    g, r = QPointF(b.x() + 0.54 * w, y), min(0.15 * h, 0.13 * w)
    ink(p, 1.6, "brass", 200)
    p.drawEllipse(g, r, r)
    p.setFont(font(18, bold=True))
    p.drawText(QRectF(g.x() - r, g.y() - r, 2 * r, 2 * r), Qt.AlignmentFlag.AlignCenter, "G")
    x = b.x() + 0.86 * w
    top, bottom = y - 0.2 * h, y + 0.22 * h
    p.setPen(QPen(theme.colour("current"), 2))
    p.drawPolyline(
        QPolygonF(
            [
                QPointF(g.x() + r * 0.8, y - r * 0.6),
                QPointF(g.x() + r * 0.8, top),
                QPointF(x, top),
                QPointF(x, y - 0.1 * h),
            ]
        )
    )
    p.drawPolyline(
        QPolygonF(
            [
                QPointF(g.x() + r * 0.8, y + r * 0.6),
                QPointF(g.x() + r * 0.8, bottom),
                QPointF(x, bottom),
                QPointF(x, y + 0.1 * h),
            ]
        )
    )
    ink(p, 1.6, "sheet")
    p.drawRect(QRectF(x - 9, y - 0.1 * h, 18, 0.2 * h))
    return {
        "constant": QPointF(g.x() + r * 0.5, g.y() - r * 0.5),
        "own_drag": QPointF(b.x() + 0.36 * w, y),
        "winding": QPointF(g.x() + r * 0.4, g.y() + r * 0.6),
        "speed": QPointF(b.x() + 0.34 * w, y - 22),
    }


PAINTERS: dict[str, Callable[[QPainter, QRectF, Rig], Places]] = {
    "hoist": _hoist,
    "lever": _lever,
    "brake": _brake,
    "drawbar": _drawbar,
    "run-up": _run_up,
    "generator": _generator,
}
