"""Rig: the bench it is tested on."""

from __future__ import annotations

from sparring.ui.model.desk import Desk
from sparring.ui.page import Context, Judgements, Page, View


def _make(context: Context) -> View:
    from sparring.ui.pages.rig.page import RigPage  # the chart library comes with it

    return RigPage(context)


def _state(desk: Desk) -> str:
    known = desk.rig.calibration or not desk.rig.method.CELL
    return "done" if known else "needs attention: calibrate"


def _nothing(_desk: Desk) -> str:
    return "No findings: by calculation this rig is ready for a run."


PAGE = Page(
    id="rig",
    name="Rig",
    make=_make,
    state=_state,
    judgements=Judgements(
        Desk.setup_findings,
        _nothing,
        ("rig_changed", "build_changed", "plan_changed", "result_changed"),
    ),
)
