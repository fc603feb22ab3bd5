"""What was derived from recordings, kept beside the logbook so that it need not be derived again.
It may be deleted at any time.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import zlib
from collections.abc import Callable, Sequence
from pathlib import Path

NAME = "derived.sqlite"
_MOST = 100_000  # entries; about 2 kB each
_AT_ONCE = 500  # keys in one question


class Derived:
    """Points of runs, by the digest of all that they follow from. A file that fails is as one that
    is empty.
    """

    def __init__(self, folder: Path) -> None:
        self.path = folder / NAME

    def get(self, keys: Sequence[str]) -> dict[str, bytes]:
        """What is there of them, and whole."""
        found: dict[str, bytes] = {}

        def read(connection: sqlite3.Connection) -> None:
            for first in range(0, len(keys), _AT_ONCE):
                some = keys[first : first + _AT_ONCE]
                rows = connection.execute(
                    "SELECT key, data, seal FROM points WHERE key IN"
                    f" ({','.join('?' * len(some))})",
                    some,
                )
                found.update(
                    {
                        key: data
                        for key, data, seal in rows
                        if seal == zlib.crc32(key.encode() + data)
                    }
                )

        if self.path.exists():
            self._do(read)
        return found

    def put(self, points: dict[str, bytes]) -> None:
        """Keeps them; the oldest go when there are too many."""

        def write(connection: sqlite3.Connection) -> None:
            rows = [(key, data, zlib.crc32(key.encode() + data)) for key, data in points.items()]
            connection.executemany(
                "INSERT OR REPLACE INTO points (key, data, seal) VALUES (?, ?, ?)", rows
            )
            connection.execute(
                "DELETE FROM points WHERE rowid <= (SELECT max(rowid) FROM points) - ?", (_MOST,)
            )

        self._do(write)

    def _do(self, what: Callable[[sqlite3.Connection], None]) -> None:
        """An error ends it, and one of the file itself the file."""
        try:
            os.close(os.open(self.path, os.O_CREAT | os.O_RDWR, 0o600))
            with contextlib.closing(sqlite3.connect(self.path, timeout=1.0)) as connection:
                connection.execute("PRAGMA synchronous=OFF")  # what is lost is derived again
                connection.execute(
                    "CREATE TABLE IF NOT EXISTS points (key TEXT PRIMARY KEY, data BLOB, seal"
                    " INTEGER)"
                )
                what(connection)
                connection.commit()
        except sqlite3.DatabaseError as err:
            if not isinstance(err, sqlite3.OperationalError):  # damaged, not busy or full
                with contextlib.suppress(OSError):
                    self.path.unlink(missing_ok=True)
        except (OSError, TypeError):
            return
