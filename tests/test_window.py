"""The real window, driven as its user does: keyboard, clicks, files, a live bench."""

import json

import numpy as np
import pytest
from helpers import discard, lay, planned, was_wrong
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QWidget
from window_helpers import choose, enter, idle, press, until

from sparring.core.quantity import Measured
from sparring.core.search import Facts, query
from sparring.core.train.kinds import SpurStage
from sparring.core.uncertainty import nominal
from sparring.files import log_look
from sparring.ui.app.application import application
from sparring.ui.app.shell import MainWindow
from sparring.ui.pages import PAGES
from sparring.ui.theme import theme


@pytest.fixture
def window(shown, folder):
    lay(shown, folder)
    idle()
    return shown


def test_the_demo_opens_with_its_builds_and_results(window):
    names = [b.name for _, b in window.desk.book.builds()]
    assert {n.split()[0] for n in names} == {
        "Wren",
        "Dunnock",
        "Plover",
        "Siskin",
        "Curlew",
        "Knot",
        "Bought",
    }
    choose(window, "Dunnock r1")
    assert "drop-at-last-weights" in {f.id for f in window.desk.findings}
    choose(window, "Dunnock r2")
    assert "stalled" in {f.id for f in window.desk.findings}
    choose(window, "Dunnock r3")
    assert "drum-radius-vs-diameter" in {f.id for f in window.desk.findings}
    assert window.work.states["Results"].startswith("needs attention")


def test_pages_are_reached_by_key(window, qtbot):
    for n, page in enumerate(PAGES, start=1):
        qtbot.keyClick(window, getattr(Qt.Key, f"Key_{n}"), Qt.KeyboardModifier.AltModifier)
        assert window.page is page
        assert window.pages.currentWidget() is window.views[page.id]


def test_an_edit_is_kept_undone_and_shown_everywhere(window, qtbot):
    choose(window, "Dunnock r2")
    window.go("build")
    field = window.view("build").fields.field(("stages", 0, "module"))
    before = window.desk.build.stages[0].module
    enter(field, "1/32 in", qtbot)
    was_wrong(window)
    assert window.desk.build.stages[0].module == pytest.approx(0.00079375)
    assert window.desk.book.build(window.desk.build_id).stages[0].module == pytest.approx(
        0.00079375
    )
    window.desk.undo.undo()
    assert window.desk.build.stages[0].module == pytest.approx(before)
    assert "0.8 mm" in field.text()
    window.desk.undo.redo()
    assert window.desk.build.stages[0].module == pytest.approx(0.00079375)


def test_a_wrong_unit_is_refused_in_place_and_nothing_is_lost(window, qtbot):
    window.go("build")
    field = window.view("build").fields.field(("motor", "no_load_speed"))
    before = window.desk.build
    enter(field, "4450 V", qtbot)
    assert field.text() == "4450 V"
    assert field.property("bad")
    assert "unit of voltage" in field._note.text()
    assert window.desk.build == before
    press(field, Qt.Key.Key_Escape, qtbot)
    assert "rpm" in field.text()


def test_a_build_that_does_not_hold_together_is_refused_with_the_reason(window, qtbot):
    window.go("build")
    field = window.view("build").fields.field(("motor", "stall_current"))
    enter(field, "0.05 A", qtbot)
    assert "interchanged" in field._note.text()
    assert window.desk.build.motor.stall_current.value > 1


def test_stages_are_added_taken_out_and_picked_by_key(window, qtbot):
    choose(window, "Dunnock r2")
    window.desk.new_revision()
    page = window.view("build")
    page.add(SpurStage)
    assert len(window.desk.build.stages) == 3
    assert page.tables.shafts.rowCount() == 4
    page.gears.setFocus()
    page.gears.pick(0)
    press(page.gears, Qt.Key.Key_Right, qtbot)
    assert page.gears.chosen == (0, "wheel")
    page.remove()
    assert len(window.desk.build.stages) == 2
    press(page.gears, Qt.Key.Key_Space, qtbot)
    assert page.gears.turning
    page.turn.setChecked(False)
    page.gears.turn(False)


