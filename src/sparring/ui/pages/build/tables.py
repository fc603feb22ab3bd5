"""The tables below the drawing on Build: shafts, what breaks first, meshes, size and cost, what
changed.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cached_property, partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QTabBar, QVBoxLayout, QWidget

from sparring.core import inventory, predict, quantity, revise
from sparring.core.build import MOTOR, Build, Item
from sparring.core.predict import PowerFlow
from sparring.core.train import fit
from sparring.core.train.losses import basic_efficiency
from sparring.core.train.teeth import overlap_ratio
from sparring.core.train.tooth_strength import thrust
from sparring.core.train.torque import TorqueFlow
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.list_editor import ListEditor
from sparring.ui.widgets.measured import MeasuredList
from sparring.ui.widgets.parts import Column, Table, note
from sparring.ui.widgets.plain import Label

_TABS = {
    "Shafts": "shafts",
    "Strength": "strength",
    "Meshes": "meshes",
    "Size and cost": "cost",
    "Changes": "changes",
    "Measured": "measured",
}  # name -> its widget


class BuildTables(QWidget):
    """One table at a time; only the one shown is worked out."""

    def __init__(self, desk: Desk, measure: Callable[[int], None]) -> None:
        """measure: opens what was measured of parts."""
        super().__init__()
        self.desk, self._measure = desk, measure
        self.flow: PowerFlow | None = None
        self.load = 0.0
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.tabs = QTabBar()
        self.tabs.setUsesScrollButtons(False)  # they take room from the texts
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("Tables of the build")
        for text in _TABS:
            self.tabs.addTab(text)
        self.tabs.setMinimumWidth(self.tabs.sizeHint().width())
        self.tabs.currentChanged.connect(self._show)
        self.head = QHBoxLayout()
        self.head.addWidget(self.tabs)
        self.said = Label()
        self.said.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.head.addWidget(self.said, 1)
        column.addLayout(self.head)
        self.pages = QStackedWidget()
        column.addWidget(self.pages, 1)

    # made when first shown, so that the window need not wait for all of them

    @cached_property
    def shafts(self) -> Table:
        return Table(
            [
                "shaft",
                "speed",
                "torque",
                "rotation",
                "drives",
                "stage loss",
                "η without drag",
                "limited by",
            ],
            "Shafts",
        )

    @cached_property
    def strength(self) -> Table:
        head = ["part", "at output", "safety factor", "load", "capacity", "failure mode, basis"]
        return Table(head, "Order of failure", left=(5,), wraps=True)

    @cached_property
    def meshes(self) -> Table:
        return Table(self._mesh_head(), "Meshes")

    def _mesh_head(self) -> list[str]:
        return [
            f"mesh, sizes in {self.desk.units['length']}",
            "module",
            "centre\ndistance",
            "contact\nratio",
            "mesh\nefficiency",
            "backlash",
            "span W",
            "over\npins",
            "tooth\ntemp.",
            "thrust",
        ]

    @cached_property
    def items(self) -> ListEditor:
        fields = {
            "part": "part",
            "count": "count",
            "price each": "price",
            "spares": "spares",
            "mass each": "mass",
        }
        return ListEditor(
            self.desk,
            ("parts",),
            Item(part="part"),
            columns=[(label, (field,)) for label, field in fields.items()],
            name="Parts list",
        )

    @cached_property
    def measured(self) -> MeasuredList:
        return MeasuredList(self.desk, ("motor", "build", "inertia"), self._measure)

    @cached_property
    def sums(self) -> Label:
        text = note("")
        text.setAlignment(Qt.AlignmentFlag.AlignTop)
        return text

    @cached_property
    def cost(self) -> QWidget:
        both = QWidget()
        row = QHBoxLayout(both)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.items, 3)
        beside = Column()  # a low window scrolls it
        inner = QWidget()
        inner.setObjectName("plain")
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.sums)
        column.addStretch(1)
        beside.setWidget(inner)
        row.addWidget(beside, 2)
        return both

    @cached_property
    def changes(self) -> Table:
        return Table(["what", "before", "now"], "What changed", left=(1, 2))

    def show_load(self, flow: PowerFlow, load: float) -> None:
        """Shows the build in hand at an output load [N·m]."""
        self.flow, self.load = flow, load
        self._show()

    def _show(self) -> None:
        if self.flow is None:
            return
        tab = self.tabs.tabText(self.tabs.currentIndex())
        page = getattr(self, _TABS[tab])
        if self.pages.indexOf(page) < 0:
            self.pages.addWidget(page)
        self.pages.setCurrentWidget(page)
        build = self.desk.build
        speed = self.flow.stations[1].speed or 0.0
        train = build.flow(self.load, max(speed, 1e-9))
        {
            "Shafts": lambda: self._fill_shafts(build, train, speed),
            "Strength": lambda: self._fill_strength(build),
            "Meshes": lambda: self._fill_meshes(build, train, speed),
            "Size and cost": lambda: self._fill_cost(build),
            "Changes": lambda: self._fill_changes(build),
            "Measured": lambda: self.measured.refresh(),
        }[tab]()

    def _fill_shafts(self, build: Build, train: TorqueFlow, speed: float) -> None:
        d = self.desk
        behind = {shaft: n for n, shaft in enumerate(build.shafts()[:-1])}
        weakest: dict[int, str] = {}
        for limit in build.limits:
            weakest.setdefault(limit.stage, limit.part)
        rows = []
        for shaft in build.all_shafts():
            turning = train.speeds[shaft] if speed > 0 else 0.0
            torque = train.shaft_torques.get(shaft, 0.0)
            sense = (
                "forwards"
                if train.speeds[shaft] > 1e-12
                else "backwards"
                if train.speeds[shaft] < -1e-12
                else "stands"
            )
            row = [
                shaft if build.has_motor or shaft != MOTOR else "input",
                d.show(abs(turning), "speed", decimals=1 if abs(turning) < 100 else 0),
                d.three(torque, "torque"),
                sense,
            ]
            n = behind.get(shaft)
            if n is None:
                row += [""] * 4
            else:
                stage, name = build.stages[n], build.stage_names()[n]
                lost = train.mesh_losses.get(name, 0.0) + train.drag_losses.get(
                    build.shafts()[n + 1], 0.0
                )
                eta = stage.efficiency()
                mu = stage.loss_figure
                u = abs(eta - stage.efficiency(mu.value + 2 * mu.u)) if mu.u else 0.0
                row += [
                    stage.in_words(),
                    d.show(lost if speed > 0 else 0.0, "power", decimals=2),
                    f"{100 * eta:.1f}" + (f" ± {100 * u:.1f}" if u >= 5e-4 else "") + " %",
                    weakest.get(n, "–"),
                ]
            rows.append(row)
        self.shafts.fill(rows)

    def _fill_strength(self, build: Build) -> None:
        d = self.desk
        stall = predict.stall_torque(build, predict.set_to(d.build, d.plan))
        rows = []
        for limit in build.limits:
            share = limit.output / stall if stall > 0 else math.inf
            rows.append(
                [
                    limit.name + (" (fuse)" if build.is_fuse(limit) else ""),
                    d.three(limit.output, "torque"),
                    f"{share:.2g} ×" if share < 100 else "over 100 ×",
                    d.three(limit.carried(self.load), "torque"),
                    d.three(limit.carries, "torque"),
                    f"{limit.mode}: {limit.basis}",
                ]
            )
        self.strength.fill(rows or [["no part with a known strength", "", "", "", "", ""]])

    def _fill_meshes(self, build: Build, train: TorqueFlow, speed: float) -> None:
        d = self.desk
        length = partial(d.show, kind="length", decimals=3, with_unit=False)
        self.meshes.head(self._mesh_head())
        flows = {(m.mesh.name, m.mesh.contact): m for m in train.meshes}
        warmth = build.teeth_at(train) if speed > 0 else {}
        rows = []
        for n, (stage, name) in enumerate(
            zip(build.stages, build.stage_names(), strict=True), start=1
        ):
            for c in stage.contacts():
                p = c.pair
                first = fit.sizes(p, 1)
                flow = flows.get((name, c.name))
                warm = warmth.get((n - 1, c.name), math.nan)
                rows.append(
                    [
                        f"stage {n} {c.name}",
                        length(p.module),
                        length(p.centre_distance()),
                        f"{p.contact_ratio():.2f}"
                        + (f"+{overlap_ratio(p.module, c.width, p.helix):.2f}" if p.helix else ""),
                        d.show(basic_efficiency(stage.loss_figure.value, p.loss_factor()), "ratio"),
                        "not known"
                        if stage.backlash() is None
                        else d.show(p.backlash(), "angle", decimals=2),
                        f"{length(first.span)} ({first.across})" if first else "–",
                        (
                            length(first.over_pins)
                            if first and math.isfinite(first.over_pins)
                            else "–"
                        ),
                        d.show(warm, "temperature", decimals=0) if math.isfinite(warm) else "–",
                        (
                            d.three(thrust(p, flow.on_a / c.paths), "force")
                            if flow and p.helix
                            else "–"
                        ),
                    ]
                )
        self.meshes.fill(rows or [["no toothed mesh", *[""] * 9]])

    def _inertia(self, value: float) -> str:
        """Small ones in g·cm², as rotors are given."""
        unit = "g·cm²" if value < 1e-3 else "kg·m²"
        shown = abs(quantity.from_si(value, unit, "inertia"))
        return quantity.show(
            value,
            "inertia",
            unit,
            decimals=max(0, 2 - math.floor(math.log10(shown))) if shown > 0 else 0,
        )

    def _fill_cost(self, build: Build) -> None:
        d = self.desk
        inv = inventory.take(build)
        self.items.refresh()
        stall = predict.stall_torque(build, predict.set_to(d.build, d.plan))
        size = " × ".join(d.show(v, "length", decimals=0, with_unit=False) for v in inv.size)
        lines = [
            (
                f"Mass {d.show(inv.mass, 'mass', decimals=3)} calculated (gears "
                f"{d.show(inv.gears, 'mass', decimals=3)})"
            )
            + (
                f", weighed {d.show(build.mass, 'mass', u=False, decimals=3)}" if build.mass else ""
            ),
            f"Gears fit in {size} {d.units['length']} (along the axes × wide × high)",
            (
                f"Inertia {self._inertia(inv.inertia_in)} at the motor, "
                f"{self._inertia(inv.inertia_out)} at output"
            ),
            (
                f"Cost {inv.cost:.2f} {build.currency}, with spares {inv.with_spares:.2f}"
                f" {build.currency}"
            ),
        ]
        mass = build.mass.value if build.mass else inv.mass
        if stall > 0:
            lines.append(
                f"Predicted stall torque over mass {stall / mass:.2f} N·m/kg"
                + (f", over cost {stall / inv.cost:.3f} N·m/{build.currency}" if inv.cost else "")
            )
        if inv.unknown:
            lines.append("Omitted, density not known: " + ", ".join(inv.unknown))
        self.sums.setText("\n".join(lines))

    def _fill_changes(self, build: Build) -> None:
        older = None
        if self.desk.book is not None:
            before = [
                b
                for _, b in self.desk.book.builds()
                if b.family == build.family and b.revision < build.revision
            ]
            older = max(before, key=lambda b: b.revision, default=None)
        if older is None:
            self.changes.head(["what", "before", "now"])
            self.changes.fill([[f"{build.name} is the first of its family", "", ""]])
            return
        self.changes.head(["what", older.name, build.name])
        self.changes.fill(
            [list(row) for row in revise.differences(older, build)]
            or [[f"no difference from {older.name}", "", ""]]
        )
