"""The data sheet beside what this unit, and others of its family, measured."""

from __future__ import annotations

from sparring.core.reduce.against_sheet import Compared, compare
from sparring.core.reduce.results import TestResult
from sparring.exchange.deriving import family_of
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.parts import Table


class SheetTable(Table):
    """A row a figure at a voltage; a column for the statement, and two for each unit."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(["figure", "data sheet"], "Data sheet and measured", 1)
        self.desk = desk
        self._others: list[tuple[str, TestResult]] = []
        self._known: tuple[object, ...] = ()

    def refresh(self) -> bool:
        """Shows the result in hand; whether there is a data sheet at all."""
        d = self.desk
        if not d.build.data_sheet or d.result is None or d.book is None:
            return False
        wanted = (d.book, d.test_id, len(d.runs))
        if wanted != self._known:
            self._known, self._others = wanted, []
            book, build_id = d.book, d.build_id

            def found(others: list[tuple[str, TestResult]]) -> None:
                if wanted == self._known:
                    self._others = others
                    self._fill()

            background.run(
                lambda: family_of(book, build_id), found, lambda err: d.said.emit(str(err))
            )
        self._fill()
        return True

    def _fill(self) -> None:
        d = self.desk
        if d.result is None:
            return
        units = [(d.build.name, d.result), *self._others]
        rows = compare(d.build.data_sheet, d.build.sheet_tolerance, [r for _, r in units])
        heads = [text for name, _ in units for text in (name, "")]
        if self.columnCount() != 2 + len(heads):
            self.setColumnCount(2 + len(heads))
        self.head([f"within ±{100 * d.build.sheet_tolerance:.3g} %", "data sheet", *heads])
        self.fill([self._row(x) for x in rows])

    def _row(self, x: Compared) -> list[str]:
        d = self.desk
        volts = f"{x.name}, {x.voltage:.4g} V"
        stated = "–" if x.stated is None else d.three(x.stated, x.kind)
        cells = [
            text
            for m, holds in zip(x.measured, x.holds, strict=True)
            for text in ("–" if m is None else d.show(m, x.kind), holds or "")
        ]
        return [volts, stated, *cells]
