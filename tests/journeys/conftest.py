"""Journeys: the installed command on a screen, driven as its user does."""

import pytest
from desktop import Program, Screen, home_with_demo
from helpers import copied


@pytest.fixture(scope="session")
def screen():
    made = Screen()
    yield made
    made.close()


@pytest.fixture(scope="session")
def demo_home(demo_book, tmp_path_factory):
    """A home in which the demo logbook has been made once."""
    home = tmp_path_factory.mktemp("home")
    copied(demo_book, home / "data" / "sparring" / "demo")
    return home


@pytest.fixture(scope="session")
def desk(screen, demo_home, tmp_path_factory):
    """The program that tests share, until one leaves it otherwise than it was."""
    kept = []

    def on(logbook):
        if kept and not kept[0].is_as_begun():
            kept.pop().close()
        if kept:
            kept[0].open_logbook(copied(demo_home / "data" / "sparring" / "demo", logbook))
            if kept[0].is_set_as_begun():
                return kept[0]
            kept.pop().close()
        home = home_with_demo(demo_home, tmp_path_factory.mktemp("desk") / "home")
        kept.append(Program(screen, home, "demo"))
        kept[0].is_set_as_begun()
        return kept[0]

    yield on
    for program in kept:
        program.close()


@pytest.fixture
def demo(desk, tmp_path, request):
    """The program on the demo logbook, a fresh one for each test."""
    program = desk(tmp_path / "demo")
    yield program
    # one that still has a port would read it beside the next test's program
    if request.node.failed or not (program.let_go() and program.is_as_begun()):
        program.close()
