"""What the hands do: clicks in pictures, menus, dialogs, dropped files."""

import json
import os
import threading
from pathlib import Path

import numpy as np
import pytest
from helpers import lay, wait_for
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QGuiApplication, QImage
from PyQt6.QtWidgets import QApplication, QFileDialog

from sparring.core.instruments.devices import SUPPLY
from sparring.core.predict import measured_flow, power_flow
from sparring.core.quantity import Measured, unbroken
from sparring.core.records import Q
from sparring.files import log_files
from sparring.ui.app.devices.dialog import DevicesDialog
from sparring.ui.app.dialogs import UnitsDialog, keys_of
from sparring.ui.model import background
from sparring.ui.page import ShownFlow
from sparring.ui.pages import PAGES
from sparring.ui.pages.run.big_figure import BigFigure
from sparring.ui.pages.run.strips import _round_up
from sparring.ui.widgets.chart import Chart
from sparring.ui.widgets.quantity_field import QuantityField
from sparring.ui.widgets.train_view import TrainView


def until(condition, seconds=60.0):
    wait_for(condition, seconds, QApplication.processEvents)


@pytest.fixture
def window(shown, tmp_path, build, rig, plan, lifted):
    lay(shown, tmp_path / "book")
    book = shown.desk.book
    test = book.add_test(book.save_build(build), book.save_rig(rig), plan)
    for run, recording in lifted[0]:
        book.add_run(test, run, recording)
    shown.desk.choose_test(test)
    until(lambda: shown.desk.result is not None and not background.busy())
    return shown


def test_a_click_on_the_driveline_opens_the_part(window, qtbot):
    line = window.driveline
    columns = dict(line._columns())
    for part, page in (
        ("stage 2", "Build"),
        ("motor", "Build"),
        ("rig", "Rig"),
        ("output", "Results"),
        ("supply", "Rig"),
    ):
        qtbot.mouseClick(line, Qt.MouseButton.LeftButton, pos=QPoint(int(columns[part]) + 12, 40))
        assert window.page.name == page, part
    window._part("stage 2")
    assert window.view("build").gears.chosen == (1, "pinion")


def test_the_driveline_says_where_the_power_goes(window, build):
    flow = power_flow(build, 0.3, 12.0)
    window.driveline.put(ShownFlow(flow, "predicted", ("a", "b"), ("50 %", "", "")))
    said = window.driveline.accessibleDescription()
    assert "copper" in said
    assert "stage 2" in said
    noise = measured_flow(build, 0.01, 0.02, 0.0002, 0.0, 0.0)
    window.driveline.put(
        ShownFlow(noise, "live, lowering", ("a", "b"), ("–", "", "at rest"), live=True)
    )
    assert window.driveline.accessibleDescription() == "live, lowering: no power flows."
    assert not any("η" in window.driveline._figures(s.name, s)[1] for s in noise.stations)


def test_every_cell_of_the_title_block_leads_somewhere(window):
    for place, page in (
        ("build.family", "Build"),
        ("build.train", "Build"),
        ("rig.chosen", "Rig"),
        ("rig.calibration", "Rig"),
        ("plan", "Plan"),
        ("results", "Results"),
    ):
        window.title_block.cells[place].click()
        assert window.page.name == page
    window.title_block.cells["view.units"].click()
    assert isinstance(window.errands.dialog, UnitsDialog)
    window.errands.dialog.close()


def test_a_gear_is_picked_by_click(qapp, build, qtbot):
    view = TrainView()
    qtbot.addWidget(view)
    view.resize(500, 300)
    view.set_build(build)
    picked = []
    view.picked.connect(lambda *which: picked.append(which))
    scale, ox, oy = view._scale()
    for drawn in view._drawn:
        x, y = drawn.body.centre(view.turned)
        to_screen = view._to_screen(drawn.stage, scale, ox, oy)
        at = to_screen.map(QPointF(1e3 * x, -1e3 * (y + 0.6 * drawn.body.reach)))
        qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at.toPoint())
        assert picked[-1] == (drawn.stage, drawn.body.field)
    first = view.grab().toImage()
    view.angle += 0.1
    assert view.grab().toImage() != first


