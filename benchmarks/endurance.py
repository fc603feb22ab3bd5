"""What holds for days: limits while the window is busy; size and memory of a day's recording."""

from __future__ import annotations

import sys
import tempfile
import threading
import time
from pathlib import Path

import numpy as np

from benchmarks.yardstick import qt, say

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "hostile"))

_RUNS = 300
_CHANNELS = ("cell", "speed", "motor_speed", "voltage", "current", "temperature")


def limits() -> None:
    """From the first line over a limit to `stop` on the cable, while the window of the same process
    paints, changes pages and works results out.
    """
    import storms

    from sparring.demo import make_logbook
    from sparring.ui.app.shell import MainWindow
    from sparring.ui.model import background

    app = qt()
    with tempfile.TemporaryDirectory() as folder:
        book = Path(folder) / "book"
        make_logbook(book)
        window = MainWindow()
        window.resize(1280, 800)
        window.show()
        window.desk.open(book)
        while window.desk.book is None or background.busy():
            app.processEvents()
            time.sleep(0.005)
        times: list[float] = []
        thread = threading.Thread(
            target=lambda: times.extend(storms.stop_times(_RUNS, 1, Path(folder)))
        )
        thread.start()
        pages, n = ("run", "results", "build", "rig", "plan"), 0
        while thread.is_alive():
            n += 1
            window.go(pages[n % len(pages)])
            if n % 5 == 0:
                window.desk.reanalyse()
            end = time.perf_counter() + 0.1
            while time.perf_counter() < end:
                app.processEvents()
        window.close()
    ms = 1e3 * np.array(times)
    shares = ", ".join(f"{np.percentile(ms, q):.0f} ms at {q} %" for q in (50, 99))
    say(
        "limits: 99.9th percentile to stop with the window busy, ms",
        float(np.percentile(ms, 99.9)),
        100,
        f"{shares}, longest {ms.max():.0f} ms, {_RUNS} runs",
    )


def day() -> None:
    """A day at 80 samples a second of six channels, kept whole: its size on the disk, and what the
    memory of the process that adds it up grows by.
    """
    from sparring.core.endurance.cycle import Adds, Cycle
    from sparring.core.recording import Recording
    from sparring.demo import hollin_yard
    from sparring.logbook import recordings

    build, rig = hollin_yard.dunnock(2), hollin_yard.rig()
    adds, rng = Adds(build, rig), np.random.default_rng(1)
    minutes, size, first = 24 * 60, 0, 0
    with tempfile.TemporaryDirectory() as folder:
        begun = time.process_time()
        for minute in range(minutes):
            n = 80 * 60
            t = 60.0 * minute + np.arange(n) / 80
            noise = rng.standard_normal((n, 6)) * (8, 0.05, 1.5, 0.005, 0.01, 0.05)
            values = noise + np.array([90000, 12.0, 360.0, 12.0, 0.7, 320.0])
            values[:, 0] = np.round(values[:, 0])  # counts, as an amplifier gives them
            values[:, 1:] = np.round(values[:, 1:], 3)
            cycle = Cycle(n=minute + 1)
            adds.begin()
            for part in np.array_split(np.arange(n), 60):
                adds.add(cycle, t[part], values[part], _CHANNELS, tare=84000.0, load=None)
            columns = dict(zip(_CHANNELS, np.ascontiguousarray(values.T), strict=True))
            name = recordings.write(Path(folder), Recording(t, columns), {})
            size += (Path(folder) / name).stat().st_size
            (Path(folder) / name).unlink()
            if minute == 120:
                first = _resident()
        took = time.process_time() - begun
    say("day: 24 h of 6 channels at 80 per second, MB", size / 1e6, 600)
    say("day: memory grown over the last 22 h, MB", (_resident() - first) / 1e6, 20)
    say("day: CPU to add it up and keep it, % of a core", 100 * took / 86400, 5)


def _resident() -> int:
    return int(Path("/proc/self/statm").read_text().split()[1]) * 4096
