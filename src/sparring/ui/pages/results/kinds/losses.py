"""Where the power goes: losses by cause at each load, those that the test measured plain, those
taken from the model hatched; and which cannot be told apart.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt

from sparring.core.finding import Peer
from sparring.core.performance.difference import costs
from sparring.core.performance.losses import Losses
from sparring.core.performance.whole import Whole
from sparring.exchange.deriving import peers_of
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.pages.results.kinds.base import Kind, nearest
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import pen
from sparring.ui.widgets.parts import note

_NONE, _MOST = "no other test", 200
_LINE, _AXIS = 18, 52  # [px] of a name, and of what is below the bars
_COLOURS = ("current", "voltage", "speed", "heat", "brass", "temperature", "force", "torque")


class LossesKind(Kind):
    """Stacked bars, a bar a step of one voltage."""

    ID, NAME = "losses", "Losses"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.level = self.choice("At", [])
        self.level.currentIndexChanged.connect(lambda _n: self.again())
        self.against = self.choice("Against", [_NONE])
        self.against.currentIndexChanged.connect(lambda _n: self._pairs())
        self._peers: list[Peer] = []
        self.bars = self.chart("output torque", "loss, W", "Losses by cause over output torque")
        self.bars.rows = self._rows
        self.bars.readout = self._read
        self.bars.clicked.connect(self._clicked)
        self.apart = note("")
        self.column.addWidget(self.apart)
        self._shown: list[tuple[int, Losses]] = []
        self._names: list[Any] = []
        self._wide = 0.1  # of a bar

    def put(self, found: Whole) -> None:
        self._found = found
        if not found.losses:
            self.nothing(
                "Losses are told by cause where voltage, current and speed of a motor were "
                "measured. This test has no such step."
            )
            return
        self._levels(found)
        self._others()
        self.something()
        unit, kt = self.unit("torque")
        watts, one = self.unit("power")
        self.bars.set_labels(f"output torque, {unit}", f"loss, {watts}")
        level = found.result.levels[max(self.level.currentIndex(), 0)]
        self._shown = [x for x in found.losses if level.first <= x[0] < level.last]
        if not self._shown:
            self._shown = list(found.losses)
        self.tell("Plain: measured by this test. Hatched: from the model.")
        self._pairs()
        self.column.activate()  # what stands below takes height from the chart and its names
        torques = np.array([x.torque for _, x in self._shown]) / kt
        wide = 0.6 * float(np.min(np.diff(torques))) if len(torques) > 1 else 0.2 * torques[0]
        self._wide = float(wide)
        names = list(dict.fromkeys(c.id for _, x in self._shown for c in x.causes))
        below = np.zeros(len(self._shown))
        for n, id in enumerate(names):
            causes = [x.of(id) for _, x in self._shown]
            power = np.array([max(c.power, 0.0) for c in causes]) / one
            colour = _COLOURS[n % len(_COLOURS)]
            for measured in (True, False):
                here = np.array([c.measured is measured for c in causes])
                if here.any():
                    pattern = Qt.BrushStyle.SolidPattern if measured else Qt.BrushStyle.BDiagPattern
                    brush = pg.mkBrush(theme.colour(colour))
                    brush.setStyle(pattern)
                    self.add(
                        self.bars,
                        pg.BarGraphItem(
                            x=torques[here],
                            y0=below[here],
                            height=power[here],
                            width=wide,
                            brush=brush,
                            pen=pen(colour, 1),
                        ),
                    )
            middle = float(below[-1] + power[-1] / 2)
            named = next(c.cause for c in causes if c.cause)
            self._named(named, float(torques[-1]) + 0.6 * wide, middle, colour)
            below = below + power
        highest = float(below.max()) or 1.0
        top = self._spread_names(1.05 * highest)
        right = float(torques[-1]) + 3.2 * wide
        self.bars.box.setRange(
            xRange=(min(0.0, float(torques[0]) - 0.6 * wide), right), yRange=(0, top), padding=0
        )

    def _levels(self, found: Whole) -> None:
        """The voltages to choose from."""
        volts = [f"{level.voltage:.4g} V" for level in found.result.levels]
        if [self.level.itemText(n) for n in range(self.level.count())] != volts:
            self.level.blockSignals(True)
            self.level.clear()
            self.level.addItems(volts)
            main = found.result.main
            self.level.setCurrentIndex(found.result.levels.index(main) if main else 0)
            self.level.blockSignals(False)
        self.level.setEnabled(len(volts) > 1)

    def _named(self, words: str, x: float, y: float, colour: str) -> None:
        self.text(self.bars, words, x, y, "ink")
        self._names.append(self._items[-1][1])

    def _spread_names(self, top: float) -> float:
        """Names of thin layers would lie over one another: each is led to its own. top: of the
        axis; the one that the names need.
        """
        layers = [item.pos().y() for item in self._names]
        pixels = max(self.bars.height() - _AXIS, 4 * _LINE)
        places: list[float] = []
        for _ in range(4):  # a higher axis makes every line of text higher
            least, places = top * _LINE / pixels, []
            for layer in layers:
                places.append(max(layer, places[-1] + least) if places else layer)
            top = max(top, places[-1] + least) if places else top
        for item, layer, place in zip(self._names, layers, places, strict=True):
            x = item.pos().x()
            item.setPos(x, place)
            ends = np.array([x - 0.1 * self._wide, x]), np.array([layer, place])
            self.curve(self.bars, *ends, "ink-3", width=1)
        self._names.clear()
        return top

    def _others(self) -> None:
        """The tests that can be held against this one; those of its family first."""
        book, test = self.desk.book, self.desk.test_id
        if book is not None and test:
            background.run(
                lambda: peers_of(book, test),
                lambda peers: self._listed(test, peers),
                lambda err: self.desk.said.emit(str(err)),
            )

    def _listed(self, test: int, peers: list[Peer]) -> None:
        if test != self.desk.test_id:
            return
        family = self.desk.build.family
        self._peers = sorted(peers, key=lambda p: not p.name.startswith(family))[:_MOST]
        names = [_NONE, *(p.name for p in self._peers)]
        if [self.against.itemText(n) for n in range(self.against.count())] != names:
            self.against.blockSignals(True)
            self.against.clear()
            self.against.addItems(names)
            self.against.blockSignals(False)

    def _cost(self) -> str:
        """What the difference from the chosen test costs, in words."""
        n = self.against.currentIndex() - 1
        if self._found is None or not 0 <= n < len(self._peers):
            return ""
        other = self._peers[n]
        found = costs(self._found.result, other)
        if not found:
            return f"{other.name} was not tested at these loads."
        less = sum(c.power for c in found) < 0
        told = [
            f"{self.shows(-c.power if less else c.power, c.u, 'power')} at "
            f"{self.desk.three(c.torque, 'torque')}"
            for c in found
        ]
        word = "" if any(c.significant for c in found) else " (not significant at any load)"
        way = "less" if less else "more"
        return f"The gearbox loses {way} than that of {other.name}{word}: {', '.join(told)}."

    def _pairs(self) -> None:
        """In words, the difference from another test; what cannot be told apart at the heaviest of
        the shown loads.
        """
        if not self._shown:
            return
        if cost := self._cost():
            self.apart.setText(cost)
            self.apart.show()
            return
        _, losses = self._shown[-1]
        told = [
            f"{losses.causes[p.first].cause} and {losses.causes[p.second].cause} cannot be told "
            f"apart by this plan: {p.advice}."
            for p in losses.pairs[:2]
        ]
        if losses.of("unexplained").power > 0:
            told.insert(
                0,
                "the gearbox lost more than teeth, friction and drag as entered do; in which part "
                "cannot be told from these steps: measure the drag of the train by a coast-down.",
            )
        self.apart.setText(" ".join(t[:1].upper() + t[1:] for t in told))
        self.apart.setVisible(bool(told))

    def _nearest(self, px: float) -> tuple[int, Losses]:
        _, kt = self.unit("torque")
        return self._shown[nearest(np.array([x.torque / kt for _, x in self._shown]), px)]

    def _read(self, px: float, py: float) -> str:
        if not self._shown:
            return ""
        _, losses = self._nearest(px)
        _, one = self.unit("power")
        below, told = 0.0, ""
        for cause in losses.causes:
            below += max(cause.power, 0.0) / one
            if py <= below:
                how = "measured" if cause.measured else "from the model"
                told = f": {cause.cause} {self.shows(cause.power, cause.u, 'power')}, {how}"
                break
        lost = self.shows(losses.power_in - losses.power_out, 0.0, "power")
        return f"{self.shows(losses.torque, 0.0, 'torque')}{told or f': {lost} lost in all'}"

    def _clicked(self, x: float, _y: float) -> None:
        if self._shown:
            self.picked.emit(self._nearest(x)[0], 0)

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        head = ["torque N·m", "voltage V", "cause", "loss W", "u", "known by"]
        rows: list[list[Any]] = [
            [x.torque, x.voltage, c.cause, c.power, c.u, "test" if c.measured else "model"]
            for _, x in (self._found.losses if self._found else ())
            for c in x.causes
        ]
        return head, rows
