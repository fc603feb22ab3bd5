"""A test, whole: recordings to points, points to results, results to judgements."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

from sparring.core.build import Build
from sparring.core.finding import Peer
from sparring.core.findings import judge
from sparring.core.plan import Plan
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import inputs_of
from sparring.core.reduce.points import Point, reduce_run
from sparring.core.reduce.results import TestResult, combine, output_orders
from sparring.core.reduce.spins import reduce_spin
from sparring.core.reduce.sweeps import reduce_sweep
from sparring.core.rig import Rig, RunUp
from sparring.core.run import Run


def analyse(
    build: Build, rig: Rig, plan: Plan, runs: Iterable[tuple[Run, Recording | Callable[[], Recording]]], peers: Sequence[Peer] = ()
) -> TestResult:
    """The results of a test. Recordings may be given as functions, so that only one is in memory at a time.

    Raises ReductionError when the records contradict themselves; a run that cannot be reduced is listed in `skipped`.
    """
    inputs = inputs_of(build, rig)
    orders = tuple(sorted({abs(w) for w in output_orders(build).values()}))
    points: list[Point] = []
    skipped: list[tuple[Run, str]] = []
    for run, source in runs:
        try:
            recording = source() if callable(source) else source
            if isinstance(rig.method, RunUp):
                points += reduce_spin(inputs, rig, run, recording)
            elif rig.method.swept:
                points += reduce_sweep(inputs, rig, run, recording)
            else:
                points.append(reduce_run(inputs, rig, run, recording, settle=plan.settle, measure=plan.measure, orders=orders))
        except ValueError as err:  # of the reduction, or of reading the recording
            skipped.append((run, str(err)))
    result = combine(build, rig, plan, points, skipped)
    return replace(result, findings=tuple(judge(result, inputs, peers)))
