"""The lines a bench speaks, and how they are read.

    # columns: seq, t/ms, cell/counts, speed/rpm, voltage/V, current/A      names and units, once
    and on request 12,150.2,83922,119.7,12.02,0.80*4F1C                                    a sample;
    the checksum (CRC-16) is optional > hang ok 1.4 kg
    reply to a command ! top
    something happened: top, bottom, stalled, limit

A home-made board that only prints numbers is read with a `Mapping` of its columns to sensors.
"""

from __future__ import annotations

import binascii
import math
import re
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from sparring.core import quantity, several
from sparring.core.recording import CHANNELS

SIMULATED = "simulated bench"
"""The comment by which a simulated board says what it is."""
SHARED = "shared bench"
"""The comment of one that somebody else drives, and only lets see."""
_LONGEST = 4096
_LARGEST = 1e10  # figure, in whatever unit
_SKIPPED = 10_000  # lines
_SILENT = 2.0  # [s] between two lines
_JITTER = 0.5  # [s] that a clock may go back
_AGREE = 3  # lines
_SUM = re.compile(rb"[0-9A-Fa-f]{4}")
_Row = tuple[int | None, float, list[float]]


class LineError(ValueError):
    """A header or mapping that cannot be used; the message says why."""


@dataclass(frozen=True)
class Column:
    """One column of the samples: channel key ('seq', 't', '' = ignored) and
    the unit it is sent in."""

    channel: str
    unit: str = ""

    def to_si(self, value: float) -> float:
        if self.channel in ("seq", ""):
            return value
        kind = "time" if self.channel == "t" else CHANNELS[self.channel].kind
        return quantity.to_si(value, self.unit, kind)

    def scale(self) -> tuple[float, float]:
        """(factor, offset) to SI."""
        zero = self.to_si(0.0)
        return self.to_si(1.0) - zero, zero


@dataclass(frozen=True)
class Mapping:
    """What the columns of the samples mean, left to right."""

    columns: tuple[Column, ...]

    @classmethod
    def from_header(cls, text: str) -> Mapping:
        """`seq, t/ms, cell/counts`. Raises LineError naming the column that is not understood;
        unknown names are ignored.
        """
        columns = []
        for part in (p.strip() for p in text.split(",")):
            name, _, unit = part.partition("/")
            name = {"time": "t"}.get(name.strip(), name.strip())
            known = name in CHANNELS or name in ("seq", "t")
            column = Column(name if known else "", unit.strip())
            try:
                column.scale()
            except quantity.QuantityError as err:
                raise LineError(f"column “{part}”: {err}") from err
            columns.append(column)
        return cls(tuple(columns))

    def header(self) -> str:
        return ", ".join(f"{c.channel}/{c.unit}" if c.unit else c.channel for c in self.columns)

    @property
    def channels(self) -> tuple[str, ...]:
        return tuple(c.channel for c in self.columns if c.channel not in ("seq", "t", ""))


@dataclass(frozen=True)
class Block:
    """Samples that came together under one header. t: shape (n,), the board's time [s], NaN where
    it sends none; values: shape (n, channels of the mapping), SI."""

    mapping: Mapping
    t: np.ndarray
    values: np.ndarray

    def __len__(self) -> int:
        return len(self.t)

    def whole(self) -> Block:
        """With what all motors take together beside what each takes."""
        own = self.mapping.channels
        if several.own("current", 1) not in own:
            return self
        found = several.whole(dict(zip(own, self.values.T, strict=True)))
        columns = tuple(Column(channel) for channel in found)
        return Block(Mapping(columns), self.t, np.column_stack([*found.values()]))


@dataclass(frozen=True)
class Event:
    """A word from the bench. kind: 'reply', 'happened' or 'comment'."""

    kind: str
    text: str


@dataclass
class Tally:
    """What the line was worth: samples read, lines garbled, lines known lost by their sequence
    number.
    """

    samples: int = 0
    garbled: int = 0
    lost: int = 0
    last_garbled: str = ""


