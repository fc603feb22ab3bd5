"""What repeats with the turns of each shaft in the selected run: its spectrum by order with the
parts that make the lines, and the average over a shaft's turn, round its gear.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton

from sparring.core.build import Build
from sparring.core.finding import explain
from sparring.core.findings.orders import of_orders
from sparring.core.orders.average import Average
from sparring.core.orders.growth import Growth, growth
from sparring.core.orders.lines import SIGNALS, Line, Orders, orders_of
from sparring.core.orders.sound import Heard, Spectrogram, expected_speeds, lines_of, spectrogram
from sparring.core.orders.spectrum import FIRST
from sparring.core.orders.tones import hunting, tones_of
from sparring.core.orders.transmission import CHANNEL, orders_of_error
from sparring.core.performance.whole import Whole
from sparring.core.recording import CHANNELS, Recording
from sparring.core.reduce.inputs import ReductionError, part_of
from sparring.core.reduce.points import Point
from sparring.files import sound_files
from sparring.files.log_look import LogError
from sparring.logbook import Logbook, photos
from sparring.logbook.stored import StoredRun
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.pages.results.kinds.base import Kind
from sparring.ui.pages.results.kinds.round_the_gear import RoundTheGear
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import pen
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import note

_NOT, _FIRST_RUN = "growth since …", "first"
_MOST_BEFORE = 8  # runs that stand for what was before
_SOUND = "sound:"  # before the name of an attached one
_HIGHEST, _DEEP = 4000.0, 45.0  # of a picture of a sound: [Hz], [dB] below its loudest
_NAMED = 8  # lines that are named in the chart, the highest


class Listened(NamedTuple):
    """What a sound told, and its picture."""

    heard: Heard
    picture: Spectrogram


class Analysed(NamedTuple):
    """What came out; without orders, why."""

    orders: Orders | None
    why: str = ""
    listened: Listened | None = None
    grown: Sequence[Growth] = ()


class OrdersKind(Kind):
    """Analyses the selected run, off the window's thread."""

    ID, NAME = "orders", "Orders"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.channel = self.choice("Signal", [])
        self.shaft = self.choice("Turns of", [])
        row = QHBoxLayout()
        self.lines = self.chart("order", "ripple, % of mean", "Spectrum by order")
        self.column.removeWidget(self.lines)
        row.addWidget(self.lines, 3)
        self.round = RoundTheGear()
        row.addWidget(self.round, 2)
        self.over_time = self.chart("s", "Hz", "Spectrum of the sound over time")
        self.column.removeWidget(self.over_time)
        self.over_time.hide()
        row.addWidget(self.over_time, 2)
        self.column.addLayout(row, 1)
        foot = QHBoxLayout()
        self.said = note("")
        foot.addWidget(self.said, 1)
        self.since = Choice()
        self.since.setAccessibleName("Growth since")
        self.since.setMinimumWidth(150)
        self.since.currentIndexChanged.connect(lambda _n: self.again())
        foot.addWidget(self.since)
        self.attach = QPushButton("Attach a sound …")
        self.attach.clicked.connect(self._ask)
        foot.addWidget(self.attach)
        self.column.addLayout(foot)
        self.lines.rows = self._rows
        self.lines.readout = self._read
        for box in (self.channel, self.shaft):
            box.currentIndexChanged.connect(lambda _n: self.again())
        self._orders: Orders | None = None
        self._rec: Recording | None = None
        self._of: Point | None = None
        self._listened: Listened | None = None
        self._grown: Sequence[Growth] = ()
        self._wanted = ""  # the signal to show once the run is there

    # --- which run -------------------------------------------------------------------------------

    def put(self, found: Whole) -> None:
        if found is not self._found:
            self._found, self._of = found, None
        self.select()

    def select(self) -> None:
        """The run that is selected, else the first."""
        found, book = self._found, self.desk.book
        if found is None or book is None:
            return
        step = self.desk.step if self.desk.step is not None else 0
        steps = found.result.steps
        points = (*steps[step].points, *steps[step].stalls) if step < len(steps) else ()
        n = self.desk.point or 0
        if not points or (points[min(n, len(points) - 1)] is self._of and self._orders):
            return
        point = self._of = points[min(n, len(points) - 1)]
        kept = point.source or point.run
        stored = next((r for r in self.desk.runs if r.run == kept), None)
        if stored is None or not stored.recording:
            self.nothing("Orders need a recording; the selected run was read by eye.")
            return
        test = self.desk.test_id
        background.run(
            lambda: (book.recording(stored.recording), _earlier(book, test)),
            lambda told: self._opened(told[0], told[1], point),
            lambda err: self.nothing(str(err)),
        )

    def _opened(self, rec: Recording, earlier: list[tuple[str, str]], point: Point) -> None:
        if point is not self._of:
            return
        run = point.run
        self._rec = part_of(run, rec)
        known = [c for c in SIGNALS if self._rec.has(c)]
        if self._rec.has("angle") and self._rec.has("motor_angle"):
            known.append(CHANNEL)
        words = {CHANNEL: "Transmission error"} | {c: CHANNELS[c].label for c in SIGNALS}
        sounds = [(f"Sound {n}", _SOUND + name) for n, name in enumerate(run.sounds, start=1)]
        _refill(self.since, [(_NOT, ""), ("since this step's first run", _FIRST_RUN), *earlier])
        wanted, self._wanted = self._wanted, ""
        _refill(self.channel, [*((words[c], c) for c in known), *sounds])
        build = self.desk.build
        turning = [t.shafts[0] for t in tones_of(build) if t.kind == "shaft"]
        _refill(self.shaft, [(s, s) for s in sorted(turning, key=lambda s: s != "output")])
        if wanted:
            self.channel.blockSignals(True)
            self.channel.setCurrentIndex(max(self.channel.findData(wanted), 0))
            self.channel.blockSignals(False)
        self.again()

    def again(self) -> None:
        """Analyses the run, off the window's thread."""
        rec, book, point, d = self._rec, self.desk.book, self._of, self.desk
        channel, shaft = self.channel.currentData() or "", self.shaft.currentData()
        if rec is None or book is None or point is None or not shaft:
            return
        heard = channel.startswith(_SOUND)
        for box in (self.shaft, self.since):
            box.setEnabled(not heard)
        asked = channel, shaft, self.since.currentData()
        first = [r for r in d.runs if r.run.step == point.run.step and r.recording][:1]
        build, doubt = d.build, d.rig.sensors.speed_accuracy / 2

        def analysed() -> Analysed:
            try:
                if heard:
                    return _listen(build, book.folder / photos.SOUNDS / channel[len(_SOUND) :])
                return _analyse(
                    build, rec, channel, shaft, doubt, _before(book, point, asked[2], first)
                )
            except (ReductionError, LogError, OSError) as err:
                return Analysed(None, str(err))

        def show(told: Analysed) -> None:
            now = self.channel.currentData(), self.shaft.currentData(), self.since.currentData()
            if asked == now and rec is self._rec:
                self._show(told)

        background.run(analysed, show, lambda err: self.nothing(str(err)))

    def _ask(self) -> None:
        """Asks for a sound of the selected run, which is copied into the logbook."""
        endings = " ".join(f"*{e}" for e in sound_files.ENDINGS)
        name, _ = QFileDialog.getOpenFileName(self, "Sound of this run", "", f"Sounds ({endings})")
        if name:
            self.put_sound(Path(name))

    def put_sound(self, path: Path) -> None:
        """Keeps a sound with the selected run, and shows it."""
        desk, point = self.desk, self._of
        kept = None if point is None else point.source or point.run
        stored = next((r for r in desk.runs if r.run == kept), None)
        if desk.book is None or stored is None:
            return
        book, of = desk.book, f"{desk.build.name} run {stored.id}"

        def copied() -> str:
            sound_files.read(path)  # or says what is wrong with it
            return photos.keep(book.folder, path, of, photos.SOUNDS)

        def kept_there(name: str) -> None:
            after = stored.run.model_copy(update={"sounds": (*stored.run.sounds, name)})
            self._wanted = _SOUND + name
            desk.edit_run(stored, after, "adding a sound")

        background.run(copied, kept_there, lambda err: desk.said.emit(str(err)))

    # --- drawing ---------------------------------------------------------------------------------

    def _show(self, done: Analysed) -> None:
        found = self._orders = done.orders
        self._listened, self._grown = done.listened, done.grown
        if found is None:
            self.nothing(f"{done.why[:1].upper()}{done.why[1:]}.")
            return
        self.something()
        spectrum = found.spectrum
        scale = 100 / abs(spectrum.mean) if spectrum.mean else 1.0
        unit = "% of its r.m.s." if spectrum.effective else "% of mean"
        self.lines.set_labels(f"order (per turn of {found.counted})", f"ripple, {unit}")
        order, y = spectrum.order[FIRST:], scale * spectrum.amplitude[FIRST:]
        self.curve(self.lines, order, 2 * scale * spectrum.floor[FIRST:], "rule", width=1)
        self.curve(self.lines, order, y, "speed", width=1)
        named = sorted(found.lines, key=lambda x: -x.amplitude)[:_NAMED]
        highest = max(
            (scale * x.amplitude for x in found.lines), default=float(y.max(initial=1e-6))
        )
        for line in found.lines:
            known = line.kind != "unknown"
            mark = {"symbol": "o" if known else "x", "size": 7, "pen": pen("ink", 1.5)}
            brush = pg.mkBrush(theme.colour("brass" if known else "sheet"))
            at = [line.found], [scale * line.amplitude]
            self.add(self.lines, pg.ScatterPlotItem(*at, brush=brush, **mark))
        most = spectrum.most
        if self._listened is not None and found.lines:  # a microphone reaches far beyond them
            most = min(most, 1.4 * max(x.found for x in found.lines))
        self._names(named, scale, highest, most)
        self.lines.box.setRange(xRange=(0, 1.02 * most), yRange=(0, 1.45 * highest), padding=0)
        self._over_time(found)
        self.round.put(self._average(found), found, self.desk)
        self.tell(self._in_words(found))
        judged = of_orders(found, self._grown)
        told = [f"{f.title}: {explain(f, self.desk.units)}" for f in judged[:2]]
        if self._grown and not any(g.grew for g in self._grown):
            told = ["No line grew beyond its scatter.", *told[:1]]
        self.said.setText("\n".join(told) or self._pairing())

    def _over_time(self, found: Orders) -> None:
        """Of a sound its spectrum over time, with the meshes' tones at the speed that was heard."""
        listened = self._listened
        self.round.setVisible(listened is None)
        self.over_time.setVisible(listened is not None)
        if listened is None:
            return
        picture, heard = listened.picture, listened.heard
        low, high = (np.array(theme.colour(c).getRgb()[:3], float) for c in ("sheet", "deep"))
        part = np.clip(1 + picture.level / _DEEP, 0, 1)[..., None]
        image = pg.ImageItem((low + (high - low) * part).astype(np.ubyte))
        image.setOpts(axisOrder="row-major")
        top = float(picture.frequency[-1])
        seconds = float(picture.t[-1] - picture.t[0])
        image.setRect(QRectF(float(picture.t[0]), 0.0, seconds, top))
        self.add(self.over_time, image)
        for order, name in _meshes(self.desk.build).items():
            hertz = heard.speed / (2 * math.pi) * order
            if hertz.max() < top:
                self.curve(self.over_time, heard.t, hertz, "brass", Qt.PenStyle.DashLine, 1.5)
                at = float(heard.t[-1]), float(hertz[-1])
                self.text(self.over_time, name, *at, "ink", (1, 1))
        self.over_time.box.setRange(
            xRange=(float(picture.t[0]), float(picture.t[-1])), yRange=(0, top), padding=0
        )

    def _names(self, named: list[Line], scale: float, highest: float, most: float) -> None:
        """The highest lines' parts, at heights that keep them apart."""
        taken: list[tuple[float, float]] = []
        for line in sorted(named, key=lambda x: x.found):
            y = scale * line.amplitude + 0.04 * highest
            apart = 0.09 * highest
            while any(abs(line.found - x) < 0.28 * most and abs(y - z) < apart for x, z in taken):
                y += apart
            taken.append((line.found, y))
            right = line.found > 0.6 * most
            words = f"{line.order:.4g}: {_short(line)}"
            self.text(self.lines, words, line.found, y, "ink", (1.0 if right else 0.0, 0.5))

    def _average(self, found: Orders) -> Average | None:
        """That of the shaft with damage, else of the one that is counted by."""
        wanted = [t.shaft for t in found.teeth] + [x.shaft for x in found.runs_out]
        for shaft in [*wanted, found.counted]:
            for average in found.averages:
                if average.shaft == shaft:
                    return average
        return found.averages[-1] if found.averages else None

    def _in_words(self, found: Orders) -> str:
        limits = found.limits
        if self._listened is not None:
            heard = self._listened.heard
            speed = self.shows(heard.mean, heard.u, "speed")
            other = self.shows(heard.other, 0.0, "speed")
            doubt = f", or {other}: the sound fits both" if heard.other else ""
            return (
                f"Output speed by the meshes' tone {speed}{doubt}. Levels are relative: no "
                "calibration tone."
            )
        text = (
            f"{limits.turns:.1f} turns, lines {2 * limits.resolution:.2g} apart are told, up to "
            f"order {limits.most:.4g}"
        )
        meshes = _meshes(self.desk.build, found.counted)
        unseen = [name for order, name in meshes.items() if order > limits.most]
        return text + (f"; too fast for the sampling: {', '.join(unseen)}." if unseen else ".")

    def _pairing(self) -> str:
        """How often the same teeth meet."""
        told = []
        pairs = [t.gears for t in tones_of(self.desk.build) if t.kind == "mesh" and t.gears]
        for a, b in dict.fromkeys((x[0], x[1]) for x in pairs):
            factor, turns = hunting((a, b))
            if a != b:
                told.append(
                    f"{a}/{b}: every tooth meets every other"
                    if factor == 1
                    else f"{a}/{b} share the factor {factor}, the same teeth meet every {turns} "
                    "turns"
                )
        return "No line tells of damage. " + "; ".join(told) + "." if told else ""

    def _read(self, px: float, _py: float) -> str:
        found = self._orders
        if found is None or not found.lines:
            return f"order {px:.4g}"
        scale = 1 / abs(found.spectrum.mean) if found.spectrum.mean else 1.0
        line = min(found.lines, key=lambda x: abs(x.found - px))
        if abs(line.found - px) > 0.02 * found.spectrum.most:
            return f"order {px:.4g}"
        figure = self.shows(scale * line.amplitude, scale * line.u, "ratio")
        folded = f"; may be {line.alias}, folded" if line.alias else ""
        return f"{line.order:.4g}: {line.part} {figure}, {line.reason}{folded}"

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        head = ["order", "found at", "amplitude", "u", "of mean", "part", "because", "may be"]
        rows: list[list[Any]] = [
            [x.order, x.found, x.amplitude, x.u, x.relative, x.part, x.reason, x.alias]
            for x in (self._orders.lines if self._orders else ())
        ]
        return head, rows


