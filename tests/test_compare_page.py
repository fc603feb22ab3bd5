"""The page Compare, driven in the window: ticks, conditions, factors, duty, ratio, revision."""

import math

import numpy as np
import pytest
from helpers import lay
from PyQt6.QtCore import QPoint, Qt
from window_helpers import choose, enter, idle, until

from sparring.core.compare.choice import Choice
from sparring.core.performance.continuous import carries
from sparring.core.records import changed
from sparring.exchange.deriving import heat_of


@pytest.fixture
def window(shown, folder):
    lay(shown, folder)
    idle()
    return shown


def opened(window, build="Dunnock r2"):
    choose(window, build)
    window.go("compare")
    window.view("compare").show_tab("side")
    until(lambda: window.desk.comparing.found is not None)
    return window.view("compare")


def names(window):
    return [s.name for s in window.desk.comparing.found.comparison.subjects]


def settled(window, *builds):
    until(lambda: window.desk.comparing.found is not None and names(window) == list(builds))


def items(tree):
    found = []

    def walk(item):
        for n in range(item.childCount()):
            found.append(item.child(n))
            walk(item.child(n))

    walk(tree.invisibleRootItem())
    return found


def box(window, text):
    item = next(i for i in items(window.logbook.tree) if i.text(0).startswith(text))
    rect = window.logbook.tree.visualItemRect(item)
    return item, QPoint(rect.left() + 8, rect.center().y())


def test_the_family_on_the_desk_is_compared_until_something_is_ticked(window, qtbot):
    page = opened(window)
    assert names(window) == ["Dunnock r1", "Dunnock r2", "Dunnock r3"]
    tree = window.logbook.tree
    item, _ = box(window, "r3 brass")
    assert item.checkState(0) == Qt.CheckState.Checked
    before = window.desk.build_id
    tree.setCurrentItem(item)
    qtbot.keyClick(tree, Qt.Key.Key_Space)
    settled(window, "Dunnock r1", "Dunnock r2")
    assert window.desk.build_id == before
    assert page.figures.table.columnCount() == 4
    window.go("results")
    assert all(i.data(0, Qt.ItemDataRole.CheckStateRole) is None for i in items(tree))


@pytest.mark.whole
def test_what_a_search_finds_is_compared_and_kept_under_a_name(window, qtbot):
    opened(window)
    enter(window.logbook.search, "lubricant = dry and efficiency > 70 %", qtbot)
    window.logbook.compare_found.click()
    until(lambda: window.desk.comparing.found is not None and "Dunnock r2" not in names(window))
    found = names(window)
    assert "Dunnock r1" in found
    comparing = window.desk.comparing
    comparing.save_as("dry ones", comparing.query)
    comparing.choose([])
    until(lambda: comparing.found is None)
    assert comparing.take_saved("dry ones") == "lubricant = dry and efficiency > 70 %"
    until(lambda: comparing.found is not None and names(window) == found)
    comparing.drop_saved("dry ones")
    assert comparing.saved() == {}
    window.logbook.search.clear()
    enter(window.logbook.search, "mass < 3 V", qtbot)
    window.logbook.compare_found.click()
    assert "unit of voltage" in window.message.text()
    window.logbook.search.clear()


@pytest.mark.whole
def test_conditions_are_typed_and_what_cannot_be_read_stays(window, qtbot):
    page = opened(window)
    bar = page.bar
    enter(bar.torque, "5 kg·cm", qtbot)
    until(lambda: window.desk.comparing.found.comparison.at.torque == pytest.approx(0.4903325))
    enter(bar.torque, "40 %", qtbot)
    until(lambda: window.desk.comparing.found.comparison.at.share == pytest.approx(0.4))
    enter(bar.torque, "3 V", qtbot)
    assert bar.torque.text() == "3 V"
    assert window.desk.comparing.wanted.share == pytest.approx(0.4)
    qtbot.keyClick(bar.torque, Qt.Key.Key_Escape)
    assert bar.torque.text() == "40 %"
    enter(bar.torque, "", qtbot)
    until(lambda: window.desk.comparing.found.comparison.at.share is None)
    enter(bar.margin, "5 points", qtbot)
    until(lambda: window.desk.comparing.found.comparison.margin == pytest.approx(0.05))
    bar.reference.setCurrentIndex(1)
    bar.reference.activated.emit(1)
    until(lambda: window.desk.comparing.found.comparison.reference == 0)
    assert page.against.text() == "Gearbox efficiency against Dunnock r1"
    assert "Dunnock r2: better" in page.forest.accessibleDescription()
    assert page.forest.isVisible()


