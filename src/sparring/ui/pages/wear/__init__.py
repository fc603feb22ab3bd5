"""Wear: what is seen on the opened drive, why, how fast it wears and how long it will last."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from sparring.core.finding import Finding
from sparring.ui.command import Command
from sparring.ui.model.desk import Desk
from sparring.ui.page import Context, Judgements, Page, View

if TYPE_CHECKING:
    from sparring.ui.pages.wear.page import WearPage


def _make(context: Context) -> View:
    from sparring.ui.pages.wear.page import WearPage  # the chart library comes with it

    return WearPage(context)


def _state(desk: Desk) -> str:
    n = len(desk.looks)
    return f"{n} done" if n else ""


def _judged(desk: Desk) -> Sequence[Finding]:
    return desk.wear.findings if desk.wear is not None else ()


def _nothing(desk: Desk) -> str:
    if not desk.looks:
        return "No findings yet: they appear with the first inspection."
    return desk.wear_failed or "No findings: what was seen is as usual."


def _shows(id: str) -> Callable[[WearPage], None]:
    return lambda page: page.show_tab(id)


COMMANDS: tuple[Command[WearPage], ...] = (
    Command("wear.new", "New inspection", lambda page: page.begin(), key="Ctrl+Shift+I", on="wear"),
    Command("wear.next", "Next part", lambda page: page.turn(1), key="Ctrl+PgDown", on="wear"),
    Command("wear.before", "Previous part", lambda page: page.turn(-1), key="Ctrl+PgUp", on="wear"),
    Command(
        "wear.remove",
        "Remove this inspection",
        lambda page: page.desk.strike_look(),
        on="wear",
        when=lambda page: page.desk.look is not None,
    ),
    *(
        Command(f"wear.{id}", words, _shows(id), key=key, on="wear")
        for id, words, key in (
            ("teeth", "Teeth and observations", "Ctrl+G"),
            ("sizes", "Sizes and mass", "Ctrl+M"),
            ("drive", "The whole drive", ""),
            ("photos", "Photos", ""),
            ("apart", "Taking apart", ""),
            ("lives", "Lives of several specimens", ""),
        )
    ),
)
PAGE = Page(
    id="wear",
    name="Wear",
    make=_make,
    state=_state,
    judgements=Judgements(_judged, _nothing, ("wear_changed",)),
    commands=COMMANDS,
    keys=(
        ("arrows", "on a part: tooth and spot; with Shift several teeth, Ctrl+A all"),
        ("a letter, 0 to 5", "on a part: mode of damage, its severity; Del removes it"),
        ("Page Up, Down", "on a part: the part before, the next"),
    ),
    folds=True,
)
