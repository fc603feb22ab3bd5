"""How each build of a comparison looks in all charts: a colour, a marker and a dash of its own."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import Qt

_COLOURS = 8
_MARKERS = ("d", "s", "o", "t1", "p", "t", "star", "h")
_GLYPHS = "◆■●▲⬟▼★⬢"
_DASHES = (
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.DashLine,
    Qt.PenStyle.DotLine,
    Qt.PenStyle.DashDotLine,
    Qt.PenStyle.DashDotDotLine,
)


class Look(NamedTuple):
    """colour: of the theme; marker: of the chart library, glyph: the same in a text; dash."""

    colour: str
    marker: str
    glyph: str
    dash: Qt.PenStyle


def look(place: int) -> Look:
    """Of the build at a place; colour and marker shift against each other from the ninth on."""
    marker = (place + place // _COLOURS) % len(_MARKERS)
    return Look(
        f"build-{place % _COLOURS + 1}",
        _MARKERS[marker],
        _GLYPHS[marker],
        _DASHES[place % len(_DASHES)],
    )
