"""The words: trade terms, one word for one act, findings of three short sentences, wherever a user
can read them.
"""

from __future__ import annotations

import ast
import re
from itertools import product

import pytest
from helpers import lay
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QTabBar, QTableWidget, QWidget
from typer.testing import CliRunner
from window_helpers import choose, idle, until
from words import SOURCE, Text, pages, program, words_of

from sparring.cli.app import app
from sparring.core.finding import explain
from sparring.core.methods import METHODS
from sparring.report.sheet import render
from sparring.ui.widgets.plain import Label

BANNED = {
    r"(?<![/.])\blifts\b(?!\()|\b(?:an?|the|one|each|this|last|first|per|two) lift\b": "run",
    r"left out|leav(?:e|es|ing)(?: \w+)? out\b|\bstr(?:ike|uck) (?:it|the run)\b": "exclude, omit",
    r"tak(?:e|es|en|ing)(?: it| the \w+)* back\b": "restore, undo, remove",
    r"lets? expect|expected from the lighter": "predict",
    r"reckon": "calculate",
    r"come(?:s)? out as|what comes out|came out": "is, result",
    r"rests mostly on|is made of": "uncertainty contributors",
    r"which is right|up against down|worst off|carries at most|torque by 1 kg": "trade term",
    r"off the line\b": "residual, non-linearity",
    r"still has what|gives? way|turns it back|goes before it|that were \S+ (?:taps|turns)": "plain",
    r"\bits (?:loss|efficiency|drag|pulses|columns)\b": "the name of the thing",
    r"^(?:un)?fold\b|cannot be: |needs you": "show or hide, error, needs attention",
    r"\b(?:lines|samples|frames|taps|pulses|steps|swings) a (?:second|minute|turn)\b": "per",
    r"\b(?:pulses|steps|marks) (?:a|per) turn\b": "per revolution",
    r"beyond ±|hardest|hottest allowed|fastest allowed": "accuracy, maximum",
    r"\b(?:is|are) no (?:number|pair|picture|link|logbook(?!\.)|emergency|text)s?\b": "is not a",
    r"\bat nothing\b|nothing pull(?:s|ing)|held against": "zero offset, unloaded",
    r"\b(?:is|are|was) wanted\b|\bwants? (?:\d|at least)": "is needed",
    r"\w begun\b|\bbegun \w|\banew\b|one in the other": "started, again, nested",
    r"\bstands in the way\b|worst bets|put(?:s)? right\b|as far as can be": "plain",
    r"take(?:s)? a (?:stronger|heavier|longer|weaker|ring|supply)": "use",
    r"\bchosen (?:stage|gear|part|lift|run)\b|the marked run": "selected",
}
REQUIRED = (
    *("safety factor", "failure mode", "basis", "rotation", "back-drivable", "self-locking"),
    *("mesh efficiency", "non-linearity", "hysteresis", "repeatability", "rated capacity"),
    *("ambient temperature", "gain", "zero offset", "reference accuracy", "pulses per revolution"),
    *("gear engaged", "exclude", "restore", "uncertainty contributors", "backlash", "zero return"),
)


def _said_badly(texts: list[Text]) -> list[str]:
    return [
        f"{text.where}: “{found[0]}” ({better}) in: {text.words.strip()[:90]}"
        for text in texts
        for pattern, better in BANNED.items()
        if (found := re.search(pattern, text.words, re.IGNORECASE))
    ]


def _commands(group, path=()):
    for name, command in getattr(group, "commands", {}).items():
        yield (*path, name)
        yield from _commands(command, (*path, name))


@pytest.mark.whole
def test_the_program_speaks_the_trades_words():
    assert not (bad := _said_badly(program())), "\n".join(bad)


def test_sheets_guide_and_docs_speak_the_trades_words():
    assert not (bad := _said_badly(pages())), "\n".join(bad)


@pytest.mark.whole
def test_the_terminals_help_speaks_the_trades_words():
    from typer.main import get_command

    runner, said = CliRunner(), []
    for path in [(), *_commands(get_command(app))]:
        shown = runner.invoke(app, [*path, "--help"], env={"COLUMNS": "200", "TERM": "dumb"})
        assert shown.exit_code == 0, path
        said.append(Text(" ".join(path), shown.output))
    assert len(said) > 15
    assert not (bad := _said_badly(said)), "\n".join(bad)


@pytest.fixture
def window(shown, folder):
    lay(shown, folder)
    idle()
    return shown


