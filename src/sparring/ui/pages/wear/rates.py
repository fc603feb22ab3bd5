"""Wear rate and life left, in a table and in sentences."""

from __future__ import annotations

import math

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from sparring.core.wear.course import Span
from sparring.core.wear.result import FlankWear
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.parts import Table, heading, note

_HEAD = ["flank", "lost µm", "k_w 10⁻⁶", "µm/1000", "left, thousands"]


class Rates(QWidget):
    """`picked` with the part whose row was chosen."""

    picked = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(heading("Wear rate and life left"))
        self.table = Table(_HEAD, "Wear of each flank")
        self.table.setToolTip(
            "Thinning of each flank until the last inspection; wear coefficient in mm³/(N·m); "
            "thinning for 1000 turns of the output; turns of the output until it is as thin as "
            "allowed, with the 95 % interval"
        )
        self.table.itemSelectionChanged.connect(self._chosen)
        self.table.setMinimumHeight(64)
        column.addWidget(self.table, 1)
        self.told = note("")
        column.addWidget(self.told)

    def refresh(self) -> None:
        wear = self.desk.wear
        rows = [self._row(f) for f in wear.flanks] if wear is not None else []
        self.table.blockSignals(True)
        self.table.fill(rows)
        self.table.setVisible(bool(rows))
        self.table.blockSignals(False)
        self.told.setText(self._in_words())

    def _row(self, f: FlankWear) -> list[str]:
        name = f.flank.body.removeprefix("stage ")
        side = "" if f.flank.side == "driving flank" else f", {f.flank.side}"
        return [
            f"{name}{side}",
            _pm(f.thinning, 1e6),
            _pm(f.k_w, 1e15),
            _pm(f.per_turn, 1e9),
            _thousands(f.left),
        ]

    def _chosen(self) -> None:
        row, wear = self.table.currentRow(), self.desk.wear
        if wear is not None and 0 <= row < len(wear.flanks):
            self.picked.emit(wear.flanks[row].flank.body)

    def _in_words(self) -> str:
        wear, looks = self.desk.wear, self.desk.looks
        if self.desk.wear_failed:
            return self.desk.wear_failed
        if not looks:
            return (
                "No inspection yet. One when the drive is new, with its sizes, makes all that "
                "follow tell more."
            )
        if wear is None:
            return "It is being worked out."
        parts = []
        if not wear.flanks:
            parts.append(
                "No rate: sizes, masses or backlash of two looks, one of them when new, tell it."
            )
        if wear.ends is not None:
            hours = ""
            if wear.ends.hours is not None and math.isfinite(wear.ends.hours.value):
                hours = f", {rough_span(wear.ends.hours)} h at the stated duty"
            left = rough_span(wear.ends.left)
            parts.append(f"Ends by {wear.ends.reason}: {left} turns{hours}.")
        if wear.next_look is not None and wear.ends is not None and wear.ends.left.value > 0:
            parts.append(f"Look next at {rough(wear.next_look)} turns.")
        for x in self.desk.worn_peers[:2]:
            low, high = f"{x.times.low:.2g}", f"{x.times.high:.2g}"
            if x.differs:
                parts.append(
                    f"Wears {x.times.value:.2g} ({low} to {high}) times as fast as {x.peer.name}, "
                    f"{x.peer.lubricant}."
                )
            else:
                parts.append(f"Cannot be told apart from {x.peer.name} ({low} to {high} times).")
        if any(f.together for f in wear.flanks):
            parts.append("One rate for those that only the backlash tells.")
        return " ".join(parts)


def _pm(x: Span, scale: float) -> str:
    return plus_minus(x.value * scale, 2 * x.u * scale)


def plus_minus(value: float, half: float) -> str:
    """A figure with its ±, as many digits as that warrants."""
    if not math.isfinite(half) or half <= 0:
        return f"{value:.3g}"
    digits = max(0, 1 - math.floor(math.log10(half)))
    if half >= 10:
        step = 10.0 ** (math.floor(math.log10(half)) - 1)
        return f"{step * round(value / step):.0f} ± {step * round(half / step):.0f}"
    return f"{value:.{digits}f} ± {half:.{digits}f}"


def _thousands(x: Span | None) -> str:
    """`640 (290 to 1600)`."""
    if x is None:
        return "–"
    low, value, high = (f"{float(f'{v / 1e3:.2g}'):g}" for v in (x.low, x.value, x.high))
    if not math.isfinite(x.value):
        return f"> {low}"
    return f"{value} ({low} to {high if math.isfinite(x.high) else '…'})"


def rough(x: float) -> str:
    """A large number to two digits: `1.4 million`, `650 thousand`."""
    if not math.isfinite(x):
        return "∞"
    for size, word in ((1e9, " billion"), (1e6, " million"), (1e4, " thousand")):
        if abs(x) >= size:
            scaled = x / (1e3 if size == 1e4 else size)
            return f"{float(f'{scaled:.2g}'):g}{word}"
    return f"{float(f'{x:.2g}'):g}"


def rough_span(x: Span | None) -> str:
    """`1.4 million (0.7 to 4)`."""
    if x is None:
        return "–"
    if not math.isfinite(x.value):
        return f"more than {rough(x.low)}"
    high = rough(x.high) if math.isfinite(x.high) else "…"
    low, word = rough(x.low), high.partition(" ")[2]
    if word and low.endswith(f" {word}"):
        low = low.removesuffix(f" {word}")
    return f"{rough(x.value)} ({low} to {high})"
