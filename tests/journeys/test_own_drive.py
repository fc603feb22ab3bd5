"""A new logbook, from nothing to a result; and a plan laid out by keyboard alone."""

import json

import pytest
from desktop import Program, space


@pytest.fixture
def mine(screen, tmp_path):
    """The program on a logbook of one's own, which is not there yet."""
    home = tmp_path / "home"
    home.mkdir()
    program = Program(screen, home, "open")
    yield program
    program.close()


def lift(mine, what, runs):
    mine.until(
        lambda: any(
            b["enabled"] and b["text"].startswith(what) for b in mine.widgets(kind="KeyButton")
        ),
        f"Space would {what}",
    )
    mine.key("space")
    mine.until(lambda: mine.state()["runs"] == runs, f"{runs} lifts are kept")


def describe(mine):
    """A build and a rig, entered in their own pages, and a plan."""
    assert mine.state()["build"] == "First drive r1"
    mine.click("Build: First drive r1")
    mine.until(lambda: mine.state()["focus"] == "Family", "the title block leads to the name")
    mine.enter("Robin")
    mine.until(lambda: mine.state()["build"] == "Robin r1", "it has a name")
    mine.place("TrainView", "stage 1 pinion")
    for field, text in (
        ("Pinion teeth", "14"),
        ("Wheel teeth", "70"),
        ("Module", "1 mm"),
        ("Face width", "8 mm"),
    ):
        mine.click(field)
        mine.enter(text)
    stage = mine.record("build", "Robin r1")["stages"][0]
    assert (stage["pinion"], stage["wheel"], stage["module"], stage["face_width"]) == (
        14,
        70,
        "1 mm",
        "8 mm",
    )
    mine.click("Module")
    mine.enter("1 V")
    mine.until(
        lambda: any("unit of voltage" in w["text"] for w in mine.widgets(kind="Label")),
        "a wrong unit is refused in words",
    )
    mine.key("Escape")
    mine.page("Rig")
    mine.click("Drum diameter")
    mine.enter("40 mm ± 0.1 mm".replace("±", "+-"))
    mine.until(
        lambda: mine.record("rig", "Hoist A")["method"]["drum_diameter"].startswith("40"),
        "the drum is entered",
    )
    mine.click("Travel")
    mine.enter("2 m")
    mine.click("Output speed")
    mine.enter("900 rpm")
    mine.page("Plan")
    mine.key("ctrl+l", "ctrl+a")
    # at 12 V a ratio of 5 runs into the rig's limit of 600 rpm, and at 5 V on the way down
    mine.enter("loads 0.2, 0.4 kg at 5 V, 2 times")
    mine.until(lambda: mine.widgets("Plan: 2 weights × 2"), "the plan is laid out")


def test_a_drive_of_ones_own_from_nothing_to_a_result(mine, tmp_path):
    describe(mine)
    mine.page("Run")
    lift(mine, "Connect the simulated bench", 0)
    lift(mine, "Tare", 0)
    mine.until(lambda: mine.state()["tared"], "it is tared")
    lift(mine, "First power: 4 V", 1)  # nobody has seen this drive turn
    mine.until(
        lambda: any(
            b["text"].startswith("It turned the right way") for b in mine.widgets(kind="KeyButton")
        ),
        "it waits for a word",
    )
    mine.key("n")  # it did not: something was mended
    lift(mine, "First power: 4 V", 2)
    lift(mine, "It turned the right way", 2)
    for n, what in enumerate(
        ("Hang 0.20 kg", "Lift 0.20 kg again", "Hang 0.40 kg", "Lift 0.40 kg again"), start=3
    ):
        lift(mine, what, n)
    lift(mine, "See the results", 6)
    mine.until(
        lambda: mine.state()["page"] == "Results" and mine.state()["has_result"],
        "the results are shown",
    )
    plan, headline = mine.rows("SELECT plan, headline FROM tests")[0]
    assert [s["repeats"] for s in json.loads(plan)["steps"]] == [2, 2]
    runs = [json.loads(r) for (r,) in mine.rows("SELECT record FROM runs")]
    assert [r["ended"] for r in runs] == ["top"] * 6
    assert [r["kind"] for r in runs] == ["first power"] * 2 + ["measure"] * 4
    assert mine.record("build", "Robin r1")["first_power"]["on"]
    assert 0.7 < json.loads(headline)["value"] < 1
    assert len(list((mine.home / "data/sparring/logbook/recordings").glob("*.parquet"))) == 6
    out = tmp_path / "out"
    out.mkdir()
    mine.key("ctrl+e")
    mine.file_dialog(out)
    mine.until(lambda: "Exported to" in mine.state()["message"], "it is exported")
    folder = next(out.iterdir())
    assert "Not confirmed for this rig" in (folder / "sheet.html").read_text(encoding="utf-8")
    steps = json.loads((folder / "result.json").read_text(encoding="utf-8"))["steps"]
    assert [s["lifted"] for s in steps] == [2, 2]
    assert steps[1]["torque_Nm"] == pytest.approx((0.4 + 0.047) * 9.807 * 0.0205, rel=1e-3)


