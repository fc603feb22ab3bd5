"""What is not an ordinary hoist: pulleys, a crate, one more step-up stage, a hand crank."""

import json

from desktop import space


def new_rig(demo, method):
    demo.page("Rig")
    demo.press("New rig")
    demo.choose("Method", method)


def lay(demo, line):
    demo.page("Plan")
    demo.key("ctrl+l", "ctrl+a")
    demo.enter(line)


def confirm_care(demo):
    """On Rig, where Run leads, and back."""
    space(demo, "Confirm the care notes")
    demo.until(lambda: demo.state()["focus"].startswith("Name of the person"), "it leads there")
    demo.enter("A. Tester")
    demo.page("Run")


def test_a_weight_over_pulleys_and_a_crate(demo):
    """The sheave's efficiency is measured for the tackle; then both are run."""
    demo.item("Builds and tests", "r2 POM, greased")
    new_rig(demo, "Hoist over pulleys")
    demo.key("ctrl+h")
    demo.until(lambda: demo.state()["dialog"] == "Part measurements", "it opens")
    demo.key("alt+n")
    demo.until(lambda: demo.state()["popup"], "the ways are listed")
    demo.item_of_menu("Sheave efficiency")
    demo.until(lambda: not demo.state()["popup"], "a new record")
    for text in ("3.25 N", "2.98 N"):
        demo.type(text)
        demo.key("Return")
    demo.press("Use as this rig's sheave efficiency")
    demo.press("Close")
    demo.until(lambda: demo.state()["undo"] == "measured sheave", "the rig has it")
    for method, doing in (("Hoist over pulleys", "Lift"), ("Crate on slope or floor", "Haul")):
        if doing == "Haul":
            new_rig(demo, method)
        lay(demo, "loads 1 kg at 12 V")
        demo.page("Run")
        space(demo, "Connect" if doing == "Lift" else "Set up the simulated bench again")
        space(demo, "Tare")
        demo.until(lambda: demo.state()["tared"], "it is tared")
        space(demo, f"Hang 1.00 kg, then {doing.lower()}")
        demo.until(lambda: demo.state()["runs"] == 1, f"{method}: a run is kept")
        demo.until(lambda: demo.state()["has_result"], "and has a result")
    methods = [json.loads(r)["method"] for (r,) in demo.rows("SELECT record FROM rigs")]
    tackle = next(m for m in methods if m["kind"] == "tackle")
    assert tackle["sheave"].startswith("97.")


def test_one_more_step_up_stage_and_then_a_hand_crank(demo):
    demo.item("Builds and tests", "r3 brass")
    demo.menu("Build", "New revision")
    demo.until(lambda: demo.state()["build"] == "Dunnock r4", "a revision of its own")
    demo.page("Build")
    demo.choose("Stage shown", "2")
    demo.key("ctrl+BackSpace")
    for field, teeth in (("Pinion teeth", "60"), ("Wheel teeth", "12")):
        demo.field(field)
        demo.enter(teeth)
    demo.press("Stage")
    demo.item_of_menu("Further step-up stages")
    demo.until(lambda: demo.state()["dialog"] == "Further step-up stages", "it opens")
    demo.until(lambda: demo.widgets("Expected to turn with"), "it says how far it should go")
    demo.click("Voltage")
    demo.enter("6 V")
    demo.click("Torque at the output")
    demo.enter("1 mN*m")
    demo.until(lambda: demo.buttons("Run this one first"), "this one was not run yet")
    demo.key("Escape")
    new_rig(demo, "Generator")
    demo.click("Voltage constant")
    demo.enter("0.001 V*s/rad")
    demo.click("Generator drag torque")
    demo.enter("0.1 mN*m")
    lay(demo, "resistors 1000 ohm at 12 V")
    demo.page("Run")
    demo.key("ctrl+y")
    confirm_care(demo)
    # first power was seen by whoever stands there
    space(demo, "It turns the right way")
    demo.until(lambda: demo.state()["focus"] == "Turned", "what it did is asked for")
    for figure in ("200 rev", "10 s", "1.1 V", "0.001 A", "12 V", "0.4 A"):
        demo.enter(figure)
    demo.until(lambda: demo.state()["runs"] == 1, "it is kept that it turned")
    demo.key("ctrl+y")
    demo.page("Build")
    demo.press("Stage")
    demo.item_of_menu("Further step-up stages")
    demo.until(lambda: demo.widgets("The last that turned: 1 stage."), "it counts as tried")
    demo.press("Create a revision with 2 stages")
    demo.until(lambda: demo.state()["build"] == "Dunnock r5", "the next one is created")
    demo.key("ctrl+z")
    demo.until(lambda: demo.state()["build"] == "Dunnock r4", "and taken back")
    demo.menu("Build", "New revision")
    demo.until(lambda: demo.state()["build"] == "Dunnock r5", "the same once more, without a motor")
    demo.field("Driven by")
    demo.key("Down")
    demo.until(lambda: demo.state()["undo"] == "driven by", "no motor any more")
    demo.field("Crank radius or arm")
    demo.enter("120 mm")
    new_rig(demo, "Generator")
    demo.click("Voltage constant")
    demo.enter("0.2 V*s/rad")
    lay(demo, "resistors 10 ohm at 300 rpm, 2 times")
    demo.page("Run")
    demo.key("ctrl+y")
    confirm_care(demo)
    demo.until(lambda: demo.state()["focus"] == "Input turned", "turns of the crank are asked for")
    for _ in range(2):
        for figure in ("60 rev", "60 s", "4.92 N", "5.45", "0.545"):
            demo.enter(figure)
    demo.until(lambda: demo.state()["runs"] == 2, "two runs are kept")
    demo.until(lambda: demo.state()["has_result"], "and have a result")
    runs = [json.loads(r) for (r,) in demo.rows("SELECT record FROM runs ORDER BY id DESC LIMIT 2")]
    assert all(r["read"]["input_turned"].startswith("60 ±") for r in runs)
    assert all(r["input_speed"].startswith("60") for r in runs)
    demo.page("Results")
    demo.until(
        lambda: any(
            t.startswith("80.") for w in demo.widgets("Points") for t in w.get("items", {})
        ),
        "crank to lamp, 80 %",
    )
