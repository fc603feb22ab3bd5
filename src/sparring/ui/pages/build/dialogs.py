"""Dialogs of the Build page: further motors, own materials, photos, outlines; and what they have in
common.
"""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon, QKeyEvent, QPixmap
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sparring.core.data_sheet import SheetLine
from sparring.core.motor import FurtherMotor
from sparring.core.train import materials
from sparring.core.train.bearings import Bearing
from sparring.exchange.export import ExportError, Part, part_of
from sparring.exchange.exports import exports_of
from sparring.logbook import photos
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.files import ask_where
from sparring.ui.widgets.form import Form
from sparring.ui.widgets.list_editor import ListEditor
from sparring.ui.widgets.parts import Table, heading, note
from sparring.ui.widgets.photo import scaled, show_large
from sparring.ui.widgets.plain import Label

Chosen = tuple[int, str]


class BuildDialog(QDialog):
    """Title, a sentence on what it is for, room for the work, and what came out."""

    def __init__(
        self, desk: Desk, chosen: Chosen, parent: QWidget, title: str, purpose: str
    ) -> None:
        super().__init__(parent)
        self.desk, (self.stage, self.field) = desk, chosen
        self.setWindowTitle(title)
        self.resize(640, 440)
        self.column = QVBoxLayout(self)
        self.column.addWidget(heading(title))
        self.column.addWidget(note(purpose))
        self.result_text = Label()
        self.result_text.setWordWrap(True)
        self.result_text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)

    def finish(self, take: str = "") -> QPushButton | None:
        """The last row: close, and with a text the button that takes the result over."""
        self.column.addWidget(self.result_text)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        act = None
        if take:
            act = buttons.addButton(take, QDialogButtonBox.ButtonRole.AcceptRole)
            if act is not None:
                act.setObjectName("act")
                act.clicked.connect(self.take)
        self.column.addWidget(buttons)
        return act

    def take(self) -> None:
        """Takes the result over into the build."""

    def edit(self, field: str, value: object, text: str) -> None:
        reason = self.desk.edit("build", ("stages", self.stage, field), value, text)
        if reason:
            self.result_text.setText(reason)
        else:
            self.accept()


# --- lists of the build ---------------------------------------------------------------------------


class MotorsDialog(BuildDialog):
    """Further motors on the train's input."""

    def __init__(self, desk: Desk, chosen: Chosen, parent: QWidget) -> None:
        super().__init__(
            desk,
            chosen,
            parent,
            "Additional motors",
            "Motors in addition to the first, each with its readings at the same voltage. "
            "Geared: its revolutions per input shaft revolution. Type in the last row to "
            "add one; Delete removes one.",
        )
        self.resize(760, 320)
        columns = [
            ("name", ("readings", "name")),
            ("geared", ("gearing",)),
            ("voltage", ("readings", "voltage")),
            ("no-load speed", ("readings", "no_load_speed")),
            ("no-load current", ("readings", "no_load_current")),
            ("stall current", ("readings", "stall_current")),
            ("rotor inertia", ("readings", "inertia")),
        ]
        self.list = ListEditor(
            desk,
            ("further_motors",),
            FurtherMotor(readings=desk.build.motor),
            columns=columns,
            name="Additional motors",
        )
        self.column.addWidget(self.list, 1)
        self.finish()


class BearingsDialog(BuildDialog):
    """The rolling bearings whose parts are looked for in the orders."""

    def __init__(self, desk: Desk, chosen: Chosen, parent: QWidget) -> None:
        super().__init__(
            desk,
            chosen,
            parent,
            "Bearings",
            "Rolling bearings whose outer ring stands still: Orders (Results) names what their "
            f"balls, rings and cages do. Shafts: {', '.join(desk.build.shafts())}. Type in the "
            "last row to add one; Delete removes one.",
        )
        self.resize(760, 320)
        columns = [
            ("name", ("name",)),
            ("shaft", ("shaft",)),
            ("balls", ("balls",)),
            ("ball diameter", ("ball_diameter",)),
            ("pitch diameter", ("pitch_diameter",)),
            ("contact angle", ("contact_angle",)),
        ]
        self.list = ListEditor(
            desk, ("bearings",), Bearing.ours(), columns=columns, name="Bearings"
        )
        self.column.addWidget(self.list, 1)
        self.finish()


class DataSheetDialog(BuildDialog):
    """What a bought drive's data sheet says, a line a voltage."""

    def __init__(self, desk: Desk, chosen: Chosen, parent: QWidget) -> None:
        super().__init__(
            desk,
            chosen,
            parent,
            "Data sheet",
            "What the data sheet says of the drive, one row per voltage; what it does not say "
            "stays empty. Results compares it with what was measured. Type in the last row to add "
            "one; Delete removes one.",
        )
        self.resize(860, 320)
        columns = [
            ("voltage", ("voltage",)),
            ("no-load speed", ("free_speed",)),
            ("no-load current", ("free_current",)),
            ("at torque", ("load",)),
            ("speed", ("load_speed",)),
            ("current", ("load_current",)),
            ("stall torque", ("stall_torque",)),
            ("stall current", ("stall_current",)),
        ]
        self.list = ListEditor(
            desk,
            ("data_sheet",),
            SheetLine(voltage=desk.build.motor.voltage.value),
            columns=columns,
            name="Data sheet",
        )
        self.column.addWidget(self.list, 1)
        self.column.addWidget(
            Form(desk, "build", [("Tolerance of the data sheet ±", ("sheet_tolerance",))])
        )
        self.finish()