def _texts_of(window):
    """What stands in the window now: labels, buttons, tabs, heads, tips, names, menus."""
    for w in [window, *window.findChildren(QWidget)]:
        where = type(w).__name__
        for told in (w.toolTip(), w.accessibleName(), w.accessibleDescription(), w.windowTitle()):
            yield Text(where, re.sub(r"<[^>]+>", "", told))
        if isinstance(w, QAbstractButton | Label):
            yield Text(where, w.text())
        elif isinstance(w, QTabBar):
            yield from (Text(where, w.tabText(i)) for i in range(w.count()))
        elif isinstance(w, QComboBox):
            yield from (Text(where, w.itemText(i)) for i in range(w.count()))
        elif isinstance(w, QTableWidget):
            heads = (w.horizontalHeaderItem(c) for c in range(w.columnCount()))
            yield from (Text(where, item.text()) for item in heads if item is not None)
    for action in window.findChildren(QAction):
        yield Text("menu", action.text().replace("&", ""))


@pytest.mark.whole
def test_the_window_its_findings_and_its_sheets_speak_the_trades_words(window, tmp_path):
    """On every build of the demo, on every page and for every method."""
    said: list[Text] = []
    for build in ("Dunnock r1", "Dunnock r2", "Dunnock r3", "Siskin r1", "Wren r2"):
        choose(window, build)
        until(lambda: window.desk.result is not None)
        assert window.desk.result is not None
        said += [Text(f"sheet of {build}", line) for line in render(window.desk.result).split(">")]
        for finding in (*window.desk.findings, *window.desk.build_findings()):
            parts = (finding.title, explain(finding), finding.why, *finding.remedies)
            said += [Text(finding.id, words) for words in (*parts, *finding.causes)]
    for method in METHODS:
        window.desk.set_method(method())
        for finding in window.desk.setup_findings():
            said += [Text(finding.id, w) for w in (finding.title, explain(finding), finding.why)]
        for page in ("build", "rig", "run", "results"):
            window.go(page)
            idle()
            said += _texts_of(window)
    assert len({text.words for text in said}) > 500
    assert not (bad := _said_badly(said)), "\n".join(dict.fromkeys(bad))


def test_a_figure_stays_on_one_line_with_its_unit(qapp):
    label = Label("It falls from 11.69 ± 0.06 V to 9 % of 12 runs.")
    assert label.text() == "It falls from 11.69 ± 0.06 V to 9 % of 12 runs."
    shown = super(Label, label).text()
    assert (
        shown.replace("\N{NO-BREAK SPACE}", "_")
        == "It falls from 11.69_±_0.06_V to 9_% of 12 runs."
    )


@pytest.mark.parametrize("term", REQUIRED)
def test_the_program_uses_the_term(term):
    assert any(term in text.words.casefold().replace("\n", " ") for text in program())


# --- findings: what was seen, why it matters, what to do ------------------------------------------

_LONG = 175  # characters of a sentence that is read at one glance


def _ways(node: ast.expr) -> list[str]:
    """What an expression can say, one text for each way through it."""
    if isinstance(node, (ast.Constant, ast.JoinedStr)):
        return [words_of(node)]
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        return [a + b for a, b in product(_ways(node.left), _ways(node.right))]
    if isinstance(node, ast.IfExp):
        return [*_ways(node.body), *_ways(node.orelse)]
    return ["…"]


def _findings():
    for path in sorted((SOURCE / "core").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            called = isinstance(node, ast.Call) and isinstance(node.func, ast.Name)
            if called and node.func.id in ("noted", "Finding"):
                given = {k.arg: k.value for k in node.keywords if k.arg}
                if "seen" in given and "why" in given:
                    yield f"{path.name}:{node.lineno}", node, given


def _sentences(text: str) -> int:
    return len(re.findall(r"[.!?](?=\s|$)", text.replace("e.g.", "")))


def test_a_finding_says_what_was_seen_why_it_matters_and_what_to_do_in_a_sentence_each():
    bad, seen = [], 0
    for where, node, given in _findings():
        seen += 1
        for part in ("seen", "why"):
            for text in _ways(given[part]):
                if text != "…" and (_sentences(text) != 1 or len(text) > _LONG):
                    bad.append(f"{where} {part}: {text}")
        remedies = given.get("remedies")
        severities = [
            c.value for c in ast.walk(node) if isinstance(c, ast.Constant) and c.value == "wrong"
        ]
        if severities and remedies is None:
            bad.append(f"{where}: nothing to do is named")
        for item in ast.walk(remedies) if remedies is not None else ():
            text = item.value if isinstance(item, ast.Constant) else None
            if isinstance(text, str) and text.endswith(".") and _sentences(text) != 1:
                bad.append(f"{where} remedy: {text}")
    assert seen > 80
    assert not bad, "\n".join(bad)
