"""The page Wear, driven in the window: marks, sizes, an inspection begun and undone, findings."""

import json

import pytest
from helpers import lay
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from window_helpers import choose, idle, until

from sparring.core.care import Life
from sparring.core.wear.inspection import Inspection


@pytest.fixture
def window(shown, folder):
    lay(shown, folder)
    idle()
    return shown


def opened(window, build="Dunnock r1"):
    choose(window, build)
    window.go("wear")
    until(lambda: window.desk.wear is not None)
    return window.view("wear")


def keys(qtbot, page, *given):
    for key in given:
        if isinstance(key, str):
            qtbot.keyClicks(page.gear, key)
        else:
            qtbot.keyClick(page.gear, *(key if isinstance(key, tuple) else (key,)))


def test_the_demo_drive_is_judged_and_its_findings_lead_to_the_part(window):
    page = opened(window)
    assert {f.id for f in window.desk.wear.findings} >= {
        "split-from-corner",
        "every-nth-tooth",
        "one-flank-worn",
        "joint-turned",
    }
    finding = next(f for f in window.desk.wear.findings if f.id == "every-nth-tooth")
    window.show_place(finding.place)
    assert page.caret.part.name == "stage 2 wheel"
    assert "common factor 14" in page.seen.meets.text()
    assert page.rates.table.rowCount() == 4
    until(lambda: "times as fast as Dunnock r2" in page.rates.told.text())


def test_marks_are_made_graded_taken_away_and_undone(window, qtbot):
    page = opened(window)
    d = window.desk
    page.show_place(["part", "stage 1 pinion"])
    before = len(d.look.seen)
    ctrl = Qt.KeyboardModifier.ControlModifier
    keys(qtbot, page, Qt.Key.Key_Right, Qt.Key.Key_Down, "b", "5")
    made = d.look.seen[-1]
    assert (made.mode, made.spot, made.teeth, made.severity) == (
        "broken-root",
        "coasting flank",
        (2,),
        5,
    )
    assert d.book.inspections(d.build_id)[-1][1] == d.look  # it is kept as it is made
    keys(qtbot, page, (Qt.Key.Key_A, ctrl), "b")
    assert d.look.seen[-1].teeth == ()  # all of them
    keys(qtbot, page, Qt.Key.Key_Home, Qt.Key.Key_Delete)
    assert d.look.seen[-1].teeth == tuple(range(2, 13))
    for _ in range(4):
        d.undo.undo()
    assert len(d.look.seen) == before


def test_what_a_table_of_sizes_cannot_be_is_said_and_stays(window):
    page = opened(window)
    page.show_place(["part", "stage 1 pinion"])
    table = page.sizes.table
    rows = table.rowCount()
    table.item(rows - 1, 0).setText("span")
    table.item(rows - 1, 2).setText("4.7 4.8")
    assert "over" in page.sizes.wrong.text()
    assert table.item(rows - 1, 2).text() == "4.7 4.8"
    table.item(rows - 1, 1).setText("3")
    until(lambda: any(s.over == 3 for s in window.desk.look.sizes))
    assert not page.sizes.wrong.isVisible()


def test_a_part_without_sizes_has_a_row_to_type_in_and_keeps_nothing_of_another(window):
    page = opened(window, "Wren r2")
    page.show_place(["part", "stage 1 sun"])
    assert page.sizes.table.rowCount() == 1
    page.sizes.table.item(0, 2).setText("3.2")  # of what, is not said yet
    page.turn(1)
    assert page.sizes.table.rows() == []


def test_an_inspection_adds_up_what_the_tests_did(window, qtbot):
    choose(window, "Dunnock r2")
    window.go("wear")
    page = window.view("wear")
    count = len(window.desk.looks)
    page.begin()
    until(lambda: len(window.desk.looks) == count + 1)
    look = window.desk.look
    assert look.starts > 20
    assert 5 < look.turns.value < 5000
    assert look.work.value > 0
    assert look.peak_torque > 0.5
    window.desk.undo.undo()
    assert len(window.desk.looks) == count


def test_a_build_without_gears_or_looks_says_so(window):
    choose(window, "Knot r1")
    window.go("wear")
    page = window.view("wear")
    assert "No inspection yet" in page.rates.told.text()
    window.desk.begin_inspection(Inspection())
    until(lambda: window.desk.wear is not None)
    assert "No rate" in page.rates.told.text()
    for n in range(page.part.count()):
        page._choose(n)
        QApplication.processEvents()


@pytest.mark.parametrize("build", ["Plover r1", "Siskin r1", "Curlew r1", "Bought r1", "Wren r2"])
def test_every_part_of_every_kind_is_drawn_and_can_be_marked(window, build):
    choose(window, build)
    window.go("wear")
    page, d = window.view("wear"), window.desk
    if d.look is None:
        d.begin_inspection(Inspection())
    for n in range(page.part.count()):
        page._choose(n)
        assert not page.gear.grab().isNull()
        assert not page.seen.strip.grab().isNull()
        before = len(d.look.seen)
        page.caret.marked.emit("crack")
        assert len(d.look.seen) == before + 1
        for name, at in page.gear.places().items():
            tooth, spot = name.removeprefix("tooth ").split(", ")
            if page.caret.teeth < 40:
                assert page.gear.at(at.toPointF()) == (int(tooth), spot), (page.caret.part, name)


@pytest.mark.whole
def test_the_lives_of_specimens_make_a_line(window):
    page = opened(window)
    page.show_tab("lives")
    until(lambda: "5 of 8 failed" in page.lives.told.text())
    assert "B10" in page.lives.told.text()
    two = [
        Life(turns=turns, load=load, ended=ended)
        for turns, load, ended in (
            (9e5, 0.5, "failed"),
            (1.2e6, 0.5, "failed"),
            (2e6, 0.5, "still running"),
            (1.1e5, 1.0, "failed"),
            (1.6e5, 1.0, "failed"),
        )
    ]
    window.desk.edit("build", ("lives",), tuple(two))
    until(lambda: "to the power of" in page.lives.told.text())
    until(lambda: "Miner's sum" in page.lives.told.text())
    assert not page.lives.chart.isHidden()
    window.desk.edit("build", ("lives",), ())
    until(lambda: "A row a specimen" in page.lives.told.text())


@pytest.mark.whole
def test_an_exported_test_has_the_inspections_that_the_command_reads(window, tmp_path):
    from typer.testing import CliRunner

    from sparring.cli.app import app
    from sparring.exchange.export import KeptTest
    from sparring.exchange.out import test_folder

    opened(window)
    folder = test_folder.write(KeptTest(window.desk.book, window.desk.test_id), tmp_path)
    words = ["wear", str(folder / "inspections.json"), "--build", str(folder / "build.json")]
    words.append("--json")
    document = json.loads(CliRunner().invoke(app, words).output)
    wear = window.desk.wear
    assert [f["thinning_m"] for f in document["flanks"]] == [f.thinning.value for f in wear.flanks]