def test_a_chart_is_copied_as_table_and_picture(qapp, qtbot):
    chart = Chart("s", "speed")
    qtbot.addWidget(chart)
    chart.rows = lambda: (["t s", "speed"], [[0.0, 1.5], [1.0, 2.5]])
    assert [a.text() for a in chart.menu().actions()] == [
        "Show all",
        "Copy as picture",
        "Save as picture …",
        "Show as table",
        "Copy as table",
        "Copy as CSV",
    ]
    chart.copy_table(",")
    assert QGuiApplication.clipboard().text() == "t s,speed\n0,1.5\n1,2.5"
    chart.copy_picture()
    assert not QGuiApplication.clipboard().pixmap().isNull()


def test_a_chart_is_saved_as_drawing_and_picture_at_print_size(qapp, qtbot, tmp_path):
    chart = Chart("s", "speed")
    qtbot.addWidget(chart)
    chart.resize(400, 200)
    chart.draw(tmp_path / "x.svg")
    text = (tmp_path / "x.svg").read_text()
    assert "<svg" in text
    assert "<path" in text
    chart.draw(tmp_path / "x.png")
    picture = QImage(str(tmp_path / "x.png"))
    assert picture.width() == round(160 / 25.4 * 300)
    assert picture.dotsPerMeterX() == pytest.approx(300 / 25.4e-3, rel=1e-3)
    for name in ("x.png", "x.svg"):
        with pytest.raises(OSError, match="could not be written"):
            chart.draw(tmp_path / "nowhere" / name)


def test_axes_show_the_unit_they_name_without_hidden_factors(qapp, qtbot):
    chart = Chart("output torque, N·m", "speed")
    qtbot.addWidget(chart)
    chart.box.setRange(xRange=(0, 5e-4))
    chart.restyle()
    assert chart.axes["bottom"].autoSIPrefixScale == 1.0
    assert "x0.001" not in chart.axes["bottom"].labelString()


def test_results_copy_their_points(window):
    head, rows = window.view("results").kind("torque")._rows()
    assert head[:3] == ["step", "torque N·m", "u"]
    assert len(rows) == 5
    assert np.isfinite([row[1:] for row in rows]).all()


def test_rows_of_the_table_choose_the_point(window):
    window.go("results")
    window.view("results").table.selectRow(3)
    assert window.desk.step == 3
    until(lambda: "run 1" in window.view("results").recording.about.text())


def test_the_devices_dialog_refuses_what_does_not_hold_together(window):
    dialog = DevicesDialog(window.desk, window.session, window)
    for field, text, said in (
        (dialog.address, "", "address"),
        (dialog.columns, "t/ms, speed/kg", "unit of mass"),
        (dialog.columns, "a, b", "is a channel"),
        (dialog.delay, "4 V", "unit of voltage"),
        (dialog.name, "", "name"),
    ):
        before = field.currentText() if field is dialog.address else field.text()
        put = field.setEditText if field is dialog.address else field.setText
        put(text)
        dialog._accept()
        assert said in dialog.said.text(), text
        put(before)
    dialog.columns.setText("t/ms, speed/rpm")
    dialog._add(SUPPLY)
    assert [d.name for d in dialog.devices] == ["Board", "Supply"]
    dialog.templates.fill([["up", "OUTP ON", "", ""]])
    dialog._accept()
    assert "has to be stopped" in dialog.said.text()
    dialog.templates.fill([[t.word, t.send, t.check, t.answer] for t in SUPPLY.templates])
    dialog._accept()
    assert dialog.said.text() == ""
    kept = DevicesDialog(window.desk, window.session, window).devices
    assert kept == dialog.devices
    assert kept[0].columns == "t/ms, speed/rpm"
    assert kept[1].templates == SUPPLY.templates


def test_keys_are_listed_and_about_tells_the_licence(window):
    window.errands.keys()
    shown = {key for key, _ in keys_of(window.commands.known.values())}
    assert {c.key for c in window.commands.known.values() if c.key} < shown
    window.errands.dialog.close()
    window.errands.about()
    assert "General Public License" in window.errands.dialog.text()
    window.errands.dialog.close()


