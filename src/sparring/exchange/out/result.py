"""Results as JSON and as a table."""

from __future__ import annotations

from pathlib import Path

from sparring.exchange.export import Export, KeptTest, text_file


def write_json(source: KeptTest, path: Path) -> None:
    """The document of docs/formats.md."""
    from sparring.files import json_text, result_files

    document = result_files.to_dict(source.result, source.corrections)
    text_file(path, json_text.text_of(document))


def write_csv(source: KeptTest, path: Path) -> None:
    """A line a weight, SI."""
    from sparring.files import result_files

    text_file(path, result_files.to_csv(source.result))


JSON = Export("result-json", "Results, JSON", "KeptTest", suffix=".json", write=write_json)
CSV = Export("result-csv", "Results, CSV", "KeptTest", suffix=".csv", write=write_csv)
