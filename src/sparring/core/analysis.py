"""A test, whole: recordings to points, points to results, results to judgements."""

from __future__ import annotations

import contextlib
import hashlib
import threading
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Protocol

from sparring.core.build import Build
from sparring.core.finding import Peer
from sparring.core.findings import judge
from sparring.core.plan import Plan
from sparring.core.recording import Recording
from sparring.core.reduce.by_eye import reduce_read
from sparring.core.reduce.inputs import Inputs, ReductionError, inputs_of
from sparring.core.reduce.points import Point
from sparring.core.reduce.results import Drawn, TestResult, combine, output_orders
from sparring.core.reduce.shelf import Shared, derived_by, from_bytes, to_bytes
from sparring.core.reduce.spins import reduce_spin
from sparring.core.reduce.steady import reduce_run
from sparring.core.reduce.sweeps import reduce_sweep
from sparring.core.reduce.warmth import COLD, Bodies, Warmth
from sparring.core.rig import Rig
from sparring.core.run import Run


class Kept(Protocol):
    """A recording that is kept under a name that says what is in it."""

    name: str

    def __call__(self) -> Recording:
        """Reads it. Raises ValueError."""


class Shelf(Protocol):
    """Where points are kept by their keys."""

    def get(self, keys: Sequence[str]) -> dict[str, bytes]:
        """What is there of them."""

    def put(self, points: dict[str, bytes]) -> None:
        """Keeps them; says nothing where it cannot."""


Source = Recording | Callable[[], Recording] | Kept


class Reductions:
    """What has been reduced of one test: a run is reduced once, as long as build, rig and plan stay
    what they are.
    """

    _AT_ONCE = 500  # runs that are asked for, and put, together

    def __init__(self, shelf: Shelf | None = None) -> None:
        self._shelf = shelf
        self._lock = threading.Lock()
        self._about: tuple[Build, Rig, float, float] | None = None
        self._done: dict[tuple[Run, str], list[Point] | str] = {}
        self.drawn: dict[tuple[int, ...], Drawn] = {}
        self.reduced = 0  # runs that had to be

    def points(
        self,
        build: Build,
        rig: Rig,
        plan: Plan,
        runs: Sequence[tuple[Run, Source]],
        progress: Callable[[float], None],
    ) -> tuple[Inputs, list[Point], list[tuple[Run, str]]]:
        """(inputs, points, skipped runs with the reason). Raises ReductionError when the records
        contradict themselves.
        """
        with self._lock:  # one analysis at a time: they share the inputs
            about = build, rig, plan.settle, plan.measure
            if about != self._about:
                self._inputs = inputs_of(build, rig)
                self._orders = tuple(sorted({abs(w) for w in output_orders(build).values()}))
                self._shared, self._done, self.drawn, self._about = (
                    Shared(self._inputs),
                    {},
                    {},
                    about,
                )
                text = "\n".join(
                    (
                        derived_by(),
                        build.to_json(),
                        rig.to_json(),
                        f"{plan.settle!r} {plan.measure!r}",
                    )
                )
                self._digest = hashlib.sha256(text.encode()).hexdigest()
            points: list[Point] = []
            skipped: list[tuple[Run, str]] = []
            before: Point | None = None
            for first in range(0, len(runs), self._AT_ONCE):
                some = runs[first : first + self._AT_ONCE]
                keys = self._take(some)
                fresh: dict[str, bytes] = {}
                try:
                    for n, (run, source) in enumerate(some):
                        progress((first + n) / len(runs))
                        begin = begins(self._inputs.bodies, run, before)
                        found = self._one(
                            rig, plan, run, source=source, begin=begin, key=keys.get(n), fresh=fresh
                        )
                        if isinstance(found, str):
                            skipped.append((run, found))
                            before = None  # what it did to the motor is not known
                        else:
                            points += found
                            before = found[-1]
                finally:  # also of what was called off
                    if self._shelf is not None and fresh:
                        self._shelf.put(fresh)
            return self._inputs, points, skipped

    def _take(self, runs: Sequence[tuple[Run, Source]]) -> dict[int, str]:
        """Takes what is kept of these; the keys of those that were not here, by their place."""
        if self._shelf is None:
            return {}
        keys = {
            n: self._key(run, name)
            for n, (run, source) in enumerate(runs)
            if (name := _name(source)) and (run, name) not in self._done
        }
        kept = self._shelf.get(list(keys.values())) if keys else {}
        for n, key in keys.items():
            if (data := kept.get(key)) is not None:
                run, source = runs[n]
                self._shared.know(run)
                with contextlib.suppress(ValueError):  # it is reduced anew
                    self._done[run, _name(source)] = from_bytes(data, run, self._shared)
        return keys

    def _key(self, run: Run, name: str) -> str:
        return hashlib.sha256(f"{self._digest} {name} {run.to_json()}".encode()).hexdigest()

    def _one(
        self,
        rig: Rig,
        plan: Plan,
        run: Run,
        source: Source,
        begin: Warmth,
        key: str | None,
        fresh: dict[str, bytes],
    ) -> list[Point] | str:
        """The points of a run, or why there are none. begin: how warm the motor was before it; key:
        under which they are to be kept.
        """
        name = _name(source)
        done = self._done.get((run, name)) if name else None
        if isinstance(done, str) or (done and done[0].begun in (begin, None)):
            return done
        self.reduced += 1
        try:
            recording = source() if callable(source) else source
            if run.read is not None and len(recording) == 0:
                found = [reduce_read(self._inputs, rig, run)]
            elif rig.method.ACCELERATES:
                found = reduce_spin(self._inputs, rig, run, recording, begin)
            elif rig.method.swept:
                found = reduce_sweep(self._inputs, rig, run, recording, begin)
            else:
                found = [
                    reduce_run(
                        self._inputs,
                        rig,
                        run,
                        recording,
                        settle=plan.settle,
                        measure=plan.measure,
                        orders=self._orders,
                        begin=begin,
                    )
                ]
        except ReductionError as err:
            if name:
                self._done[run, name] = str(err)
            return str(err)
        except ValueError as err:  # of reading the recording, which may be put right
            return str(err)
        if name:
            self._done[run, name] = found
            if self._shelf is not None:
                self._shared.know(run)
                if data := to_bytes(found, run, self._shared):
                    fresh[key or self._key(run, name)] = data
        return found


