"""Forms over records: a label and the right field for each, kept in step with the desk."""

from __future__ import annotations

import typing
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QSpinBox, QWidget

from sparring.core.instruments.meters import as_data_sheet, of_data_sheet
from sparring.core.quantity import Measured
from sparring.core.records import Q, Record, annotation, changed, in_words
from sparring.core.train import materials
from sparring.core.train.kinds.shift import ShiftPairs, pairs_from_text
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.choice import Choice, Count
from sparring.ui.widgets.plain import Label, tip
from sparring.ui.widgets.quantity_field import QuantityField

Path = tuple[str | int, ...]


def value_at(record: Record, path: Path) -> Any:
    node: Any = record
    for part in path:
        node = getattr(node, part) if isinstance(part, str) else node[part]
    return node


def named(label: str, path: Path) -> str:
    """A field as the menu names an edit of it: `module of stage 1`."""
    text = label.strip()
    text = text[0].lower() + text[1:]
    if path[0] == "stages":
        joint = (
            {"input_joint": " of the input joint", "output_joint": " of the output joint"}.get(
                str(path[2]), ""
            )
            if len(path) > 3
            else ""
        )
        return f"{text}{joint} of stage {int(path[1]) + 1}"
    return f"{text} of the motor" if path[0] == "motor" else text


def whole_number(label: str, owner: Record, name: str) -> QSpinBox:
    """A field for a count; 0 is shown as not known where the record allows it. What is out of range
    is refused by the record.
    """
    spin = Count()
    spin.setAccessibleName(label)
    least = min(
        (m.ge for m in type(owner).model_fields[name].metadata if hasattr(m, "ge")), default=1
    )
    spin.setRange(0 if least == 0 else 1, 1_000_000)
    if least == 0:
        spin.setSpecialValueText("not known")
    spin.setAlignment(Qt.AlignmentFlag.AlignRight)
    spin.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
    return spin


