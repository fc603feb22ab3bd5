"""Runs that end when they are steady and follow one another by themselves; what a tester says of
one while it goes on.
"""

import json
import subprocess
import sys

import pytest
from helpers import lay, planned
from live_helpers import Board, until
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QPixmap

from sparring.core.methods.brake import Brake
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.demo import hollin_yard
from sparring.files import record_files
from sparring.logbook import Logbook
from sparring.ui.model import advancing

HOLD = 60.0  # [s]: no run would end by its time within a test


@pytest.fixture(scope="module")
def rig():
    rig = changed(hollin_yard.rig(), ("method",), Brake.ours(hold=HOLD))
    return changed(rig, ("limits", "current"), 20.0)


@pytest.fixture(scope="module")
def plan():
    loads = (Measured(0.4, 5e-4), Measured(0.8, 5e-4))
    return planned(loads, repeats=2, advance="when steady", settle=0.3, measure=0.5)


@pytest.fixture
def window(shown, tmp_path, build, rig, plan, monkeypatch):
    monkeypatch.setattr(advancing, "_PAUSE", 1)
    lay(shown, tmp_path / "book")
    shown.desk.add_build(build)
    shown.desk.choose_rig(shown.desk.book.save_rig(rig))
    shown.desk.plan = plan
    shown.go("run")
    board = Board(build, rig, tmp_path / "port")
    shown.session.connect_port(str(tmp_path / "port"))
    s = shown.session
    until(lambda: s.state == "ready" and s.obeys and s.ring.count > 20)
    page = shown.view("run")
    page.do_next()
    until(lambda: s.tare is not None and s.state == "ready")
    yield shown
    s.disconnect_bench()
    board.pull()


def test_one_key_makes_the_whole_plan_and_each_run_ends_when_it_is_steady(window):
    d = window.desk
    window.view("run").do_next()
    until(lambda: len(d.done_lifts()) == 4, 120)
    assert [r.run.ended for r in d.runs] == ["top"] * 4
    for stored in d.runs:
        recording = d.book.recording(stored.recording)
        assert 0.8 < recording.t[-1] - recording.t[0] < HOLD / 2
    until(lambda: d.result is not None and len(d.result.lifted) == 2)
    assert all(p.window.steady for s in d.result.lifted for p in s.points)


def test_escape_holds_the_next_run_and_space_goes_on(window, qtbot):
    page, d = window.view("run"), window.desk
    page.do_next()
    until(lambda: page.advance.wanted and page.advance.left > 0, 60)
    assert "Begins by itself in" in page.ladder.say.text()
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert not page.advance.wanted
    assert "Held" in window.message.text()
    done = len(d.runs)
    until(lambda: window.session.state == "ready" and not window.session.stop_wanted)
    assert "Begins by itself" not in page.ladder.say.text()
    page.do_next()
    until(lambda: len(d.runs) > done, 60)


def test_a_run_that_was_stopped_is_followed_by_none(window):
    page, s = window.view("run"), window.session
    window.desk.plan = changed(window.desk.plan, ("measure",), 30.0)
    page.do_next()
    until(lambda: s.state == "lifting")
    s.stop()
    until(lambda: len(window.desk.runs) == 1)
    assert not page.advance.wanted


def test_by_hand_a_steady_run_waits_for_the_testers_word(window):
    page, s = window.view("run"), window.session
    window.desk.plan = changed(window.desk.plan, ("advance",), "by hand")
    page.do_next()
    until(lambda: page.ladder.go.text().startswith("End this run"), 60)
    assert s.state == "lifting"
    page.do_next()
    until(lambda: len(window.desk.runs) == 1)
    assert window.desk.runs[0].run.ended == "top"
    assert not page.advance.left


def test_a_photo_dropped_while_it_runs_is_kept_with_that_run(window, tmp_path):
    page, d = window.view("run"), window.desk
    d.plan = changed(d.plan, ("advance",), "by hand")
    picture = tmp_path / "tooth.png"
    pixmap = QPixmap(40, 30)
    pixmap.fill(Qt.GlobalColor.darkGreen)
    assert pixmap.save(str(picture))
    (tmp_path / "no.png").write_text("no picture")

    def drop(path):
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(path))])
        at, no = QPointF(5, 5), Qt.KeyboardModifier.NoModifier
        page.dropEvent(
            QDropEvent(at, Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, no)
        )

    drop(picture)
    assert "no run yet" in window.message.text()
    page.do_next()
    until(lambda: window.session.state == "lifting")
    drop(picture)
    drop(tmp_path / "no.png")
    assert "not a readable picture" in window.message.text()
    window.session.stop()
    until(lambda: len(d.runs) == 1 and d.runs[0].run.photos)
    (name,) = d.runs[0].run.photos
    assert (d.book.folder / "photos" / name).read_bytes() == picture.read_bytes()
    d.undo.undo()
    assert d.runs[0].run.photos == ()
    drop(picture)
    assert d.runs[0].run.photos != (name,)  # a name of its own: nothing is written over


@pytest.mark.whole
def test_a_recorded_plan_tells_events_as_lines_and_ends_runs_when_steady(
    tmp_path, build, rig, plan
):
    board = Board(build, rig, tmp_path / "port", "--mishap", "supply-limit")
    call = ["record", "--port", str(tmp_path / "port"), "--yes", "--lines"]
    plan = changed(plan, ("measure",), 2.5)  # so that it happens before the end
    for name, record in {"--build": build, "--rig": rig, "--plan": plan}.items():
        record_files.save(tmp_path / f"{name}.json", record)
        call += [name, str(tmp_path / f"{name}.json")]
    call += ["--logbook", str(tmp_path / "book")]
    done = subprocess.run(
        [sys.executable, "-m", "sparring", *call], capture_output=True, text=True, timeout=200
    )
    board.pull()
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    kinds = [line["kind"] for line in lines]
    assert kinds[-1] == "record"
    assert {e["event"]["id"] for e in lines if e["kind"] == "event"} >= {"supply-limit"}
    first = next(e for e in lines if e["kind"] == "event")
    assert (first["step"], first["repeat"]) == (1, 1)  # the lighter load asks for less
    assert first["event"]["until_s"] >= first["event"]["at_s"]
    assert [line["done"] for line in lines if line["kind"] == "run"] == list(
        range(1, kinds.count("run") + 1)
    )
    with Logbook(tmp_path / "book") as book:
        runs = book.runs(lines[-1]["test"])
        assert len(runs) == kinds.count("run")
        for stored in runs:
            recording = book.recording(stored.recording)
            assert recording.t[-1] - recording.t[0] < HOLD / 2
            if (stored.run.step, stored.run.repeat) == (1, 1):
                assert first["event"]["title"] in [text for _, text in recording.marks]
