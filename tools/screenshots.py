"""Takes the pictures of the main views from the demo data: the installed command on a virtual X
screen, driven by keys and clicks.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

TESTS = Path(__file__).parent.parent / "tests"
sys.path[:0] = [str(TESTS), str(TESTS / "journeys")]

from desktop import COMMAND, Program, Screen
from PIL import Image


class Pictures:
    """The program and where its pictures go. `only`: their names; empty: all."""

    def __init__(self, program: Program, out: Path, only: set[str]) -> None:
        self.p, self.out, self.only = program, out, only

    def wanted(self, *names: str) -> bool:
        return not self.only or bool(self.only & set(names))

    def shot(self, name: str, *, at_once: bool = False) -> None:
        if self.wanted(name):
            self.p.screen.xdo("mousemove", 640, 4)  # no crosshair, no tip
            if not at_once:
                self.p.until(lambda: not self.p.state()["message"], "messages are gone")
                self.p.rest()
            print(small(self.p.picture(self.out / f"{name}.png")))

    def dark(self, name: str, *, at_once: bool = False) -> None:
        """A picture by night."""
        if self.wanted(name):
            self.p.key("ctrl+d")
            self.shot(name, at_once=at_once)
            self.p.key("ctrl+d")

    def choose(self, title: str, name: str) -> None:
        self.p.item("Builds and tests", title)
        self.p.until(
            lambda: self.p.state()["build"] == name and not self.p.state()["busy"],
            f"{name} is on the desk",
        )

    def next(self, what: str) -> None:
        """Presses Space once Run says so."""
        self.p.until(
            lambda: any(
                b["enabled"] and what in b["text"] for b in self.p.widgets(kind="KeyButton")
            ),
            f"Space would {what}",
        )
        self.p.key("space")


def small(picture: Path) -> Path:
    """In 128 colours, a third of the bytes: a screen has few, and the wheel holds them all."""
    with Image.open(picture) as whole:
        few = whole.convert("RGB").quantize(128, dither=Image.Dither.NONE)
    few.save(picture, optimize=True)
    return picture


def builds(t: Pictures) -> None:
    p = t.p
    t.choose("r1 POM, dry", "Dunnock r1")
    p.page("Build")
    t.shot("build")


def results(t: Pictures) -> None:
    p = t.p
    t.choose("r1 POM, dry", "Dunnock r1")
    p.page("Results")
    p.click_at(next(w for w in p.widgets(kind="_Card") if "drop" in w["name"].casefold())["at"])
    t.shot("results")
    p.tab("Uncertainty")
    p.tab("Points")


def rigs(t: Pictures) -> None:
    p = t.p
    t.choose("r3 brass", "Dunnock r3")
    p.page("Rig")
    t.shot("rig")
    for method, picture, tab in (("Lever", "rig-lever", "Checks"),):
        if t.wanted(picture):
            p.choose("Method", method)
            p.tab(tab)
            t.shot(picture)
    if t.wanted("rig-calibration"):
        p.choose("Method", "Brake")
        p.tab("Masses")
        for row, (name, mass) in enumerate(
            (
                ("block 1", "0.5 kg +- 0.2 g"),
                ("block 2", "1 kg +- 0.2 g"),
                ("block 3", "2 kg +- 0.4 g"),
            )
        ):
            for column, text in enumerate((name, mass)):
                p.item("Masses on the shelf", f"[{row}, {column}]", times=2)
                p.enter(text)
        p.key("ctrl+b")
        p.until(
            lambda: p.state()["bench"] == "ready" and p.state()["samples"] > 100, "the bench sends"
        )
        p.page("Rig")
        p.tab("Sensors")
        p.press("Guide")
        p.until(
            lambda: any("6 of 7" in w["text"] for w in p.widgets(kind="Label")),
            "the guide is nearly through",
            240,
        )
        t.shot("rig-calibration")
        p.menu("Bench", "Disconnect")
    p.tab("Limits")


def plans(t: Pictures) -> None:
    p = t.p
    if not t.wanted("plan", "plan-campaign"):
        return
    t.choose("r2 POM, greased", "Dunnock r2")
    p.key("ctrl+t")
    p.page("Plan")
    p.key("ctrl+l", "ctrl+a")
    p.enter("loads 0.5...2.5 kg in 5, at 6, 9, 12 V, 3 times, shuffled (seed 7)")
    p.until(lambda: p.widgets("Plan: 15 steps × 3"), "it is laid out")
    p.place("PlanChart", "step 3")
    t.shot("plan")
    p.key("ctrl+k")
    p.until(lambda: any("Reference:" in w["text"] for w in p.widgets(kind="Label")), "it is drawn")
    t.shot("plan-campaign")
    p.key("ctrl+k", "ctrl+z")
    p.until(lambda: not p.widgets("Plan: 15 steps × 3"), "the plan is as it was")


def run(t: Pictures) -> None:
    p = t.p
    if not t.wanted("run"):
        return
    t.choose("r2 POM, greased", "Dunnock r2")
    p.key("ctrl+t")
    p.page("Run")
    t.next("Connect the simulated bench")
    t.next("Tare")
    t.next("Hang 0.50 kg")
    for n in (1, 2):
        p.until(lambda n=n: p.state()["runs"] == n and p.state()["has_result"], "the lift is kept")
        t.next("Lift 0.50 kg again")
        if n == 1:
            p.until(lambda: p.state()["bench"] == "lifting", "it lifts")
            p.key("m")
            p.until(lambda: p.buttons("1 click heard"), "it asks for a word")
            p.key("1")
    p.until(
        lambda: (
            p.state()["bench"] == "ready" and p.state()["runs"] == 3 and not p.state()["message"]
        ),
        "the third is kept",
    )
    p.click("2.75 kg", "LadderRow")
    t.next("Hang 2.75 kg")
    p.until(lambda: p.state()["moving"], "it has moved for two seconds")
    t.shot("run", at_once=True)
    p.key("Escape")
    p.menu("Bench", "Disconnect")


def events(t: Pictures) -> None:
    """A jam that a limit ends, by night; a skip, in its recording."""
    p = t.p
    if not t.wanted("run-dark", "results-recording"):
        return
    t.choose("r2 POM, greased", "Dunnock r2")

    def limit(current: str) -> None:
        p.page("Rig")
        p.click("Current", "QuantityField")
        p.enter(current)
        p.page("Run")

    p.key("ctrl+t")
    p.page("Run")
    for n, (what, weight) in enumerate((("Skip", "1.25 kg"), ("Jam", "1.25 kg")), start=1):
        if what == "Jam":
            limit("1.5 A")
        p.menu("Bench ▸ Rehearse an event", what)
        t.next("Tare")
        p.until(lambda: p.state()["tared"], "it is tared")
        p.click(weight, "LadderRow")
        t.next(weight)
        p.until(lambda n=n: p.state()["runs"] == n, "the run is kept")
        if what == "Jam":
            t.dark("run-dark", at_once=True)
        else:
            p.until(lambda: p.state()["has_result"], "it is reduced")
            p.page("Results")
            shown = next(w["places"] for w in p.widgets(kind="TorqueKind"))
            p.place("TorqueKind", next(name for name in shown if name.startswith("gearbox")))
            t.shot("results-recording")
            p.page("Run")
    limit("3 A")
    p.menu("Bench", "Disconnect")


def life(t: Pictures) -> None:
    if not t.wanted("life"):
        return
    t.choose("r1 belt", "Knot r1")
    t.p.page("Run")
    t.p.until(lambda: t.p.widgets("Cycles 900"), "it is read")
    t.shot("life")


def by_eye(t: Pictures) -> None:
    p = t.p
    if not t.wanted("run-by-eye"):
        return
    t.choose("r2 POM, greased", "Dunnock r2")
    p.key("ctrl+t")
    p.page("Run")
    p.key("ctrl+y")
    for figures in (("1586 deg", "2.05", "12.02", "0.34"), ("1570 deg", "2.02", "12.01", "0.35")):
        p.until(lambda: p.state()["focus"] == "Turned", "the next lift is waited for")
        for figure in figures:
            p.enter(figure)
    p.until(lambda: p.state()["runs"] == 2 and p.state()["has_result"], "two are kept")
    p.enter("1580 deg")
    p.until(lambda: p.state()["focus"] == "Time", "the time is next")
    t.shot("run-by-eye")
    p.key("ctrl+y")


def readings(t: Pictures) -> None:
    p = t.p
    if t.wanted("by-hand"):
        p.key("ctrl+h")
        p.until(lambda: p.state()["dialog"] == "Part measurements", "it opens")
        for repeat in (
            ("12.00 V +- 0.02 V", "4450 rpm +- 20 rpm", "0.110 A +- 2 mA", ""),
            ("6.00 V +- 0.02 V", "2180 rpm +- 15 rpm", "0.104 A +- 2 mA", ""),
            ("4.00 V +- 0.02 V", "0 rpm", "0.640 A +- 5 mA", ""),
        ):
            for text in repeat:
                p.type(text) if text else None
                p.key("Return")
        t.shot("by-hand")
        p.key("Escape")


KINDS = (  # of charts of Results, each of the test that it has most to show of
    ("torque", "r1 12 V", "Bought r1"),
    ("map", "r1 12 V", "Bought r1"),
    ("losses", "r1 12 V", "Bought r1"),
    ("orders", "logged fast", "Wren r2"),
    ("temperature", "r3 brass", "Dunnock r3"),
    ("repeats", "r3 brass", "Dunnock r3"),
)


def kinds(t: Pictures) -> None:
    """All kinds of charts of Results on one sheet."""
    p = t.p
    for name in ("results-kinds",):
        if not t.wanted(name):
            continue
        p.page("Results")
        cells, before = [], 0
        for n, (kind, title, build) in enumerate(KINDS):
            choose_test(t, title, build)
            if n > before:
                p.key("ctrl+Next")
            before = n
            p.until(lambda: not p.state()["busy"], f"{kind} is drawn")
            p.screen.xdo("mousemove", 640, 4)
            p.rest()
            with tempfile.TemporaryDirectory() as folder:
                path = p.picture(Path(folder) / "one.png")
                cells.append(Image.open(path).convert("RGB").crop((176, 212, 1052, 532)))
        p.key("ctrl+Next")
        wide, high = cells[0].size
        whole = Image.new("RGB", (2 * wide, 3 * high))
        for n, cell in enumerate(cells):
            whole.paste(cell, (n % 2 * wide, n // 2 * high))
        whole.save(t.out / f"{name}.png")
        small(t.out / f"{name}.png")
        print(t.out / f"{name}.png")
        p.key("ctrl+f", "ctrl+a", "Delete")


def wear(t: Pictures) -> None:
    """A drive that was opened, by day; its photo and its lives by night."""
    p = t.p
    if not t.wanted("wear", "wear-dark"):
        return
    t.choose("r1 POM, dry", "Dunnock r1")
    p.page("Wear")
    p.choose("Part", "stage 2 pinion")
    p.until(lambda: p.widgets("Wear of each flank"), "its wear is worked out")
    p.until(lambda: not p.state()["busy"], "all is drawn")
    t.shot("wear")
    p.tab("Lives")
    p.until(lambda: p.widgets("Weibull plot of the lives"), "the lives are drawn")
    t.dark("wear-dark")


def compare(t: Pictures) -> None:
    """The builds of one family side by side; the other tabs on one sheet."""
    from PIL import Image

    p = t.p
    if not t.wanted("compare", "compare-kinds"):
        return
    t.choose("r1 POM, dry", "Dunnock r1")
    p.page("Compare")
    p.until(lambda: len(p.widgets("Figures of the builds")) == 1, "they are compared")
    p.key("ctrl+f")
    p.enter("family = Dunnock or family = Wren")
    p.press("Compare all found")
    p.until(lambda: not p.state()["busy"], "all is drawn")
    p.key("ctrl+f", "ctrl+a", "Delete")
    p.choose("Against", "Dunnock r1")
    p.until(lambda: not p.state()["busy"], "they are held against it")
    t.shot("compare")
    if not t.wanted("compare-kinds"):
        return
    cells = []
    for n in (2, 3, 4, 5):
        p.key(f"ctrl+shift+{n}")
        p.rest()
        p.until(lambda: not p.state()["busy"], "all is worked out")
        p.screen.xdo("mousemove", 640, 4)
        p.rest()
        with tempfile.TemporaryDirectory() as folder:
            path = p.picture(Path(folder) / "one.png")
            cells.append(Image.open(path).convert("RGB").crop((176, 142, 1052, 746)))
    p.key("ctrl+shift+1")
    wide, high = cells[0].size
    whole = Image.new("RGB", (2 * wide, 2 * high))
    for n, cell in enumerate(cells):
        whole.paste(cell, (n % 2 * wide, n // 2 * high))
    whole.save(t.out / "compare-kinds.png")
    print(small(t.out / "compare-kinds.png"))


def choose_test(t: Pictures, title: str, build: str) -> None:
    """A test by what the logbook's search finds of it."""
    p = t.p
    p.key("ctrl+f")
    p.enter(title)
    p.until(
        lambda: any(
            text.startswith("r")
            for w in p.widgets("Builds and tests")
            for text in w.get("items", {})
        ),
        "it is found",
    )
    t.choose(f"r{build[-1]}", build)


