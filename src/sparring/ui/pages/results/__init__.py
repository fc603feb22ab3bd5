"""Results: what was measured, and what it means."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from sparring.ui.command import Command
from sparring.ui.model.desk import Desk
from sparring.ui.page import Context, Page, View

if TYPE_CHECKING:
    from sparring.ui.pages.results.page import ResultsPage


def _make(context: Context) -> View:
    from sparring.ui.pages.results.page import ResultsPage  # the chart library comes with it

    return ResultsPage(context)


def _shows(id: str) -> Callable[[ResultsPage], None]:
    return lambda page: page.show_kind(id)


def _state(desk: Desk) -> str:
    wrong = sum(f.severity == "wrong" for f in desk.findings)
    if wrong:
        return f"needs attention: {wrong} error{'s' * (wrong > 1)}"
    return "done" if desk.result and desk.result.steps else ""


COMMANDS: tuple[Command[ResultsPage], ...] = (
    Command(
        "results.next",
        "Next kind of chart",
        lambda page: page.turn(1),
        key="Ctrl+PgDown",
        on="results",
    ),
    Command(
        "results.before",
        "Previous kind of chart",
        lambda page: page.turn(-1),
        key="Ctrl+PgUp",
        on="results",
    ),
    *(
        Command(f"results.{id}", f"Chart: {words}", _shows(id), on="results")
        for id, words in (
            ("torque", "torque, speed and efficiency"),
            ("map", "efficiency map"),
            ("losses", "losses by cause"),
            ("orders", "orders, what each tooth does"),
            ("temperature", "temperature, what it carries for how long"),
            ("repeats", "repeats, scatter and drift"),
        )
    ),
)
PAGE = Page(
    id="results",
    name="Results",
    make=_make,
    state=_state,
    commands=COMMANDS,
    keys=(("wheel, drag", "in a chart: zoom, pan; double click shows all; right click copies"),),
)
