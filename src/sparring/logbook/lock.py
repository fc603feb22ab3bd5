"""A logbook is open in one program at a time."""

from __future__ import annotations

import fcntl
import os
import socket
from datetime import datetime
from pathlib import Path
from typing import TextIO

from sparring.logbook import recordings
from sparring.logbook.database import LogbookError


def take(folder: Path) -> TextIO:
    """Takes the lock of a folder, until what it gives is closed. Raises LogbookError naming who has
    it.
    """
    path = folder / "logbook.lock"
    try:
        # held as long as the logbook
        handle = open(path, "a+", encoding="utf-8", opener=recordings.private)  # noqa: SIM115
    except OSError as err:
        raise LogbookError(f"{folder} cannot be written: {err.strerror}") from err
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as err:
        handle.seek(0)
        holder = handle.read().strip() or "another program"
        handle.close()
        raise LogbookError(f"{folder} is already open: {holder}. Close it there first.") from err
    handle.seek(0)
    handle.truncate()
    handle.write(
        f"process {os.getpid()} of {os.environ.get('USER', 'this user')} on"
        f" {socket.gethostname()}, since {datetime.now():%Y-%m-%d %H:%M}"
    )
    handle.flush()
    return handle
