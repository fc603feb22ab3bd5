"""A build or rig with runs is what was tested: an edit of it is a new one, or was wrong all along,
and which is said and kept.
"""

import json

import pytest
from helpers import lay, wait_for, was_wrong
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.revise import bears_on_results
from sparring.core.uncertainty import nominal
from sparring.exchange.export import KeptTest
from sparring.exchange.out import test_folder
from sparring.logbook import Logbook, LogbookError
from sparring.ui.model import background


@pytest.fixture
def window(shown, folder):
    lay(shown, folder)
    choose(shown, "Dunnock r2")
    return shown


def idle():
    wait_for(lambda: not background.busy(), step=QApplication.processEvents)


def choose(window, name):
    window.desk.choose_build({b.name: i for i, b in window.desk.book.builds()}[name])
    idle()


def type_module(window, qtbot, text):
    window.go("build")
    field = window.view("build").fields.field(("stages", 0, "module"))
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)
    return field


def test_the_first_edit_of_a_tested_build_waits_for_an_answer_and_escape_leaves_it(window, qtbot):
    build, result = window.desk.build, window.desk.result
    field = type_module(window, qtbot, "1 mm")
    assert window.question.isVisible()
    assert "94 runs were made with Dunnock r2." in window.question.text.text()
    assert "stage 1, module 0.8 mm → 1 mm" in window.question.text.text().replace(
        "\N{NO-BREAK SPACE}", " "
    )
    assert window.question.anew.hasFocus()
    assert window.desk.build is build
    assert "1 mm" in field.text()
    qtbot.keyClick(window.question.anew, Qt.Key.Key_Escape)
    assert not window.question.isVisible()
    assert "0.8 mm" in field.text()
    assert window.desk.result is result
    assert window.desk.corrections() == []


def test_enter_takes_the_edit_into_a_new_revision_and_undo_takes_that_back(window, qtbot):
    tested, value = window.desk.build_id, nominal(window.desk.result.best.gearbox)
    type_module(window, qtbot, "1 mm")
    # a second one joins the first
    window.desk.edit("build", ("stages", 1, "module"), 0.9e-3, "module of stage 2")
    qtbot.keyClick(window.question.anew, Qt.Key.Key_Return)
    d = window.desk
    assert d.build.name == "Dunnock r4"
    assert [s.module for s in d.build.stages] == pytest.approx([1e-3, 0.9e-3])
    assert [s.module for s in d.book.build(tested).stages] == pytest.approx([0.8e-3, 1e-3])
    assert d.result is None
    assert d.undo.undoText() == "module of stage 1, module of stage 2 in Dunnock r4"
    d.undo.undo()
    idle()
    assert d.build.name == "Dunnock r2"
    assert nominal(d.result.best.gearbox) == value
    assert "Dunnock r4" not in [b.name for _, b in d.book.builds()]
    d.undo.redo()
    assert d.build.name == "Dunnock r4"
    # nothing was tested with this one
    assert d.edit("build", ("stages", 0, "module"), 1.1e-3) is None
    assert d.draft is None


@pytest.mark.whole
def test_what_was_wrong_all_along_is_put_right_with_its_results_and_kept_beside_them(
    window, folder, tmp_path
):
    d = window.desk
    value = nominal(d.result.best.torque)
    assert (
        d.edit("rig", ("method", "drum_diameter"), Measured(0.052, 2.5e-5), "drum diameter") is None
    )
    assert "New rig from here on" in window.question.anew.text().replace("&", "")
    was_wrong(window)
    idle()
    assert nominal(d.result.best.torque) == pytest.approx(value * 52.8 / 50.8)
    # the same answer holds
    assert d.edit("rig", ("method", "hook_mass"), Measured(0.05, 5e-4), "hook mass") is None
    assert d.draft is None
    idle()
    window.go("results")
    page = window.view("results")
    texts = [
        [page.corrected.item(r, c).text() for c in range(1, 5)]
        for r in range(page.corrected.rowCount())
    ]
    assert texts[0] == ["Hoist A", "drum diameter", "50 ± 0.05 mm", "52 ± 0.05 mm"]
    assert len(texts) == 2
    assert "2 corrections" in page.summary.text()
    d.undo.undo()
    d.undo.undo()
    idle()
    assert nominal(d.result.best.torque) == pytest.approx(value)
    assert len(d.corrections()) == 4  # that it was taken back is kept too
    made = test_folder.write(KeptTest(d.book, d.test_id), tmp_path)
    kept = json.loads((made / "result.json").read_text(encoding="utf-8"))["corrections"]
    assert [(k["of"], k["field"]) for k in kept[:2]] == [
        ("Hoist A", "drum diameter"),
        ("Hoist A", "hook mass"),
    ]
    assert "52 ± 0.05 mm" in (made / "sheet.html").read_text(encoding="utf-8")
    choose(window, "Dunnock r3")  # on another rig
    assert d.corrections() == []


