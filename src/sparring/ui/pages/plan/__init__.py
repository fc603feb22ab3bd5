"""Plan: what is to be done, what to expect, what to hang, how long it takes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sparring.ui.command import Command
from sparring.ui.model.desk import Desk
from sparring.ui.page import Context, Judgements, Page, View

if TYPE_CHECKING:
    from sparring.ui.pages.plan.page import PlanPage


def _make(context: Context) -> View:
    from sparring.ui.pages.plan.page import PlanPage  # the chart library comes with it

    return PlanPage(context)


def _state(desk: Desk) -> str:
    steps = len(desk.todo.todo)
    return f"{steps} step{'s' * (steps > 1)}"


def _nothing(_desk: Desk) -> str:
    return "No findings: by calculation this plan can be run as it stands."


COMMANDS: tuple[Command[PlanPage], ...] = (
    Command(
        "plan.start",
        "Start: go to Run",
        lambda page: page.start(),
        key="Space",
        on="plan",
        told="Start the plan: goes to Run",
    ),
    Command(
        "plan.line",
        "Write the plan in one line",
        lambda page: page.line.setFocus(),
        key="Ctrl+L",
        on="plan",
    ),
    Command(
        "plan.campaign",
        "Campaign, or the plan of this test",
        lambda page: page.show_campaign(),
        key="Ctrl+K",
        on="plan",
    ),
    Command(
        "plan.exclude",
        "Exclude or restore the selected step",
        lambda page: page.steps.exclude(),
        key="Del",
        on="plan",
    ),
    Command(
        "plan.up",
        "Move the selected step up",
        lambda page: page.steps.shift(-1),
        key="Ctrl+Up",
        on="plan",
    ),
    Command(
        "plan.down",
        "Move the selected step down",
        lambda page: page.steps.shift(1),
        key="Ctrl+Down",
        on="plan",
    ),
)
PAGE = Page(
    id="plan",
    name="Plan",
    make=_make,
    state=_state,
    judgements=Judgements(
        Desk.plan_findings,
        _nothing,
        ("plan_changed", "rig_changed", "build_changed", "result_changed"),
    ),
    commands=COMMANDS,
    keys=(("Enter", "in the line: the plan is laid out as it says"),),
    folds=True,
)
