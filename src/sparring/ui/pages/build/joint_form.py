"""How the gears of a stage sit on their shafts: a kind at either end, and the sizes that this kind
asks for.
"""

from __future__ import annotations

import typing

from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from sparring.core.build import Build
from sparring.core.train.joints import SIZES, Joint
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import Form, named, narrow
from sparring.ui.widgets.plain import Label

_KINDS = typing.get_args(Joint.model_fields["kind"].annotation)


class JointForm(QWidget):
    """Both joints of stage n."""

    def __init__(self, desk: Desk, n: int, label_width: int) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        for label, field in (("Input joint", "input_joint"), ("Output joint", "output_joint")):
            layout.addWidget(_One(desk, n, label, field=field, label_width=label_width))


class _One(QWidget):
    def __init__(self, desk: Desk, n: int, label: str, field: str, label_width: int) -> None:
        super().__init__()
        self.label_width = label_width
        self.desk, self.path, self.label = desk, ("stages", n, field), label
        self.form: Form | None = None
        self._shown = ""
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(3)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setColumnStretch(1, 1)
        grid.setColumnMinimumWidth(0, label_width)
        self.kind = narrow(Choice())
        self.kind.setAccessibleName(label)
        self.kind.addItems(["not specified", *_KINDS])
        self.kind.activated.connect(self._take)
        text = Label(label)
        text.setBuddy(self.kind)
        grid.addWidget(text, 0, 0)
        grid.addWidget(self.kind, 0, 1)
        self.column.addLayout(grid)
        desk.build_changed.connect(self.refresh)
        self.refresh()

    def _joint(self) -> Joint | None:
        build = self.desk.in_hand("build")
        assert isinstance(build, Build)
        stages = build.stages
        n = int(self.path[1])
        joint: Joint | None = getattr(stages[n], str(self.path[2])) if n < len(stages) else None
        return joint

    def refresh(self) -> None:
        joint = self._joint()
        kind = joint.kind if joint else ""
        self.kind.setCurrentText(kind or "not specified")
        if kind == self._shown:
            return
        self._shown = kind
        if self.form is not None:
            self.column.removeWidget(self.form)
            self.form.hide()
            self.form.deleteLater()
            self.form = None
        if joint is None:
            return
        rows = [
            ("  Across flats" if kind == "hex" else "  Shaft diameter", "diameter"),
            ("  Length", "length"),
        ]
        rows += [(f"  {text}", field) for field, text in SIZES[kind].items()] + [
            ("  Shaft of", "shaft")
        ]
        if kind == "one piece":
            rows.pop(1)
        self.form = Form(self.desk, "build", [(text, (*self.path, field)) for text, field in rows])
        self.form.align(self.label_width)
        self.column.addWidget(self.form)

    def _take(self, index: int) -> None:
        old = self._joint()
        joint = (
            None if index == 0 else (old or Joint()).model_copy(update={"kind": _KINDS[index - 1]})
        )
        if reason := self.desk.edit("build", self.path, joint, named(self.label, self.path)):
            self.desk.said.emit(reason.split(": ", 1)[-1])
            self.refresh()