def test_files_are_saved_and_exported_through_the_menus(window, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(tmp_path / "b.json"), ""))
    window.errands.save_build()
    assert json.loads((tmp_path / "b.json").read_text())["family"] == "Dunnock"
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_a: str(tmp_path / "out"))
    window.errands.export_test("test")
    until(lambda: "Exported" in window.message.text())
    assert list((tmp_path / "out").glob("*/sheet.html"))
    for id, name in (("result-json", "r.json"), ("result-csv", "r.csv"), ("sheet", "r.html")):
        said = (str(tmp_path / name), "")
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, said=said: said)
        window.do(f"export.{id}")
        until(lambda name=name: name in window.message.text())
        assert (tmp_path / name).stat().st_size > 300
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *_a: (str(tmp_path / "no" / "r.html"), "")
    )
    window.do("export.sheet")
    until(lambda: "could not be written" in window.message.text())
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(tmp_path / "b.json"), ""))
    window.errands.open_record()
    assert window.desk.build.revision == 3
    window.errands.export_test("test")
    assert "no test to export" in window.message.text()


def test_long_work_shows_how_far_it_is_and_can_be_cancelled(window, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_a: str(tmp_path / "out"))
    write, cancelled = log_files.write, threading.Event()

    def slow(*how):
        write(*how)
        if Path(how[0]).name != "run-001.csv":  # one is enough to tell how far it is
            cancelled.wait(60)

    monkeypatch.setattr(log_files, "write", slow)
    window.errands.export_test("test")
    message = window.message
    assert message.bar.isVisible()
    until(lambda: message.bar.value() > 0)
    message.cancel.click()
    cancelled.set()
    until(lambda: "Cancelled" in message.text())
    assert not message.bar.isVisible()
    assert not list((tmp_path / "out").iterdir())


def test_another_logbook_is_opened_and_a_held_one_refused(window, tmp_path, monkeypatch):
    first = window.desk.book.folder
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_a: str(tmp_path / "second"))
    (tmp_path / "second").mkdir()
    window.errands.open_logbook()
    until(lambda: window.desk.book.folder.name == "second")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_a: str(tmp_path / "second"))
    window.errands.open_logbook()
    until(lambda: "already open" in window.message.text())
    assert window.message.stays
    assert first.exists()


def test_files_dropped_on_the_window_are_taken(window, tmp_path):
    build = tmp_path / "b.json"
    build.write_text(window.desk.build.to_json())
    log = tmp_path / "l.csv"
    log.write_text("time [s],speed [rpm]\n" + "".join(f"{i / 10},{i}\n" for i in range(30)))
    for path in (build, log):
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(path))])
        window.dropEvent(
            QDropEvent(
                QPointF(5, 5),
                Qt.DropAction.CopyAction,
                mime,
                Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
            )
        )
    assert window.desk.build.name == "Dunnock r3"
    assert window.errands.dialog.log.path == log
    window.errands.dialog.reject()


def test_panels_are_on_each_page_as_they_were_left_there(window):
    sides = window.sides
    window.go("results")
    window.do("view.findings")
    assert not window.findings.isVisible()
    window.go("run")
    assert window.findings.isVisible()
    assert window.view("run").ladder.isVisible()
    window.do("view.logbook")
    assert not window.logbook.isVisible()
    sides.resizeDocks([sides.docks["findings"]], [400], Qt.Orientation.Horizontal)
    QApplication.processEvents()
    wide = window.findings.width()
    window.go("results")
    assert window.logbook.isVisible()
    assert not window.findings.isVisible()
    assert not window.view("run").ladder.isVisible()
    window.go("run")
    QApplication.processEvents()
    assert not window.logbook.isVisible()
    assert window.findings.width() == wide > 350
    window.do("logbook.find")
    assert window.logbook.search.hasFocus()
    window.do("view.sides")
    window.go("results")
    QApplication.processEvents()
    assert window.findings.isVisible()
    assert window.findings.width() < 300


def test_what_one_wants_can_be_typed(window, qtbot):
    window.do("help.find")
    finder = window.errands.dialog
    qtbot.keyClicks(finder.box, "rig go")
    assert finder.list.topLevelItem(0).text(0) == "Go to Rig"
    qtbot.keyClick(finder.box, Qt.Key.Key_Return)
    assert window.page.id == "rig"
    window.do("help.find")
    finder = window.errands.dialog
    qtbot.keyClicks(finder.box, "worm")
    assert [
        finder.list.topLevelItem(n).text(0) for n in range(finder.list.topLevelItemCount())
    ] == ["Add a stage: worm"]
    finder.box.clear()
    shown = [finder.list.topLevelItem(n) for n in range(finder.list.topLevelItemCount())]
    assert len(shown) == len(window.commands.known) - 1
    undo = next(item for item in shown if item.text(2) == "Ctrl+Z")
    assert undo.isDisabled() != window.desk.undo.canUndo()
    qtbot.keyClick(finder.box, Qt.Key.Key_Down)
    finder.reject()


