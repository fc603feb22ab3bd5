"""Inspections of a build, in a logbook."""

from __future__ import annotations

from sparring.core.wear.inspection import Inspection
from sparring.logbook.rows import Rows
from sparring.logbook.tables import InspectionRow


class Inspected(Rows):
    """A logbook's inspections."""

    def inspections(self, build: int) -> list[tuple[int, Inspection]]:
        """Those of a build that count, in the order in which they were begun."""
        row = InspectionRow
        with self._session() as s:
            counts = row.build_id == build, row.struck.is_(False)
            return self._records(s, row, Inspection, row.id, where=counts)

    def save_inspection(self, build: int, inspection: Inspection, key: int = 0) -> int:
        """Keeps it, as a new one where it has no number yet; its number."""
        with self._session() as s:
            if key:
                row = self._row(s, InspectionRow, key)
                row.record, row.struck = inspection.to_json(), False
                return key
            row = InspectionRow(build_id=build, record=inspection.to_json())
            s.add(row)
            s.flush()
            return int(row.id)

    def strike_inspection(self, key: int) -> None:
        """Takes it out of what is judged; the row stays."""
        with self._session() as s:
            self._row(s, InspectionRow, key).struck = True