def test_what_no_result_follows_from_is_edited_without_a_question(window):
    d = window.desk
    for what, path, value in (
        ("build", ("notes",), "noisy"),
        ("build", ("mass",), Measured(0.25)),
        ("rig", ("limits", "current"), 2.5),
        ("rig", ("name",), "Old hoist"),
        ("plan", ("measure",), 2.0),
    ):
        assert d.edit(what, path, value) is None
        assert d.draft is None
    assert d.corrections() == []


def test_leaving_the_build_drops_what_waits_and_says_so(window, qtbot):
    tested = window.desk.build_id
    type_module(window, qtbot, "1 mm")
    assert "first answer the question" in window.desk.edit("rig", ("method", "travel"), 0.7)
    choose(window, "Dunnock r1")
    assert window.desk.draft is None
    assert not window.question.isVisible()
    assert "Module of stage 1 of Dunnock r2 was not changed" in window.message.text()
    assert window.desk.book.build(tested).stages[0].module == pytest.approx(0.8e-3)


def test_an_edit_undone_after_runs_were_made_is_kept_as_a_correction(window, lifted):
    d = window.desk
    d.new_revision()
    assert d.edit("build", ("stages", 0, "module"), 1e-3, "module of stage 1") is None
    run, recording = lifted[0][0]
    d.book.add_run(d.ensure_test(), run, recording)
    d.runs_changed([r.id for r in d.book.runs(d.test_id)])
    d.undo.undo()
    assert [(c.before, c.after) for c in d.corrections()] == [("1 mm", "0.8 mm")]
    with pytest.raises(LogbookError, match="has tests and cannot be removed"):
        d.book.remove("build", d.build_id)
    idle()


def test_which_differences_bear_on_results(build, rig):
    assert bears_on_results(build, changed(build, ("stages", 0, "pinion"), 13))
    assert bears_on_results(build, changed(build, ("lubricant",), "dry"))
    assert bears_on_results(rig, changed(rig, ("gravity",), Measured(9.81)))
    assert not bears_on_results(build, changed(build, ("photos",), ("a.jpg",)))
    assert not bears_on_results(rig, changed(rig, ("calibration",), None))  # runs keep theirs


def test_the_command_edits_like_the_window(folder):
    runner = CliRunner()
    done = runner.invoke(
        app,
        ["edit", str(folder), "--build", "Dunnock r2", "--set", "stages.0.module=1 mm", "--json"],
    )
    assert done.exit_code == 0, done.stderr
    assert json.loads(done.stdout)["kept_as"] == "Dunnock r4"
    done = runner.invoke(
        app,
        [
            "edit",
            str(folder),
            "--rig",
            "Hoist A",
            "--set",
            "method.drum_diameter=52 mm ± 0.05 mm",
            "--wrong-all-along",
            "--json",
        ],
    )
    document = json.loads(done.stdout)
    assert document["kept_as"] == "Hoist A"
    assert document["corrections"][0]["before"] == "50 ± 0.05 mm"
    with Logbook(folder) as book:
        assert {b.name: getattr(b.stages[0], "module", None) for _, b in book.builds()}[
            "Dunnock r4"
        ] == pytest.approx(1e-3)
    done = runner.invoke(
        app, ["edit", str(folder), "--build", "Dunnock r2", "--set", "stages.0.module=1 kg"]
    )
    assert done.exit_code == 1
    assert "length" in done.stderr
    assert (
        runner.invoke(
            app, ["edit", str(folder), "--build", "Dunnock r9", "--set", "title=x"]
        ).exit_code
        == 1
    )
    assert runner.invoke(app, ["edit", str(folder), "--set", "title=x"]).exit_code == 2
