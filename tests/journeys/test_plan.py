"""Plan: every key and button; a campaign by keyboard alone, from the question to the last run."""

import json

import pytest
from desktop import space


def plan_of(demo):
    return json.loads(demo.rows("SELECT plan FROM tests ORDER BY id DESC LIMIT 1")[0][0])


def test_every_control_of_the_plan_does_what_it_says(demo):
    demo.item("Builds and tests", "r2 POM, greased")
    demo.key("ctrl+t")
    demo.page("Plan")
    demo.key("ctrl+l", "ctrl+a")
    demo.enter("loads 0.5, 1, 1.5 kg at 9, 12 V, 3 times")
    demo.until(lambda: demo.widgets("Plan: 6 steps × 3"), "a line is laid out")
    demo.key("ctrl+l", "ctrl+a")
    demo.enter("loads 1 m at 12 V")
    demo.until(
        lambda: any("unit of length" in w["text"] for w in demo.widgets(kind="Label")),
        "what is wrong is said in place",
    )
    demo.key("Escape")
    demo.choose("Order of the steps", "shuffled")
    demo.until(lambda: demo.state()["undo"] == "order", "the order is changed")
    demo.place("PlanChart", "step 2")
    demo.until(lambda: demo.text("Load of a step").startswith("1"), "a point chooses its step")
    demo.click("Load of a step")
    demo.click("Load of a step")
    demo.enter("1.2 kg")
    demo.until(lambda: demo.state()["undo"] == "load of a step", "its load is changed")
    for press, said in (
        ("Move the step down", "order of the steps"),
        ("Move the step up", "order of the steps"),
        ("Copy the step", "a further step"),
        ("Remove the step", "a step less"),
        ("Exclude the step, or restore it", "a step excluded"),
        ("Exclude the step, or restore it", "a step restored"),
    ):
        demo.click(press)
        demo.until(lambda said=said: demo.state()["undo"] == said, f"{press}: {said}")
    demo.key("ctrl+z", "ctrl+z")
    demo.until(lambda: demo.state()["undo"] == "a step less", "both are undone")
    demo.tab_to("Run each step 9 times")
    demo.key("space")
    demo.until(lambda: demo.state()["undo"] == "repeats", "the repeats are enough")
    demo.tab_to("Plan what the shelf makes", "shift+Tab")
    demo.key("space")
    demo.until(lambda: demo.state()["undo"] == "loads from the shelf", "the shelf's own loads")
    demo.choose("Question", "At what torque does it stall?")
    demo.until(
        lambda: demo.widgets("Plan: 15 steps, bisected") or demo.state()["undo"] == "plan",
        "a question gives a plan",
    )
    demo.tab("Drive")
    demo.until(lambda: demo.widgets("Figures of the drive"), "its figures are listed")
    demo.tab("Reasons, times")
    demo.click("Settling time")
    demo.click("Settling time")
    demo.enter("0.3 s")
    demo.until(lambda: demo.state()["undo"] == "settling time", "the settling time is changed")
    demo.tab("Steps")
    demo.tab_to("guards closed, eye protection on")
    demo.key("space")
    demo.press("Start: Run")
    demo.until(lambda: demo.state()["page"] == "Run", "Start goes to Run")


def test_a_campaign_is_driven_by_keyboard_from_the_question_to_the_last_run(demo):
    demo.item("Builds and tests", "r3 brass")
    demo.key("ctrl+t", "alt+3")
    demo.tab_to("Question", "shift+Tab")
    demo.key("Down", "Return")
    demo.until(lambda: demo.state()["undo"] == "plan", "a question gives a plan")
    demo.key("ctrl+l", "ctrl+a")
    demo.enter("loads 2 kg at 12 V")
    demo.key("ctrl+k")
    demo.until(lambda: demo.widgets("Campaign"), "the campaign is shown")
    demo.tab_to("New from this plan")
    demo.key("space")
    demo.until(lambda: demo.state()["undo"].startswith("campaign Campaign 1"), "it is begun")
    demo.tab_to("Blocks")
    demo.key("ctrl+a")
    demo.enter("1", "Tab")
    demo.until(lambda: demo.widgets("Next: Dunnock r3\n12 V (Space)"), "the reference is first")
    demo.key("alt+3", "space")
    demo.until(lambda: demo.state()["page"] == "Run", "Space leads to Run")
    for trial in range(4):  # three builds and the reference
        if trial == 0:
            space(demo, "Connect")
            space(demo, "Tare")
            demo.until(lambda: demo.state()["tared"], "it is tared")
        build = demo.state()["build"]
        before = demo.rows("SELECT COUNT(*) FROM runs")[0][0]
        demo.until(
            lambda: any(
                b["text"].startswith(("Hang 2.00 kg", "Lift 2.00 kg"))
                for b in demo.widgets(kind="KeyButton")
            ),
            "the load is next",
        )
        demo.key("space")
        demo.until(
            lambda before=before: demo.rows("SELECT COUNT(*) FROM runs")[0][0] == before + 1,
            f"{build} is run",
        )
        if trial < 3:
            space(demo, "Mount ")
            demo.until(
                lambda: any(
                    b["text"].startswith(("Set up", "Hang", "Lift"))
                    for b in demo.widgets(kind="KeyButton")
                ),
                "the next build is laid",
            )
            if demo.state()["build"] != build:
                space(demo, "Set up the simulated bench again")
                space(demo, "Tare")
    space(demo, "See the results")
    demo.until(lambda: demo.state()["page"] == "Results", "all of it is done")
    kept = json.loads(demo.rows("SELECT record FROM campaigns ORDER BY id DESC")[0][0])
    assert len(kept["tests"]) == 3
    demo.key("alt+3")
    demo.until(lambda: demo.widgets("All done"), "nothing is left")


