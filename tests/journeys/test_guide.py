"""The guide and the tour, as somebody at their first start meets them."""

import pytest
from desktop import Program, home_with_demo


@pytest.fixture
def first_start(screen, demo_home, tmp_path):
    program = Program(screen, home_with_demo(demo_home, tmp_path / "home"), "demo", new=True)
    yield program
    program.close()


def guide(demo):
    """The chapter that the guide shows; "" where it is not open."""
    return next((w["text"] for w in demo.widgets("Chapters")), "")


@pytest.mark.main
def test_the_first_start_offers_a_tour_that_waits_for_each_thing(first_start):
    demo = first_start
    assert demo.widgets("New here? A tour of five minutes")
    demo.press("Start the tour")

    def waits(n):
        demo.until(lambda: demo.widgets(f"Tour, {n} of 9"), f"step {n} is waited for")

    waits(1)
    demo.item("Builds and tests", "r1 POM, dry")
    waits(2)
    demo.page("Results")
    waits(3)
    demo.click_at(next(w for w in demo.widgets(kind="_Card"))["at"])
    waits(4)
    demo.place("TorqueKind", "gearbox 2")
    waits(5)
    demo.page("Build")
    demo.place("TrainView", "stage 1 wheel")
    waits(6)
    demo.page("Run")
    demo.key("ctrl+t", "space")
    waits(7)
    demo.key("space")
    demo.until(
        lambda: any("Hang" in b["text"] for b in demo.widgets(kind="KeyButton")), "it is tared"
    )
    demo.key("space")
    waits(8)
    demo.key("Escape")
    waits(9)
    demo.key("F1")
    demo.until(lambda: guide(demo).startswith("Run"), "the guide is open at the page's chapter")
    demo.until(lambda: not demo.widgets("Tour,"), "the tour has ended")
    demo.key("Escape")
    demo.menu("Help", "Five-minute tour")
    demo.until(lambda: demo.widgets("Tour,"), "it begins again, at what is not done yet")
    at = demo.widgets("Tour,")[0]["text"]
    demo.press("Skip this step")
    demo.until(lambda: demo.widgets("Tour,")[0]["text"] != at, "the next step")
    demo.press("End the tour")
    demo.until(lambda: not demo.widgets("Tour,"), "it is left")


def test_it_is_offered_once(first_start):
    first_start.press("Not now")
    first_start.until(lambda: not first_start.widgets("New here?"), "it goes")
    first_start.screen.xdo("key", "ctrl+q")
    assert first_start.status() == 0
    again = Program(first_start.screen, first_start.home, "demo", new=True)
    try:
        assert not again.widgets("New here?")
    finally:
        again.close()


def test_f1_opens_the_chapter_in_hand_and_a_finding_its_own(demo):
    demo.item("Builds and tests", "r1 POM, dry")
    demo.until(lambda: demo.state()["build"] == "Dunnock r1", "it is on the desk")
    for page in ("Build", "Rig", "Results"):
        demo.page(page)
        demo.key("F1")
        demo.until(lambda page=page: guide(demo) == page, f"the chapter of {page}")
        demo.key("Escape")
        demo.until(lambda: not guide(demo), "it is closed")
    demo.click_at(next(w for w in demo.widgets(kind="_Card"))["at"])
    demo.press("More in the guide")
    demo.until(lambda: "finding" in guide(demo), "the finding's explanation")
    demo.click("Find in the guide")
    demo.enter("hardware watchdog")
    demo.until(lambda: guide(demo).startswith("A board"), "the word is found in another chapter")
    demo.press("Back")
    demo.until(lambda: "finding" in guide(demo), "the way back")
    demo.choose("Chapters", "Safety")
    demo.until(lambda: guide(demo) == "Safety", "chosen from the list")
    demo.key("Escape")
    demo.key("ctrl+h")
    demo.until(lambda: demo.state()["dialog"] == "Part measurements", "it opens")
    demo.key("F1")
    demo.until(lambda: guide(demo) == "Part measurements", "over a dialog, the dialog's chapter")
    demo.key("Escape", "Escape")


def test_the_tour_from_a_logbook_of_ones_own_makes_the_demo_which_can_be_broken_off(
    screen, tmp_path
):
    (tmp_path / "home").mkdir()
    own = Program(screen, tmp_path / "home", "open")
    try:
        own.key("ctrl+period")
        own.type("tour")
        own.screen.xdo("key", "Return")  # and it is not at rest until all of it is made
        own.until(lambda: own.widgets("Tour,"), "the tour begins with the first test")
        own.until(lambda: own.buttons("Cancel"), "the others are being made")
        x, y, wide, high = own.buttons("Cancel")[0]["at"]
        own.screen.xdo("mousemove", x + wide // 2, y + high // 2, "click", 1)
        own.until(lambda: own.widgets("Stopped."), "it is broken off")
        own.rest()
        ((some,),) = own.rows("SELECT count(*) FROM tests")
        assert 1 <= some < 22
    finally:
        own.close()
    again = Program(screen, own.home, "demo")
    try:
        again.until(lambda: again.rows("SELECT count(*) FROM tests") == [(22,)], "the rest is made")
        assert again.rows("SELECT count(*) FROM runs") == [(381,)]
    finally:
        again.close()
