"""Run: the live bench."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sparring.ui.command import Command
from sparring.ui.model.desk import Desk
from sparring.ui.page import Context, Page, View

if TYPE_CHECKING:
    from sparring.ui.pages.run.page import RunPage


def _make(context: Context) -> View:
    from sparring.ui.pages.run.page import RunPage  # the chart library comes with it

    return RunPage(context)


def _state(desk: Desk) -> str:
    done, total = len(desk.done_lifts()), desk.todo_count()
    return "" if not done else "done" if done >= total else f"{done}/{total}"


COMMANDS: tuple[Command[RunPage], ...] = (
    Command(
        "run.next",
        "Next action",
        lambda page: page.do_next(),
        key="Space",
        on="run",
        told="Next action, as written on the button",
    ),
    Command(
        "run.mark",
        "Mark this moment",
        lambda page: page.noted.mark(),
        menu="Bench",
        group=1,
        key="M",
        on="run",
    ),
    Command(
        "run.happened",
        "What happened …",
        lambda page: page.noted.happened(),
        menu="Bench",
        group=1,
        key="E",
        on="run",
        told="What happened: an event that was seen or heard",
    ),
    Command(
        "run.again",
        "First power again",
        lambda page: page.again(),
        menu="Bench",
        group=1,
        key="N",
        on="run",
        told="First power again: it did not turn as it should",
    ),
    Command(
        "run.by-eye",
        "Read by eye",
        lambda page: page.turn_eye(),
        menu="Bench",
        group=1,
        key="Ctrl+Y",
        on="run",
        checked=lambda page: page.by_eye,
        told="Read by eye, without a board",
    ),
    Command(
        "run.life",
        "Life test …",
        lambda page: page.live(),
        menu="Bench",
        group=1,
        key="Ctrl+J",
        on="run",
        told="Life test: a duty cycle over and over, for days",
    ),
    Command(
        "run.photo",
        "Photo of this run …",
        lambda page: page.noted.choose_photo(),
        menu="Bench",
        group=1,
        key="P",
        on="run",
        told="Photo of the newest run; or drop it on the page",
    ),
    Command(
        "run.broke",
        "Part broke …",
        lambda page: page.noted.broke(),
        key="B",
        on="run",
        told="Part broke: stops, and asks which part",
    ),
)
KEYS = (
    ("Enter", "reading by eye: next value; after the last one the run is saved"),
    ("Alt+S", "reading by eye: it stalled"),
    ("Alt+W", "reading by eye: what happened"),
)
PAGE = Page(id="run", name="Run", make=_make, state=_state, commands=COMMANDS, keys=KEYS)
