"""The house: what is added by which files, and that each of them is read in one sitting."""

import ast
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]

PAGE = '''
"""Notes: a page of one label."""

from sparring.ui.page import Page


def _make(context):
    from sparring.ui.pages.notes.page import NotesPage

    return NotesPage(context)


PAGE = Page(id="notes", name="Notes", make=_make, state=lambda desk: "")
'''
VIEW = '''
"""The page's widget."""

from PyQt6.QtWidgets import QVBoxLayout

from sparring.ui.page import View
from sparring.ui.widgets.plain import Label


class NotesPage(View):
    """Shows the notes of the build in hand."""

    def __init__(self, context):
        super().__init__(context)
        self.text = Label(context.desk.build.name)
        QVBoxLayout(self).addWidget(self.text)
'''
METHOD = '''
"""A sled hauled up a slope by a cord."""

from typing import Annotated, ClassVar, Literal

from sparring.core.methods.base import MethodBase
from sparring.core.quantity import Measured
from sparring.core.records import Q


class Slope(MethodBase):
    """A weight hauled up a slope without friction."""

    TITLE: ClassVar[str] = "Slope"
    PURPOSE: ClassVar[str] = "A weight hauled up a slope."
    CARE: ClassVar[str] = "clear of the sled, above and below"
    FIELDS: ClassVar = (("Drum radius", "radius"), ("Rise over length", "rise"))
    LETS_DOWN: ClassVar[bool] = True

    kind: Literal["slope"] = "slope"
    radius: Annotated[Measured, Q("length", "mm", above=0.0)] = Measured(0.025, 5e-5)
    rise: Annotated[Measured, Q("ratio", "", above=0.0, most=1.0)] = Measured(0.8, 1e-3)

    def known(self, x, load, g):
        return load * g * x["rise"] * x["radius"]

    def expected(self, load, g):
        return float(self.known(self.figures(), load, g))

    def body(self, load, g):
        x = self.figures()
        return {"radius": x["radius"], "mass": load, "weight": load * g * x["rise"]}

    @property
    def course(self):
        return 1.2, float("inf"), 0.0
'''
FORMAT = '''
"""The best efficiency as one line of text."""

from sparring.core.uncertainty import nominal
from sparring.exchange.export import Export, text_file


def write(source, path):
    """A line."""
    text_file(path, f"{source.build.name}: {100 * nominal(source.result.best.gearbox):.1f} %\\n")


EXPORT = Export("one-line", "One line of text", "KeptTest", ".txt", write)
'''
LINES = {
    "ui/pages/__init__.py": (
        ("import build, compare, plan,", "import build, compare, notes, plan,"),
        ("    compare.PAGE,\n", "    compare.PAGE,\n    notes.PAGE,\n"),
    ),
    "core/methods/__init__.py": (
        ("import RunUp\n", "import RunUp\nfrom sparring.core.methods.slope import Slope\n"),
        (
            '    | Annotated[Generator, Tag("method generator")]',
            '    | Annotated[Generator, Tag("method generator")]\n'
            '    | Annotated[Slope, Tag("method slope")]',
        ),
    ),
    "exchange/exports.py": (
        ("import certificate,", "import certificate, one_line,"),
        ("    sheet.EXPORT,\n", "    sheet.EXPORT,\n    one_line.EXPORT,\n"),
    ),
}
USED = """
import os, sys
from pathlib import Path
from PyQt6.QtWidgets import QApplication
from sparring.core.methods import METHODS
from sparring.core.rig import Rig
from sparring.demo import hollin_yard
from sparring.logbook import Logbook
from sparring.ui.app.application import application
from sparring.ui.app.shell import MainWindow
from sparring.ui.model import background

here = Path(sys.argv[1])
slope = next(m for m in METHODS if m.TITLE == "Slope")
(here / "rig.json").write_text(Rig(name="Slope A", method=slope()).to_json())
(here / "build.json").write_text(hollin_yard.dunnock(2).to_json())
from sparring.cli.app import app as commands
from typer.testing import CliRunner

def call(*words):
    done = CliRunner().invoke(commands, [str(w) for w in words])
    assert done.exit_code == 0, done.output
    return done.output

records = ("--build", here / "build.json", "--rig", here / "rig.json")
call("simulate", *records, "--out", here / "lifts.csv")
assert "gearbox" in call("reduce", here / "lifts.csv", *records)
for name in ("build.json", "rig.json", "lifts.csv"):
    call("import", here / "book", here / name)
assert "one-line" in call("formats")
(line,) = call("export", here / "book", here, "--as", "one-line").split()
told = Path(line).read_text()
assert told.startswith("Dunnock r2: ") and 60 < float(told.split()[2]) < 95, told

app = application()
window = MainWindow()
window.show()
window.desk.open(here / "book")
while window.desk.result is None or background.busy():
    app.processEvents()
window.do("go.notes")
assert window.work.pages[-1] == "Notes"
assert window.view("notes").text.text() == "Dunnock r2"
window.go("rig")
assert set(window.view("rig").picture.fields) == {"radius", "rise"}
assert "export.one-line" in window.commands.known
window.grab()
window.close()
print("used")
"""


