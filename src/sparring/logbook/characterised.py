"""What parts were found to be: dated records of readings, under the part they are of."""

from __future__ import annotations

import json
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from sparring.core.characterise.base import Part
from sparring.logbook.rows import Rows
from sparring.logbook.stored import moment
from sparring.logbook.tables import CharacterisationRow, now

UNDATED = "saved by an earlier version"
"""How the note of a record begins that a version before kept."""


@dataclass(frozen=True)
class Characterisation:
    """One record. part, owner: of which build (for motor, inertia and build) or rig it is; name:
    the part's, as it was then; way: id of the way of measuring; dimensions: its shared figures;
    readings: as typed, a list a repeat; recordings: they were taken from; recovered: those that are
    still to be taken.
    """

    part: Part
    owner: int
    name: str
    way: str
    dimensions: dict[str, Any] = field(default_factory=dict)
    readings: tuple[tuple[str, ...], ...] = ()
    recordings: tuple[str, ...] = ()
    recovered: tuple[str, ...] = ()
    note: str = ""
    id: int = 0
    made: datetime = field(default_factory=now)
    struck: bool = False

    @property
    def day(self) -> str:
        """When it was made; "": a version before kept no day."""
        return "" if self.note.startswith(UNDATED) else f"{self.made.astimezone():%d %b %Y}"

    def to_json(self) -> str:
        """What of it is kept as text."""
        return json.dumps(
            {
                "method": self.dimensions,
                "readings": self.readings,
                "recordings": self.recordings,
                "recovered": self.recovered,
                "note": self.note,
            },
            ensure_ascii=False,
        )


def _told(text: str) -> dict[str, Any]:
    """Raises ValueError."""
    told = json.loads(text)
    if not isinstance(told, dict):
        raise ValueError("it holds no readings")
    return {
        "dimensions": dict(told.get("method", {})),
        "readings": tuple(tuple(map(str, column)) for column in told.get("readings", ())),
        "recordings": tuple(map(str, told.get("recordings", ()))),
        "recovered": tuple(map(str, told.get("recovered", ()))),
        "note": str(told.get("note", "")),
    }


class Characterised(Rows):
    """A logbook's records of parts."""

    def characterisations(
        self, part: Part | None = None, owner: int | None = None, *, struck: bool = False
    ) -> list[Characterisation]:
        """The newest first; struck ones only when asked for. part, owner: only those of it."""
        row = CharacterisationRow
        where = [
            *([] if part is None else [row.part == part]),
            *([] if owner is None else [row.owner == owner]),
            *([] if struck else [row.struck.is_(False)]),
        ]
        with self._session() as s:
            found = []
            for r in self._rows(s, row, *where, order=(row.id.desc(),)):
                if (told := self._said(row, r.id, r.record, _told)) is not None:
                    found.append(
                        Characterisation(
                            r.part,
                            r.owner,
                            r.name,
                            r.way,
                            id=r.id,
                            made=moment(r.created),
                            struck=bool(r.struck),
                            **told,
                        )
                    )
            return found

    def measured_of(self, build: int, rig: int, motor: str) -> list[Characterisation]:
        """What is measured of a build, of motors of that name, and of a rig, the newest first."""

        def belongs(c: Characterisation) -> bool:
            if c.part == "rig":
                return c.owner == rig
            return c.owner == build or (c.part == "motor" and c.name == motor)

        return [c for c in self.characterisations() if belongs(c)]

    def characterisation(self, key: int) -> Characterisation | None:
        """One of them; None where it is not there."""
        return next((c for c in self.characterisations(struck=True) if c.id == key), None)

    def save_characterisation(self, c: Characterisation) -> Characterisation:
        """Keeps it, as a new one where it has no id yet; as it is kept."""
        with self._session() as s:
            if c.id:
                row = self._row(s, CharacterisationRow, c.id)
                row.name, row.record, row.struck = c.name[:120], c.to_json(), c.struck
                return c
            row = CharacterisationRow(
                part=c.part,
                owner=c.owner,
                name=c.name[:120],
                way=c.way,
                record=c.to_json(),
                struck=c.struck,
                created=c.made,
            )
            s.add(row)
            s.flush()
            return replace(c, id=row.id)
