"""Logs that other loggers wrote: CSV and TSV with or without header, comments, units, decimal
commas.

A log is looked at first (`look`), so that a person can correct what was guessed, and then read
(`read`).
"""

from __future__ import annotations

import codecs
import io
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pcsv

from sparring.core import quantity
from sparring.core.recording import CHANNELS, Recording

_PEEK = 64_000
_BLOCK = 1 << 20  # bytes read at a time
_LARGEST = 4_000_000_000  # bytes
_BEYOND = 1e15  # no sensor reads so much in any unit
_TOLERATED = 0.05  # part of unreadable cells beyond which a log is refused


class LogError(ValueError):
    """A log that cannot be read; the message names file, line and what to do."""


@dataclass(frozen=True)
class ColumnGuess:
    """What a column seems to be. channel: 't', a channel key or '' (ignored); unit: as text, ''
    where none is known.
    """

    header: str
    channel: str
    unit: str


@dataclass(frozen=True)
class LogLook:
    """The shape of a log file: how to split it, and what its columns seem to be."""

    path: Path
    delimiter: str
    decimal: str
    skip: int  # lines before the header or, lacking one, before the figures
    has_header: bool
    columns: tuple[ColumnGuess, ...]
    preview: tuple[tuple[str, ...], ...]

    def key(self) -> str:
        """Names the layout, so that a mapping can be remembered for the next file of the same
        logger.
        """
        return self.delimiter + "|" + "|".join(c.header for c in self.columns)


_NAMES: tuple[tuple[str, str], ...] = (  # first match wins
    (r"^(t|time|zeit|seconds?|timestamp|elapsed|ms|millis)\b", "t"),
    (r"motor.*(speed|rpm|drehzahl)|(speed|rpm).*(motor|input)|rpm_?in|^n_?m", "motor_speed"),
    (r"speed|rpm|omega|drehzahl|tach|^n$", "speed"),
    (r"load.*volt|volt.*load", "load_voltage"),
    (r"load.*(curr|amp)|curr.*load", "load_current"),
    (
        r"(count|raw|adc|cell)s?[ _]?2\b.*(count|raw|adc)|(count|raw|adc)s?[ _]?2$|^cell[ _]?2$",
        "cell_2",
    ),
    (r"count|raw|adc|^cell$", "cell"),
    (r"(force|cell|pull|kraft).*2|slack", "force_2"),
    (r"torque|moment", "torque"),
    (r"angle|winkel|^phi$|encoder", "angle"),
    (r"force|load ?cell|pull|kraft|^f$", "force"),
    (r"mass|weight|load|gewicht", "mass"),
    (r"temp|°c|celsius", "temperature"),
    (r"curr|amp|strom|^i$", "current"),
    (r"volt|spannung|^u$|^v$|bus", "voltage"),
)
_UNIT_KINDS = {
    "V": "voltage",
    "mV": "voltage",
    "A": "current",
    "mA": "current",
    "rpm": "speed",
    "rad/s": "speed",
    "N": "force",
    "N·m": "torque",
    "deg": "angle",
    "s": "t",
    "ms": "t",
    "°C": "temperature",
    "degC": "temperature",
    "kg": "mass",
    "g": "mass",
}


def kind_of_channel(channel: str) -> str:
    return "time" if channel == "t" else CHANNELS[channel].kind


