"""The window's commands. What a page adds stands in its own folder."""

from __future__ import annotations

from functools import partial

from sparring.core.events import DETECTORS
from sparring.core.input_quantity import lowered
from sparring.core.plant.mishaps import LIVE
from sparring.exchange.export import KeptTest
from sparring.exchange.exports import exports_of
from sparring.ui.app.errands import Errands
from sparring.ui.command import Command
from sparring.ui.pages import PAGES
from sparring.ui.theme import theme

MENUS = ("&Logbook", "&Edit", "B&uild", "Be&nch", "&View", "&Help")
"""The menu bar; a command names its menu without the mark."""


def _undo(errands: Errands) -> str:
    return f"Undo {errands.desk.undo.undoText()}".strip()


def _redo(errands: Errands) -> str:
    return f"Redo {errands.desk.undo.redoText()}".strip()


def _export(errands: Errands, id: str) -> None:
    errands.export_test(id)


def _rehearse(errands: Errands, mishap: str) -> None:
    errands.simulate(mishap)


COMMANDS: tuple[Command[Errands], ...] = (
    Command(
        "logbook.open",
        "Open or create a logbook …",
        lambda e: e.open_logbook(),
        menu="Logbook",
        key="Ctrl+O",
    ),
    Command(
        "logbook.import",
        "Import a log …",
        lambda e: e.import_log(),
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
        "runs.take-back", "Restore excluded runs", lambda e: e.take_back(), menu="Logbook", group=1
    ),
    Command(
        "logbook.go-back", "Restore a backup …", lambda e: e.go_back(), menu="Logbook", group=1
    ),
    Command(
        "logbook.find", "Find …", lambda e: e.window.search(), menu="Logbook", group=2, key="Ctrl+F"
    ),
    Command("quit", "Quit", lambda e: e.window.close(), menu="Logbook", group=2, key="Ctrl+Q"),
    Command(
        "edit.undo",
        "Undo",
        lambda e: e.desk.undo.undo(),
        menu="Edit",
        key="Ctrl+Z",
        when=lambda e: e.desk.undo.canUndo(),
        says=_undo,
        field_first=True,
    ),
    Command(
        "edit.redo",
        "Redo",
        lambda e: e.desk.undo.redo(),
        menu="Edit",
        key="Ctrl+Shift+Z",
        when=lambda e: e.desk.undo.canRedo(),
        says=_redo,
        field_first=True,
    ),
    Command("build.new", "New build", lambda e: e.new_build(), menu="Build", key="Ctrl+N"),
    Command(
        "build.revise",
        "New revision of this build",
        lambda e: e.desk.new_revision(),
        menu="Build",
        key="Ctrl+R",
    ),
    Command(
        "build.open", "Open a build or rig file …", lambda e: e.open_record(), menu="Build", group=1
    ),
    Command(
        "build.save",
        "Save as a build file …",
        lambda e: e.save_build(),
        menu="Build",
        group=1,
        key="Ctrl+S",
    ),
    Command(
        "bench.simulate", "Simulated bench", lambda e: e.simulate(), menu="Bench", key="Ctrl+B"
    ),
    *(
        Command(
            f"bench.rehearse.{id}",
            DETECTORS[id].title,
            partial(_rehearse, mishap=id),
            menu="Bench ▸ Rehearse an event",
            told=f"Rehearse on the simulated bench: {lowered(DETECTORS[id].title)}",
        )
        for id in LIVE
    ),
    Command("bench.replay", "Replay a recording …", lambda e: e.replay(), menu="Bench"),
    Command("bench.connect", "Connect devices …", lambda e: e.connect_devices(), menu="Bench"),
    Command("bench.disconnect", "Disconnect", lambda e: e.session.disconnect_bench(), menu="Bench"),
    Command("bench.tare", "Tare, unloaded", lambda e: e.session.zero(), menu="Bench", group=1),
    Command(
        "test.new", "New test", lambda e: e.desk.new_test(), menu="Bench", group=1, key="Ctrl+T"
    ),
    Command(
        "characterise.open",
        "Part measurements: motor, inertia, backlash, friction …",
        lambda e: e.characterise(),
        menu="Bench",
        group=1,
        key="Ctrl+H",
    ),
    Command(
        "test.above-rated",
        "Allow more than the motor's voltage",
        lambda e: e.desk.allow_above_rated(),
        menu="Bench",
        group=1,
        told="Run this test all the same, though a step asks for more than the motor is for",
    ),
    Command("bench.stop", "Stop", lambda e: e.session.stop(), menu="Bench", group=2),
    Command(
        "view.logbook",
        "Show or hide the logbook",
        lambda e: e.window.sides.turn("logbook"),
        menu="View",
        key="Ctrl+1",
    ),
    Command(
        "view.findings",
        "Show or hide the findings",
        lambda e: e.window.sides.turn("findings"),
        menu="View",
        key="Ctrl+2",
    ),
    Command("view.sides", "Reset the panel layout", lambda e: e.window.sides.reset(), menu="View"),
    Command("view.units", "Units …", lambda e: e.units(), menu="View", group=1, key="Ctrl+U"),
    Command(
        "view.dark",
        "Dark theme",
        lambda e: e.window.set_dark(not theme.dark),
        menu="View",
        group=1,
        key="Ctrl+D",
        checked=lambda _w: theme.dark,
    ),
    Command(
        "view.calm",
        "Reduce motion",
        lambda e: e.window.set_calm(not theme.calm),
        menu="View",
        group=1,
        checked=lambda _w: theme.calm,
    ),
    Command("view.size", "Text size …", lambda e: e.text_size(), menu="View", group=1),
    Command("help.find", "Find a command …", lambda e: e.find_command(), menu="Help", key="Ctrl+."),
    Command("help.guide", "Guide", lambda e: e.guide(), menu="Help", key="F1"),
    Command("help.tour", "Five-minute tour", lambda e: e.tour(), menu="Help"),
    Command("help.keys", "Keys", lambda e: e.keys(), menu="Help", key="Shift+F1"),
    Command("help.about", "About Sparring", lambda e: e.about(), menu="Help"),
)


def pages_themselves() -> list[Command[Errands]]:
    """Those that show a page; their keys are the work order's."""
    return [
        Command(f"go.{page.id}", f"Go to {page.name}", partial(_go, id=page.id), key=f"Alt+{n}")
        for n, page in enumerate(PAGES, start=1)
    ]


def _go(errands: Errands, id: str) -> None:
    errands.window.go(id)
