"""Captures samples to an Arrow stream on disk, at least once a second, so that a crash costs no
more than that.
"""

from __future__ import annotations

import contextlib
import errno
import io
import json
import os
import threading
import time
import zlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import pyarrow as pa

FLUSH_EVERY = 0.25  # [s]


def _private(path: str, flags: int) -> int:
    return os.open(path, flags, 0o600)


class RecorderError(OSError):
    """Capture stopped: the disk is full or gone. What was written before stays readable."""


class Recorder:
    """One capture. Samples may be added from any thread; writing happens on the recorder's own.

    channels: keys in the order of the values; note: JSON-able facts kept in the stream's header
    (the run); on_fault: called once, from the writing thread, when the disk refuses.
    """

    def __init__(
        self,
        path: Path,
        channels: Sequence[str],
        note: dict[str, Any],
        *,
        on_fault: Callable[[RecorderError], None] | None = None,
        opener: Callable[[Path], BinaryIO] | None = None,
    ) -> None:
        self.path, self.channels = path, tuple(channels)
        self._on_fault = on_fault
        header = json.dumps(note)
        self._schema = pa.schema(
            [("t", pa.float64()), *((c, pa.float64()) for c in channels)],
            metadata={"sparring": header, "crc": str(zlib.crc32(header.encode()))},
        )
        self._lock = threading.Lock()
        self._rows: list[np.ndarray] = []
        self._notes: list[dict[str, Any]] = []
        self.fault: RecorderError | None = None
        self.samples = 0  # on the disk
        path.parent.mkdir(parents=True, exist_ok=True)
        try:
            # read and written: what is said to be saved is what reads back
            if opener:
                self._file: BinaryIO = opener(path)
            else:
                self._file = open(path, "x+b", buffering=0, opener=_private)  # noqa: SIM115
            self._ahead = io.BytesIO()  # what the format makes of a batch, before it is written
            self._writer = pa.ipc.new_stream(self._ahead, self._schema)
            # its header is on the disk from the first moment
            self._writer.write_batch(self._batch(np.empty((0, 1 + len(self.channels)))))
            self._write()
        except OSError as err:
            raise RecorderError(f"{path} cannot be written: {err.strerror or err}") from err
        self._then: Callable[[], None] | None = None
        self._done = threading.Event()
        self._thread = threading.Thread(target=self._run, name="recorder", daemon=True)
        self._thread.start()

    def add(self, t: np.ndarray, values: np.ndarray) -> None:
        """Samples at t [s], shape (n,): SI values, shape (n, channels)."""
        rows = np.column_stack([t, values])
        with self._lock:
            self._rows.append(rows)

    def mark(self, t: float, text: str) -> None:
        """What was heard or seen at t [s]."""
        with self._lock:
            self._notes.append({"mark": [t, text]})

    def gap(self, start: float, stop: float) -> None:
        """A span in which nothing arrived."""
        with self._lock:
            self._notes.append({"gap": [start, stop]})

    def close(self, then: Callable[[], None] | None = None, **closing: Any) -> None:
        """Writes what is left with the closing facts, and ends the stream; safe to call twice.
        Waits for it, unless `then` is to be called, from the writing thread, when it is done."""
        if not self._done.is_set():
            if closing:
                with self._lock:
                    self._notes.append({"closing": closing})
            self._then = then
            self._done.set()
        if then is None:
            self.wait()

    def wait(self) -> None:
        """Until it has ended, and what was to follow has been done."""
        self._thread.join()

    @property
    def done(self) -> bool:
        """Whether it has ended."""
        return not self._thread.is_alive()

    def _run(self) -> None:
        last_sync = time.monotonic()
        try:
            while not self._done.wait(FLUSH_EVERY):
                self._flush()
                if time.monotonic() - last_sync > 1.0:
                    self._sync()
                    last_sync = time.monotonic()
        # whatever it is, what comes from here on is not recorded, and that has to be said
        except Exception as err:
            self._fail(err)
            self._done.wait()
        try:
            self._flush()  # once more after a fault: there may be room again
            self._writer.close()
            self._write()
            self._sync()
        except Exception as err:
            if self.fault is None:
                self._fail(err)
        self._file.close()
        if self._then is not None:
            self._then()

    def _sync(self) -> None:
        if hasattr(self._file, "fileno"):
            os.fsync(self._file.fileno())

    def _flush(self) -> None:
        with self._lock:
            blocks, self._rows = self._rows, []
            notes, self._notes = self._notes, []
        if not blocks and not notes:
            return
        rows = np.concatenate(blocks) if blocks else np.empty((0, 1 + len(self.channels)))
        told = json.dumps(notes) if notes else ""
        sealed = {
            "crc": str(zlib.crc32(told.encode(), zlib.crc32(np.ascontiguousarray(rows).tobytes())))
        }
        try:
            self._writer.write_batch(
                self._batch(rows), custom_metadata=sealed | ({"notes": told} if notes else {})
            )
            self._write()
        except Exception:
            with self._lock:
                self._rows, self._notes = [*blocks, *self._rows], [*notes, *self._notes]
            raise
        self.samples += len(rows)

    def _write(self) -> None:
        """What is ahead, onto the disk: all of it, as reading it back says, or nothing."""
        data = self._ahead.getvalue()
        self._ahead.seek(0)
        self._ahead.truncate()
        whole = self._file.tell()
        try:
            left = memoryview(data)
            while left:  # a disk that fills takes a part, and says so by how much it took
                taken = self._file.write(left)
                if not taken:
                    raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
                left = left[taken:]
            self._file.seek(whole)
            if self._file.read(len(data)) != data:
                raise OSError(errno.EIO, "what was written does not read back")
        except Exception:  # half a batch would hide all that comes after it
            with contextlib.suppress(OSError, AttributeError):
                self._file.seek(whole)
                self._file.truncate()
            raise

    def _batch(self, rows: np.ndarray) -> pa.RecordBatch:
        """Rows as columns, straight from memory: `pa.array` first loads whatever data-frame library
        is installed, which took longer than the second that a crash may cost."""
        arrays = [
            pa.Array.from_buffers(
                pa.float64(), len(rows), [None, pa.py_buffer(np.ascontiguousarray(c))]
            )
            for c in rows.T
        ]
        return pa.record_batch(arrays, schema=self._schema)

    def _fail(self, err: Exception) -> None:
        self.fault = RecorderError(
            f"Recording stopped: {getattr(err, 'strerror', None) or err} "
            f"({self.path.parent}). {self.samples} samples are saved. Free some disk space "
            "if it is full, then repeat the run."
        )
        if self._on_fault:
            self._on_fault(self.fault)