def test_a_plan_is_laid_out_by_keyboard_alone(mine):
    mine.key("alt+3", "ctrl+l", "ctrl+a")
    mine.enter("loads 0.2, 0.4, 0.6 kg at 9 V, 3 times")
    mine.tab_to("Order of the steps", "shift+Tab")
    mine.key("Down")
    mine.tab_to("Below the chart")
    mine.key("Right", "Right")
    mine.tab_to("Settling time")
    mine.enter("0.4 s", "Tab")
    mine.enter("0.8 s", "Tab")
    mine.until(lambda: mine.widgets("Plan: 3 weights × 3"), "the title block shows it")
    mine.key("alt+4")
    go = mine.widgets(kind="KeyButton")[0]
    assert go["text"].startswith("Connect the simulated bench")
    for what, runs in (
        ("Connect", 0),
        ("Tare", 0),
        ("First power: 4 V", 1),
        ("It turned the right way", 1),
    ):
        lift(mine, what, runs)
    mine.tab_to("0.40 kg, 0/3")
    mine.key("Return")
    lift(mine, "Hang 0.40 kg", 2)
    plan = json.loads(mine.rows("SELECT plan FROM tests")[0][0])
    assert [s["load"].split()[0] for s in plan["steps"]] == ["0.2", "0.4", "0.6"]
    assert {(s["repeats"], s["voltage"]) for s in plan["steps"]} == {(3, "9 V")}
    assert (plan["settle"], plan["measure"], plan["order"]) == ("0.4 s", "0.8 s", "shuffled")
    assert json.loads(mine.rows("SELECT record FROM runs")[1][0])["step"] == 1


def test_a_step_above_the_motors_voltage_waits_until_it_is_allowed(demo, tmp_path):
    demo.menu("Build", "New build")
    demo.until(lambda: demo.state()["build"] == "New drive r1", "a drive of one's own")
    demo.field("Voltage")
    demo.enter("6 V")
    demo.until(lambda: demo.record("build", "New drive r1")["motor"]["voltage"][:1] == "6", "kept")
    demo.page("Plan")
    demo.key("ctrl+l", "ctrl+a")
    demo.enter("loads 0.5 kg at 12 V, 1 times")
    demo.page("Run")
    space(demo, "Connect the simulated bench")
    space(demo, "Tare")
    demo.until(lambda: demo.buttons("Lower the voltage on Plan"), "it goes no further")
    space(demo, "Lower the voltage on Plan")
    demo.until(lambda: demo.state()["page"] == "Plan", "Space leads to the plan")
    demo.menu("Bench", "Allow more than the motor's voltage")
    demo.page("Run")
    demo.until(lambda: demo.buttons("First power: 2 V"), "it begins at a third of its voltage")
    demo.key("ctrl+z")
    demo.until(lambda: demo.buttons("Lower the voltage on Plan"), "and is taken back")
