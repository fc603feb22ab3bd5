"""Builds are ticked and searched, compared by keyboard; a duty is changed, a ratio and a change
become builds; all of it by real keys and clicks.
"""

import json
import subprocess

import pytest
from desktop import COMMAND, Program

from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.demo import hollin_yard


def setting(demo, key):
    rows = demo.rows("SELECT value FROM settings WHERE key = ?", key)
    return json.loads(rows[0][0]) if rows else {}


def chosen(demo):
    return [tuple(c) for c in setting(demo, "compare").get("choices", [])]


def wanted(demo):
    return setting(demo, "compare").get("wanted", {})


def number(demo, family, revision):
    rows = demo.rows("SELECT id FROM builds WHERE family = ? AND revision = ?", family, revision)
    return rows[0][0]


def opened(demo, text="r2 POM, greased"):
    demo.item("Builds and tests", text)
    demo.page("Compare")
    demo.until(lambda: len(chosen(demo)) == 3, "the family on the desk is compared")
    shown(demo, "Figures of the builds")


def shown(demo, name):
    demo.until(lambda: demo.widgets(name), f"{name} is shown")


def typed(demo, name, text):
    """Into a field that is clicked."""
    demo.click(name)
    demo.until(lambda: demo.state()["focus"] == name, f"{name} has the keyboard")
    if text:
        demo.enter(text)
    else:
        demo.key("ctrl+a", "Delete", "Return")


def saved(demo, entry, name):
    """Keeps what is compared by an entry of the open menu."""
    demo.item_of_menu(entry)
    demo.until(lambda: "Save this choice" in demo.state()["dialog"], "its name is asked for")
    demo.type(name)
    demo.key("Return")
    demo.until(lambda: name in setting(demo, "compare.saved"), "it is kept")


def box(demo, text):
    """Clicks the box of a build in the list."""
    (view,) = demo.widgets("Builds and tests")
    place = next(p for t, p in view["items"].items() if t.startswith(text))
    x, y, _, height = place
    demo.click_at([x + 2, y, 14, height])


@pytest.mark.main
def test_builds_are_ticked_searched_and_compared(demo):
    opened(demo)
    before = demo.state()["build"]
    box(demo, "r3 brass")
    brass = number(demo, "Dunnock", 3)
    demo.until(lambda: brass not in {c[0] for c in chosen(demo)}, "a click takes one out")
    assert demo.state()["build"] == before
    demo.tab_to("Builds and tests")
    demo.key("Home", "Down", "space")
    demo.until(lambda: len(chosen(demo)) == 3, "space takes one in")
    typed(demo, "Find in the logbook", "family = Dunnock and lubricant = greased")
    demo.press("Compare all found")
    two = {number(demo, "Dunnock", 2), brass}
    demo.until(lambda: {c[0] for c in chosen(demo)} == two, "what is found is compared")
    demo.press("Choices")
    saved(demo, "Save “family", "greased")
    typed(demo, "Find in the logbook", "")
    demo.press("Choices")
    demo.item_of_menu("None")
    demo.until(lambda: not chosen(demo), "none is compared")
    demo.press("Choices")
    demo.item_of_menu("greased")
    demo.until(lambda: len(chosen(demo)) == 2, "the kept query chooses again")


def test_conditions_figures_and_tables_by_keyboard(demo):
    opened(demo)
    typed(demo, "At torque", "40 %")
    demo.until(lambda: wanted(demo)["share"] == 0.4, "a share of stall is taken")
    typed(demo, "At torque", "0.4 N·m")
    demo.until(lambda: wanted(demo)["torque"] == 0.4, "a torque is taken")
    demo.choose("Against", "Dunnock r1")
    demo.until(lambda: wanted(demo)["reference"], "the others are held against it")
    typed(demo, "Same within", "5 points")
    demo.until(lambda: wanted(demo)["margin"] == 0.05, "the margin is taken")
    demo.choose("Compared in", "stall torque")
    demo.until(lambda: wanted(demo)["figure"] == "stall", "another figure")
    noise = "Curves: no line stands out of the noise"
    for kind, told in (("torque carried", "Curves"), ("ripple by order", noise)):
        demo.choose("Curves of", kind)
        demo.until(
            lambda told=told: told in [w["text"] for w in demo.widgets(kind="Label")],
            f"{kind} is drawn",
        )
    demo.choose("Curves of", "speed")
    before = wanted(demo)["torque"]
    demo.click("Curves of the builds compared")
    demo.until(lambda: wanted(demo)["torque"] != before, "a click sets the torque")
    demo.tab_to("Differences with their intervals")
    demo.key("Return")
    demo.until(lambda: demo.state()["dialog"] == "Differences", "they are shown as a table")
    demo.key("Escape")
    demo.item("Figures of the builds", "mass")
    demo.until(lambda: wanted(demo)["figure"] == "mass", "a row is the figure")
    first = number(demo, "Dunnock", 1)
    demo.key("s")
    demo.until(lambda: chosen(demo)[0][0] == first, "the lightest stands first")
    demo.item("Figures of the builds", "stall torque, ")
    demo.key("s")
    demo.until(lambda: chosen(demo)[0][0] != first, "the strongest stands first")


