"""What can be done with the chosen stage and gear."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from sparring.core.train.kinds import KINDS
from sparring.core.train.stage import StageBase
from sparring.ui.command import Command

if TYPE_CHECKING:
    from sparring.ui.pages.build.page import BuildPage


def _add(page: BuildPage, kind: type[StageBase]) -> None:
    page.add(kind)


def _dialog(module: str, name: str) -> Callable[[BuildPage], None]:
    return lambda page: page.open_dialog(module, name)


_ADD = tuple(
    Command(
        f"stage.add.{kind.model_fields['kind'].default.replace(' ', '-')}",
        kind.TITLE,
        partial(_add, kind=kind),
        menu="Stage ▸ Add after the selected one",
        on="build",
        told=f"Add a stage: {kind.TITLE.lower()}",
    )
    for kind in KINDS
)
_STAGE: tuple[Command[BuildPage], ...] = (
    Command(
        "build.find-field",
        "Find a field …",
        lambda p: p.find_field(),
        menu="Build",
        group=2,
        key="Ctrl+Shift+F",
        on="build",
    ),
    Command(
        "stage.duplicate",
        "Duplicate",
        lambda page: page.duplicate(),
        menu="Stage",
        key="Ctrl+Shift+D",
        on="build",
        told="Duplicate the selected stage",
    ),
    Command(
        "stage.split",
        "Split into two",
        lambda page: page.split(),
        menu="Stage",
        on="build",
        when=lambda page: page.chosen_kind() == "spur",
        told="Split the selected stage into two",
    ),
    Command(
        "stage.towards-motor",
        "Move towards the motor",
        lambda page: page.move_stage(-1),
        menu="Stage",
        on="build",
        told="Move the selected stage towards the motor",
    ),
    Command(
        "stage.towards-output",
        "Move towards the output",
        lambda page: page.move_stage(1),
        menu="Stage",
        on="build",
        told="Move the selected stage towards the output",
    ),
    Command(
        "stage.remove",
        "Remove",
        lambda page: page.remove(),
        menu="Stage",
        group=1,
        key="Ctrl+Backspace",
        on="build",
        when=lambda page: len(page.desk.build.stages) > 1,
        told="Remove the selected stage",
    ),
    Command(
        "build.mirror",
        "Mirror the whole build",
        lambda page: page.mirror(),
        menu="Stage",
        group=2,
        on="build",
    ),
    *(
        Command(id, words, _dialog("dialogs", name), menu="Stage", group=2, on="build")
        for id, words, name in (
            ("build.motors", "Additional motors …", "MotorsDialog"),
            ("build.materials", "Custom materials …", "MaterialsDialog"),
            ("build.bearings", "Bearings …", "BearingsDialog"),
            ("build.data-sheet", "Data sheet …", "DataSheetDialog"),
            ("build.photos", "Photos …", "PhotosDialog"),
        )
    ),
    Command(
        "build.step-up",
        "Further step-up stages …",
        _dialog("step_up", "StepUpDialog"),
        menu="Stage",
        group=3,
        on="build",
    ),
)
_GEAR: tuple[Command[BuildPage], ...] = (
    *(
        Command(id, words, _dialog("take_apart", name), menu="Gear", on="build")
        for id, words, name in (
            ("gear.count", "Count teeth …", "CountDialog"),
            ("gear.calipers", "Module from calipers …", "CaliperDialog"),
            ("gear.ratio", "Ratio and hidden teeth …", "RatioDialog"),
            ("gear.fit", "Centre distance and fit test …", "FitDialog"),
        )
    ),
    Command(
        "gear.outline",
        "Save outline, SVG or DXF …",
        lambda page: page.save_outline(),
        menu="Gear",
        group=1,
        on="build",
        told="Save the selected gear's outline, SVG or DXF …",
    ),
)
COMMANDS: tuple[Command[BuildPage], ...] = (*_ADD, *_STAGE, *_GEAR)