def test_a_row_is_compared_in_and_sorts_the_builds(window, qtbot):
    page = opened(window)
    table = page.figures.table
    rows = [table.item(r, 0).text() for r in range(table.rowCount())]
    row = next(r for r, text in enumerate(rows) if text.startswith("mass"))
    table.setCurrentCell(row, 0)
    until(lambda: window.desk.comparing.found.comparison.figure.id == "mass")
    qtbot.keyClick(table, Qt.Key.Key_S)
    settled(window, "Dunnock r1", "Dunnock r2", "Dunnock r3")
    row = next(r for r, text in enumerate(rows) if text.startswith("stall torque, "))
    table.setCurrentCell(row, 0)
    qtbot.keyClick(table, Qt.Key.Key_S)
    settled(window, "Dunnock r2", "Dunnock r3", "Dunnock r1")
    best = table.item(row, table.columnCount() - 1).text()
    assert best == "Dunnock r2"
    assert table.item(row, 1).font().bold()
    page.forest.setFocus()
    qtbot.keyClick(page.forest, Qt.Key.Key_Return)
    assert page.forest.dialog.table.rowCount() == 3
    page.forest.dialog.close()


def test_a_click_in_the_chart_sets_where_they_are_compared(window, qtbot):
    page = opened(window)
    page.curves.chart.clicked.emit(0.5, 80.0)
    until(lambda: window.desk.comparing.found.comparison.at.torque == pytest.approx(0.5))
    drawn = {}
    for n in range(page.curves.kind.count()):
        page.curves.kind.setCurrentIndex(n)
        page.curves.refresh()
        until(lambda: page.curves.chart.rows()[1])  # recordings are looked at off its thread
        head, lines = page.curves.chart.rows()
        assert len(head) == 4
        drawn[page.curves.kind.currentText()] = {(x[0], x[1]): x[2] for x in lines}
    for where, wire in drawn["wire to shaft"].items():  # %, W
        taken, out = drawn["power in"][where], drawn["power out"][where]
        assert wire == pytest.approx(100 * out / taken, rel=0.01)
        into = drawn["motor efficiency"][where] / 100 * taken
        assert drawn["gearbox loss"][where] == pytest.approx(into - out, rel=0.02)
    subjects = window.desk.comparing.found.comparison.subjects
    for name in ("torque carried", "ripple by order"):
        assert {of for of, _ in drawn[name]} == {s.name for s in subjects}
    carried = drawn["torque carried"]
    for s in subjects:
        known = heat_of(window.desk.book, s.test)
        for c in carries(s.model, known, spans=(60.0, math.inf)):
            assert carried[s.name, c.seconds] == pytest.approx(c.torque)
        seen = [y for (of, x), y in drawn["ripple by order"].items() if of == s.name and x > 0.5]
        assert 0 < max(seen) < 20  # % of the mean


@pytest.mark.whole
def test_factors_and_specimens_are_said_and_undone(window, qtbot):
    page = opened(window)
    book = window.desk.book
    tests = [t for t in book.tests() if t.title in ("which gears?", "second set of gears")]
    window.desk.comparing.choose([Choice(t.build_id, t.id) for t in tests])
    page.show_tab("factors")
    until(lambda: "Dunnock r2, second set" in names(window))
    panel = page.effects
    until(lambda: panel.table.rowCount() > 0)
    assert "specimen" in panel.told.text()
    factors = [panel.table.item(r, 0).text() for r in range(panel.table.rowCount())]
    assert "lubricant" in factors
    before = book.test(tests[0].id).plan.factors
    panel.own.item(0, 2).setText("A. Tester")
    until(lambda: book.test(tests[0].id).plan.factors != before)
    assert {f.name: f.level for f in book.test(tests[0].id).plan.factors}["operator"] == "A. Tester"
    until(lambda: "operator" in window.desk.comparing.found.effects.offered)
    window.desk.undo.undo()
    assert book.test(tests[0].id).plan.factors == before
    panel.own.item(0, 3).setText("oil thin")
    assert "write a factor and its level" in window.message.text()
    panel.factors.fill(panel_entries(panel), ["lubricant"])
    panel.factors.changed.emit()
    until(lambda: window.desk.comparing.found.effects.factors == ("lubricant",))
    panel.plotted.setCurrentIndex(0)
    assert len(panel.means.rows()[1]) == 2


def panel_entries(panel):
    return [(id, id) for id in panel.factors._actions]


