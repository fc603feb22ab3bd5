"""How often each finding, event and interval is wrong: on sound benches of many kinds, and on those
in which what it says is true. `make claims` writes docs/claims.md by it.
"""

from __future__ import annotations

import sys
import zlib
from collections import defaultdict
from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from independent import happenings, ripple, setups, study, ways
from independent.traps import TRAPS
from sparring.core.events import DETECTORS
from sparring.core.uncertainty import nominal, std

SOUND: dict[str, dict[str, Any]] = {
    "as usual": {},
    "5 Hz": {"rate": 5.0},
    "400 Hz": {"rate": 400.0},
    "2 kHz": {"rate": 2000.0, "seconds": 2.0},
    "clock stands in pauses": {"clock": "stands", "pause": 60.0},
    "so, long runs and pauses": {"clock": "stands", "pause": 600.0, "seconds": 15.0},
    "long runs and pauses": {"pause": 600.0, "seconds": 15.0},
    "friction not entered": {"friction": "not entered"},
    "noise hangs together": {"hangs": 0.9},
    "coarse displays": {"coarse": 20.0},
    "two repeats": {"repeats": 2},
    "losses vary by 10 %": {"vary": 0.1},
    "losses never vary": {"vary": 0.0},
    "two voltages": {"volts": (12.0, 10.0)},
    "short runs": {"seconds": 1.6},
}
"""Benches on which nothing is wrong, by their kind: see `setups.make`."""
TRUE_THERE: dict[str, tuple[str, ...]] = {
    "repeats-agree": tuple(SOUND),  # it is told where it holds
    "efficiency-far-from-expected": ("friction not entered",),
    "pauses-not-logged": ("clock stands in pauses", "so, long runs and pauses"),
    "not-steady": ("brake",),  # that of these benches fades
    "peak-is-no-average": ("drawbar",),  # as the sled breaks away
    "stalled": ("two voltages",),
}
"""Findings that may be true on sound benches, and of which kind or method: not counted there."""
TOLD_BY = {
    "ounces named grams": ("efficiency-far-from-expected",),
    "rad/s named rpm": ("motor-torques-disagree",),
    "speed of the motor": ("more-than-the-motor-gives", "output-above-input"),
    "ammeter clipped": ("sensor-saturated",),
    "wrong tooth count": ("motor-torques-disagree", "efficiency-far-from-expected"),
    "clutch slips at the top": ("drop-at-last-weights", "motor-torques-disagree"),
    "tooth skipped": ("speed-dips",),
    "ammeter stuck": ("sensor-stuck", "motor-torques-disagree"),
    "columns exchanged": ("current-beyond-the-winding",),
    "one of two motors drops out": ("stalled", "motor-dropped-out"),
    "cell not tared": ("cell-against-weight",),
    "brake's cell not tared": ("cell-not-at-zero",),
    "drawbar's cell not tared": ("cell-not-at-zero",),
    "brake's cell drifts": ("cell-not-at-zero",),
    "drawbar's cell drifts": ("cell-not-at-zero",),
    "cell in the cord reads 3 % more": ("cell-against-weight",),
    "so, and no weights in the log": ("cell-against-weight",),
    "inertia as the motor feels it": ("inertia-on-the-wrong-side",),
}
"""By the trap, the findings of which any one tells it."""
OF_LOGS, WRONG = "Findings and events of logs", "What goes wrong"
INTERVALS, ENTERED = "±", "What follows from what was entered"
_SURE = 3.0  # standard uncertainties: a trap that moves nothing so far is not seen


class Told(NamedTuple):
    """Of n benches: how often each finding and event was raised, "refused" among them; errors in u
    by figure; seen: of how many a figure lies beyond `_SURE`, silent: and nothing said.
    """

    of: int
    ids: dict[str, int]
    z: dict[str, list[float]]
    seen: int = 0
    silent: int = 0


def told_on(setup: setups.Setup) -> tuple[set[str], dict[str, list[float]]]:
    """(ids of findings and events, errors in u by figure). Raises ValueError where refused."""
    result = study.reduced(setup)
    points = [p for s in result.steps for p in (*s.points, *s.stalls)]
    ids = {f.id for f in result.findings} | {e.id for p in points for e in p.run.events}
    z: dict[str, list[float]] = defaultdict(list)
    for step in result.running or result.lifted:
        seen = [study.truth_of(setup, p) for p in step.points]
        if len({(s, p.run.voltage) for (s, _), p in zip(seen, step.points, strict=True)}) > 1:
            continue
        for name in study.QUANTITIES:
            true = float(np.mean([means[name] for _, means in seen]))
            if (x := getattr(step, name)) is not None and np.isfinite(true):
                z[name].append((nominal(x) - true) / std(x))
    for name, off in study.losses_off(setup, result).items():
        z[f"loss, {name}"].extend(off)
    if (x := result.stall.by_line) is not None:
        z["stall by the line"].append((nominal(x) - setup.stall) / std(x))
    return ids, z


def told(n: int, seed: int, job: tuple[str, str, str]) -> Told:
    """Of n benches. job: kind, method, trap or ""."""
    kind, method, trap = job
    planted = {"trap": TRAPS[trap]} if trap else {}
    ids: dict[str, int] = defaultdict(int)
    z: dict[str, list[float]] = defaultdict(list)
    seen = silent = 0
    own = seed + zlib.crc32(" ".join(job).encode()) % 100_000  # benches of its own
    for setup in setups.make(method, n, own, **SOUND[kind], **planted):
        try:
            said, off = told_on(setup)
        except ValueError:
            said, off = {"refused"}, {}
        for id in said:
            ids[id] += 1
        for name, values in off.items():
            z[name].extend(values)
        visible = any(abs(v) > _SURE for values in off.values() for v in values)
        seen += visible
        silent += visible and not said - {"repeats-agree", "happened"}
    return Told(n, dict(ids), dict(z), seen, silent)


