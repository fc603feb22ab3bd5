"""The fields of a build: groups that fold and stay so, a box that finds a field, the selected part
edited under the drawing, a drive of many stages.
"""

import pytest
from helpers import lay
from window_helpers import idle

from sparring.core.build import Build
from sparring.core.records import changed
from sparring.core.train.kinds import SpurStage
from sparring.ui.widgets.form import Form


@pytest.fixture
def window(shown, tmp_path):
    lay(shown, tmp_path / "book")
    shown.desk.add_build(
        Build(family="Wren", stages=(SpurStage(pinion=18, wheel=54), SpurStage(pinion=14)))
    )
    idle()
    return shown


@pytest.fixture
def page(window):
    window.go("build")
    page = window.view("build")
    for id, group in page.fields.groups.items():  # as at the first start
        group.open(id in ("teeth", "material"))
    return page


def shown(page):
    """The labels of all rows that can be seen."""
    return [
        label.text()
        for form in page.fields.findChildren(Form)
        for label in form._labels.values()
        if label.isVisible()
    ]


def test_a_group_folds_and_is_as_it_was_left_at_the_next_start(window, page, qtbot):
    teeth, motor = page.fields.groups["teeth"], page.fields.groups["motor"]
    assert "Module" in shown(page)
    assert "Stall current" not in shown(page)
    teeth.head.click()
    motor.head.click()
    assert "Module" not in shown(page)
    assert "Stall current" in shown(page)
    again = type(page.fields)(window.desk)
    again.show_stage(0)
    assert not again.groups["teeth"].opened
    assert again.groups["motor"].opened
    for group in (teeth, motor):
        group.head.click()
    assert teeth.opened
    assert not motor.opened


def test_a_word_finds_fields_in_all_groups_and_enter_goes_to_the_first(window, page, qtbot):
    page.find_field()
    page.fields.search.setText("stall")
    assert shown(page) == ["Stall current", "Stall torque"]
    qtbot.keyClick(page.fields.search, "\r")
    assert window.focusWidget().accessibleName() == "Stall current"
    page.fields.search.setText("joints")
    assert shown(page) == []
    assert page.fields.groups["joints"].isVisible()
    page.fields.search.setText("no such word")
    assert not any(g.isVisible() for g in page.fields.groups.values())
    page.fields.search.clear()
    assert "Module" in shown(page)
    assert "Stall current" not in shown(page)


def test_a_finding_unfolds_the_group_of_its_field(window, page):
    assert not page.fields.groups["use"].opened
    window.show_place("build.holding")
    assert window.focusWidget().accessibleName() == "Back-driving"
    page.fields.groups["use"].open(False)


def test_the_selected_part_is_edited_under_the_drawing(window, page, qtbot):
    page.gears.pick(0, "wheel")
    teeth = page.part.form.fields["stages", 0, "wheel"]
    assert teeth.accessibleName() == "Wheel teeth"
    teeth.setValue(61)
    teeth.editingFinished.emit()
    assert window.desk.in_hand("build").stages[0].wheel == 61
    assert page.fields.field(("stages", 0, "wheel")).value() == 61
    page.gears.pick(1, "pinion")
    assert ("stages", 1, "pinion") in page.part.form.fields


def test_a_drive_of_eight_stages_is_gone_through_by_its_list(window, page):
    one = window.desk.build.stages[0]
    stages = tuple(changed(one, ("wheel",), 20 + n) for n in range(8))
    assert window.desk.edit("build", ("stages",), stages) is None
    assert page.fields.stage.count() == 8
    page.fields.stage.activated.emit(6)
    assert page.chosen == 6
    assert page.fields.field(("stages", 6, "wheel")).value() == 26
    assert "Stage 7" in page.selected.text()
    assert page.gears.parts()


def test_a_field_of_another_stage_brings_that_stage_forward(window, page):
    page.show_stage(1)
    entry = page.fields.field(("stages", 0, "module"))
    assert entry is not None
    assert page.chosen == 0
    assert page.fields.field(("stages", 0, "no_such")) is None
