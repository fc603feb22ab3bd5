"""The lines a bench speaks, and how they are read.

    # columns: seq, t/ms, cell/counts, speed/rpm, voltage/V, current/A      names and units, once and on request
    12,150.2,83922,119.7,12.02,0.80*4F1C                                    a sample; the checksum (CRC-16) is optional
    > hang ok 1.4 kg                                                        reply to a command
    ! top                                                                   something happened: top, bottom, stalled, limit

A home-made board that only prints numbers is read with a `Mapping` of its columns to sensors.
"""

from __future__ import annotations

import binascii
import math
import re
from collections.abc import Callable
from dataclasses import dataclass, field

from sparring.core import quantity
from sparring.core.recording import CHANNELS

_LONGEST = 4096


class LineError(ValueError):
    """A header or mapping that cannot be used; the message says why."""


@dataclass(frozen=True)
class Column:
    """One column of the samples: channel key ('seq', 't', '' = ignored) and the unit it is sent in."""

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
        """`seq, t/ms, cell/counts`. Raises LineError naming the column that is not understood; unknown names are ignored."""
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
class Sample:
    """One line of figures: board time [s] (None: the board sends none), SI values in the mapping's channel order."""

    seq: int | None
    t: float | None
    values: tuple[float, ...]


@dataclass(frozen=True)
class Event:
    """A word from the bench. kind: 'reply', 'happened' or 'comment'."""

    kind: str
    text: str


@dataclass
class Tally:
    """What the line was worth: samples read, lines garbled, lines known lost by their sequence number."""

    samples: int = 0
    garbled: int = 0
    lost: int = 0
    last_garbled: str = ""


@dataclass
class LineReader:
    """Bytes in, samples and events out. Lines that do not hold together are counted and shown, never guessed at."""

    mapping: Mapping | None = None
    on_mapping: Callable[[Mapping], None] | None = None
    tally: Tally = field(default_factory=Tally)
    _rest: bytes = b""
    _last_seq: int | None = None
    _skipping: bool = False
    _plan: tuple[int, list[tuple[int, float, float]], int | None, int | None, float] | None = None

    def feed(self, data: bytes) -> list[Sample | Event]:
        """All complete lines in `data` and what was left before."""
        self._rest += data
        *lines, self._rest = self._rest.split(b"\n")
        if len(self._rest) > _LONGEST:
            self._garble(self._rest[:60])
            self._rest, self._skipping = b"", True
        found: list[Sample | Event] = []
        for line in lines:
            if self._skipping:
                self._skipping = False
                continue
            item = self._line(line.strip())
            if item is not None:
                found.append(item)
        return found

    def reset(self) -> None:
        """Forget the half line and the sequence: the cable was pulled."""
        self._rest, self._last_seq, self._skipping = b"", None, False

    def _garble(self, line: bytes) -> None:
        self.tally.garbled += 1
        self.tally.last_garbled = line[:60].decode("ascii", "replace")

    def _line(self, line: bytes) -> Sample | Event | None:
        if not line:
            return None
        first = line[:1]
        if first in b"#>!":
            try:
                text = line[1:].decode("utf-8").strip()
            except UnicodeDecodeError:
                self._garble(line)
                return None
            if first == b"#":
                return self._comment(text)
            return Event("reply" if first == b">" else "happened", text)
        star = line.rfind(b"*")
        if star >= 0:
            body, said = line[:star], line[star + 1 :]
            if not re.fullmatch(rb"[0-9A-Fa-f]{4}", said) or int(said, 16) != binascii.crc_hqx(body, 0xFFFF):
                self._garble(line)
                return None
            line = body
        if self.mapping is None:
            return None  # figures before the header: their meaning is not known yet
        if self._plan is None:
            self._plan = self._prepare(self.mapping)
        width, wanted, seq_at, t_at, t_scale = self._plan
        parts = line.split(b",") if b"," in line else line.split()
        if len(parts) != width:
            self._garble(line)
            return None
        try:
            values = tuple([float(parts[i]) * f + z for i, f, z in wanted])
            seq = int(parts[seq_at]) if seq_at is not None else None
            t = float(parts[t_at]) * t_scale if t_at is not None else None
        except ValueError:
            self._garble(line)
            return None
        if any(math.isinf(v) for v in values) or (t is not None and not math.isfinite(t)):
            self._garble(line)
            return None
        if seq is not None:
            if self._last_seq is not None and seq > self._last_seq + 1:
                self.tally.lost += seq - self._last_seq - 1
            self._last_seq = seq
        self.tally.samples += 1
        return Sample(seq, t, values)

    def _comment(self, text: str) -> Event | None:
        if text.startswith("columns:"):
            try:
                mapping = Mapping.from_header(text.removeprefix("columns:"))
            except LineError:
                self._garble(text.encode()[:60])
                return None
            if mapping != self.mapping:
                self.mapping, self._plan = mapping, None
                if self.on_mapping:
                    self.on_mapping(mapping)
        return Event("comment", text)

    @staticmethod
    def _prepare(mapping: Mapping) -> tuple[int, list[tuple[int, float, float]], int | None, int | None, float]:
        columns = mapping.columns
        wanted = [(i, *c.scale()) for i, c in enumerate(columns) if c.channel not in ("seq", "t", "")]
        seq_at = next((i for i, c in enumerate(columns) if c.channel == "seq"), None)
        t_at = next((i for i, c in enumerate(columns) if c.channel == "t"), None)
        return len(columns), wanted, seq_at, t_at, columns[t_at].scale()[0] if t_at is not None else 1.0


def with_checksum(body: str) -> bytes:
    """A sample line as it is sent."""
    raw = body.encode("ascii")
    return raw + b"*%04X\n" % binascii.crc_hqx(raw, 0xFFFF)
