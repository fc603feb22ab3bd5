"""Pictures and sounds that belong to a logbook: copied into its folder, under names of its own."""

from __future__ import annotations

import shutil
from pathlib import Path

FOLDER, SOUNDS = "photos", "sounds"


class PhotoError(OSError):
    """A picture could not be copied; the message says why."""


def keep(logbook: Path, picture: Path, of: str, where: str = FOLDER) -> str:
    """Copies a picture, or a sound, into the logbook; its name there. of: what it shows, at the
    name's begin; where: folder of the logbook.
    """
    folder, of = logbook / where, of.replace("/", "-")
    name, n = f"{of}-{picture.name}", 1
    while (folder / name).exists():
        n += 1
        name = f"{of}-{picture.stem}-{n}{picture.suffix}"
    try:
        folder.mkdir(mode=0o700, exist_ok=True)
        shutil.copyfile(picture, folder / name)
    except OSError as err:
        raise PhotoError(f"{picture.name} could not be copied: {err.strerror}.") from err
    return name
