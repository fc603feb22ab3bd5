"""What to go through before power."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from sparring.core.outlook.prepare import checklist
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.ticked import Clickable


class BeforePower(QWidget):
    """The rig's checks and those of this plan, to tick; a tick is of the build in hand."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(2)
        self._shown: list[str] = []
        self._ticked: set[tuple[int, str]] = set()

    def refresh(self) -> None:
        d = self.desk
        lines = checklist(d.build, d.rig, d.plan, d.outlook())
        if lines == self._shown:
            return
        self._shown = lines
        while self._column.count():
            item = self._column.takeAt(0)
            if item is not None and (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        for text in lines:
            line, box = QWidget(), QCheckBox()
            row = QHBoxLayout(line)
            row.setContentsMargins(0, 0, 0, 0)
            box.setAccessibleName(text)
            key = (d.build_id, text)
            box.setChecked(key in self._ticked)
            box.toggled.connect(
                lambda on, key=key: (self._ticked.add if on else self._ticked.discard)(key)
            )
            row.addWidget(box)
            row.addWidget(Clickable(text, box), 1)
            self._column.addWidget(line)
