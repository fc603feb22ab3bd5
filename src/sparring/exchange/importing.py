"""How a log becomes a test."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from sparring.core.build import Build
from sparring.core.events import with_events
from sparring.core.plan import Plan, PlanStep
from sparring.core.reduce.split import assumed, split_runs
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.exchange.formats import Columns, LogFormat, RunsFormat
from sparring.files.log_look import LogLook
from sparring.logbook import Logbook


def import_runs(
    book: Logbook, form: RunsFormat, path: Path, *, build_id: int, rig_id: int, plan: Plan
) -> tuple[int, list[str]]:
    """Makes a file's runs a new test; its id, and what was found. Raises RecordError before
    anything is kept.
    """
    rated = _rated(book.build(build_id))
    runs = [r.model_copy(update=_in_force(book.rig(rig_id))) for r in form.read(path, rated)]
    plan = _plan_of(runs, plan, book.build(build_id))
    test_id = book.add_test(build_id, rig_id, plan, path.name[:120])
    for run in runs:
        book.add_run(test_id, run)
    return test_id, [_found(runs, path)]


def _rated(build: Build) -> float:
    """Of its motor [V]; 0 where it has none."""
    return build.motor.voltage.value if build.has_motor else 0.0


def _plan_of(runs: Sequence[Run], plan: Plan, build: Build) -> Plan:
    """The plan that these runs carried out, with the times of `plan`; of a drive without a motor at
    its usual speed, for no log says which was meant.
    """
    usual = None if build.has_motor else build.usual_input / abs(build.ratio())
    repeats = Counter(r.step for r in runs)
    steps = {r.step: r for r in reversed(runs)}
    return plan.model_copy(
        update={
            "steps": tuple(
                PlanStep(
                    id=n,
                    kind=steps[n].kind,
                    load=steps[n].load,
                    voltage=steps[n].voltage if usual is None else None,
                    speed=usual,
                    repeats=min(repeats[n], 100),
                )
                for n in sorted(steps)
            ),
            "order": "as listed",
        }
    )


def _in_force(rig: Rig) -> dict[str, Any]:
    """The instruments of a run that is made, or taken in, today."""
    return {"calibration": rig.calibration if rig.method.CELL else None, "sensors": rig.sensors}


def _found(runs: Sequence[Run], path: Path) -> str:
    steps = 1 + max(r.step for r in runs)
    lifts, weights = (f"{len(runs)} run{'s' * (len(runs) > 1)}", f"{steps} load{'s' * (steps > 1)}")
    return f"{lifts} of {weights} found in {path.name}."


def import_log(
    book: Logbook,
    form: LogFormat,
    log: LogLook,
    columns: Columns | None,
    *,
    build_id: int,
    rig_id: int,
    plan: Plan,
    progress: Callable[[float], None] = lambda _: None,
) -> tuple[int, list[str]]:
    """Makes a log's lifts a new test; its id, and remarks on what was left out.

    The recording is kept once, whole; each lift is a span of it. progress: is told the part done
    [0..1]; an exception it raises ends the import before anything is kept.
    """
    recording, remarks = form.read(log, columns, lambda part: progress(0.9 * part))
    rig = book.rig(rig_id)
    build = book.build(build_id)
    rated = _rated(build)
    runs = [
        with_events(build, rig, run.model_copy(update=_in_force(rig)), recording)
        for run in split_runs(recording, plan, method=rig.method, rated=rated)
    ]
    plan = _plan_of(runs, plan, build)
    progress(0.95)
    test_id = book.add_test(build_id, rig_id, plan, log.path.name[:120])
    first = book.add_run(test_id, runs[0], recording)
    name = next(r.recording for r in book.runs(test_id) if r.id == first)
    for run in runs[1:]:
        book.add_run(test_id, run, name)
    return test_id, [_found(runs, log.path), *assumed(runs, recording), *remarks]
