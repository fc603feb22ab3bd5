"""Everything that can be written. A further format is a module in `out` and a line here."""

from __future__ import annotations

from typing import Any

from sparring.exchange.export import Export
from sparring.exchange.out import certificate, outline, record, result, sheet, test_folder

EXPORTS: tuple[Export[Any], ...] = (
    test_folder.EXPORT,
    result.JSON,
    result.CSV,
    sheet.EXPORT,
    record.BUILD,
    outline.SVG,
    outline.DXF,
    certificate.CELL,
    certificate.METER,
)


def exports_of(source: type[Any]) -> tuple[Export[Any], ...]:
    """Those that are written from such a thing."""
    return tuple(e for e in EXPORTS if e.of == source.__name__)


def export(id: str) -> Export[Any]:
    """The one of that id. Raises KeyError."""
    return {e.id: e for e in EXPORTS}[id]
