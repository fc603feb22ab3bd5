"""Every page, tab and dialog at the sizes and in the typefaces that testers
have: no text is cut."""

import pytest
from desktop import Program, Screen, home_with_demo

BUILD_TABS = ("Shafts", "Strength", "Meshes", "Size and cost", "Changes")
RIG_TABS = ("Limits", "Sensors", "Masses", "Checks")
METHODS = ("Lever", "Brake", "Drawbar", "Run-up", "Generator")
COMPARE_TABS = ("Side by side", "Factors", "Trade-off", "Duty", "Ratio", "What next")
SEEN_AS = {
    "B612": ((1280, 800), {}),
    "a wider typeface": ((1280, 800), {"SPARRING_FONT": "DejaVu Sans"}),
    "200 %": ((2100, 1300), {"QT_SCALE_FACTOR": "2"}),
    "125 % of a small screen": ((1280, 800), {"QT_SCALE_FACTOR": "1.25"}),
}


BUILDS = ("r1 POM, dry", "r1 one ring", "r1 split ring", "r1 cycloid", "r1 worm", "r1 belt")


@pytest.mark.parametrize("how", SEEN_AS)
def test_no_text_is_cut(demo_home, tmp_path, how):
    size, env = SEEN_AS[how]
    screen = Screen(size)
    demo = Program(screen, home_with_demo(demo_home, tmp_path / "home"), "demo", **env)
    cut = []

    def look(where):
        cut.extend(f"{where}: {text}" for text in demo.ask("cut"))

    def lay(title):
        folded = not demo.widgets("Builds and tests")
        demo.key("ctrl+1") if folded else None
        demo.item("Builds and tests", title)
        demo.key("ctrl+1") if folded else None

    try:
        for title in BUILDS:
            lay(title)
            demo.page("Build")
            for tab in BUILD_TABS:
                demo.tab(tab)
                look(f"{title}, {tab}")
        lay("r3 brass")
        demo.until(
            lambda: demo.state()["has_result"] and demo.state()["build"] == "Dunnock r3",
            "there is a result",
        )
        demo.page("Results")
        for tab in ("Points", "Recording", "Uncertainty"):
            demo.tab(tab)
            look(tab)
        demo.page("Rig")
        for tab in RIG_TABS:
            demo.tab(tab)
            look(f"Rig, {tab}")
        demo.press("New rig")
        for method in METHODS:
            demo.choose("Method", method)
            demo.tab("Limits")
            look(method)
        lay("r2 POM, greased")
        demo.page("Plan")
        for tab in ("Steps", "Drive", "Reasons, times"):
            demo.tab(tab)
            look(f"Plan, {tab}")
        demo.key("ctrl+k")
        look("Plan, campaign")
        demo.key("ctrl+k")
        demo.page("Compare")
        for tab in COMPARE_TABS:
            demo.tab(tab)
            demo.until(lambda: not demo.state()["busy"], f"{tab} is worked out")
            look(f"Compare, {tab}")
        demo.page("Run")
        look("Run")
        demo.key("ctrl+b")
        demo.until(lambda: demo.state()["samples"] > 60, "the bench sends")
        look("Run, live")
        for key, title in (("ctrl+u", "Units"), ("shift+F1", "Keys")):
            demo.key(key)
            demo.until(lambda title=title: demo.state()["dialog"] == title, f"{title} opens")
            look(title)
            demo.key("Escape")
        demo.key("ctrl+h")
        demo.until(lambda: demo.state()["dialog"] == "Part measurements", "they open")
        for n in range(8):
            demo.key("alt+n")
            demo.until(lambda: demo.state()["popup"], "the ways are listed")
            demo.key(*["Down"] * n, "Return")
            demo.until(lambda: not demo.state()["popup"], "one is chosen")
            look(f"Measured, way {n + 1}")
    finally:
        demo.close()
        screen.close()
    assert not cut, "\n".join(dict.fromkeys(cut))
