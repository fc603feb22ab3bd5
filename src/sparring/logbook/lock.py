"""A logbook is open in one program at a time."""

from __future__ import annotations

import os
import socket
from datetime import datetime
from pathlib import Path
from typing import TextIO

from sparring.home import Held, hold
from sparring.logbook.database import LogbookError


def take(folder: Path) -> TextIO:
    """Takes the lock of a folder, until what it gives is closed. Raises LogbookError naming who has
    it.
    """
    me = (
        f"process {os.getpid()} of {os.environ.get('USER', 'this user')} on"
        f" {socket.gethostname()}, since {datetime.now():%Y-%m-%d %H:%M}"
    )
    try:
        return hold(folder / "logbook.lock", me)
    except Held as err:
        raise LogbookError(f"{folder} is already open: {err}. Close it there first.") from err
    except OSError as err:
        raise LogbookError(f"{folder} cannot be written: {err.strerror}") from err
