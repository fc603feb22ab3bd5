"""`sparring record`: a whole plan on a bench, from a terminal."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from sparring.bench.attended import Interrupted
from sparring.cli.on_bench import PlanOnBench
from sparring.core.build import Build
from sparring.core.events import Event, in_words
from sparring.core.instruments.devices import DeviceSet
from sparring.core.plan import Lift, Plan
from sparring.core.reduce.inputs import ReductionError
from sparring.core.reduce.results import TestResult
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import nominal, std
from sparring.exchange.deriving import derive
from sparring.files import event_files
from sparring.logbook import Logbook
from sparring.logbook.recovery import recover


def record(
    folder: Path,
    build: Build,
    rig: Rig,
    plan: Plan,
    devices: DeviceSet,
    *,
    ask: bool,
    quiet: bool,
    tell: Callable[[dict[str, Any]], None] | None = None,
) -> dict[str, Any]:
    """Runs a plan; the document described in docs/formats.md. ask: wait for Enter wherever somebody
    has to do something; tell: is told what happens while it does, one line each.
    """
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeElapsedColumn

    console = Console(stderr=True)
    why = ""
    with (
        Logbook(folder) as book,
        Progress(
            TextColumn("{task.description}"),
            BarColumn(),
            MofNCompleteColumn(),
            TimeElapsedColumn(),
            console=console,
            disable=quiet,
        ) as progress,
    ):
        for text in recover(book):
            console.print(text, markup=False)

        def say(text: str) -> None:
            if tell:
                tell({"kind": "said", "text": text})
            else:
                console.print(text, markup=False)

        def happened(lift: Lift, e: Event) -> None:
            if tell:
                tell({"kind": "event", **lift._asdict(), "event": event_files.one(e)})
            else:
                console.print(f"{e.title}: {in_words(e)}", markup=False)

        work = PlanOnBench(book, build, rig, plan=plan, say=say, happened=happened)
        task = progress.add_task(f"{build.name} on {rig.name}", total=work.total)

        def confirm(what: str) -> None:
            if ask:
                console.input(f"{what}, then press Enter. ", markup=False)

        def lifted(n: int, total: int) -> None:
            progress.update(task, completed=n, total=max(n, total))
            if tell:
                run = book.run(work.runs[-1]).run
                ended = {"step": run.step, "repeat": run.repeat, "ended": run.ended}
                tell({"kind": "run", "id": work.runs[-1], **ended, "done": n, "of": total})

        try:
            work.go(devices, confirm, lifted)
        except Interrupted as err:
            why = str(err)
        except KeyboardInterrupt:
            why = "ended by its caller"
        kept = {r.id: r.run for r in book.runs(work.test, struck=True)} if work.test else {}
        result = None
        try:
            result = derive(book, work.test) if kept else None
        except ReductionError as err:
            console.print(str(err), markup=False)
        return _document(folder, work, kept, result, why)


def _document(
    folder: Path, work: PlanOnBench, kept: dict[int, Run], result: TestResult | None, why: str
) -> dict[str, Any]:
    best = result.best if result is not None else None
    gearbox = best.gearbox if best is not None else None
    runs = [
        {"id": i, "step": kept[i].step, "repeat": kept[i].repeat, "ended": kept[i].ended}
        for i in work.runs
    ]
    return {
        "format": "sparring.record/1",
        "logbook": str(folder),
        "test": work.test or None,
        "runs": runs,
        "best_gearbox_efficiency": (
            None if gearbox is None else {"value": nominal(gearbox), "u": std(gearbox)}
        ),
        "findings": [f.id for f in result.findings] if result is not None else [],
        "whole": not why,
        "why": why or None,
    }