def look(path: Path) -> LogLook:
    """Looks at the head of a log. Raises LogError when it is empty, binary or has no figures."""
    try:
        if path.exists() and not path.is_file():
            raise LogError(f"{path} is a pipe, a device or a folder: save the log as a file first")
        if path.stat().st_size > _LARGEST:
            raise LogError(
                f"{path}: {path.stat().st_size / 1e9:.1f} GB are too much for one log; cut it into"
                " parts"
            )
        with open(path, "rb") as f:
            head = f.read(_PEEK)
    except OSError as err:
        raise LogError(f"{path}: {err.strerror or err}") from err
    if not head.strip():
        raise LogError(f"{path} is empty")
    if b"\0" in head:
        raise LogError(f"{path} is not a text file; export the log as CSV first")
    lines = head.decode("utf-8-sig", "replace").splitlines()
    if len(head) == _PEEK:
        lines = lines[:-1]
    body = [
        (n, line)
        for n, line in enumerate(lines)
        if line.strip() and not line.lstrip().startswith(("#", "%", "//"))
    ]
    if not body:
        raise LogError(f"{path} holds comments only")
    best: tuple[int, str, str] | None = None
    for delimiter in ("\t", ";", ",", " "):
        for decimal in (".", ","):
            if decimal == delimiter:
                continue
            widths = [
                len(cells)
                for _, line in body[-40:]
                if _figures(cells := _split(line, delimiter), decimal)
            ]
            if widths and (width := max(set(widths), key=widths.count)) > 1:
                score = widths.count(width) * 10 + width
                if best is None or score > best[0]:
                    best = (score, delimiter, decimal)
    if best is None:
        raise LogError(
            f"{path}: no lines of figures found in its first {len(lines)} lines; columns must be"
            " separated by comma, semicolon, tab or space"
        )
    _, delimiter, decimal = best
    first_figures = next(
        i for i, (_, line) in enumerate(body) if _figures(_split(line, delimiter), decimal)
    )
    width = len(_split(body[first_figures][1], delimiter))
    has_header = first_figures > 0 and len(_split(body[first_figures - 1][1], delimiter)) == width
    names = (
        [c.strip().strip('"') for c in _split(body[first_figures - 1][1], delimiter)]
        if has_header
        else [f"column {i + 1}" for i in range(width)]
    )
    taken: set[str] = set()
    columns = []
    for i, name in enumerate(names):
        guess = (
            _guess(name)
            if has_header
            else ColumnGuess(name, "t" if i == 0 else "", "s" if i == 0 else "")
        )
        if guess.channel in taken:
            guess = ColumnGuess(name, "", guess.unit)
        taken.add(guess.channel)
        columns.append(guess)
    start = body[first_figures - 1][0] if has_header else body[first_figures][0]
    preview = tuple(
        tuple(_split(line, delimiter)) for _, line in body[first_figures : first_figures + 12]
    )
    return LogLook(path, delimiter, decimal, start, has_header, tuple(columns), preview)


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
    chosen = (
        {i: (c.channel, c.unit) for i, c in enumerate(log.columns) if c.channel}
        if columns is None
        else dict(columns)
    )
    chosen = {i: c for i, c in chosen.items() if c[0]}
    by_channel = {channel: (i, unit) for i, (channel, unit) in chosen.items()}
    if "t" not in by_channel:
        raise LogError(f"{log.path}: no column is the time; choose one")
    if len(by_channel) < 2:
        raise LogError(f"{log.path}: only the time is mapped; choose at least the output speed")
    for channel, (i, unit) in by_channel.items():
        if not unit and kind_of_channel(channel) not in ("count", "ratio"):
            raise LogError(
                f"{log.path}: column “{log.columns[i].header}” has no unit; choose one of "
                + ", ".join(u for u in quantity.kind_of(kind_of_channel(channel)).units)
            )
    names = [f"c{i}" for i in range(len(log.columns))]
    dropped: list[int] = []

    def bad_row(row: pcsv.InvalidRow) -> str:
        dropped.append(row.number or 0)
        return "skip"

    remarks: list[str] = []
    wanted = [names[i] for i in chosen]
    try:
        read_options = pcsv.ReadOptions(
            column_names=names,
            skip_rows=log.skip + (1 if log.has_header else 0),
            encoding=_encoding(log.path),
            block_size=_BLOCK,
        )
        parse_options = pcsv.ParseOptions(delimiter=log.delimiter, invalid_row_handler=bad_row)
        strict = pcsv.ConvertOptions(
            include_columns=wanted,
            column_types=dict.fromkeys(wanted, pa.float64()),
            decimal_point=log.decimal,
            null_values=["", "nan", "NaN", "NA", "-", "null"],
        )

        size = log.path.stat().st_size

        def parts(convert: pcsv.ConvertOptions) -> Iterator[pa.RecordBatch]:
            with _Watched(log, progress) as source:
                yield from pcsv.open_csv(
                    pa.PythonFile(source, mode="r"), read_options, parse_options, convert
                )

        try:
            figures = _joined(parts(strict), size)
        except pa.ArrowInvalid:
            dropped.clear()
            as_text = pcsv.ConvertOptions(
                include_columns=wanted, column_types=dict.fromkeys(wanted, pa.string())
            )
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
        remarks.append(f"{len(dropped)} lines without {len(names)} columns were left out.")
    arrays: dict[str, np.ndarray] = {}
    for channel, (i, unit) in by_channel.items():
        values = figures[names[i]] if names[i] in figures else np.empty(0)
        with np.errstate(invalid="ignore"):
            beyond = np.abs(values) > _BEYOND
        if beyond.any():
            values[beyond] = np.nan
            remarks.append(
                f"{int(beyond.sum())} figures of column “{log.columns[i].header}” are too large for"
                " a reading and were left empty."
            )
        try:
            zero = quantity.to_si(0.0, unit, kind_of_channel(channel))
            scale = quantity.to_si(1.0, unit, kind_of_channel(channel)) - zero
        except quantity.QuantityError as err:
            raise LogError(f"{log.path}: column “{log.columns[i].header}”: {err}") from err
        if (scale, zero) != (1.0, 0.0):
            values *= scale
            values += zero
        arrays[channel] = values
    t = arrays.pop("t")
    if len(t) < 8:
        raise LogError(f"{log.path}: only {len(t)} lines of figures")
    if np.isnan(t).any():
        keep = ~np.isnan(t)
        t, arrays = t[keep], {k: v[keep] for k, v in arrays.items()}
        remarks.append(f"{int((~keep).sum())} lines without a time were left out.")
    steps = np.diff(t)
    back = np.nonzero(steps < 0)[0]
    if len(back) > _TOLERATED * len(t):
        raise LogError(
            f"{log.path}: the time runs backwards {len(back)} times, first after line"
            f" {int(back[0]) + log.skip + 2}; is it the time?"
        )
    if len(back):
        order = np.argsort(t, kind="stable")
        t, arrays = t[order], {k: v[order] for k, v in arrays.items()}
        remarks.append(f"{len(back)} lines out of order were put in order.")
    if t[-1] <= t[0]:
        raise LogError(
            f"{log.path}: the time stands still; is “{log.columns[by_channel['t'][0]].header}” the"
            " time?"
        )
    if t[0] != 0:
        t = t - t[0]
    return Recording(t, arrays), remarks