def test_the_slider_sweeps_the_prediction(window):
    page = window.view("build")
    page.slider.setValue(20)
    light = page.tables.shafts.item(0, 1).text()
    page.slider.setValue(180)
    assert page.tables.shafts.item(0, 1).text() != light
    page.slider.setValue(200)
    assert window.desk.load > 0


def test_results_open_the_recording_of_a_clicked_point(window):
    choose(window, "Dunnock r2")
    window.go("results")
    page = window.view("results")
    step = window.desk.result.lifted[1]
    page.kind("torque")._clicked(
        page.kind("torque").efficiency, nominal(step.torque), 100 * nominal(step.gearbox)
    )
    idle()
    assert page.tabs.currentIndex() == 1
    assert window.desk.step == step.index
    assert "window" in page.recording.about.text()
    assert page.recording._items
    assert window.driveline.source == "measured"
    assert "kg" in page.table.item(1, 0).text()
    assert page.budget.rows


def test_a_lift_left_out_changes_the_result_and_can_be_taken_back(window):
    choose(window, "Dunnock r1")
    window.go("results")
    window.desk.select(1, 2)
    window.view("results")._strike()
    window.view("results").asked.accept()
    until(lambda: len(window.desk.result.steps[1].points) == 4)
    window.errands.take_back()
    until(lambda: len(window.desk.result.steps[1].points) == 5)
    window.desk.undo.undo()
    until(lambda: len(window.desk.result.steps[1].points) == 4)
    window.desk.undo.undo()
    until(lambda: len(window.desk.result.steps[1].points) == 5)


def test_a_finding_opens_and_leads_to_its_evidence(window, qtbot):
    choose(window, "Dunnock r3")
    window.go("results")
    cards = window.findings.cards()
    card = next(c for c in cards if c.finding.id == "drum-radius-vs-diameter")
    card.setFocus()
    press(card, Qt.Key.Key_Return, qtbot)
    assert card.is_open
    assert window.page.id == "rig"
    assert "drum-radius-vs-diameter" in {
        c.finding.id for c in window.findings.cards()
    }  # still told where it is mended
    window.go("results")
    other = next(c for c in window.findings.cards() if c.finding.id == "voltage-sag")
    other.opened.emit(other)
    assert window.page.id == "results"


def test_units_change_everywhere_at_once(window):
    choose(window, "Dunnock r2")
    window.go("results")
    window.desk.set_unit("torque", "oz·in")
    assert "oz·in" in window.view("results").table.horizontalHeaderItem(2).text()
    assert "oz·in" in window.title_block.cells["view.units"].value
    window.desk.set_unit("torque", "N·m")


@pytest.mark.whole
def test_dark_theme_repaints_everything(window):
    window.set_dark(True)
    assert theme.colour("sheet").lightness() < 80
    image = window.grab().toImage()
    assert image.pixelColor(5, 60).lightness() < 80
    window.set_dark(False)


@pytest.mark.whole
def test_esc_stops_after_a_change_of_theme_also_where_that_failed(window, qtbot, monkeypatch):
    stopped = []
    monkeypatch.setattr(window.session, "stop", lambda: stopped.append(theme.dark))
    window.set_dark(True)
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    with monkeypatch.context() as broken:
        broken.setattr(type(theme), "apply", _fails)
        with pytest.raises(RuntimeError):
            window.set_dark(False)
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    window.set_dark(False)
    assert stopped == [True, False]


def _fails(_theme, _window):
    raise RuntimeError("no colours")


def test_the_logbook_is_searched_by_word_and_condition(window):
    shown = []
    for text in (
        "brass",
        "efficiency > 50 %",
        "dunnock mass < 270 g",
        "stall > 90 N·m",
        "mass < 3 V",
    ):
        window.logbook.search.setText(text)
        top = [
            window.logbook.tree.topLevelItem(i)
            for i in range(window.logbook.tree.topLevelItemCount())
        ]
        shown.append(
            [family.child(i).text(0)[:2] for family in top for i in range(family.childCount())]
        )
    assert shown[0] == ["r3"]
    # Bought, Curlew, Dunnock, Knot, Plover, Wren: those that were run
    assert shown[1] == ["r1", "r2", "r1", "r1", "r2", "r3", "r1", "r1", "r2", "r2", "r3"]
    assert shown[2] == ["r1"]
    assert shown[3] == []
    assert "unit of voltage" in window.logbook.note.text()
    window.logbook.search.clear()


