"""Takes the pictures of the main views from the demo data."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_config = tempfile.mkdtemp()
os.environ["XDG_CONFIG_HOME"] = _config

from sparring.core.quantity import Measured
from sparring.core.rig import Brake, Lever, RunUp, Weight
from sparring.demo import make_logbook
from sparring.ui import background
from sparring.ui.application import application
from sparring.ui.shell import MainWindow


def settle(app, until=lambda: True, most=20.0):
    """Lets the window work until `until` holds and nothing is pending."""
    end = time.monotonic() + most
    while time.monotonic() < end:
        app.processEvents()
        time.sleep(0.01)
        if until() and not background.busy():
            break
    for _ in range(5):
        app.processEvents()


def live(app, window, seconds):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        app.processEvents()
        time.sleep(0.005)


def main(out: Path, only: set[str], size: tuple[int, int]) -> None:
    import shutil

    out.mkdir(parents=True, exist_ok=True)
    cached = Path(tempfile.gettempdir()) / "sparring-demo-for-pictures"
    make_logbook(cached)
    folder = Path(tempfile.mkdtemp()) / "demo"
    shutil.copytree(cached, folder)
    app = application()
    window = MainWindow()
    window.resize(*size)
    window.show()
    window.desk.open(folder)
    settle(app, lambda: window.desk.book is not None)
    ids = {b.name: i for i, b in window.desk.book.builds()}

    def shot(name: str) -> None:
        if only and name not in only:
            return
        settle(app, most=1.0)
        window.grab().save(str(out / f"{name}.png"))
        print(out / f"{name}.png")

    def wanted(*names: str) -> bool:
        return not only or bool(only & set(names))

    window.desk.choose_build(ids["Dunnock r1"])
    settle(app, lambda: window.desk.result is not None)
    window.message.hide()
    window.go("Build")
    shot("build")
    for name, picture, stage in (
        ("Wren r1", "build-planetary", 1),
        ("Curlew r1", "build-split-ring", 0),
        ("Plover r1", "build-cycloid", 1),
    ):
        if wanted(picture):
            window.desk.choose_build(ids[name])
            settle(app, most=1.0)
            window.build_page.gears.pick(stage)
            window.build_page.tables.tabs.setCurrentIndex(1 if stage else 0)
            window.message.hide()
            if picture == "build-cycloid":
                window.set_dark(True)
            shot(picture)
            window.set_dark(False)
    window.desk.choose_build(ids["Dunnock r1"])
    settle(app, lambda: window.desk.result is not None)
    window.go("Rig")
    shot("rig")
    if wanted("rig-lever", "rig-run-up", "rig-calibration"):
        window.desk.new_test()
        window.go("Rig")
        page = window.rig_page
        page._copy()
        window.desk.edit("rig", ("name",), "Bench C")
        page.choose_method(Lever)
        settle(app, most=0.5)
        window.message.hide()
        shot("rig-lever")
        page.choose_method(RunUp)
        page.tabs.setCurrentIndex(3)
        window.message.hide()
        window.set_dark(True)
        shot("rig-run-up")
        window.set_dark(False)
        page.choose_method(Brake)
        shelf = tuple(Weight(name=f"block {n}", mass=Measured(m, 2e-4)) for n, m in enumerate((0.5, 1.0, 2.0), start=1))
        window.desk.edit("rig", ("shelf",), shelf)
        s = window.session
        s.simulate(window.desk.build, window.desk.rig, speed=4.0)
        settle(app, lambda: s.state == "ready" and s.ring is not None and s.ring.count > 90)
        page.tabs.setCurrentIndex(1)
        settle(app, lambda: page.sensors.panel("calibration").guide.isEnabled())
        page.sensors.panel("calibration").guide.click()
        settle(app, lambda: len(page.sensors.panel("calibration").fresh) >= 5, 40)
        window.message.hide()
        shot("rig-calibration")
        page.sensors.panel("calibration").guide.setChecked(False)
        s.disconnect_bench()
        page.tabs.setCurrentIndex(0)
        window.desk.choose_build(ids["Dunnock r1"])
        settle(app, lambda: window.desk.result is not None)
    window.go("Results")
    window.desk.select(4, 0)
    cards = window.findings.cards()
    if cards:
        cards[0].open(True)
    shot("results")
    window.results_page.tabs.setCurrentIndex(1)
    shot("results-recording")
    window.results_page.tabs.setCurrentIndex(2)
    window.set_dark(True)
    shot("results-dark")
    window.go("Build")
    shot("build-dark")
    window.set_dark(False)
    if wanted("run", "run-dark"):
        window.desk.choose_build(ids["Dunnock r2"])
        window.desk.new_test()
        window.go("Run")
        s = window.session
        s.simulate(window.desk.build, window.desk.rig)
        settle(app, lambda: s.state == "ready" and s.ring is not None and s.ring.count > 90)
        window.run_page.do_next()
        settle(app, lambda: s.tare is not None)
        for n in range(3):
            settle(app, lambda: s.state == "ready")
            window.run_page.do_next()
            if n == 1:
                live(app, window, 2.0)
                s.mark("click heard")
            if n < 2:
                settle(app, lambda: s.state == "ready", 20)
                settle(app, lambda: window.desk.result is not None)
        live(app, window, 2.5)
        window.message.hide()
        shot("run")
        window.set_dark(True)
        shot("run-dark")
        window.set_dark(False)
    if wanted("take-apart"):
        from PyQt6.QtGui import QPainter, QPixmap

        from sparring.ui.take_apart import CaliperDialog, CountDialog, FitDialog, RatioDialog

        window.desk.choose_build(ids["Dunnock r2"])
        settle(app, lambda: window.desk.result is not None)
        chosen = (0, "wheel")
        count, calipers, ratio, fitting = (k(window.desk, chosen, window) for k in (CountDialog, CaliperDialog, RatioDialog, FitDialog))
        count.pad.count = 47
        calipers.readings.setPlainText("14.41 mm ± 0.05 mm, 16\n39.97 mm ± 0.05 mm, 48")
        ratio.turns_in.setText("60")
        ratio.turns_out.setText("2")
        ratio.known.setText("12/60 ?/84")
        picture = QPixmap(1280, 880)
        picture.fill()
        painter = QPainter(picture)
        for n, dialog in enumerate((count, calipers, ratio, fitting)):
            dialog.resize(632, 432)
            dialog.show()
            settle(app, most=0.3)
            painter.drawPixmap((n % 2) * 648, (n // 2) * 448, dialog.grab())
            dialog.close()
        painter.end()
        picture.save(str(out / "take-apart.png"))
    if wanted("by-hand"):
        from sparring.core.readings import METHODS
        from sparring.core.readings.drawbar import Drawbar

        window.errands.readings()
        dialog = window.errands.dialog
        dialog.choice.setCurrentIndex(METHODS.index(Drawbar))
        dialog.grid.set_texts([["12.1 ± 0.2 N", "", "19 N", "0 kg"], ["16.0 ± 0.2 N", "", "", "1 kg"], ["20.2 ± 0.2 N", "", "", "2 kg"]])
        dialog.resize(980, 640)
        settle(app, most=0.5)
        dialog.grab().save(str(out / "by-hand.png"))
        dialog.close()
    if wanted("readings-recorded"):
        from sparring.core.readings import METHODS
        from sparring.core.readings.windup import WindUp

        window.errands.readings()
        dialog = window.errands.dialog
        dialog.choice.setCurrentIndex(METHODS.index(WindUp))
        dialog.recorder.start_simulated(speed=25.0)
        settle(app, until=lambda: window.session.obeys and dialog.recorder.go.isEnabled())
        dialog.recorder.toggle()
        settle(app, until=lambda: bool(dialog.grid.texts()))
        dialog.grab().save(str(out / "readings-recorded.png"))
        window.session.disconnect_bench()
        dialog.close()
    if wanted("import"):
        from sparring.files import log_files
        from sparring.ui.dialogs import ImportDialog

        log = Path(tempfile.mkdtemp()) / "bench-log.csv"
        lines = (f"{i * 12};{118.2 + i % 3 * 0.4:.1f};{12.01 - i % 2 * 0.01:.2f};{802 + i % 5};1.50;ok\n" for i in range(40))
        log.write_text("Time (ms);RPM out;Bus voltage (V);Current (mA);Load (kg);Note\n" + "".join(lines).replace(".", ","))
        dialog = ImportDialog(window.desk, log_files.look(log), window)
        dialog.show()
        settle(app, most=0.5)
        dialog.grab().save(str(out / "import.png"))
        dialog.close()
    window.close()


if __name__ == "__main__":
    where = Path(sys.argv[1])
    chosen = {a for a in sys.argv[2:] if not a[0].isdigit()}
    dims = next((tuple(map(int, a.split("x"))) for a in sys.argv[2:] if a[0].isdigit()), (1280, 800))
    main(where, chosen, dims)
