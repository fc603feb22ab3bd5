"""Every text that a user can see, from where it is written: the program's own strings, its sheets,
its guide and its docs.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "sparring"
# what earlier versions wrote is looked up as it stood there
_FROZEN = ("logbook/former.py", "logbook/migrations/")
_HOLDER = "…"  # stands for what is filled in


class Text(NamedTuple):
    where: str
    words: str


def _docstrings(tree: ast.Module) -> set[int]:
    owners = (ast.Module, ast.ClassDef, ast.FunctionDef, ast.AsyncFunctionDef)
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, owners):
            for line in node.body:  # also those of attributes
                if isinstance(line, ast.Expr) and isinstance(line.value, ast.Constant):
                    found.add(id(line.value))
    return found


def words_of(node: ast.expr) -> str:
    """A literal's text, with a mark where something is filled in."""
    if isinstance(node, ast.Constant):
        return str(node.value)
    assert isinstance(node, ast.JoinedStr)
    return "".join(str(v.value) if isinstance(v, ast.Constant) else _HOLDER for v in node.values)


def literals(path: Path) -> Iterator[Text]:
    """The strings of a module that are no docstrings."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    skipped = _docstrings(tree)
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            skipped |= {id(part) for part in ast.walk(node) if part is not node}
    for node in ast.walk(tree):
        if id(node) in skipped:
            continue
        if isinstance(node, ast.JoinedStr) or (
            isinstance(node, ast.Constant) and isinstance(node.value, str)
        ):
            yield Text(f"{path.relative_to(ROOT)}:{node.lineno}", words_of(node))


@cache
def program() -> list[Text]:
    """What the program itself can say."""
    return [
        text
        for path in sorted(SOURCE.rglob("*.py"))
        if not any(str(path.relative_to(SOURCE)).startswith(f) for f in _FROZEN)
        for text in literals(path)
        if re.search(r"[A-Za-z]{2}", text.words)
    ]


@cache
def pages() -> list[Text]:
    """Sheets, guide and docs, line by line."""
    paths = [*(SOURCE / "report" / "templates").glob("*"), *(SOURCE / "guide").glob("*.md")]
    paths += [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]
    return [
        Text(f"{path.relative_to(ROOT)}:{n}", line)
        for path in sorted(paths)
        for n, line in enumerate(path.read_text(encoding="utf-8").splitlines(), start=1)
    ]
