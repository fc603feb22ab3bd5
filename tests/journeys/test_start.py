"""What a user starts is what was set up: the typeface, the style, and memory that is given back."""

import struct

import pytest
from desktop import Program


@pytest.mark.main
def test_the_installed_command_is_set_up_on_a_real_screen(demo, tmp_path):
    state = demo.state()
    assert state["platform"] == "xcb"
    assert state["font"] == {"family": "B612", "pixels": 13, "exact": True}
    assert 95 <= state["text_width"] <= 125  # of B612 at 13 px; a fallback is wider or narrower
    assert state["collects_garbage"]
    picture = demo.picture(tmp_path / "screen.png").read_bytes()
    assert struct.unpack(">II", picture[16:24]) == (1280, 800)
    assert len(picture) > 40_000  # not one colour


def test_it_ends_by_its_own_key_and_keeps_where_it_was(demo):
    demo.item("Builds and tests", "r1 POM, dry")
    demo.until(lambda: demo.state()["build"] == "Dunnock r1", "the build is laid on the desk")
    demo.screen.xdo("key", "ctrl+q")
    assert demo.status() == 0
    again = Program(demo.screen, demo.home, "demo")
    try:
        assert again.state()["build"] == "Dunnock r1"
    finally:
        again.close()
