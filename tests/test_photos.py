"""Pictures that are kept with a logbook: only what is one, under names that hold, without the
position that a phone noted.
"""

import struct
import zlib

import pytest
from PIL import Image

from sparring.logbook import photos


def picture(path, size=(40, 30), **more):
    Image.new("RGB", size, (90, 120, 60)).save(path, **more)
    return path


def bomb(path):
    """A PNG of 20 000 × 20 000 pixels in 48 kB."""

    def chunk(kind, data):
        return (
            struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
        )

    lines = zlib.compress(bytes(2501) * 20_000, 9)
    head = struct.pack(">IIBBBBB", 20_000, 20_000, 1, 0, 0, 0, 0)
    body = chunk(b"IHDR", head) + chunk(b"IDAT", lines) + chunk(b"IEND", b"")
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + body)
    return path


def written(path, data):
    path.write_bytes(data)
    return path


@pytest.mark.parametrize(
    ("name", "make", "said"),
    [
        ("large.png", bomb, "pixels"),
        (
            "page.jpg",
            lambda p: written(p, b"<html><body>no picture</body></html>"),
            "not a picture",
        ),
        (
            "drawing.svg",
            lambda p: written(p, b"<svg xmlns='http://www.w3.org/2000/svg'/>"),
            "not a",
        ),
        ("empty.png", lambda p: written(p, b""), "not a picture"),
        ("cut.png", lambda p: written(p, picture(p).read_bytes()[:60]), "cannot be read"),
        ("cut.jpg", lambda p: written(p, picture(p, (900, 900)).read_bytes()[:400]), "cannot be"),
        ("passwords.jpg", lambda p: p.symlink_to("/etc/hostname") or p, "not a picture"),
        ("gone.jpg", lambda p: p, "cannot be read"),
    ],
)
def test_what_is_no_picture_is_refused_and_leaves_nothing(tmp_path, name, make, said):
    book = tmp_path / "book"
    book.mkdir()
    with pytest.raises(photos.PhotoError, match=said):
        photos.keep(book, make(tmp_path / name), "Dunnock r2")
    assert not list(book.rglob("*.*"))


@pytest.mark.parametrize("name", ["x" * 240 + ".png", "a\\b.png", "t\nab.png", "Zähne, 2. Rad.png"])
def test_any_name_is_kept_under_one_that_holds(tmp_path, name):
    book = tmp_path / "book"
    book.mkdir()
    source = picture(tmp_path / name)
    first, second = (photos.keep(book, source, "Dun/nock r2") for _ in range(2))
    assert first != second
    for kept in (first, second):
        assert (book / "photos" / kept).read_bytes() == source.read_bytes()
        assert len(kept.encode()) < 255
        assert not set(kept) & set("/\\\n")


@pytest.mark.parametrize("suffix", ["jpg", "png", "webp"])
def test_the_position_a_phone_noted_is_not_kept_and_the_rest_is(tmp_path, suffix):
    exif = Image.Exif()
    exif[0x0132] = "2026:11:20 10:00:00"
    exif[0x010F] = "a camera"
    exif.get_ifd(0x8825).update({1: "N", 2: (51.0, 30.0, 0.0), 3: "W", 4: (0.0, 7.0, 0.0)})
    source = picture(tmp_path / f"flank.{suffix}", exif=exif)
    with Image.open(source) as there:
        assert there.getexif().get_ifd(0x8825)  # it is there to begin with
        pixels = there.tobytes()
    (tmp_path / "book").mkdir()
    kept = tmp_path / "book" / "photos" / photos.keep(tmp_path / "book", source, "Dunnock r2")
    with Image.open(kept) as copy:
        assert not copy.getexif().get_ifd(0x8825)
        assert copy.getexif()[0x010F] == "a camera"
        if suffix != "webp":  # which is packed anew
            assert copy.tobytes() == pixels
    assert photos.taken(kept) == "2026-11-20T10:00:00"
