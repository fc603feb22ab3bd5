"""Measurements, each as a ratio to a plain yardstick taken in the same run: the machine's own speed
drops out.

Run all with `make bench`, or some by name: `python -m benchmarks startup reduce csv paint build
live escape many plans orders results limits day compare duty search`.
"""

from __future__ import annotations

import os
import resource
import socket
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from benchmarks.comparing import compare, duty, search
from benchmarks.endurance import day, limits
from benchmarks.escape import escape
from benchmarks.many import many
from benchmarks.plans import plans
from benchmarks.results import orders, results
from benchmarks.yardstick import best, compare_with_last, qt, say

BARE = """
import sys, time
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QMainWindow
import pyqtgraph as pg
app = QApplication([]); w = QMainWindow(); w.setCentralWidget(pg.PlotWidget())
w.resize(1280, 800); w.show()
QTimer.singleShot(0, app.quit); app.exec()
"""


PAINTED = """
import os, sys
from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QMainWindow

class Eye(QObject):
    def eventFilter(self, seen, event):
        if event.type() == QEvent.Type.Paint and isinstance(seen, QMainWindow):
            os._exit(0)
        return False

from sparring.ui.app.application import application
eye, app = Eye(), application(); app.installEventFilter(eye)
sys.argv = ["sparring", "open", sys.argv[1]]
from sparring.cli import main
main()
"""