def test_factors_trade_offs_and_what_is_said_of_a_test(demo):
    opened(demo)
    demo.key("ctrl+shift+2")
    shown(demo, "Effects of the factors")
    demo.press("Factors")
    demo.item_of_menu("material", kind="TickedMenu")
    demo.until(lambda: wanted(demo)["factors"], "factors are chosen")
    demo.item_of_menu("material", kind="TickedMenu")
    demo.key("Escape")
    demo.press("Interactions")
    demo.item_of_menu("material", kind="TickedMenu")
    demo.until(lambda: wanted(demo)["interactions"], "an interaction is in the model")
    demo.key("Escape")
    demo.tab_to("Factors of each test")
    demo.key("Right", "Right", "F2")
    demo.type("A. Tester")
    demo.key("Return")
    told = "SELECT count(*) FROM tests WHERE plan LIKE '%A. Tester%'"
    demo.until(lambda: demo.rows(told)[0][0] == 1, "the operator of a test is kept")
    demo.key("ctrl+z")
    demo.until(lambda: demo.rows(told)[0][0] == 0, "and taken back")
    demo.key("ctrl+shift+3")
    shown(demo, "Builds that no other beats in both")
    demo.choose("Figure up", "peak power")
    demo.until(lambda: wanted(demo)["up"] == "peak-power", "another figure up")
    demo.choose("Figure by size", "ratio")
    demo.key("ctrl+shift+1")
    shown(demo, "Figures of the builds")


def test_a_duty_is_changed_and_the_drives_ranked_again(demo):
    opened(demo)
    demo.key("ctrl+shift+4")
    shown(demo, "Drives by how surely they do the duty")

    def first():
        (table,) = demo.widgets("Drives by how surely they do the duty")
        return next(iter(table["items"]), "")

    demo.until(lambda: "Wren" in first(), "those that hold by themselves are first")
    typed(demo, "Held in gusts of", "")
    demo.until(lambda: first().startswith("Curlew"), "not held, the strongest is")
    demo.key("ctrl+z")
    demo.until(lambda: "Wren" in first(), "undone")
    demo.choose("Duty", "large vent")
    demo.until(lambda: setting(demo, "duty") == 2, "the other vent")
    demo.choose("Task of the drive", "Drive a vehicle")
    demo.until(lambda: setting(demo, "duties")["2"]["task"]["kind"] == "vehicle", "another task")
    demo.press("New duty")
    demo.until(lambda: len(setting(demo, "duties")) == 3, "a new one")
    demo.choose("Duty", "large vent")
    typed(demo, "Supply", "9 V")
    demo.until(lambda: setting(demo, "duties")["2"]["voltage"] == "9 V", "a weaker supply")
    demo.tab_to("Holds every load unpowered")
    demo.key("space")
    demo.until(lambda: setting(demo, "duties")["2"]["holds"], "no torque may turn it back")
    demo.choose("Task of the drive", "Segments")
    demo.until(lambda: not setting(demo, "duties")["2"].get("task"), "by its segments")
    demo.tab_to("Segments of the duty")
    demo.key("Home", *["Right"] * 5, "F2")
    demo.type("60 °C")
    demo.key("Return")
    demo.until(
        lambda: setting(demo, "duties")["2"]["segments"][0]["room"] == "60 °C", "it is warm there"
    )
    assert not [x for x in demo.ask("cut") if "Segments" in x]
    demo.choose("Drives that are looked at", "every motor")
    demo.until(lambda: wanted(demo)["drives"].startswith("every motor"), "all that could be built")


