"""Logs that other loggers wrote, read by what their columns were found or said to be, and our own
recordings written as such.

A log is looked at first (`log_look.look`), so that a person can correct what was guessed.
"""

from __future__ import annotations

import codecs
import io
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pcsv

from sparring.core import quantity, several
from sparring.core.recording import Recording
from sparring.files.log_look import LogError, LogLook, kind_of_channel

_BLOCK = 1 << 20  # bytes read at a time
_BEYOND = 1e15  # no sensor reads so much in any unit
_SLOW = 2.0  # [s] between lines, more than a bench is logged at
_TOLERATED = 0.05  # part of unreadable cells beyond which a log is refused


class _Watched(io.RawIOBase):
    """A log that tells how far it has been read, and in which several spaces are one. What
    `progress` raises ends the reading.
    """

    def __init__(self, log: LogLook, progress: Callable[[float], None]) -> None:
        super().__init__()
        self._file = open(log.path, "rb")  # noqa: SIM115  (closed with this)
        self._size = max(log.path.stat().st_size, 1)
        self._progress, self._squeeze, self._left = progress, log.delimiter == " ", b""

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1) -> bytes:
        self._progress(min(self._file.tell() / self._size, 1.0))
        if not self._squeeze:
            return self._file.read(size)
        while not self._left and (data := self._file.read(_BLOCK)):
            data += self._file.readline()
            self._left = re.sub(rb"[ \t]+", b" ", re.sub(rb"(?m)^[ \t]+|[ \t]+(?=\r?$)", b"", data))
        size = len(self._left) if size < 0 else size
        data, self._left = self._left[:size], self._left[size:]
        return data

    def close(self) -> None:
        self._file.close()
        super().close()


def read(
    log: LogLook,
    columns: Mapping[int, tuple[str, str]] | None = None,
    progress: Callable[[float], None] = lambda _: None,
) -> tuple[Recording, list[str]]:
    """Reads the log; (recording, remarks). columns: position -> (channel, unit), in place of the
    guesses.

    progress: is told the part read [0..1]; an exception it raises ends the reading and comes
    through. A clock that is not 't' is made from the row number only when no time column exists and
    a channel is called so. Raises LogError when time is missing or runs backwards, when units are
    missing, or when more than one cell in twenty is no number.
    """
    by_channel = _mapping(log, columns)
    remarks: list[str] = []
    figures = _figures_of(log, [i for i, _ in by_channel.values()], progress, remarks)
    arrays = {
        channel: _si(
            log, channel, i, unit=unit, values=figures.get(f"c{i}", np.empty(0)), remarks=remarks
        )
        for channel, (i, unit) in by_channel.items()
    }
    t = arrays.pop("t")
    if len(t) < 8:
        raise LogError(f"{log.path}: only {len(t)} lines of numbers")
    t, arrays = _in_order(log, t, arrays, remarks)
    if t[-1] <= t[0]:
        raise LogError(
            f"{log.path}: the time does not advance; is "
            f"“{log.columns[by_channel['t'][0]].header}” the time?"
        )
    if (apart := float(np.median(np.diff(t)))) > _SLOW:
        remarks.append(
            f"{log.path}: the lines are {apart:.3g} s apart; if the time is in "
            f"milliseconds, declare it: --column {by_channel['t'][0] + 1}=t:ms"
        )
    return Recording(t - t[0] if t[0] != 0 else t, several.whole(arrays)), remarks


def _mapping(
    log: LogLook, columns: Mapping[int, tuple[str, str]] | None
) -> dict[str, tuple[int, str]]:
    """Channel -> (position, unit). Raises LogError."""
    if columns is None:
        columns = {i: (c.channel, c.unit) for i, c in enumerate(log.columns)}
    found = {channel: (i, unit) for i, (channel, unit) in columns.items() if channel}
    if "t" not in found:
        raise LogError(f"{log.path}: no column is the time; choose one (--column 1=t:s)")
    if len(found) < 2:
        raise LogError(
            f"{log.path}: only the time is assigned; choose at least the output speed "
            "(--column 2=speed:rpm)"
        )
    for channel, (i, unit) in found.items():
        if not unit and kind_of_channel(channel) not in ("count", "ratio"):
            raise LogError(
                f"{log.path}: column “{log.columns[i].header}” has no unit; choose one of "
                + ", ".join(u for u in quantity.kind_of(kind_of_channel(channel)).units)
                + f" (--column {i + 1}={channel}:UNIT)"
            )
    return found


