"""Writes the guide's chapter of findings from the rules themselves: when each is raised
(`when.txt`), why it matters, likely causes and what to do.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]
CORE = ROOT / "src" / "sparring" / "core"
WHEN = dict(
    line.split(": ", 1)
    for line in (Path(__file__).parent / "when.txt").read_text(encoding="utf-8").splitlines()
    if not line.startswith("#")
)
OUT = ROOT / "src" / "sparring" / "guide" / "findings.md"
PARTS = (
    ("On tests", "They stand on Run and Results.", ("findings/",)),
    ("On a rig before it runs", "They stand on Rig.", ("findings/setup/",)),
    ("On plans", "They stand on Plan.", ("findings/plan.py",)),
    ("On builds", "They stand on Build.", ("findings/build.py", "train/")),
    ("On inspections", "They stand on Wear.", ("wear/why/",)),
    ("On comparisons", "They stand on Compare.", ("compare/",)),
    ("On part measurements", "They stand under the readings.", ("characterise/",)),
)
HEAD = """# What each finding means

A finding is a judgement on what is shown. It says three things: what was seen, why it matters,
and what to do; below them its likely causes. Severity is shown by the bar at its left as well as
by its colour: a full bar for an **error** (it cannot be true, or it cannot work), a broken bar
for a **caution**, a thin line for a note. A click on a finding leads to the field or the point it
is about.

A finding is never a verdict without evidence: its figures are those of the test, with their
uncertainty, and it is raised only beyond what that uncertainty explains.
"""


def _ways(node: ast.expr | None) -> list[str]:
    if isinstance(node, ast.Constant):
        return [str(node.value)]
    if isinstance(node, ast.JoinedStr):
        return ["".join(str(v.value) if isinstance(v, ast.Constant) else "…" for v in node.values)]
    if isinstance(node, ast.BinOp):
        return [a + b for a in _ways(node.left) for b in _ways(node.right)]
    if isinstance(node, ast.IfExp):
        return _ways(node.body) + _ways(node.orelse)
    if isinstance(node, ast.Tuple):
        return [w for e in node.elts for w in _ways(e)]
    return []


def _shown(text: str) -> str:
    """With a mark for what is filled in."""
    return re.sub(r"\{\w+\}", "…", text).strip()


def _raised(tree: ast.Module) -> Iterator[tuple[str, dict[str, list[str]]]]:
    for node in ast.walk(tree):
        if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name)):
            continue
        given = {k.arg: k.value for k in node.keywords if k.arg}
        if node.func.id in ("noted", "Finding") and "seen" in given:
            parts = {k: _ways(given.get(k)) for k in ("title", "why", "causes", "remedies")}
            for id in _ways(given.get("id") or node.args[0]):
                yield id, parts


def _entries(places: tuple[str, ...]) -> Iterator[tuple[str, dict[str, list[str]]]]:
    for path in sorted(CORE.rglob("*.py")):
        name = str(path.relative_to(CORE))
        inside = name.startswith(places) and not (
            "findings/" in places
            and name.startswith(("findings/setup/", "findings/build.py", "findings/plan.py"))
        )
        if inside:
            yield from _raised(ast.parse(path.read_text(encoding="utf-8")))


def page() -> str:
    """The chapter's text."""
    lines, ids = [HEAD], set()
    for title, where, places in PARTS:
        lines += [f"## {title}\n", f"{where}\n"]
        entries = {}
        for id, parts in _entries(places):
            if id in entries:  # raised in two places
                for k, more in parts.items():
                    entries[id][k] += [w for w in more if w not in entries[id][k]]
            else:
                entries[id] = parts
        for id, parts in sorted(entries.items(), key=lambda e: e[1]["title"][:1]):
            head = _shown(parts["title"][0] if parts["title"] else id)
            lines.append(f"### {head} {{#{id if id not in ids else id + '-2'}}}\n")
            ids.add(id)
            lines.append(f"{WHEN[id]}\n")
            for why in dict.fromkeys(_shown(w) for w in parts["why"]):
                if len(why) > 20:
                    lines.append(f"{why[0].upper()}{why[1:]}\n")
            for label, key in (("Likely causes", "causes"), ("What to do", "remedies")):
                if said := [s for w in dict.fromkeys(parts[key]) if len(s := _shown(w)) > 5]:
                    lines.append(f"{label}:\n")
                    lines += [f"- {w}" for w in said] + [""]
    return re.sub(r"\n{3,}", "\n\n", "\n".join(lines)).rstrip() + "\n"


if __name__ == "__main__":
    OUT.write_text(page(), encoding="utf-8")
