"""Compare: which build, material, ratio; is the difference real; and which one for a job."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from sparring.core.finding import Finding
from sparring.ui.command import Command
from sparring.ui.model.desk import Desk
from sparring.ui.page import Context, Judgements, Page, View

if TYPE_CHECKING:
    from sparring.ui.pages.compare.page import ComparePage


def _make(context: Context) -> View:
    from sparring.ui.pages.compare.page import ComparePage  # the chart library comes with it

    return ComparePage(context)


def _state(desk: Desk) -> str:
    n = len(desk.comparing.choices)
    return str(n) if n else ""


def _judged(desk: Desk) -> Sequence[Finding]:
    found = desk.comparing.found
    return () if found is None else found.findings


def _nothing(desk: Desk) -> str:
    if not desk.comparing.choices:
        return "No findings yet: tick builds in the logbook."
    return desk.comparing.failed or "No findings: nothing speaks against this comparison."


def _shows(id: str) -> Callable[[ComparePage], None]:
    return lambda page: page.show_tab(id)


COMMANDS: tuple[Command[ComparePage], ...] = (
    *(
        Command(f"compare.{id}", words, _shows(id), key=key, on="compare")
        for id, words, key in (
            ("side", "Builds side by side", "Ctrl+Shift+1"),
            ("factors", "What each factor does", "Ctrl+Shift+2"),
            ("trade", "Trade-off of two figures", "Ctrl+Shift+3"),
            ("duty", "Which drive for a duty", "Ctrl+Shift+4"),
            ("ratio", "Over the ratio", "Ctrl+Shift+5"),
            ("next", "What to change next", "Ctrl+Shift+6"),
        )
    ),
    Command(
        "compare.none", "Compare none", lambda page: page.desk.comparing.choose([]), on="compare"
    ),
    Command(
        "compare.save", "Save this choice of builds", lambda page: page.bar.save(), on="compare"
    ),
)
PAGE = Page(
    id="compare",
    name="Compare",
    make=_make,
    state=_state,
    judgements=Judgements(_judged, _nothing, ("compared",)),
    commands=COMMANDS,
    keys=(
        ("Space", "on a build of the logbook: compare it, or not"),
        ("S", "on a figure: builds in its order; Enter on the differences: as a table"),
    ),
    folds=True,
)
