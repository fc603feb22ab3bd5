"""Sizes and mass of the part: typed in a table, rows of the looks before ready to be filled."""

from __future__ import annotations

import re

from PyQt6.QtWidgets import QHeaderView, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.quantity import QuantityError
from sparring.core.records import RecordError, problems
from sparring.core.wear.inspection import Inspection, Size, Weighing
from sparring.ui.model.desk import Desk
from sparring.ui.pages.wear.cursor import Cursor
from sparring.ui.pages.wear.rates import plus_minus
from sparring.ui.widgets.parts import Table, heading, note
from sparring.ui.widgets.text_table import TextTable

_HEAD = ("size", "over teeth, or pin", "readings", "±", "part not run")
_MASS = "mass"


class SizesPanel(QWidget):
    """A row a size: what, over how many teeth or which pin, readings parted by spaces."""

    def __init__(self, desk: Desk, cursor: Cursor) -> None:
        super().__init__()
        self.desk, self.caret = desk, cursor
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        column.addWidget(
            note(
                "Span, over pins, chordal thickness, mass, tip diameter, bore, flat, hex across "
                "flats, ring roundness, belt length, face width; several readings parted by "
                "spaces, in mm or g unless a unit is given."
            )
        )
        self.table = TextTable(_HEAD, "Sizes of this part")
        head = self.table.horizontalHeader()
        assert head is not None
        for n in (0, 1, 3):  # what is left goes to the readings
            head.setSectionResizeMode(n, QHeaderView.ResizeMode.ResizeToContents)
        self.table.typed.connect(self._typed)
        column.addWidget(self.table, 2)
        self.wrong = note("")
        self.wrong.setObjectName("care")
        self.wrong.hide()
        column.addWidget(self.wrong)
        column.addWidget(heading("What each tells"))
        self.ways = Table(["by", "lost, µm, off each flank"], "What each size tells")
        column.addWidget(self.ways, 1)
        self._shown: tuple[int, str, list[list[str]]] | None = None  # look, part, rows

    def refresh(self) -> None:
        look, part = self.desk.look, self.caret.part
        rows = self._rows(look, part.name) if look is not None and part is not None else []
        shown = (self.desk.look_id, part.name if part is not None else "", rows)
        if shown != self._shown:  # else a row that is being typed would go
            self._shown = shown
            self.table.fill(rows)
            self.wrong.hide()
        self.table.setEnabled(look is not None)
        wear = self.desk.wear
        told = []
        for f in wear.flanks if wear is not None else ():
            for w in f.ways:
                if part is not None and w.of == part.name:
                    depth, half = w.depth.value, 2 * w.depth.u
                    told.append([w.by, plus_minus(depth * 1e6, half * 1e6)])
        self.ways.fill([list(x) for x in dict.fromkeys(map(tuple, told))])

    def _rows(self, look: Inspection, part: str) -> list[list[str]]:
        rows = [_row(s) for s in _all(look) if s.part == part]
        known = {tuple(r[:2]) for r in rows}
        for _, other in self.desk.looks:  # what was measured before is asked for again
            for s in _all(other):
                row = _row(s)
                if s.part == part and tuple(row[:2]) not in known:
                    known.add(tuple(row[:2]))
                    rows.append([row[0], row[1], "", row[3], ""])
        return rows

    def _typed(self) -> None:
        look, part = self.desk.look, self.caret.part
        if look is None or part is None:
            return
        sizes = [s for s in look.sizes if s.part != part.name]
        weighings = [w for w in look.weighings if w.part != part.name]
        try:
            for n, row in enumerate(self.table.rows(), start=1):
                if len(row) < 3 or not row[2]:
                    continue
                made = _read(part.name, row, n)
                if isinstance(made, Weighing):
                    weighings.append(made)
                else:
                    sizes.append(made)
        except (RecordError, QuantityError) as err:
            self.wrong.setText(str(err))
            self.wrong.show()
            return
        self.wrong.hide()
        after = look.model_copy(update={"sizes": tuple(sizes), "weighings": tuple(weighings)})
        mine = [s for s in _all(after) if s.part == part.name]
        if mine != [s for s in _all(look) if s.part == part.name]:
            self._shown = (self.desk.look_id, part.name, self._rows(after, part.name))
            self.desk.edit_whole_look(after, f"sizes of {part.name}")


def _all(look: Inspection) -> list[Size | Weighing]:
    return [*look.sizes, *look.weighings]


def _row(s: Size | Weighing) -> list[str]:
    if isinstance(s, Weighing):
        return [
            _MASS,
            "",
            _told(s.readings, "mass", "g"),
            _one(s.accuracy, "mass", "g"),
            _told(s.control, "mass", "g"),
        ]
    over = str(s.over) if s.over is not None else _one(s.pin, "length", "mm") if s.pin else ""
    return [
        s.kind,
        over,
        _told(s.readings, "length", "mm"),
        _one(s.accuracy, "length", "mm"),
        _told(s.control, "length", "mm"),
    ]


def _one(x: float, kind: str, unit: str) -> str:
    return f"{quantity.from_si(x, unit, kind):.6g} {unit}"


def _told(readings: tuple[float, ...], kind: str, unit: str) -> str:
    if not readings:
        return ""
    return " ".join(f"{quantity.from_si(x, unit, kind):.6g}" for x in readings) + f" {unit}"


def _read(part: str, row: list[str], n: int) -> Size | Weighing:
    """A row of the table. Raises RecordError or QuantityError: which row, and what to do."""
    from pydantic import ValidationError

    what, about, readings, accuracy, control = (*row, *[""] * 5)[:5]
    kind, unit = ("mass", "g") if what.lower() == _MASS else ("length", "mm")
    fields: dict[str, object] = {"part": part, "readings": _readings(readings, kind, unit, n)}
    if accuracy:
        fields["accuracy"] = _readings(accuracy, kind, unit, n)[0]
    if control:
        fields["control"] = _readings(control, kind, unit, n)
    try:
        if kind == "mass":
            return Weighing.model_validate(fields)
        fields["kind"] = what.lower()
        if what.lower() == "over pins":
            fields["pin"] = _readings(about, kind, unit, n)[0] if about else None
        elif about:
            fields["over"] = int(about) if about.isdigit() else about
        return Size.model_validate(fields)
    except ValidationError as err:
        raise RecordError(problems(err, f"row {n}")) from err


def _readings(text: str, kind: str, unit: str, n: int) -> tuple[float, ...]:
    found = re.fullmatch(r"([\d.,\s;]+)\s*([^\d\s.,;].*)?", text.strip())
    if found is None:
        raise QuantityError(f"row {n}: “{text}” is no reading; write numbers parted by spaces")
    used = (found[2] or unit).strip()
    numbers = [x for x in re.split(r"[\s;]+", found[1].strip()) if x]
    try:
        return tuple(quantity.to_si(float(x.replace(",", ".")), used, kind) for x in numbers)
    except ValueError as err:
        raise QuantityError(f"row {n}: {err}") from err
