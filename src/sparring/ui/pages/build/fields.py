"""The fields of a build: of the selected stage, the motor and the whole, in groups that fold, with
a box that finds a field by a word of its label.
"""

from __future__ import annotations

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from sparring.core.build import Build
from sparring.ui.model.desk import Desk
from sparring.ui.pages.build.joint_form import JointForm
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.focus import in_order
from sparring.ui.widgets.form import Form, Path, narrow
from sparring.ui.widgets.group import Group
from sparring.ui.widgets.parts import Column, sheet
from sparring.ui.widgets.plain import tip

_MOTOR = (
    ("Name", "name"),
    ("Voltage", "voltage"),
    ("No-load speed", "no_load_speed"),
    ("No-load current", "no_load_current"),
    ("Stall current", "stall_current"),
    ("Stall torque", "stall_torque"),
    ("Brush drop", "brush_drop"),
    ("Magnets", "magnets"),
    ("Winding temperature", "winding_temperature"),
    ("Rotor inertia", "inertia"),
    ("Thermal time constant", "heat_time"),
    ("Thermal resistance, K/W", "heat_resistance"),
)
_DRIVEN = (("Driven by", "driven_by"), ("Crank radius or arm", "input_arm"))
_USE = (
    ("Expected load", "expected_load"),
    ("Back-driving", "holding"),
    ("Maximum shaft speed", "fastest"),
    ("Lubricant", "lubricant"),
    ("Part temperature", "works_at"),
    ("Winding limit", "winding_limit"),
    ("Magnet limit", "magnet_limit"),
    ("Interlayer strength", "across_layers"),
    ("Fuse part", "fuse"),
    ("Wind-up stiffness", "windup"),
    ("Mass", "mass"),
    ("Time to make", "making_time"),
)
_NOTES = (
    ("Family", "family"),
    ("Revision", "revision"),
    ("Title", "title"),
    ("Notes", "notes"),
    ("Currency", "currency"),
)
_OF_THE_MATERIAL = ("material", "friction", "loss", "drag")


def _is_material(field: str) -> bool:
    return field.endswith(_OF_THE_MATERIAL)


