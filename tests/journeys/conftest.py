"""Journeys: the installed command on a screen, driven as its user does."""

import shutil

import pytest
from desktop import Program, Screen, home_with_demo


@pytest.fixture(scope="session")
def screen():
    made = Screen()
    yield made
    made.close()


@pytest.fixture(scope="session")
def demo_home(demo_book, tmp_path_factory):
    """A home in which the demo logbook has been made once."""
    home = tmp_path_factory.mktemp("home")
    shutil.copytree(demo_book, home / "data" / "sparring" / "demo")
    return home


@pytest.fixture
def demo(screen, demo_home, tmp_path):
    """The program on the demo logbook."""
    program = Program(screen, home_with_demo(demo_home, tmp_path / "home"), "demo")
    yield program
    program.close()
