"""The kinds of charts of Results by keyboard and mouse: each is reached, chooses, copies, is saved,
and leads to its run; a sound is attached through the file dialog.
"""

import json
import subprocess

import numpy as np
import soundfile
from desktop import COMMAND

KINDS = ("Torque", "Map", "Losses", "Orders", "Temperature", "Repeats")


def chart(demo, name):
    demo.until(
        lambda: any(w["name"].startswith(name) for w in demo.widgets(kind="Chart")),
        f"{name} is drawn",
    )


def labels(demo):
    return " ".join(w["text"] for w in demo.widgets(kind="Label"))


def test_every_kind_is_reached_by_key_and_its_choices_change_it(demo):
    demo.item("Builds and tests", "r1 12 V")
    demo.until(lambda: demo.state()["build"] == "Bought r1", "a bought drive is on the desk")
    demo.key("alt+5")
    chart(demo, "Output speed over output torque")
    room = demo.widgets("Builds and tests")[0]["at"][2]
    assert room >= 150  # the chart's choices leave the logbook its width
    demo.choose("Below", "current")
    chart(demo, "Output current over output torque")
    demo.choose("Below", "speed, less the model")
    chart(demo, "Output speed less the model over output torque")
    demo.choose("Below", "power out")
    chart(demo, "Output power out over output torque")
    demo.click("Also at a voltage of")
    demo.enter("10 V", "Tab")
    demo.enter("80 °C")
    demo.until(lambda: demo.text("with its winding at") == "80 °C", "it is taken")
    demo.key("ctrl+Next")
    chart(demo, "Map of the wire to shaft efficiency")
    demo.choose("Efficiency", "motor")
    chart(demo, "Map of the motor efficiency")
    demo.key("ctrl+Next")
    chart(demo, "Losses by cause over output torque")
    demo.choose("At", "6 V")
    demo.until(lambda: "measured by this test" in labels(demo), "its key is told")
    demo.choose("Against", "Bought r2")
    demo.until(lambda: "than that of Bought r2" in labels(demo), "what the difference costs")
    demo.tab("Key figures")
    demo.until(
        lambda: any(
            "peak power out" in t for w in demo.widgets("Key figures") for t in w.get("items", {})
        ),
        "the figures of each voltage are listed",
    )
    demo.tab("Measured")
    demo.key("ctrl+Prior", "ctrl+Prior")
    chart(demo, "Output power out over output torque")
    demo.key("ctrl+Prior")
    chart(demo, "Scatter of the runs")
    demo.choose("Figure", "output speed")
    demo.until(lambda: "Within steps" in labels(demo), "its scatter is told")
    demo.key("ctrl+Prior")
    chart(demo, "Torque carried for how long")
    assert demo.widgets("Builds and tests")[0]["at"][2] == room


def test_a_chart_is_saved_as_a_drawing_and_shown_as_a_table(demo, tmp_path):
    demo.key("alt+5", "ctrl+Prior")
    chart(demo, "Scatter of the runs")
    demo.tab_to("Scatter of the runs")
    demo.key("Return")
    demo.until(lambda: demo.state()["dialog"] == "Scatter of the runs", "its table opens")
    demo.until(
        lambda: any("yes" in t for w in demo.widgets(kind="Table") for t in w.get("items", {})),
        "the flagged run stands in it",
    )
    demo.key("Escape")
    demo.tab_to("Scatter of the runs")
    demo.key("Menu")
    demo.item_of_menu("Save as picture")
    demo.file_dialog(tmp_path / "scatter.svg")
    demo.until((tmp_path / "scatter.svg").exists, "it is written")
    assert "<svg" in (tmp_path / "scatter.svg").read_text()


