"""`sparring duty`, `ratio`, `spares` and `next`: which drive for a job, which ratio, what to keep
and what to change.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from sparring.cli.common import AsJson, BuildFile, app, option, print_json, show_table, told
from sparring.cli.comparing import Query

if TYPE_CHECKING:
    from sparring.core.duty.figures import Candidate

DutyFile = Annotated[Path, typer.Argument(help="duty file (JSON)", exists=True, dir_okay=False)]
BuildFiles = Annotated[
    list[Path] | None,
    typer.Option("--builds", help="build file (JSON); several times", exists=True, dir_okay=False),
]
Book = Annotated[
    Path | None, typer.Option("--logbook", help="its builds, as they were measured, as well")
]


def _candidates(
    builds: list[Path] | None, logbook: Path | None, query: str, *, combine: bool
) -> list[Candidate]:
    from sparring.core.build import Build
    from sparring.core.compare.subject import Subject
    from sparring.core.records import RecordError
    from sparring.exchange.candidates import candidates_of
    from sparring.exchange.comparing import chosen_by, subjects_of
    from sparring.files import record_files
    from sparring.logbook import Logbook

    subjects = [
        Subject(b.name, b) for b in (record_files.load(path, Build) for path in builds or [])
    ]
    if logbook is not None:
        with Logbook(logbook, create=False) as book:
            subjects += subjects_of(book, chosen_by(book, query))
    found = candidates_of(subjects, combine=combine)
    if not found:
        raise RecordError("no drive with a motor: give --builds or --logbook")
    return found


@app.command("duty")
def duty_(
    duty: DutyFile,
    builds: BuildFiles = None,
    more_builds: Annotated[
        list[Path] | None, typer.Argument(help="further build files", exists=True, dir_okay=False)
    ] = None,
    logbook: Book = None,
    query: Query = "",
    combine: Annotated[
        bool, typer.Option("--combine", help="every motor on every train as well")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Which drive does a duty: probability, margins, what limits it, energy, heat, life."""
    from sparring.core.duty.meets import meets
    from sparring.core.duty.needs import needs
    from sparring.core.duty.record import Duty
    from sparring.files import duty_files, record_files

    with told():
        d = record_files.load(duty, Duty)
        candidates = _candidates(
            [*(builds or []), *(more_builds or [])], logbook, query, combine=combine
        )
        ranking = meets(candidates, d)
        none = not any(m.meets for m in ranking.found)
        document = duty_files.to_dict(d, ranking, needs(ranking.found[0], d) if none else [])
    if as_json:
        print_json(document)
        return
    rows = [
        [
            m["name"],
            "–" if m["probability"] is None else f"{100 * m['probability']:.0f} %",
            " ".join(x for x in (m["limit_words"] or "–", m["limit_part"] or "") if x),
            f"{m['energy_J']:.3g} J",
            f"{m['winding_K'] - 273.15:.0f} °C",
            "–" if m["cycles_until_worn"] is None else f"{m['cycles_until_worn']:.3g}",
        ]
        for m in document["drives"]
    ]
    show_table(["drive", "meets it", "limit", "energy a cycle", "winding", "worn after"], rows)
    if document["nearest"]:
        typer.echo(f"None does. {document['nearest']['name']} would need:")
        for n in document["nearest"]["needs"]:
            typer.echo(f"  {'or ' if n['either'] else ''}{n['words']} {n['value']:.3g} (SI)")


