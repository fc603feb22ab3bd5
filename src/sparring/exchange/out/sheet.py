"""A test's sheet, to print."""

from __future__ import annotations

from pathlib import Path

from sparring.exchange.export import Export, KeptTest, text_file


def write(source: KeptTest, path: Path) -> None:
    """One HTML page without outside parts."""
    from sparring.report.sheet import render

    text_file(path, render(source.result, source.corrections))


EXPORT = Export("sheet", "Sheet, HTML", "KeptTest", suffix=".html", write=write)