def test_a_new_rig_is_a_copy_and_a_test_with_runs_keeps_its_own(window):
    before = window.desk.test_id
    window.go("rig")
    window.desk.new_rig()
    assert window.desk.rig.name == "Hoist A copy"
    assert window.desk.test_id == 0
    assert window.desk.book.rig(window.desk.book.test(before).rig_id).name == "Hoist A"


def test_undo_crosses_builds_without_mixing_them_up(window):
    first = window.desk.build_id
    window.desk.edit("build", ("title",), "before")
    window.desk.new_revision()
    assert window.desk.build.title == "before"
    second = window.desk.build_id
    window.desk.undo.undo()
    assert window.desk.build_id == first
    assert second not in [i for i, _ in window.desk.book.builds()]  # nothing was tested with it
    window.desk.undo.undo()
    assert window.desk.book.build(first).title != "before"
    window.desk.undo.redo()
    window.desk.undo.redo()
    assert window.desk.build_id == second
    assert window.desk.build.title == "before"
    window.desk.ensure_test()
    window.desk.undo.undo()
    assert window.desk.build_id == first
    assert window.desk.book.build(second).title == "before"  # it has a test, and stays


def test_an_edit_that_clashes_is_refused_and_undone(window):
    window.desk.new_revision()
    reason = window.desk.edit("build", ("revision",), 2)
    assert "already in the logbook" in reason
    assert window.desk.build.revision == 3


def test_a_field_says_what_it_understood_and_keeps_what_it_cannot(qapp, qtbot):
    taken = []
    field = QuantityField(Q("mass", "kg", above=0.0), "kg", lambda v: taken.append(v), name="mass")
    qtbot.addWidget(field)
    field.show()
    field.set_value(Measured(1.0, 0.005))
    assert field.text() == "1.00 ± 0.01 kg"
    field.selectAll()
    qtbot.keyClicks(field, "3*310 g + 47 g")
    assert field._note.text() == "= 0.977 kg"
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert taken[-1].value == pytest.approx(0.977)
    field.selectAll()
    qtbot.keyClicks(field, "-1 kg")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert "too small" in field._note.text()
    field.set_value(Measured(2.0))
    assert field.text() == "-1 kg"


def test_a_live_figure_shrinks_to_fit_and_is_spoken(qapp, qtbot):
    figure = BigFigure("Output speed", "speed")
    qtbot.addWidget(figure)
    figure.resize(140, 78)
    figure.put("12345678.9", "rpm")
    assert figure.accessibleName() == "Output speed 12345678.9 rpm"
    assert not figure.grab().isNull()


def test_scales_round_up_to_quiet_figures():
    assert [_round_up(x) for x in (0.0, 0.9, 1.2, 14.0, 62.0, 81.0)] == [
        0.0,
        1.0,
        1.5,
        15.0,
        80.0,
        100.0,
    ]


def test_no_line_ends_between_a_figure_and_its_unit():
    text = unbroken("It falls from 11.69 ± 0.06 V to 9 % of 12 lifts, 3.4 N·m and 5 kg.")
    assert (
        text.replace("\N{NO-BREAK SPACE}", "_")
        == "It falls from 11.69_±_0.06_V to 9_% of 12 lifts, 3.4_N·m and 5_kg."
    )


def test_a_logbook_that_cannot_be_written_is_read_in_the_window_and_an_edit_is_refused(
    shown, folder, monkeypatch
):
    access, own = os.access, (folder, folder / "logbook.sqlite")
    monkeypatch.setattr(os, "access", lambda p, how: Path(p) not in own and access(p, how))
    before = own[1].read_bytes()
    lay(shown, folder)
    until(lambda: not background.busy())
    assert shown.desk.result is not None
    assert any("can only be read" in text for text in shown.heard.said)
    for page in PAGES:
        shown.go(page.id)
        until(lambda: not background.busy())
    assert "Check the write permissions" in shown.desk.edit("build", ("notes",), "turned")
    assert shown.desk.build.notes != "turned"
    assert own[1].read_bytes() == before
