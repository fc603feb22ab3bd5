"""Results: what was measured, and what it means."""

from __future__ import annotations

from sparring.ui.model.desk import Desk
from sparring.ui.page import Context, Page, View


def _make(context: Context) -> View:
    from sparring.ui.pages.results.page import ResultsPage  # the chart library comes with it

    return ResultsPage(context)


def _state(desk: Desk) -> str:
    wrong = sum(f.severity == "wrong" for f in desk.findings)
    if wrong:
        return f"needs attention: {wrong} error{'s' * (wrong > 1)}"
    return "done" if desk.result and desk.result.steps else ""


PAGE = Page(
    id="results",
    name="Results",
    make=_make,
    state=_state,
    keys=(("wheel, drag", "in a chart: zoom, pan; double click shows all; right click copies"),),
)