class Form(QWidget):
    """Rows of (label, path) of one record of the desk: 'build', 'rig', 'plan', 'duty'."""

    def __init__(
        self,
        desk: Desk,
        what: str,
        rows: list[tuple[str, Path]],
        *,
        units: dict[Path, str] | None = None,
        across: bool = False,
        parent: QWidget | None = None,
    ) -> None:
        """across: beside one another, each under its label."""
        super().__init__(parent)
        self.desk, self.what, self._units = desk, what, units or {}
        self.fields: dict[Path, QWidget] = {}
        self._refresh: list[Callable[[], None]] = []
        self._owners = [
            (path[:-1], type(value_at(getattr(desk, what), path[:-1]))) for _, path in rows
        ]
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6 if across else 10)
        grid.setVerticalSpacing(3)
        self._labels: dict[Path, Label] = {}
        for n, (label, path) in enumerate(rows):
            text = Label(label)
            field = self._field(label, path)
            text.setBuddy(field)
            grid.addWidget(text, *((0, n) if across else (n, 0)))
            grid.addWidget(field, *((1, n) if across else (n, 1)))
            self.fields[path], self._labels[path] = field, text
        if not across:
            grid.setColumnStretch(1, 1)
        {
            "build": desk.build_changed,
            "rig": desk.rig_changed,
            "plan": desk.plan_changed,
            "campaign": desk.campaign_changed,
            "duty": desk.duty_changed,
        }[what].connect(self.refresh)
        desk.units_changed.connect(self.refresh)
        self.refresh()

    def label_width(self) -> int:
        """Width of its widest label."""
        return max((w.sizeHint().width() for w in self.findChildren(Label)), default=0)

    def align(self, width: int) -> None:
        """Gives the labels' column the width of another form's."""
        grid = self.layout()
        if isinstance(grid, QGridLayout):
            grid.setColumnMinimumWidth(0, width)

    def sift(self, words: str) -> int:
        """Shows only the rows whose label holds the words, in small letters; how many."""
        found = 0
        for path, label in self._labels.items():
            here = words in label.text().casefold()
            label.setVisible(here)
            self.fields[path].setVisible(here)
            found += here
        return found

    def first(self) -> QWidget | None:
        """The first field that is shown."""
        return next((f for f in self.fields.values() if not f.isHidden()), None)

    def refresh(self) -> None:
        """Shows the record again; not where another kind of thing has come in its place, whose form
        is still to be made.
        """
        try:
            if any(type(value_at(self._record(), path)) is not kind for path, kind in self._owners):
                return
        except (IndexError, AttributeError):
            return
        for update in self._refresh:
            update()

    def _record(self) -> Record:
        return self.desk.in_hand(self.what)

    def _field(self, label: str, path: Path) -> QWidget:
        bare, info, optional = annotation(self._record(), path)

        def commit(value: Any) -> str | None:
            return self.desk.edit(self.what, path, value, named(label, path))

        def current() -> Any:
            try:
                return value_at(self._record(), path)
            except (IndexError, AttributeError):
                return None

        if len(path) == 2 and path[0] == "sensors" and str(path[1]).endswith("_accuracy"):
            return self._data_sheet(label, path, current)
        if info is not None:
            unit = self._units.get(path)
            field = QuantityField(
                info,
                unit or info.file_unit,
                commit,
                optional=optional,
                measured=bare is Measured,
                name=label,
            )
            self._refresh.append(lambda: field.set_value(current(), unit or self._unit(info)))
            return field
        if typing.get_origin(bare) is typing.Literal:
            choice = narrow(Choice())
            choice.setAccessibleName(label)
            values = typing.get_args(bare)
            choice.addItems([in_words(str(v)) for v in values])

            def take_choice(i: int) -> None:
                if reason := commit(values[i]):
                    self.desk.said.emit(reason.split(": ", 1)[-1])
                    choice.setCurrentText(in_words(str(current())))

            choice.activated.connect(take_choice)
            self._refresh.append(lambda: choice.setCurrentText(in_words(str(current()))))
            return choice
        if bare is int:
            spin = whole_number(label, value_at(self._record(), path[:-1]), str(path[-1]))

            def take() -> None:
                if (
                    spin.value() != current()
                    and current() is not None
                    and (reason := commit(spin.value()))
                ):
                    spin.setValue(current())
                    self.desk.said.emit(reason)

            spin.editingFinished.connect(take)
            self._refresh.append(lambda: spin.setValue(current() or 0))
            return spin
        if bare is float:
            plain = QuantityField(Q("ratio", ""), "", commit, measured=False, name=label)
            self._refresh.append(lambda: plain.set_value(current(), ""))
            return plain
        if str(path[-1]).endswith("material") or path[-1] == "shaft":
            return self._material(label, commit, current)
        if bare == ShiftPairs:
            return self._pairs(label, commit, current)
        line = QLineEdit()
        line.setAccessibleName(label)

        def take_text() -> None:
            if line.isModified() and (reason := commit(line.text())):
                self.desk.said.emit(reason.split(": ", 1)[-1])
            line.setModified(False)

        line.editingFinished.connect(take_text)
        self._refresh.append(
            lambda: None if line.isModified() else line.setText(str(current() or ""))
        )
        return line

    def _material(
        self, label: str, commit: Callable[[Any], str | None], current: Callable[[], Any]
    ) -> QWidget:
        """A name from the table, from the build's own materials, or another one."""
        choice = narrow(Choice())
        choice.setEditable(True)
        choice.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        choice.setAccessibleName(label)

        def fill() -> None:
            names = [
                *(m.name for m in self.desk.build.materials),
                *(m.name for m in materials.TABLE),
            ]
            if [choice.itemText(i) for i in range(choice.count())] != names:
                choice.clear()
                choice.addItems(names)
            choice.setCurrentText(str(current() or ""))

        def take() -> None:
            if choice.currentText().strip() != str(current() or ""):
                commit(choice.currentText().strip())

        choice.activated.connect(lambda _i: take())
        line = choice.lineEdit()
        if line is not None:
            line.setPlaceholderText("same as the other gear")
            line.editingFinished.connect(take)
        self._refresh.append(fill)
        return choice

    def _data_sheet(self, label: str, path: Path, current: Callable[[], Any]) -> QWidget:
        """What a data sheet promises of an instrument, gain and zero in one line."""
        line = QLineEdit()
        line.setAccessibleName(label)
        line.setAlignment(Qt.AlignmentFlag.AlignRight)
        zero_of = str(path[-1]).replace("_accuracy", "_zero")
        info = annotation(self._record(), (*path[:-1], zero_of))[1]
        assert info is not None
        kind = info.kind
        line.setToolTip(
            tip("As in the data sheet: 0.5 %, 0.5 % + 0.03 V, 0.5 % + 3 counts of 0.01 V")
        )

        def take() -> None:
            if not line.isModified():
                return
            sensors = value_at(self._record(), path[:-1])
            try:
                gain, zero = of_data_sheet(line.text(), kind, self._unit(info))
                made = changed(changed(sensors, path[-1:], gain), (zero_of,), zero)
                reason = self.desk.edit(self.what, path[:-1], made, named(label, path))
            except ValueError as err:
                reason = str(err)
            if reason:
                self.desk.said.emit(reason)
            line.setModified(False)
            show()

        def show() -> None:
            if line.isModified() or current() is None:
                return
            zero = value_at(self._record(), (*path[:-1], zero_of))
            line.setText(as_data_sheet(current(), zero, kind, self._unit(info)))
            line.setCursorPosition(0)

        line.editingFinished.connect(take)
        self._refresh.append(show)
        return line

    def _pairs(
        self, label: str, commit: Callable[[Any], str | None], current: Callable[[], Any]
    ) -> QWidget:
        """The speeds of a shift stage as text: 14/42 24/32."""
        line = QLineEdit()
        line.setAccessibleName(label + ", each as pinion/wheel")

        def take() -> None:
            if not line.isModified():
                return
            try:
                reason = commit(pairs_from_text(line.text(), current() or ()))
            except ValueError as err:
                reason = str(err)
            if reason:
                self.desk.said.emit(reason)
            line.setModified(False)

        line.editingFinished.connect(take)
        self._refresh.append(
            lambda: (
                None
                if line.isModified()
                else line.setText(" ".join(f"{p.pinion}/{p.wheel}" for p in current() or ()))
            )
        )
        return line

    def _unit(self, info: Q) -> str:
        """The tester's unit; small things keep the unit that fits them (mm, mN·m) while it is
        metric.
        """
        chosen = self.desk.units[info.kind]
        from sparring.core.quantity import kind_of

        return (
            info.file_unit
            if info.kind == "ratio" or chosen == kind_of(info.kind).default
            else chosen
        )


def narrow(choice: QComboBox) -> QComboBox:
    """A choice that does not claim the width of its longest entry."""
    choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    choice.setMinimumContentsLength(11)
    return choice
