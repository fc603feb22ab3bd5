"""Two motors on one drive; what it holds, and what it draws."""

from desktop import space

from sparring.core.characterise import METHODS


def labels(demo):
    return [w["text"] for w in demo.widgets(kind="Label")]


def test_a_second_motor_is_added_and_both_tell_what_they_give(demo):
    demo.key("alt+1", "ctrl+r")
    demo.until(lambda: demo.state()["build"] == "Dunnock r4", "a revision of its own")
    demo.press("Stage")
    demo.item_of_menu("Additional motors …")
    demo.until(lambda: demo.state()["dialog"] == "Additional motors", "the list is open")
    demo.item("Additional motors", "[0, 0]", times=2)
    demo.enter("the second")
    demo.item("Additional motors", "4450", times=2)  # no-load speed
    demo.enter("4300 rpm")
    demo.press("Close")
    demo.until(lambda: demo.widgets("The motors share"), "it is judged before it runs")
    demo.key("alt+4")
    for what in ("Connect", "Tare", "First power", "It turned the right way", "Hang 0.50 kg"):
        space(demo, what)
    demo.until(
        lambda: any("Motor 2" in t and "% of the torque" in t for t in labels(demo)),
        "each one's share is shown while it runs",
    )
    demo.until(lambda: demo.state()["runs"] == 2 and demo.state()["has_result"], "it is reduced")
    demo.key("alt+5")
    demo.until(
        lambda: any(" / " in t for w in demo.widgets("Points") for t in w.get("items", {})),
        "the shares stand in the table",
    )
    demo.until(lambda: demo.widgets("caution: The motors share"), "and are a finding")


def test_what_it_holds_and_what_it_draws_is_typed_and_recorded(demo):
    demo.key("ctrl+h")
    demo.until(lambda: demo.state()["dialog"] == "Part measurements", "it opens")

    def begin(title):
        demo.key("alt+n")
        demo.until(lambda: demo.state()["popup"], "the ways are listed")
        demo.key(*["Down"] * [m.TITLE for m in METHODS].index(title), "Return")
        demo.until(lambda: demo.widgets(title), f"{title} is begun")

    def shows(text):
        demo.until(
            lambda: any(text in t for w in demo.widgets("Results") for t in w.get("items", {})),
            f"{text} comes out",
        )

    begin("Holding a load without power")
    for text in ("", "1 kg ± 1 g", "10 min", "3.2 deg ± 0.5 deg", ""):
        demo.type(text) if text else None
        demo.key("Return")
    demo.click("Radius of the weight")
    demo.enter("25 mm ± 0.2 mm", "Tab")
    shows("0.245")
    begin("Current against what is done")
    for text in ("at rest", "0.03 A ± 0.005 A", "turning free", "0.11 A ± 0.01 A"):
        demo.type(text)
        demo.key("Return")
    shows("turning free")
    demo.until(lambda: demo.widgets("It draws current at rest"), "and is judged")
    clocks = demo.rows("SELECT record FROM characterisations WHERE way = 'currents'")
    assert clocks[0][0].count(":") > 6  # the time of day of each has been filled in
    demo.press("Simulate")
    demo.until(lambda: any(b["enabled"] for b in demo.buttons("Record")), "the set-up sends")
    demo.key("ctrl+Return")
    shows("recorded")
