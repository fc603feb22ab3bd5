"""The window's commands. What a page adds stands in its own folder."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from sparring.core.input_quantity import lowered
from sparring.exchange.export import KeptTest
from sparring.exchange.exports import exports_of
from sparring.ui.command import Command
from sparring.ui.theme import theme

if TYPE_CHECKING:
    from sparring.ui.app.shell import MainWindow

MENUS = ("&Logbook", "&Edit", "B&uild", "Be&nch", "&View", "&Help")
"""The menu bar; a command names its menu without the mark."""


def _undo(window: MainWindow) -> str:
    return f"Undo {window.desk.undo.undoText()}".strip()


def _redo(window: MainWindow) -> str:
    return f"Redo {window.desk.undo.redoText()}".strip()


def _export(window: MainWindow, id: str) -> None:
    window.errands.export_test(id)


COMMANDS: tuple[Command[MainWindow], ...] = (
    Command(
        "logbook.open",
        "Open or begin a logbook …",
        lambda w: w.errands.open_logbook(),
        menu="Logbook",
        key="Ctrl+O",
    ),
    Command(
        "logbook.import",
        "Import a log …",
        lambda w: w.errands.import_log(),
        menu="Logbook",
        group=1,
        key="Ctrl+I",
    ),
    *(
        Command(
            f"export.{e.id}",
            f"{e.words} …",
            partial(_export, id=e.id),
            menu="Logbook ▸ Export this test",
            group=1,
            key="Ctrl+E" if e is exports_of(KeptTest)[0] else "",
            told=f"Export this test: {lowered(e.words)} …",
        )
        for e in exports_of(KeptTest)
    ),
    Command(
        "runs.take-back",
        "Take back left-out lifts",
        lambda w: w.errands.take_back(),
        menu="Logbook",
        group=1,
    ),
    Command(
        "logbook.go-back",
        "Go back to a copy …",
        lambda w: w.errands.go_back(),
        menu="Logbook",
        group=1,
    ),
    Command("logbook.find", "Find …", lambda w: w.search(), menu="Logbook", group=2, key="Ctrl+F"),
    Command("quit", "Quit", lambda w: w.close(), menu="Logbook", group=2, key="Ctrl+Q"),
    Command(
        "edit.undo",
        "Undo",
        lambda w: w.desk.undo.undo(),
        menu="Edit",
        key="Ctrl+Z",
        when=lambda w: w.desk.undo.canUndo(),
        says=_undo,
        field_first=True,
    ),
    Command(
        "edit.redo",
        "Redo",
        lambda w: w.desk.undo.redo(),
        menu="Edit",
        key="Ctrl+Shift+Z",
        when=lambda w: w.desk.undo.canRedo(),
        says=_redo,
        field_first=True,
    ),
    Command("build.new", "New build", lambda w: w.errands.new_build(), menu="Build", key="Ctrl+N"),
    Command(
        "build.revise",
        "New revision of this build",
        lambda w: w.desk.new_revision(),
        menu="Build",
        key="Ctrl+R",
    ),
    Command(
        "build.open",
        "Open a build or rig file …",
        lambda w: w.errands.open_record(),
        menu="Build",
        group=1,
    ),
    Command(
        "build.save",
        "Save as a build file …",
        lambda w: w.errands.save_build(),
        menu="Build",
        group=1,
        key="Ctrl+S",
    ),
    Command(
        "bench.simulate",
        "Simulated bench",
        lambda w: w.errands.simulate(),
        menu="Bench",
        key="Ctrl+B",
    ),
    Command(
        "bench.connect", "Connect a board …", lambda w: w.errands.connect_board(), menu="Bench"
    ),
    Command("bench.disconnect", "Disconnect", lambda w: w.session.disconnect_bench(), menu="Bench"),
    Command(
        "bench.tare", "Tare with nothing pulling", lambda w: w.session.zero(), menu="Bench", group=1
    ),
    Command(
        "test.new", "New test", lambda w: w.desk.new_test(), menu="Bench", group=1, key="Ctrl+T"
    ),
    Command(
        "readings.open",
        "Readings, typed or recorded …",
        lambda w: w.errands.readings(),
        menu="Bench",
        group=1,
        key="Ctrl+H",
    ),
    Command("bench.stop", "Stop", lambda w: w.session.stop(), menu="Bench", group=2),
    Command(
        "view.logbook",
        "Fold the logbook",
        lambda w: w.sides.turn("logbook"),
        menu="View",
        key="Ctrl+1",
    ),
    Command(
        "view.findings",
        "Fold the findings",
        lambda w: w.sides.turn("findings"),
        menu="View",
        key="Ctrl+2",
    ),
    Command("view.sides", "Panels back to their places", lambda w: w.sides.reset(), menu="View"),
    Command(
        "view.units", "Units …", lambda w: w.errands.units(), menu="View", group=1, key="Ctrl+U"
    ),
    Command(
        "view.dark",
        "Dark, for the night bench",
        lambda w: w.set_dark(not theme.dark),
        menu="View",
        group=1,
        key="Ctrl+D",
        checked=lambda _w: theme.dark,
    ),
    Command(
        "help.find",
        "Find a command …",
        lambda w: w.errands.find_command(),
        menu="Help",
        key="Ctrl+.",
    ),
    Command("help.keys", "Keys", lambda w: w.errands.keys(), menu="Help", key="F1"),
    Command("help.about", "About Sparring", lambda w: w.errands.about(), menu="Help"),
)
