"""The Plan page: a plan laid out, changed and taken back in the real window."""

import pytest
from helpers import lay, make_runs
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton
from window_helpers import choose, enter, idle, until

from sparring.core.methods import Generator
from sparring.core.outlook.campaign import Campaign
from sparring.core.quantity import Measured
from sparring.core.rig import Weight

LINE = "loads 0.5…2.5 kg in 5, at 6, 9, 12 V, 3 times, shuffled (seed 7)"


@pytest.fixture
def page(shown, folder):
    lay(shown, folder)
    choose(shown, "Dunnock r2")
    shown.desk.new_test()
    shown.go("plan")
    idle()
    return shown.view("plan")


def texts(table, column):
    return [table.item(n, column).text() for n in range(table.rowCount())]


def test_a_line_is_laid_out_and_taken_back(page, shown, qtbot):
    before = shown.desk.plan
    enter(page.line, LINE.replace("…", "..."), qtbot)
    plan = shown.desk.plan
    assert (len(plan.steps), plan.order, plan.seed) == (15, "shuffled", 7)
    assert page.line.text() == LINE
    assert page.steps.table.rowCount() == 15
    assert sum("▸" in t for t in texts(page.steps.table, 0)) == 1
    assert shown.title_block.cells["plan"].value == "15 steps × 3"
    assert "45 runs left" in page.time.text()
    assert shown.work.states["Plan"] == "15 steps"
    enter(page.line, "loads 1 m at 12 V", qtbot)
    assert page.line.text() == "loads 1 m at 12 V"  # refused, and what was typed stays
    assert shown.desk.plan == plan
    qtbot.keyClick(page.line, Qt.Key.Key_Escape)
    assert page.line.text() == LINE
    shown.desk.undo.undo()
    assert shown.desk.plan == before


def test_a_question_gives_a_plan_with_its_reasons(page, shown):
    for n in range(1, page.question.count()):
        page.question.setCurrentIndex(n)
        page.question.activated.emit(n)
        idle()
        id = page.question.itemData(n)
        if id == "what breaks":  # the motor stalls long before
            assert "stalls at" in shown.message.text()
            continue
        if id == "how does it wear":  # half an hour needs more cord than a hoist has
            assert "life test" in shown.message.text()
            continue
        assert shown.desk.plan.question == id
        assert page.reasons.text().count("\n") == len(shown.desk.plan.reasons) - 1
        assert page.question.currentData() == id


