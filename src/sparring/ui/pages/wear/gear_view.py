"""The part to scale, its teeth numbered, with what was seen painted on them."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF

from sparring.core.wear.inspection import TOOTHED, Spot
from sparring.core.wear.parts import Part
from sparring.ui.pages.wear.cursor import ROWS, Cursor
from sparring.ui.pages.wear.on_teeth import OnTeeth
from sparring.ui.theme import font, theme
from sparring.ui.widgets.train_drawing import path_of

_MARGIN = 26  # [px] for the numbers
_NEAREST = 12  # [px] between numbers of teeth


class GearView(OnTeeth):
    """The part that the cursor is on."""

    def __init__(self, caret: Cursor) -> None:
        super().__init__(caret, "Part, tooth by tooth")
        self.setMinimumSize(180, 180)
        caret.moved.connect(self._moved)

    def sizeHint(self) -> QSize:
        return QSize(340, 320)

    def _moved(self) -> None:
        c = self.caret
        if c.part is not None:
            self.setAccessibleName(f"{c.part.name}, tooth {c.tooth}, {c.spot}")

    # --- geometry ---------------------------------------------------------------------------------

    def _frame(self) -> tuple[QPointF, float]:
        """Middle [px] and scale [px/m]."""
        part = self.caret.part
        reach = part.body.reach if part is not None and part.body.reach else 0.01
        room = min(self.width(), self.height() - 22) / 2 - _MARGIN
        return QPointF(self.width() / 2, (self.height() - 22) / 2), max(room, 20) / reach

    def angle_of(self, tooth: int) -> float:
        """Where a tooth is drawn [rad]: the first at the top, counted counter-clockwise."""
        step = 2 * math.pi / max(self.caret.teeth, 1)
        return math.pi / 2 + (tooth - 1) * step

    def place_of(self, tooth: int, spot: str) -> QPointF:
        """The middle of a spot, in the widget."""
        middle, scale = self._frame()
        part = self.caret.part
        assert part is not None
        inner, outer = self._radii(part)
        step = 2 * math.pi / max(self.caret.teeth, 1)
        off, radius = {
            "driving flank": (0.2 * part.driving * step, (inner + outer) / 2),
            "coasting flank": (-0.2 * part.driving * step, (inner + outer) / 2),
            "tip": (0.0, outer),
            "root": (0.44 * part.driving * step, inner),
        }.get(spot, (0.0, 0.4 * inner))
        a = self.angle_of(tooth) + off
        return QPointF(
            middle.x() + radius * scale * math.cos(a), middle.y() - radius * scale * math.sin(a)
        )

    def _radii(self, part: Part) -> tuple[float, float]:
        """(root, tip) radius of its teeth [m], the nearer to the middle first for a ring too."""
        loop = self._toothed(part)
        r = np.hypot(loop[:, 0], loop[:, 1])
        return (float(r.max()), float(r.min())) if self._ring else (float(r.min()), float(r.max()))

    @property
    def _ring(self) -> bool:
        part = self.caret.part
        return part is not None and part.body.look == "ring"

    def _toothed(self, part: Part) -> np.ndarray:
        """The loop that has the teeth: of a ring the inner one."""
        loops = part.body.outline(lambda _s: 0.0)
        spread = [float(np.ptp(np.hypot(x[:, 0], x[:, 1]))) for x in loops]
        return loops[int(np.argmax(spread))] if loops else np.zeros((1, 2))

    def at(self, where: QPointF) -> tuple[int, Spot] | None:
        """The tooth and the spot under a point."""
        part = self.caret.part
        if part is None or not part.body.teeth:
            return None
        middle, scale = self._frame()
        x, y = where.x() - middle.x(), middle.y() - where.y()
        radius, angle = math.hypot(x, y) / scale, math.atan2(y, x)
        root, tip = self._radii(part)
        step = 2 * math.pi / part.body.teeth
        turns = (angle - math.pi / 2) / step
        tooth = round(turns)
        off = (turns - tooth) * part.driving  # from the middle of the tooth, in pitches
        along = (radius - root) / (tip - root)
        if along < -0.25 or along > 1.6:
            return None
        if along > 0.85:  # a pixel is much of a small tooth
            spot: Spot = "tip"
        elif abs(off) > 0.38 and along < 0.4:
            spot = "root"
        else:
            spot = "driving flank" if off > 0 else "coasting flank"
        return tooth % part.body.teeth + 1, spot

    # --- painting ---------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        part = self.caret.part
        if part is None:
            return
        middle, scale = self._frame()
        p.save()
        p.translate(middle)
        # its tooth or, of a ring, its space lies on +x: the first tooth goes to the top
        half = math.pi / max(part.body.teeth, 1) if self._ring else 0.0
        p.rotate(-90.0 + math.degrees(half))
        path = path_of(part.body.outline(lambda _s: 0.0), 500.0 / scale)
        p.scale(scale / 1e3, scale / 1e3)
        pen = QPen(theme.colour("ink"), 1.2)
        pen.setCosmetic(True)
        p.setPen(pen)
        p.fillPath(path, theme.colour("pale"))
        p.drawPath(path)
        p.restore()
        if part.body.teeth:
            self._paint_teeth(p, part)
        self._paint_body(p, part, middle, scale)
        self._paint_words(p)
        self.paint_focus(p)

    def _paint_teeth(self, p: QPainter, part: Part) -> None:
        c, n = self.caret, part.body.teeth
        sides = self._flank_lines(part)
        middle, scale = self._frame()
        _, tip = self._radii(part)
        round_ = 2 * math.pi * tip * scale
        every = max(1, math.ceil(_NEAREST * 1.8 * n / round_))
        p.setFont(font(11))
        away = -12 if self._ring else 12
        for tooth in range(1, n + 1):
            for spot, side in (("driving flank", part.driving), ("coasting flank", -part.driving)):
                if grade := c.grade(tooth, spot):
                    p.setPen(_ink(grade))
                    p.drawPolyline(self._turned(sides[side], tooth, middle, scale))
            for spot in ("tip", "root"):
                if grade := c.grade(tooth, spot):
                    p.setPen(Qt.PenStyle.NoPen)
                    p.setBrush(theme.colour("heat"))
                    size = 1.5 + 0.7 * grade
                    p.drawEllipse(self.place_of(tooth, spot), size, size)
            if grade := c.broken(tooth):
                p.setPen(QPen(theme.colour("vermilion"), 2, Qt.PenStyle.DashLine))
                inner = self.place_of(tooth, "root")
                p.drawLine((middle + inner) / 2, inner)
            if tooth in c.selected:
                p.setPen(QPen(theme.colour("reseda"), 2))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawEllipse(self.place_of(tooth, c.spot if c.spot in dict(ROWS) else "tip"), 6, 6)
            if (tooth - 1) % every == 0 or tooth == c.tooth:
                a = self.angle_of(tooth)
                r = tip * scale + away
                at = QPointF(middle.x() + r * math.cos(a), middle.y() - r * math.sin(a))
                p.setPen(theme.colour("brass" if tooth == 1 else "ink-2"))
                box = QRectF(at.x() - 14, at.y() - 8, 28, 16)
                p.drawText(box, Qt.AlignmentFlag.AlignCenter, str(tooth))

    def _flank_lines(self, part: Part) -> dict[int, np.ndarray]:
        """The counter-clockwise (1) and clockwise (−1) flank of the tooth at angle 0 [m]."""
        loop = self._toothed(part)
        step = 2 * math.pi / part.body.teeth
        if self._ring:  # its tooth is half a pitch away
            c, d = math.cos(step / 2), math.sin(step / 2)
            loop = loop @ np.array([[c, -d], [d, c]])
        angle = np.arctan2(loop[:, 1], loop[:, 0])
        r = np.hypot(loop[:, 0], loop[:, 1])
        low, high = float(r.min()), float(r.max())
        between = (r > low + 0.18 * (high - low)) & (r < high - 0.04 * (high - low))
        found = {}
        for side in (1, -1):
            some = between & (angle * side > 0) & (angle * side < step / 2)
            order = np.argsort(r[some])
            found[side] = loop[some][order]
        return found

    def _turned(self, line: np.ndarray, tooth: int, middle: QPointF, scale: float) -> QPolygonF:
        a = self.angle_of(tooth)
        c, s = math.cos(a), math.sin(a)
        x, y = line[:, 0] * c - line[:, 1] * s, line[:, 0] * s + line[:, 1] * c
        return QPolygonF(
            [
                QPointF(middle.x() + scale * u, middle.y() - scale * v)
                for u, v in zip(x.tolist(), y.tolist(), strict=True)
            ]
        )

    def _paint_body(self, p: QPainter, part: Part, middle: QPointF, scale: float) -> None:
        """What is seen at bore, joint and body: a ring of colour round the middle."""
        grade = max((s.severity for s in self.caret.seen if s.spot not in TOOTHED), default=0)
        if grade:
            path = QPainterPath()
            r = max(6.0, 0.22 * (part.body.reach or 0.01) * scale)
            path.addEllipse(middle, r, r)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(theme.colour("vermilion"), 1 + 0.6 * grade))
            p.drawPath(path)

    def _paint_words(self, p: QPainter) -> None:
        c = self.caret
        p.setFont(font(11))
        p.setPen(theme.colour("ink-2"))
        teeth = c.teeth
        where = "" if not teeth else f"tooth {c.tooth}, "
        if teeth and len(c.selected) > 1:
            where = "all teeth, " if len(c.selected) >= teeth else f"{len(c.selected)} teeth, "
        box = QRectF(6, self.height() - 20, self.width() - 12, 18)
        told, key = f"{where}{c.spot}", "the thicker, the worse"
        p.drawText(box, Qt.AlignmentFlag.AlignLeft, told)
        wide = p.fontMetrics().horizontalAdvance
        if wide(told) + wide(key) + 6 < box.width():
            p.setPen(theme.colour("heat-text"))
            p.drawText(box, Qt.AlignmentFlag.AlignRight, key)

    def places(self) -> dict[str, QPoint]:
        """Where what can be clicked is, by its name."""
        return {
            f"tooth {t}, {spot}": self.place_of(t, spot).toPoint()
            for t in range(1, self.caret.teeth + 1)
            for spot, _ in ROWS
        }


def _ink(grade: int) -> QPen:
    pen = QPen(theme.colour("heat"), 1.2 + 0.9 * grade)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    return pen
