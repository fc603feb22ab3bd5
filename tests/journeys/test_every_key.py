"""Every entry of the menus by mouse and by its key, and every key of the keys sheet, once; each
does what it says.
"""

import pytest
from desktop import Program, home_with_demo

from sparring.core.events import DETECTORS
from sparring.core.plant.mishaps import LIVE


@pytest.fixture(scope="module")
def demo(screen, demo_home, tmp_path_factory):
    """One program for all of it, as one tester has it."""
    program = Program(
        screen, home_with_demo(demo_home, tmp_path_factory.mktemp("keys") / "home"), "demo"
    )
    yield program
    program.close()


def dialog(demo, title):
    """A dialog of that title is open; it is closed again."""
    demo.until(
        lambda: title in demo.state()["dialog"],
        f"{title} opens; open is {demo.state()['dialog']!r}",
    )
    demo.key("Escape")
    demo.until(lambda: not demo.state()["dialog"], f"{title} closes")


def file_dialog(demo, title):
    demo.until(lambda: demo.widgets("fileNameEdit"), "a file dialog opens")
    dialog(demo, title)


def said(demo, text):
    demo.until(lambda: text in demo.state()["message"], f"it says {text!r}")


def new(demo, name):
    """A build of that name is begun; undo takes it back."""
    demo.until(lambda: demo.state()["build"] == name, f"{name} is begun")
    demo.key("ctrl+z")
    demo.until(
        lambda: demo.state()["build"] == "Dunnock r2", "undo goes back to what was on the desk"
    )


def turned(demo, what, name):
    """A panel folds, and unfolds by the same key."""
    demo.until(lambda: not demo.widgets(name), f"{name} is folded")
    demo.key(what)
    demo.until(lambda: demo.widgets(name), f"{name} is back")


def undone(demo):
    demo.until(lambda: demo.state()["redo"] == "title", "the last edit is taken back")


def redone(demo):
    demo.until(lambda: demo.state()["undo"] == "title", "it is made again")


def begun_anew(demo):
    demo.until(lambda: demo.state()["runs"] == 0, "a fresh test")
    demo.item("Builds and tests", "r1 POM, dry")
    demo.item("Builds and tests", "r2 POM, greased")
    demo.until(lambda: demo.state()["runs"] == 30, "the old one is there")


def simulated(demo):
    demo.until(
        lambda: demo.state()["bench"] == "ready" and demo.state()["samples"] > 60,
        "the simulated bench sends",
    )


def guide(demo):
    demo.until(lambda: demo.widgets("Chapters"), "the guide is open")
    demo.key("Escape")
    demo.until(lambda: not demo.widgets("Chapters"), "and closed again")


def tour(demo):
    demo.until(lambda: demo.widgets("Tour,"), "it says what to do first")
    demo.press("End the tour")
    demo.until(lambda: not demo.widgets("Tour,"), "and is ended")


def by_eye(demo):
    demo.until(lambda: demo.widgets("Turned"), "it asks for what is read")
    demo.menu("Bench", "Read by eye")
    demo.until(lambda: not demo.widgets("Turned"), "and shows the live figures again")


def marked(demo):
    demo.until(lambda: demo.buttons("1 click heard"), "it asks for a word")
    demo.press("Close")
    demo.until(lambda: not demo.buttons("1 click heard"), "and is closed without one")


def happened(demo):
    """The strip of events, closed without an answer; where there is no run, it says so."""
    demo.until(
        lambda: demo.buttons("1 Stalled") or "no run yet" in demo.state()["message"],
        "it asks what happened",
    )
    if demo.buttons("1 Stalled"):
        demo.press("Close")
        demo.until(lambda: not demo.buttons("1 Stalled"), "and is closed without one")


