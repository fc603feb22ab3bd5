"""What `sparring orders` and `sparring chart` do."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from sparring.cli.common import (
    AsJson,
    BuildFile,
    LogColumns,
    app,
    columns_of,
    print_json,
    rig_in,
    show_table,
    told,
)

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.orders.lines import Orders
    from sparring.core.orders.sound import Heard


@app.command()
def orders(
    build: BuildFile,
    log: Annotated[
        Path | None,
        typer.Argument(
            help="log with the speed or angle of a shaft, CSV or TSV", exists=True, dir_okay=False
        ),
    ] = None,
    rig: Annotated[
        Path | None, typer.Option("--rig", help="rig file (JSON), for its tachometer", exists=True)
    ] = None,
    sound: Annotated[
        Path | None,
        typer.Option("--sound", help="sound of the running drive, WAV or FLAC", exists=True),
    ] = None,
    channel: Annotated[
        str, typer.Option(help="speed, torque, current, transmission_error …; default: the speed")
    ] = "",
    shaft: Annotated[str, typer.Option(help="whose turns are counted")] = "output",
    before: Annotated[
        list[Path] | None,
        typer.Option("--before", help="earlier log; each line's growth since", exists=True),
    ] = None,
    as_json: AsJson = False,
    column: LogColumns = None,
) -> None:
    """What repeats with the turns of each shaft, named by the part that makes it."""
    from sparring.core.build import Build
    from sparring.core.findings.orders import of_orders
    from sparring.core.orders.growth import growth
    from sparring.core.reduce.inputs import ReductionError
    from sparring.files import order_files, record_files

    if log is None and sound is None:
        raise typer.BadParameter("give a log, or a sound with --sound, or both")
    with told():
        b = record_files.load(build, Build)
        document: dict[str, Any] = {}
        if log is not None:
            given = (b, rig, channel, shaft, column)
            found = _of_log(log, *given)
            try:
                grown = growth([_of_log(p, *given) for p in before], [found]) if before else []
            except ValueError as err:
                raise ReductionError(f"{log}: {err}") from err
            document = order_files.to_dict(b, found, of_orders(found, grown), grown=grown)
        if sound is not None:
            heard, lines = _of_sound(sound, b)
            by_sound = order_files.to_dict(b, lines, of_orders(lines), heard)
            if log is None:
                document = by_sound
            else:
                document |= {"speed_by_sound": by_sound["speed_by_sound"], "sound": by_sound}
    if as_json:
        print_json(document)
        return
    _tell(document)


def _of_log(
    log: Path, build: Build, rig: Path | None, channel: str, shaft: str, column: list[str] | None
) -> Orders:
    from sparring.core.orders.lines import orders_of
    from sparring.core.orders.transmission import CHANNEL, orders_of_error
    from sparring.core.reduce.inputs import ReductionError
    from sparring.core.rig import Rig
    from sparring.files import log_files, log_look

    r = rig_in(rig) if rig else Rig.ours()
    recording, _ = log_files.read(log_look.look(log), columns_of(column) if column else None)
    try:
        if channel == CHANNEL:
            return orders_of_error(build, recording, shaft)
        doubt = r.sensors.speed_accuracy / 2
        return orders_of(build, recording, channel=channel, counted=shaft, doubt=doubt)
    except ReductionError as err:
        raise ReductionError(f"{log}: {err}") from err


def _of_sound(path: Path, build: Build) -> tuple[Heard, Orders]:
    from sparring.core.orders.sound import expected_speeds, lines_of
    from sparring.core.reduce.inputs import ReductionError
    from sparring.files import sound_files

    try:
        return lines_of(build, sound_files.read(path), *expected_speeds(build))
    except ReductionError as err:
        raise ReductionError(f"{path}: {err}") from err


def _tell(document: dict[str, Any]) -> None:
    limits = document["limits"]
    typer.echo(
        f"{limits['turns']:.1f} turns of {document['counted_by']}, resolution"
        f" {limits['resolution']:.2g}, orders up to {limits['highest_order']:.4g}"
    )
    if by_sound := document["speed_by_sound"]:
        rpm = 30 / math.pi
        typer.echo(
            f"output speed by the sound {by_sound['speed_rad_per_s'] * rpm:.2f} ±"
            f" {2 * by_sound['u_speed_rad_per_s'] * rpm:.2f} rpm"
        )
    rows = [
        [
            x["part"] + (f" (or {x['alias_of']})" if x["alias_of"] else ""),
            f"{x['order']:.4g}",
            f"{100 * x['relative']:.3g}",
            f"{200 * x['u_amplitude'] / abs(document['mean'] or 1):.1g}",
            x["reason"],
        ]
        for x in document["lines"]
    ]
    if rows:
        show_table(["part", "order", "amplitude %", "± %", "because"], rows)
    else:
        typer.echo("No line stands out of the noise.")
    for f in document["findings"]:
        typer.echo(f"{f['severity']}: {f['title']}. {f['seen']}")


@app.command()
def chart(
    result: Annotated[
        Path,
        typer.Argument(
            help="what `reduce --json` or `orders --json` printed", exists=True, dir_okay=False
        ),
    ],
    out: Annotated[Path, typer.Option("--out", help="SVG, PNG or PDF to write")],
    kind: Annotated[
        str, typer.Option(help="torque, map, losses, orders, temperature or repeats")
    ] = "torque",
) -> None:
    """Draw a chart of a result for paper, 160 mm wide."""
    from sparring.core.records import RecordError
    from sparring.files import json_text
    from sparring.report.charts import ChartError, draw

    with told():
        document = json_text.read(result)
        if not isinstance(document, dict):
            raise RecordError(f"{result}: not a result; use what `reduce --json` printed")
        try:
            typer.echo(str(draw(document, kind, out)))
        except ChartError as err:
            raise ChartError(f"{result}: {err}") from err
