"""What a logbook remembers beside its records."""

from __future__ import annotations

import json
from typing import Any

from sparring.logbook.rows import Rows
from sparring.logbook.tables import SettingRow


class Settings(Rows):
    """Values by a key, as JSON."""

    def setting(self, key: str) -> Any:
        with self._session() as s:
            row = next(iter(self._rows(s, SettingRow, SettingRow.key == key)), None)
            return None if row is None else self._said(SettingRow, key, row.value, json.loads)

    def set_setting(self, key: str, value: Any) -> None:
        with self._session() as s:
            s.merge(SettingRow(key=key, value=json.dumps(value)))
