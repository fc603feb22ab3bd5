"""The bench drawn for its method, its dimensions as fields: beside the drawing with a line from
each to the place it is measured at, below a wide one with a number for each."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QSizePolicy, QWidget

from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.benches import paint_bench
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.form import Form

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
            self.form.setMinimumWidth(314 if self._kind in ("run-up", "generator") else 286)
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
        self.row.activate()  # a form that has just been changed has its place first
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        places = paint_bench(p, self._box(), self.desk.rig)
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