def _listen(build: Build, sound: Path) -> Analysed:
    """Orders of a sound. Raises ReductionError, LogError, OSError."""
    samples = sound_files.read(sound)
    heard, found = lines_of(build, samples, *expected_speeds(build))
    highest = max((x.found for x in found.lines), default=found.spectrum.most)
    hertz = min(1.4 * highest * heard.mean / (2 * math.pi), _HIGHEST)
    return Analysed(found, listened=Listened(heard, spectrogram(samples, hertz)))


def _analyse(
    build: Build,
    rec: Recording,
    channel: str,
    shaft: str,
    doubt: float,
    before: Sequence[Recording],
) -> Analysed:
    """Orders of a recording, and what grew since those before. Raises ReductionError."""
    if channel == CHANNEL:
        return Analysed(orders_of_error(build, rec, shaft))
    how: dict[str, Any] = {"channel": channel, "counted": shaft, "doubt": doubt}
    found = orders_of(build, rec, **how)
    were = [orders_of(build, r, **how) for r in before]
    return Analysed(found, grown=growth(were, [found]) if were else ())


def _earlier(book: Logbook, test: int) -> list[tuple[str, str]]:
    """Earlier tests of a test's build, in words and by id."""
    tests = book.tests()
    mine = next((t for t in tests if t.id == test), None)
    return [
        (f"since {t.created:%d %b} {t.title}"[:40], str(t.id))
        for t in tests
        if mine is not None and t.build_id == mine.build_id and t.created < mine.created
    ]


