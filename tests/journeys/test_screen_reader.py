"""The program as a screen reader walks it, over the accessibility bus."""

import json
import os
import subprocess
from pathlib import Path

import pytest
from desktop import Program, home_with_demo

WALK = Path(__file__).with_name("screen_reader.py")
# what takes the keyboard; a list's lines and a table's cells are told by their texts
CONTROLS = {
    *("push button", "toggle button", "check box", "radio button", "combo box", "text"),
    *("spin button", "slider", "list", "table", "tree", "tree table"),
    *("password text", "document text", "filler", "panel", "canvas", "link"),
}


@pytest.fixture
def bus(tmp_path):
    """A session bus of its own with the accessibility bus on it: the environment to use it."""
    daemon = subprocess.Popen(
        ["dbus-daemon", "--session", "--print-address=1", "--nofork", "--nopidfile"],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    env = {"DBUS_SESSION_BUS_ADDRESS": daemon.stdout.readline().strip()}
    launcher = subprocess.Popen(
        ["/usr/libexec/at-spi-bus-launcher", "--launch-immediately"],
        env={**os.environ, **env},
        stderr=subprocess.DEVNULL,
    )
    yield env
    for process in (launcher, daemon):
        process.terminate()
        process.wait(20)


def walked(demo, bus):
    """Everything that a screen reader is told of."""
    done = subprocess.run(
        ["/usr/bin/python3", str(WALK), "sparring"],
        env={**demo.screen.env, **bus},
        capture_output=True,
        text=True,
        timeout=110,
    )
    assert done.returncode == 0, done.stderr
    return [json.loads(line) for line in done.stdout.splitlines()]


def test_every_control_has_a_name_and_a_description(screen, demo_home, tmp_path, bus):
    home = home_with_demo(demo_home, tmp_path / "home")
    settings = home / "config" / "sparring" / "sparring.conf"
    settings.parent.mkdir(parents=True)
    groups = "".join(f"build\\{id}=true\n" for id in ("joints", "motor", "use", "notes"))
    settings.write_text(f"[General]\ntour-offered=true\n[folds]\n{groups}", encoding="utf-8")
    demo = Program(screen, home, "demo", QT_LINUX_ACCESSIBILITY_ALWAYS_ON="1", **bus)
    bad, seen = [], 0
    try:
        demo.item("Builds and tests", "r2 POM, greased")
        for page in ("Build", "Rig", "Plan", "Run", "Results", "Compare"):
            demo.page(page)
            found = walked(demo, bus)
            assert len(found) > 100, "the tree is there"
            for thing in found:
                if not thing.get("focusable") or not thing.get("visible"):
                    continue
                seen += 1
                told = f"{page}: {thing['role']} “{thing['name']}” in {thing['path'][-90:]}"
                if not thing["name"].strip():
                    bad.append(f"{told} has no name")
                elif thing["role"] in CONTROLS and not thing["description"].strip():
                    bad.append(f"{told} has no description")
    finally:
        demo.close()
    assert seen > 150
    assert not bad, "\n".join(dict.fromkeys(bad))