@dataclass
class LineReader:
    """Bytes in, blocks of samples and events out. Lines that do not hold together are counted and
    shown, never guessed at.

    Sequence and time have plausible steps: a line that leaps is held until `_AGREE` lines agree
    with it (the board began anew, or was silent), and is counted as garbled when the next goes on
    from before it.
    """

    mapping: Mapping | None = None
    on_mapping: Callable[[Mapping], None] | None = None
    tally: Tally = field(default_factory=Tally)
    _rest: bytes = b""
    _summed: int = 0  # lines with a good checksum since the port was opened
    _skipping: bool = False
    _plan: _Plan | None = None
    _last: _Row | None = None
    _held: list[tuple[bytes, _Row]] = field(default_factory=list)
    _rows: list[_Row] = field(default_factory=list)
    _found: list[Block | Event] = field(default_factory=list)

    def feed(self, data: bytes) -> list[Block | Event]:
        """All complete lines in `data` and what was left before, in the order they came."""
        self._rest += data
        *lines, self._rest = self._rest.split(b"\n")
        if len(self._rest) > _LONGEST:
            self._garble(self._rest[:60])
            self._rest, self._skipping = b"", True
        for line in lines:
            if self._skipping:
                self._skipping = False
                continue
            line = line.strip()
            if line[:1] in (b"#", b">", b"!"):
                self._block()  # what came before a new header has the old one
                event = self._event(line)
                if event is not None:
                    self._found.append(event)
            elif line:
                self._sample(line)
        self._block()
        found, self._found = self._found, []
        return found

    def reset(self) -> None:
        """Forgets the half line: the cable was pulled."""
        self._rest, self._skipping = b"", False
        self._summed = 0

    def _garble(self, line: bytes) -> None:
        self.tally.garbled += 1
        self.tally.last_garbled = line[:60].decode("ascii", "replace")

    def _block(self) -> None:
        rows, self._rows = self._rows, []
        if not rows:
            return
        assert self.mapping is not None
        assert self._plan is not None
        t = np.array([r[1] for r in rows])
        values = np.array([r[2] for r in rows]).reshape(len(rows), -1)
        self._found.append(Block(self.mapping, t, values * self._plan.factors + self._plan.zeros))

    def _event(self, line: bytes) -> Event | None:
        try:
            text = line[1:].decode("utf-8").strip()
        except UnicodeDecodeError:
            self._garble(line)
            return None
        if line[:1] == b"#":
            return self._comment(text)
        return Event("reply" if line[:1] == b">" else "happened", text)

    def _sample(self, line: bytes) -> None:
        body, star, said = line.rpartition(b"*")
        if star:
            if not _SUM.fullmatch(said) or int(said, 16) != binascii.crc_hqx(body, 0xFFFF):
                self._garble(line)
                return
            self._summed += 1
        elif self._summed >= _AGREE:  # a board that sends sums lost the star of this one
            self._garble(line)
            return
        else:
            body = line
        if self.mapping is None:
            return  # figures before the header: their meaning is not known yet
        if self._plan is None:
            self._plan = _Plan.of(self.mapping)
        row = self._plan.read(body)
        if row is None:
            self._garble(line)
        elif self._last is None or _follows(self._last, row):
            for held, _ in self._held:
                self._garble(held)
            self._held.clear()
            self._take(row)
        else:
            if self._held and not _follows(self._held[-1][1], row):
                self._garble(self._held[-1][0])
                self._held.clear()
            self._held.append((line, row))
            if len(self._held) >= _AGREE:
                self._block()  # of one clock each
                self._last = None
                for _, agreed in self._held:
                    self._take(agreed)
                self._held.clear()

    def _take(self, row: _Row) -> None:
        if self._last is not None and row[0] is not None and self._last[0] is not None:
            self.tally.lost += row[0] - self._last[0] - 1
        self._last = row
        self._rows.append(row)
        self.tally.samples += 1

    def _comment(self, text: str) -> Event | None:
        if text.startswith("columns:"):
            try:
                mapping = Mapping.from_header(text.removeprefix("columns:"))
            except LineError:
                self._garble(text.encode()[:60])
                return None
            if mapping != self.mapping:
                self.mapping, self._plan, self._last = mapping, None, None
                self._held.clear()
                if self.on_mapping:
                    self.on_mapping(mapping)
        return Event("comment", text)


def _follows(before: _Row, after: _Row) -> bool:
    """Whether a line can come after another: no step back, none further than
    a board is silent for."""
    # NaN, where the board sends no time, passes
    return (before[0] is None or after[0] is None or 0 < after[0] - before[0] <= _SKIPPED) and not (
        after[1] < before[1] - _JITTER or after[1] > before[1] + _SILENT
    )


@dataclass(frozen=True)
class _Plan:
    """How the figures of a line are read: what a mapping says, worked out once."""

    width: int
    wanted: list[int]
    factors: np.ndarray
    zeros: np.ndarray
    seq_at: int | None
    t_at: int | None
    t_scale: float

    @classmethod
    def of(cls, mapping: Mapping) -> _Plan:
        columns = mapping.columns
        wanted = [i for i, c in enumerate(columns) if c.channel not in ("seq", "t", "")]
        scales = np.array([columns[i].scale() for i in wanted]).reshape(-1, 2)
        seq_at = next((i for i, c in enumerate(columns) if c.channel == "seq"), None)
        t_at = next((i for i, c in enumerate(columns) if c.channel == "t"), None)
        return cls(
            len(columns),
            wanted,
            scales[:, 0],
            scales[:, 1],
            seq_at,
            t_at,
            columns[t_at].scale()[0] if t_at is not None else 1.0,
        )

    def read(self, body: bytes) -> _Row | None:
        """(sequence, time [s], figures in the board's units); None where it is no line of these
        columns. A figure may be NaN.
        """
        parts = body.split(b",") if b"," in body else body.split()
        if len(parts) != self.width or len(body) > _LONGEST:
            return None
        try:
            figures = [float(parts[i]) for i in self.wanted]
            seq = int(parts[self.seq_at]) if self.seq_at is not None else None
            t = float(parts[self.t_at]) * self.t_scale if self.t_at is not None else math.nan
        except ValueError:
            return None
        if any(abs(v) > _LARGEST for v in figures) or (
            self.t_at is not None and not abs(t) < _LARGEST
        ):
            return None
        return seq, t, figures


def with_checksum(body: str) -> bytes:
    """A sample line as it is sent."""
    raw = body.encode("ascii")
    return raw + b"*%04X\n" % binascii.crc_hqx(raw, 0xFFFF)