def _figures_of(
    log: LogLook, positions: list[int], progress: Callable[[float], None], remarks: list[str]
) -> dict[str, np.ndarray]:
    """The figures of the columns, by `c` and their position, as the file has them. Raises
    LogError.
    """
    names = [f"c{i}" for i in range(len(log.columns))]
    wanted = [names[i] for i in positions]
    dropped: list[int] = []

    def bad_row(row: pcsv.InvalidRow) -> str:
        dropped.append(row.number or 0)
        return "skip"

    def parts(convert: pcsv.ConvertOptions) -> Iterator[pa.RecordBatch]:
        read_options = pcsv.ReadOptions(
            column_names=names,
            skip_rows=log.skip + (1 if log.has_header else 0),
            encoding=_encoding(log.path),
            block_size=_BLOCK,
        )
        parse_options = pcsv.ParseOptions(delimiter=log.delimiter, invalid_row_handler=bad_row)
        with _Watched(log, progress) as source:
            file = pa.PythonFile(source, mode="r")
            yield from pcsv.open_csv(file, read_options, parse_options, convert)

    strict = pcsv.ConvertOptions(
        include_columns=wanted,
        column_types=dict.fromkeys(wanted, pa.float64()),
        decimal_point=log.decimal,
        null_values=["", "nan", "NaN", "NA", "-", "null"],
    )
    as_text = pcsv.ConvertOptions(
        include_columns=wanted, column_types=dict.fromkeys(wanted, pa.string())
    )
    try:
        size = log.path.stat().st_size
        try:
            figures = _joined(parts(strict), size)
        except pa.ArrowInvalid:
            dropped.clear()
            figures = _joined(_forgiving(log, parts(as_text), remarks), size)
    except (pa.ArrowException, OSError, UnicodeError) as err:
        raise LogError(f"{log.path}: {err}") from err
    rows = len(next(iter(figures.values()))) if figures else 0
    if dropped and len(dropped) > _TOLERATED * (rows + len(dropped)):
        raise LogError(
            f"{log.path}: {len(dropped)} lines do not have {len(names)} columns, the first at line"
            f" {dropped[0] + log.skip}"
        )
    if dropped:
        remarks.append(f"{len(dropped)} lines without {len(names)} columns were omitted.")
    return figures


def _si(
    log: LogLook, channel: str, i: int, unit: str, values: np.ndarray, remarks: list[str]
) -> np.ndarray:
    """The figures of column i in SI, in place. Raises LogError."""
    header, kind = log.columns[i].header, kind_of_channel(channel)
    with np.errstate(invalid="ignore"):
        beyond = np.abs(values) > _BEYOND
    if beyond.any():
        values[beyond] = np.nan
        remarks.append(
            f"{int(beyond.sum())} values of column “{header}” are too large for a reading "
            "and were left blank."
        )
    try:
        zero = quantity.to_si(0.0, unit, kind)
        scale = quantity.to_si(1.0, unit, kind) - zero
    except quantity.QuantityError as err:
        raise LogError(f"{log.path}: column “{header}”: {err}") from err
    if (scale, zero) != (1.0, 0.0):
        values *= scale
        values += zero
    return values


def _in_order(
    log: LogLook, t: np.ndarray, arrays: dict[str, np.ndarray], remarks: list[str]
) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """The samples that have a time, in its order. Raises LogError where it is out of order too
    often to be a time.
    """
    if np.isnan(t).any():
        keep = ~np.isnan(t)
        t, arrays = t[keep], {k: v[keep] for k, v in arrays.items()}
        remarks.append(f"{int((~keep).sum())} lines without a time were omitted.")
    back = np.nonzero(np.diff(t) < 0)[0]
    if len(back) > _TOLERATED * len(t):
        raise LogError(
            f"{log.path}: the time runs backwards {len(back)} times, first after line"
            f" {int(back[0]) + log.skip + 2}; is it the time?"
        )
    if len(back):
        order = np.argsort(t, kind="stable")
        t, arrays = t[order], {k: v[order] for k, v in arrays.items()}
        remarks.append(f"{len(back)} lines out of order were sorted.")
    return t, arrays


