"""Efficiency over torque and speed as a map: contours where the test's points lie around."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor

from sparring.core.performance.efficiency_map import NAMES, EfficiencyMap, efficiency_at
from sparring.core.performance.whole import Whole
from sparring.ui.model.desk import Desk
from sparring.ui.pages.results.kinds.base import Kind
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import pen

_WORDS = ("wire to shaft", "gearbox", "motor")
_DASHED = Qt.PenStyle.DashLine
_LEVELS = (1, 2, 5, 10)  # per cent between two contours
_MOST = 9  # contours


class MapKind(Kind):
    """One efficiency over torque and speed."""

    ID, NAME = "map", "Map"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.which = self.choice("Efficiency", list(_WORDS))
        self.which.currentIndexChanged.connect(lambda _n: self.again())
        self.map = self.chart("output torque", "output speed", "Efficiency map")
        self.map.rows = self._rows
        self.map.readout = self._read

    @property
    def _name(self) -> str:
        return NAMES[max(self.which.currentIndex(), 0)]

    def put(self, found: Whole) -> None:
        self._found = found
        if found.model is None:
            self.nothing("There is no map of a drive without a motor or without measured currents.")
            return
        if found.map is None:
            self.nothing(
                "A map needs points around an area of torque and speed. This test's steps lie on "
                "one line: add steps at a second voltage on the Plan page, for example "
                "“loads 0.5…2 kg in 4, at 6, 9, 12 V”."
            )
            return
        self.something()
        (torque, kt), (speed, ks) = self.unit("torque"), self.unit("speed")
        self.map.set_labels(f"output torque, {torque}", f"output speed, {speed}")
        self.map.setAccessibleName(f"Map of the {_WORDS[NAMES.index(self._name)]} efficiency")
        x, y = found.map.torque / kt, found.map.speed / ks
        z = 100 * found.map.value[self._name]
        self._area(x, y, z)
        self._contours(x, y, z)
        points = found.map.points / (kt, ks)
        mark = {"symbol": "o", "size": 7, "pen": pen("ink", 1.5)}
        brush = pg.mkBrush(theme.colour("sheet"))
        self.add(self.map, pg.ScatterPlotItem(*points.T, brush=brush, **mark))
        self._lines(found, kt, ks)
        if (load := found.result.build.expected_load) is not None:
            line = pg.InfiniteLine(load / kt, angle=90, pen=pen("brass", 1.5, _DASHED))
            self.add(self.map, line)
            self.text(self.map, "expected load", load / kt, 1.04 * y.max(), "ink-2")
        self.map.box.setRange(xRange=(0, 1.05 * x.max()), yRange=(0, 1.08 * y.max()), padding=0)

    def _area(self, x: np.ndarray, y: np.ndarray, z: np.ndarray) -> None:
        """The efficiency as a tint from pale to deep."""
        low, high = QColor(theme.colour("sheet")), QColor(theme.colour("reseda"))
        span = np.nanmax(z) - np.nanmin(z) or 1.0
        part = np.nan_to_num((z - np.nanmin(z)) / span)[..., None]
        ends = [np.array(c.getRgb()[:3], float) for c in (low, high)]
        colours = ends[0] + (ends[1] - ends[0]) * (0.1 + 0.65 * part)
        alpha = np.where(np.isfinite(z), 255, 0)[..., None]
        image = pg.ImageItem(np.concatenate([colours, alpha], axis=2).astype(np.ubyte))
        image.setOpts(axisOrder="row-major")
        dx, dy = (x[1] - x[0]), (y[1] - y[0])
        image.setRect(QRectF(x[0] - dx / 2, y[0] - dy / 2, dx * len(x), dy * len(y)))
        self.add(self.map, image)

    def _contours(self, x: np.ndarray, y: np.ndarray, z: np.ndarray) -> None:
        """Lines of equal efficiency, each with its figure."""
        from contourpy import contour_generator

        low, high = float(np.nanmin(z)), float(np.nanmax(z))
        every = next((n for n in _LEVELS if (high - low) / n <= _MOST), 20)
        lines = contour_generator(x, y, np.ma.masked_invalid(z))
        for level in np.arange(np.ceil(low / every) * every, high, every):
            longest: np.ndarray | None = None
            for line in lines.lines(float(level)):
                part: Any = line
                self.curve(self.map, part[:, 0], part[:, 1], "ink", width=1)
                longest = part if longest is None or len(part) > len(longest) else longest
            if longest is not None and len(longest) > 4:
                at = longest[int(0.4 * len(longest))]
                self.text(self.map, f"{level:.0f} %", at[0], at[1], "ink", (0.5, 0.5))

    def _lines(self, found: Whole, kt: float, ks: float) -> None:
        """Each voltage's speed over torque, named near its foot, where they lie apart."""
        for curves in found.curves:
            self.curve(self.map, curves.torque / kt, curves.speed.value / ks, "voltage", width=1)
            assert found.map is not None
            right, low = found.map.torque[-1], 0.07 * found.map.speed[-1]
            seen = (curves.torque <= right) & (curves.speed.value >= low)
            at = int(np.flatnonzero(seen)[-1]) if seen.any() else 0
            x, y = curves.torque[at] / kt, curves.speed.value[at] / ks
            self.text(self.map, f"{curves.voltage:.3g} V", x, y, "voltage", (1.1, 0.5))

    def _read(self, px: float, py: float) -> str:
        (torque, kt), (speed, ks) = self.unit("torque"), self.unit("speed")
        here = f"{px:.3g} {torque}  {py:.3g} {speed}"
        model = self._found.model if self._found is not None else None
        grid = self._found.map if self._found is not None else None
        if model is None or grid is None or not _inside(grid, px * kt, py * ks):
            return f"{here}: nothing measured around"
        told = efficiency_at(model, px * kt, py * ks)
        words = [
            f"{word} {self.shows(*told[name], 'ratio')}"
            for name, word in zip(NAMES, _WORDS, strict=True)
        ]
        return f"{here}: {', '.join(words)}"

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        head = ["torque N·m", "speed rad/s", "voltage V"]
        head += [text for word in _WORDS for text in (word, "u")]
        grid = self._found.map if self._found is not None else None
        if grid is None:
            return head, []
        rows: list[list[Any]] = []
        for j, i in zip(*np.nonzero(np.isfinite(grid.value[NAMES[0]])), strict=True):
            figures = [f[name][j, i] for name in NAMES for f in (grid.value, grid.u)]
            rows.append([grid.torque[i], grid.speed[j], grid.voltage[j, i], *figures])
        return head, rows


def _inside(grid: EfficiencyMap, torque: float, speed: float) -> bool:
    i, j = (
        int(np.rint(np.interp(v, axis, np.arange(len(axis)))))
        for v, axis in ((torque, grid.torque), (speed, grid.speed))
    )
    beside = grid.torque[0] <= torque <= grid.torque[-1] and (
        grid.speed[0] <= speed <= grid.speed[-1]
    )
    return bool(beside and np.isfinite(grid.value[NAMES[0]][j, i]))