class MaterialsDialog(BuildDialog):
    """The build's own materials; the table's are shown below."""

    def __init__(self, desk: Desk, chosen: Chosen, parent: QWidget) -> None:
        super().__init__(
            desk,
            chosen,
            parent,
            "Custom materials",
            "A material with the name of a table entry overrides it. Type in the last row "
            "to add one; Delete removes one.",
        )
        self.resize(820, 560)
        template = materials.TABLE[0].model_copy(update={"name": "own", "source": "custom"})
        columns = [
            ("name", ("name",)),
            ("density", ("density",)),
            ("modulus", ("modulus",)),
            ("strength", ("strength",)),
            ("half strength at", ("softens",)),
            ("printed", ("printed",)),
            ("source", ("source",)),
        ]
        self.list = ListEditor(
            desk, ("materials",), template, columns=columns, name="Custom materials"
        )
        self.column.addWidget(self.list, 2)
        self.table = Table(
            ["in the table", "density", "modulus", "strength", "half strength at", "source"],
            "Materials of the table",
            1,
        )
        self.table.fill(
            [
                [
                    m.name,
                    desk.show(m.density, "density"),
                    f"{m.modulus / 1e9:g} GPa",
                    f"{m.strength / 1e6:g} MPa",
                    desk.show(m.softens, "temperature", decimals=0),
                    m.source,
                ]
                for m in materials.TABLE
            ]
        )
        self.column.addWidget(self.table, 3)
        self.finish()


class PhotosDialog(BuildDialog):
    """Photos of the drive, copied into the logbook."""

    def __init__(self, desk: Desk, chosen: Chosen, parent: QWidget) -> None:
        super().__init__(
            desk,
            chosen,
            parent,
            "Photos",
            "Photos are copied into the logbook folder. Delete removes the selected one "
            "from the build; the file remains.",
        )
        self.resize(720, 480)
        self.list = QListWidget()
        self.list.setViewMode(QListWidget.ViewMode.IconMode)
        self.list.setIconSize(QSize(200, 150))
        self.list.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.list.setAccessibleName("Photos of the build")
        self.list.itemActivated.connect(self._large)
        self.column.addWidget(self.list, 1)
        row = QHBoxLayout()
        for text, act in (("Add …", self._add), ("Remove", self._take_off)):
            button = QPushButton(text)
            button.clicked.connect(act)
            row.addWidget(button)
        row.addStretch(1)
        self.column.addLayout(row)
        self.finish()
        desk.build_changed.connect(self.refresh)
        self.refresh()

    @property
    def folder(self) -> Path | None:
        return self.desk.book.folder / photos.FOLDER if self.desk.book else None

    def refresh(self) -> None:
        self.list.clear()
        for name in self.desk.build.photos:
            path = self.folder / name if self.folder else Path(name)
            picture = QPixmap(str(path))
            item = QListWidgetItem(name if not picture.isNull() else f"{name} (missing)")
            if not picture.isNull():
                item.setIcon(QIcon(scaled(picture, 200, 150)))
            self.list.addItem(item)
        if not self.list.count():
            self.result_text.setText("No photo yet. Add one of the open drive.")

    def add(self, path: Path) -> None:
        """Copies a picture into the logbook and puts it on the build."""
        folder = self.folder
        if folder is None:
            self.result_text.setText("Photos are stored in a logbook; open one first.")
            return
        if QPixmap(str(path)).isNull():
            self.result_text.setText(f"{path.name} is not a readable picture; use a JPEG or PNG.")
            return
        of = f"{self.desk.build.family}-r{self.desk.build.revision}"
        try:
            name = photos.keep(folder.parent, path, of)
        except photos.PhotoError as err:
            self.result_text.setText(str(err))
            return
        self.result_text.setText(
            self.desk.edit("build", ("photos",), (*self.desk.build.photos, name), "adding a photo")
            or f"{name} added."
        )

    def _add(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self, "Photos of the drive", "", "Pictures (*.jpg *.jpeg *.png *.webp);;All files (*)"
        )
        for name in names:
            self.add(Path(name))

    def _take_off(self) -> None:
        row = self.list.currentRow()
        kept = self.desk.build.photos
        if 0 <= row < len(kept):
            self.desk.edit("build", ("photos",), kept[:row] + kept[row + 1 :], "removing a photo")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Delete:
            self._take_off()
        else:
            super().keyPressEvent(event)

    def _large(self, item: QListWidgetItem) -> None:
        if self.folder is None:
            return
        name = self.desk.build.photos[self.list.row(item)]
        show_large(self, self.folder / name, item.text())


# --- outlines -------------------------------------------------------------------------------------


def save_outline(desk: Desk, chosen: Chosen, parent: QWidget) -> None:
    """Asks for a file and writes the chosen part's outline into it."""
    build = desk.build
    n, field = min(chosen[0], len(build.stages) - 1), chosen[1]
    part = part_of(build, n, lambda body: body.field == field)
    if part is None:
        desk.said.emit("Select a part in the drawing first.")
        return
    exports = exports_of(Part)
    asked = ask_where(parent, "Outline of the part", exports, part.name + exports[0].suffix)
    if asked is None:
        return
    export, path = asked
    try:
        desk.said.emit(f"Saved {export.save(part, path)}, in millimetres.")
    except ExportError as err:
        desk.said.emit(str(err))
