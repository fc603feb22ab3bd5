"""A test as a folder: its records, its recordings as CSV, its results, and a sheet."""

from __future__ import annotations

import shutil
from pathlib import Path

from sparring.exchange.export import Export, KeptTest
from sparring.exchange.out import result, sheet


def write(source: KeptTest, out: Path) -> Path:
    """Writes the folder into `out`; where it is. What is half-written does not stay."""
    from sparring.core.wear.inspection import Inspections
    from sparring.files import eye_files, log_files, record_files, run_files
    from sparring.logbook.recordings import RecordingError

    folder = out / source.name
    making = folder.with_name(folder.name + ".part")
    shutil.rmtree(making, ignore_errors=True)
    out.mkdir(parents=True, exist_ok=True)
    making.mkdir()
    # what was measured is its tester's to show, as in the logbook, unless the folder that it goes
    # into is one that a group works in
    shared = out.stat().st_mode
    making.chmod(0o700 | (shared & 0o070 if shared & 0o020 else 0))
    try:
        for name, record in (
            ("build", source.build),
            ("rig", source.rig),
            ("plan", source.test.plan),
        ):
            record_files.save(making / f"{name}.json", record)
        looks = tuple(i for _, i in source.book.inspections(source.test.build_id))
        if looks:  # of the build, whichever test they came after
            record_files.save(making / "inspections.json", Inspections(inspections=looks))
        runs = source.book.runs(source.test.id)
        if any(run.run.read is not None for run in runs):
            (making / "readings.csv").write_text(
                eye_files.text_of([run.run for run in runs]), encoding="utf-8"
            )
        blocks, kept = source.blocks, []
        for n, run in enumerate(runs, start=1):
            block = blocks.get((run.run.step, run.run.repeat), "")
            kept.append(run_files.Kept(run.run, block=block))
            if not run.recording:
                continue  # it stands among the readings
            try:
                recording = source.book.recording(run.recording)
                log_files.write(making / f"run-{n:03d}.csv", recording)
                kept[-1] = kept[-1].recorded(f"run-{n:03d}.csv", recording)
            except RecordingError as err:  # the rest of the test goes out all the same
                (making / f"run-{n:03d}.unreadable.txt").write_text(f"{err}\n", encoding="utf-8")
            source.progress(n / (len(runs) + 1))
        text = run_files.text_of(source.test.title, source.campaign, kept)
        (making / "runs.json").write_text(text, encoding="utf-8")
        result.write_json(source, making / "result.json")
        result.write_csv(source, making / "result.csv")
        sheet.write(source, making / "sheet.html")
        source.progress(1.0)
    except BaseException:
        shutil.rmtree(making, ignore_errors=True)
        raise
    # an earlier export of the same test is renewed; whatever else lies there stays
    if not folder.exists():
        making.rename(folder)
        return folder
    for file in making.iterdir():
        file.replace(folder / file.name)
    making.rmdir()
    return folder


EXPORT = Export("test", "Everything, as a folder", "KeptTest", suffix="", write=write)
