"""What the commands share: the application, options, and errors in data told
without a traceback."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

if TYPE_CHECKING:
    from sparring.core.rig import Rig

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help=(
        "Bench tests on gearboxes and gearmotors: torque, speed, efficiency, stall, and what the"
        " numbers mean."
    ),
)
BuildFile = Annotated[
    Path, typer.Option("--build", help="build file (JSON)", exists=True, dir_okay=False)
]
RigFile = Annotated[
    Path, typer.Option("--rig", help="rig file (JSON)", exists=True, dir_okay=False)
]
PlanFile = Annotated[
    Path | None,
    typer.Option(
        "--plan", help="plan file (JSON); default: the standard ladder", exists=True, dir_okay=False
    ),
]
LogFile = Annotated[
    Path, typer.Argument(help="log of another logger, CSV or TSV", exists=True, dir_okay=False)
]
LogColumns = Annotated[
    list[str] | None,
    typer.Option("--column", help="NUMBER=CHANNEL:UNIT, columns from 1; replaces the guesses"),
]
Inspect = Annotated[
    Path | None,
    typer.Option(
        "--inspect", hidden=True, help="report what is on the screen on this socket, for tests"
    ),
]
AsJson = Annotated[bool, typer.Option("--json", help="print the stable JSON document")]


def data_errors() -> tuple[type[Exception], ...]:
    """What bad data raises. Looked up when something was raised: a simulated bench does not wait
    for the database's library.
    """
    from sparring.core.quantity import QuantityError
    from sparring.core.records import RecordError
    from sparring.core.reduce.inputs import ReductionError
    from sparring.core.train.kinematics import TrainError
    from sparring.core.train.torque import SelfLocking
    from sparring.exchange.export import ExportError
    from sparring.files.log_look import LogError
    from sparring.logbook import LogbookError
    from sparring.logbook.recordings import RecordingError
    from sparring.report.charts import ChartError

    return (
        RecordError,
        ExportError,
        ChartError,
        LogError,
        ReductionError,
        RecordingError,
        LogbookError,
        TrainError,
        SelfLocking,
        QuantityError,
    )


@contextmanager
def told(file: Path | None = None) -> Iterator[None]:
    """Errors in data end with status 1 and one clear text, never a traceback. file: is named where
    the text does not.
    """
    try:
        yield
    except (typer.Exit, typer.BadParameter):
        raise
    except OSError as err:
        where = f"{err.filename}: " if err.filename else ""
        typer.echo(f"{where}{err.strerror or err}", err=True)
        raise typer.Exit(1) from err
    except Exception as err:
        if not isinstance(err, data_errors()):
            raise
        text = str(err)
        where = f"{file}: " if file is not None and str(file) not in text else ""
        typer.echo(where + text, err=True)
        raise typer.Exit(1) from err


def rig_in(path: Path) -> Rig:
    """The rig of a file, whose calibrations and comparisons give a line. Raises RecordError naming
    the file.
    """
    from sparring.core.instruments import calibration
    from sparring.core.records import RecordError
    from sparring.core.reduce.inputs import instruments_of
    from sparring.core.rig import Rig
    from sparring.files import record_files

    rig = record_files.load(path, Rig)
    cells = (
        ("calibration", rig.calibration, calibration.CELL),
        ("second_calibration", rig.sensors.second_calibration, calibration.SECOND_CELL),
    )
    where = "sensors"
    try:
        instruments_of(rig.sensors)
        for where, made, which in cells:  # noqa: B007, named where it fails
            if made is not None:
                calibration.fit(made, rig.gravity.value, which)
    except ValueError as err:
        raise RecordError(f"{path}: {where}: {err}") from err
    return rig


def option(name: str, text: str, kind: str) -> float:
    """What an option says [SI]. Raises QuantityError naming it."""
    from sparring.core import quantity

    try:
        return quantity.parse(text, kind).value
    except quantity.QuantityError as err:
        raise quantity.QuantityError(f"{name} {text}: {err}") from err


def columns_of(given: list[str]) -> dict[int, tuple[str, str]]:
    from sparring.core.recording import CHANNELS

    chosen: dict[int, tuple[str, str]] = {}
    for text in given:
        number, _, rest = text.partition("=")
        channel, _, unit = rest.partition(":")
        if not re.fullmatch(r"[1-9][0-9]{0,3}", number) or channel not in ("t", *CHANNELS):
            raise typer.BadParameter(
                f"--column {text}: write NUMBER=CHANNEL:UNIT, with a channel of t,"
                f" {', '.join(CHANNELS)}"
            )
        chosen[int(number) - 1] = (channel, unit)
    return chosen


def show_table(head: list[str], rows: list[list[str]]) -> None:
    from rich.console import Console
    from rich.table import Table

    table = Table(box=None, pad_edge=False)
    for i, name in enumerate(head):
        table.add_column(name, justify="left" if i == 0 else "right")
    for row in rows:
        table.add_row(*row)
    Console(highlight=False).print(table)


def print_json(document: Any, *, line: bool = False) -> None:
    """Prints a JSON document: all that `--json` says comes this way."""
    from sparring.files import json_text

    typer.echo(json_text.text_of(document, line=line))