@pytest.mark.whole
def test_a_duty_is_changed_ranks_again_and_is_undone(window, qtbot):
    page = opened(window)
    page.show_tab("duty")
    comparing = window.desk.comparing
    until(lambda: comparing.ranking is not None)
    assert window.desk.duty.name == "small vent"
    assert comparing.ranking.found[0].meets
    curlew = next(m for m in comparing.ranking.found if m.candidate.name == "Curlew r1")
    assert curlew.limit == "turns-back"
    gust = page.duty.form.form.fields["task", "gust"]
    enter(gust, "", qtbot)
    until(lambda: comparing.ranking.found[0].candidate.name == "Curlew r1")
    assert window.desk.duties()[1].task.gust is None
    window.desk.undo.undo()
    until(lambda: comparing.ranking.found[0].candidate.name != "Curlew r1")
    page.duty.form.holds.click()
    assert window.desk.duties()[1].holds
    window.desk.undo.undo()
    assert not page.duty.form.holds.isChecked()
    page.duty.form.which.setCurrentIndex(1)
    page.duty.form.which.activated.emit(1)
    until(lambda: window.desk.duty.name.startswith("large vent"))
    until(
        lambda: (
            not any(m.candidate.name == "Siskin r1" and m.meets for m in comparing.ranking.found)
        )
    )
    page.duty.form.kind.setCurrentIndex(2)
    page.duty.form.kind.activated.emit(2)
    until(lambda: window.desk.duty.task.kind == "vehicle")
    assert "wheels slip" in page.duty.form.told.text()
    count = len(window.desk.duties())
    page.duty.form.new.click()
    assert len(window.desk.duties()) == count + 1
    window.desk.undo.undo()
    assert len(window.desk.duties()) == count


def meets(comparing, name):
    return next(m for m in comparing.ranking.found if m.candidate.name == name).meets


@pytest.mark.whole
def test_where_none_does_it_what_is_missing_is_said(window):
    page = opened(window)
    page.show_tab("duty")
    duty = changed(window.desk.duty, ("task", "wind"), 40.0)
    assert window.desk.edit("duty", (), duty, "wind") is None
    comparing = window.desk.comparing
    until(lambda: comparing.needs or comparing.duty_failed)
    assert comparing.duty_failed == ""
    until(lambda: "None does it. Nearest is" in page.duty.told.text())
    assert "a supply of" in page.duty.told.text()
    assert page.duty.segments.rowCount() == 2


@pytest.mark.whole
def test_the_ratio_is_drawn_and_its_gears_become_a_build(window, qtbot):
    page = opened(window)
    page.show_tab("ratio")
    panel = page.ratio
    until(lambda: panel.over is not None and panel.gears)
    assert np.all(np.diff(panel.over.stall) > 0)
    assert "within 2 % of it" in panel.told.text()
    enter(panel.modules, "0.8 mm, 1 mm", qtbot)
    until(lambda: panel.gears and panel.gears[0].pairs[0].module == pytest.approx(0.8e-3))
    wanted = panel.gears[0]
    panel.make.click()
    idle()
    build = window.desk.build
    assert abs(build.ratio()) == pytest.approx(wanted.ratio)
    assert build.title.startswith("proposed")
    window.desk.undo.undo()
    assert window.desk.build.family == "Dunnock"
    enter(panel.owned, "12×1", qtbot)
    enter(panel.owned, "twelve", qtbot)
    assert "is no gear" in window.message.text()


@pytest.mark.whole
def test_the_best_change_becomes_a_revision_and_spares_are_counted(window, qtbot):
    page = opened(window, "Dunnock r1")
    page.show_tab("next")
    panel = page.change
    until(lambda: panel.changes and panel.spares.rowCount())
    assert panel.changes[0].what == "grease all meshes"
    panel.left.setValue(5)
    panel.days.setValue(36_000)
    panel.days.editingFinished.emit()
    counted = panel.spares
    until(lambda: any(float(counted.item(r, 2).text()) > 0 for r in range(counted.rowCount())))
    panel.make.click()
    idle()
    assert window.desk.build.name == "Dunnock r4"
    assert window.desk.build.lubricant == "greased"
    window.desk.undo.undo()
    assert window.desk.build.name == "Dunnock r1"


def test_the_trade_off_marks_what_is_undominated(window):
    page = opened(window)
    page.show_tab("trade")
    panel = page.trade
    until(lambda: panel.table.rowCount() == 3)
    said = {panel.table.item(r, 0).text(): panel.table.item(r, 1).text() for r in range(3)}
    assert said["Dunnock r3"] == "beaten"
    assert said["Dunnock r2"] == "best"
    panel.third.setCurrentIndex(panel.third.findData("ratio"))
    panel.third.activated.emit(0)
    idle()
    assert len(panel.chart.rows()[1]) == 3
