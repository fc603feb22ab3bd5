"""Pictures and sounds that belong to a logbook: copied into its folder, under names of its own."""

from __future__ import annotations

import io
import re
import shutil
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PIL import Image

FOLDER, SOUNDS = "photos", "sounds"
_EXIF, _ORIGINAL, _MADE = 0x8769, 0x9003, 0x0132  # tags of EXIF 2.3 (from memory)


_GPS, _APP1, _SCAN = 0x8825, 0xE1, 0xDA
_PIXELS = 120_000_000  # of a picture; the largest phones and cameras stay below
_BYTES = 120  # of a name, so that what is put before and behind it fits a file system
_NAMES = re.compile(r"[^\w .()+,=@-]+")  # what a name may not have


class PhotoError(OSError):
    """A picture could not be copied; the message says why."""


def keep(logbook: Path, picture: Path, of: str, where: str = FOLDER) -> str:
    """Copies a picture, or a sound, into the logbook; its name there. of: what it shows, at the
    name's begin; where: folder of the logbook. Where a camera noted its position, the copy does not
    have it. Raises PhotoError for what is no picture, and leaves nothing behind then.
    """
    data = _without_position(picture) if where == FOLDER else None
    folder, of = logbook / where, _plain(of)
    stem, suffix = f"{of}-{_plain(picture.stem)}", picture.suffix.lower()[:8]
    name, n = f"{stem}{suffix}", 1
    while (folder / name).exists():
        n += 1
        name = f"{stem}-{n}{suffix}"
    try:
        folder.mkdir(mode=0o700, exist_ok=True)
        if data is None:
            shutil.copyfile(picture, folder / name)
        else:
            (folder / name).write_bytes(data)
    except OSError as err:
        (folder / name).unlink(missing_ok=True)
        raise PhotoError(f"{picture.name} could not be copied: {err.strerror}.") from err
    return name


def _plain(name: str) -> str:
    """A name without what file systems and shells take for something else, and not too long."""
    plain = _NAMES.sub("-", name).strip(" .-") or "picture"
    return plain.encode()[:_BYTES].decode(errors="ignore").rstrip()


def _without_position(picture: Path) -> bytes:
    """A picture's bytes, once it was seen to be one. Raises PhotoError."""
    from PIL import Image, UnidentifiedImageError

    shown = picture.name if len(picture.name) <= 80 else f"{picture.name[:80]} …"
    try:
        data = picture.read_bytes()
        with Image.open(io.BytesIO(data), formats=_FORMATS) as image:
            wide, high = image.size
            if wide * high > _PIXELS:
                raise PhotoError(
                    f"{shown} has {wide} × {high} pixels; {_PIXELS // 1_000_000} million at most"
                    " can be kept: save it smaller."
                )
            if image.format == "JPEG":
                image.draft("RGB", (64, 64))  # all of it is read, and little of it made
            image.load()
            if image.format == "JPEG":
                return _cleaned(data, image)
            if _GPS not in image.getexif():
                return data
            exif, out = image.getexif(), io.BytesIO()
            del exif[_GPS]
            image.save(out, format=image.format, exif=exif)
            return out.getvalue()
    except PhotoError:
        raise
    except UnidentifiedImageError as err:
        raise PhotoError(f"{shown} is not a picture: {', '.join(_FORMATS)} can be kept.") from err
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as err:
        raise PhotoError(f"{shown} cannot be read as a picture: {err}.") from err


_FORMATS = ("JPEG", "PNG", "WEBP", "TIFF", "BMP", "GIF")


def _cleaned(data: bytes, image: Image.Image) -> bytes:
    """A JPEG without its position; its pixels are not touched. What a program for pictures wrote
    into it (XMP) may repeat the position, and goes as well.
    """
    exif = image.getexif()
    del_gps = _GPS in exif
    if del_gps:
        del exif[_GPS]
    out, at = [data[:2]], 2
    while at + 4 <= len(data) and data[at] == 0xFF and data[at + 1] != _SCAN:
        size = 2 + int.from_bytes(data[at + 2 : at + 4])
        segment = data[at : at + size]
        if data[at + 1] == _APP1 and segment[4:10] == b"Exif\0\0":
            if del_gps:
                inner = exif.tobytes()
                segment = b"\xff\xe1" + (len(inner) + 2).to_bytes(2) + inner
        elif data[at + 1] == _APP1:
            segment = b""
        out.append(segment)
        at += size
    return b"".join(out) + data[at:]


def taken(picture: Path) -> str:
    """When its camera says that it was taken, ISO 8601; "": it does not say."""
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(picture) as image:
            said = image.getexif()
            inner = said.get_ifd(_EXIF)
            text = str(inner.get(_ORIGINAL) or said.get(_MADE) or "")
    except (OSError, UnidentifiedImageError, SyntaxError, Image.DecompressionBombError):
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
    except (OSError, UnidentifiedImageError, ValueError, Image.DecompressionBombError) as err:
        made.unlink(missing_ok=True)
        raise PhotoError(f"{name} could not be changed: {err}.") from err
    return made.name
