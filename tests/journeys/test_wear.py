"""An inspection by keyboard alone; marks by clicks and drags; sizes, photos, and how it is told."""

import json

import pytest
from PIL import Image


def newest(demo):
    (text,) = demo.rows("SELECT record FROM inspections ORDER BY id DESC")[0]
    return json.loads(text)


def look(demo, name):
    demo.item("Builds and tests", name)
    demo.key("alt+6")
    demo.until(lambda: demo.state()["page"] == "Wear", "the page is there")


def begun(demo):
    count = len(demo.rows("SELECT id FROM inspections"))
    demo.key("ctrl+shift+i")
    demo.until(
        lambda: len(demo.rows("SELECT id FROM inspections")) == count + 1, "an inspection is begun"
    )
    demo.until(lambda: ", tooth 1, " in demo.state()["focus"], "its first part has the keyboard")


def at(demo, where):
    demo.until(lambda: demo.state()["focus"] == where, f"the keyboard is at {where}")


def seen(demo, count):
    demo.until(
        lambda: len(newest(demo)["seen"]) == count, f"{count} are kept of {newest(demo)['seen']}"
    )
    return newest(demo)["seen"][-1]


def test_a_two_stage_planetary_is_inspected_by_keyboard_alone(demo):
    look(demo, "r2 pins")
    begun(demo)
    at(demo, "stage 1 sun, tooth 1, driving flank")
    demo.key("ctrl+a", "w")
    assert seen(demo, 1) | {"severity": 2, "teeth": []} == seen(demo, 1)
    demo.key("3")
    demo.until(lambda: newest(demo)["seen"][0]["severity"] == 3, "a digit is its severity")
    demo.key("Home", "Down", "Down", "Right", "shift+Right", "f")
    last = seen(demo, 2)
    assert (last["mode"], last["spot"], last["teeth"]) == ("cold-flow", "tip", [2, 3])
    demo.key("Next", "Prior", "Next")
    at(demo, "stage 1 planet 1, tooth 1, tip")
    demo.key("Up", "Up", "ctrl+a", "w")
    assert seen(demo, 3)["part"] == "stage 1 planet 1"
    demo.key("Next", "ctrl+a", "w", "Next", "Left", "c", "5")
    assert seen(demo, 5)["teeth"] == [24]
    demo.key("Next", "o", "Next", "period")
    demo.until(lambda: newest(demo)["seen"][-1]["mode"] == "own-dust", "dust is kept")
    demo.key("Next", "m")
    assert seen(demo, 8)["part"].startswith("stage 2")
    demo.key("ctrl+z")
    seen(demo, 7)
    demo.key("ctrl+shift+z")
    seen(demo, 8)
    demo.key("Delete")
    seen(demo, 7)
    demo.key("ctrl+m")
    demo.tab_to("Sizes of this part")
    demo.key("F2")
    demo.type("mass\t\t3.21 3.22\t\t")
    demo.until(lambda: newest(demo)["weighings"], "a mass is kept")
    assert newest(demo)["weighings"][0]["readings"] == ["3.21 g", "3.22 g"]


@pytest.mark.main
def test_flanks_are_marked_by_clicks_and_drags_and_the_findings_lead_back(demo):
    look(demo, "r1 POM")
    demo.choose("Part", "stage 2 wheel")
    before = len(newest_of(demo))
    demo.place("Strip", "tooth 10, coasting flank")
    demo.key("shift+Right", "a")
    demo.until(lambda: len(newest_of(demo)) == before + 1, "it is marked")
    assert (
        newest_of(demo)[-1] | {"teeth": [10, 11], "spot": "coasting flank"} == newest_of(demo)[-1]
    )
    demo.click("Next part")
    demo.click("Previous part")
    demo.tab("Photos")
    demo.until(lambda: any("drawn" in w["text"] for w in demo.widgets(kind="Choice")), "its photo")
    left, top, wide, high = demo.widget("Photo", kind="PhotoView")["at"]
    x, y = left + wide // 2, top + high // 2
    demo.press("Pin")
    demo.click_at((x - 4, y - 4, 8, 8))
    demo.until(lambda: len(photos(demo)[0]["pins"]) == 2, "the tooth is pinned")
    assert photos(demo)[0]["pins"][1]["part"] == "stage 2 wheel"
    demo.press("Measure")
    drag(demo, x, y, x + 60, y)
    demo.until(lambda: len(photos(demo)[0]["rulers"]) == 3, "a length is measured")
    demo.press("Scale")
    drag(demo, x, y, x, y + 50)
    demo.until(lambda: demo.state()["dialog"] == "Scale", "it asks for its length")
    demo.key("ctrl+a")
    demo.enter("4.2 ± 0.1 mm")
    demo.until(lambda: len(photos(demo)[0]["rulers"]) == 4, "the scale is set")
    assert photos(demo)[0]["rulers"][3]["length"] == "4.2 ± 0.1 mm"
    demo.press("Crop")
    drag(demo, x - 70, y - 70, x + 70, y + 70)
    demo.until(lambda: "(1)" in photos(demo)[0]["file"], "a copy is cut")
    demo.key("ctrl+z")
    demo.until(lambda: "(1)" not in photos(demo)[0]["file"], "and taken back")
    demo.choose("Photo laid over it", "second pinion")
    demo.click("Before and after")
    demo.key("Right")
    demo.click("Turn photo")
    demo.until(lambda: "(2)" in photos(demo)[0]["file"], "a copy is turned")
    assert photos(demo)[0]["original"] == "Dunnock r1 second pinion.png"
    demo.click("Remove photo")
    demo.until(lambda: not photos(demo), "it is out of the inspection")
    demo.key("ctrl+z", "ctrl+z")
    demo.until(lambda: "(2)" not in photos(demo)[0]["file"], "both are taken back")


