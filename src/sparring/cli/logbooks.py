"""Commands on logbooks."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from sparring.cli.common import AsJson, Inspect, app, print_json, told
from sparring.home import home


@app.command("open")
def open_(
    logbook: Annotated[
        Path | None, typer.Argument(help="logbook folder; default: your own")
    ] = None,
    inspect: Inspect = None,
) -> None:
    """Open a logbook in the window."""
    from sparring.ui.app.application import run

    raise typer.Exit(run(logbook or home() / "logbook", inspect))


@app.command()
def demo(
    folder: Annotated[Path | None, typer.Argument(help="folder for the demo logbook")] = None,
    no_window: Annotated[
        bool, typer.Option("--no-window", help="create the logbook and exit")
    ] = False,
    inspect: Inspect = None,
) -> None:
    """Make the demo logbook of Hollin Yard, once, and open it."""
    target = folder or home() / "demo"
    if no_window:
        from sparring.demo import make_logbook

        with told():
            make_logbook(target)
        typer.echo(str(target))
        return
    from sparring.ui.app.application import run

    raise typer.Exit(run(target, inspect, demo=True))


@app.command()
def edit(
    logbook: Annotated[Path, typer.Argument(help="logbook folder")],
    settings: Annotated[
        list[str],
        typer.Option(
            "--set", help="PLACE=VALUE, the place as in the record file: stages.0.module=1 mm"
        ),
    ],
    build: Annotated[str, typer.Option(help="name of a build: Dunnock r2")] = "",
    rig: Annotated[str, typer.Option(help="name of a rig")] = "",
    wrong_all_along: Annotated[
        bool,
        typer.Option(
            "--wrong-all-along",
            help=(
                "for a tested record: correct it and its results; default: create a new revision"
            ),
        ),
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Change a build or rig of a logbook; what was tested stays as it was, or is corrected with the
    old value kept.
    """
    from sparring.cli.edit import edit_record

    if bool(build) == bool(rig):
        raise typer.BadParameter("name one build or one rig", param_hint="--build, --rig")
    pairs = [
        (place.strip(), value.strip())
        for place, sign, value in (s.partition("=") for s in settings)
        if sign
    ]
    if len(pairs) < len(settings):
        raise typer.BadParameter("write PLACE=VALUE", param_hint="--set")
    with told():
        document = edit_record(
            logbook,
            "build" if build else "rig",
            build or rig,
            settings=pairs,
            wrong_all_along=wrong_all_along,
        )
    if as_json:
        print_json(document)
        return
    typer.echo(f"saved as {document['kept_as']}")
    for c in document["corrections"]:
        typer.echo(f"corrected: {c['field']} {c['before']} → {c['after']}")


@app.command()
def care(
    logbook: Annotated[Path, typer.Argument(help="logbook folder")],
    rig: Annotated[str, typer.Option(help="name of a rig")],
    confirm: Annotated[str, typer.Option(help="your name: you have read the care notes")] = "",
    as_json: AsJson = False,
) -> None:
    """What to take care of on a rig, and who has confirmed that; with a name, confirm it."""
    from datetime import date

    from sparring.cli.edit import care_of

    with told():
        document = care_of(logbook, rig, confirm.strip(), f"{date.today():%Y-%m-%d}")
    if as_json:
        print_json(document)
        return
    typer.echo("\n".join(document["notes"]))
    by, on = document["confirmed_by"], document["confirmed_on"]
    typer.echo(f"Confirmed by {by} on {on}." if by else "Not confirmed for this rig.")


@app.command()
def check(
    logbook: Annotated[Path, typer.Argument(help="logbook folder")], as_json: AsJson = False
) -> None:
    """Read everything of a logbook and say what is damaged or left over. Changes nothing."""
    from sparring.logbook import keeping

    with told():
        found = keeping.check(logbook)
    if as_json:
        print_json(found)
    else:
        if found["database"]:
            typer.echo(
                f"logbook.sqlite is damaged: {found['database']}. sparring restore "
                f"{logbook} returns to a backup."
            )
        for row in found["rows"]:
            typer.echo(
                f"{row} is not as it was written and is omitted from all lists; an earlier "
                f"backup may hold it intact: sparring restore {logbook}"
            )
        for d in found["damaged"]:
            typer.echo(f"run {', '.join(map(str, d['runs']))}: {d['why']}")
        for name in found["left_over"]:
            typer.echo(f"recordings/{name} belongs to no run")
        for name in found["cut_off"]:
            typer.echo(f"recordings/{name} was cut off; opening the logbook recovers it")
        typer.echo(
            f"{found['runs']} runs, {len(found['damaged'])} damaged; "
            f"{len(found['backups'])} backups of the database"
        )
    if found["database"] or found["rows"] or found["damaged"]:
        raise typer.Exit(1)


@app.command()
def restore(
    logbook: Annotated[Path, typer.Argument(help="logbook folder, not open anywhere")],
    copy: Annotated[
        str, typer.Option(help="name of one of its backups; default: the newest intact one")
    ] = "",
) -> None:
    """Go back to a copy of a logbook's database. The one there is moved aside, recordings stay."""
    from sparring.logbook import keeping

    with told():
        taken, aside = keeping.restore(logbook, copy)
    typer.echo(f"{taken.name} has been restored; the former database is {aside.name}")
