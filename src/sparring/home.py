"""Where a user's logbooks are kept, and what programs of theirs share while they run."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import stat
import tempfile
from pathlib import Path
from typing import TextIO


def home() -> Path:
    """The folder of the user's own logbook and of the demo's."""
    from platformdirs import user_data_path

    return user_data_path("sparring")


def runtime() -> Path:
    """A folder of this user alone, for sockets and locks. Raises OSError where somebody else may
    write in what should be it.
    """
    given = os.environ.get("XDG_RUNTIME_DIR", "")
    if given and os.access(given, os.W_OK):
        folder = Path(given) / "sparring"
    else:
        folder = Path(tempfile.gettempdir()) / f"sparring-{os.getuid()}"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    about = folder.lstat()
    if not stat.S_ISDIR(about.st_mode) or about.st_uid != os.getuid() or about.st_mode & 0o077:
        said = "others may write in it: remove it, or name another in XDG_RUNTIME_DIR"
        raise PermissionError(errno.EPERM, said, str(folder))
    return folder


class Held(Exception):
    """Another program holds a file; the message is what it wrote there of itself."""


def hold(path: Path, says: str) -> TextIO:
    """Holds a file for this program, until what it gives is closed. says: who this is, for those
    that come later, as far as a full disk takes it. Raises Held, and OSError where it cannot be
    opened for writing.
    """
    handle = open(path, "a+", encoding="utf-8", opener=_private)  # noqa: SIM115
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as err:
        handle.seek(0)
        holder = handle.read().strip() or "another program"
        handle.close()
        raise Held(holder) from err
    handle.truncate(0)
    with contextlib.suppress(OSError):
        os.write(handle.fileno(), says.encode())
    return handle


def _private(path: str, flags: int) -> int:
    return os.open(path, flags | os.O_NOFOLLOW, 0o600)
