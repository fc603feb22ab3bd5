"""Commands that write and read open files: what the window exports and imports."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from sparring.cli.common import (
    AsJson,
    RigFile,
    app,
    columns_of,
    print_json,
    rig_in,
    show_table,
    told,
)

Logbook_ = Annotated[Path, typer.Argument(help="logbook folder")]


@app.command()
def formats(as_json: AsJson = False) -> None:
    """What can be written and read, with the ids that `export --as` takes."""
    from sparring.exchange.exports import EXPORTS
    from sparring.exchange.imports import IMPORTS

    out = [{"id": e.id, "writes": e.words, "of": e.of, "ending": e.suffix} for e in EXPORTS]
    into = [{"id": i.id, "reads": i.words, "endings": list(i.suffixes)} for i in IMPORTS]
    if as_json:
        document = {"format": "sparring.formats/1", "exports": out, "imports": into}
        print_json(document)
        return
    show_table(["id", "what", "ending"], [[e.id, e.words, e.suffix] for e in EXPORTS])
    show_table(["id", "what", "endings"], [[i.id, i.words, " ".join(i.suffixes)] for i in IMPORTS])


@app.command()
def export(
    logbook: Logbook_,
    out: Annotated[Path, typer.Argument(help="folder to write to")],
    test: Annotated[int | None, typer.Option(help="one test; default: all")] = None,
    form: Annotated[
        str, typer.Option("--as", help="format to write; listed by `formats`")
    ] = "test",
) -> None:
    """Write a logbook's tests as open files: records, recordings as CSV, results, and a sheet."""
    from sparring.exchange.export import KeptTest
    from sparring.exchange.exports import exports_of
    from sparring.logbook import Logbook

    forms = {e.id: e for e in exports_of(KeptTest)}
    if form not in forms:
        raise typer.BadParameter(f"{form} is not one of {', '.join(forms)}", param_hint="--as")
    with told(), Logbook(logbook, create=False) as book:
        tests = [t.id for t in book.tests() if test is None or t.id == test]
        if not tests:
            typer.echo(
                f"{logbook} has no test {test}" if test else f"{logbook} has no tests", err=True
            )
            raise typer.Exit(1)
        out.mkdir(parents=True, exist_ok=True)
        for test_id in tests:
            source, chosen = KeptTest(book, test_id), forms[form]
            path = out / f"{source.name}{chosen.suffix}" if chosen.suffix else out
            typer.echo(str(chosen.save(source, path)))


@app.command("import")
def import_(
    logbook: Logbook_,
    file: Annotated[Path, typer.Argument(help="log of another logger, a build or rig file")],
    build: Annotated[str, typer.Option(help="a log's build, by its name: Dunnock r2")] = "",
    rig: Annotated[str, typer.Option(help="a log's rig, by its name")] = "",
    column: Annotated[
        list[str] | None,
        typer.Option(help="NUMBER=CHANNEL:UNIT, columns from 1; replaces the guesses"),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Take a file into a logbook: a log's runs as a test, a build or rig file as that."""
    from sparring.cli.importing import take_in

    with told():
        document = take_in(
            logbook, file, build, rig=rig, columns=columns_of(column) if column else None
        )
    if as_json:
        print_json(document)
        return
    for remark in document["remarks"]:
        typer.echo(remark, err=True)
    kept = f"test {document['test']}" if document["test"] else None
    kept = kept or document["build"] or document["rig"]
    typer.echo(f"saved as {kept}")


@app.command()
def draw(
    build: Annotated[Path, typer.Argument(help="build file", exists=True, dir_okay=False)],
    stage: Annotated[int, typer.Argument(min=1, help="stage, from 1")],
    part: Annotated[str, typer.Argument(help="pinion, wheel, planet …")],
    out: Annotated[
        Path, typer.Argument(help="drawing to write; the file extension sets the format")
    ],
) -> None:
    """Write the outline of a part, in millimetres, for making or checking it."""
    from sparring.core.build import Build
    from sparring.exchange.export import Part, part_of
    from sparring.exchange.exports import exports_of
    from sparring.files import record_files

    forms = {e.suffix: e for e in exports_of(Part)}
    if out.suffix.lower() not in forms:
        raise typer.BadParameter(
            f"{out.name} has none of the extensions {', '.join(forms)}", param_hint="OUT"
        )
    with told():
        b = record_files.load(build, Build)
        if stage > len(b.stages):
            raise typer.BadParameter(f"{b.name} has {len(b.stages)} stages", param_hint="STAGE")
        found = part_of(b, stage - 1, lambda body: part in (body.name, body.field))
        if found is None:
            names = part_of(b, stage - 1, lambda body: True)
            about = f", {names.body.name} is one" if names is not None else ""
            raise typer.BadParameter(f"stage {stage} has no {part}{about}", param_hint="PART")
        typer.echo(str(forms[out.suffix.lower()].save(found, out)))


@app.command()
def certificate(
    rig: RigFile,
    out: Annotated[Path, typer.Argument(help="sheet to write (HTML)")],
    meter: Annotated[
        str, typer.Option(help="voltmeter, ammeter or tachometer; default: the load cell")
    ] = "",
) -> None:
    """Write the calibration of a rig's load cell, or a meter's comparison, as a sheet to keep."""
    from sparring.core.instruments.meters import METERS
    from sparring.core.quantity import KINDS
    from sparring.exchange.export import Calibrated, Compared
    from sparring.exchange.exports import export as export_of

    if meter and meter not in METERS:
        raise typer.BadParameter(f"{meter} is not one of {', '.join(METERS)}", param_hint="--meter")
    with told(rig):
        r = rig_in(rig)
        if meter:
            comparison = getattr(r.sensors, meter)
            units = {k.name: k.default for k in KINDS.values()}
            source: Any = None if comparison is None else Compared(meter, comparison, units)
            made = export_of("comparison-sheet")
        else:
            source = None if r.calibration is None else Calibrated(r.calibration, r.gravity)
            made = export_of("calibration-sheet")
        if source is None:
            typer.echo(f"{r.name}: the {meter or 'load cell'} has not been calibrated", err=True)
            raise typer.Exit(1)
        typer.echo(str(made.save(source, out)))