def _before(
    book: Logbook, point: Point, chosen: str | None, first: Sequence[StoredRun]
) -> list[Recording]:
    """What a run is held against: the first of its step, or runs of another test at its load."""
    if not chosen:
        return []
    runs = list(first)
    if chosen != _FIRST_RUN:
        kept = (r for r in book.runs(int(chosen)) if r.recording)
        runs = [r for r in kept if r.run.load == point.run.load][:_MOST_BEFORE]
    mine = point.source or point.run
    return [part_of(r.run, book.recording(r.recording)) for r in runs if r.run != mine]


def _meshes(build: Build, counted: str = "output") -> dict[float, str]:
    """The meshes' orders, each once, by the stages' names."""
    found: dict[float, str] = {}
    for t in tones_of(build, counted):
        if t.kind == "mesh":
            found.setdefault(round(t.order, 6), t.name.partition(",")[0])
    return found


def _short(line: Line) -> str:
    return line.part.partition(" (")[0].partition(", sun")[0].partition(", planet")[0]


def _refill(box: Any, entries: list[tuple[str, str]]) -> None:
    """Other entries, the chosen one kept where it is still there."""
    if [box.itemData(n) for n in range(box.count())] == [id for _, id in entries]:
        return
    chosen = box.currentData()
    box.blockSignals(True)
    box.clear()
    for words, id in entries:
        box.addItem(words, id)
    box.setCurrentIndex(max(box.findData(chosen), 0))
    box.blockSignals(False)
