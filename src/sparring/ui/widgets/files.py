"""Asking for files, by the formats there are."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QFileDialog, QWidget

if TYPE_CHECKING:
    from sparring.exchange.export import Export
    from sparring.exchange.formats import LogFormat, RecordFormat, RunsFormat


def file_filter(forms: Sequence[LogFormat | RunsFormat | RecordFormat]) -> str:
    """What a dialog that opens one of these files offers."""
    offered = [f"{f.words} ({' '.join(f'*{s}' for s in f.suffixes)})" for f in forms]
    return ";;".join([*offered, "All files (*)"])


def ask_where(
    parent: QWidget, title: str, exports: Sequence[Export[Any]], name: str
) -> tuple[Export[Any], Path] | None:
    """Asks for a file to write, in one of these forms; None where nobody wants to. The form is the
    one of the ending that was typed, else the chosen one, whose ending is put behind.
    """
    filters = {f"{e.words} (*{e.suffix})": e for e in exports}
    typed, chosen = QFileDialog.getSaveFileName(parent, title, name, ";;".join(filters))
    if not typed:
        return None
    path = Path(typed)
    if export := next((e for e in exports if e.suffix == path.suffix.lower()), None):
        return export, path
    export = filters.get(chosen, exports[0])
    return export, path.with_name(path.name + export.suffix)
