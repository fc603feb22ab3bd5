"""The list of what was measured of parts, grouped by the part."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sparring.core.characterise import METHODS, WAYS
from sparring.core.characterise.base import Part
from sparring.logbook.characterised import Characterisation

PART_WORDS: dict[Part, str] = {
    "motor": "Motor",
    "inertia": "Inertia",
    "build": "Build",
    "rig": "Rig",
}
_ID = Qt.ItemDataRole.UserRole


class RecordList(QWidget):
    """`chosen(id)`, `wanted(way)`: a new one; `left_out(id)`: or taken back."""

    chosen = pyqtSignal(int)
    wanted = pyqtSignal(str)
    left_out = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setRootIsDecorated(False)
        self.tree.setIndentation(12)
        self.tree.setAccessibleName("Part measurements")
        self.tree.currentItemChanged.connect(self._moved)
        column.addWidget(self.tree, 1)
        row = QHBoxLayout()
        self.new = QPushButton("&New")
        menu = QMenu(self.new)
        for method in METHODS:
            act = menu.addAction(f"{method.TITLE}  ({PART_WORDS[method.PART].lower()})")
            assert act is not None
            act.triggered.connect(partial(self.wanted.emit, method.ID))
        first = menu.actions()[0]
        # Enter takes the first, once it is open
        menu.aboutToShow.connect(lambda: QTimer.singleShot(0, lambda: menu.setActiveAction(first)))
        self.new.setMenu(menu)
        self.out = QPushButton("&Exclude")
        self.out.clicked.connect(lambda: self.left_out.emit(self.current))
        for button in (self.new, self.out):
            button.setAutoDefault(False)
            row.addWidget(button)
        column.addLayout(row)
        self._struck: set[int] = set()

    @property
    def current(self) -> int:
        """Number of the record that is marked; 0: none."""
        item = self.tree.currentItem()
        return 0 if item is None else int(item.data(0, _ID) or 0)

    def fill(self, kept: Sequence[Characterisation], current: int) -> None:
        """kept: the newest first."""
        self._struck = {c.id for c in kept if c.struck}
        self.tree.blockSignals(True)
        self.tree.clear()
        groups: dict[tuple[str, str], QTreeWidgetItem] = {}
        order = list(PART_WORDS)
        for c in sorted(kept, key=lambda c: (order.index(c.part), c.name)):
            group = groups.get((c.part, c.name))
            if group is None:
                group = QTreeWidgetItem([f"{PART_WORDS[c.part]}: {c.name}"])
                group.setFlags(Qt.ItemFlag.ItemIsEnabled)
                groups[c.part, c.name] = group
                self.tree.addTopLevelItem(group)
            words = f"{WAYS[c.way].TITLE.split(',')[0]}  {c.day}".strip()
            item = QTreeWidgetItem([f"{words}, excluded" if c.struck else words])
            item.setData(0, _ID, c.id)
            group.addChild(item)
            if c.id == current:
                self.tree.setCurrentItem(item)
        self.tree.expandAll()
        self.tree.blockSignals(False)
        self._say()

    def _moved(self) -> None:
        self._say()
        if self.current:
            self.chosen.emit(self.current)

    def _say(self) -> None:
        self.out.setEnabled(bool(self.current))
        self.out.setText("&Restore" if self.current in self._struck else "&Exclude")
