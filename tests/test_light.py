"""What a start may load: the window is painted before the heavy libraries are there, and a command
that computes nothing needs none of them.
"""

import subprocess
import sys

import pytest

HEAVY = {"sqlalchemy", "alembic", "scipy", "pandas", "matplotlib", "statsmodels", "pyarrow"}

PAINTED = """
import sys
from PyQt6.QtCore import QEvent, QObject, QTimer
from PyQt6.QtWidgets import QApplication, QMainWindow

class Eye(QObject):
    def eventFilter(self, seen, event):
        if event.type() == QEvent.Type.Paint and isinstance(seen, QMainWindow):
            print(*sorted({name.partition(".")[0] for name in sys.modules}))
            sys.stdout.flush()
            import os
            os._exit(0)
        return False

from sparring.ui.app import application
eye, made = Eye(), application.application()
made.installEventFilter(eye)
sys.argv = ["sparring", WORD, FOLDER]
from sparring.cli import main
main()
"""


@pytest.mark.parametrize("word", ["open", "demo"])
def test_the_window_is_painted_before_the_heavy_libraries_are_loaded(tmp_path, word):
    program = PAINTED.replace("WORD", repr(word)).replace("FOLDER", repr(str(tmp_path / "book")))
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True)
    loaded = set(done.stdout.split())
    assert {"sparring", "PyQt6"} <= loaded, done.stderr
    assert not loaded & (HEAVY | {"numpy", "pydantic", "pyqtgraph", "typer"})


@pytest.mark.parametrize("words", [["--version"], ["--help"], ["formats"], ["train", "--help"]])
def test_a_command_that_computes_nothing_loads_no_heavy_library(words):
    program = (
        "import sys, atexit\n"
        "atexit.register(lambda: print(*{n.partition('.')[0] for n in sys.modules}))\n"
        f"sys.argv = ['sparring', *{words!r}]\n"
        "from sparring.cli import main\n"
        "main()\n"
    )
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert not set(done.stdout.splitlines()[-1].split()) & (HEAVY | {"numpy", "PyQt6"})
