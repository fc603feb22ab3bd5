"""The charts of Results, driven as a tester does: what each shows, reads out and leads to."""

import numpy as np
import pytest
import soundfile
from helpers import lay
from independent import setups
from independent.study import reduced
from window_helpers import choose, enter, idle, until

from sparring.core.orders.tones import tones_of
from sparring.core.performance.whole import whole
from sparring.core.predict import no_load_speed
from sparring.core.uncertainty import nominal
from sparring.ui.pages.results.kinds import KINDS


@pytest.fixture
def window(shown, folder):
    lay(shown, folder)
    idle()
    return shown


def drawn(window, id, test=""):
    """A kind of chart of a test that is on the desk, drawn."""
    page = window.view("results")
    window.go("results")
    if test:
        book = window.desk.book
        window.desk.choose_test(next(t.id for t in book.tests() if t.title == test))
    idle()
    page.show_kind(id)
    until(lambda: page.insight.found is not None and page.insight.found.complete)
    idle()
    return page.kind(id)


def test_every_kind_is_reached_by_key_and_by_name(window):
    choose(window, "Dunnock r2")
    drawn(window, "torque")
    page = window.view("results")
    seen = []
    for _ in KINDS:
        page.turn(1)
        idle()
        seen.append(page.kind().ID)
    assert sorted(seen) == sorted(k.ID for k in KINDS)
    window.context.do("results.losses")
    assert page.kind().ID == "losses"


def test_the_torque_chart_reads_out_with_its_uncertainty_and_shows_another_quantity(window):
    choose(window, "Dunnock r2")
    kind = drawn(window, "torque")
    step = window.desk.result.running[1]
    text = kind.efficiency.readout(nominal(step.torque), 90.0)
    assert "gearbox" in text
    assert "±" in text
    kind.below.setCurrentIndex(1)
    idle()
    assert kind.second.y_label == "current, A"
    assert "current" in kind.second.readout(nominal(step.torque), 1.0)


