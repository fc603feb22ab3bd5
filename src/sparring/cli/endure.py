"""Life tests from a terminal: beginning one, going on with it, seeing how it stands."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from sparring.cli.common import AsJson, app, print_json, told

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.endurance import Endurance
    from sparring.core.instruments.devices import DeviceSet
    from sparring.core.rig import Rig
    from sparring.endurance.journal import Journal


def begun(logbook: Path, build: Build, rig: Rig, plan: Endurance, devices: DeviceSet) -> Journal:
    """A new life test in a logbook. Raises LogbookError, JournalError."""
    from sparring.endurance import process
    from sparring.logbook import Logbook

    with Logbook(logbook) as book:
        known = next((i for i, b in book.builds() if b.name == build.name), None)
        build_id = known if known is not None else book.save_build(build)
        same = rig.to_json()
        rig_id = next((i for i, r in book.rigs() if r.to_json() == same), None)
        ids = build_id, rig_id or book.save_rig(rig)
        return process.begin(book, ids, build, rig, plan, devices)


def go_on(folder: Path, *, lines: bool, ask: bool) -> int:
    """Does a life test in this process; the exit status. ask: before the cell is tared, where
    somebody is there. Raises JournalError.
    """
    from sparring.bench.attended import Interrupted
    from sparring.endurance.journal import Journal, JournalError
    from sparring.endurance.recorder import Recorder

    journal = Journal.of(folder)
    if journal.now.alive and journal.now.pid != os.getpid():
        raise JournalError(f"process {journal.now.pid} does this life test already")
    if journal.now.state == "ended":
        typer.echo(f"It has ended: {journal.now.why}.", err=True)
        return 0

    def tell(what: dict[str, Any]) -> None:
        if lines:
            print_json(what, line=True)
        elif what["kind"] in ("said", "state"):
            typer.echo(what.get("text") or f"{what['state']} {what['why']}".strip(), err=True)

    def confirm(what: str) -> None:
        if ask and sys.stdin.isatty():
            typer.prompt(f"{what}, then press Enter", default="", show_default=False, err=True)

    try:
        why = Recorder(journal, tell, confirm).go()
    except (Interrupted, OSError) as err:
        typer.echo(f"The life test cannot go on: {err}", err=True)
        return 1
    except KeyboardInterrupt:
        typer.echo("The life test is paused; “sparring record --resume” goes on.", err=True)
        return 130
    typer.echo(f"The life test has ended: {why}.", err=True)
    return 0


@app.command()
def endurance(
    logbook: Annotated[Path, typer.Argument(help="logbook folder")],
    test: Annotated[
        int | None, typer.Option("--test", help="number of its test; default: the newest")
    ] = None,
    pause: Annotated[bool, typer.Option("--pause", help="stop after the run under way")] = False,
    resume: Annotated[bool, typer.Option("--go-on", help="after a pause or an inspection")] = False,
    end: Annotated[bool, typer.Option("--end", help="end it for good")] = False,
    calendar: Annotated[
        Path | None, typer.Option(help="iCalendar file of its stops, to write")
    ] = None,
    service: Annotated[
        bool, typer.Option("--service", help="print a systemd user unit that goes on with it")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """How a life test stands; pause it, go on with it, end it."""
    from sparring.endurance import process
    from sparring.endurance.journal import Journal, journals

    known = journals(logbook)
    if not known:
        raise typer.BadParameter(f"{logbook} has no life test", param_hint="LOGBOOK")
    number = max(known) if test is None else test
    if number not in known:
        raise typer.BadParameter(
            f"{number} is none of {', '.join(map(str, sorted(known)))}", param_hint="--test"
        )
    with told():
        journal = Journal.of(known[number])
        if service:
            typer.echo(process.unit(journal.folder), nl=False)
            return
        if calendar is not None:
            from sparring.endurance.calendar import calendar_of

            calendar.write_bytes(calendar_of(journal))
        for wanted, word in ((pause, "pause"), (resume, "resume"), (end, "end")):
            if wanted:
                process.tell(journal, word)
        document = status(journal)
    if as_json:
        print_json(document)
        return
    total = document["totals"]
    typer.echo(f"{document['name']}: {document['state']} {document['why']}".strip())
    typer.echo(
        f"{total['cycles']} cycles, {total['driven_s'] / 3600:.2f} h, {total['turns']:.0f} turns,"
        f" {total['work_J'] / 1e3:.2f} kJ out, {total['events']} events"
    )


def status(journal: Journal) -> dict[str, Any]:
    """The document described in docs/formats.md."""
    from dataclasses import asdict

    tested, total, now = journal.tested(), journal.totals, journal.now
    sums = asdict(total)
    return {
        "format": "sparring.endurance-status/1",
        "test": tested.test,
        "name": tested.plan.name,
        "folder": str(journal.folder),
        "state": now.state if now.alive or now.state in ("ended", "failed") else "not running",
        "why": now.why,
        "process": now.pid if now.alive else None,
        "totals": {
            "cycles": total.cycles,
            "driven_s": total.driven,
            "missed_s": total.missed,
            "turns": total.turns,
            "work_J": total.work,
            "energy_J": total.energy,
            "starts": total.starts,
            "hottest_K": _finite(sums["hottest"]),
            "play_rad": _finite(sums["play"]),
            "events": total.events,
            "efficiency_lost": _finite(total.lost),
        },
        "now": {"cycle": now.cycle.n, "phase": now.phase, "elapsed_s": now.elapsed},
        "cycles": [c.to_dict() | {"efficiency": _finite(c.efficiency)} for c in journal.cycles],
    }


def _finite(x: float) -> float | None:
    return x if x == x and abs(x) != float("inf") else None