def startup() -> None:
    """CPU time to a first painted window, and time to a whole one, over a bare PyQt6 + pyqtgraph
    window; processes in turn."""

    def ours() -> float:
        """From the call of the installed command until all of its window is up: it then answers on
        a socket.
        """
        with tempfile.TemporaryDirectory() as home:
            path, command = Path(home) / "socket", Path(sys.executable).with_name("sparring")
            env = {**os.environ, "HOME": home, "XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home}
            start = time.perf_counter()
            process = subprocess.Popen(
                [command, "open", "--inspect", str(path)], env=env, stderr=subprocess.DEVNULL
            )
            try:
                return _answered(path) - start
            finally:
                process.kill()
                process.wait()

    def bare() -> tuple[float, float]:
        start = time.perf_counter()
        return _spent(BARE), time.perf_counter() - start

    def painted() -> float:
        with tempfile.TemporaryDirectory() as home:
            return _spent(PAINTED, str(Path(home) / "book"))

    ours(), bare(), painted()
    rounds = [(painted(), ours(), *bare()) for _ in range(7)]
    cpu = statistics.median(p / b for p, _, b, _ in rounds)
    least = [min(column) for column in zip(*rounds, strict=True)]
    detail = f"{least[0]:.2f} s against {least[2]:.2f} s"
    say("start: CPU to the first painted window over a bare window's", cpu, 1.3, detail)
    ratio = statistics.median(o / b for _, o, _, b in rounds)
    detail = f"{least[1]:.2f} s against {least[3]:.2f} s"
    say("start: the whole window, database beside it, over a bare window", ratio, 3.0, detail)


def _spent(program: str, *words: str) -> float:
    """CPU time of a Python process [s]."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run([sys.executable, "-c", program, *words], check=True, capture_output=True)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def _answered(path: Path) -> float:
    """When a window first answers what it shows."""
    while True:
        with socket.socket(socket.AF_UNIX) as link:
            try:
                link.connect(str(path))
            except OSError:
                time.sleep(0.005)
                continue
            link.sendall(b'{"ask": "menus"}\n')
            link.recv(1)
            return time.perf_counter()


def ten_million() -> tuple[np.ndarray, dict[str, np.ndarray]]:
    n = 10_000_000
    rng = np.random.default_rng(0)
    t = np.arange(n) / 1000.0
    noise = rng.standard_normal(n)
    levels = {
        "cell": 114_000.0,
        "speed": 11.0,
        "motor_speed": 330.0,
        "voltage": 12.0,
        "current": 0.8,
        "temperature": 300.0,
    }
    return t, {k: v * (1 + 0.003 * noise) for k, v in levels.items()}


def reduce() -> None:
    """Reduction of 10 million samples × 6 channels, over one NumPy mean of the same arrays."""
    from sparring.core.quantity import Measured
    from sparring.core.recording import Recording
    from sparring.core.reduce.inputs import inputs_of
    from sparring.core.reduce.steady import reduce_run
    from sparring.core.run import Run
    from sparring.demo import hollin_yard

    t, channels = ten_million()
    recording = Recording(t, channels)
    build, rig = hollin_yard.dunnock(2), hollin_yard.rig()
    inputs, run = inputs_of(build, rig), Run(load=Measured(1.5), voltage=12.0)
    ours = best(
        lambda: reduce_run(
            inputs, rig, run, recording, settle=0.5, measure=1.0, orders=(1.0, 6.0, 30.0)
        ),
        3,
    )
    bare = best(lambda: [v.mean() for v in channels.values()], 3)
    say(
        "reduce: 10 M samples × 6 channels over a NumPy mean",
        ours / bare,
        4,
        f"{ours:.2f} s against {bare:.3f} s",
    )


def csv() -> None:
    """CSV import of 400 000 lines × 6 columns, over PyArrow's bare read of the same file."""
    import pyarrow.csv as pcsv

    from sparring.files import log_files, log_look

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "log.csv"
        rng = np.random.default_rng(0)
        n = 400_000
        cells = np.column_stack(
            [
                np.arange(n) / 1000,
                *(v + 0.01 * rng.standard_normal(n) for v in (11.0, 330.0, 12.0, 0.8, 14.0)),
            ]
        )
        head = "time [s],speed [rad/s],motor_speed [rad/s],voltage [V],current [A],force [N]"
        np.savetxt(path, cells, fmt="%.4f", delimiter=",", header=head, comments="")
        ours = best(lambda: log_files.read(log_look.look(path)))
        bare = best(lambda: pcsv.read_csv(path))
    say(
        "csv: import over PyArrow's bare read", ours / bare, 3, f"{ours:.2f} s against {bare:.2f} s"
    )


def paint() -> None:
    """A 10-million-sample recording opened and painted, over reading its Parquet file."""
    import pyarrow.parquet as pq
    import pyqtgraph as pg

    from sparring.core.recording import Recording
    from sparring.logbook import recordings
    from sparring.ui.widgets.chart import Chart, pen, thinned

    app = qt()
    t, channels = ten_million()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / recordings.write(
            Path(folder), Recording(t, {k: channels[k] for k in ("speed", "current")})
        )
        chart = Chart("s", "speed")
        chart.resize(900, 300)
        chart.show()
        curve = pg.PlotDataItem()
        chart.add(curve)

        def open_and_paint() -> None:
            recording = recordings.read(path)
            x, y = thinned(recording.t, recording.channels["speed"], 1200)
            curve.setData(x, y, pen=pen("speed"))
            chart.box.autoRange()
            chart.grab()
            app.processEvents()

        ours = best(open_and_paint)
        bare = best(lambda: pq.read_table(path))
    say(
        "paint: 10 M samples opened and painted over reading",
        ours / bare,
        2,
        f"{ours:.2f} s against {bare:.2f} s",
    )


def live(seconds: float = 60.0) -> None:
    """Live: 8 channels × 1 kHz over a pseudo-terminal into the Run page."""
    import os
    import resource
    import tty

    from PyQt6.QtCore import QEvent, QObject, QTimer

    from sparring.ui.app.shell import MainWindow

    app = qt()
    window = MainWindow()
    window.show()
    window.go("run")
    master, slave = os.openpty()
    tty.setraw(slave)
    names = (
        "seq, t/ms, cell/counts, force/N, speed/rpm, motor_speed/rpm, voltage/V, current/A,"
        " temperature/°C, mass/kg"
    )
    sender = subprocess.Popen(
        [sys.executable, "-c", SENDER, str(seconds)],
        pass_fds=[master],
        env={**os.environ, "PTY": str(master)},
    )
    frames: list[float] = []

    class Painted(QObject):
        def eventFilter(self, _watched: QObject | None, event: QEvent | None) -> bool:
            if event is not None and event.type() == QEvent.Type.Paint:
                frames.append(time.perf_counter())
            return False

    watcher = Painted()
    window.view("run").strips.charts["speed"].viewport().installEventFilter(watcher)
    beats: list[float] = []
    beat = QTimer()
    beat.setInterval(1)
    beat.timeout.connect(lambda: beats.append(time.perf_counter()))
    window.session.connect_port(os.ttyname(slave), names)
    start, begun = time.perf_counter(), time.process_time()
    memory = None
    beat.start()
    while time.perf_counter() - start < seconds + 2:
        app.processEvents()
        time.sleep(0.0005)
        if memory is None and time.perf_counter() - start > seconds / 3:
            memory = resident()
    grown = resident() - (memory or 0)
    tally = window.session.tally
    sender.wait()
    assert tally is not None
    busy = [b for b in beats if b < start + seconds]
    stall = max(np.diff(busy)) if len(busy) > 1 else 0.0
    drawn = [f for f in frames if start + 2 < f < start + seconds]
    lost = int(seconds * 1000) - tally.samples
    say(
        "live: samples lost of 60 000 × 8" if seconds == 60 else "live: samples lost",
        lost,
        0,
        f"{tally.samples} read, {tally.garbled} garbled",
    )
    # at rest nobody reads more; moving it is eight
    say("live: frames a second, at rest", len(drawn) / (seconds - 2), 2, more=True)
    cpu = 100 * (time.process_time() - begun) / seconds
    say("live: CPU of the window at 1000 lines a second, % of a core", cpu, 15)
    say("live: longest stall of the window, ms", 1e3 * stall, 100)
    say(
        "live: memory growth over the last two thirds, MB",
        grown / 1e6,
        20,
        f"peak {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3:.0f} MB",
    )
    window.close()


def build() -> None:
    """The Build page: an edit of a train of 60 gears to its repainted page; the turning drawing; 10
    000 trains solved.
    """
    from sparring.core.build import MOTOR, OUTPUT, Build
    from sparring.core.train.kinds import PlanetaryStage, SplitRingStage, SpurStage, WormStage
    from sparring.core.train.torque import solve_torques
    from sparring.ui.app.shell import MainWindow
    from sparring.ui.model import background

    app = qt()
    with tempfile.TemporaryDirectory() as folder:
        window = MainWindow()
        window.resize(1280, 800)
        window.show()
        window.desk.open(Path(folder) / "book")
        # the window is up and still, as when somebody types
        while window.desk.book is None or background.busy():
            app.processEvents()
            time.sleep(0.005)
        window.desk.add_build(
            Build(
                family="Sixty",
                stages=tuple(SpurStage(pinion=18 + n % 3, wheel=22 + n % 5) for n in range(30)),
            )
        )
        app.processEvents()
        page = window.view("build")
        times = []
        for k in range(12):
            start = time.perf_counter()
            window.desk.edit("build", ("stages", 7, "wheel"), 30 + k)
            page.repaint()
            times.append(time.perf_counter() - start)
            for _ in range(12):  # what follows behind: driveline, findings, logbook
                app.processEvents()
                time.sleep(0.01)
        say(
            "build: edit of 60 gears to the repainted page, ms",
            1e3 * min(times),
            50,
            f"median {1e3 * statistics.median(times):.0f}",
        )
        for name, stages in (
            ("60 gears", window.desk.build.stages),
            ("two-stage planetary", (PlanetaryStage(), PlanetaryStage())),
            ("split ring", (SplitRingStage(),)),
        ):
            window.desk.edit("build", ("stages",), stages)
            app.processEvents()

            def frame() -> None:
                page.gears.angle += 0.05
                page.gears.grab()

            say(
                f"build: frames a second of the turning drawing, {name}",
                1 / best(frame, 20),
                30,
                more=True,
            )
        window.close()
    rng = np.random.default_rng(0)
    kinds = (SpurStage, SpurStage, PlanetaryStage, WormStage)
    trains = [
        Build(stages=tuple(kinds[k]() for k in rng.integers(0, 4, rng.integers(1, 5))))
        for _ in range(200)
    ]
    elements = [b.elements() for b in trains]
    start = time.perf_counter()
    for k in range(10_000):
        solve_torques(elements[k % 200], MOTOR, OUTPUT, 0.1 + 1e-4 * k)
    say("build: 10 000 trains solved, ms each", (time.perf_counter() - start) / 10, 2)


SENDER = """
import os, sys, time
fd, seconds = int(os.environ["PTY"]), float(sys.argv[1])
start, n, total = time.monotonic() + 1.0, 0, int(float(sys.argv[1]) * 1000)
while n < total:
    due = min(total, int((time.monotonic() - start) * 1000))
    out = b"".join(
        b"%d,%d,%d,%.3f,%.2f,%.1f,%.3f,%.3f,35.1,1.5\\n"
        % (k, k, 98000 + k % 50, 14.0 + k % 7 * 0.01, 118 + k % 5 * 0.1, 3540 + k % 9, 12.0,
           0.8 + k % 3 * 0.001)
        for k in range(n, due))
    while out:
        out = out[os.write(fd, out):]
    n = max(n, due)
    time.sleep(0.004)
"""


def resident() -> int:
    """Resident memory [bytes]."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * 4096


ALL = {
    "startup": startup,
    "reduce": reduce,
    "escape": escape,
    "csv": csv,
    "paint": paint,
    "build": build,
    "live": live,
    "many": many,
    "plans": plans,
    "orders": orders,
    "results": results,
    "limits": limits,
    "day": day,
    "compare": compare,
    "duty": duty,
    "search": search,
}

if __name__ == "__main__":
    for name in sys.argv[1:] or ALL:
        ALL[name]()
    compare_with_last()