def of_orders(n: int, name: str) -> dict[str, int]:
    """Of n logs of a case of `ripple.CASES`: how often "right", and each line that was named."""
    case = ripple.CASES[name]
    said: dict[str, int] = defaultdict(int)
    for seed in range(n):
        found = study.named(case, seed)
        said["right"] += found == study.planted(case)
        for kind in {kind for kind, *_ in found}:
            said[kind] += 1
    return said


class Rate(NamedTuple):
    """k of n, and the kind in which it was most."""

    k: int
    n: int
    worst: str = ""

    def __str__(self) -> str:
        return f"{self.k} of {self.n}" + (f" ({self.worst})" if self.k and self.worst else "")


def on_sound(found: dict[tuple[str, str], Told]) -> dict[str, Rate]:
    """By id, over all kinds in which it would be false."""
    rates = {}
    for id in {id for t in found.values() for id in t.ids}:
        true = TRUE_THERE.get(id, ())
        false = {k: t for k, t in found.items() if not set(true) & set(k)}
        if false:
            worst = max(false, key=lambda k: false[k].ids.get(id, 0) / false[k].of)
            part = false[worst].ids.get(id, 0)
            k, n = sum(t.ids.get(id, 0) for t in false.values()), sum(t.of for t in false.values())
            rates[id] = Rate(k, n, f"{part} of {false[worst].of}: {', '.join(worst)}")
    return rates


def written(n: int, seed: int) -> Iterable[str]:
    """The lines of docs/claims.md below its introduction."""
    sound = [(kind, method, "") for kind in SOUND for method in ways.METHODS]
    traps = [("as usual", TRAPS[trap].method, trap) for trap in TRAPS if trap in TOLD_BY]
    with ProcessPoolExecutor() as workers:
        found = list(workers.map(partial(told, n, seed), [*sound, *traps]))
        named = workers.map(partial(of_orders, n), ripple.CASES)
        orders = dict(zip(ripple.CASES, named, strict=True))
    told_sound = {job[:2]: t for job, t in zip(sound, found, strict=False)}
    told_true = {job[2]: t for job, t in zip(traps, found[len(sound) :], strict=True)}
    false = on_sound(told_sound)
    every = sum(t.of for t in told_sound.values())
    yield f"## {OF_LOGS}\n"
    yield "| claim | on sound data | where it is true |\n|---|---|---|"
    true: dict[str, list[str]] = defaultdict(list)
    for trap, t in told_true.items():
        for id in TOLD_BY[trap]:
            true[id].append(f"{trap}: {t.ids.get(id, 0)} of {t.of}")
    for id in sorted({*false, *true} - {"refused", "happened"}):
        yield f"| {id} | {false.get(id, Rate(0, every))} | {'; '.join(true[id]) or '–'} |"
    yield f"\n## {WRONG}\n"
    yield "| planted | of | told by its findings, or refused | beyond 3 u | and nothing said |"
    yield "|---|---|---|---|---|"
    for trap, t in told_true.items():
        right = max(t.ids.get(id, 0) for id in TOLD_BY[trap]) + t.ids.get("refused", 0)
        yield f"| {trap} | {t.of} | {right} | {t.seen} | {t.silent} |"
    yield f"\n## {INTERVALS}\n"
    yield "| figure | kind | covered % | of | bias in u |\n|---|---|---|---|---|"
    for kind in SOUND:
        for name in sorted({name for t in told_sound.values() for name in t.z}):
            z = np.concatenate([t.z.get(name, []) for (k, _), t in told_sound.items() if k == kind])
            if len(z):
                covered = 100 * np.mean(np.abs(z) <= 2)
                yield f"| {name} | {kind} | {covered:.1f} | {len(z)} | {np.mean(z):+.2f} |"
    yield "\n## Orders\n"
    yield "| log | right | a tooth named | run-out named |\n|---|---|---|---|"
    for name, said in orders.items():
        yield f"| {name} | {said['right']} of {n} | {said['tooth']} | {said['runs out']} |"

    yield f"\n## {ENTERED}\n"
    yield "| claim | planted, with a sound case beside it, in |\n|---|---|"
    named = {*false, *true, *ORDERS}
    for id in sorted(ids() - named):
        yield f"| {id} | {planted_by(id) or 'not counted yet'} |"


ORDERS = ("tooth-stands-out", "gear-runs-out")
"""Findings of which the table of orders counts how often they are right."""
_ROOT = Path(__file__).parents[2]


def ids() -> set[str]:
    """Of all findings and events."""
    lines = (_ROOT / "tools" / "when.txt").read_text(encoding="utf-8").splitlines()
    return {line.partition(":")[0] for line in lines if line[:1] not in ("#", "")} | {*DETECTORS}


def planted_by(id: str) -> str:
    """The tests that name it."""
    tests = sorted((_ROOT / "tests").glob("test_*.py"))
    found = [t.name for t in tests if f'"{id}"' in t.read_text(encoding="utf-8")]
    if id in DETECTORS:
        found.insert(0, "test_happenings.py" if id in _HAPPENS else "test_events.py")
    return ", ".join(list(dict.fromkeys(found))[:2])


_HAPPENS = {id for happens in happenings.HAPPENS.values() for id in happens.told_by}


MARK = "<!-- from here on written by make claims -->\n"

if __name__ == "__main__":
    page = Path(sys.argv[1])
    n, seed = (int(x) for x in sys.argv[2:4])
    head = page.read_text(encoding="utf-8").partition(MARK)[0]
    rows = "\n".join(written(n, seed))
    page.write_text(head + MARK + "\n" + rows + "\n", encoding="utf-8")
