"""What a bench's answer to a command says."""

from __future__ import annotations

import math
import re

_FIGURE = re.compile(r"[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?")


def refusal(reply: str) -> str:
    """Why a command was refused, by what follows it in the reply; "" where it was not."""
    if reply.startswith("ok"):
        return ""
    return reply.removeprefix("refused").lstrip(": ") or "without a reason"


def figure_of(reply: str) -> float | None:
    """The figure that a reply confirms; None: it names none."""
    said = _FIGURE.search(reply.removeprefix("ok"))
    return float(said[0]) if said else None


def unlike(word: str, asked: str, reply: str) -> str:
    """Why a reply does not confirm what was asked for, in words, or ""."""
    figure = figure_of(reply)
    if word == "tare" and (figure is None or not math.isfinite(figure)):
        return f"The bench answers “tare {reply}”, without a reading: tare again."
    if figure is None or word not in ("hang", "resistor", "drive"):
        return ""
    wanted, unit = float(asked), " V" if word == "drive" else ""
    if abs(figure - wanted) <= 1e-3 * abs(wanted) + 1e-9:
        return ""
    return (
        f"The bench says “{word} {reply}” where {asked}{unit} was requested; nothing was started."
    )