DOES = {
    "Undo": undone,
    "Redo": redone,
    "Open or create a logbook …": lambda demo: file_dialog(demo, "Logbook folder"),
    "Import a log …": lambda demo: file_dialog(demo, "Log of another logger"),
    "Everything, as a folder …": lambda demo: file_dialog(demo, "Export into which folder"),
    "Results, JSON …": lambda demo: file_dialog(demo, "Export this test"),
    "Results, CSV …": lambda demo: file_dialog(demo, "Export this test"),
    "Sheet, HTML …": lambda demo: file_dialog(demo, "Export this test"),
    "Restore excluded runs": lambda demo: said(demo, "No run is excluded"),
    "Restore a backup …": lambda demo: dialog(demo, "Restore a backup"),
    "Find …": lambda demo: demo.until(
        lambda: demo.state()["focus"] == "Find in the logbook", "search has the keyboard"
    ),
    "New build": lambda demo: new(demo, "New drive r1"),
    "New revision of this build": lambda demo: new(demo, "Dunnock r4"),
    "Open a build or rig file …": lambda demo: file_dialog(demo, "Build or rig file"),
    "Save as a build file …": lambda demo: file_dialog(demo, "Save as a build file"),
    "New test": begun_anew,
    "Read by eye": by_eye,
    "First power again": lambda demo: said(demo, "There is no first power to repeat"),
    **dict.fromkeys((DETECTORS[id].title for id in LIVE), simulated),
    "Simulated bench": simulated,
    "Allow more than the motor's voltage": lambda demo: said(demo, "No step of this test"),
    "Tare, unloaded": lambda demo: demo.until(lambda: demo.state()["tared"], "it is tared"),
    "Mark this moment": marked,
    "What happened …": happened,
    "Stop": lambda demo: demo.until(lambda: demo.state()["bench"] == "ready", "it is at rest"),
    "Part measurements: motor, inertia, backlash, friction …": lambda demo: dialog(
        demo, "Part measurements"
    ),
    "Disconnect": lambda demo: demo.until(
        lambda: demo.state()["bench"] == "off", "the bench is let go"
    ),
    "Replay a recording …": lambda demo: file_dialog(demo, "Replay a recording"),
    "Life test …": lambda demo: dialog(demo, "Life test"),
    "Photo of this run …": lambda demo: file_dialog(demo, "Photo of the newest run"),
    "Connect devices …": lambda demo: dialog(demo, "Devices on the bench"),
    "Show or hide the logbook": lambda demo: turned(demo, "ctrl+1", "Builds and tests"),
    "Show or hide the findings": lambda demo: turned(demo, "ctrl+2", "Findings"),
    "Units …": lambda demo: dialog(demo, "Units"),
    "Dark theme": lambda demo: None,  # below
    "Reset the panel layout": lambda demo: demo.until(
        lambda: demo.widgets("Builds and tests"), "they are there"
    ),
    "Find a field …": lambda demo: demo.until(
        lambda: demo.state()["focus"] == "Find a field", "the box has the keyboard"
    ),
    "Text size …": lambda demo: dialog(demo, "Text size"),
    "Reduce motion": lambda demo: None,  # tests/test_accessible.py
    "Guide": guide,
    "Five-minute tour": tour,
    "Find a command …": lambda demo: dialog(demo, "Find a command"),
    "Keys": lambda demo: dialog(demo, "Keys"),
    "About Sparring": lambda demo: dialog(demo, "About Sparring"),
}


def test_every_entry_of_the_menus_does_what_it_says(demo):
    demo.item("Builds and tests", "r2 POM, greased")
    demo.until(lambda: demo.state()["build"] == "Dunnock r2", "r2 is on the desk")
    demo.click("Build: Dunnock r2")
    demo.key("Tab", "Tab")
    assert demo.state()["focus"] == "Title"
    demo.enter("POM, greased, again")
    entries = {e["text"]: e for e in demo.ask("menus")}
    told = {text.split(" title")[0] for text in entries}
    # what comes new gets a line here; to quit is a journey of its own
    assert told - {"Quit"} == set(DOES)
    for name, does in DOES.items():
        entry = next(e for text, e in entries.items() if text.split(" title")[0] == name)
        if name == "Dark theme":
            continue
        demo.menu(entry["menu"], name)
        does(demo)
        if entry["key"] and name not in (
            "Show or hide the logbook",
            "Show or hide the findings",
            "Undo",
            "Redo",
        ):
            demo.key(entry["key"].lower().replace("f1", "F1").replace("+.", "+period"))
            does(demo)
    demo.key("ctrl+z")
    undone(demo)
    demo.key("ctrl+shift+z")
    redone(demo)


def test_dark_is_dark_and_light_again(demo, tmp_path):
    light = demo.picture(tmp_path / "light.png").read_bytes()
    demo.menu("View", "Dark")
    demo.until(lambda: demo.ask("state")["dark"], "it is dark")
    assert demo.picture(tmp_path / "dark.png").read_bytes() != light
    demo.key("ctrl+d")
    demo.until(lambda: not demo.ask("state")["dark"], "it is light")


def test_the_keys_of_the_gear_drawing(demo):
    demo.item("Builds and tests", "r1 one ring")
    demo.page("Build")
    demo.place("TrainView", "stage 1 sun")
    demo.key("Right")
    demo.until(lambda: demo.widgets("Stage 1, planetary: planet"), "the next part")
    demo.key("Left")
    demo.until(lambda: demo.widgets("Stage 1, planetary: sun"), "and the one before")
    demo.key("Return")
    demo.until(lambda: demo.state()["focus"] == "Number of sun", "a box for its teeth opens")
    demo.key("Escape")
    demo.until(lambda: not demo.widgets("Number of sun"), "Escape leaves it")
    demo.place("TrainView", "stage 1 ring", times=2)
    demo.until(lambda: demo.state()["focus"] == "Number of ring", "so does a double click")
    demo.key("Escape")
    where = demo.widgets(kind="TrainView")[0]["places"]
    demo.key("space")
    demo.until(lambda: demo.widgets(kind="TrainView")[0]["places"] != where, "Space turns it")
    demo.key("space")
    stages = len(demo.record("build", "Wren r1")["stages"])
    demo.key("ctrl+shift+d")
    demo.until(
        lambda: len(demo.record("build", "Wren r1")["stages"]) == stages + 1,
        "the stage is duplicated",
    )
    demo.key("ctrl+BackSpace")
    demo.until(lambda: len(demo.record("build", "Wren r1")["stages"]) == stages, "and taken out")


