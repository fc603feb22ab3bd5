"""What goes in and out of a logbook as open files."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from pathlib import Path

from sparring.core.analysis import Reductions, analyse
from sparring.core.finding import Peer, PeerStep
from sparring.core.plan import Plan
from sparring.core.quantity import Measured
from sparring.core.reduce.results import TestResult, headline, split_runs
from sparring.files import log_files, record_files, result_files
from sparring.logbook import Logbook
from sparring.logbook.recordings import RecordingError
from sparring.report.sheet import render


def derive(book: Logbook, test_id: int) -> TestResult:
    """The result of a test, with the figures that lists show kept. Raises ReductionError,
    LogbookError.
    """
    test = book.test(test_id)
    runs = book.material(book.runs(test_id))
    result = analyse(
        book.build(test.build_id),
        book.rig(test.rig_id),
        test.plan,
        runs,
        reductions=Reductions(book.derived),
    )
    book.save_headline(test_id, headline(result))
    return result


def peers_of(book: Logbook, test_id: int) -> list[Peer]:
    """The other tests of a logbook, as far as their efficiencies are known."""
    names, tests = {i: b.name for i, b in book.builds()}, book.tests()
    here = next(t for t in tests if t.id == test_id)
    return [
        Peer(
            names[t.build_id],
            tuple(PeerStep(*step) for step in t.headline["steps"]),
            t.headline.get("method", ""),
            same_build=t.build_id == here.build_id,
            same_rig=t.rig_id == here.rig_id,
        )
        for t in tests
        if t.id != test_id and t.headline and t.headline.get("steps") and t.build_id in names
    ]


def export_test(
    book: Logbook, test_id: int, out: Path, progress: Callable[[float], None] = lambda _: None
) -> Path:
    """Writes a test's records, recordings as CSV, results as JSON and CSV, and a sheet; the folder
    they are in.

    progress: is told the part done [0..1]; an exception it raises ends the export, and nothing
    half-written stays.
    """
    test = book.test(test_id)
    build, rig = book.build(test.build_id), book.rig(test.rig_id)
    family = build.family.lower().replace(" ", "-").replace("/", "-")
    folder = out / f"test-{test.id}-{family}-r{build.revision}"
    making = folder.with_name(folder.name + ".part")
    shutil.rmtree(making, ignore_errors=True)
    making.mkdir(parents=True)
    try:
        for name, record in (("build", build), ("rig", rig), ("plan", test.plan)):
            record_files.save(making / f"{name}.json", record)
        runs = book.runs(test.id)
        for n, run in enumerate(runs, start=1):
            try:
                log_files.write(making / f"run-{n:03d}.csv", book.recording(run.recording))
            except RecordingError as err:  # the rest of the test goes out all the same
                (making / f"run-{n:03d}.unreadable.txt").write_text(f"{err}\n", encoding="utf-8")
            progress(n / (len(runs) + 1))
        result = analyse(build, rig, test.plan, book.material(runs))
        corrections = book.corrections(test.build_id, test.rig_id)
        (making / "result.json").write_text(
            json.dumps(result_files.to_dict(result, corrections), indent=2), encoding="utf-8"
        )
        (making / "result.csv").write_text(result_files.to_csv(result), encoding="utf-8")
        (making / "sheet.html").write_text(render(result, corrections), encoding="utf-8")
        progress(1.0)
    except BaseException:
        shutil.rmtree(making, ignore_errors=True)
        raise
    # an earlier export of the same test is renewed; whatever else lies there stays
    folder.mkdir(exist_ok=True)
    for file in making.iterdir():
        file.replace(folder / file.name)
    making.rmdir()
    return folder


def import_log(
    book: Logbook,
    log: log_files.LogLook,
    columns: dict[int, tuple[str, str]],
    build_id: int,
    rig_id: int,
    plan: Plan,
    progress: Callable[[float], None] = lambda _: None,
) -> tuple[int, list[str]]:
    """Makes a log's lifts a new test; its id, and remarks on what was left out.

    The recording is kept once, whole; each lift is a span of it. progress: is told the part done
    [0..1]; an exception it raises ends the import before anything is kept.
    """
    recording, remarks = log_files.read(log, columns, lambda part: progress(0.9 * part))
    rig = book.rig(rig_id)
    in_force = {"calibration": rig.calibration if rig.method.CELL else None, "sensors": rig.sensors}
    runs = [
        run.model_copy(update=in_force) for run in split_runs(recording, plan, method=rig.method)
    ]
    masses = sorted({r.load.value for r in runs if r.load is not None})
    steps = 1 + max(r.step for r in runs)
    repeats = max(r.repeat for r in runs)
    if masses:
        plan = plan.model_copy(update={"loads": tuple(Measured(m) for m in masses)})
    plan = plan.model_copy(update={"repeats": repeats})
    progress(0.95)
    test_id = book.add_test(build_id, rig_id, plan, log.path.name[:120])
    first = book.add_run(test_id, runs[0], recording)
    name = next(r.recording for r in book.runs(test_id) if r.id == first)
    for run in runs[1:]:
        book.add_run(test_id, run, name)
    lifts, weights = (
        f"{len(runs)} lift{'s' * (len(runs) > 1)}",
        f"{steps} weight{'s' * (steps > 1)}",
    )
    return test_id, [f"{lifts} of {weights} found in {log.path.name}.", *remarks]