def undone(demo, said):
    demo.until(lambda: demo.state()["undo"] == said, said)


@pytest.mark.main
def test_steps_are_changed_by_keys_and_their_own_fields(demo):
    demo.item("Builds and tests", "r2 POM, greased")
    demo.key("ctrl+t")
    demo.page("Plan")
    demo.key("ctrl+l", "ctrl+a")
    demo.enter("loads 0.5, 1, 1.5 kg at 12 V, 3 times")
    demo.until(lambda: demo.widgets("Plan: 3 weights × 3"), "a line is laid out")
    demo.place("PlanChart", "step 2")
    demo.until(lambda: demo.text("Load of a step").startswith("1"), "a point chooses its step")
    demo.key("ctrl+Down")
    undone(demo, "order of the steps")
    demo.until(lambda: "0.5, 1.5, 1 kg" in demo.text("The plan in one line"), "it moved down")
    demo.key("ctrl+Up")
    demo.until(lambda: "0.5, 1, 1.5 kg" in demo.text("The plan in one line"), "it moves back")
    demo.key("Delete")
    undone(demo, "a step excluded")
    demo.key("Delete")
    undone(demo, "a step restored")
    demo.choose("Kind of step", "hold")
    undone(demo, "kind of step")
    demo.click("Time of a step")
    demo.enter("20 s")
    undone(demo, "time of a step")
    demo.choose("Kind of step", "to failure")
    undone(demo, "kind of step")
    demo.click("Part")
    demo.enter("stage 2 pinion")
    undone(demo, "part of a step")
    demo.tab_to("Steps on the predicted speed")
    demo.key("Return")
    demo.until(lambda: demo.state()["dialog"], "Enter shows the figures as a table")
    demo.key("Escape")
    demo.page("Rig")
    demo.press("New rig")
    demo.choose("Method", "Generator")
    demo.page("Plan")
    demo.key("ctrl+l", "ctrl+a")
    demo.enter("resistors 22, 10 ohm at 12 V")
    demo.click("Resistor of a step")
    demo.enter("33 ohm")
    undone(demo, "resistor of a step")
    demo.item("Builds and tests", "r3 brass")
    demo.until(lambda: demo.state()["build"] == "Dunnock r3", "a rig without a shelf is laid")
    demo.page("Plan")
    demo.press("Enter your weights")
    demo.until(lambda: demo.state()["page"] == "Rig", "the shelf is on Rig")


def test_a_campaign_is_set_up_by_its_fields(demo):
    demo.item("Builds and tests", "r3 brass")
    demo.key("ctrl+t", "alt+3", "ctrl+l", "ctrl+a")
    demo.enter("loads 2 kg at 9, 12 V")
    demo.key("ctrl+k")
    demo.press("New from this plan")
    undone(demo, "campaign Campaign 1")
    demo.click("Name")
    demo.enter("Brass or not")
    undone(demo, "name")
    demo.choose("Order", "as listed")
    undone(demo, "order")
    demo.click("Seed")
    demo.enter("42", "Tab")
    undone(demo, "seed")
    demo.item("Builds of the campaign", "Curlew r1")
    demo.key("space")
    undone(demo, "builds of the campaign")
    demo.choose("Reference build", "Curlew r1")
    undone(demo, "reference of the campaign")
    kept = json.loads(demo.rows("SELECT record FROM campaigns ORDER BY id DESC")[0][0])
    assert kept["name"] == "Brass or not"
    assert (kept["order"], kept["seed"], kept["reference"]) == ("as listed", 42, "Curlew r1")
    assert "Curlew r1" in kept["builds"]
    demo.key("ctrl+z", "ctrl+z")
    kept = json.loads(demo.rows("SELECT record FROM campaigns ORDER BY id DESC")[0][0])
    assert "Curlew r1" not in kept["builds"]


def test_a_data_sheet_is_entered_and_stands_beside_what_was_measured(demo):
    demo.item("Builds and tests", "r3 brass")
    demo.until(lambda: demo.state()["has_result"], "there is a result")
    demo.page("Build")
    demo.press("Stage")
    demo.until(lambda: demo.state()["menu_open"], "the menu opens")
    demo.item_of_menu("Data sheet")
    demo.until(lambda: demo.state()["dialog"] == "Data sheet", "the data sheet is open")
    demo.tab_to("Data sheet")
    for text in ("12 V", "150 rpm"):
        demo.type(text)
        demo.key("Return", "Right")
    demo.tab_to("Tolerance of the data sheet")
    demo.enter("5 %")
    demo.key("Escape")
    kept = demo.record("build", "Dunnock r3")
    (line,) = kept["data_sheet"]
    assert (line["voltage"], line["free_speed"]) == ("12 V", "150 rpm")
    assert kept["sheet_tolerance"] == "5 %"
    demo.page("Results")
    demo.tab("Data sheet")
    demo.until(
        lambda: any(
            t.startswith("no-load speed, 12 V")
            for w in demo.widgets(kind="SheetTable")
            for t in w.get("items", {})
        ),
        "the stated speed stands beside the measured one",
    )
