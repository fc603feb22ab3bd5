"""Recordings on disk: Parquet when finished, Arrow streams while capturing."""

from __future__ import annotations

import errno
import hashlib
import io
import json
import os
import uuid
import zlib
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from sparring.core.recording import CHANNELS, Recording

_HASHED = 64  # characters of a name that is a hash


class RecordingError(ValueError):
    """A recording that cannot be read; the message names the file and what is wrong with it."""


def write(folder: Path, recording: Recording, note: dict[str, Any] | None = None) -> str:
    """Writes a recording into a folder, whole or not at all; its name there, which is the SHA-256
    of what is in it: whoever keeps the name can tell whether the file is still what was written."""
    facts = {
        "note": note or {},
        "gaps": recording.gaps,
        "lost": recording.lost,
        "marks": recording.marks,
    }
    table = pa.table({"t": recording.t, **recording.channels}).replace_schema_metadata(
        {"sparring": json.dumps(facts)}
    )
    part = folder / f"{uuid.uuid4().hex}.part"
    made = io.BytesIO()
    # one chunk: read without a copy; checksums: a flipped bit is an error, not another figure
    pq.write_table(
        table,
        made,
        compression="zstd",
        compression_level=1,
        row_group_size=1 << 26,
        write_page_checksum=True,
    )
    data = made.getbuffer()
    name = f"{hashlib.sha256(data).hexdigest()}.parquet"
    try:
        with open(part, "wb", opener=private) as f:
            f.write(data)
            f.flush()
            os.fsync(f.fileno())
        if _digest(part) != Path(name).stem:
            raise OSError(errno.EIO, "what was written does not read back", str(part))
    except OSError:
        part.unlink(missing_ok=True)
        raise
    part.rename(folder / name)
    sync_folder(folder)
    return name


def _digest(path: Path) -> str:
    with open(path, "rb") as f:
        return hashlib.file_digest(f, "sha256").hexdigest()


def private(path: str, flags: int) -> int:
    """Opens a file that only its owner may read."""
    return os.open(path, flags, 0o600)


def sync_folder(folder: Path) -> None:
    """What was renamed or deleted in it is so after a crash, too."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


_MANY = 1 << 20  # bytes


def read(path: Path) -> Recording:
    """Reads a recording. Raises RecordingError when the file is missing, damaged or foreign."""
    try:
        # earlier versions gave names that say nothing of what is in them
        if len(path.stem) == _HASHED and _digest(path) != path.stem:
            raise RecordingError(
                f"{path} has changed since it was written, by the disk or another program. "
                "Restore a copy of the file, or exclude the run"
            )
        many = path.stat().st_size > _MANY  # of few, other threads cost more than they save
        with pq.ParquetFile(path, memory_map=True, page_checksum_verification=True) as file:
            table = file.read(use_threads=many)
        facts = json.loads((table.schema.metadata or {}).get(b"sparring", b"{}"))
        columns = {
            name: table.column(name).to_numpy()
            for name in table.column_names
            if name == "t" or name in CHANNELS
        }
        return Recording(
            columns.pop("t"),
            columns,
            tuple((a, b) for a, b in facts.get("gaps", ())),
            lost=int(facts.get("lost", 0)),
            marks=tuple((t, str(text)) for t, text in facts.get("marks", ())),
        )
    except RecordingError:
        raise
    except FileNotFoundError as err:
        raise RecordingError(f"{path} is missing: restore the file, or exclude the run") from err
    except (pa.ArrowException, OSError, ValueError, KeyError, TypeError) as err:
        raise RecordingError(f"{path} cannot be read: {err}") from err


def note(path: Path) -> dict[str, Any]:
    """What was noted with a recording. Raises RecordingError."""
    try:
        found: dict[str, Any] = json.loads(
            (pq.read_schema(path).metadata or {}).get(b"sparring", b"{}")
        )["note"]
    except (pa.ArrowException, OSError, ValueError, KeyError, TypeError) as err:
        raise RecordingError(f"{path} cannot be read: {err}") from err
    return found


def read_stream(path: Path) -> tuple[Recording, dict[str, Any]]:
    """What a capture got to disk, up to the last whole batch, and the note in its header (with
    closing facts).

    A batch that is not what was written is left out as a gap, and counted in the note as `damaged`.
    Raises RecordingError when not even the header is whole.
    """
    batches: list[np.ndarray] = []
    notes: list[dict[str, Any]] = []
    holes: list[int] = []  # batches before each damaged one
    try:
        with pa.OSFile(str(path)) as source, pa.ipc.open_stream(source) as stream:
            names = stream.schema.names
            metadata = stream.schema.metadata or {}
            header = metadata.get(b"sparring", b"{}")
            if int(metadata.get(b"crc", zlib.crc32(header))) != zlib.crc32(header):
                raise RecordingError(
                    f"{path} has changed since it was written: its header is damaged"
                )
            note = json.loads(header)
            while True:
                try:
                    batch, extra = stream.read_next_batch_with_custom_metadata()
                except StopIteration:
                    break
                except (pa.ArrowException, OSError):
                    note.setdefault("cut", True)  # the last batch was being written when it ended
                    break
                rows = np.column_stack(
                    [column.to_numpy(zero_copy_only=False) for column in batch.columns]
                )
                told = (extra or {}).get(b"notes", b"")
                if (
                    extra
                    and b"crc" in extra
                    and extra[b"crc"] != str(zlib.crc32(told, zlib.crc32(rows.tobytes()))).encode()
                ):
                    holes.append(len(batches))
                    continue
                if len(rows):
                    batches.append(rows)
                notes += json.loads(told) if told else []
    except RecordingError:
        raise
    except (pa.ArrowException, OSError, ValueError) as err:
        raise RecordingError(f"{path} holds no readable recording: {err}") from err
    if holes:
        note["damaged"] = len(holes)
    gaps = [tuple(n["gap"]) for n in notes if "gap" in n]
    gaps += [
        (float(batches[k - 1][-1, 0]), float(batches[k][0, 0]))
        for k in sorted(set(holes))
        if 0 < k < len(batches)
    ]
    rows = np.concatenate(batches) if batches else np.empty((0, len(names)))
    columns = {name: np.ascontiguousarray(rows[:, k]) for k, name in enumerate(names)}
    t = columns.pop("t")
    order = np.argsort(t, kind="stable") if len(t) > 1 and (np.diff(t) < 0).any() else slice(None)
    marks = tuple(tuple(n["mark"]) for n in notes if "mark" in n)
    for n in notes:
        note |= n.get("closing", {})
    recording = Recording(
        t[order],
        {k: v[order] for k, v in columns.items()},
        tuple(gaps),
        lost=int(note.pop("lost", 0)),
        marks=marks,
    )
    return recording, note
