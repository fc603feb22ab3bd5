"""A virtual X screen with a small window manager, the installed command on it, and real keys and
clicks.
"""

from __future__ import annotations

import contextlib
import itertools
import json
import os
import signal
import socket
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

from helpers import copied

COMMAND = Path(sys.executable).with_name("sparring")
# [s] for anything the program does by itself; a slow machine is no fault
PATIENCE = float(os.environ.get("SPARRING_TESTS_PATIENCE", "60"))
# [s] put into every wait, to show that no test counts on speed
SLOWED = float(os.environ.get("SPARRING_TESTS_SLOWED", "0"))


class Screen:
    """An X server of its own, with a window manager."""

    def __init__(self, size=(1280, 800)):
        self.size = size
        read, write = os.pipe()
        self._server = subprocess.Popen(
            [
                "Xvfb",
                "-displayfd",
                str(write),
                "-screen",
                "0",
                f"{size[0]}x{size[1]}x24",
                "-nolisten",
                "tcp",
            ],
            pass_fds=[write],
            stderr=subprocess.DEVNULL,
        )
        os.close(write)
        with os.fdopen(read) as told:
            self.display = f":{told.readline().strip()}"  # waits until it is up
        self.env = {
            k: v
            for k, v in os.environ.items()
            if k not in ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY", "QT_SCALE_FACTOR")
        }
        self.env["DISPLAY"] = self.display
        self._manager = subprocess.Popen(
            ["openbox"], env=self.env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )

    def close(self):
        for process in (self._manager, self._server):
            process.terminate()
            process.wait(10)

    def xdo(self, *words):
        done = subprocess.run(
            ["xdotool", *map(str, words)],
            env=self.env,
            capture_output=True,
            text=True,
            timeout=PATIENCE,
        )
        assert done.returncode == 0, f"xdotool {words}: {done.stderr}"
        return done.stdout


