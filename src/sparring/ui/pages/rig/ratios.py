"""The gearing from output to mass of a run-up, planned."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from sparring.core import predict
from sparring.core.methods import RunUp
from sparring.core.uncertainty import nominal
from sparring.ui.model.desk import Desk
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.parts import Table, note


class RatioPlanner(QWidget):
    """For a run-up: over the gearing from output to mass, the mass's speed against its safe one,
    and the time to get there.
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.chart: Chart | None = None  # made when it is first looked at
        for signal in (desk.rig_changed, desk.build_changed, desk.plan_changed, desk.units_changed):
            signal.connect(self.refresh)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self.chart is None:
            self._build()
        self.refresh()

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.chart = Chart(
            "flywheel revolutions per output revolution",
            "flywheel, rpm",
            name="Flywheel speed over its gearing",
        )
        self.curve, self.here = pg.PlotDataItem(), pg.ScatterPlotItem(size=11)
        self.safe = pg.InfiniteLine(angle=0)
        for item in (self.curve, self.safe, self.here):
            self.chart.add(item)
        self.chart.styled(self._style)
        column.addWidget(self.chart, 1)
        self.table = Table(["gearing", "rpm", "g·cm²", "up, s", "MPa"], "Ratios", 1)
        column.addWidget(self.table, 2)
        self.said = note("")
        column.addWidget(self.said)

    def refresh(self) -> None:
        m, d = self.desk.rig.method, self.desk
        if not isinstance(m, RunUp) or self.chart is None or not self.isVisible():
            return
        gearing = m.gearing * np.array([0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 3.0])
        plan = predict.spin_plan(d.build, m, d.top_voltage(), gearing)
        rpm = plan.mass_speed * 30 / np.pi
        self.curve.setData(gearing, rpm)
        self.safe.setValue(m.safe_speed * 30 / np.pi)
        self.here.setData([m.gearing], [float(np.interp(m.gearing, gearing, rpm))])
        self.table.fill(
            [
                [
                    f"{g:.3g}" + (" now" if g == m.gearing else ""),
                    f"{n:.0f}" + (" !" if w > m.safe_speed else ""),
                    f"{j * 1e7:.0f}",
                    f"{t:.1f}",
                    f"{s / 1e6:.2f}",
                ]
                for g, n, w, j, t, s in zip(
                    gearing, rpm, plan.mass_speed, plan.felt, plan.time, plan.stress, strict=True
                )
            ]
        )
        start, supply = d.top_voltage() / nominal(d.build.motor_line().R), d.rig.limits.supply
        against = (
            "the supply's current limit is not entered"
            if supply is None
            else f"the supply delivers {d.show(supply, 'current', decimals=2)}"
        )
        self.said.setText(
            "No-load rpm of the flywheel, ! above its safe speed; its inertia reduced to "
            "the motor; time to 90 % of that speed; stress in its rim. The starting "
            f"current is {d.show(start, 'current', decimals=2)} with any gearing; {against}."
        )
        self.chart.rows = lambda: (["gearing", "rpm"], np.column_stack([gearing, rpm]).tolist())

    def _style(self) -> None:
        self.curve.setPen(pen("speed", 2))
        self.safe.setPen(pen("vermilion", 2))
        self.here.setBrush(pg.mkBrush(theme.colour("brass")))
