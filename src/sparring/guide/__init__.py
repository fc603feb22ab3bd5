"""The user's guide: its chapters as Markdown beside this file, in the order of the job."""

from __future__ import annotations

import re
from pathlib import Path

FOLDER = Path(__file__).parent
CHAPTERS = (
    ("index", "The window"),
    ("build", "Build"),
    ("rig", "Rig"),
    ("plan", "Plan"),
    ("run", "Run, with a board"),
    ("life", "Life tests"),
    ("by-eye", "Run by eye"),
    ("results", "Results"),
    ("wear", "Wear"),
    ("compare", "Compare"),
    ("parts", "Part measurements"),
    ("logbook", "The logbook"),
    ("findings", "What each finding means"),
    ("first-test-by-eye", "Example: by eye"),
    ("first-test-by-board", "Example: with a board"),
    ("board", "A board of your own"),
    ("devices", "Several devices"),
    ("safety", "Safety"),
)
"""(file without its ending, name in the list of chapters)."""
_ANCHOR = re.compile(r"^(#+ .*?)\s*\{#([a-z0-9-]+)\}\s*$", re.MULTILINE)


def chapter(name: str) -> str:
    """The Markdown of a chapter. Raises FileNotFoundError where there is none of that name."""
    return (FOLDER / f"{name}.md").read_text(encoding="utf-8")


def html(name: str) -> str:
    """A chapter as HTML; a heading with an id (`{#drop}`) is an anchor."""
    from markdown_it import MarkdownIt

    text = _ANCHOR.sub(r'<a name="\2"></a>\n\n\1', chapter(name))
    return str(MarkdownIt("commonmark", {"html": True}).enable("table").render(text))


def anchors(name: str) -> list[str]:
    """The ids of a chapter's headings."""
    return [id for _, id in _ANCHOR.findall(chapter(name))]
