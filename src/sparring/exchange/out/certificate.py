"""Calibrations and comparisons as sheets to keep."""

from __future__ import annotations

from pathlib import Path

from sparring.exchange.export import Calibrated, Compared, Export, text_file


def write_cell(source: Calibrated, path: Path) -> None:
    """A load cell's. Raises ValueError when its points give no line."""
    from sparring.report.certificate import render

    text_file(path, render(source.calibration, source.gravity))


def write_meter(source: Compared, path: Path) -> None:
    """A meter's. Raises ValueError when its points give no line."""
    from sparring.report.certificate import render_comparison

    text_file(path, render_comparison(source.meter, source.comparison, source.units))


CELL = Export("calibration-sheet", "Sheet, HTML", "Calibrated", suffix=".html", write=write_cell)
METER = Export("comparison-sheet", "Sheet, HTML", "Compared", suffix=".html", write=write_meter)