def begins(bodies: Bodies, run: Run, before: Point | None) -> Warmth:
    """How warm the motor was when a run's recording began. A log holds all that came before; of
    runs recorded one by one, the clock tells how long it rested since the one `before`, and nobody
    what came before the first.
    """
    if run.source == "import":
        return Warmth(whole=True)
    if before is None or run.source == "eye":
        return COLD
    ended = before.source.started if before.source is not None else before.run.started
    try:
        passed = datetime.fromisoformat(run.started) - datetime.fromisoformat(ended)
    except (ValueError, TypeError):  # no times, or of different kinds
        return COLD
    rested = passed.total_seconds() - before.lasted
    # one that began before the other ended was made faster than a clock runs
    return bodies.rest(before.left, rested) if rested >= -1.0 else COLD


def _name(source: Source) -> str:
    return "" if isinstance(source, Recording) else getattr(source, "name", "")


def analyse(
    build: Build,
    rig: Rig,
    plan: Plan,
    runs: Iterable[tuple[Run, Source]],
    peers: Sequence[Peer] = (),
    *,
    reductions: Reductions | None = None,
    progress: Callable[[float], None] = lambda _part: None,
) -> TestResult:
    """The results of a test. Recordings may be given as functions, so that only one is in memory at
    a time.

    reductions: what has been reduced already of kept recordings; progress: is told the part done
    [0..1], and may end it by raising. Raises ReductionError when the records contradict themselves;
    a run that cannot be reduced is listed in `skipped`.
    """
    reductions = reductions or Reductions()
    inputs, points, skipped = reductions.points(build, rig, plan, list(runs), progress)
    result = combine(build, rig, plan, points=points, skipped=skipped, drawn=reductions.drawn)
    return replace(result, findings=tuple(judge(result, inputs, peers)))