def write(path: Path, recording: Recording) -> None:
    """Writes a recording as CSV with units in its header."""
    units = {
        "t": "s",
        "cell": "counts",
        "force": "N",
        "speed": "rpm",
        "motor_speed": "rpm",
        "input_force": "N",
        "voltage": "V",
        "current": "A",
        "temperature": "°C",
        "mass": "kg",
        "load_voltage": "V",
        "load_current": "A",
        "force_2": "N",
        "cell_2": "counts",
        "torque": "N·m",
        "angle": "deg",
    }
    columns = {}
    for key, values in {"t": recording.t, **recording.channels}.items():
        kind = kind_of_channel(key)
        units.setdefault(key, quantity.kind_of(kind).si)
        zero = quantity.to_si(0.0, units[key], kind)
        scale = quantity.to_si(1.0, units[key], kind) - zero
        columns[f"{'time' if key == 't' else key} [{units[key]}]"] = pa.array(
            np.round((values - zero) / scale, 6)
        )
    pcsv.write_csv(pa.table(columns), path)


def _encoding(path: Path) -> str:
    """UTF-8 where it holds; else Latin-1, in which every byte is some letter."""
    decoder = codecs.getincrementaldecoder("utf-8")()
    with open(path, "rb") as f:
        try:
            while block := f.read(_BLOCK):
                if not block.isascii() or decoder.getstate()[0]:
                    decoder.decode(block)
            decoder.decode(b"", final=True)
        except UnicodeDecodeError:
            return "latin1"
    return "utf8"


def _joined(batches: Iterable[pa.RecordBatch], size: int) -> dict[str, np.ndarray]:
    """The columns of all batches, each in one array; little more than those is in memory. size: of
    the file [bytes].
    """
    arrays: dict[str, np.ndarray] = {}
    filled = room = 0
    for batch in batches:
        if filled + batch.num_rows > room:  # the first block tells about how many lines there are
            room = (
                (filled + batch.num_rows) * 5 // 4
                if filled
                else batch.num_rows * (size // _BLOCK + 2) * 21 // 20
            )
            arrays = {
                n: (
                    np.concatenate([arrays[n][:filled], np.empty(room - filled)])
                    if filled
                    else np.empty(room)
                )
                for n in batch.schema.names
            }
        for name, column in zip(batch.schema.names, batch.columns, strict=True):
            arrays[name][filled : filled + batch.num_rows] = column.to_numpy(zero_copy_only=False)
        filled += batch.num_rows
    return {name: values[:filled] for name, values in arrays.items()}


def _forgiving(
    log: LogLook, batches: Iterable[pa.RecordBatch], remarks: list[str]
) -> Iterator[pa.RecordBatch]:
    """Figures of a log some of whose cells are none: those are left empty, unless there are too
    many.
    """
    bad, first, rows, columns = 0, "", 0, 0
    for batch in batches:
        out = []
        columns = batch.num_columns
        for name in batch.schema.names:
            text = pc.utf8_trim_whitespace(batch.column(name))
            if log.decimal == ",":
                text = pc.replace_substring(text, ",", ".")
            numeric = pc.match_substring_regex(text, r"^[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?$")
            wrong = pc.and_(pc.invert(numeric), pc.greater(pc.utf8_length(text), 0))
            count = pc.sum(wrong).as_py() or 0
            if count and not first:
                row = pc.index(wrong, True).as_py()
                first = (
                    f"“{text[row].as_py()[:30]}” in column “{log.columns[int(name[1:])].header}” "
                    f"at line {rows + row + log.skip + 1 + log.has_header}"
                )
            bad += count
            out.append(pc.cast(pc.if_else(numeric, text, None), pa.float64()))
        rows += batch.num_rows
        yield pa.record_batch(out, names=batch.schema.names)
    if bad > _TOLERATED * max(1, rows * columns):
        raise LogError(f"{log.path}: {bad} cells are not numbers, the first {first}")
    if bad:
        remarks.append(f"{bad} cells are not numbers and were left blank, the first {first}.")
