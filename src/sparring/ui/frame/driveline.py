"""The driveline: the thing under test as a line, and a ribbon whose height is power; losses leave
it downwards as heat.
"""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QBrush,
    QColor,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QWidget

from sparring.core.build import MOTOR
from sparring.core.predict import PowerFlow, Station
from sparring.core.train import kinematics
from sparring.ui.model.desk import Desk
from sparring.ui.page import ShownFlow
from sparring.ui.theme import font, theme
from sparring.ui.widgets.train_drawing import Drawn, drawn_stage, paint_stage

HEIGHT = 138
_TOP, _RIBBON, _TALLEST = 10, 66, 34
_FOLDED = 66
_RESTING = 0.05  # part of what the motor takes without load, below which nothing is drawn
_RESULT = 164  # width kept at the right for the two efficiencies


class Driveline(QWidget):
    """Shows a power flow: predicted, live or of the chosen point. `part_clicked(name)`: supply,
    motor, stage 1 …, output, rig.
    """

    part_clicked = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.build = desk.build  # the flow's own: the desk may be a moment ahead
        self.flow: PowerFlow | None = None
        self.source = ""
        self.rig_lines: tuple[str, str] = ("", "")
        # efficiency shown large, its uncertainty, the gearbox's
        self.wire: tuple[str, ...] = ("", "", "")
        self.live = self.blank = False
        self._angle = 0.0
        self._gap = False
        self._drawn_for: object = None
        self._drawn: list[list[Drawn]] = []
        self._speeds: dict[str, float] = {}
        self.folded = False
        self.setFixedHeight(HEIGHT)
        self.setMouseTracking(True)
        self.setAccessibleName("Driveline: power from the supply to the output")
        self._timer = QTimer(self)
        self._timer.setInterval(120)
        self._timer.timeout.connect(self._turn)
        for signal in (theme.changed, desk.units_changed):
            signal.connect(self.update)

    def put(self, shown: ShownFlow) -> None:
        """Shows a flow through the build that lies on the desk."""
        self.build = self.desk.build
        self.flow, self.source, self.rig_lines, self.wire, self.live, self.blank = shown
        flow, source = shown.flow, shown.source
        turning = self.live and not self.blank and flow.power_out > 0.01 and not theme.calm
        if turning != self._timer.isActive():
            self._timer.start() if turning else self._timer.stop()
        if self.blank or not self._flows(flow):
            said = f"{source}: no power flows."
        else:
            losses = ", ".join(
                f"{loss.cause} {loss.power:.2f} watts" for s in flow.stations for loss in s.losses
            )
            said = f"{source}: {self.wire[0]} wire to shaft. {losses}"
        self.setAccessibleDescription(said)
        self.update()

    def fold(self, on: bool) -> None:
        """Folds it to its line of figures: a low window leaves no height for the ribbon."""
        self.folded = on
        self.setFixedHeight(_FOLDED if on else HEIGHT)
        self.update()

    def _turn(self) -> None:
        self._angle += 0.2
        self.update()

    # --- places -----------------------------------------------------------------------------------

    def _columns(self) -> list[tuple[str, float]]:
        """(part, left edge) of every part on the line, the rig last."""
        stations = (
            [s.name for s in self.flow.stations]
            if self.flow
            else ["supply", *["motor"] * self.build.has_motor, *self.build.stage_names(), "output"]
        )
        names = [*stations, "rig"]
        width = self.width() - _RESULT - 24
        weights = [
            (
                1.15
                if n == "motor"
                else (
                    0.95
                    if n == "supply"
                    else 1.3
                    if n.startswith("stage") and len(names) < 8
                    else 1.0
                )
            )
            for n in names
        ]
        total, x, placed = sum(weights), 20.0, []
        for name, w in zip(names, weights, strict=True):
            placed.append((name, x))
            x += width * w / total
        return placed

    def part_at(self, x: float) -> str:
        part = ""
        for name, left in self._columns():
            if x >= left - 8:
                part = name
        return "" if x > self.width() - _RESULT else part

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (part := self.part_at(event.position().x())):
            self.part_clicked.emit(part)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            over = bool(self.part_at(event.position().x()))
            self.setCursor(
                Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor
            )

    # --- painting ---------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.colour("sheet"))
        columns = self._columns()
        ends = [left for _, left in columns[1:]] + [self.width() - _RESULT - 4.0]
        places = {name: (left, end) for (name, left), end in zip(columns, ends, strict=True)}
        flows = self.flow is not None and self._flows(self.flow) and not self.blank
        if flows and not self.folded:
            self._ribbon(p, places)
        for name, (left, end) in places.items():
            self._part(p, name, left, end - left - 8)
        self._result(p)
        p.setPen(theme.colour("rule"))
        p.drawLine(0, self.height() - 1, self.width(), self.height() - 1)

    def _flows(self, flow: PowerFlow) -> bool:
        """Whether there is power to draw: what a resting bench shows is its instruments' noise."""
        if not self.build.has_motor:
            return flow.power_in > 1e-3
        idle = self.build.motor.no_load_current.value * self.build.motor.voltage.value
        return flow.power_in > _RESTING * idle

    def _figures(self, name: str, station: Station | None) -> tuple[str, str]:
        d, flow = self.desk, self.flow
        if name == "rig":
            return self.rig_lines
        if flow is None or station is None or self.blank:
            return "–", ""
        if name == "supply" and not self.build.has_motor:
            torque = d.three(station.torque or 0.0, "torque")
            return (
                d.three(station.speed or 0.0, "speed"),
                f"{torque}  {d.show(flow.power_in, 'power', decimals=2)}",
            )
        if name == "supply":
            return (
                d.show(flow.voltage, "voltage", decimals=2),
                (
                    f"{d.show(flow.current, 'current', decimals=2)} "
                    f" {d.show(flow.power_in, 'power', decimals=1)}"
                ),
            )
        if name == "output":
            return (
                d.three(station.torque or 0.0, "torque"),
                (
                    f"{d.three(station.speed or 0.0, 'speed')} "
                    f" {d.show(flow.power_out, 'power', decimals=2)}"
                ),
            )
        speed = (
            d.show(station.speed or 0.0, "speed", decimals=0)
            if (station.speed or 0.0) > 10
            else d.three(station.speed or 0.0, "speed")
        )
        if name == "motor":
            return speed, f"{d.show(flow.power_in, 'power', decimals=1)} in"
        stage = self.build.stages[int(name.split()[1]) - 1]
        lost = sum(loss.power for loss in station.losses)
        eta = (
            f"η {1 - lost / station.power:.2f}" if flow.power_out > 0 and self._flows(flow) else ""
        )
        return speed, f"{stage.in_words()}  {eta}"

    def _part(self, p: QPainter, name: str, left: float, width: float) -> None:
        station = (
            next((s for s in self.flow.stations if s.name == name), None) if self.flow else None
        )
        big, small = self._figures(name, station)
        title = f"{self.desk.rig.method.word}" if name == "rig" else name
        if name == "supply" and not self.build.has_motor:
            title = self.build.driven_by
        gear_room = 0.0
        if name.startswith("stage") and width > 132:
            gear_room = 58.0
            self._gears(p, int(name.split()[1]) - 1, left + width - 32, _TOP + 22)
        p.setPen(theme.colour("ink-2"))
        p.setFont(font(11))
        p.drawText(QRectF(left, _TOP, width, 14), Qt.AlignmentFlag.AlignVCenter, title.capitalize())
        p.setPen(theme.colour("ink"))
        size = 17
        p.setFont(font(size, bold=True))
        while size > 11 and p.fontMetrics().horizontalAdvance(big) > width - gear_room:
            size -= 1  # many stages leave little room to each
            p.setFont(font(size, bold=True))
        p.drawText(
            QRectF(left, _TOP + 14, width - gear_room, 22), Qt.AlignmentFlag.AlignVCenter, big
        )
        p.setFont(font(11))
        p.setPen(theme.colour("ink-2"))
        small = p.fontMetrics().elidedText(
            small, Qt.TextElideMode.ElideRight, int(width - gear_room)
        )
        p.drawText(
            QRectF(left, _TOP + 36, width - gear_room, 16), Qt.AlignmentFlag.AlignVCenter, small
        )

    def _gears(self, p: QPainter, stage: int, x: float, y: float) -> None:
        """The stage's own drawing, small; everything turns in proportion to its input, which is
        slowed to be seen.
        """
        build = self.build
        if self._drawn_for is not build.stages:
            self._drawn_for = build.stages
            self._drawn = [drawn_stage(build, n) for n in range(len(build.stages))]
            self._speeds = kinematics.solve_speeds(build.elements(), {MOTOR: 1.0})
        drawn, speeds = self._drawn[stage], self._speeds
        into = speeds[build.shafts()[stage]] or 1.0
        turn = (
            self._angle
            if stage == 0
            else self._angle * max(abs(into), 0.15) * (1 if into > 0 else -1)
        )
        left, right, low, high = (
            f(v)
            for f, v in (
                (min, [d.body.at[0] - d.body.reach for d in drawn if d.body.reach]),
                (max, [d.body.at[0] + d.body.reach for d in drawn if d.body.reach]),
                (min, [d.body.at[1] - d.body.reach for d in drawn if d.body.reach]),
                (max, [d.body.at[1] + d.body.reach for d in drawn if d.body.reach]),
            )
        )
        scale = 44.0 / (1e3 * max(right - left, high - low))
        p.save()
        p.translate(x - 1e3 * scale * (left + right) / 2, y + 1e3 * scale * (low + high) / 2)
        p.scale(scale, scale)
        paint_stage(
            p,
            drawn,
            lambda shaft: speeds.get(shaft, 0.0) / into * turn,
            width=0.7,
            first_shaft=build.shafts()[stage],
        )
        p.restore()

    def _ribbon(self, p: QPainter, places: dict[str, tuple[float, float]]) -> None:
        flow = self.flow
        assert flow is not None
        most = max(flow.power_in, 1e-9)
        top = float(_RIBBON)
        scale = _TALLEST / most

        def height(power: float) -> float:
            return max(0.0, power) * scale

        stations = flow.stations
        powers = [s.power for s in stations]
        path = QPainterPath(QPointF(places["supply"][0], top))
        end = places["rig"][0] - 8
        path.lineTo(end, top)
        lower = [(places["supply"][0], powers[0])]
        heats: list[tuple[float, float, float, str, bool]] = []
        for s, after in zip(stations, [*powers[1:], powers[-1]], strict=True):
            left, right = places[s.name]
            lower.append((left + (right - left) * 0.42, s.power))
            if s.losses:
                lower.append((left + (right - left) * 0.78, after))
                heats.append(
                    (
                        left + (right - left) * 0.42,
                        s.power,
                        sum(x.power for x in s.losses),
                        " + ".join(_short(x.cause) for x in s.losses if x.power > 0.005 * most),
                        sum(x.power for x in s.losses if x.estimated)
                        > 0.5 * sum(x.power for x in s.losses),
                    )
                )
        lower.append((end, powers[-1]))
        path.lineTo(end, top + height(lower[-1][1]))
        for (x2, p2), (x1, p1) in zip(lower[-2::-1], lower[:0:-1], strict=True):
            mid = (x1 + x2) / 2
            path.cubicTo(mid, top + height(p1), mid, top + height(p2), x2, top + height(p2))
        path.closeSubpath()
        gradient = QLinearGradient(places["supply"][0], 0, end, 0)
        span = end - places["supply"][0]
        for name, colour in (
            ("supply", "voltage"),
            ("motor", "speed"),
            ("stage 1", "torque"),
            ("output", "torque"),
        ):
            if name in places:
                gradient.setColorAt(
                    min(1.0, (places[name][0] - places["supply"][0]) / span + 0.04),
                    theme.colour(colour),
                )
        if flow.measured:
            p.fillPath(path, QBrush(gradient))
        else:  # estimated parts are hatched
            soft = QColor(theme.colour("pale"))
            p.fillPath(path, soft)
            p.save()
            p.setClipPath(path)
            p.setPen(QPen(QBrush(gradient), 2.2))
            bounds = path.boundingRect()
            x = bounds.left() - bounds.height()
            while x < bounds.right():
                p.drawLine(QPointF(x, bounds.bottom()), QPointF(x + bounds.height(), bounds.top()))
                x += 7
            p.restore()
            p.setPen(QPen(QBrush(gradient), 1.2))
            p.drawPath(path)
        p.setFont(font(11))
        ends = [h[0] for h in heats[1:]] + [self.width() - _RESULT - 8.0]
        for (x, power, lost, cause, estimated), end in zip(heats, ends, strict=True):
            self._heat(
                p,
                x,
                top + height(power),
                thick=height(lost),
                lost=lost,
                cause=cause,
                estimated=estimated,
                end=end,
            )

    def _heat(
        self,
        p: QPainter,
        x: float,
        y: float,
        thick: float,
        lost: float,
        cause: str,
        estimated: bool,
        end: float,
    ) -> None:
        """A loss leaves downwards; its words end before the next one's place."""
        foot = _RIBBON + _TALLEST + 10.0
        thick = max(1.2, min(thick, 26.0))
        path = QPainterPath(QPointF(x, y - thick))
        path.cubicTo(x + 16, y - thick, x + 22 + thick / 2, y, x + 22 + thick / 2, foot)
        path.lineTo(x + 22 - thick / 2, foot)
        path.cubicTo(x + 22 - thick / 2, y + 2, x + 10, y, x, y)
        path.closeSubpath()
        fade = QLinearGradient(0, y - thick, 0, foot)
        fade.setColorAt(0, theme.colour("heat", 235))
        fade.setColorAt(1, theme.colour("heat", 90))
        if estimated:
            p.save()
            p.setClipPath(path)
            p.setPen(QPen(QBrush(fade), 1.4))
            for at in range(int(x) - 40, int(x) + 80, 4):
                p.drawLine(QPointF(at, foot), QPointF(at + foot - y + thick, y - thick))
            p.restore()
        else:
            p.fillPath(path, QBrush(fade))
        p.setPen(theme.colour("heat-text"))
        label = f"{self.desk.show(lost, 'power', decimals=1 if lost >= 0.95 else 2)} {cause}"
        begin = x + 28 + thick / 2
        if p.fontMetrics().horizontalAdvance(label) > end + 12 - begin:
            label = label.removesuffix(f" {cause}")
        p.drawText(QPointF(begin, foot + 4), label)

    def _result(self, p: QPainter) -> None:
        right = self.width() - 20
        box = QRectF(right - _RESULT + 20, _TOP, _RESULT - 20, 14)
        p.setPen(theme.colour("ink-2"))
        p.setFont(font(11))
        flag = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        p.drawText(box, flag, "Wire to shaft" if self.build.has_motor else "Input to shaft")
        p.setPen(theme.colour("ink"))
        p.setFont(font(28, bold=True))
        p.drawText(box.translated(0, 16).adjusted(0, 0, 0, 22), flag, self.wire[0])
        if self.folded:
            return
        p.setFont(font(12))
        p.setPen(theme.colour("torque"))
        p.drawText(box.translated(0, 72), flag, self.wire[2])
        p.setPen(theme.colour("ink-2"))
        p.setFont(font(11))
        p.drawText(box.translated(0, 54), flag, self.wire[1])
        p.setFont(font(11, bold=self.live))
        p.drawText(box.translated(0, 92), flag, self.source)


def _short(cause: str) -> str:
    return {"friction and iron": "friction"}.get(cause, cause)