def test_a_sound_is_attached_and_tells_the_speed(demo, tmp_path):
    demo.key("ctrl+f")
    demo.enter("logged fast")
    demo.item("Builds and tests", "r2 pins")
    demo.until(lambda: demo.state()["build"] == "Wren r2", "the test is on the desk")
    demo.key("alt+5", "ctrl+Next", "ctrl+Next", "ctrl+Next")
    demo.until(lambda: "Gear runs out: stage 2 planets" in labels(demo), "the planet is named")
    demo.choose("Turns of", "motor")
    chart(demo, "Spectrum by order")
    demo.choose("Turns of", "output")
    demo.choose("Growth since", "since this step's first run")
    demo.choose("Growth since", "growth since …")
    demo.choose("Signal", "Current")
    demo.choose("Signal", "Output speed")
    t = np.arange(0, 4.0, 1 / 16000)
    speed = 9.0  # rad/s of the output
    noise = 0.05 * np.random.default_rng(1).standard_normal(len(t))
    samples = 0.1 * np.sin(60 * speed * t) + 0.1 * np.sin(360 * speed * t) + noise
    soundfile.write(tmp_path / "gears.wav", samples, 16000)
    demo.press("Attach a sound")
    demo.file_dialog(tmp_path / "gears.wav")
    demo.until(lambda: "Output speed by the meshes' tone 85.9" in labels(demo), "it is heard")
    chart(demo, "Spectrum of the sound over time")
    kept = demo.rows("SELECT record FROM runs WHERE record LIKE '%gears%'")
    assert len(kept) == 1
    demo.key("ctrl+z")
    demo.until(
        lambda: not demo.rows("SELECT record FROM runs WHERE record LIKE '%gears%'"), "it is undone"
    )


def test_orders_of_a_log_of_one_s_own(demo, tmp_path):
    """A drive described in a file, logged fast by something else, imported and looked at."""
    build, rig = demo.record("build", "Dunnock r2"), demo.record("rig", "Hoist A")
    for name, record in (("build", build), ("rig", rig)):
        (tmp_path / f"{name}.json").write_text(json.dumps(record))
    log = tmp_path / "fast.csv"
    records = ("--build", tmp_path / "build.json", "--rig", tmp_path / "rig.json")
    # the shaft between the stages turns six times for one of the output
    how = ("--rate", "400", "--uneven", "6=15%", "--out", log)
    subprocess.run([COMMAND, "simulate", *records, *how], check=True, capture_output=True)
    demo.item("Builds and tests", "r2 POM, greased")
    demo.until(lambda: demo.state()["build"] == "Dunnock r2", "its build is on the desk")
    demo.key("ctrl+i")
    demo.file_dialog(log)
    demo.until(lambda: demo.state()["dialog"].startswith("Import"), "it opens")
    demo.press("Import as a new test")
    demo.until(lambda: demo.state()["has_result"] and not demo.state()["dialog"], "it is reduced")
    demo.key("alt+5", "ctrl+Next", "ctrl+Next", "ctrl+Next")
    demo.until(lambda: "Gear runs out: shaft 1" in labels(demo), "the shaft is named")


def test_bearings_and_limits_of_a_build_count_in_its_results(demo):
    demo.item("Builds and tests", "r3 brass")
    demo.key("alt+1")
    demo.field("Winding limit")
    demo.enter("90 °C")
    demo.field("Magnet limit")
    demo.enter("200 °C")
    demo.press("Stage")
    demo.item_of_menu("Bearings …")
    demo.until(lambda: demo.state()["dialog"] == "Bearings", "the list is open")
    demo.item("Bearings", "[0, 0]", times=2)
    demo.enter("front")
    demo.press("Close")
    demo.until(lambda: len(demo.record("build", "Dunnock r3")["bearings"]) == 1, "it is kept")
    assert demo.record("build", "Dunnock r3")["winding_limit"] == "90 °C"
    demo.key("alt+5", "ctrl+Prior", "ctrl+Prior")
    demo.until(lambda: "winding 90 °C" in labels(demo), "the limit counts")
    demo.until(lambda: "200 °C" in labels(demo), "and that of the magnets")
