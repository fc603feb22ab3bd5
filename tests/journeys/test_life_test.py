"""A life test that outlives its window: begun, left, found again, paused, gone on with, stopped."""

import os
import signal

import pytest
from desktop import Program, home_with_demo, space
from helpers import wait_for

from sparring.endurance.journal import Journal, journals


@pytest.fixture
def home(demo_home, tmp_path):
    return home_with_demo(demo_home, tmp_path / "home")


def test_a_life_test_goes_on_without_its_window_and_is_found_again(screen, home):
    program = Program(screen, home, "demo")
    program.page("Run")
    program.key("ctrl+j")
    program.until(lambda: program.state()["dialog"] == "Life test", "it is laid out")
    program.click("Name")
    program.enter("Over the week-end", "Tab")
    program.click("Inspection every, cycles")
    program.enter("1000", "Tab")
    program.press("Begin")
    program.until(lambda: not program.state()["dialog"], "it is begun")
    logbook = next(home.glob("data/sparring/*/logbook.sqlite")).parent
    # the demo has one that has ended
    program.until(lambda: len(journals(logbook)) == 2, "its folder is there")
    folder = journals(logbook)[max(journals(logbook))]
    program.until(lambda: Journal.of(folder).totals.driven > 1, "it drives", 90)
    process = Journal.of(folder).now.pid
    try:
        program.until(lambda: program.state()["bench"] == "ready", "the window sees it live")
        screen.xdo("key", "ctrl+q")  # the window is closed, as every evening
        assert program.status() == 0
        before = Journal.of(folder).totals.driven
        wait_for(lambda: Journal.of(folder).totals.driven > before + 1, 90)
        program = Program(screen, home, "demo")
        program.page("Run")
        program.until(lambda: program.state()["bench"] == "ready", "the next window sees it too")
        program.signal(signal.SIGKILL)  # and is gone
        program.close()
        before = Journal.of(folder).totals.driven
        wait_for(lambda: Journal.of(folder).totals.driven > before + 1, 90)
        program = Program(screen, home, "demo")
        program.page("Run")
        space(program, "Pause after this run")
        program.until(lambda: Journal.of(folder).now.state == "paused", "it pauses", 120)
        space(program, "Go on")
        program.until(lambda: Journal.of(folder).now.state == "running", "it goes on")
        drives = Journal.of(folder).totals.driven
        program.until(lambda: Journal.of(folder).totals.driven > drives + 0.2, "it drives", 120)
        program.key("Escape")
        program.until(lambda: Journal.of(folder).now.state == "paused", "Escape stops it at once")
        assert Journal.of(folder).now.why == "it was stopped"
        assert Journal.of(folder).now.pid == process
        program.close()
    finally:
        os.kill(process, signal.SIGTERM)
    wait_for(lambda: not Journal.of(folder).now.alive, 30)
