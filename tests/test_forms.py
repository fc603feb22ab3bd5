"""Every field of every kind of stage takes what a tester types, in the tester's units, and can be
undone.
"""

import json
import math
import typing

import pytest
from helpers import discard, wait_for
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QSpinBox
from typer.testing import CliRunner

from sparring.cli.app import app as cli
from sparring.core.build import Build
from sparring.core.quantity import Measured
from sparring.core.records import annotation
from sparring.core.train.joints import SIZES, Joint
from sparring.core.train.kinds import KINDS, PlanetaryStage, SpurStage
from sparring.files import record_files
from sparring.ui.app.application import application
from sparring.ui.app.shell import MainWindow
from sparring.ui.model import background
from sparring.ui.widgets.quantity_field import QuantityField

TYPED = {  # kind of quantity -> what is typed, and its SI value
    "length": ("0.04 in", 0.04 * 0.0254),
    "angle": ("21 deg", math.radians(21)),
    "torque": ("3 kg·cm", 3 * 9.80665e-2),
    "ratio": ("0.5 %", 0.005),
    "mass": ("2 oz", 2 * 0.028349523125),
}


@pytest.fixture(scope="module")
def window(tmp_path_factory):
    application()
    w = MainWindow()
    w.show()
    w.desk.open(tmp_path_factory.mktemp("forms") / "book")
    wait_for(
        lambda: w.desk.book is not None and not background.busy(), 15, QApplication.processEvents
    )
    yield w
    discard(w)


def value(window, field):
    return getattr(window.desk.build.stages[0], field)


@pytest.mark.parametrize("kind", KINDS, ids=lambda k: k.TITLE)
def test_every_field_of_a_kind_is_edited_from_its_form(window, qtbot, kind):
    desk, page = window.desk, window.view("build")
    desk.edit("build", ("stages",), (kind(),))
    page.gears.pick(0)
    for label, field in kind.FIELDS:
        widget = page.fields.field(("stages", 0, field))
        assert widget.accessibleName().startswith(label)
        before, steps = value(window, field), desk.undo.count()
        if isinstance(widget, QuantityField):
            _, info, _ = annotation(desk.build, ("stages", 0, field))
            text, si = TYPED[info.kind] if info is not None else ("0.07", 0.07)
            widget.setFocus()
            widget.selectAll()
            qtbot.keyClicks(widget, text)
            qtbot.keyClick(widget, Qt.Key.Key_Return)
            # what cannot be is refused in place, with its reason, and what was typed stays
            if widget.property("bad"):
                assert widget.text() == text
                assert widget._note.text()
                qtbot.keyClick(widget, Qt.Key.Key_Escape)
                assert value(window, field) == before
                continue
            now = value(window, field)
            assert (now.value if isinstance(now, Measured) else now) == pytest.approx(si)
        elif isinstance(widget, QSpinBox):
            widget.setValue(before + 1)
            widget.editingFinished.emit()
            assert value(window, field) in (before + 1, before)
        elif isinstance(widget, QComboBox) and widget.isEditable():
            widget.setCurrentText("brass")
            widget.lineEdit().editingFinished.emit()
            assert value(window, field) == "brass"
        elif isinstance(widget, QComboBox):
            bare, _, _ = annotation(desk.build, ("stages", 0, field))
            choices = typing.get_args(bare)
            other = (choices.index(before) + 1) % len(choices)
            widget.setCurrentIndex(other)
            widget.activated.emit(other)
            assert value(window, field) in (choices[other], before)
        else:
            assert isinstance(widget, QLineEdit)
        if desk.undo.count() > steps:
            desk.undo.undo()
            assert value(window, field) == before


@pytest.mark.parametrize("kind", SIZES)
def test_every_joint_asks_for_its_sizes_and_limits_the_drive(window, kind):
    desk, page = window.desk, window.view("build")
    desk.edit("build", ("stages",), (SpurStage(),))
    page.gears.pick(0)
    joint = page.fields.groups["joints"].ready().layout().itemAt(1).widget()
    joint.kind.setCurrentText(kind)
    joint.kind.activated.emit(joint.kind.currentIndex())
    assert desk.build.stages[0].output_joint.kind == kind
    asked = {path[-1] for path in joint.form.fields}
    assert set(SIZES[kind]) <= asked
    assert asked <= set(Joint.model_fields)
    parts = {limit.part for limit in desk.build.limits}
    assert "output shaft" in parts
    assert ("output joint" in parts) == (kind != "one piece")
    desk.undo.undo()
    assert desk.build.stages[0].output_joint is None
    assert joint.kind.currentText() == "not specified"


def test_a_count_that_is_not_known_says_so(window, qtbot):
    window.go("rig")
    (spin,) = (
        w
        for w in window.view("rig").findChildren(QSpinBox)
        if w.accessibleName() == "Pulses per revolution"
    )
    assert spin.text() == "not known"
    spin.setValue(20)
    qtbot.keyClick(spin, Qt.Key.Key_Return)
    assert window.desk.rig.sensors.pulses == 20
    window.desk.undo.undo()
    assert spin.text() == "not known"


def test_the_units_chosen_are_those_of_the_tables(window):
    desk, page = window.desk, window.view("build")
    desk.edit("build", ("stages",), (PlanetaryStage(),))
    page.tables.tabs.setCurrentIndex(1)
    metric = page.tables.strength.item(0, 1).text()
    desk.set_unit("torque", "oz·in")
    assert page.tables.strength.item(0, 1).text().endswith("oz·in")
    desk.set_unit("torque", "N·m")
    assert page.tables.strength.item(0, 1).text() == metric


@pytest.mark.parametrize("kind", KINDS, ids=lambda k: k.TITLE)
def test_every_kind_is_told_without_the_window(kind, tmp_path):
    path = tmp_path / "build.json"
    record_files.save(path, Build(family="Knot", stages=(kind(),), expected_load=0.1))
    call = CliRunner().invoke(cli, ["train", str(path), "--load", "0.05 N·m", "--json"])
    assert call.exit_code == 0, call.output
    told = json.loads(call.stdout)
    assert told["ratio"] == pytest.approx(kind().ratio)
    assert told["stages"][0]["kind"] == kind().kind
    assert 0 < told["stages"][0]["efficiency"] <= 1
    outputs = [limit["output_torque_Nm"] for limit in told["limits"]]
    assert outputs == sorted(outputs)
    assert {f["severity"] for f in told["findings"]} <= {"wrong", "caution", "note", "good"}
    assert all("{" not in f["seen"] for f in told["findings"])
    plain = CliRunner().invoke(cli, ["train", str(path), "--load", "0.05 N·m"])
    assert plain.exit_code == 0
    assert "output" in plain.stdout
