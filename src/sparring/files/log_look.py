"""What is in a log of another logger, as far as its head tells: CSV and TSV with or without header,
comments, units, decimal commas.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import product
from pathlib import Path

from sparring.core import quantity, several
from sparring.core.recording import CHANNELS

_PEEK = 64_000
_LARGEST = 4_000_000_000  # bytes


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
    (r"motor.*(speed|rpm|drehzahl)|(speed|rpm).*(motor|input|crank)|rpm_?in|^n_?m", "motor_speed"),
    (r"(crank|input).*(force|pull|kraft)|(force|pull).*(crank|input)", "input_force"),
    (r"(crank|input).*(turns?|rev)", "motor_speed"),
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
    (r"motor.?(angle|winkel)|(angle|winkel).*motor", "motor_angle"),
    (r"angle|winkel|^phi$|encoder", "angle"),
    (r"force|load ?cell|pull|kraft|^f$", "force"),
    (r"mass|weight|load|gewicht", "mass"),
    (r"temp|°c|celsius", "temperature"),
    (r"curr|amp|strom|^i ?\d?$", "current"),
    (r"volt|spannung|^[uv] ?\d?$|bus", "voltage"),
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
                f"{path}: {path.stat().st_size / 1e9:.1f} GB are too large for one log; "
                "split it into parts"
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
        raise LogError(f"{path} contains only comments")
    found = _separators([line for _, line in body[-40:]])
    if found is None:
        raise LogError(
            f"{path}: no lines of numbers found in its first {len(lines)} lines; separate "
            "columns by comma, semicolon, tab or space"
        )
    delimiter, decimal = found
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
    return LogLook(
        path,
        delimiter,
        decimal,
        skip=start,
        has_header=has_header,
        columns=tuple(columns),
        preview=preview,
    )


def _separators(lines: list[str]) -> tuple[str, str] | None:
    """(delimiter, decimal sign) that make most of the cells figures, in lines of one number of
    columns; None where none do. A line at rest may have few cells that tell the decimal sign.
    """
    scores: list[tuple[int, str, str]] = []
    for delimiter, decimal in product(("\t", ";", ",", " "), (".", ",")):
        if decimal == delimiter:
            continue
        rows = [cells for c in lines if _figures(cells := _split(c, delimiter), decimal)]
        widths = [len(cells) for cells in rows]
        if widths and (width := max(set(widths), key=widths.count)) > 1:
            filled = [c for cells in rows if len(cells) == width for c in cells if c.strip()]
            numbers = sum(_is_number(c, decimal) for c in filled)
            scores.append((2 * numbers - len(filled), delimiter, decimal))
    best = max(scores, key=lambda found: found[0], default=None)
    return None if best is None else best[1:]


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
    if channel in ("current", "voltage") and (n := re.search(r"(?:^|\D)([1-8])$", name)):
        channel = several.own(channel, int(n[1]))
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
