"""Rig: the bench as it looks for the chosen method, dimensions beside it; calibration, masses,
checks; limits.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from sparring.core import predict, quantity
from sparring.core.care import care_notes
from sparring.core.live import Instruments
from sparring.core.methods import METHODS, MethodBase
from sparring.core.rig import Weight
from sparring.ui.page import Context, View
from sparring.ui.pages.rig.bench_picture import BenchPicture
from sparring.ui.pages.rig.checklist import Checklist
from sparring.ui.pages.rig.ratios import RatioPlanner
from sparring.ui.pages.rig.sensors import SensorsPanel
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import Form, Path
from sparring.ui.widgets.gravity import ask_gravity
from sparring.ui.widgets.list_editor import ListEditor
from sparring.ui.widgets.measured import MeasuredList
from sparring.ui.widgets.parts import Column, care, heading, note, sheet
from sparring.ui.widgets.plain import tip

_FAST = ("m/s", "mph")  # units of a surface speed


def _scrolled(inner: QWidget) -> Column:
    """The widget in an area that scrolls up and down where the window is low."""
    scroll = Column()
    inner.setObjectName("plain")
    scroll.setWidget(inner)
    return scroll


class RigPage(View):
    """Edits the rig in hand; calibrates the cell on the live bench."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        desk, session = context.desk, context.session
        self._kept: dict[
            tuple[int, type[MethodBase]], MethodBase
        ] = {}  # dimensions of methods left for another, by rig
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(10)
        self.care = care("")
        page.addWidget(self.care)
        row = QHBoxLayout()
        row.setSpacing(10)
        page.addLayout(row, 1)
        row.addWidget(self._bench(), 16)
        row.addWidget(self._beside(), 10)
        for signal in (desk.rig_changed, desk.lists_changed, desk.units_changed):
            signal.connect(self.refresh)
        for signal in (desk.build_changed, desk.plan_changed):
            signal.connect(self._ask)
        session.arrived.connect(self._live)
        session.state_changed.connect(self._live)
        self.refresh()

    def _bench(self) -> QWidget:
        left, column = sheet(margins=10)
        row = QHBoxLayout()
        self.methods = Choice()
        self.methods.setAccessibleName("Method")
        self.methods.setMaxVisibleItems(len(METHODS))
        for kind in METHODS:
            self.methods.addItem(kind.TITLE, kind)
            self.methods.setItemData(
                self.methods.count() - 1, kind.PURPOSE, Qt.ItemDataRole.ToolTipRole
            )
        self.methods.activated.connect(lambda i: self.choose_method(self.methods.itemData(i)))
        row.addWidget(self.methods)
        row.addStretch(1)
        self.rigs = Choice()
        self.rigs.setAccessibleName("Rig")
        self.rigs.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.rigs.activated.connect(lambda i: self.desk.choose_rig(self.rigs.itemData(i)))
        row.addWidget(self.rigs)
        copy = QPushButton("New rig")
        copy.setToolTip(tip("Create a rig as a copy of this one"))
        copy.clicked.connect(self._copy)
        row.addWidget(copy)
        column.addLayout(row)
        self.picture = BenchPicture(self.desk)
        column.addWidget(self.picture, 1)
        self.surface, self.asked = note(""), note("")
        column.addWidget(self.surface)
        column.addWidget(self.asked)
        return left

    def _beside(self) -> QWidget:
        right, column = sheet(margins=10)
        self.tabs = QTabBar()
        self.tabs.setUsesScrollButtons(False)  # they take room from the texts
        self.tabs.setAccessibleName("Rig tables")
        self.tabs.setExpanding(False)
        self.tabs.setDrawBase(False)
        column.addWidget(self.tabs)
        self.stack = QStackedWidget()
        column.addWidget(self.stack, 1)
        self.sensors = SensorsPanel(self.desk, self.session)
        self.planner = RatioPlanner(self.desk)
        self.checklist = Checklist(self.desk)
        self.forms: list[Form] = []
        self.limits_area = _scrolled(QWidget())
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self.finish)
        self._later.start(0)
        for name, widget in (
            ("Limits", self.limits_area),
            ("Sensors", _scrolled(self.sensors)),
            ("Masses", self._masses()),
            ("Ratios", self.planner),
            ("Checks", _scrolled(self.checklist)),
            ("Parts", MeasuredList(self.desk, ("rig", "inertia"), self.context.measure)),
        ):
            self.tabs.addTab(name)
            self.stack.addWidget(widget)
        self.tabs.currentChanged.connect(self.stack.setCurrentIndex)
        return right

    def finish(self) -> None:
        """Fills the limits: where the bench stops by itself, and the rig's figures. In a turn
        of its own, so that no turn of the loop is long; or when the page is shown."""
        if self.forms:
            return
        inner = QWidget()
        inner.setObjectName("plain")
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        groups: list[tuple[str, str, list[tuple[str, Path]]]] = [
            (
                "Automatic stop at",
                "rig",
                [
                    ("Current", ("limits", "current")),
                    ("Output speed", ("limits", "speed")),
                    ("Stalled for", ("limits", "stalled_for")),
                    ("Output torque", ("limits", "torque")),
                    ("Electrical power", ("limits", "power")),
                    ("Motor temperature", ("limits", "temperature")),
                    ("Load cell force", ("limits", "force")),
                ],
            ),
            (
                "Rig",
                "rig",
                [
                    ("Name", ("name",)),
                    ("Torque source", ("torque_from",)),
                    ("Local gravity", ("gravity",)),
                    ("Voltmeter accuracy ±", ("sensors", "voltage_accuracy")),
                    ("Ammeter accuracy ±", ("sensors", "current_accuracy")),
                    ("Tachometer accuracy ±", ("sensors", "speed_accuracy")),
                    ("Pulses per revolution", ("sensors", "pulses")),
                    ("Supply", ("sensors", "supply")),
                    ("Current limit", ("limits", "supply")),
                    ("Cord strength", ("limits", "cord")),
                    ("Second cell", ("sensors", "second_cell")),
                    ("Force accuracy ±", ("sensors", "force_accuracy")),
                ],
            ),
        ]
        forms = []
        for title, what, rows in groups:
            if title:
                column.addSpacing(4)
                column.addWidget(heading(title))
            forms.append(Form(self.desk, what, rows, units={("limits", "speed"): "rpm"}))
            column.addWidget(forms[-1])
            if title.startswith("Automatic stop"):
                column.addWidget(
                    note(
                        "The bench is asked to stop. Neither this nor STOP on the screen "
                        "is an emergency stop."
                    )
                )
        latitude = QPushButton("Gravity by latitude …")
        latitude.clicked.connect(self._gravity)
        column.addWidget(latitude)
        self.forms = forms
        widest = max(f.label_width() for f in forms)
        for form in forms:
            form.align(widest)
        column.addStretch(1)
        self.limits_area.setWidget(inner)

    def _gravity(self) -> None:
        gravity = ask_gravity(self)
        if gravity is not None and (
            reason := self.desk.edit("rig", ("gravity",), gravity, "local gravity")
        ):
            self.desk.said.emit(reason)

    def _masses(self) -> QWidget:
        masses = QWidget()
        rows = QVBoxLayout(masses)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addWidget(
            note("Each mass you own, with its ±: 310.2 g ± 0.5 g. The calibration guide uses them.")
        )
        columns: list[tuple[str, Path]] = [("name", ("name",)), ("weighs", ("mass",))]
        self.shelf = ListEditor(
            self.desk,
            ("shelf",),
            Weight(name="mass"),
            columns=columns,
            name="Masses on the shelf",
            what="rig",
        )
        rows.addWidget(self.shelf, 1)
        return masses

    def refresh(self) -> None:
        d = self.desk
        method = d.rig.method
        if d.book is not None:
            self.rigs.clear()
            for rig_id, rig in d.book.rigs():
                self.rigs.addItem(rig.name, rig_id)
            self.rigs.setCurrentIndex(max(0, self.rigs.findData(d.rig_id)))
        self.methods.setCurrentIndex(METHODS.index(type(method)))
        usual, rule, _ = care_notes(method)
        self.care.setText(f"Care: {usual[0].lower()}{usual[1:]} {rule}")
        for n, shown in ((2, method.weighed()), (3, method.ACCELERATES)):
            if self.tabs.isTabVisible(n) != shown:
                self.tabs.setTabVisible(n, shown)
                self.tabs.setCurrentIndex(
                    self.tabs.currentIndex()
                    if self.tabs.isTabVisible(self.tabs.currentIndex())
                    else 0
                )
        self._ask()

    def _ask(self) -> None:
        """What stands in the way of a run; reckoned only while it can be seen."""
        if not self.isVisible():
            return
        d, (what, field) = self.desk, self.desk.rig.method.ROLLS
        self.surface.setVisible(bool(what))
        if what:
            turns = predict.no_load_speed(d.build, predict.set_to(d.build, d.plan))
            fast = getattr(d.rig.method, field).value / 2 * turns
            shown = " = ".join(quantity.show(fast, "velocity", u, decimals=2) for u in _FAST)
            self.surface.setText(
                f"Surface speed of the {what} at no load: {shown},"
                f" at {d.show(turns, 'speed', decimals=0)}."
            )
        first = next(iter(self.desk.setup_findings()), None)
        self.asked.setText(
            f"Next: {first.title[0].lower()}{first.title[1:]}. {' '.join(first.remedies[:1])}"
            if first
            else "Nothing is missing."
        )

    def show_place(self, path: Sequence[str]) -> None:
        if (field := self._field_at(tuple(path))) is not None:
            field.setFocus()

    def _field_at(self, path: tuple[str, ...]) -> QWidget | None:
        """Brings forward what a place names (`sensors`, `supply`); the field to begin at, None
        where there is none.
        """
        name = path[-1] if path else ""
        if name == "chosen":
            return self.rigs
        if name == "shelf":
            return self._tab(2, self.shelf)
        if name == "care_read":
            return self._tab(4, self.checklist.care.name)
        if (entry := self.sensors.choose(name)) is not None:
            return self._tab(1, entry)
        if path[:1] == ("method",):
            return self.picture.fields.get(name) or next(iter(self.picture.fields.values()))
        return self._in_the_forms("rig", path)

    def _tab(self, n: int, field: QWidget) -> QWidget:
        self.tabs.setCurrentIndex(n)
        return field

    def _in_the_forms(self, what: str, path: tuple[str, ...]) -> QWidget | None:
        for form in self.forms:
            if form.what == what and path in form.fields:
                self.tabs.setCurrentIndex(0)
                self.limits_area.reveal(form.fields[path])
                return form.fields[path]
        return None

    def choose_method(self, kind: type[MethodBase]) -> None:
        """Sets the rig up for another method; the dimensions of the one left are kept while the
        window is open.
        """
        old = self.desk.rig.method
        if type(old) is kind:
            return
        self._kept[self.desk.rig_id, type(old)] = old
        self.desk.set_method(self._kept.get((self.desk.rig_id, kind), kind()))
        self.refresh()

    def _live(self) -> None:
        if not self.isVisible():
            return
        ring, d = self.session.live, self.desk
        live: dict[str, str] = {}
        if ring is not None and ring.count > 10:
            recent = ring.since(ring.t[-1] - 0.5)
            if "cell" in ring.channels and d.rig.method.CELL:
                counts, known = ring.values("cell")[recent], Instruments(d.rig)
                tare = self.session.tare.value if self.session.tare else None
                live["cell"] = (
                    d.show(float(np.nanmean(known.force(counts, tare))), "force", decimals=2)
                    if known.calibrated
                    else f"{np.nanmean(counts):.0f} counts"
                )
            if "speed" in ring.channels:
                live["speed"] = d.show(
                    float(np.nanmean(ring.values("speed")[recent])), "speed", decimals=0
                )
        self.picture.show_live(live)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.finish()
        self._ask()
        self._live()

    def _copy(self) -> None:
        self.desk.new_rig()