def write(path: Path, recording: Recording) -> None:
    """Writes a recording as CSV with units in its header."""
    units = {
        "t": "s",
        "cell": "counts",
        "force": "N",
        "speed": "rpm",
        "motor_speed": "rpm",
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
        raise LogError(f"{log.path}: {bad} cells are no numbers, the first {first}")
    if bad:
        remarks.append(f"{bad} cells are no numbers and were left empty, the first {first}.")


def _split(line: str, delimiter: str) -> list[str]:
    return line.split() if delimiter == " " else line.split(delimiter)


def _figures(cells: list[str], decimal: str) -> bool:
    """Whether a line holds figures: at least two, and no fewer than its words (a log may have a
    column of notes).
    """
    filled = [c for c in cells if c.strip()]
    numbers = sum(_is_number(c, decimal) for c in filled)
    return numbers >= 2 and 2 * numbers >= len(filled)


def _is_number(cell: str, decimal: str) -> bool:
    cell = cell.strip().strip('"')
    other = "," if decimal == "." else "."
    if other in cell:
        return False
    try:
        float(cell.replace(decimal, "."))
    except ValueError:
        return False
    return True


def _guess(header: str) -> ColumnGuess:
    match = re.search(r"[\[(]\s*([^\])]+?)\s*[\])]", header) or re.search(
        r"[ _/]([A-Za-zµ°%/·]+)$", header
    )
    unit = match.group(1) if match else ""
    if unit.lower() in ("degc", "c", "celsius"):
        unit = "°C"
    if unit.lower() in ("rpm", "1/min", "u/min", "min-1"):
        unit = "rpm"
    if unit.lower() in ("sec", "seconds"):
        unit = "s"
    name = re.sub(r"[\[(].*", "", header).strip().lower().replace("_", " ")
    channel = next(
        (c for pattern, c in _NAMES if re.search(pattern, name)), _UNIT_KINDS.get(unit, "")
    )
    if not channel:
        return ColumnGuess(header, "", unit)
    if channel == "t" and not unit and "ms" in name.split():
        unit = "ms"
    if channel == "force" and unit in ("kg", "g", "lb"):
        pass  # a weight in kilograms stands for its force
    if unit or kind_of_channel(channel) in ("count",):
        try:
            (
                quantity.factor(unit, kind_of_channel(channel))
                if kind_of_channel(channel) != "temperature"
                else None
            )
        except quantity.QuantityError:
            unit = ""
    if not unit and "rpm" in name.split():
        unit = "rpm"
    return ColumnGuess(header, channel, unit)
