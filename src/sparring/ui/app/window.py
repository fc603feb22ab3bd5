"""What the errands know of the window."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QMainWindow

if TYPE_CHECKING:
    from sparring.ui.app.actions import Actions
    from sparring.ui.app.sides import Sides
    from sparring.ui.frame.message import Message
    from sparring.ui.model.desk import Desk
    from sparring.ui.model.live import BenchSession


class Window(QMainWindow):
    """Base of the window: its parts, and where it can be sent."""

    desk: Desk
    session: BenchSession
    sides: Sides
    commands: Actions
    message: Message

    def go(self, id: str) -> None:
        """Shows a page."""
        raise NotImplementedError

    def show_place(self, place: str) -> None:
        """Leads to a page, or to a part of one, by the name of the place: `rig.sensors.supply`."""
        raise NotImplementedError

    def search(self) -> None:
        """The keyboard to the search in the logbook."""
        raise NotImplementedError

    def say(self, text: str, *, stay: bool = False) -> None:
        """A sentence for the tester, for a while or until the next one."""
        raise NotImplementedError

    def guide(self) -> None:
        """The guide, at the chapter in hand."""
        raise NotImplementedError

    def chapter(self) -> str:
        """The guide's chapter of what is shown."""
        raise NotImplementedError

    def start_tour(self) -> None:
        """The tour, from its first step."""
        raise NotImplementedError

    def set_calm(self, on: bool) -> None:
        """Whether anything moves that was not asked to."""
        raise NotImplementedError

    def set_dark(self, on: bool) -> None:
        """Dark or light, from now on."""
        raise NotImplementedError
