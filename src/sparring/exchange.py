"""What goes in and out of a logbook as open files."""

from __future__ import annotations

import json
from pathlib import Path

from sparring.core.analysis import analyse
from sparring.core.plan import Plan
from sparring.core.quantity import Measured
from sparring.core.reduce.results import split_runs
from sparring.files import log_files, record_files, result_files
from sparring.logbook import Logbook
from sparring.report.sheet import render


def export_test(book: Logbook, test_id: int, out: Path) -> Path:
    """Writes a test's records, recordings as CSV, results as JSON and CSV, and a sheet; the folder they are in."""
    test = book.test(test_id)
    build, rig = book.build(test.build_id), book.rig(test.rig_id)
    folder = out / f"test-{test.id}-{build.family.lower().replace(' ', '-').replace('/', '-')}-r{build.revision}"
    folder.mkdir(parents=True, exist_ok=True)
    for name, record in (("build", build), ("rig", rig), ("plan", test.plan)):
        record_files.save(folder / f"{name}.json", record)
    for n, run in enumerate(book.runs(test.id), start=1):
        log_files.write(folder / f"run-{n:03d}.csv", book.recording(run.recording))
    result = analyse(build, rig, test.plan, book.material(test.id))
    (folder / "result.json").write_text(json.dumps(result_files.to_dict(result), indent=2), encoding="utf-8")
    (folder / "result.csv").write_text(result_files.to_csv(result), encoding="utf-8")
    (folder / "sheet.html").write_text(render(result), encoding="utf-8")
    return folder


def import_log(
    book: Logbook, log: log_files.LogLook, columns: dict[int, tuple[str, str]], build_id: int, rig_id: int, plan: Plan
) -> tuple[int, list[str]]:
    """Makes a log's lifts a new test; its id, and remarks on what was left out.

    The recording is kept once, whole; each lift is a span of it.
    """
    recording, remarks = log_files.read(log, columns)
    runs = split_runs(recording, plan)
    masses = sorted({r.load.value for r in runs if r.load is not None})
    steps = 1 + max(r.step for r in runs)
    repeats = max(r.repeat for r in runs)
    if masses:
        plan = plan.model_copy(update={"loads": tuple(Measured(m) for m in masses)})
    plan = plan.model_copy(update={"repeats": repeats})
    test_id = book.add_test(build_id, rig_id, plan, log.path.name[:120])
    first = book.add_run(test_id, runs[0], recording)
    name = next(r.recording for r in book.runs(test_id) if r.id == first)
    for run in runs[1:]:
        book.add_run(test_id, run, name)
    return test_id, [f"{len(runs)} lifts of {steps} weights found in {log.path.name}.", *remarks]