@app.command()
def ratio(
    duty: Annotated[Path, typer.Option("--duty", help="duty file (JSON)", exists=True)],
    motor: Annotated[
        Path,
        typer.Option("--motor", help="build file (JSON) with the motor and a train", exists=True),
    ],
    from_: Annotated[float | None, typer.Option("--from", help="least ratio")] = None,
    to: Annotated[float | None, typer.Option("--to", help="greatest ratio")] = None,
    efficiency: Annotated[
        str, typer.Option(help="of the train at any ratio, without drag; default: the build's")
    ] = "",
    drag: Annotated[str, typer.Option(help="at the train's input")] = "0 mN·m",
    distance: Annotated[str, typer.Option(help="from rest, of a vehicle")] = "10 m",
    aim: Annotated[str, typer.Option(help="margin, time or energy: gears are for this one")] = (
        "margin"
    ),
    module: Annotated[list[str] | None, typer.Option(help="of stage 1, of stage 2 …")] = None,
    gear: Annotated[
        list[str] | None, typer.Option(help="a gear at hand: TEETH:MODULE[:PIECES]; several times")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Over the ratio, for one motor: speed, pull, time, energy, heat; the best; gears for it."""
    import numpy as np

    from sparring.core.build import Build
    from sparring.core.duty import ratio as ratios
    from sparring.core.duty.figures import draws, motor_of, train_of
    from sparring.core.duty.record import Duty
    from sparring.core.duty.teeth import proposals
    from sparring.core.outlook.drive import Drive
    from sparring.files import duty_files, record_files

    if aim not in ratios.AIMS:
        raise typer.BadParameter(f"--aim {aim}: write {', '.join(ratios.AIMS)}")
    with told():
        d, b = record_files.load(duty, Duty), record_files.load(motor, Build)
        drive = Drive.of(b)
        figures, losses = draws(drive, b.name)
        try:
            m = motor_of(drive, b.motor.name, figures)
        except ValueError as err:
            from sparring.core.records import RecordError

            raise RecordError(str(err)) from err
        train = train_of(drive, b.name, figures, losses)
        if efficiency:
            part = option("--efficiency", efficiency, "ratio")
            b0 = option("--drag", drag, "torque")
            train = ratios.plain(part, b0, train.ratio, len(losses))
        span = None
        if from_ is not None or to is not None:
            span = np.geomspace(from_ or train.ratio / 8, to or train.ratio * 8, 81)
        over = ratios.over_ratio(
            m, train, d, span, distance=option("--distance", distance, "length")
        )
        best = [ratios.best(over, d, x) for x in ratios.AIMS]
        wanted = next(x for x in best if x.aim == aim).ratio
        gears = []
        if wanted > 1:
            gears = proposals(wanted, owned=_gears(gear), modules=_modules(module))
        document = duty_files.ratio_to_dict(d, over, best, gears)
    if as_json:
        print_json(document)
        return
    for x in document["best"]:
        low, high = x["within_2_percent"]
        does = "" if x["meets"] else "; no ratio does this duty"
        as_good = f"as good from {low:.3g} to {high:.3g}"
        typer.echo(f"{ratios.AIMS[x['aim']]}: {x['ratio']:.3g}:1, {as_good}{does}")
    for p in document["gears"]:
        pairs = ", ".join(f"{q['pinion']}/{q['wheel']}" for q in p["pairs"])
        hunting = ", hunting" if p["hunting"] else ""
        typer.echo(f"{pairs}: {p['ratio']:.4g}:1, {1e3 * p['size_m']:.0f} mm{hunting}")


def _gears(given: list[str] | None) -> list[Any]:
    from sparring.core.duty.teeth import GearAtHand

    found = []
    for text in given or []:
        parts = text.split(":")
        if len(parts) not in (2, 3) or not parts[0].isdigit() or not parts[-1]:
            raise typer.BadParameter(f"--gear {text}: write TEETH:MODULE, 12:1mm, or 12:1mm:2")
        pieces = int(parts[2]) if len(parts) == 3 else 1
        found.append(GearAtHand(int(parts[0]), option("--gear", parts[1], "length"), pieces))
    return found


def _modules(given: list[str] | None) -> list[float]:
    return [option("--module", x, "length") for x in given or []] or [1e-3]


@app.command()
def spares(
    logbook: Annotated[Path, typer.Argument(help="logbook folder")],
    build: Annotated[str, typer.Option(help="name of a build: Dunnock r2")],
    duty: Annotated[Path, typer.Option("--duty", help="duty file (JSON)", exists=True)],
    cycles: Annotated[float, typer.Option(help="of the duty in the season, of each drive")],
    right: Annotated[int, typer.Option(min=0, help="drives in use")] = 1,
    left: Annotated[int, typer.Option(min=0, help="mirrored drives in use")] = 0,
    sure: Annotated[str, typer.Option(help="chance that the spares are enough")] = "95 %",
    as_json: AsJson = False,
) -> None:
    """How many of which part a season takes, from lives of specimens and from wear."""
    from pydantic import ValidationError

    from sparring.core import quantity
    from sparring.core.compare.choice import Choice
    from sparring.core.duty.record import Duty, per_cycle
    from sparring.core.duty.spares import Fleet
    from sparring.core.duty.spares import spares as needed
    from sparring.core.records import RecordError, problems
    from sparring.exchange.candidates import candidate_of
    from sparring.exchange.comparing import subjects_of
    from sparring.files import duty_files, record_files
    from sparring.logbook import Logbook

    with told(logbook):
        d = record_files.load(duty, Duty)
        with Logbook(logbook, create=False) as book:
            key = next((i for i, b in book.builds() if b.name == build), None)
            if key is None:
                raise RecordError(f"{logbook} has no build {build}")
            (subject,) = subjects_of(book, [Choice(key)])
        try:
            share = option("--sure", sure, "ratio")
            fleet = Fleet(left=left, right=right, cycles=cycles, sure=share)
        except ValidationError as err:
            raise RecordError(problems(err, "the options")) from err
        try:
            candidate = candidate_of(subject)
            found = needed(subject.build, candidate.train, fleet, *per_cycle(d))
        except ValueError as err:
            raise RecordError(str(err)) from err
        document = duty_files.spares_to_dict(build, d, found)
    if as_json:
        print_json(document)
        return
    typer.echo(f"{cycles:g} cycles at {quantity.show(d.voltage, 'voltage', 'V')} in each drive")
    show_table(
        ["part", "hand", "expected", "spares", "listed", "because of"],
        [[s.part, s.hand, f"{s.expected:.2g}", str(s.pieces), str(s.have), s.why] for s in found],
    )


@app.command("next")
def next_(
    build: BuildFile,
    torque: Annotated[str, typer.Option(help="at the output, to be carried")],
    voltage: Annotated[str, typer.Option(help="at the motor; default: its own")] = "",
    as_json: AsJson = False,
) -> None:
    """What to change next: greatest loss, weakest part, heaviest gear, by the model."""
    from sparring.core.build import Build
    from sparring.core.compare.next_change import changes
    from sparring.core.records import RecordError
    from sparring.files import duty_files, record_files

    with told():
        b = record_files.load(build, Build)
        volts = option("--voltage", voltage, "voltage") if voltage else b.motor.voltage.value
        try:
            found = changes(b, option("--torque", torque, "torque"), volts)
        except ValueError as err:
            raise RecordError(str(err)) from err
        document = duty_files.changes_to_dict(b.name, found)
    if as_json:
        print_json(document)
        return
    show_table(
        ["aim", "change", "gain", "why"],
        [[c.aim, c.what, f"{100 * c.gain:.1f} %", c.why] for c in found],
    )
