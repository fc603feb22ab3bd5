"""Captures samples to an Arrow stream on disk, at least once a second, so that a crash costs no more than that."""

from __future__ import annotations

import json
import os
import threading
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import pyarrow as pa

FLUSH_EVERY = 0.25  # [s]


class RecorderError(OSError):
    """Capture stopped: the disk is full or gone. What was written before stays readable."""


class Recorder:
    """One capture. Samples may be added from any thread; writing happens on the recorder's own.

    channels: keys in the order of the values; note: JSON-able facts kept in the stream's header (the run);
    on_fault: called once, from the writing thread, when the disk refuses.
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
        self._schema = pa.schema([("t", pa.float64()), *((c, pa.float64()) for c in channels)], metadata={"sparring": json.dumps(note)})
        self._lock = threading.Lock()
        self._rows: list[tuple[float, ...]] = []
        self._notes: list[dict[str, Any]] = []
        self.fault: RecorderError | None = None
        self.samples = 0
        path.parent.mkdir(parents=True, exist_ok=True)
        try:
            self._file: BinaryIO = opener(path) if opener else open(path, "xb", buffering=0)  # noqa: SIM115
            self._writer = pa.ipc.new_stream(self._file, self._schema)
            self._writer.write_batch(self._batch([]))  # its header is on the disk from the first moment
        except OSError as err:
            raise RecorderError(f"{path} cannot be written: {err.strerror or err}") from err
        self._done = threading.Event()
        self._thread = threading.Thread(target=self._run, name="recorder", daemon=True)
        self._thread.start()

    def add(self, rows: Sequence[tuple[float, ...]]) -> None:
        """Rows of (t, *values), SI."""
        with self._lock:
            self._rows.extend(rows)

    def mark(self, t: float, text: str) -> None:
        """What was heard or seen at t [s]."""
        with self._lock:
            self._notes.append({"mark": [t, text]})

    def gap(self, start: float, stop: float) -> None:
        """A span in which nothing arrived."""
        with self._lock:
            self._notes.append({"gap": [start, stop]})

    def close(self, **closing: Any) -> None:
        """Writes what is left with the closing facts, and ends the stream. Safe to call twice."""
        if self._done.is_set():
            return
        if closing:
            with self._lock:
                self._notes.append({"closing": closing})
        self._done.set()
        self._thread.join()
        if self.fault is None:
            try:
                self._flush()
                self._writer.close()
            except OSError as err:
                self._fail(err)
        self._file.close()

    def _run(self) -> None:
        last_sync = time.monotonic()
        while not self._done.wait(FLUSH_EVERY):
            try:
                self._flush()
                if time.monotonic() - last_sync > 1.0:
                    if hasattr(self._file, "fileno"):
                        os.fsync(self._file.fileno())
                    last_sync = time.monotonic()
            except OSError as err:
                self._fail(err)
                return

    def _flush(self) -> None:
        with self._lock:
            rows, self._rows = self._rows, []
            notes, self._notes = self._notes, []
        if not rows and not notes:
            return
        self._writer.write_batch(self._batch(rows), custom_metadata={"notes": json.dumps(notes)} if notes else None)
        self.samples += len(rows)

    def _batch(self, rows: list[tuple[float, ...]]) -> pa.RecordBatch:
        """Rows as columns, straight from memory: `pa.array` first loads whatever data-frame library is installed, which took
        longer than the second that a crash may cost."""
        columns = np.array(rows, float).reshape(len(rows), len(self._schema)).T
        arrays = [pa.Array.from_buffers(pa.float64(), len(rows), [None, pa.py_buffer(np.ascontiguousarray(c))]) for c in columns]
        return pa.record_batch(arrays, schema=self._schema)

    def _fail(self, err: OSError) -> None:
        self.fault = RecorderError(
            f"Recording stopped: {err.strerror or err} ({self.path.parent}). {self.samples} samples are safe; "
            "free some space, then lift again."
        )
        if self._on_fault:
            self._on_fault(self.fault)
