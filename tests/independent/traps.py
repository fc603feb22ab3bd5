"""What goes wrong on benches, planted: in the log, in its heads, or in what the owner entered."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import NamedTuple

import numpy as np

Columns = dict[str, np.ndarray]


class Trap(NamedTuple):
    """log: changes what was logged, (times, columns, steps, random numbers); steps: which step each
    line belongs to. documents: changes what the owner entered. heads: other heads and units.
    """

    log: Callable[[np.ndarray, Columns, np.ndarray, np.random.Generator], np.ndarray] | None = None
    documents: Callable[[dict[str, dict]], None] | None = None
    heads: dict[str, tuple[str, float]] = {}  # noqa: RUF012  (of a tuple)
    method: str = "hoist"
    rate: float = 0.0  # [Hz] of the log; 0: as others
    motors: int = 1
    drops_out: bool = False  # one of them, at the heaviest step


def _stretches(on: np.ndarray) -> list[tuple[int, int]]:
    """(first, last + 1) of each run in which the drive is on."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], on.astype(int), [0]])))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def _clipped(t, columns, steps, rng):
    current = columns["current"]
    on = columns["voltage"] > 6
    most = 0.85 * np.median(current[on & (steps == steps.max())])
    columns["current"] = np.minimum(current, most)
    return t


def _jumps(t, columns, steps, rng):
    first, last = _stretches(columns["voltage"] > 6)[4]
    t = t.copy()
    t[(first + last) // 2 :] += 40.0
    return t


def _slips(t, columns, steps, rng):
    top = (steps == steps.max()) & (columns["voltage"] > 6)
    columns["speed"] = np.where(top, 0.8 * columns["speed"], columns["speed"])
    return t


def _skips(t, columns, steps, rng):
    """In each run of the top step the output stands for 60 ms, three times."""
    for first, last in _stretches((columns["voltage"] > 6) & (steps == steps.max())):
        for at in rng.uniform(t[first] + 0.6, t[last - 1] - 0.2, 3):
            columns["speed"][(t >= at) & (t < at + 0.06)] = 0.0
    return t


def _stuck(t, columns, steps, rng):
    """The ammeter shows from the second run on what it showed in the first."""
    runs = _stretches(columns["voltage"] > 6)
    held = columns["current"][runs[0][1] - 2]
    columns["current"][runs[1][0] :] = held
    return t


def _blanks(t, columns, steps, rng):
    for name in ("speed", "current"):
        columns[name][rng.uniform(size=len(t)) < 0.04] = np.nan
    return t


def _geared(t, columns, steps, rng):
    columns["speed"] = columns["speed"] * 20.0
    return t


def _untared(t, columns, steps, rng):
    columns["force"] = columns["force"] + 0.8
    return t


def _drifting(t, columns, steps, rng):
    """By a twenty-fifth of what it reads at most, over the whole log."""
    most = np.quantile(columns["force"], 0.98)
    columns["force"] = columns["force"] + 0.04 * most * t / t[-1]
    return t


def _reads_more(t, columns, steps, rng):
    columns["force"] = columns["force"] * 1.03
    return t


def _reads_more_alone(t, columns, steps, rng):
    del columns["mass"]
    return _reads_more(t, columns, steps, rng)


def _tooth(documents):
    documents["build.json"]["stages"][0]["wheel"] += 12


def _layer(documents):
    """The cord winds on a second layer, of thick cord."""
    method = documents["rig.json"]["method"]
    method["drum_diameter"] = re.sub(
        r"^[\d.]+", lambda m: f"{float(m[0]) * 0.85:.6g}", method["drum_diameter"]
    )


def _as_the_motor_feels_it(documents):
    method = documents["rig.json"]["method"]
    ratio = 1.0
    for stage in documents["build.json"]["stages"]:
        ratio *= stage["wheel"] / stage["pinion"]
    value, half = (float(x) for x in re.findall(r"[\d.e-]+", method["inertia"])[:2])
    method["inertia"] = f"{value / ratio**2:.9g} ± {half / ratio**2:.6g} kg·m²"


TRAPS = {
    "nothing wrong": Trap(),  # how often chance does it
    "ounces named grams": Trap(heads={"mass": ("mass [g]", 0.0283495)}),
    "rad/s named rpm": Trap(heads={"speed": ("n [rpm]", 1.0)}),
    "speed of the motor": Trap(_geared),
    "ammeter clipped": Trap(_clipped),
    "ms named s": Trap(heads={"t": ("time [s]", 1e-3)}),
    "clock that jumps": Trap(_jumps),
    "wrong tooth count": Trap(documents=_tooth),
    "drum measured without its cord": Trap(documents=_layer),
    "clutch slips at the top": Trap(_slips),
    "tooth skipped": Trap(_skips),
    "ammeter stuck": Trap(_stuck),
    "columns exchanged": Trap(heads={"voltage": ("I [A]", 1.0), "current": ("U [V]", 1.0)}),
    "blanks": Trap(_blanks),
    "a log of 5 Hz": Trap(rate=5.0, method="brake"),
    "one of two motors drops out": Trap(motors=2, drops_out=True),
    "cell not tared": Trap(_untared, method="hoist by its cell"),
    "brake's cell not tared": Trap(_untared, method="brake"),
    "drawbar's cell not tared": Trap(_untared, method="drawbar"),
    "brake's cell drifts": Trap(_drifting, method="brake"),
    "drawbar's cell drifts": Trap(_drifting, method="drawbar"),
    "cell in the cord reads 3 % more": Trap(_reads_more, method="hoist by its cell"),
    "so, and no weights in the log": Trap(_reads_more_alone, method="hoist by its cell"),
    "inertia as the motor feels it": Trap(documents=_as_the_motor_feels_it, method="run-up"),
}
