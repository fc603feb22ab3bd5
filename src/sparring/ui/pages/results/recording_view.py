"""A run's recording with the window its point comes from, each channel over its own
largest value."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sparring.core.by_eye import ByEye
from sparring.core.input_quantity import lowered
from sparring.core.recording import CHANNELS, Recording
from sparring.core.reduce.points import Point
from sparring.core.run import Run
from sparring.logbook import photos
from sparring.ui.model.desk import Desk
from sparring.ui.theme import CHANNEL_COLOURS, font, theme
from sparring.ui.widgets.chart import Chart, pen, thinned
from sparring.ui.widgets.parts import note
from sparring.ui.widgets.photo import show_large
from sparring.ui.widgets.plain import tip

_SHOWN = ("speed", "cell", "force", "current", "voltage", "motor_speed", "temperature")

_STYLES = (
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.DashLine,
    Qt.PenStyle.DotLine,
    Qt.PenStyle.DashDotLine,
)


class RecordingView(QWidget):
    """One line about the point, and the chart."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.about = note("Select a point in the chart or a row of the table.")
        column.addWidget(self.about)
        self._photos = QHBoxLayout()
        self._photos.addStretch(1)
        column.addLayout(self._photos)
        column.addStretch(0)
        self._column = column
        self._items: list[Any] = []

    @cached_property
    def chart(self) -> Chart:
        """Made with the first recording: a chart takes its time, and the page has others."""
        chart = Chart("s", "of maximum, %", name="Recording of the selected run")
        self._column.addWidget(chart, 1)
        return chart

    def put_read(self, point: Point, name: str) -> None:
        """What a person read in a run that has no recording."""
        self._clear()
        self._put_photos(point.run)
        read, d = point.run.read, self.desk
        figures = [
            f"{lowered(words)} {d.show(figure, marker.kind)}"
            for words, field in ByEye.FIELDS
            if (figure := getattr(read, field, None)) is not None
            and (marker := ByEye.quantity(field)) is not None
        ]
        self.about.setText(
            f"{name}, run {point.run.repeat}, read by eye: {', '.join(figures) or 'how it ended'}."
        )

    def _put_photos(self, run: Run) -> None:
        """A button for each photo of the run."""
        while self._photos.count() > 1:
            item = self._photos.takeAt(0)
            if item is not None and (old := item.widget()) is not None:
                old.deleteLater()
        for n, name in enumerate(run.photos):
            button = QPushButton(name)
            button.setToolTip(tip("Photo kept with this run."))
            button.clicked.connect(lambda _on, name=name: self._large(name))
            self._photos.insertWidget(n, button)

    def _large(self, name: str) -> None:
        if self.desk.book is not None:
            show_large(self, self.desk.book.folder / photos.FOLDER / name, name)

    def _clear(self) -> None:
        for item in self._items:
            self.chart.remove(item)
        self._items.clear()

    def put(self, rec: Recording, point: Point, name: str) -> None:
        """The recording of a run, its window shaded; name: of the step."""
        self._clear()
        run = point.run
        self._put_photos(run)
        part = rec.span(
            run.start if run.start is not None else -np.inf,
            run.stop if run.stop is not None else np.inf,
        )
        if not len(part):
            return
        zero = float(part.t[0])
        region = pg.LinearRegionItem(
            (point.window.start - zero, point.window.stop - zero),
            movable=False,
            brush=pg.mkBrush(theme.colour("reseda", 38)),
            pen=pen("reseda", 1),
        )
        self._items += [region, *self._curves(part, zero), *self._marks(part, zero)]
        self._items += self._events(run, zero)
        for item in self._items:
            self.chart.add(item)
        self.chart.box.setRange(xRange=(0, float(part.t[-1]) - zero), yRange=(-5, 140), padding=0)
        self.about.setText(self._in_words(rec, point, name, zero))
        self.chart.rows = lambda: (
            ["t s", *part.channels],
            np.column_stack([part.t, *part.channels.values()]).tolist(),
        )

    def _curves(self, part: Recording, zero: float) -> Iterator[Any]:
        """Each channel over its largest value, with its name."""
        shown = [k for k in _SHOWN if part.has(k)]
        for n, (key, style) in enumerate(zip(shown, _STYLES, strict=False)):
            t, y = thinned(part.t - zero, part.channels[key], 1200)
            base = float(np.nanquantile(y, 0.02)) if key in ("cell", "temperature") else 0.0
            top = float(np.nanmax(np.abs(y - base))) or 1.0
            colour = CHANNEL_COLOURS[key]
            yield pg.PlotDataItem(t, 100 * (y - base) / top, pen=pen(colour, 1, style))
            label = pg.TextItem(CHANNELS[key].label, color=theme.colour(colour), anchor=(0, 0))
            label.setFont(font(11, bold=True))
            label.setPos(float(t[-1]) * (0.015 + 0.2 * n), 138)
            yield label

    def _marks(self, part: Recording, zero: float) -> Iterator[Any]:
        look = {"color": theme.colour("on-amber"), "fill": theme.colour("amber")}
        for at, text in part.marks:
            yield pg.InfiniteLine(
                pos=at - zero,
                angle=90,
                label=text,
                labelOpts={"position": 0.15, **look},
                pen=pen("amber", 1.4, Qt.PenStyle.DashLine),
            )

    def _events(self, run: Run, zero: float) -> Iterator[Any]:
        """What the detectors found, each over the time it took; one label above the other."""
        for n, e in enumerate(run.events):
            colour = "vermilion" if e.severity == "wrong" else "amber"
            span = (e.at - zero, max(e.until, e.at + 1e-3) - zero)
            brush = pg.mkBrush(theme.colour(colour, 40))
            line = pen(colour, 1.2)
            yield pg.LinearRegionItem(span, movable=False, brush=brush, pen=line)
            label = pg.TextItem(
                f"{e.title}: {e.seen}",
                color=theme.colour("ink"),
                anchor=(0, 0),
                fill=pg.mkBrush(theme.colour("sheet", 225)),
            )
            label.setFont(font(11, bold=True))
            label.setPos(span[0], 118 - 16 * (n % 6))
            yield label

    def _in_words(self, rec: Recording, point: Point, name: str, zero: float) -> str:
        d, window = self.desk, point.window
        steady = "steady"
        if not window.steady:
            steady = f"not steady (drifts {d.show(window.drift, 'ratio', decimals=1)})"
        state = "stalled"
        if not point.stalled:
            span = f"window {window.start - zero:.2f} to {window.stop - zero:.2f} s"
            state = f"{span}, {steady}, {point.effective:.0f} independent samples"
        gaps = f", {len(rec.gaps)} gaps" if rec.gaps else ""
        pull = ""
        by_cell = point.torque_mass is None or d.rig.torque_from == "cell"
        if point.pull is not None and not point.stalled and by_cell:
            least, most = (
                d.show(x, "force", decimals=1) for x in (point.pull.least, point.pull.most)
            )
            pull = f"; at the cell {d.show(point.pull.mean, 'force')}, least {least}, peak {most}"
        return (
            f"{name}, run {point.run.repeat}: {state}; speed"
            f" {d.show(point.speed, 'speed')}, torque {d.show(point.torque, 'torque')}{pull}{gaps}."
        )
