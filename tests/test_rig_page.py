"""The Rig page: dimensions, methods, masses, checks."""

import pytest
from helpers import lay, was_wrong
from PyQt6.QtWidgets import QApplication, QCheckBox, QPushButton
from window_helpers import choose, enter, idle, until

from sparring.core.quantity import Measured
from sparring.core.rig import Weight
from sparring.core.uncertainty import nominal
from sparring.ui.model import background


@pytest.fixture
def window(shown, folder):
    lay(shown, folder)
    idle()
    return shown


def test_rig_dimensions_are_edited_on_the_drawing(window, qtbot):
    choose(window, "Dunnock r3")
    window.go("rig")
    enter(window.view("rig").picture.fields["drum_radius"], "25.0 ± 0.1 mm", qtbot)
    assert window.desk.rig.method.drum_radius.value == 0.05  # until it is said what the edit is
    was_wrong(window)
    assert window.desk.rig.method.drum_radius.value == pytest.approx(0.025)
    until(
        lambda: (
            window.desk.result is not None
            and "drum-radius-vs-diameter" not in {f.id for f in window.desk.findings}
        )
    )
    enter(window.view("rig").picture.fields["drum_radius"], "", qtbot)
    assert window.desk.rig.method.drum_radius is None


def test_a_finding_on_the_rig_leads_to_its_field(window):
    from sparring.core.finding import noted

    assert window.desk.edit("rig", ("sensors", "second_cell"), "taken off") is None
    for place, label in (
        ("rig.calibration", "Known mass on the cell"),
        ("rig.sensors.second_calibration", "Known mass on the cell"),
        ("rig.gravity", "Local gravity"),
        ("rig.limits.cord", "Cord strength"),
        ("rig.limits.supply", "Current limit"),
        ("rig.sensors.supply", "Supply"),
        ("rig.sensors.pulses", "Pulses per revolution"),
        ("rig.sensors.ammeter", "Reference reads"),
        ("rig.method.drum_diameter", "Drum diameter"),
    ):
        window.view("rig").tabs.setCurrentIndex(2)
        window._show_finding(
            noted("here", "note", title="Here", seen="It is here.", why="Because.", place=place)
        )
        QApplication.processEvents()
        focused = QApplication.focusWidget()
        assert focused.accessibleName() == label
        assert focused.isVisible()
        assert not focused.visibleRegion().isEmpty()


def test_a_rig_goes_to_another_method_and_back_without_losing_its_dimensions(window, qtbot):
    from sparring.core.methods import METHODS, Hoist, Lever, RunUp

    page, d = window.view("rig"), window.desk
    window.go("rig")
    window.desk.new_rig()  # a rig without tests
    enter(page.picture.fields["drum_diameter"], "44 ± 0.1 mm", qtbot)
    for method in METHODS:
        page.choose_method(method)
        window.grab()
        assert {name for _, name in method.FIELDS} == set(page.picture.fields)
        assert page.sensors.choice.view().isRowHidden(0) == (not method.CELL)
        assert method.CELL or page.sensors.choice.currentIndex() > 0
        assert (page._field_at(("calibration",)) is None) == (not method.CELL)
        assert window.title_block.cells["rig.chosen"].value.endswith(method().word)
    page.choose_method(Lever)
    enter(page.picture.fields["arm_mass"], "0 g", qtbot)
    until(lambda: any("arm's own weight" in f.title.casefold() for f in d.setup_findings()))
    window.findings.refresh()
    card = next(c for c in window.findings.cards() if c.finding.id == "arm-weight-ignored")
    window._show_finding(card.finding)
    assert page.picture.fields["arm_mass"].hasFocus()
    page.choose_method(RunUp)
    page.tabs.setCurrentIndex(3)
    assert page.planner.table.item(0, 0).text() == "1.25"
    assert page.planner.table.item(3, 0).text() == "5 now"
    assert "The starting current is" in page.planner.said.text()
    page.choose_method(Hoist)
    assert d.rig.method.drum_diameter.value == pytest.approx(0.044)
    d.undo.undo()
    assert d.rig.method.kind == "run-up"


def test_a_rig_with_tests_is_not_turned_into_another_bench(window):
    """The lifts of three builds were made on it: they stay lifts, and the other method gets a rig
    of its own.
    """
    from sparring.core.methods import Lever

    choose(window, "Dunnock r1")
    d = window.desk
    test, rig, best = d.test_id, d.rig_id, nominal(d.result.best.gearbox)
    window.go("rig")
    window.view("rig").choose_method(Lever)
    assert (d.rig.name, d.rig.method.kind, d.test_id) == ("Lever", "lever", 0)
    assert "has tests and is unchanged" in window.message.text()
    assert d.book.rig(rig).method.kind == "hoist"
    d.choose_test(test)
    until(lambda: d.result is not None and not background.busy())
    assert nominal(d.result.best.gearbox) == pytest.approx(best)


def test_masses_and_checks_are_kept_with_the_rig(window, qtbot):
    page, d = window.view("rig"), window.desk
    window.go("rig")
    assert (
        d.edit(
            "rig",
            ("shelf",),
            (
                Weight(name="b", mass=Measured(1.02, 1e-4)),
                Weight(name="a", mass=Measured(0.5, 1e-4)),
            ),
        )
        is None
    )
    text = d.rig.checks[3].text
    loose = next(
        b
        for b in page.checklist.findChildren(QPushButton)
        if b.accessibleName() == f"{text}: was loose"
    )
    loose.click()
    loose = next(
        b
        for b in page.checklist.findChildren(QPushButton)
        if b.accessibleName() == f"{text}: was loose" and b.isVisibleTo(page.checklist)
    )
    loose.click()
    assert next(c for c in d.rig.checks if c.text == text).loose == 2
    # what came loose stands first
    assert page.checklist.findChildren(QCheckBox)[-len(d.rig.checks)].accessibleName() == text
    page.checklist.text.setText("belt not frayed")
    page.checklist._add()
    assert d.rig.checks[-1].text == "belt not frayed"