def drag(demo, x, y, x2, y2):
    demo.screen.xdo("mousemove", x, y)
    demo.rest()
    demo.screen.xdo("mousedown", 1)
    for part in (0.3, 0.7, 1.0):
        demo.screen.xdo("mousemove", round(x + part * (x2 - x)), round(y + part * (y2 - y)))
        demo.rest()
    demo.screen.xdo("mouseup", 1)


def test_an_observation_is_described_and_the_drive_s_own_lists_are_typed(demo):
    look(demo, "r1 POM")
    demo.key("ctrl+Next", "ctrl+Prior", "ctrl+g")
    demo.choose("Part", "stage 2 pinion")
    demo.choose("End of the face", "outer end")
    demo.until(lambda: any(s["end"] == "outer end" for s in newest_of(demo)), "its end is kept")
    demo.choose("Height on the flank", "at the pitch line")
    demo.click("Extent of the damage")
    demo.enter("0.06 ± 0.01 mm")
    demo.click("Note on the observation")
    demo.enter("bright at the outer end")
    demo.until(
        lambda: any(s["note"] == "bright at the outer end" for s in newest_of(demo)), "its note"
    )
    (told,) = [s for s in newest_of(demo) if s["note"] and s["end"] == "outer end"]
    assert (told["height"], told["extent"]) == ("at the pitch line", "0.06 ± 0.01 mm")
    demo.click("Tooth of the mate that meets tooth 1")
    demo.key("ctrl+a")
    demo.enter("7")
    demo.until(lambda: of_dunnock(demo)["marks"][-1]["meets"] == 7, "the mark is kept")
    demo.choose("Mode of damage", "macropitting")
    demo.until(lambda: newest_of(demo)[-1]["mode"] == "macropitting", "a mode is chosen by hand")
    demo.choose("Spot", "bore")
    demo.tab("Lives")
    demo.tab_to("Lives")
    demo.key("End", "Home")
    demo.until(lambda: "5 of 8 failed" in labels(demo), "they make a line")
    demo.tab_to("Weibull plot of the lives")
    demo.key("Return")
    demo.until(lambda: demo.state()["dialog"] == "Weibull plot of the lives", "as a table")
    demo.key("Escape")
    count = len(demo.rows("SELECT id FROM inspections WHERE struck = 0"))
    demo.key("ctrl+period")
    demo.until(lambda: demo.state()["dialog"], "the finder is open")
    demo.type("Remove this inspection")
    demo.key("Return")
    demo.until(
        lambda: len(demo.rows("SELECT id FROM inspections WHERE struck = 0")) == count - 1,
        "it is out",
    )
    demo.key("ctrl+z")
    demo.until(
        lambda: len(demo.rows("SELECT id FROM inspections WHERE struck = 0")) == count, "and back"
    )


def listed(demo):
    steps = demo.widgets("Steps of taking apart")
    return " ".join(text for w in steps for text in w.get("items", {}))


def labels(demo):
    return " ".join(w["text"] for w in demo.widgets(kind="Label"))


def newest_of(demo):
    return of_dunnock(demo)["seen"]


def photos(demo):
    return of_dunnock(demo)["photos"]


def of_dunnock(demo):
    found = demo.rows(
        "SELECT record FROM inspections WHERE build_id = (SELECT id FROM builds WHERE family ="
        " 'Dunnock' AND revision = 1) AND struck = 0 ORDER BY id DESC"
    )
    return json.loads(found[0][0])


def test_a_photo_of_ones_own_is_added_and_taking_apart_is_ticked(demo, tmp_path):
    Image.new("RGB", (60, 40), "grey").save(tmp_path / "gear.png")
    look(demo, "r1 POM")
    demo.tab("Photos")
    demo.click("Add photo")
    demo.file_dialog(tmp_path / "gear.png")
    demo.until(lambda: len(photos(demo)) == 2, "it is kept")
    demo.tab("Taking apart")
    demo.tab_to("Steps of taking apart")
    demo.key("Home", "space")
    demo.until(lambda: len(of_dunnock(demo)["taken_apart"]) == 4, "a tick is taken away")
    demo.key("space")
    demo.until(lambda: len(of_dunnock(demo)["taken_apart"]) == 5, "and set again")
    demo.press("Photo of the step …")
    demo.file_dialog(tmp_path / "gear.png")
    demo.until(lambda: "with a photo" in listed(demo), "the step has its photo")
    demo.press("Show it")
    demo.until(lambda: demo.state()["dialog"].startswith("motor: two"), "it is shown large")
    demo.key("Escape")
    demo.tab("Drive")
    demo.click("Most torque it saw")
    demo.enter("0.9 N·m")
    demo.until(lambda: of_dunnock(demo)["peak_torque"] == "0.9 N·m", "it is kept")
    demo.choose("Figure over its life", "backlash")
    demo.choose("Inspection", "2nd, 16")
    demo.until(lambda: demo.text("Most torque it saw") == "0.7 N·m", "another inspection is shown")
