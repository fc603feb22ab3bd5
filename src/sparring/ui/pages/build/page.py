"""Build: the train drawn to scale, the parts of the chosen stage beside it, and below what each
shaft and part does.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from importlib import import_module
from typing import Any

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSlider, QVBoxLayout, QWidget

from sparring.core import predict, revise
from sparring.core.build import Build
from sparring.core.train.kinds import ShiftStage, Stage
from sparring.core.train.kinematics import ratio_in_words
from sparring.ui.page import Context, View
from sparring.ui.pages.build.joint_form import JointForm
from sparring.ui.pages.build.tables import BuildTables
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import Form, named
from sparring.ui.widgets.parts import Column, heading, sheet
from sparring.ui.widgets.plain import Label, tip
from sparring.ui.widgets.train_view import TrainView


class BuildPage(View):
    """Edits the build in hand."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        desk = context.desk
        self.dialog: Any = None  # kept from being collected
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(10)
        upper = QHBoxLayout()
        upper.setSpacing(10)
        page.addLayout(upper, 1)
        upper.addWidget(self._drawing(), 5)
        upper.addWidget(self._side(), 3)

        lower, rows = sheet(margins=10)
        self.tables = BuildTables(desk, context.measure)
        self.sweep_text = self.tables.said
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Output torque")
        self.slider.setRange(0, 200)
        self.slider.setMinimumHeight(28)
        self.slider.setMinimumWidth(120)
        self.slider.setValue(60)
        self.slider.valueChanged.connect(self._swept)
        self.tables.head.addWidget(self.slider, 1)
        rows.addWidget(self.tables)
        lower.setFixedHeight(196)
        page.addWidget(lower)

        desk.build_changed.connect(self.refresh)
        desk.plan_changed.connect(self._show_load)
        desk.units_changed.connect(self.refresh)
        self.refresh()

    # --- what it is made of -----------------------------------------------------------------------

    def _drawing(self) -> QWidget:
        drawing, column = sheet()
        row = QHBoxLayout()
        row.setSpacing(6)
        self.ratio = Label()
        self.ratio.setObjectName("title")
        self.ratio.setWordWrap(True)
        row.addWidget(self.ratio, 1)
        self.speed = Choice()
        self.speed.setAccessibleName("Gear engaged")
        self.speed.setToolTip(tip("Which gear of the gearbox is engaged"))
        self.speed.activated.connect(self._engage)
        row.addWidget(self.speed)
        self.turn = QPushButton("Turn")
        self.turn.setCheckable(True)
        self.turn.setToolTip(
            tip("Animate the train, slowed down, with true directions of rotation")
        )
        self.turn.toggled.connect(self._turn)
        self.side_view = QPushButton("Side")
        self.side_view.setCheckable(True)
        self.side_view.setToolTip(tip("Draw it from the side, axes spread out"))
        self.side_view.toggled.connect(self._from_side)
        stage, gear = QPushButton("Stage"), QPushButton("Gear")
        stage.setMenu(self.context.menu("Stage", self))
        gear.setMenu(self.context.menu("Gear", self))
        for widget in (self.turn, self.side_view, stage, gear):
            row.addWidget(widget)
        column.addLayout(row)
        self.gears = TrainView()
        self.gears.picked.connect(self._picked)
        self.gears.count_edited.connect(self._count_edited)
        column.addWidget(self.gears, 1)
        return drawing

    def _side(self) -> QWidget:
        self.side = Column()
        inner, self.forms = sheet()
        self.stage_title = heading("")
        self.forms.addWidget(self.stage_title)
        self.stage_form: Form | None = None
        self.joints: JointForm | None = None
        self._stage_shown: tuple[int, str] | None = None
        self._motor_head, self._build_head = (
            heading("Motor, measured without gearbox"),
            heading("Build"),
        )
        self.forms.addWidget(self._motor_head)
        self.forms.addWidget(self._build_head)
        self.forms.addStretch(1)
        QTimer.singleShot(150, self._below_the_fold)  # well after the first paint
        self.side.setWidget(inner)
        return self.side

    def _below_the_fold(self) -> None:
        """Makes what is not seen at first; the first window does not wait for it."""
        for form in (self.motor_form, self.build_form):
            form.refresh()

    @cached_property
    def motor_form(self) -> Form:
        """The first motor."""
        form = Form(
            self.desk,
            "build",
            [
                ("Name", ("motor", "name")),
                ("Voltage", ("motor", "voltage")),
                ("No-load speed", ("motor", "no_load_speed")),
                ("No-load current", ("motor", "no_load_current")),
                ("Stall current", ("motor", "stall_current")),
                ("Stall torque", ("motor", "stall_torque")),
                ("Brush drop", ("motor", "brush_drop")),
                ("Magnets", ("motor", "magnets")),
                ("Winding temperature", ("motor", "winding_temperature")),
                ("Rotor inertia", ("motor", "inertia")),
                ("Thermal time constant", ("motor", "heat_time")),
                ("Thermal resistance, K/W", ("motor", "heat_resistance")),
            ],
        )
        self.forms.insertWidget(self.forms.indexOf(self._motor_head) + 1, form)
        return form

    @cached_property
    def build_form(self) -> Form:
        """The build as a whole."""
        form = Form(
            self.desk,
            "build",
            [
                ("Family", ("family",)),
                ("Revision", ("revision",)),
                ("Title", ("title",)),
                ("Lubricant", ("lubricant",)),
                ("Expected load", ("expected_load",)),
                ("Back-driving", ("holding",)),
                ("Maximum shaft speed", ("fastest",)),
                ("Part temperature", ("works_at",)),
                ("Interlayer strength", ("across_layers",)),
                ("Fuse part", ("fuse",)),
                ("Wind-up stiffness", ("windup",)),
                ("Mass", ("mass",)),
                ("Currency", ("currency",)),
                ("Notes", ("notes",)),
            ],
        )
        self.forms.insertWidget(self.forms.indexOf(self._build_head) + 1, form)
        return form

    # --- showing ----------------------------------------------------------------------------------

    @property
    def chosen(self) -> int:
        """Position of the chosen stage."""
        return min(self.gears.chosen[0], len(self.desk.build.stages) - 1)

    def chosen_kind(self) -> str:
        """The kind of the chosen stage."""
        return str(self.desk.build.stages[self.chosen].kind)

    def refresh(self) -> None:
        build = self.desk.build
        self.gears.set_build(build)
        words = ratio_in_words(build.ratio())
        boxes = any(isinstance(s, ShiftStage) for s in build.stages)
        # the switch takes the room of the words
        self.ratio.setText(words.split()[0] if boxes else words)
        self.ratio.setToolTip(tip(build.train_in_words()))
        self._show_stage(*self.gears.chosen)
        self._show_speeds()
        self._show_load()

    def _show_speeds(self) -> None:
        """The speeds of the chosen box, or of the first one in the train."""
        boxes = [n for n, s in enumerate(self.desk.build.stages) if isinstance(s, ShiftStage)]
        self.speed.setVisible(bool(boxes))
        if boxes:
            n = self.chosen if self.chosen in boxes else boxes[0]
            stage = self.desk.build.stages[n]
            assert isinstance(stage, ShiftStage)
            texts = [f"Gear {k}" for k in range(1, len(stage.pairs) + 1)]
            if [self.speed.itemText(i) for i in range(self.speed.count())] != texts:
                self.speed.clear()
                self.speed.addItems(texts)
            self.speed.setCurrentIndex(stage.engaged - 1)
            self.speed.setProperty("stage", n)

    def _show_load(self) -> None:
        """What is expected at the slider's load."""
        d = self.desk
        self.desk.load = predict.stall_torque(d.build, d.plan.voltage) * self.slider.value() / 200
        flow = predict.power_flow(d.build, self.desk.load, d.plan.voltage)
        if flow.power_out > 0:
            text = f"{d.three(d.load, 'torque')}: {d.show(flow.current, 'current', decimals=2)}"
        else:
            text = (
                f"{d.three(self.desk.load, 'torque')}: stalled"
                if self.desk.load > 0
                else "It does not turn"
            )
        self.sweep_text.setText(text)
        self.tables.show_load(flow, self.desk.load)

    def _swept(self, _position: int) -> None:
        self._show_load()
        self.desk.selection_changed.emit()

    def _turn(self, on: bool) -> None:
        self.gears.turn(on)
        self.turn.setText("Pause" if on else "Turn")

    def _from_side(self, on: bool) -> None:
        self.gears.from_side = on
        self.gears.update()

    def _picked(self, stage: int, field: str) -> None:
        self._show_stage(stage, field)
        self._show_speeds()
        self.side.reveal(self.stage_title)
        self.gears.setFocus()

    def show_place(self, path: Sequence[str]) -> None:
        head, *rest = path or ("",)
        if head == "stages" and rest:
            self.show_stage(int(rest[0]), rest[1] if len(rest) > 1 else "")
        elif head == "train":
            self.gears.setFocus()
        elif head == "motor":
            self._reveal(self.motor_form.fields["motor", rest[0] if rest else "no_load_speed"])
        elif (entry := self.build_form.fields.get((head,))) is not None:
            self._reveal(entry)

    def _reveal(self, entry: QWidget) -> None:
        self.side.reveal(entry)
        entry.setFocus()

    def show_stage(self, stage: int, field: str = "") -> None:
        """Lays a stage open, as a click in the driveline or on a finding asks; with a field, its
        entry gets the keyboard.
        """
        self.gears.pick(min(stage, len(self.desk.build.stages) - 1), field)
        if field and self.stage_form is not None:
            widget = self.stage_form.fields.get(("stages", stage, field))
            if widget is not None:
                self._reveal(widget)

    def _show_stage(self, n: int, field: str) -> None:
        stages = self._stages()  # those of an edit that waits, which the form shows too
        n = min(n, len(stages) - 1)
        stage = stages[n]
        part = field.replace("_", " ")
        self.stage_title.setText(
            f"Stage {n + 1}, {stage.TITLE.lower()}" + (f": {part} chosen" if part else "")
        )
        if self._stage_shown == (n, stage.kind):
            return
        self._stage_shown = (n, stage.kind)
        for old in (self.stage_form, self.joints):
            if old is not None:
                self.forms.removeWidget(old)
                old.hide()
                old.deleteLater()
        self.stage_form = Form(
            self.desk, "build", [(label, ("stages", n, f)) for label, f in stage.FIELDS]
        )
        self.joints = JointForm(self.desk, n, self.stage_form.label_width())
        self.forms.insertWidget(1, self.stage_form)
        self.forms.insertWidget(2, self.joints)

    # --- editing ----------------------------------------------------------------------------------

    def _in_hand(self) -> Build:
        build = self.desk.in_hand("build")
        assert isinstance(build, Build)
        return build

    def _stages(self) -> tuple[Stage, ...]:
        """The stages, with an edit that waits for the tester's word."""
        return self._in_hand().stages

    def add(self, kind: type[Any]) -> None:
        """Puts a stage of a kind, with its template's sizes, behind the chosen one."""
        stages, n = self._stages(), self.chosen
        if self._edit_stages(
            (*stages[: n + 1], kind(), *stages[n + 1 :]), f"adding a stage, {kind.TITLE.lower()}"
        ):
            self.gears.pick(n + 1)

    def duplicate(self) -> None:
        stages, n = self._stages(), self.chosen
        if self._edit_stages(
            (*stages[: n + 1], stages[n], *stages[n + 1 :]), "duplicating a stage"
        ):
            self.gears.pick(n + 1)

    def split(self) -> None:
        stages, n = self._stages(), self.chosen
        try:
            pair = revise.split(stages[n])
        except ValueError as err:
            self.desk.said.emit(f"Stage {n + 1} was not split: {err}.")
            return
        self._edit_stages((*stages[:n], *pair, *stages[n + 1 :]), "splitting a stage")

    def move_stage(self, by: int) -> None:
        stages, n = list(self._stages()), self.chosen
        to = n + by
        if 0 <= to < len(stages):
            stages[n], stages[to] = stages[to], stages[n]
            if self._edit_stages(tuple(stages), "moving a stage"):
                self.gears.pick(to)

    def remove(self) -> None:
        stages, n = self._stages(), self.chosen
        if len(stages) > 1:
            self._edit_stages(stages[:n] + stages[n + 1 :], f"removing stage {n + 1}")

    def _engage(self, index: int) -> None:
        n = self.speed.property("stage")
        if reason := self.desk.edit(
            "build", ("stages", n, "engaged"), index + 1, f"engaging gear {index + 1}"
        ):
            self.desk.said.emit(reason)

    def mirror(self) -> None:
        if reason := self.desk.edit(
            "build", (), revise.mirrored(self._in_hand()), "mirroring the build"
        ):
            self.desk.said.emit(reason)

    def _count_edited(self, n: int, field: str, count: int) -> None:
        if reason := self.desk.edit(
            "build",
            ("stages", n, field),
            count,
            named(field.replace("_", " "), ("stages", n, field)),
        ):
            self.desk.said.emit(reason.split(": ", 1)[-1])

    def _edit_stages(self, stages: tuple[Stage, ...], text: str) -> bool:
        reason = self.desk.edit("build", ("stages",), stages, text)
        if reason:
            self.desk.said.emit(reason)
        return reason is None

    # --- dialogs and files ------------------------------------------------------------------------

    def open_dialog(self, module: str, name: str) -> None:
        """Opens a dialog on the chosen part; they are loaded when first wanted."""
        self.dialog = getattr(import_module(f"sparring.ui.pages.build.{module}"), name)(
            self.desk, self.gears.chosen, self
        )
        self.dialog.open()

    def save_outline(self) -> None:
        from sparring.ui.pages.build import dialogs as build_dialogs

        build_dialogs.save_outline(self.desk, self.gears.chosen, self)
