"""Build: the train drawn to scale, the parts of the chosen stage beside it, what each shaft does below."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QSlider, QVBoxLayout, QWidget

from sparring.core import predict
from sparring.core.build import MOTOR, OUTPUT, Stage
from sparring.core.train import teeth
from sparring.core.train.torque import back_drive_efficiency
from sparring.ui.desk import Desk
from sparring.ui.widgets.form import Form
from sparring.ui.widgets.gear_view import GearView
from sparring.ui.widgets.parts import Table, heading, note, sheet


class BuildPage(QWidget):
    """Edits the build in hand."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.load = 0.3  # output torque that the slider sets [N·m]
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(10)
        upper = QHBoxLayout()
        upper.setSpacing(10)
        page.addLayout(upper, 1)

        drawing, column = sheet()
        row = QHBoxLayout()
        self.ratio = QLabel()
        self.ratio.setObjectName("title")
        row.addWidget(self.ratio, 1)
        self.turn = QPushButton("Turn")
        self.turn.setCheckable(True)
        self.turn.setToolTip("Let the train turn, slowed down, in the true directions")
        self.turn.toggled.connect(self._turn)
        add = QPushButton("Add stage")
        add.clicked.connect(self._add)
        self.remove = QPushButton("Remove")
        self.remove.setToolTip("Takes the chosen stage out")
        self.remove.clicked.connect(self._remove)
        for button in (self.turn, add, self.remove):
            row.addWidget(button)
        column.addLayout(row)
        self.gears = GearView()
        self.gears.picked.connect(self._picked)
        column.addWidget(self.gears, 1)
        self.facts = note("")
        column.addWidget(self.facts)
        upper.addWidget(drawing, 5)

        self.side = QScrollArea()
        self.side.setWidgetResizable(True)
        self.side.setMinimumWidth(292)
        self.side.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner, self.forms = sheet()
        self.stage_title = heading("")
        self.forms.addWidget(self.stage_title)
        self.stage_form: Form | None = None
        self._stage_shown: tuple[int, int] | None = None
        self.forms.addWidget(heading("Motor, as measured bare"))
        self.motor_form = Form(
            desk,
            "build",
            [
                ("Name", ("motor", "name")),
                ("Voltage", ("motor", "voltage")),
                ("No-load speed", ("motor", "no_load_speed")),
                ("No-load current", ("motor", "no_load_current")),
                ("Stall current", ("motor", "stall_current")),
                ("Stall torque", ("motor", "stall_torque")),
                ("Winding was at", ("motor", "winding_temperature")),
                ("Rotor inertia", ("motor", "inertia")),
            ],
        )
        self.forms.addWidget(self.motor_form)
        self.forms.addWidget(heading("Build"))
        self.build_form = Form(
            desk,
            "build",
            [
                ("Family", ("family",)),
                ("Revision", ("revision",)),
                ("Title", ("title",)),
                ("Lubricant", ("lubricant",)),
                ("Wind-up stiffness", ("windup",)),
                ("Mass", ("mass",)),
                ("Notes", ("notes",)),
            ],
        )
        self.forms.addWidget(self.build_form)
        self.forms.addStretch(1)
        self.side.setWidget(inner)
        upper.addWidget(self.side, 3)

        lower, rows = sheet(margins=10)
        sweep = QHBoxLayout()
        self.sweep_text = QLabel()
        self.sweep_text.setMinimumWidth(300)
        sweep.addWidget(self.sweep_text)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Output torque")
        self.slider.setRange(0, 200)
        self.slider.setMinimumHeight(28)
        self.slider.valueChanged.connect(self._swept)
        sweep.addWidget(self.slider, 1)
        rows.addLayout(sweep)
        self.table = Table(["shaft", "speed", "torque", "loss behind it", "basic efficiency", "contact ratio"], "Shafts")
        rows.addWidget(self.table)
        lower.setFixedHeight(168)
        page.addWidget(lower)

        desk.build_changed.connect(self.refresh)
        desk.plan_changed.connect(self.refresh)
        desk.units_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        build = self.desk.build
        self.gears.set_build(build)
        self.ratio.setText(build.train_in_words())
        self.remove.setEnabled(len(build.stages) > 1)
        self._show_stage(*(self.gears.chosen or (0, 0)))
        stall = predict.stall_torque(build, self.desk.plan.voltage)
        self.load = stall * self.slider.value() / 200
        if self.slider.value() == 0:
            self.slider.blockSignals(True)
            self.slider.setValue(60)
            self.slider.blockSignals(False)
            self.load = stall * 0.3
        back = back_drive_efficiency(build.elements(), MOTOR, OUTPUT)
        facts = [
            f"predicted stall {self.desk.show(stall, 'torque')} at {self.desk.show(self.desk.plan.voltage, 'voltage', decimals=1)}",
            f"backlash at the output {self.desk.show(build.backlash(), 'angle', decimals=2)}",
            "holds by itself" if back is None else f"turned backwards it passes on {self.desk.show(back, 'ratio', decimals=0)}",
        ]
        few = [
            f"stage {n} {who} of {z} teeth is undercut (below {teeth.undercut_limit(x, s.pressure_angle):.1f})"
            for n, s in enumerate(build.stages, start=1)
            for who, z, x in (("pinion", s.pinion, s.pinion_shift), ("wheel", s.wheel, s.wheel_shift))
            if z < teeth.undercut_limit(x, s.pressure_angle)
        ]
        text = "; ".join(facts)
        self.facts.setText(text[0].upper() + text[1:] + "." + (" Watch: " + "; ".join(few) + "." if few else ""))
        self._shafts()

    def _shafts(self) -> None:
        build, d = self.desk.build, self.desk
        flow = predict.power_flow(build, self.load, d.plan.voltage)
        speed = flow.stations[1].speed or 0.0
        train = build.flow(self.load, max(speed, 1e-9))
        rows = []
        for n, shaft in enumerate(build.shafts()):
            turning = train.speeds[shaft] if speed > 0 else 0.0
            row = [
                shaft,
                d.show(turning, "speed", decimals=1 if abs(turning) < 100 else 0),
                d.show(train.shaft_torques[shaft], "torque", decimals=4),
            ]
            if n < len(build.stages):
                stage, name = build.stages[n], build.stage_names()[n]
                lost = train.mesh_losses[name] + train.drag_losses.get(build.shafts()[n + 1], 0.0)
                eta = max(0.0, 1 - stage.friction.value * stage.loss_factor())
                u = 2 * stage.friction.u * stage.loss_factor()
                row += [
                    d.show(lost if speed > 0 else 0.0, "power", decimals=2),
                    f"{100 * eta:.1f} ± {100 * u:.1f} %",
                    f"{stage.contact_ratio():.2f}",
                ]
            else:
                row += ["", "", ""]
            rows.append(row)
        self.table.fill(rows)
        if flow.power_out > 0:
            text = f"At {d.show(self.load, 'torque', decimals=3)}: {d.show(flow.current, 'current', decimals=2)}, gearbox {d.show(flow.gearbox, 'ratio', decimals=1)}"
        else:
            text = f"At {d.show(self.load, 'torque', decimals=3)} it stalls"
        self.sweep_text.setText(text)

    def _swept(self, position: int) -> None:
        self.load = predict.stall_torque(self.desk.build, self.desk.plan.voltage) * position / 200
        self._shafts()
        self.desk.selection_changed.emit()

    def _turn(self, on: bool) -> None:
        self.gears.turn(on)
        self.turn.setText("Hold" if on else "Turn")

    def _picked(self, stage: int, member: int) -> None:
        self._show_stage(stage, member)
        self.gears.setFocus()

    def show_stage(self, stage: int) -> None:
        """Lays a stage open, as a click in the driveline asks."""
        self.gears.pick(min(stage, len(self.desk.build.stages) - 1), 0)

    def _show_stage(self, n: int, member: int) -> None:
        n = min(n, len(self.desk.build.stages) - 1)
        stage = self.desk.build.stages[n]
        self.stage_title.setText(f"Stage {n + 1}: {'pinion' if member == 0 else 'wheel'} chosen, {stage.in_words()}")
        key = (n, len(self.desk.build.stages))
        if self._stage_shown == key:
            return
        self._stage_shown = key
        if self.stage_form is not None:
            self.forms.removeWidget(self.stage_form)
            self.stage_form.setParent(None)
            self.stage_form.deleteLater()
        at = ("stages", n)
        self.stage_form = Form(
            self.desk,
            "build",
            [
                ("Pinion teeth", (*at, "pinion")),
                ("Wheel teeth", (*at, "wheel")),
                ("Module", (*at, "module")),
                ("Face width", (*at, "face_width")),
                ("Pressure angle", (*at, "pressure_angle")),
                ("Pinion shift", (*at, "pinion_shift")),
                ("Wheel shift", (*at, "wheel_shift")),
                ("Centres opened by", (*at, "opening")),
                ("Friction coefficient", (*at, "friction")),
                ("Drag of its output", (*at, "drag")),
                ("Material", (*at, "material")),
            ],
        )
        self.forms.insertWidget(1, self.stage_form)

    def _add(self) -> None:
        stages = self.desk.build.stages
        last = stages[-1]
        self._edit_stages((*stages, last), "stage added")
        self.gears.pick(len(self.desk.build.stages) - 1, 0)

    def _remove(self) -> None:
        stages = self.desk.build.stages
        n = min((self.gears.chosen or (len(stages) - 1, 0))[0], len(stages) - 1)
        self._edit_stages(stages[:n] + stages[n + 1 :], f"stage {n + 1} removed")

    def _edit_stages(self, stages: tuple[Stage, ...], text: str) -> None:
        self.desk.edit("build", ("stages",), stages, text)