@pytest.mark.whole
def test_a_page_a_method_and_a_format_are_added_by_the_files_that_the_docs_name(tmp_path):
    """In a copy: new files, and a line where they are listed; then by command and in the window."""
    package = shutil.copytree(
        ROOT / "src" / "sparring",
        tmp_path / "src" / "sparring",
        ignore=shutil.ignore_patterns("*.pyc"),
    )
    new = {
        "ui/pages/notes/__init__.py": PAGE,
        "ui/pages/notes/page.py": VIEW,
        "core/methods/slope.py": METHOD,
        "exchange/out/one_line.py": FORMAT,
    }
    for name, text in new.items():
        (package / name).parent.mkdir(exist_ok=True)
        (package / name).write_text(text, encoding="utf-8")
    for name, changes in LINES.items():
        text = (package / name).read_text(encoding="utf-8")
        for before, after in changes:
            assert text.count(before) == 1, f"{name} has changed: {before}"
            text = text.replace(before, after)
        (package / name).write_text(text, encoding="utf-8")
    named = (ROOT / "CONTRIBUTING.md").read_text(encoding="utf-8")
    for name in (*new, *LINES):
        pattern = re.sub("notes", "<page>", re.sub("slope", "<kind>", name))
        assert pattern.replace("one_line", "<format>") in named
    (tmp_path / "use.py").write_text(USED, encoding="utf-8")
    env = {
        **os.environ,
        "PYTHONPATH": str(tmp_path / "src"),
        "QT_QPA_PLATFORM": "offscreen",
        "XDG_CONFIG_HOME": str(tmp_path / "config"),
    }
    done = subprocess.run(
        [sys.executable, str(tmp_path / "use.py"), str(tmp_path)],
        env=env,
        capture_output=True,
        text=True,
        timeout=110,
    )
    assert "used" in done.stdout, done.stderr[-3000:]


@pytest.mark.parametrize("part", ["src", "tests", "benchmarks", "tools"])
def test_every_file_is_read_in_one_sitting_and_every_function_on_one_screen(part):
    for path in (ROOT / part).rglob("*.py"):
        text = path.read_text(encoding="utf-8")
        lines = text.splitlines()
        assert len(lines) <= 500, f"{path}: {len(lines)} lines"
        for n, line in enumerate(lines, start=1):
            assert len(line) <= 100, f"{path}:{n}: {len(line)} columns"
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                size = (node.end_lineno or 0) - node.lineno + 1
                assert size <= 80, f"{path}:{node.lineno}: {node.name} has {size} lines"


def test_the_docs_list_every_finding_by_its_id():
    """Ids that scripts may ask for: none is missing, none is there that nothing raises."""
    raised = set()
    for path in sorted((ROOT / "src/sparring/core").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name):
                continue
            told = node.args[:1] if node.func.id == "noted" else []
            if node.func.id == "Finding":
                told = [k.value for k in node.keywords if k.arg == "id"]
            raised |= {c.value for x in told for c in ast.walk(x) if isinstance(c, ast.Constant)}
    text = (ROOT / "docs/formats.md").read_text(encoding="utf-8")
    part = text.partition("Finding ids, which stay:")[2].partition("`sparring edit --json`")[0]
    assert set(re.findall(r"`([a-z-]+)`", part)) == raised