def test_a_ratio_and_a_change_become_builds(demo):
    opened(demo, "r1 POM, dry")
    count = len(demo.rows("SELECT id FROM builds"))
    demo.key("ctrl+shift+5")
    demo.until(
        lambda: any(w.get("items") for w in demo.widgets("Trains of gears for the ratio")),
        "gears are proposed",
    )
    demo.choose("Best by", "the least energy")
    typed(demo, "gears at hand", "12×1 mm ×2, 84×1 mm, 91×1 mm")
    demo.until(
        lambda: any(w.get("items") for w in demo.widgets("Trains of gears for the ratio")),
        "those at hand make a train",
    )
    typed(demo, "gears at hand", "")
    typed(demo, "modules", "0.8 mm, 1 mm")
    demo.press("As a new build")
    demo.until(lambda: len(demo.rows("SELECT id FROM builds")) == count + 1, "they are a build")
    demo.key("ctrl+z")
    demo.until(lambda: len(demo.rows("SELECT id FROM builds")) == count, "undone")
    demo.key("ctrl+shift+6")
    demo.until(
        lambda: any(w.get("items") for w in demo.widgets("Changes with most to gain")),
        "changes are proposed",
    )
    typed(demo, "For a torque of", "0.5 N·m")
    demo.press("As a new revision")
    demo.until(lambda: demo.state()["build"] == "Dunnock r4", "one is a revision")
    demo.until(lambda: demo.widgets("Spares for a season"), "spares are listed")
    typed(demo, "Season", "36000")
    demo.until(lambda: not demo.state()["busy"], "they are counted for it")
    before = demo.widget("Spares for a season")["items"]
    typed(demo, "Drives, left-handed", "40")
    demo.until(
        lambda: demo.widget("Spares for a season")["items"] != before, "the other hand has its own"
    )


def test_rows_a_forgotten_choice_and_a_row_by_double_click(demo):
    opened(demo)
    first = number(demo, "Dunnock", 1)
    demo.item("Figures of the builds", "mass", times=2)
    demo.until(lambda: chosen(demo)[0][0] == first, "sorted by the row")
    demo.press("Rows")
    demo.item_of_menu("mass", kind="TickedMenu")
    demo.key("Escape")
    demo.until(
        lambda: (
            not any(t.startswith("mass") for t in demo.widget("Figures of the builds")["items"])
        ),
        "the row is left out",
    )
    demo.press("Choices")
    saved(demo, "Save this choice", "three")
    demo.press("Choices")
    demo.until(lambda: demo.state()["menu_open"], "the menu is open")
    demo.key("Up", "Right", "Return")  # Forget is the last
    demo.until(lambda: "three" not in setting(demo, "compare.saved"), "it is forgotten")
    demo.key("ctrl+period")
    demo.type("compare none")
    demo.key("Return")
    demo.until(lambda: not chosen(demo), "nothing is compared")


def test_two_drives_of_ones_own_from_their_files(screen, tmp_path):
    """Build, rig and another logger's file of each, into a logbook that is not there yet."""
    home, rig = tmp_path / "home", tmp_path / "rig.json"
    home.mkdir()
    rig.write_text(changed(hollin_yard.rig(), ("name",), "My hoist").to_json())
    mine = Program(screen, home, "open")
    try:
        for revision, rubs in (1, 0.36), (2, 0.12):
            build = hollin_yard.dunnock(1).model_copy(
                update={"family": "Robin", "revision": revision, "title": f"friction {rubs}"}
            )
            for stage in range(2):
                build = changed(build, ("stages", stage, "friction"), Measured(rubs, 0.02))
            file, log = tmp_path / f"robin-{revision}.json", tmp_path / f"log-{revision}.csv"
            file.write_text(build.to_json())
            records = ("--build", file, "--rig", rig)
            made = [COMMAND, "simulate", *records, "--seed", str(revision), "--out", log]
            subprocess.run(made, check=True, capture_output=True)
            mine.menu("Build", "Open a build or rig file")
            mine.file_dialog(file)
            mine.until(lambda n=revision: mine.state()["build"] == f"Robin r{n}", "it is laid out")
            if revision == 1:
                imported(mine, rig)
            mine.until(lambda: mine.state()["rig"] == "My hoist", "on the rig")
            imported(mine, log)
            mine.until(lambda: mine.state()["dialog"].startswith("Import"), "it is looked at")
            mine.press("Import as a new test")
            mine.until(lambda: mine.state()["has_result"] and not mine.state()["dialog"], "reduced")
        mine.page("Compare")
        mine.until(lambda: len(chosen(mine)) == 2, "the family is compared")
        mine.tab_to("Differences with their intervals")
        mine.key("Return")
        mine.until(lambda: mine.state()["dialog"] == "Differences", "they are shown as a table")
        mine.until(lambda: "better" in read(mine, "Differences"), "less friction is better")
        mine.key("Escape", "ctrl+shift+2")
        mine.until(
            lambda: "revision" in read(mine, "Effects of the factors"), "nothing else parts them"
        )
    finally:
        mine.close()


def imported(mine, file):
    mine.key("ctrl+i")
    mine.file_dialog(file)


def read(mine, name):
    """All that the tables of a name show."""
    return " ".join(text for w in mine.widgets(name) for text in w.get("items", ()))
