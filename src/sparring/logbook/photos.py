"""Pictures and sounds that belong to a logbook: copied into its folder, under names of its own."""

from __future__ import annotations

import shutil
from datetime import datetime
from pathlib import Path

FOLDER, SOUNDS = "photos", "sounds"
_EXIF, _ORIGINAL, _MADE = 0x8769, 0x9003, 0x0132  # tags of EXIF 2.3 (from memory)


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


def taken(picture: Path) -> str:
    """When its camera says that it was taken, ISO 8601; "": it does not say."""
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(picture) as image:
            said = image.getexif()
            inner = said.get_ifd(_EXIF)
            text = str(inner.get(_ORIGINAL) or said.get(_MADE) or "")
    except (OSError, UnidentifiedImageError, SyntaxError):
        return ""
    try:
        return datetime.strptime(text[:19], "%Y:%m:%d %H:%M:%S").isoformat()
    except ValueError:
        return ""


def changed(
    logbook: Path,
    name: str,
    *,
    turned: int = 0,
    box: tuple[float, float, float, float] | None = None,
) -> str:
    """A copy of a picture of the logbook, turned clockwise by so many degrees, or cut to a box
    (left, top, right, bottom, 0 to 1); its name. The original stays as it is. Raises PhotoError.
    """
    from PIL import Image, ImageOps, UnidentifiedImageError

    folder, n = logbook / FOLDER, 1
    source = folder / name
    while (folder / f"{source.stem} ({n}){source.suffix}").exists():
        n += 1
    made = folder / f"{source.stem} ({n}){source.suffix}"
    try:
        with Image.open(source) as image:
            upright = ImageOps.exif_transpose(image)
            if turned:
                upright = upright.rotate(-turned, expand=True)
            if box is not None:
                wide, high = upright.size
                left, right = round(box[0] * wide), round(box[2] * wide)
                upright = upright.crop((left, round(box[1] * high), right, round(box[3] * high)))
            upright.save(made)
    except (OSError, UnidentifiedImageError, ValueError) as err:
        made.unlink(missing_ok=True)
        raise PhotoError(f"{name} could not be changed: {err}.") from err
    return made.name
