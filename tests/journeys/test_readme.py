"""README's five minutes, sentence by sentence, on the desk: what is seen, what is edited, what is
imported.
"""

import json

import pytest


def choose(demo, title, name):
    demo.item("Builds and tests", title)
    demo.until(
        lambda: demo.state()["build"] == name and not demo.state()["busy"], f"{name} is on the desk"
    )


@pytest.mark.main
def test_results_are_read_and_a_finding_is_opened(demo):
    choose(demo, "r1 POM, dry", "Dunnock r1")
    demo.page("Results")
    demo.until(lambda: demo.state()["has_result"], "there is a result")
    title = "The efficiency drops at the last weight"
    card = next(w for w in demo.widgets(kind="_Card") if "drop" in w["name"].casefold())
    before = len(demo.widgets(kind="Label"))
    demo.click_at(card["at"])
    demo.until(lambda: len(demo.widgets(kind="Label")) > before, f"{title}: why is read")
    demo.place("TorqueKind", "gearbox 1")
    demo.until(lambda: demo.text("Below the charts") == "Recording", "the point's recording opens")
    demo.until(
        lambda: any("steady" in w["text"] for w in demo.widgets(kind="Label")),
        "it says what was taken as steady",
    )
    demo.tab("Uncertainty")
    demo.until(lambda: demo.text("Below the charts") == "Uncertainty", "the budget is shown")
    demo.until(lambda: demo.widgets("Gearbox efficiency", "BudgetView"), "it says of what")


@pytest.mark.main
def test_a_wrong_drum_is_put_right_and_taken_back(demo):
    choose(demo, "r3 brass", "Dunnock r3")
    demo.page("Results")
    card = next(w for w in demo.widgets(kind="_Card") if "half its diameter" in w["name"])
    demo.click_at(card["at"])
    demo.until(
        lambda: demo.state()["page"] == "Rig" and demo.state()["focus"].startswith("Drum radius"),
        "the finding leads to its field",
    )
    demo.enter("25 mm")
    demo.until(
        lambda: "What kind of edit is this?" in demo.state()["question"], "it asks what the edit is"
    )
    assert demo.record("rig", "Hoist B")["method"]["drum_radius"].startswith("50")
    demo.key("alt+w")
    demo.until(
        lambda: demo.record("rig", "Hoist B")["method"]["drum_radius"] == "25 mm",
        "the correction is kept",
    )
    demo.until(
        lambda: not any("half its diameter" in w["name"] for w in demo.widgets(kind="_Card")),
        "the finding goes",
    )
    assert demo.state()["undo"].startswith("drum radius")
    demo.key("ctrl+z")  # with the keyboard still in the field
    demo.until(
        lambda: demo.record("rig", "Hoist B")["method"]["drum_radius"].startswith("50"),
        "undo takes it back",
    )
    kept = demo.rows("SELECT field, after FROM corrections ORDER BY id")
    assert [field for field, _ in kept] == ["drum radius"] * 2
    assert kept[0][1] == "25 mm"


def test_the_question_is_answered_by_mouse_and_corrections_stand_beside_the_results(demo):
    choose(demo, "r3 brass", "Dunnock r3")
    demo.page("Build")

    def ask(module):
        demo.click("Module")
        demo.enter(module)
        demo.until(lambda: demo.state()["question"], "it asks what the edit is")

    was = demo.record("build", "Dunnock r3")["stages"][0]["module"]
    ask("0.9 mm")
    demo.press("Discard the edit")
    demo.until(lambda: not demo.state()["question"], "it asks no more")
    assert demo.record("build", "Dunnock r3")["stages"][0]["module"] == was
    assert demo.text("Module") == was
    ask("0.9 mm")
    demo.press("Correction: it was wrong all along")
    demo.until(
        lambda: demo.record("build", "Dunnock r3")["stages"][0]["module"] == "0.9 mm",
        "the correction is kept",
    )
    demo.page("Results")
    demo.tab("Corrections")
    demo.until(
        lambda: any("0.9 mm" in t for w in demo.widgets(kind="Table") for t in w.get("items", {})),
        "the correction is shown",
    )
    demo.page("Rig")
    demo.press("New rig")
    demo.until(lambda: demo.state()["rig"] == "Hoist B copy", "a rig of one's own")
    demo.tab("Checks")
    demo.click("Name of the person")
    demo.type("A. Tester")
    demo.press("I have read this")
    demo.until(
        lambda: (demo.record("rig", "Hoist B copy")["care_read"] or {}).get("by") == "A. Tester",
        "it is kept by name",
    )


