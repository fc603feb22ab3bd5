"""Outlines of parts as SVG and DXF, in millimetres, for making or checking a part."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np


class OutlineError(ValueError):
    """The file could not be written; says why."""


def save(path: Path, loops: Sequence[np.ndarray], title: str) -> None:
    """Writes closed outlines [m], shape (n, 2) each; the suffix says which form. Raises
    OutlineError.
    """
    try:
        if path.suffix.lower() == ".svg":
            path.write_text(svg(loops, title), encoding="utf-8")
        elif path.suffix.lower() == ".dxf":
            _dxf(loops).saveas(path)
        else:
            raise OutlineError(f"{path.name} is neither .svg nor .dxf; use one of these extensions")
    except OSError as err:
        raise OutlineError(f"{path} could not be written: {err.strerror}") from err


def svg(loops: Sequence[np.ndarray], title: str) -> str:
    """One path of all loops, filled odd-even; the page is as large as the part, so it prints at
    1:1.
    """
    from xml.sax.saxutils import escape

    points = np.vstack(loops) * 1e3
    (x0, y0), (x1, y1) = points.min(axis=0) - 1, points.max(axis=0) + 1
    d = " ".join(
        "M" + " L".join(f"{x:.4f},{-y:.4f}" for x, y in (loop[:-1] * 1e3).tolist()) + " Z"
        for loop in loops
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{x1 - x0:.3f}mm" height="{y1 - y0:.3f}mm"'
        f' viewBox="{x0:.3f} {-y1:.3f} {x1 - x0:.3f}'
        f' {y1 - y0:.3f}">\n<title>{escape(title)}</title>\n<path d="{d}" fill="#dce6da"'
        ' fill-rule="evenodd" stroke="#1a221e" stroke-width="0.05"/>\n</svg>\n'
    )


def _dxf(loops: Sequence[np.ndarray]):  # type: ignore[no-untyped-def]
    """A drawing of closed polylines."""
    from ezdxf import units
    from ezdxf.filemanagement import new

    drawing = new("R2000", units=units.MM)
    space = drawing.modelspace()
    for loop in loops:
        space.add_lwpolyline((loop[:-1] * 1e3).tolist(), close=True)
    return drawing
