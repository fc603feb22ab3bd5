"""Takes the pictures of the main views from the demo data: the installed command on a virtual X
screen, driven by keys and clicks.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "journeys"))

from desktop import COMMAND, Program, Screen

_LINE = "{};{:.1f};{:.2f};{};1.50;ok\n"
LOG = "Time (ms);RPM out;Bus voltage (V);Current (mA);Load (kg);Note\n" + "".join(
    _LINE.format(i * 12, 118.2 + i % 3 * 0.4, 12.01 - i % 2 * 0.01, 802 + i % 5).replace(".", ",")
    for i in range(40)
)


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
            print(self.p.picture(self.out / f"{name}.png"))

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


def builds(t: Pictures) -> None:
    p = t.p
    t.choose("r1 POM, dry", "Dunnock r1")
    p.page("Build")
    t.shot("build")
    if t.wanted("build-eight"):
        t.choose("r8 eight stages", "Dunnock r8")
        t.shot("build-eight")
    for title, name, picture, part, tab in (
        ("r1 split ring", "Curlew r1", "build-split-ring", "stage 1 sun", "Shafts"),
    ):
        if t.wanted(picture):
            t.choose(title, name)
            places = next(w["places"] for w in p.widgets(kind="TrainView"))
            p.place("TrainView", part if part in places else sorted(places)[-1])
            p.tab(tab)
            t.shot(picture)
    p.tab("Shafts")


def take_apart(t: Pictures) -> None:
    p = t.p
    if not t.wanted("take-apart"):
        return
    t.choose("r2 POM, greased", "Dunnock r2")
    p.press("Gear")
    p.item_of_menu("Module from calipers")
    p.until(lambda: "Module" in p.state()["dialog"], "it opens")
    p.key("ctrl+a")
    p.type("14.41 mm +- 0.05 mm, 16")
    p.key("Return")
    p.type("39.97 mm +- 0.05 mm, 48")
    t.shot("take-apart")
    p.key("Escape")


def results(t: Pictures) -> None:
    p = t.p
    t.choose("r1 POM, dry", "Dunnock r1")
    p.page("Results")
    p.click_at(next(w for w in p.widgets(kind="_Card") if "drop" in w["name"].casefold())["at"])
    t.shot("results")
    p.place("Charts", "gearbox 4")
    t.shot("results-recording")
    p.tab("Uncertainty")
    p.tab("Points")


def rigs(t: Pictures) -> None:
    p = t.p
    t.choose("r3 brass", "Dunnock r3")
    p.page("Rig")
    t.shot("rig")
    if t.wanted("correction"):
        p.click("Drum radius (check)")
        p.enter("25 mm")
        t.shot("correction")
        p.key("Escape")
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
    if not t.wanted("plan", "plan-campaign", "first-power"):
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
    p.key("ctrl+k")
    if t.wanted("first-power"):
        t.choose("r1 split ring", "Curlew r1")
        p.page("Run")
        t.next("Connect the simulated bench")
        t.next("Tare")
        t.next("First power")
        p.until(
            lambda: any("turned the right" in b["text"] for b in p.widgets(kind="KeyButton")),
            "it has turned",
        )
        t.shot("first-power")
        p.menu("Bench", "Disconnect")


def run(t: Pictures) -> None:
    p = t.p
    if not t.wanted("run", "run-dark"):
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
            p.until(lambda: p.state()["dialog"] == "Mark", "it asks for a word")
            p.key("Return")
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
    t.dark("run-dark", at_once=True)
    p.key("Escape")
    p.menu("Bench", "Disconnect")


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
    if t.wanted("import"):
        log = Path(tempfile.mkdtemp()) / "bench-log.csv"
        log.write_text(LOG, encoding="utf-8")
        p.key("ctrl+i")
        p.file_dialog(log)
        p.until(lambda: p.state()["dialog"].startswith("Import"), "it opens")
        t.shot("import")
        p.key("Escape")


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


def eight_stages(folder: Path) -> None:
    """A revision of the demo's Dunnock with many stages, beside the demo's own."""
    from sparring.core.records import changed
    from sparring.demo import hollin_yard
    from sparring.logbook import Logbook

    build = hollin_yard.dunnock(2)
    teeth = ((12, 24), (14, 28), (15, 30), (14, 21), (16, 24), (12, 18), (14, 21), (15, 20))
    one = build.stages[0]
    stages = tuple(changed(changed(one, ("pinion",), p), ("wheel",), w) for p, w in teeth)
    with Logbook(folder) as book:
        made = build.model_copy(update={"stages": stages, "revision": 8, "title": "eight stages"})
        book.save_build(made)


def main(out: Path, only: set[str], size: tuple[int, int], env: dict[str, str]) -> None:
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as home:
        made = {**os.environ, "HOME": home, "XDG_DATA_HOME": f"{home}/data"}
        subprocess.run(
            [str(COMMAND), "demo", "--no-window"], env=made, check=True, capture_output=True
        )
        eight_stages(Path(home) / "data" / "sparring" / "demo")
        rooms = (
            (size, (builds, take_apart, results, rigs, plans, run, by_eye, readings)),
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
