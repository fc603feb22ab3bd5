"""What a page is to the window: its place in the work order, what stands beside it, where its parts
are.

A page is a folder in `ui/pages` that says this of itself in a `Page`, and a widget, its `View`.
Pages do not know each other, nor the window: they ask their `Context`.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QMenu, QWidget

from sparring.core import predict
from sparring.core.finding import Finding
from sparring.ui.command import Command
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession


@dataclass(frozen=True)
class Context:
    """What a page is handed. show: leads to a place, a page's id or a part of one
    (`rig.sensors.supply`); do: runs a command by its id; menu: the menu of that name, of commands;
    measure: opens what was measured of parts at a record, 0: at a new one.
    """

    desk: Desk
    session: BenchSession
    show: Callable[[str], None]
    do: Callable[[str], None]
    menu: Callable[[str, QWidget], QMenu]
    measure: Callable[[int], None]


class ShownFlow(NamedTuple):
    """What the driveline shows. source: predicted, measured, live; lines: of the rig, under it;
    wire: efficiency wire to shaft, its ±, the gearbox's; blank: it is let down, and no figure of
    its driving holds.
    """

    flow: predict.PowerFlow
    source: str
    lines: tuple[str, str]
    wire: tuple[str, str, str]
    live: bool = False
    blank: bool = False


class View(QWidget):
    """Base of the pages' widgets."""

    flow_changed = pyqtSignal()  # the driveline is to ask anew

    def __init__(self, context: Context) -> None:
        super().__init__()
        self.context = context
        self.desk, self.session = context.desk, context.session

    def beside(self) -> QWidget | None:
        """What has a place of its own beside the page; its window title is written on it."""
        return None

    def show_place(self, path: Sequence[str]) -> None:
        """Brings a part forward and gives it the keyboard; path: the place behind the page's name,
        perhaps empty."""

    def chapter(self) -> str:
        """The guide's chapter of what it shows; "": the one named as the page."""
        return ""

    def flow(self) -> ShownFlow | None:
        """What the driveline shows above this page; None: what is expected at the desk's load."""
        return None


class Judgements(NamedTuple):
    """The findings beside a page. of: gives them, worst first; none: what is said when there are
    none; hears: the desk's signals after which they are looked at again.
    """

    of: Callable[[Desk], Sequence[Finding]]
    none: Callable[[Desk], str]
    hears: tuple[str, ...]


def of_the_test(desk: Desk) -> Sequence[Finding]:
    """The findings on what was measured."""
    return desk.findings


def nothing_measured(desk: Desk) -> str:
    """What is said where a test has no findings."""
    return (
        "No findings: the results are consistent."
        if desk.result and desk.result.steps
        else "No findings yet: they appear with the first runs."
    )


ON_THE_TEST = Judgements(of_the_test, nothing_measured, ("result_changed",))


@dataclass(frozen=True)
class Page:
    """A page, before there is anything of it to see.

    id: for good, and the first word of its places; name: in the work order; make: its view, which
    may load what it needs; state: `done`, `needs you: …`, `8/15` or nothing; places: further first
    words that lead here; commands, keys: what it adds to those of the window, and what else its
    widgets hear; at_once: it is made with the window, not in an idle moment after; folds: the
    driveline is one line above it, until it is clicked.
    """

    id: str
    name: str
    make: Callable[[Context], View]
    state: Callable[[Desk], str]
    judgements: Judgements = ON_THE_TEST
    places: tuple[str, ...] = ()
    commands: tuple[Command[Any], ...] = ()
    keys: tuple[tuple[str, str], ...] = ()
    at_once: bool = False
    folds: bool = False