@pytest.mark.whole
def test_a_test_at_one_voltage_says_how_to_get_a_map_and_one_at_three_has_it(window):
    choose(window, "Dunnock r2")
    kind = drawn(window, "map")
    assert "second voltage" in kind._why.text()
    choose(window, "Bought r1")
    kind = drawn(window, "map")
    head, rows = kind.map.rows()
    values = np.array([row[head.index("wire to shaft")] for row in rows])
    assert len(rows) > 50
    assert 0 < values.min() < values.max() < 1
    torque, speed = rows[len(rows) // 2][:2]
    unit = kind.unit("speed")[1]
    assert "±" in kind.map.readout(torque, speed / unit)
    assert "nothing measured" in kind.map.readout(0.9 * rows[-1][0], 10 * speed / unit)


def test_losses_add_up_and_a_bar_leads_to_its_step(window):
    choose(window, "Dunnock r2")
    kind = drawn(window, "losses")
    found = window.view("results").insight.found
    for _, losses in found.losses:
        lost = sum(c.power for c in losses.causes)
        assert losses.power_in - losses.power_out == pytest.approx(lost, rel=1e-6)
    step, last = kind._shown[-1]
    kind._clicked(last.torque, 1.0)
    assert window.desk.step == step
    assert "measured" in kind.bars.readout(last.torque, 0.3) or "from the model" in (
        kind.bars.readout(last.torque, 0.3)
    )


def test_a_loss_that_nothing_entered_explains_is_a_bar_with_what_would_tell_it(window):
    """Friction and drag that nobody entered, in a log of another bench."""
    (setup,) = setups.make("hoist", 1, 3, friction="not entered")
    kind = drawn(window, "losses")
    kind.put(whole(reduced(setup)))
    assert "coast-down" in kind.apart.text()
    assert "unexplained" in {c.id for _, losses in kind._shown for c in losses.causes}
    _, rows = kind._rows()
    assert "gearbox, unexplained" in {row[2] for row in rows}
    choose(window, "Dunnock r2")
    assert "coast-down" not in drawn(window, "losses").apart.text()


@pytest.mark.whole
def test_orders_of_the_fast_log_name_the_planet(window):
    choose(window, "Wren r2")
    kind = drawn(window, "orders", "logged fast")
    until(lambda: kind._orders is not None)
    assert [x.shaft for x in kind._orders.runs_out] == ["stage 2 planets"]
    assert "stage 2 planets" in kind.said.text()
    assert "one of the planets" in kind.lines.readout(2.5, 0.5)
    head, rows = kind.lines.rows()
    assert "one of the planets of stage 2" in [row[head.index("part")] for row in rows]
    assert "24 teeth" in kind.round.accessibleName()


@pytest.mark.whole
def test_a_sound_is_kept_with_its_run_and_tells_the_speed_and_can_be_undone(window, tmp_path):
    choose(window, "Wren r2")
    kind = drawn(window, "orders", "logged fast")
    until(lambda: kind._orders is not None)
    build = window.desk.build
    speed = 0.8 * no_load_speed(build, 12.0)
    t = np.arange(0, 4.0, 1 / 16000)
    meshes = {round(x.order, 6) for x in tones_of(build) if x.kind == "mesh"}
    waves = [0.1 * np.sin(order * speed * t) for order in meshes]
    noise = 0.05 * np.random.default_rng(1).standard_normal(len(t))
    soundfile.write(tmp_path / "gears.wav", sum(waves) + noise, 16000)
    kind.put_sound(tmp_path / "nothing.wav")
    until(lambda: "nothing.wav" in window.message.text())
    kind.put_sound(tmp_path / "gears.wav")
    until(lambda: kind._listened is not None)
    heard = kind._listened.heard
    assert abs(heard.mean - speed) < 2 * heard.u
    assert "meshes' tone" in kind.told.text()
    kept = [r for r in window.desk.runs if r.run.sounds]
    assert len(kept) == 1
    assert (window.desk.book.folder / "sounds" / kept[0].run.sounds[0]).exists()
    window.desk.undo.undo()
    idle()
    assert not any(r.run.sounds for r in window.desk.runs)


@pytest.mark.whole
def test_what_it_carries_falls_with_the_time_and_names_what_ends_it(window):
    choose(window, "Dunnock r2")
    kind = drawn(window, "temperature")
    _, rows = kind.carried.rows()
    torque = [row[1] for row in rows]
    assert torque == sorted(torque, reverse=True)
    assert rows[-1][0] == "for ever"
    assert rows[-1][4] in ("winding", "magnets") or rows[-1][4].startswith("teeth")
    assert "limited by" in kind.carried.readout(9.0, 0.1)


def test_runs_beside_their_steps_are_flagged_not_dropped_and_led_to(window):
    choose(window, "Dunnock r3")
    kind = drawn(window, "repeats")
    runs = kind._shown.runs
    assert len(runs) == sum(len(s.points) for s in window.desk.result.running)
    flagged = next(r for r in runs if r.outlying)
    assert "flagged" in kind.told.text()
    kind._clicked(flagged.number, 100 * flagged.value)
    assert (window.desk.step, window.desk.point) == (flagged.step, flagged.lift)
    kind.figure.setCurrentIndex(kind.figure.findData("speed"))
    idle()
    assert kind._shown.figure == "speed"


@pytest.mark.whole
def test_the_charts_are_drawn_at_night_and_in_other_units(window):
    choose(window, "Bought r1")
    for kind in KINDS:
        drawn(window, kind.ID)
    window.set_dark(True)
    window.desk.set_unit("torque", "oz·in")
    try:
        for kind in KINDS:
            drawn(window, kind.ID)
        assert window.view("results").kind("torque").second.x_label == "output torque, oz·in"
        most = window.view("results").kind("map").map.box.viewRange()[0][1]
        assert most > 50  # N·m are 142 of them
    finally:
        window.set_dark(False)
        window.desk.set_unit("torque", "N·m")
        idle()


def test_key_figures_name_the_stall_by_each_way_and_three_efficiencies(window):
    choose(window, "Dunnock r2")
    drawn(window, "torque")
    table = window.view("results").figures
    rows = [[table.item(r, c).text() for c in range(4)] for r in range(table.rowCount())]
    words = [row[1] for row in rows]
    assert {"no-load speed", "peak power out", "best efficiency, wire to shaft"} <= set(words)
    assert sum(w.startswith("stall torque") for w in words) >= 3
    efficiencies = [row for row in rows if row[1].startswith("best step:")]
    assert len(efficiencies) == 3
    assert all("±" in row[2] and row[3] for row in efficiencies)


@pytest.mark.whole
def test_the_curves_are_reduced_to_another_voltage_and_a_warm_winding(window, qtbot):
    choose(window, "Dunnock r2")
    kind = drawn(window, "torque")
    before = len(kind._items)
    enter(kind.at, "9 V", qtbot)
    enter(kind.winding, "80 °C", qtbot)
    until(lambda: len(kind._items) > before)
    words = [i.toPlainText() for _, i in kind._items if hasattr(i, "toPlainText")]
    assert "9 V, winding 80 °C" in words
    enter(kind.at, "", qtbot)
    enter(kind.winding, "", qtbot)
    until(lambda: len(kind._items) == before)


def test_what_the_steps_leave_of_the_model_is_shown(window):
    choose(window, "Dunnock r1")
    kind = drawn(window, "torque")
    kind.below.setCurrentText("speed, less the model")
    idle()
    assert kind.second.y_label == "speed left, rpm"
    low, high = kind.second.box.viewRange()[1]
    assert low == -high
    worst = min(r.speed for r in window.view("results").insight.found.model.residuals)
    assert low < worst / kind.unit("speed")[1]  # the bent shaft's step is in the picture


@pytest.mark.whole
def test_a_build_is_held_against_another_and_a_line_against_before(window):
    choose(window, "Dunnock r3")
    kind = drawn(window, "losses")
    until(lambda: kind.against.count() > 2)
    kind.against.setCurrentText("Dunnock r1")
    idle()
    assert "loses less than that of Dunnock r1" in kind.apart.text()
    choose(window, "Wren r2")
    kind = drawn(window, "orders", "logged fast")
    until(lambda: kind._orders is not None)
    window.desk.select(1, 2)
    until(lambda: kind._of is window.view("results").chosen_point())
    idle()
    kind.since.setCurrentIndex(kind.since.findData("first"))
    until(lambda: kind._grown)
    idle()
    assert "No line grew" in kind.said.text()


@pytest.mark.whole
def test_the_winding_s_limit_of_the_build_counts(window):
    choose(window, "Dunnock r2")
    before = drawn(window, "temperature").carried.rows()[1][-1][1]
    assert window.desk.edit("build", ("winding_limit",), 330.0) is None
    assert window.desk.edit("build", ("magnet_limit",), 600.0) is None
    idle()
    kind = drawn(window, "temperature")
    rows = kind.carried.rows()[1]
    assert rows[-1][1] < before
    assert rows[-1][4] == "winding"
