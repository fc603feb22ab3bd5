"""The devices of the bench: which there are, what each sends and is told, and by how much it is
late.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sparring.bench.devices.connecting import check_columns
from sparring.bench.devices.joined import Joined
from sparring.core import quantity
from sparring.core.instruments.devices import SUPPLY, Device, DeviceSet
from sparring.core.records import RecordError
from sparring.core.together import Lag
from sparring.files import record_files
from sparring.ui.app.devices.by_example import ByExample
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import heading, note, press
from sparring.ui.widgets.plain import Label
from sparring.ui.widgets.text_table import TextTable

_BAUD = ("9600", "57600", "115200", "230400", "921600")
_KEPT = "devices"  # setting of the logbook


class DevicesDialog(QDialog):
    """Lays out a `DeviceSet`. Accepted: it is to be connected."""

    def __init__(self, desk: Desk, session: BenchSession, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk, self.session = desk, session
        self.setWindowTitle("Devices on the bench")
        self.resize(860, 680)
        self._filling = False
        self.devices: list[Device] = list(_kept(desk).devices)
        column = QVBoxLayout(self)
        column.addWidget(
            note(
                "The first board gives the clock and takes the commands; an instrument takes those"
                " for which it has a template. All of them are recorded as one bench."
            )
        )
        row = QHBoxLayout()
        row.addLayout(self._list())
        row.addWidget(self._fields(), 1)
        column.addLayout(row, 1)
        self.said = Label()
        self.said.setObjectName("wrong")
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        column.addLayout(self._buttons())
        self._show_list(0)
        self.address.setFocus()

    # --- its parts --------------------------------------------------------------------------------

    def _list(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self.list = QListWidget()
        self.list.setAccessibleName("Devices")
        self.list.setFixedWidth(190)
        self.list.currentRowChanged.connect(self._show)
        column.addWidget(self.list, 1)
        press(
            column,
            ("Add a board", lambda: self._add(Device.ours(name="Board"))),
            ("Add an instrument", lambda: self._add(SUPPLY)),
            ("Remove", self._remove),
        )
        return column

    def _fields(self) -> QWidget:
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        form = QFormLayout()
        self.name, self.columns, self.delay = QLineEdit(), QLineEdit(), QLineEdit()
        self.begin, self.rate = QLineEdit(), QLineEdit()
        self.address, self.baud, self.speaks = Choice(), Choice(), Choice()
        self.address.setEditable(True)
        self.address.addItems(_ports())
        self.baud.setEditable(True)
        self.baud.addItems(_BAUD)
        self.speaks.addItem("Board: sends lines by itself", "lines")
        self.speaks.addItem("Instrument: answers to text", "text")
        self.speaks.activated.connect(lambda _n: self._turn())
        for label, field in (
            ("Name", self.name),
            ("Port, or tcp://host:port", self.address),
            ("Speed, baud", self.baud),
            ("Kind", self.speaks),
            ("Late by", self.delay),
            ("Sent at first", self.begin),
            ("Readings a second", self.rate),
        ):
            field.setAccessibleName(label)
            form.addRow(label, field)
        self.form = form
        column.addLayout(form)
        self.kinds = QStackedWidget()
        self.kinds.addWidget(self._of_board())
        self.kinds.addWidget(self._of_instrument())
        column.addWidget(self.kinds, 1)
        return whole

    def _of_board(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 6, 0, 0)
        column.addWidget(heading("Columns"))
        row = QHBoxLayout()
        self.columns.setAccessibleName("Columns of the board")
        self.columns.setPlaceholderText("as the board says itself")
        row.addWidget(self.columns, 1)
        self.example = QPushButton("By example …")
        self.example.setAutoDefault(False)
        self.example.clicked.connect(self._by_example)
        row.addWidget(self.example)
        column.addLayout(row)
        column.addWidget(
            note(
                "A board that prints bare numbers does not say what they are: write name/unit for"
                " each, left to right, x for what is not used; or find them by example. Its runs"
                " are started and ended by hand, unless an instrument drives."
            )
        )
        column.addStretch(1)
        return page

    def _of_instrument(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 6, 0, 0)
        column.addWidget(heading("What is sent for a command"))
        self.templates = TextTable(
            ("command", "text", "asked after it", "answer wanted"), "Templates"
        )
        column.addWidget(self.templates, 3)
        column.addWidget(heading("What is asked again and again"))
        self.queries = TextTable(("question", "channel", "unit"), "Questions")
        column.addWidget(self.queries, 2)
        column.addWidget(
            note(
                "Commands: drive, up, down, stop, hang, resistor, for, tare; {value:.3f} stands for"
                " the figure. Without a wanted answer it has to be that figure."
            )
        )
        return page

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        press(
            row, ("Open …", self._open), ("Save …", self._save), ("How late is each?", self._late)
        )
        row.addStretch(1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        go = buttons.addButton("Connect", QDialogButtonBox.ButtonRole.AcceptRole)
        if go:
            go.setObjectName("act")
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)
        row.addWidget(buttons)
        return row

    # --- the device in hand -----------------------------------------------------------------------

    def _show_list(self, row: int) -> None:
        self._filling = True
        self.list.clear()
        self.list.addItems([d.name for d in self.devices])
        self._filling = False
        self._at = -1
        self.list.setCurrentRow(row)

    def _show(self, row: int) -> None:
        """Shows a device, after what was typed of the one before it has been taken."""
        if self._filling or row < 0:
            return
        if 0 <= self._at < len(self.devices) and not self._take():
            self._filling = True
            self.list.setCurrentRow(self._at)
            self._filling = False
            return
        self._at = row
        d = self.devices[row]
        self.name.setText(d.name)
        self.address.setEditText(d.address)
        self.baud.setEditText(str(d.baud))
        self.speaks.setCurrentIndex(self.speaks.findData(d.speaks))
        self.delay.setText(quantity.text(d.delay, "time", "ms"))
        self.columns.setText(d.columns)
        self.begin.setText(d.begin)
        self.rate.setText(f"{d.rate:g}")
        self.templates.fill([[t.word, t.send, t.check, t.answer] for t in d.templates])
        self.queries.fill([[q.ask, q.channel, q.unit] for q in d.queries])
        self._turn()

    def _turn(self) -> None:
        self.kinds.setCurrentIndex(self.speaks.currentIndex())
        for field in (self.begin, self.rate):
            self.form.setRowVisible(field, self.speaks.currentData() == "text")
        self.baud.setEnabled("://" not in self.address.currentText())

    def _take(self) -> bool:
        """Takes what was typed; whether it holds together. What does not is said."""
        typed: dict[str, Any] = {
            "name": self.name.text().strip(),
            "address": self.address.currentText().strip(),
            "speaks": self.speaks.currentData(),
            "delay": self.delay.text(),
        }
        try:
            typed["baud"] = _number(self.baud.currentText(), "Speed", int)
            if typed["speaks"] == "lines":
                typed["columns"] = self.columns.text().strip()
            else:
                typed["begin"] = self.begin.text().strip()
                typed["rate"] = _number(self.rate.text(), "Readings a second", float)
                typed["templates"] = [
                    dict(zip(("word", "send", "check", "answer"), row, strict=True))
                    for row in self.templates.rows()
                ]
                typed["queries"] = [
                    dict(zip(("ask", "channel", "unit"), row, strict=True))
                    for row in self.queries.rows()
                ]
            made = _checked(typed)
            check_columns(made)
        except (RecordError, ValueError) as err:
            self.said.setText(str(err))
            return False
        self.said.setText("")
        self.devices[self._at] = made
        item = self.list.item(self._at)
        if item is not None:
            item.setText(made.name)
        return True

    def _add(self, device: Device) -> None:
        if not self._take():
            return
        names = {d.name for d in self.devices}
        name = next(
            n for k in range(1, 99) if (n := device.name + (f" {k}" if k > 1 else "")) not in names
        )
        self.devices.append(device.model_copy(update={"name": name}))
        self._show_list(len(self.devices) - 1)

    def _remove(self) -> None:
        if len(self.devices) == 1:
            self.said.setText("A bench has one device at least.")
            return
        del self.devices[self._at]
        self._show_list(max(self._at - 1, 0))

    def _by_example(self) -> None:
        if self.session.link is not None:
            self.said.setText("Disconnect the bench first: its port is in use.")
            return
        if not self._take():
            return
        d = self.devices[self._at]
        dialog = ByExample(d.address, d.baud, d.columns, self)
        dialog.accepted.connect(lambda: self.columns.setText(dialog.columns))
        dialog.open()
        self.asked = dialog

    # --- files, connecting ------------------------------------------------------------------------

    def set_of(self) -> DeviceSet | None:
        """All devices; None where they do not hold together, with the reason said."""
        if not self._take():
            return None
        try:
            return DeviceSet.from_json(DeviceSet.ours(devices=tuple(self.devices)).to_json())
        except RecordError as err:
            self.said.setText(str(err))
            return None

    def _accept(self) -> None:
        if (made := self.set_of()) is not None:
            if self.desk.book:
                self.desk.book.set_setting(_KEPT, made.to_json())
            self.accept()

    def _open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open devices", "", "Devices (*.json)")
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """The devices of a file."""
        try:
            self.devices = list(record_files.load(path, DeviceSet).devices)
        except RecordError as err:
            self.said.setText(str(err))
            return
        self._show_list(0)

    def _save(self) -> None:
        if (made := self.set_of()) is None:
            return
        name, _ = QFileDialog.getSaveFileName(self, "Save devices", "devices.json", "*.json")
        if name:
            try:
                record_files.save(Path(name), made)
            except RecordError as err:
                self.said.setText(str(err))

    def _late(self) -> None:
        """Works out how late each device is, of those that are connected."""
        link = self.session.link
        if not isinstance(link, Joined):
            self.said.setText(
                "Connect several devices, let the drive start and stop a few times, and ask again."
            )
            return
        self.said.setText("Working it out …")
        background.run(link.lags, self._lags, lambda err: self.said.setText(str(err)))

    def _lags(self, found: dict[str, Lag]) -> None:
        if not found:
            self.said.setText(
                "Nothing to tell it by in the last minute: let the drive start and stop a few"
                " times, and ask again."
            )
            return
        texts = []
        for n, d in enumerate(self.devices):
            if (g := found.get(d.name)) is not None:
                late = d.delay + g.seconds  # beside what is taken off already
                ms = quantity.show(late, "time", "ms", u=g.u)
                texts.append(f"{d.name}: {ms} late, {g.of[1]} against {g.of[0]}")
                self.devices[n] = d.model_copy(update={"delay": round(late, 4)})
        self._at = -1
        self._show_list(max(self.list.currentRow(), 0))
        self.said.setText("; ".join(texts) + ". Entered; it counts from the next connection.")


def _kept(desk: Desk) -> DeviceSet:
    """What was connected last, with this logbook."""
    text = desk.book.setting(_KEPT) if desk.book else None
    first = DeviceSet.ours(devices=(Device.ours(address=next(iter(_ports()), "/dev/ttyUSB0")),))
    try:
        return DeviceSet.from_json(str(text)) if text else first
    except RecordError:
        return first


def _ports() -> list[str]:
    from serial.tools import list_ports

    return [p.device for p in list_ports.comports()]


def _checked(typed: dict[str, Any]) -> Device:
    from pydantic import ValidationError

    from sparring.core.records import problems

    try:
        return Device.model_validate(typed)
    except ValidationError as err:
        raise RecordError(problems(err, "")) from err


def _number(text: str, name: str, kind: type[int] | type[float]) -> Any:
    try:
        return kind(text.strip())
    except ValueError:
        raise ValueError(f"{name}: “{text.strip()}” is not a number") from None