def test_conditions_know_units():
    keep = query("dun mass < 11 oz")
    figures = {"mass": 0.3, "ratio": 30, "efficiency": 0.8, "stall": None}
    assert keep(Facts("dunnock", figures))
    assert not keep(Facts("wren", figures))


def test_a_log_is_imported_through_the_dialog_and_its_mapping_remembered(window, tmp_path):
    choose(window, "Dunnock r2")
    book = window.desk.book
    runs = book.runs(book.tests(window.desk.build_id)[-1].id)
    recording = book.recording(runs[0].recording)
    log = tmp_path / "bench.csv"
    cells = np.column_stack(
        [
            recording.t * 1e3,
            recording.channels["speed"] * 60 / 2 / np.pi,
            recording.channels["voltage"],
            recording.channels["current"],
        ]
    )
    log.write_text(
        "clock,foo,bar (V),I (A)\n"
        + "\n".join(",".join(f"{v:.4f}" for v in row) for row in cells)
        + "\n"
    )
    window.errands.import_log(log)
    dialog = window.errands.dialog
    assert not dialog.go.isEnabled()
    assert "time" in dialog.said.text()
    for i, (channel, unit) in enumerate(
        [("t", "ms"), ("speed", "rpm"), ("voltage", "V"), ("current", "A")]
    ):
        what, units = dialog.choices[i]
        what.setCurrentIndex(what.findData(channel))
        units.setCurrentText(unit)
    assert dialog.go.isEnabled()
    before = len(book.tests())
    dialog.accept()
    until(lambda: len(book.tests()) == before + 1)
    idle()
    assert "1 run of 1 load" in window.message.text()
    window.errands.import_log(log)
    assert window.errands.dialog.mapping() == {
        0: ("t", "ms"),
        1: ("speed", "rpm"),
        2: ("voltage", "V"),
        3: ("current", "A"),
    }
    window.errands.dialog.reject()
    window.errands.import_log(tmp_path / "none.csv")
    assert "none.csv" in window.message.text()
    assert log_look.look(log).columns[1].channel == ""


def test_build_files_are_opened_saved_and_made_revisions(window, tmp_path):
    choose(window, "Dunnock r1")
    path = tmp_path / "build.json"
    path.write_text(window.desk.build.to_json())
    window.errands.open_record(path)
    assert window.desk.build.name == "Dunnock r4"
    window.desk.new_revision()
    assert window.desk.build.name == "Dunnock r5"
    path.write_text('{"family": 3}')
    window.errands.open_record(path)
    assert "family" in window.message.text()


def test_no_logbook_is_said_and_the_window_lives(qapp, tmp_path):
    (tmp_path / "x").mkdir()
    (tmp_path / "x" / "notes.txt").write_text("mine")
    w = MainWindow()
    w.show()
    w.desk.open(tmp_path / "x")
    until(lambda: "other files" in w.message.text())
    w.view("run").do_next()
    assert "opening" in w.message.text()
    discard(w)


def test_every_control_has_a_name_and_can_be_reached(window):
    for page in PAGES:
        window.go(page.id)
        for child in window.findChildren(QWidget):
            if (
                child.isVisible()
                and child.focusPolicy() & Qt.FocusPolicy.TabFocus
                and type(child).__module__.startswith("sparring")
            ):
                assert child.accessibleName() or getattr(child, "text", lambda: "")(), type(child)


def test_a_new_logbook_starts_with_one_build(qapp, tmp_path):
    w = MainWindow()
    w.desk.open(tmp_path / "new")
    until(lambda: w.desk.book is not None)
    assert w.desk.build.family == "First drive"
    assert w.view("results").either.currentIndex() == 1
    w.desk.edit("build", ("mass",), Measured(0.3))
    assert json.loads(w.desk.build.to_json())["mass"] == "300 g"
    discard(w)