def guide(t: Pictures) -> None:
    """On a wider screen: the guide stands beside the window."""
    p = t.p
    if not t.wanted("guide"):
        return
    t.choose("r1 POM, dry", "Dunnock r1")
    p.page("Results")
    card = next(w for w in p.widgets(kind="_Card") if "drop" in w["name"].casefold())
    p.click_at(card["at"])
    p.press("More in the guide")
    p.until(lambda: p.widgets("Chapters"), "it opens")
    t.shot("guide")


def main(out: Path, only: set[str], size: tuple[int, int], env: dict[str, str]) -> None:
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as home:
        made = {**os.environ, "HOME": home, "XDG_DATA_HOME": f"{home}/data"}
        subprocess.run(
            [str(COMMAND), "demo", "--no-window"], env=made, check=True, capture_output=True
        )
        rooms = (
            (
                size,
                (
                    builds,
                    results,
                    wear,
                    compare,
                    kinds,
                    rigs,
                    plans,
                    run,
                    events,
                    by_eye,
                    life,
                    readings,
                ),
            ),
            ((1840, 800), (guide,)),
        )
        for room, parts in rooms:
            screen = Screen(room)
            program = Program(screen, home, "demo", **env)
            screen.xdo("windowsize", "--sync", program.window, *size)
            try:
                for part in parts:
                    part(Pictures(program, out, only))
            finally:
                program.close()
                screen.close()


if __name__ == "__main__":
    words = sys.argv[2:]
    dims = next(
        (tuple(map(int, w.split("x"))) for w in words if w[0].isdigit() and "x" in w), (1280, 800)
    )
    given = dict(w.split("=", 1) for w in words if "=" in w)
    main(
        Path(sys.argv[1]).resolve(),
        {w for w in words if "=" not in w and not w[0].isdigit()},
        dims,
        given,
    )