@pytest.mark.whole
def test_the_selected_step_is_edited_moved_excluded_and_copied(page, shown, qtbot):
    enter(page.line, "loads 0.5, 1 kg, at 12 V, 3 times", qtbot)
    d, form = shown.desk, page.steps.form
    page.steps.choose(d.plan.steps[1].id)
    enter(form.load, "750 g ± 1 g", qtbot)
    load = d.plan.steps[1].load
    assert (load.value, load.u) == pytest.approx((0.75, 5e-4))
    enter(form.voltage, "9", qtbot)
    assert [s.voltage for s in d.plan.steps] == [12.0, 9.0]
    enter(form.speed, "60 rpm", qtbot)
    assert d.plan.steps[1].voltage is None
    assert "60" in page.steps.table.item(1, 2).text()
    page.steps.choose(d.plan.steps[1].id)
    row = d.outlook().rows[d.plan.steps[1].id]
    assert row.speed == pytest.approx(d.plan.steps[1].speed, rel=0.03)
    enter(form.voltage, "", qtbot)
    assert d.plan.steps[1].speed is not None  # a step needs one of them
    enter(form.voltage, "9 V", qtbot)
    page.steps.shift(-1)
    assert [s.voltage for s in d.plan.steps] == [9.0, 12.0]
    qtbot.keyClick(shown, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert [s.voltage for s in d.plan.steps] == [12.0, 9.0]
    page.steps.exclude()
    assert [s.excluded for s in d.plan.steps] == [False, True]
    assert page.steps.table.item(1, 3).text() == "excluded"
    page.steps.exclude()
    page.steps.double()
    assert len(d.plan.steps) == 3
    assert len({s.id for s in d.plan.steps}) == 3
    page.steps.remove()
    assert len(d.plan.steps) == 2
    form.kind.activated.emit(2)  # hold
    assert d.plan.step(page.steps.step).kind == "hold"
    assert not form.time.isHidden()


def test_weights_come_from_the_shelf(page, shown, qtbot):
    d = shown.desk
    shelf = tuple(Weight(name="", mass=Measured(m, 2.5e-4)) for m in (2.0, 1.0, 0.5, 0.2))
    assert d.edit("rig", ("shelf",), shelf) is None
    enter(page.line, "loads 0.5, 1.5, 1.55 kg, at 12 V", qtbot)
    until(lambda: len(page.weights.hung) == 3)
    page.steps.choose(d.plan.steps[1].id)
    assert "1.50000 ± 0.00071 kg" in page.weights.say.text()
    assert "1 kg: hang" in page.weights.shelf.accessibleName()
    assert "0.5 kg: stays on" in page.weights.shelf.accessibleName()
    page.steps.choose(d.plan.steps[2].id)
    assert "cannot be made" in page.weights.say.text()
    page.weights.take.click()
    assert [s.mass for s in d.plan.steps] == pytest.approx([0.5, 1.5, 1.5])


def test_repeats_are_set_by_the_difference_that_matters(page, shown, qtbot):
    enter(page.repeats.spread, "0.9 %", qtbot)
    enter(page.repeats.difference, "1.5 %", qtbot)
    assert "9 runs: power 91 %" in page.repeats.say.text()
    page.repeats.use.click()
    assert {s.repeats for s in shown.desk.plan.steps} == {9}
    assert not page.repeats.use.isEnabled()


def test_runs_correct_the_prediction_and_both_are_shown(page, shown, folder):
    choose(shown, "Dunnock r3")
    until(lambda: shown.desk.result is not None)
    idle()
    page.tabs.setCurrentIndex(1)
    before, now = (texts(page.figures, c) for c in (1, 2))
    assert before != now
    assert "–" not in now
    assert "checked" not in page.time.text()
    assert "all runs are made" in page.time.text()
    assert {t[:1] for t in texts(page.steps.table, 0)} == {"✓"}
    assert shown.desk.drive().source == pytest.approx(0.9, abs=0.1)  # its long lead


def test_a_generator_is_planned_in_its_resistors(page, shown, qtbot):
    shown.desk.new_rig()
    shown.desk.set_method(Generator())
    idle()
    assert page.line.text().startswith("resistors 22, 13, 8, 4.7, 2.7 Ω, at 12 V")
    enter(page.line, "resistors 22, 10, 4.7 ohm, at 9, 12 V, 2 times", qtbot)
    assert len(shown.desk.todo.todo) == 6
    shown.go("run")
    assert [row.texts[0] for row in shown.view("run").ladder.rows][:2] == [
        "22.0 Ω, 9 V",
        "10.0 Ω, 9 V",
    ]


def test_a_finding_leads_to_its_steps_and_a_click_to_its_step(page, shown, qtbot):
    enter(page.line, "loads 0.5, 6, 7 kg, at 12 V, 3 times", qtbot)
    found = {f.id: f for f in shown.desk.plan_findings()}
    shown._show_finding(found["step-will-stall"])
    assert page.steps.table.hasFocus()
    at = page.chart.places()["step 1"]
    picked = []
    page.chart.picked.connect(picked.append)
    page.steps.choose(shown.desk.plan.steps[2].id)
    port = page.chart.chart.viewport()
    qtbot.mouseClick(
        port,
        Qt.MouseButton.LeftButton,
        pos=page.chart.mapTo(port, at) if port.isAncestorOf(page.chart) else at,
    )
    until(lambda: picked == [shown.desk.plan.steps[0].id])
    assert page.steps.step == picked[0]


def test_the_first_power_of_a_new_build_is_low_and_waits_for_a_word(page, shown, qtbot):
    d, s = shown.desk, shown.session
    d.new_revision()  # which nobody has seen turn
    idle()
    first = d.todo.todo[0]
    assert (first.kind, first.voltage, first.load) == ("first power", 4.0, None)
    shown.go("run")
    run = shown.view("run")
    s.simulate(d.build, d.rig, speed=20.0)
    until(lambda: s.state == "ready" and s.obeys and s.ring is not None and s.ring.count > 60)
    run.do_next()
    until(lambda: s.tare is not None)
    run._force(d.plan.steps[0].id)  # nothing goes before it
    for n in (1, 2):
        run.do_next()
        until(lambda n=n: len(d.runs) == n and s.state == "ready")
        assert (d.runs[-1].run.kind, d.runs[-1].run.voltage) == ("first power", 4.0)
        assert "turned the right way" in run.ladder.go.text()
        if n == 1:
            qtbot.keyClick(shown, Qt.Key.Key_N)
            assert "turned the right way" not in run.ladder.go.text()
    run.do_next()
    assert d.build.first_power is not None
    assert run.lift.step == d.plan.steps[0].id
    assert d.result is None or not d.result.steps
    d.undo.undo()
    assert d.build.first_power is None


@pytest.mark.whole
def test_what_rests_is_said_to_be_done(page, shown, qtbot):
    enter(page.line, "cool down 2 min; inspect pinion; loads 1 kg at 12 V", qtbot)
    shown.go("run")
    run, d, s = shown.view("run"), shown.desk, shown.session
    s.simulate(d.build, d.rig, speed=20.0)
    until(lambda: s.state == "ready" and s.obeys and s.ring is not None and s.ring.count > 60)
    run.do_next()
    until(lambda: s.tare is not None)
    assert "until" in run.ladder.say.text()
    run.do_next()
    assert "Inspected: pinion" in run.ladder.go.text()
    run.do_next()
    assert "1.00 kg" in run.ladder.go.text()
    assert [r.run.kind for r in d.runs] == ["cool down", "inspect"]


def test_the_page_fits_its_buttons(page):
    for button in page.findChildren(QPushButton):
        if button.isVisible() and button.text():
            assert button.fontMetrics().horizontalAdvance(button.text()) < button.width()


def test_a_trial_that_was_laid_is_taken_back(page, shown, qtbot):
    """Its test goes with it, unless runs were made in it since."""
    d = shown.desk
    enter(page.line, "loads 1 kg at 12 V, 2 times", qtbot)
    plan = d.plan.model_copy(update={"question": ""})
    d.begin_campaign(Campaign(name="Taken back", builds=(d.build.name,), blocks=2, plan=plan))
    was, tests = d.test_id, d.book.count_tests()
    d.lay_trial(d.trial())
    assert d.in_campaign
    assert d.book.count_tests() == tests + 1
    d.undo.undo()
    assert (d.test_id, d.book.count_tests()) == (was, tests)
    assert not d.campaign.tests
    d.undo.redo()
    assert d.in_campaign
    runs, _ = make_runs(d.build, d.rig, d.plan)
    d.add_run(runs[0][0])
    d.undo.undo()
    assert "it has runs" in shown.message.text()
    assert d.in_campaign
