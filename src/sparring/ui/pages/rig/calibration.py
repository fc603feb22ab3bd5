"""Calibrating the load cell: hang, wait until it hangs still, next; residuals up and down, a
verdict, a certificate.
"""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QSize
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sparring.core.instruments import calibration
from sparring.core.quantity import Measured
from sparring.core.recording import CHANNELS
from sparring.core.records import Q
from sparring.core.uncertainty import nominal, std
from sparring.exchange.export import Calibrated
from sparring.exchange.exports import export
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.form import Form, value_at
from sparring.ui.widgets.form import Path as FieldPath
from sparring.ui.widgets.parts import note
from sparring.ui.widgets.plain import Label, tip
from sparring.ui.widgets.quantity_field import QuantityField

_CREEP = 60.0  # [s] that a hanging mass is watched for creep
_STILL = 1.2  # [s] that the cell is watched for before a reading is taken


class Residuals(Chart):
    """Takes what room the column leaves, and asks for little."""

    def sizeHint(self) -> QSize:
        return QSize(240, 140)


class CalibrationPanel(QWidget):
    """Takes readings one by one, or guides through the masses on the shelf and takes each when it
    hangs still.
    """

    def __init__(
        self,
        desk: Desk,
        session: BenchSession,
        path: FieldPath = ("calibration",),
        channel: str = "cell",
    ) -> None:
        """path: of the calibration in the rig; channel: in which the cell's counts come."""
        super().__init__()
        self.desk, self.session, self.path, self.channel = desk, session, path, channel
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.live = Label()
        self.live.setObjectName("title")
        column.addWidget(self.live)
        self.chart = Residuals("force, N", "residual, mN", name="Residuals of the calibration")
        self.up, self.down = (pg.ScatterPlotItem(size=9, symbol=s) for s in ("t1", "t"))
        self.zero = pg.InfiniteLine(angle=0, pos=0)
        for item in (self.zero, self.up, self.down):
            self.chart.add(item)
        self.chart.styled(self._style)
        column.addWidget(self.chart, 1)
        self.verdict = note("")
        column.addWidget(self.verdict)
        self.form: Form | None = None  # made with the first calibration
        row = QHBoxLayout()
        self.known = QuantityField(
            Q("mass", "kg", least=0.0), "kg", lambda _v: None, name="Known mass on the cell"
        )
        self.known.set_value(Measured(0.5))
        row.addWidget(Label("Applied mass"))
        row.addWidget(self.known, 1)
        column.addLayout(row)
        self._buttons(column)
        self._facts = QVBoxLayout()  # for the form
        column.addLayout(self._facts)
        self.fresh: list[calibration.CalibrationPoint] = []
        self._rig_key = desk.rig_key
        self._renewing = False  # the fresh readings have taken the old calibration's place
        self._before: tuple[calibration.Past, ...] = ()
        self._rungs: list[Measured] = []
        self._hung_at = 0.0
        self._creeps_from: float | None = None
        for signal in (desk.rig_changed, desk.units_changed):
            signal.connect(self.refresh)
        session.arrived.connect(self.watch)
        session.state_changed.connect(self.watch)
        self.refresh()

    def _buttons(self, column: QVBoxLayout) -> None:
        self.take, self.drop, self.guide, self.creep, self.certificate = (
            QPushButton(text) for text in ("Take", "Drop", "Guide", "Measure creep", "Sheet …")
        )
        for button, does in (
            (
                self.take,
                (
                    "Adds the mean of the last second as a point; the first point starts a new "
                    "calibration"
                ),
            ),
            (self.drop, "Removes the last reading"),
            (
                self.guide,
                (
                    "Goes through the masses on the shelf, up and down, and reads each when it "
                    "hangs still"
                ),
            ),
            (
                self.creep,
                (
                    "With a mass applied: measures the drift of the reading over one minute "
                    "and saves it"
                ),
            ),
            (self.certificate, "Writes the calibration as a printable sheet"),
        ):
            button.setToolTip(tip(does))
        self.take.clicked.connect(self.take_reading)
        self.drop.clicked.connect(self._drop)
        self.certificate.clicked.connect(self._certificate)
        for button, begin in ((self.guide, self._guide), (self.creep, self._creep)):
            button.setCheckable(True)
            button.toggled.connect(begin)
        for buttons in ((self.take, self.drop, self.guide), (self.creep, self.certificate)):
            row = QHBoxLayout()
            for button in buttons:
                row.addWidget(button)
            column.addLayout(row)

    # --- what is known ----------------------------------------------------------------------------

    @property
    def in_force(self) -> calibration.Calibration | None:
        found: calibration.Calibration | None = value_at(self.desk.rig, self.path)
        return found

    def refresh(self) -> None:
        d = self.desk
        cal, g = self.in_force, d.rig.gravity.value
        if d.rig_key != self._rig_key:  # readings taken for one rig are none of another's
            self._rig_key, self.fresh, self._renewing = d.rig_key, [], False
        self.drop.setEnabled(bool(self.fresh))
        self.certificate.setEnabled(cal is not None)
        if cal is not None and self.form is None:
            rows: list[tuple[str, FieldPath]] = [
                ("Cell", (*self.path, "cell")),
                ("Rated capacity", (*self.path, "capacity")),
                ("Ambient temperature", (*self.path, "temperature")),
            ]
            self.form = Form(d, "rig", rows)
            self._facts.addWidget(self.form)
        if self.form is not None:
            self.form.setVisible(cal is not None)
        if cal is None:
            self.up.setData([], [])
            self.down.setData([], [])
            taken = f" Readings so far: {len(self.fresh)}." if self.fresh else ""
            self.verdict.setText(
                (
                    "Not calibrated. Use at least three known masses, up and down; Guide goes "
                    "through those on the shelf."
                )
                + taken
            )
            return
        try:
            line, good = calibration.fit(cal, g), calibration.quality(cal, g)
        except ValueError as err:
            self.verdict.setText(f"The calibration gives no straight line: {err}.")
            return
        force = np.array([p.mass.value * g for p in cal.points])
        residual = line.residuals / nominal(line.slope)
        top = int(np.argmax(force))
        self.up.setData(force[: top + 1], 1e3 * residual[: top + 1])
        self.down.setData(force[top + 1 :], 1e3 * residual[top + 1 :])

        def part(what: str, value: float | None) -> list[str]:
            return [] if value is None else [f"{what} {100 * value:.2f} %"]

        figures = [
            *part("non-linearity", good.nonlinearity),
            *part("hysteresis", good.hysteresis),
            *part("zero return", good.zero_return),
            *part("repeats", good.repeatability),
            *part(f"creep in {_CREEP:.0f} s", cal.creep),
        ]
        moved = calibration.drift(cal, g)
        since = ""
        if moved is not None:
            since = (
                f" Since {cal.earlier[-1].date}: sensitivity"
                f" {100 * nominal(moved.sensitivity):+.2f} ± {200 * std(moved.sensitivity):.2f} %,"
                f" zero {nominal(moved.zero):+.2f} N."
            )
        fresh = f" New readings: {len(self.fresh)}." if self.fresh else ""
        self.verdict.setText(
            f"{good.verdict.capitalize()}: {cal.cell}, {cal.date}, {len(cal.points)} points to"
            f" {d.show(force.max(), 'force', decimals=1)}, {nominal(line.slope):.1f} ±"
            f" {2 * std(line.slope):.1f} counts/N; of the span: {', '.join(figures)}.{since}{fresh}"
        )
        self.chart.rows = lambda: (
            ["force N", "residual N"],
            np.column_stack([force, residual]).tolist(),
        )

    def _style(self) -> None:
        self.zero.setPen(pen("ink-2", 1))
        for dots, colour in ((self.up, "force"), (self.down, "brass")):
            dots.setBrush(pg.mkBrush(theme.colour(colour)))
            dots.setPen(pg.mkPen(theme.colour("sheet")))

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.watch()

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Nobody watches any more: the guide ends, and its mass comes off the simulated cell."""
        self.guide.setChecked(False)
        self.creep.setChecked(False)
        super().hideEvent(event)

    # --- taking readings --------------------------------------------------------------------------

    def _last(self, seconds: float) -> np.ndarray | None:
        ring = self.session.live
        if ring is None or self.channel not in ring.channels or ring.count < 10:
            return None
        values: np.ndarray = ring.values(self.channel)[ring.since(ring.t[-1] - seconds)]
        return np.asarray(values[~np.isnan(values)])

    def watch(self) -> None:
        """The live value; under guidance, takes the reading when the cell hangs still."""
        if not self.isVisible():
            return
        last = self._last(_STILL)
        self.take.setEnabled(last is not None)
        self.guide.setEnabled(last is not None or self.guide.isChecked())
        if last is None or len(last) == 0:
            self.live.setText(
                "No bench connected"
                if self.session.live is None
                else f"This bench sends no {CHANNELS[self.channel].label.lower()}"
            )
            return
        text = f"Cell {last.mean():.0f} counts"
        if self._creeps_from is not None:
            text = self._watch_creep(text)
        if self._rungs:
            ring = self.session.live
            assert ring is not None
            waited = float(ring.t[-1]) - self._hung_at
            still = (
                waited > 2 * _STILL and calibration.steady(last) and self._moved(float(last.mean()))
            )
            name = self.desk.show(self._rungs[0], "mass", u=False, decimals=3)
            done = len(self.fresh)
            text = (
                f"{done + 1} of {done + len(self._rungs)}:"
                f" {'hang ' + name if self._rungs[0].value else 'take everything off'}, wait …"
            )
            if still:
                self.take_reading()
                self._next()
                return
        self.live.setText(text)

    def _creep(self, on: bool) -> None:
        ring = self.session.live
        self._creeps_from = float(ring.t[-1]) if on and ring is not None and ring.count else None
        self.watch()

    def _watch_creep(self, text: str) -> str:
        """What to say meanwhile; after the minute the creep is kept with the calibration."""
        ring, cal, begun = self.session.live, self.in_force, self._creeps_from
        if ring is None or cal is None or begun is None:
            return text
        waited = float(ring.t[-1]) - begun
        if waited < _CREEP:
            return f"{text}, creep: {waited:.0f} of {_CREEP:.0f} s; leave the mass on"
        self.creep.setChecked(False)
        part = ring.since(begun)
        t, values = ring.t[part], ring.values(self.channel)[part]
        zero = nominal(calibration.fit(cal, self.desk.rig.gravity.value).intercept)
        if abs(values.mean() - zero) < 0.05 * abs(max(p.reading for p in cal.points) - zero):
            self.desk.said.emit("Creep needs a load: apply a mass to the cell first.")
            return text
        reason = self.desk.edit(
            "rig",
            (*self.path, "creep"),
            calibration.creep_of(t, values, zero),
            "creep of the load cell",
        )
        self.desk.said.emit(reason or "The creep has been saved with the calibration.")
        return text

    def _moved(self, reading: float) -> bool:
        """Whether another mass hangs than at the last reading; on the first, anything goes."""
        if not self.fresh or self.fresh[-1].mass.value == self._rungs[0].value:
            return True
        last = self._last(_STILL)
        return last is not None and abs(reading - self.fresh[-1].reading) > 4 * float(np.std(last))

    def _guide(self, on: bool) -> None:
        if not on:
            self._rungs = []
            if self.session.simulated:
                self.session.send("weigh 0")
            self.watch()
            return
        shelf = [w.mass for w in self.desk.rig.shelf] or list(self.desk.plan.loads)
        self.fresh, self._renewing = [], False
        self._rungs = calibration.rungs(shelf)
        self._hang()

    def _next(self) -> None:
        self._rungs = self._rungs[1:]
        if not self._rungs:
            self.guide.setChecked(False)
            self.desk.said.emit("Calibrated with all masses, up and down. Sheet writes the record.")
            return
        self._hang()

    def _hang(self) -> None:
        ring = self.session.live
        self._hung_at = float(ring.t[-1]) if ring is not None and ring.count else 0.0
        self.known.set_value(self._rungs[0])
        if self.session.simulated:
            self.session.send(f"weigh {self._rungs[0].value:.6g}")
        self.watch()

    def take_reading(self) -> None:
        last = self._last(1.0)
        if last is None or len(last) == 0:
            self.desk.said.emit("No load cell reading: connect a bench first (Bench menu).")
            return
        try:
            mass = self.known.read()
        except ValueError as err:
            self.desk.said.emit(str(err))
            return
        assert mass is not None
        self._renewing = self._renewing and bool(self.fresh)
        self.fresh.append(
            calibration.CalibrationPoint(mass=mass, reading=round(float(last.mean()), 1))
        )
        if len({p.mass.value for p in self.fresh}) >= 3:
            self._keep()
        self.refresh()

    def _keep(self) -> None:
        old = self.in_force
        if not self._renewing:
            try:
                self._before = calibration.past_of(old, self.desk.rig.gravity.value) if old else ()
            except ValueError:  # that one gave no line
                self._before = old.earlier if old else ()
        self._renewing = True
        made = calibration.Calibration(
            cell=old.cell if old else "load cell",
            date=date.today().isoformat(),
            capacity=old.capacity if old else 49.0,
            temperature=old.temperature if old else None,
            points=tuple(self.fresh),
            earlier=self._before,
        )
        reason = self.desk.edit("rig", self.path, made, "calibration of the load cell")
        if reason:
            self.desk.said.emit(reason)

    def _drop(self) -> None:
        if self.fresh:
            self.fresh.pop()
            if len({p.mass.value for p in self.fresh}) >= 3:
                self._keep()
        self.refresh()

    def _certificate(self) -> None:
        cal = self.in_force
        assert cal is not None
        dialog = QFileDialog(
            self, "Certificate", f"{cal.cell} {cal.date}.html".replace("/", "-"), "Sheet (*.html)"
        )
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.fileSelected.connect(lambda name: self.write_certificate(Path(name)))
        dialog.setModal(False)
        dialog.show()
        self._dialog: Any = dialog

    def write_certificate(self, path: Path) -> None:
        """The sheet of the calibration in force."""
        cal = self.in_force
        assert cal is not None
        try:
            export("calibration-sheet").save(Calibrated(cal, self.desk.rig.gravity), path)
        except ValueError as err:
            self.desk.said.emit(str(err))
            return
        self.desk.said.emit(f"Written: {path.name}")
