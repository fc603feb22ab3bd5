"""What is edited in the drawing itself: the sizes of the part that is selected there."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from sparring.core.build import Build
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.form import Form

_MOST = 4  # fields that find room under the drawing
_SHARED = ("module", "pitch", "face_width", "width")  # of all parts of a stage


class PartFields(QWidget):
    """The selected part's own fields in one row, then those that its stage shares."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.form: Form | None = None
        self._shown: tuple[int, str, str] | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(2)

    def show_part(self, n: int, part: str) -> None:
        """Part (a field's name; "": none) of stage n."""
        build = self.desk.in_hand("build")
        assert isinstance(build, Build)
        stage = build.stages[n]
        if self._shown == (n, stage.kind, part):
            return
        self._shown = (n, stage.kind, part)
        layout = self.layout()
        assert layout is not None
        if self.form is not None:
            layout.removeWidget(self.form)
            self.form.hide()
            self.form.deleteLater()
        fields = {field: label for label, field in stage.FIELDS}
        own = [f for f in fields if part and (f == part or f.startswith(f"{part}_"))]
        shared = [f for f in fields if f in _SHARED and f not in own]
        self.form = Form(
            self.desk,
            "build",
            [(fields[f], ("stages", n, f)) for f in [*own, *shared][:_MOST]],
            across=True,
        )
        layout.addWidget(self.form)
