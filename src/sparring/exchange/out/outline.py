"""Outlines of parts, in millimetres."""

from __future__ import annotations

from pathlib import Path

from sparring.exchange.export import Export, Part


def write(source: Part, path: Path) -> None:
    """The form that the path's ending says."""
    from sparring.files import outline_files

    body = source.body
    teeth = f", {body.teeth} teeth" if body.teeth else ""
    title = f"{source.build.name}, stage {source.stage + 1} {body.name}{teeth}"
    outline_files.save(path, body.outline(lambda _shaft: 0.0), title)


SVG = Export("outline-svg", "SVG drawing", "Part", suffix=".svg", write=write)
DXF = Export("outline-dxf", "DXF drawing", "Part", suffix=".dxf", write=write)
