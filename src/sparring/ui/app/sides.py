"""The panels at the sides: docked, moved, floated or folded by their user, on each page as it was
left there, at every start.
"""

from __future__ import annotations

from PyQt6.QtCore import QByteArray, QSettings, Qt
from PyQt6.QtWidgets import QDockWidget, QMainWindow, QWidget

_VERSION = 1  # of what is kept; another one is not read
_LEFT, _RIGHT = Qt.DockWidgetArea.LeftDockWidgetArea, Qt.DockWidgetArea.RightDockWidgetArea
_MOVES = (
    QDockWidget.DockWidgetFeature.DockWidgetMovable
    | QDockWidget.DockWidgetFeature.DockWidgetFloatable
)
_WIDTHS = {_LEFT: 214, _RIGHT: 268}  # [px] at first
_LEAST = 60  # [px] to which those that stand on every page yield


def _height(dock: QDockWidget) -> int:
    """What a dock would like to have at first."""
    panel = dock.widget()
    assert panel is not None
    title = dock.sizeHint().height() - panel.sizeHint().height()
    wanted = panel.heightForWidth(_WIDTHS[_RIGHT]) if panel.hasHeightForWidth() else 0
    return title + max(wanted, panel.sizeHint().height())


class Sides(QMainWindow):
    """Holds the page in its middle. A panel that belongs to one page is seen on that page alone."""

    def __init__(self, settings: QSettings) -> None:
        super().__init__()
        self.setWindowFlags(Qt.WindowType.Widget)
        self.setObjectName("sides")
        self._settings = settings
        self._page = ""
        self._of_page: dict[str, str] = {}  # panel -> its page
        self.docks: dict[str, QDockWidget] = {}
        self.narrow = False
        self.setContentsMargins(0, 8, 0, 8)
        self.setDockOptions(QMainWindow.DockOption.AllowNestedDocks)

    def add(self, id: str, panel: QWidget, *, left: bool = False, page: str = "") -> None:
        """Docks a panel, its window title written on it. page: the one it belongs to; "": all."""
        dock = QDockWidget(panel.windowTitle(), self)
        panel.windowTitleChanged.connect(dock.setWindowTitle)
        dock.setObjectName(id)
        dock.setWidget(panel)
        if page:  # what a page cannot do without is not closed by a slip
            dock.setFeatures(_MOVES)
        area = _LEFT if left else _RIGHT
        first = next((d for d in self.docks.values() if self.dockWidgetArea(d) == area), None)
        self.docks[id] = dock
        self.addDockWidget(area, dock)
        if first is not None and page:  # what belongs to the page stands above what is always there
            self.splitDockWidget(dock, first, Qt.Orientation.Vertical)
        self._of_page[id] = page
        if page:
            dock.setVisible(page == self._page)
            if page == self._page:
                self._restore()

    def show_page(self, page: str) -> None:
        """Lays the panels as they were on that page."""
        if page != self._page:
            self.keep()
            self._page = page
            self._restore()

    def _restore(self) -> None:
        state = self._settings.value(f"sides/{self._page}")
        if not (isinstance(state, QByteArray) and self.restoreState(state, _VERSION)):
            self._first_places()
        for id, dock in self.docks.items():
            if page := self._of_page[id]:
                dock.setVisible(page == self._page)
        if self.narrow:
            self.docks["logbook"].hide()

    def _first_places(self) -> None:
        for dock in self.docks.values():
            dock.setFloating(False)
            dock.show()
        for area, width in _WIDTHS.items():
            there = [d for d in self.docks.values() if self.dockWidgetArea(d) == area]
            self.resizeDocks(there, [width] * len(there), Qt.Orientation.Horizontal)
            if own := [d for d in there if self._of_page[d.objectName()] == self._page != ""]:
                rest = [d for d in there if not self._of_page[d.objectName()]]
                heights = [_height(d) for d in own] + [_LEAST] * len(rest)
                self.resizeDocks(own + rest, heights, Qt.Orientation.Vertical)

    def reset(self) -> None:
        """Everything where it was at first, on every page."""
        for key in self._settings.allKeys():
            if key.startswith("sides/"):
                self._settings.remove(key)
        for id, dock in self.docks.items():
            self.removeDockWidget(dock)
            self.addDockWidget(_LEFT if id == "logbook" else _RIGHT, dock)
        self._restore()

    def keep(self) -> None:
        """Keeps how the panels lie on this page. A window too narrow for all of them says nothing
        of what its user wants.
        """
        if self._page and not self.narrow:
            self._settings.setValue(f"sides/{self._page}", self.saveState(_VERSION))

    def turn(self, id: str) -> None:
        """Folds a panel, or unfolds it."""
        self.docks[id].setVisible(self.docks[id].isHidden())

    def make_room(self, narrow: bool) -> None:
        """A narrow window folds the logbook; it comes back when there is room again."""
        if narrow != self.narrow:
            self.keep()
            self.narrow = narrow
            self.docks["logbook"].setVisible(not narrow)
