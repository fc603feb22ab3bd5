"""Journeys: the installed command on a screen, driven as its user does."""

import os
import subprocess

import pytest
from desktop import COMMAND, Program, Screen, home_with_demo
from helpers import made_once


@pytest.fixture(scope="session")
def screen():
    made = Screen()
    yield made
    made.close()


@pytest.fixture(scope="session")
def demo_home(tmp_path_factory):
    """A home in which the demo logbook has been made once."""

    def make(home):
        env = {**os.environ, "HOME": str(home), "XDG_DATA_HOME": str(home / "data")}
        subprocess.run(
            [str(COMMAND), "demo", "--no-window"],
            env=env,
            check=True,
            capture_output=True,
            timeout=300,
        )

    return made_once(tmp_path_factory, "home", make)


@pytest.fixture
def demo(screen, demo_home, tmp_path):
    """The program on the demo logbook."""
    program = Program(screen, home_with_demo(demo_home, tmp_path / "home"), "demo")
    yield program
    program.close()