@pytest.mark.main
def test_a_build_is_drawn_counted_edited_and_turned(demo):
    choose(demo, "r1 POM, dry", "Dunnock r1")
    demo.page("Build")
    demo.place("TrainView", "stage 1 wheel")
    demo.until(lambda: demo.widgets("Stage 1, spur pair: wheel"), "the gear is chosen")
    demo.key("Return")
    demo.until(lambda: demo.state()["focus"] == "Number of wheel", "a box for its teeth is open")
    demo.enter("61")
    demo.until(lambda: not demo.widgets("Number of wheel"), "the box goes with Enter")
    demo.until(lambda: demo.state()["question"], "it asks what the edit is")
    demo.key("Return")
    demo.until(lambda: demo.state()["build"] == "Dunnock r4", "a new revision has the edit")
    assert demo.record("build", "Dunnock r4")["stages"][0]["wheel"] == 61
    assert demo.record("build", "Dunnock r1")["stages"][0]["wheel"] == 60
    demo.click("Module")
    demo.enter("1/32 in")
    demo.until(
        lambda: demo.record("build", "Dunnock r4")["stages"][0]["module"].startswith("0.79375"),
        "the module is kept",
    )
    demo.key("ctrl+z")
    demo.until(
        lambda: demo.record("build", "Dunnock r4")["stages"][0]["module"] == "0.8 mm",
        "and taken back",
    )
    demo.press("Turn")
    demo.until(lambda: demo.buttons("Pause"), "it turns")
    demo.press("Pause")
    demo.until(lambda: demo.buttons("Turn"), "it is held")
    text = next(w["text"] for w in demo.widgets(kind="Label") if "N·m: " in w["text"])
    demo.click("Output torque", "QSlider")
    demo.key("Home", "Right", "Right")
    demo.until(
        lambda: text not in [w["text"] for w in demo.widgets(kind="Label")], "the sweep follows"
    )
    demo.tab("Strength")
    demo.until(
        lambda: any("pinion" in t for w in demo.widgets(kind="Table") for t in w.get("items", {})),
        "it says what breaks first",
    )


@pytest.mark.parametrize(
    ("title", "name"),
    [("r1 one ring", "Wren r1"), ("r1 split ring", "Curlew r1"), ("r1 cycloid", "Plover r1")],
)
def test_other_kinds_of_train_are_drawn(demo, title, name):
    choose(demo, title, name)
    demo.page("Build")
    assert any("places" in w and w["places"] for w in demo.widgets(kind="TrainView"))


def test_stages_are_added_and_parts_taken_apart(demo):
    choose(demo, "r1 one ring", "Wren r1")
    demo.page("Build")
    stages = len(demo.record("build", "Wren r1")["stages"])
    demo.press("Stage")
    demo.until(lambda: demo.state()["menu_open"], "the menu opens")
    demo.key("Down", "Right", "Down", "Return")  # add after the chosen one, the second kind
    demo.until(
        lambda: len(demo.record("build", "Wren r1")["stages"]) == stages + 1, "a stage is added"
    )
    demo.key("ctrl+z")
    demo.until(lambda: len(demo.record("build", "Wren r1")["stages"]) == stages, "and taken back")
    for entry, title in (
        ("Count teeth", "Count"),
        ("Module from calipers", "Module"),
        ("Ratio and hidden", "Ratio"),
        ("Centre distance and fit", "Centre distance"),
    ):
        demo.press("Gear")
        demo.until(lambda: demo.state()["menu_open"], "the menu opens")
        demo.item_of_menu(entry)
        demo.until(lambda title=title: title in demo.state()["dialog"], f"{title} opens")
        demo.key("Escape")
        demo.until(lambda: not demo.state()["dialog"], "it closes")


def strangers_log():
    """Four lifts of 1.5 kg with pauses, as another logger writes them: semicolons, decimal commas,
    milliamperes.
    """
    lines = ["Time (ms);RPM out;Bus voltage (V);Current (mA);Load (kg);Note"]
    for i in range(480):
        rpm, volts, amps = (
            (118.2 + i % 3 * 0.4, 12.01 - i % 2 * 0.01, 802 + i % 5) if i % 120 >= 20 else (0, 0, 0)
        )
        lines.append(f"{40 * i};{rpm:.1f};{volts:.2f};{amps};1.50;ok".replace(".", ","))
    return "\n".join(lines) + "\n"


def test_a_strangers_log_is_imported_and_exported(demo, tmp_path):
    log = tmp_path / "bench-log.csv"
    log.write_text(strangers_log(), encoding="utf-8")
    choose(demo, "r2 POM, greased", "Dunnock r2")
    demo.key("ctrl+i")
    demo.file_dialog(log)
    demo.until(lambda: "bench-log.csv" in demo.state()["dialog"], "it shows what is in the file")
    demo.press("Import as a new test")
    demo.until(lambda: "4 runs of 1 load found" in demo.state()["message"], "its lifts are found")
    demo.until(
        lambda: demo.state()["page"] == "Results" and demo.state()["has_result"], "and reduced"
    )
    (title, runs), *_ = demo.rows(
        "SELECT t.title, count(*) FROM tests t JOIN runs r ON r.test_id = t.id WHERE t.title LIKE"
        " 'bench%' GROUP BY t.id"
    )
    assert (title, runs) == ("bench-log.csv", 4)
    out = tmp_path / "out"
    out.mkdir()
    demo.key("ctrl+e")
    demo.file_dialog(out)
    demo.until(lambda: "Exported to" in demo.state()["message"], "it is exported")
    made = next(out.iterdir())
    result = json.loads((made / "result.json").read_text(encoding="utf-8"))
    assert result["build"] == "Dunnock r2"
    assert 0.3 < result["steps"][0]["efficiency_wire_to_shaft"] < 1
    assert "Local codes" in (made / "sheet.html").read_text(encoding="utf-8")
