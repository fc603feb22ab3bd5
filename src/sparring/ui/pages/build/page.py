"""Build: the train drawn to scale, the fields of its selected stage beside it, and below what each
shaft and part does.
"""

from __future__ import annotations

from collections.abc import Sequence
from importlib import import_module
from typing import Any

from PyQt6.QtCore import QByteArray, Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSlider, QSplitter, QVBoxLayout, QWidget

from sparring.core import predict, revise
from sparring.core.build import Build
from sparring.core.train.kinds import ShiftStage, Stage
from sparring.core.train.kinematics import ratio_in_words
from sparring.ui.page import Context, View
from sparring.ui.pages.build.fields import BuildFields
from sparring.ui.pages.build.part import PartFields
from sparring.ui.pages.build.tables import BuildTables
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import Path, named
from sparring.ui.widgets.parts import note, sheet
from sparring.ui.widgets.plain import Label, tip
from sparring.ui.widgets.train_view import TrainView

_LOWER = (110, 158)  # [px] the tables: at least, and at first


class BuildPage(View):
    """Edits the build in hand."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        desk = context.desk
        self.dialog: Any = None  # kept from being collected
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(10)
        top = QWidget()
        upper = QHBoxLayout(top)
        upper.setContentsMargins(0, 0, 0, 0)
        upper.setSpacing(10)
        upper.addWidget(self._drawing(), 5)
        self.fields = BuildFields(desk)
        self.fields.stage_wanted.connect(self.show_stage)
        upper.addWidget(self.fields, 3)

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
        lower.setMinimumHeight(_LOWER[0])
        self.divider = QSplitter(Qt.Orientation.Vertical)
        self.divider.setHandleWidth(10)
        self.divider.setChildrenCollapsible(False)
        for part, stretch in ((top, 1), (lower, 0)):
            self.divider.addWidget(part)
            self.divider.setStretchFactor(self.divider.count() - 1, stretch)
        self.divider.setSizes([2000, _LOWER[1]])
        state = desk.settings.value("split/build")
        if isinstance(state, QByteArray):
            self.divider.restoreState(state)
        self.divider.splitterMoved.connect(
            lambda *_: desk.settings.setValue("split/build", self.divider.saveState())
        )
        page.addWidget(self.divider)

        desk.build_changed.connect(self.refresh)
        desk.plan_changed.connect(self._show_load)
        desk.units_changed.connect(self.refresh)
        self.refresh()

    # --- what it is made of -----------------------------------------------------------------------

    def _drawing(self) -> QWidget:
        drawing, column = sheet(margins=10)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.ratio = Label()
        self.ratio.setObjectName("title")
        self.ratio.setWordWrap(True)
        self.selected = note("")
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(self.ratio)
        words.addWidget(self.selected)
        row.addLayout(words, 1)
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
        self.part = PartFields(self.desk)
        column.addWidget(self.part)
        return drawing

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
        set_to = predict.set_to(d.build, d.plan)
        d.load = predict.stall_torque(d.build, set_to) * self.slider.value() / 200
        flow = predict.power_flow(d.build, d.load, set_to)
        if flow.power_out > 0:
            takes = d.show(flow.current, "current", decimals=2)
            if not d.build.has_motor:
                takes = f"{d.three(flow.current, 'torque')} in"
            text = f"{d.three(d.load, 'torque')}: {takes}"
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
        self.fields.to_top()
        self.gears.setFocus()

    def show_place(self, path: Sequence[str]) -> None:
        head, *rest = path or ("",)
        if head == "stages" and rest:
            self.show_stage(int(rest[0]), rest[1] if len(rest) > 1 else "")
        elif head == "train":
            self.gears.setFocus()
        elif head == "motor":
            self._to_field(("motor", rest[0] if rest else "no_load_speed"))
        elif head:
            self._to_field((head,))

    def _to_field(self, path: Path) -> None:
        entry = self.fields.field(path)
        if entry is not None:
            self.fields.reveal(entry)

    def find_field(self) -> None:
        """The keyboard to the box that finds a field."""
        self.fields.search.setFocus()
        self.fields.search.selectAll()

    def show_stage(self, stage: int, field: str = "") -> None:
        """Lays a stage open, as a click in the driveline or on a finding asks; with a field, its
        entry gets the keyboard.
        """
        self.gears.pick(min(stage, len(self.desk.build.stages) - 1), field)
        if field:
            self._to_field(("stages", min(stage, len(self.desk.build.stages) - 1), field))

    def _show_stage(self, n: int, field: str) -> None:
        stages = self._stages()  # those of an edit that waits, which the form shows too
        n = min(n, len(stages) - 1)
        part, kind = field.replace("_", " "), stages[n].TITLE.lower()
        self.selected.setText(f"Stage {n + 1}, {kind}" + (f": {part}" if part else ""))
        self.fields.show_stage(n)
        self.part.show_part(n, field)

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
