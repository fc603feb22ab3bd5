"""The plan in one line."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal

from sparring.core.plan.line import Opened, example, opened, told
from sparring.core.records import Q
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.plain import tip
from sparring.ui.widgets.quantity_field import QuantityField


class LineField(QuantityField):
    """What is typed is laid out with Enter; a refused text stays, with the reason beneath it."""

    laid = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(Q("mass"), "", lambda _v: None, name="The plan in one line")
        self.desk = desk
        self.setAlignment(Qt.AlignmentFlag.AlignLeft)
        for signal in (desk.plan_changed, desk.rig_changed, desk.units_changed):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        self.setToolTip(tip(f"For example: {example(self.desk.rig.method)}"))
        if not self.isModified():
            self._show()

    def _show(self) -> None:
        d = self.desk
        self.setText(told(d.plan, d.rig.method, d.units))
        self.setCursorPosition(0)
        self.setModified(False)
        self._mark("")

    def _opened(self) -> Opened:
        d = self.desk
        known = [*(w.mass for w in d.rig.shelf), *d.plan.loads]
        return opened(self.text(), d.rig.method, known)

    def _take(self) -> str | None:
        found, d = self._opened(), self.desk
        excluded = {s.does() for s in d.plan.steps if s.excluded}
        steps = [
            s.model_copy(update={"excluded": True}) if s.does() in excluded else s
            for s in found.steps
        ]
        if steps and all(s.excluded for s in steps):
            steps = list(found.steps)
        fields = {
            "order": found.order or "as listed",
            "seed": d.plan.seed if found.seed is None else found.seed,
            "question": "",
            "reasons": (),
        }
        reason = d.lay_steps(steps, "plan", **fields)
        if not reason:
            self.laid.emit()
        return reason

    def _typed(self) -> None:
        try:
            steps = self._opened().steps
        except ValueError as err:
            self._mark(str(err))
            return
        runs = sum(s.repeats for s in steps)
        self._mark(f"= {len(steps)} steps, {runs} runs; Enter lays them out")