def test_another_logbook_brings_its_own_rig_and_plan(window, folder, tmp_path):
    choose(window, "Dunnock r3")
    lay(window, tmp_path / "second")
    assert window.desk.rig == window.desk.book.rig(window.desk.rig_id)
    assert window.desk.rig.name != "Hoist B"
    assert window.desk.plan == planned()
    lay(window, folder)
    assert window.desk.build.name == "Dunnock r3"  # what was on the desk when it was left
    assert window.desk.rig.name == "Hoist B"


def test_an_edit_before_the_logbook_is_open_is_refused_in_words(qapp):
    application()
    w = MainWindow()
    w.show()
    before = w.desk.build
    assert "still opening" in w.desk.edit("build", ("family",), "Early")
    w.view("build").gears.count_edited.emit(0, "wheel", 50)
    assert "still opening" in w.message.text()
    assert w.desk.build == before
    discard(w)


def test_the_logbook_finds_drives_by_their_kind_and_material(window):
    def families(text):
        window.logbook.search.setText(text)
        tree = window.logbook.tree
        return {tree.topLevelItem(i).text(0).split()[0] for i in range(tree.topLevelItemCount())}

    assert families("worm") == {"Siskin"}
    assert families("planetary") == {"Wren"}
    assert families("PLA") == {"Curlew", "Wren"}  # part of planetary too
    assert families("ratio > 90") == {"Curlew"}
    window.logbook.search.clear()


def test_a_build_finding_leads_to_its_field(window):
    choose(window, "Curlew r1")
    window.go("build")
    until(lambda: any(c.finding.id == "turns-back" for c in window.findings.cards()))
    card = next(c for c in window.findings.cards() if c.finding.id == "turns-back")
    assert card.finding.severity == "wrong"  # a vent must not fall back
    card.opened.emit(card)
    assert window.focusWidget() is window.view("build").fields.field(("holding",))
    window.go("results")
    assert not any(c.finding.id == "turns-back" for c in window.findings.cards())
    window.go("build")
    until(lambda: any(c.finding.id == "planet-phases" for c in window.findings.cards()))


@pytest.mark.whole
def test_a_restless_reader_breaks_nothing(window):
    """Builds, pages, units, findings, points and searches in any order: no fault."""
    import random

    from sparring.core.quantity import KINDS

    rng = random.Random(4)
    desk = window.desk
    ids = [i for i, _ in desk.book.builds()]

    def finding():
        cards = window.findings.cards()
        if cards:
            card = rng.choice(cards)
            card.opened.emit(card)

    def unit():
        kind = rng.choice(["torque", "speed", "length", "mass"])
        desk.set_unit(kind, rng.choice(list(KINDS[kind].units)))

    moves = [
        lambda: desk.choose_build(rng.choice(ids)),
        lambda: window.go(rng.choice(PAGES).id),
        lambda: window.go(rng.choice(PAGES).id),
        unit,
        finding,
        lambda: desk.select(rng.randrange(3), rng.choice([None, 0, 1])) if desk.result else None,
        lambda: window._part(
            rng.choice(["stage 1", "stage 2", "motor", "rig", "output", "supply"])
        ),
        lambda: window._title_cell(rng.choice(list(window.title_block.cells)[:-1])),
        lambda: window.logbook.search.setText(
            rng.choice(["", "worm", "mass < 300 g", "ratio > 3 m"])
        ),
        desk.new_test,
        lambda: window.view("build").gears.turn(rng.random() < 0.5),
        idle,
    ]
    for _ in range(50):
        rng.choice(moves)()
        if rng.random() < 0.25:
            window.grab()
            QApplication.processEvents()
    idle()
    window.view("build").gears.turn(False)
    window.logbook.search.clear()
    for kind in ("torque", "speed", "length", "mass"):
        desk.set_unit(kind, KINDS[kind].default)