def test_the_mouse_in_a_chart(demo):
    demo.item("Builds and tests", "r2 POM, greased")
    demo.page("Results")
    demo.until(lambda: demo.state()["has_result"], "there is a result")

    def places():
        return demo.widgets(kind="TorqueKind")[0]["places"]

    first, chart = places(), demo.widget("Efficiency over output torque")["at"]
    demo.click_at(chart, button=4, times=3)
    demo.until(lambda: places() != first, "the wheel zooms")
    zoomed = places()
    x, y = chart[0] + chart[2] // 2, chart[1] + chart[3] // 2
    demo.screen.xdo(
        "mousemove",
        x,
        y,
        "mousedown",
        1,
        "mousemove",
        x - 60,
        y,
        "mousemove",
        x - 90,
        y,
        "mouseup",
        1,
    )
    demo.until(lambda: places() != zoomed, "a drag shifts")
    shifted = places()
    demo.click_at(chart, times=2)
    demo.until(lambda: places() != shifted, "a double click shows all")
    demo.click_at(chart, button=3)
    demo.item_of_menu("Copy as CSV")
    demo.key("ctrl+f")
    demo.key("ctrl+v")
    demo.until(
        lambda: "torque N·m" in demo.text("Find in the logbook"), "the table is on the clipboard"
    )
    demo.key("ctrl+a", "Delete")
    demo.until(lambda: demo.text("Find in the logbook") == "", "search is empty again")


def test_b_on_run_stops_and_asks_what_broke(demo):
    demo.item("Builds and tests", "r2 POM, greased")
    demo.page("Run")
    demo.key("b")
    demo.until(lambda: demo.buttons("1 stage"), "it asks which part")
    demo.key("1")
    demo.until(lambda: demo.state()["undo"] == "note of a breakage", "it is noted")
    demo.key("ctrl+z")
    demo.until(lambda: demo.state()["redo"] == "note of a breakage", "and taken back")


def test_a_command_is_found_by_its_words_and_done(demo):
    demo.page("Results")
    demo.key("ctrl+period")
    demo.until(lambda: demo.state()["focus"] == "What do you want to do?", "the box opens")
    demo.type("rig go")
    demo.key("Return")
    demo.until(lambda: demo.state()["page"] == "Rig", "it is done")
    demo.key("ctrl+period")
    demo.type("stage")
    demo.key("Down", "Up", "Escape")
    demo.until(lambda: not demo.state()["dialog"], "Escape leaves it")
    assert demo.state()["page"] == "Rig"


def test_panels_stay_where_they_were_put(demo):
    """Folded on one page and there on another; a wider one is as wide again."""
    demo.page("Results")
    demo.key("ctrl+1")
    demo.until(lambda: not demo.widgets("Builds and tests"), "the logbook is folded on Results")
    demo.page("Build")
    demo.until(lambda: demo.widgets("Builds and tests"), "and there on Build")
    left = demo.widget("Builds and tests")["at"]
    x, y = left[0] + left[2] + 10, left[1] + left[3] // 2
    demo.screen.xdo("mousemove", x, y)
    demo.rest()  # the edge is taken hold of only once the pointer has been seen over it
    demo.screen.xdo("mousedown", 1)
    demo.rest()
    demo.screen.xdo("mousemove", x + 30, y)
    demo.rest()
    demo.screen.xdo("mousemove", x + 60, y)
    demo.rest()
    demo.until(lambda: demo.widget("Builds and tests")["at"][2] > left[2] + 30, "it is wider")
    demo.screen.xdo("mouseup", 1)
    demo.rest()
    wide = demo.widget("Builds and tests")["at"][2]
    demo.page("Results")
    demo.until(lambda: not demo.widgets("Builds and tests"), "still folded on Results")
    demo.page("Build")
    demo.until(lambda: demo.widget("Builds and tests")["at"][2] == wide, "as wide as it was left")
    demo.menu("View", "Reset the panel layout")
    # the page beside it may since have come to want a little more or less
    demo.until(lambda: abs(demo.widget("Builds and tests")["at"][2] - left[2]) < 25, "as at first")