class Program:
    """The installed command, started as its user starts it. Acts by keys and clicks only; looks
    through `--inspect`.
    """

    def __init__(self, screen, home, *words, new=False, **env):
        self.screen, self.home = screen, Path(home)
        self._path = self.home / "inspect.socket"
        self._path.unlink(missing_ok=True)
        folders = {f"XDG_{n}_HOME": str(self.home / n.lower()) for n in ("DATA", "CONFIG", "CACHE")}
        self.said = self.home / "said.txt"
        self._kept = Path(folders["XDG_CONFIG_HOME"]) / "sparring" / "sparring.conf"
        if not new and not self._kept.exists():  # who has been here before is offered no tour
            self._kept.parent.mkdir(parents=True)
            self._kept.write_text("[General]\ntour-offered=true\n", encoding="utf-8")
        self._begun_with = None if new else self._settings()
        self._process = subprocess.Popen(
            [str(COMMAND), *words, "--inspect", str(self._path)],
            env={**screen.env, "HOME": str(self.home), **folders, **env},
            stdout=self.said.open("w"),
            stderr=subprocess.STDOUT,
            cwd=self.home,
            start_new_session=True,
        )
        self._link, self._set_up = None, None
        self.until(self._connected, "the window opens")
        self.until(lambda: self.state()["logbook"], "the logbook opens")
        self.until(lambda: len(self.state()["pages_made"]) == 7, "all pages are made")
        windows = screen.xdo("search", "--onlyvisible", "--pid", self._process.pid).split()
        self.window = windows[-1]
        screen.xdo("windowactivate", "--sync", self.window)
        screen.xdo("windowsize", "--sync", self.window, *screen.size)
        screen.xdo("windowmove", self.window, 0, 0)
        self.rest()

    def is_as_begun(self):
        """Whether it is as it was when it was started, but for its logbook and its page."""
        if self._process.poll() is not None:
            return False
        state = self.state()
        at_rest = not (state["dialog"] or state["popup"] or state["busy"])
        return at_rest and state["bench"] == "off" and self._settings() == self._begun_with

    def is_set_as_begun(self):
        """Whether tabs, panels and switches stand as when this was first asked."""
        now = self.ask("set")
        first = self._set_up = self._set_up or now
        return now == first

    def let_go(self):
        """Disconnects the bench as a tester does; whether it could be."""
        if self._process.poll() is not None:
            return False
        state = self.state()
        if state["bench"] != "off" and not (state["dialog"] or state["popup"]):
            self.menu("Bench", "Disconnect")
            self.until(lambda: self.state()["bench"] == "off", "the bench is let go")
        return True

    def _settings(self):
        lines = self._kept.read_text(encoding="utf-8").splitlines()
        # how wide the panels of a page were left is no matter for the next test
        return sorted(line for line in lines if "=" in line and "=@ByteArray" not in line)

    def open_logbook(self, folder):
        """Opens another logbook by its key, at Build."""
        self.key("ctrl+o")
        self.file_dialog(folder)
        self.until(lambda: self.state()["logbook"] == str(folder), "it is opened")
        self.rest()
        self.page("Build")

    def close(self):
        """Ends it whatever it does."""
        if self._link is not None:
            self._link.close()
        with contextlib.suppress(ProcessLookupError):
            os.killpg(self._process.pid, signal.SIGTERM)
        try:
            self._process.wait(20)
        except subprocess.TimeoutExpired:
            os.killpg(self._process.pid, signal.SIGKILL)
            self._process.wait(20)

    def signal(self, number):
        os.kill(self._process.pid, number)

    def status(self):
        """Waits until it has ended by itself; its exit status."""
        return self._process.wait(PATIENCE)

    # --- looking ----------------------------------------------------------------------------------

    def _connected(self):
        assert self._process.poll() is None, f"it ended: {self.said.read_text()}"
        link = socket.socket(socket.AF_UNIX)
        try:
            link.connect(str(self._path))
        except OSError:
            link.close()
            return False
        link.settimeout(PATIENCE)
        self._link = link.makefile("rwb")
        return True

    def ask(self, what, **more):
        self._link.write(json.dumps({"ask": what, **more}).encode() + b"\n")
        self._link.flush()
        try:
            line = self._link.readline()
        except TimeoutError as err:
            raise AssertionError(f"no answer to {what}: {self.said.read_text()[-3000:]}") from err
        assert line, f"it ended: {self.said.read_text()}"
        return json.loads(line)

    def state(self):
        return self.ask("state")

    def widgets(self, name=None, kind=None):
        """What can be seen, foremost window first; by name (whole, or its beginning) and class."""
        seen = [w for w in self.ask("widgets") if kind is None or w["class"] == kind]
        if name is None:
            return seen
        # a field goes before the label beside it
        seen.sort(key=lambda w: w["class"] in ("Label", "QLabel"))
        return [w for w in seen if w["name"] == name] or [
            w for w in seen if w["name"].startswith(name)
        ]

    def widget(self, name, kind=None):
        return self._where(
            lambda: next(iter(self.widgets(name, kind)), None),
            f"{kind or 'something'} named {name!r} is shown",
        )

    def text(self, name, kind=None):
        return self.widget(name, kind).get("text", "")

    def until(self, condition, what, seconds=PATIENCE):
        """Waits for something that stays so. Fails with what is on the screen."""
        self._poll(condition, what, seconds)
        time.sleep(SLOWED)

    def _poll(self, condition, what, seconds=PATIENCE):
        end = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > end:
                state = self.ask("state") if self._link else {}
                picture = self.home / "failed.png"
                if self._link:
                    self.picture(picture)
                raise AssertionError(
                    f"not within {seconds:.0f} s: {what}. {state}. Picture: {picture}. Said:"
                    f" {self.said.read_text()[-1500:]}"
                )
            time.sleep(0.03)

    def rest(self):
        """Waits until nothing is under way."""
        self._poll(lambda: not self.state()["busy"], "it comes to rest")

    def picture(self, file):
        """The whole screen as the X server has it."""
        assert self.ask("picture", file=str(file))["kept"]
        return Path(file)

    def rows(self, sql, *values):
        """What the logbook on disk holds."""
        with contextlib.closing(
            sqlite3.connect(f"file:{self.state()['logbook']}/logbook.sqlite?mode=ro", uri=True)
        ) as book:
            return book.execute(sql, values).fetchall()

    def record(self, kind, name):
        """The newest record of a build or rig of that name, as the logbook's file text says it."""
        found = [
            json.loads(text) for (text,) in self.rows(f"SELECT record FROM {kind}s ORDER BY id")
        ]
        return next(
            r
            for r in reversed(found)
            if name in (r.get("name"), f"{r.get('family')} r{r.get('revision')}")
        )

    # --- acting -----------------------------------------------------------------------------------

    def _awake(self):
        """Waits until the window manager has given the keyboard to one of its windows."""
        self._poll(self._has_keys, "it has the keyboard")

    def _has_keys(self):
        """Whether X server and program agree on the window that keys go to, and it is the dialog
        where one is open: one that has just been shown gets them a moment later."""
        done = subprocess.run(
            ["xdotool", "getwindowfocus"],
            env=self.screen.env,
            capture_output=True,
            text=True,
            timeout=PATIENCE,
        )
        state = self.state()
        if state["dialog"] and state["active"] != state["dialog"] and not state["popup"]:
            return False
        return state["popup"] or done.stdout.strip() == str(state["keys_to"])

    def key(self, *keys):
        self._awake()
        self.screen.xdo("key", "--delay", 20, *keys)
        self.rest()

    def type(self, text):
        self._awake()
        self.screen.xdo("type", "--delay", 12, "--", text)
        self.rest()

    def enter(self, text, key="Return"):
        """Types over what is in the field that has the keyboard, and takes it."""
        self.key("ctrl+a")
        self.type(text)
        self.key(key)

    def tab_to(self, name, key="Tab", most=120):
        """Tab, until the widget whose name begins so has the keyboard."""
        for _ in range(most):
            if self.state()["focus"].startswith(name):
                return
            self.key(key)
        raise AssertionError(f"Tab does not come to {name}")

    def field(self, name):
        """The keyboard to a field of Build, by the box that finds it."""
        self.key("ctrl+shift+f")
        self.until(lambda: self.state()["focus"] == "Find a field", "the box has the keyboard")
        self.type(name)
        self.key("Return")
        self.until(lambda: self.state()["focus"] == name, f"{name} has the keyboard")

    def click_at(self, place, button=1, times=1):
        x, y = place[0] + place[2] // 2, place[1] + place[3] // 2
        self.screen.xdo("mousemove", x, y, "click", "--repeat", times, "--delay", 60, button)
        self.rest()

    def click(self, name, kind=None, **how):
        found = self.widget(name, kind)
        assert found["enabled"], f"{name} is not enabled"
        self.click_at(found["at"], **how)

    def press(self, text):
        """Clicks a button by what is written on it."""
        self.click_at(
            self._where(
                lambda: next((w["at"] for w in self.buttons(text) if w["enabled"]), None),
                f"{text!r} can be pressed",
            )
        )

    def buttons(self, text):
        return [
            w
            for w in self.ask("widgets")
            if "checked" in w and w["text"].replace("&", "").startswith(text)
        ]

    def _where(self, find, what):
        """Where something is, once it has stopped moving: a list may just be filled anew."""
        seen = []

        def still():
            seen.append(find())
            return seen[-1] is not None and len(seen) > 1 and seen[-1] == seen[-2]

        self._poll(still, what)
        return seen[-1]

    def item(self, view, text, **how):
        """Clicks an entry of a list, tree or table."""
        turns = itertools.cycle([5] * 8 + [4] * 8)

        def find():
            views = self.widgets(view)
            found = [
                place
                for w in views
                for t, place in w.get("items", {}).items()
                if t == text or t.startswith(text)
            ]
            if not found and views:  # further down, or up
                x, y, width, height = views[0]["at"]
                self.screen.xdo(
                    "mousemove",
                    x + width // 2,
                    y + height // 2,
                    "click",
                    "--repeat",
                    2,
                    next(turns),
                )
            return found[0] if found else None

        self.click_at(self._where(find, f"{text!r} is in {view!r}"), **how)

    def place(self, kind, name, **how):
        """Clicks a thing that a widget paints by itself."""

        def find():
            return next(
                (w["places"][name] for w in self.widgets(kind=kind) if name in w.get("places", {})),
                None,
            )

        self.click_at(self._where(find, f"{name!r} is in {kind}"), **how)

    def tab(self, text):
        self.until(
            lambda: any(text in w.get("tabs", {}) for w in self.ask("widgets")),
            f"a tab {text!r} is shown",
        )
        self.click_at(
            next(w["tabs"][text] for w in self.ask("widgets") if text in w.get("tabs", {}))
        )

    def choose(self, combo, entry):
        """Picks an entry of a drop-down list with the keyboard."""
        box = self.widget(combo)
        self.click_at(box["at"])
        names = box["entries"]
        now, wanted = (
            names.index(box["text"]),
            next(i for i, n in enumerate(names) if n == entry or n.startswith(entry)),
        )
        self.until(lambda: self.state()["popup"], f"the list of {combo} opens")
        self.key(*(["Down" if wanted > now else "Up"] * abs(wanted - now)), "Return")

    def menu(self, head, text):
        """Opens a menu by mouse and clicks an entry."""
        first, *within = head.split(" ▸ ")
        self.menu_head(first)
        for step in (*within, text):
            self.item_of_menu(step)

    def item_of_menu(self, text, kind="QMenu"):
        """Clicks an entry of the menu that is open."""
        entries = {}

        def there():
            entries.update(
                (t, place)
                for w in self.widgets(kind=kind)
                for t, place in w.get("items", {}).items()
                if t.startswith(text)
            )
            return entries

        self.until(there, f"{text!r} is in the menu and can be chosen")
        self.click_at(next(iter(entries.values())))

    def menu_head(self, head):
        self.place("QMenuBar", head)
        self.until(lambda: self.state()["menu_open"], f"the menu {head} opens")

    def page(self, name):
        self.key(
            f"alt+{('Build', 'Rig', 'Plan', 'Run', 'Results', 'Wear', 'Compare').index(name) + 1}"
        )
        self.until(lambda: self.state()["page"] == name, f"{name} is shown")

    def file_dialog(self, path):
        """Gives a path to the file dialog that is open."""
        self.until(lambda: self.widgets("fileNameEdit"), "a file dialog is open")
        self.enter(str(path))
        self.until(lambda: not self.widgets("fileNameEdit"), "the file dialog closes")
        self.rest()


def space(demo, what):
    """Presses Space when it would do `what`."""
    demo.until(
        lambda: any(
            b["enabled"] and b["text"].startswith(what) for b in demo.widgets(kind="KeyButton")
        ),
        f"Space would {what}",
    )
    demo.key("space")


def home_with_demo(made, target):
    """A home in which `sparring demo` was started before."""
    return copied(made, target)
