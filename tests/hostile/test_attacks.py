"""A part of every attack; `make attack` makes thousands of each."""

import attacks
import every_command
import full_disk
import pytest
import storms
import supplies
import week
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QWidget

from sparring.ui.pages import PAGES

SOME = {
    "records": 60,
    "logs": 40,
    "every_command": 140,
    "lines_and_searches": 200,
    "answers": 300,
    "damaged_recordings": 60,
    "cut_streams": 60,
    "damaged_databases": 40,
    "lines": 60,
    "crashes": 200,
    "short_writes": 49,
}
ATTACKS = vars(attacks) | vars(every_command) | vars(full_disk) | vars(storms)


def test_no_command_is_left_out():
    assert every_command.names() == sorted({*every_command.EXAMPLES, *every_command.NOT})


@pytest.mark.whole
@pytest.mark.parametrize("name", SOME)
def test_nothing_from_outside_breaks_it_or_passes_unseen(name, tmp_path):
    tally = ATTACKS[name](SOME[name], 7, tmp_path)
    assert not tally.faults, f"{len(tally.faults)} of {tally.inputs}, the first: {tally.faults[0]}"
    assert tally.inputs > 30


def test_a_bench_over_its_limit_is_told_to_stop(tmp_path):
    assert len(storms.stop_times(5, 1, tmp_path)) == 5


@pytest.mark.parametrize("serial", [False, True])
@pytest.mark.parametrize("way", supplies.WAYS)
def test_a_supply_goes_off_however_its_driving_ends(way, serial):
    took = supplies.off_times(3, way, serial=serial)
    # a loaded machine holds a process up that has to begin first
    assert min(took) < 0.1
    assert max(took) < 1.0


def test_a_process_that_is_killed_leaves_what_it_recorded(tmp_path):
    assert len(storms.kills(2, 1, tmp_path)) == 2


HOSTILE = "<img src='/etc/hostname'><b>x</b>"


@pytest.mark.whole
def test_names_are_shown_and_never_rendered(shown, tmp_path, build, rig, plan, lifted):
    """A build and a rig with markup for names, on every page: no label and no tip takes it for
    that.
    """
    from helpers import lay, wait_for
    from PyQt6.QtWidgets import QApplication

    lay(shown, tmp_path / "book")
    d = shown.desk
    d.add_build(build.model_copy(update={"family": HOSTILE, "title": HOSTILE, "notes": HOSTILE}))
    d.choose_rig(d.book.save_rig(rig.model_copy(update={"name": HOSTILE})))
    d.plan = plan
    for run, recording in lifted[0][:6]:
        d.book.add_run(d.ensure_test(HOSTILE), run, recording)
    d.choose_test(d.test_id)
    wait_for(lambda: d.result is not None, 60, QApplication.processEvents)
    shown.session.said.emit(HOSTILE)
    seen = 0
    for page in PAGES:
        shown.go(page.id)
        QApplication.processEvents()
        for widget in shown.findChildren(QWidget):
            if isinstance(widget, QLabel) and "<img" in widget.text():
                assert widget.textFormat() == Qt.TextFormat.PlainText, widget.objectName()
                seen += 1
            assert "<img" not in widget.toolTip(), widget.toolTip()
    assert seen


@pytest.mark.whole
def test_hours_of_a_life_test_with_ten_kills_loses_no_more_than_a_second_each(tmp_path):
    """`make attack` does a week."""
    found = week.week(hours=0.1, kills=10, seed=1, folder=tmp_path)
    assert len(found.lost) == 10
    assert max(found.lost) <= 1.0 + 1e-6
    assert (found.driven, found.turns) == pytest.approx(found.wanted[:2])
    assert found.cycles == found.wanted[2]
