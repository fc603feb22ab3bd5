"""The plan in one line."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal

from sparring.core.plan import Plan
from sparring.core.plan.line import Opened, example, opened, told
from sparring.core.records import Q, RecordError
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.plain import tip
from sparring.ui.widgets.quantity_field import QuantityField


class LineField(QuantityField):
    """What is typed is laid out with Enter; a refused text stays, with the reason beneath it."""

    laid = pyqtSignal()

    def __init__(self, desk: Desk, of: str = "plan") -> None:
        """of: `plan`, or the plan of the `campaign`."""
        super().__init__(Q("mass"), "", lambda _v: None, name="The plan in one line")
        self.desk, self.of = desk, of
        self.setAlignment(Qt.AlignmentFlag.AlignLeft)
        for signal in (
            desk.plan_changed,
            desk.campaign_changed,
            desk.rig_changed,
            desk.units_changed,
        ):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        self.setToolTip(tip(f"For example: {example(self.desk.rig.method)}"))
        if not self.isModified():
            self._show()

    @property
    def plan(self) -> Plan:
        d = self.desk
        return d.campaign.plan if self.of == "campaign" and d.campaign is not None else d.plan

    def _show(self) -> None:
        d = self.desk
        self.setText(told(self.plan, d.rig.method, d.units))
        self.setCursorPosition(0)
        self.setModified(False)
        self._mark("")

    def _opened(self) -> Opened:
        d = self.desk
        known = [*(w.mass for w in d.rig.shelf), *self.plan.loads]
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
        if self.of == "campaign":
            return self._of_campaign(found)
        fields = {
            "order": found.order or "as listed",
            "seed": d.plan.seed if found.seed is None else found.seed,
        }
        reason = d.lay_steps(steps, "plan", **fields)
        if not reason:
            self.laid.emit()
        return reason

    def _of_campaign(self, found: Opened) -> str | None:
        try:
            made = self.plan.revised(found.steps)
        except RecordError as err:
            return str(err)
        return self.desk.edit("campaign", ("plan",), made, "plan of the campaign")

    def _typed(self) -> None:
        try:
            steps = self._opened().steps
        except ValueError as err:
            self._mark(str(err))
            return
        runs = sum(s.repeats for s in steps)
        self._mark(f"= {len(steps)} steps, {runs} runs; Enter lays them out")
