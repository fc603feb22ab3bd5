"""Build: what is under test."""

from __future__ import annotations

from sparring.ui.model.desk import Desk
from sparring.ui.page import Context, Judgements, Page, View
from sparring.ui.pages.build.commands import COMMANDS


def _make(context: Context) -> View:
    from sparring.ui.pages.build.page import BuildPage

    return BuildPage(context)


def _nothing(_desk: Desk) -> str:
    return "No findings: by calculation this build can be assembled, meshes and holds its load."


PAGE = Page(
    id="build",
    name="Build",
    make=_make,
    state=lambda _desk: "done",
    judgements=Judgements(
        Desk.build_findings, _nothing, ("build_changed", "plan_changed", "rig_changed")
    ),
    commands=COMMANDS,
    keys=(
        ("arrow keys", "in the gear drawing: select a part"),
        ("Enter, double click", "in the gear drawing: change the number of teeth"),
        ("Space", "in the gear drawing: turn the train"),
    ),
    at_once=True,
)