class BuildFields(QWidget):
    """`stage_wanted`: another stage was chosen in the list of them."""

    stage_wanted = pyqtSignal(int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._shown: tuple[int, str] | None = None
        self._motor_shown: bool | None = None  # whether the fields are a motor's
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        panel, column = sheet(margins=10)
        outer.addWidget(panel)
        head = QHBoxLayout()
        head.setSpacing(6)
        self.stage = narrow(Choice())
        self.stage.setMinimumContentsLength(8)
        self.stage.setAccessibleName("Stage shown")
        self.stage.setToolTip(tip("The stage whose fields are shown"))
        self.stage.activated.connect(self.stage_wanted)
        self.search = QLineEdit()
        self.search.setPlaceholderText("find a field")
        self.search.setAccessibleName("Find a field")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._sift)
        self.search.returnPressed.connect(self._to_first)
        head.addWidget(self.stage, 3)
        head.addWidget(self.search, 2)
        column.addLayout(head)
        self.pane = Column()
        inner = QWidget()
        inner.setObjectName("plain")
        rows = QVBoxLayout(inner)
        rows.setContentsMargins(0, 4, 0, 0)
        rows.setSpacing(6)
        self.groups = {
            id: Group(title, f"build/{id}", make, desk.settings, opened=opened)
            for id, title, make, opened in (
                ("teeth", "Teeth and sizes", self._teeth, True),
                ("material", "Material, friction", self._material, True),
                ("joints", "Joints", self._joints, False),
                ("motor", "Motor, measured without gearbox", self._motor, False),
                ("use", "Use", self._use, False),
                ("notes", "Notes", self._notes, False),
            )
        }
        for group in self.groups.values():
            rows.addWidget(group)
        rows.addStretch(1)
        self.pane.setWidget(inner)
        column.addWidget(self.pane, 1)
        # the tab order is set when nothing more is made
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._order)
        desk.build_changed.connect(self._soon.start)
        desk.build_changed.connect(self._other_drive)

    def _other_drive(self) -> None:
        """A motor has other fields than a hand."""
        if self._motor_shown is not None and self._motor_shown != self._in_hand().has_motor:
            self.groups["motor"].renew()
            self._soon.start()

    def _order(self) -> None:
        in_order(self)

    # --- what is in the groups --------------------------------------------------------------------

    def _stage_form(self, material: bool) -> Form:
        n = self._shown[0] if self._shown else 0
        stage = self._in_hand().stages[n]
        return Form(
            self.desk,
            "build",
            [
                (label, ("stages", n, field))
                for label, field in stage.FIELDS
                if _is_material(field) == material
            ],
        )

    def _teeth(self) -> Form:
        return self._stage_form(material=False)

    def _material(self) -> Form:
        return self._stage_form(material=True)

    def _joints(self) -> JointForm:
        return JointForm(self.desk, self._shown[0] if self._shown else 0, 0)

    def _motor(self) -> Form:
        own = self._in_hand().has_motor
        self._motor_shown = own
        rows: list[tuple[str, Path]] = [(label, (field,)) for label, field in _DRIVEN]
        readings: list[tuple[str, Path]] = [(label, ("motor", field)) for label, field in _MOTOR]
        return Form(self.desk, "build", rows[:1] + readings if own else rows)

    def _use(self) -> Form:
        return Form(self.desk, "build", [(label, (field,)) for label, field in _USE])

    def _notes(self) -> Form:
        return Form(self.desk, "build", [(label, (field,)) for label, field in _NOTES])

    def _in_hand(self) -> Build:
        build = self.desk.in_hand("build")
        assert isinstance(build, Build)
        return build

    # --- showing ----------------------------------------------------------------------------------

    def show_stage(self, n: int) -> None:
        """The fields of stage n, of the build as it is with an edit that waits."""
        stages = self._in_hand().stages
        texts = [f"{k}  {stage.in_words()}" for k, stage in enumerate(stages, start=1)]
        if [self.stage.itemText(i) for i in range(self.stage.count())] != texts:
            self.stage.clear()
            self.stage.addItems(texts)
        self.stage.setCurrentIndex(n)
        if self._shown == (n, stages[n].kind):
            return
        self._shown = (n, stages[n].kind)
        for id in ("teeth", "material", "joints"):
            self.groups[id].renew()
        if self.search.text():
            self._sift(self.search.text())
        self._soon.start()

    def _sift(self, text: str) -> None:
        words = text.strip().casefold()
        for group in self.groups.values():
            group.sift(words) if words else group.show_as_left()
        self._soon.start()

    def _to_first(self) -> None:
        """Enter in the box: to the first field that it found."""
        for group in self.groups.values():
            for form in group.forms() if not group.isHidden() else ():
                if form.isVisible() and (first := form.first()) is not None:
                    self.reveal(first)
                    return

    def group_of(self, path: Path) -> Group:
        """The group in which a field is."""
        if path[0] == "stages":
            field = str(path[2])
            if field.endswith("joint"):
                return self.groups["joints"]
            return self.groups["material" if _is_material(field) else "teeth"]
        if path[0] == "motor" or any(path[0] == field for _, field in _DRIVEN):
            return self.groups["motor"]
        return self.groups["use" if any(path[0] == field for _, field in _USE) else "notes"]

    def field(self, path: Path) -> QWidget | None:
        """The entry of a field, made and laid open, its stage shown; None where there is no such
        field.
        """
        if path[0] == "stages" and (self._shown is None or self._shown[0] != path[1]):
            self.stage_wanted.emit(int(path[1]))
        group = self.group_of(path)
        if self.search.text():
            self.search.clear()
        if not group.opened:
            group.open()
        return next((f.fields[path] for f in group.forms() if path in f.fields), None)

    def to_top(self) -> None:
        """Shows the stage's fields first."""
        bar = self.pane.verticalScrollBar()
        if bar is not None:
            bar.setValue(0)

    def reveal(self, entry: QWidget) -> None:
        """Gives an entry the keyboard, where it is seen."""
        self.pane.reveal(entry)
        entry.setFocus()
