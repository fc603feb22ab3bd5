"""A simulated week of a life test, time running fast, whose process is killed again and again."""

from __future__ import annotations

import random
import subprocess
import sys
import time
from pathlib import Path
from typing import NamedTuple

from sparring.bench.devices.connecting import one_board
from sparring.core.endurance import Endurance, Phase
from sparring.demo import hollin_yard
from sparring.endurance.journal import Journal, UnderTest

_PHASES = 40.0, 20.0  # [s] on, off
_TURNS = 2.0  # a second

LIVES = """
import os, sys
from pathlib import Path
import numpy as np
os.fsync = lambda _fd: None  # a kill is no power cut, and a week of them would take a night
from sparring.core.endurance.cycle import Adds
from sparring.demo import hollin_yard
from sparring.endurance.journal import Journal
journal, ends = Journal.of(Path(sys.argv[1])), float(sys.argv[2])
journal.mend()
tested = journal.tested()
adds = Adds(tested.build, tested.rig)
channels = ("speed", "voltage", "current", "force")
row = [2 * np.pi * float(sys.argv[3]), 12.0, 0.8, 5.0]
second = np.tile(row, (80, 1))
done = journal.totals.driven
while done < ends or journal.now.phase:
    now = journal.now
    phase = tested.plan.duty[now.phase]
    if not phase.driven:
        now.phase, now.elapsed = now.phase + 1, 0.0
        journal.save()
    else:
        adds.begin()
        t = np.arange(81) / 80
        adds.add(now.cycle, t, np.tile(row, (81, 1)), channels, tare=None, load=None)
        done += 1.0
        os.write(1, b"%.0f\\n" % done)  # what has been done, before it is on the disk
        now.elapsed += 1.0
        if now.elapsed >= phase.time - 0.5:
            now.phase, now.elapsed = now.phase + 1, 0.0
        journal.save()
    if journal.now.phase == len(tested.plan.duty):
        journal.close_cycle()
"""


class Week(NamedTuple):
    """lost: of each kill [s]; driven [s], turns, cycles: in the end, and as they should be."""

    lost: list[float]
    driven: float
    turns: float
    cycles: int
    wanted: tuple[float, float, int]


def week(hours: float, kills: int, seed: int, folder: Path) -> Week:
    """Some hours of driving, with kills at any moment."""
    plan = Endurance(
        duty=(Phase(time=_PHASES[0], voltage=12.0), Phase(time=_PHASES[1], voltage=0.0))
    )
    rig = hollin_yard.rig()
    (folder / "book").mkdir()
    tested = UnderTest(1, "", hollin_yard.dunnock(2), rig, plan, one_board("/dev/none"))
    made = Journal.begin(folder / "book", tested)
    ends = hours * 3600 // _PHASES[0] * _PHASES[0]
    rng, lost = random.Random(seed), []
    moments = sorted(rng.uniform(0.02, 0.95) * ends for _ in range(kills))
    for moment in [*moments, float("inf")]:
        process = subprocess.Popen(
            [sys.executable, "-c", LIVES, str(made.folder), str(ends), str(_TURNS)],
            stdout=subprocess.PIPE,
            text=True,
        )
        assert process.stdout is not None
        said = 0.0
        for line in process.stdout:
            said = float(line)
            if said >= moment:
                time.sleep(rng.random() * 2e-3)
                process.kill()
                break
        rest = [float(line) for line in process.stdout.read().split()]
        process.wait()
        process.stdout.close()
        if moment < float("inf"):
            lost.append(max([said, *rest]) - Journal.of(made.folder).totals.driven)
    total = Journal.of(made.folder).totals
    wanted = ends, ends * _TURNS, round(ends / _PHASES[0])
    return Week(lost, total.driven, total.turns, total.cycles, wanted)
