"""Room on Build: groups folded by a click and so at the next start, the list of stages, the
selected part's own fields.
"""

from desktop import Program


def shown(demo, name):
    """Whether a button or field of that name can be seen."""
    return bool(demo.widgets(name))


def test_groups_fold_by_a_click_and_are_so_at_the_next_start(demo):
    demo.page("Build")
    demo.until(lambda: shown(demo, "Wheel teeth"), "the teeth are shown")
    demo.click("Teeth and sizes")
    demo.until(lambda: not shown(demo, "Helix angle"), "they are folded")
    demo.click("Material, friction")
    demo.until(lambda: not shown(demo, "Friction coefficient"), "so is the material")
    demo.click("Motor, measured without gearbox")
    demo.until(lambda: shown(demo, "Stall current"), "the motor is unfolded")
    demo.screen.xdo("key", "ctrl+q")
    assert demo.status() == 0
    again = Program(demo.screen, demo.home, "demo")
    try:
        again.page("Build")
        assert shown(again, "Stall current")
        assert not shown(again, "Helix angle")
    finally:
        again.close()


def test_a_stage_is_chosen_from_the_list_and_its_part_edited_under_the_drawing(demo):
    demo.item("Builds and tests", "r1 one ring")
    demo.page("Build")
    demo.choose("Stage shown", "2")
    demo.until(lambda: demo.widgets("Stage 2,"), "the second stage is shown")
    demo.place("TrainView", "stage 2 planet")
    demo.until(lambda: demo.widgets("Stage 2, planetary: planet"), "its planet is selected")
    demo.click("Planet shift")
    demo.enter("0.1")
    demo.until(lambda: "planet shift" in demo.state()["undo"] or demo.state()["question"], "edited")
