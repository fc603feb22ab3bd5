"""The command line. Results go to standard output, remarks and errors to standard error."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from sparring import __version__
from sparring.cli import benches, files, logbooks, parts, planning
from sparring.cli.common import (
    AsJson,
    BuildFile,
    PlanFile,
    RigFile,
    app,
    columns_of,
    option,
    show_table,
    told,
)

if TYPE_CHECKING:
    from sparring.core.reduce.results import TestResult

__all__ = ["app", "benches", "files", "logbooks", "parts", "planning"]  # whose commands it has


def _version(value: bool) -> None:
    if value:
        typer.echo(__version__)
        raise typer.Exit


@app.callback()
def _top(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="print the version")
    ] = False,
) -> None:
    pass


@app.command()
def train(
    build: Annotated[Path, typer.Argument(help="build file", exists=True, dir_okay=False)],
    load: Annotated[str, typer.Option(help="output torque")] = "0.3 N·m",
    voltage: Annotated[str, typer.Option(help="motor voltage")] = "12 V",
    as_json: AsJson = False,
) -> None:
    """How a build turns, what each shaft carries, what is lost, and when it stalls."""
    from sparring.core import quantity
    from sparring.core.build import Build
    from sparring.core.train.kinematics import ratio_in_words
    from sparring.files import record_files, train_files

    with told():
        b = record_files.load(build, Build)
        torque, volts = option("--load", load, "torque"), option("--voltage", voltage, "voltage")
        if torque < 0:
            raise quantity.QuantityError(
                f"--load {load}: give the torque that the output works against, as a positive value"
            )
        document = train_files.to_dict(b, torque, volts)
    if as_json:
        typer.echo(json.dumps(document, indent=2))
        return
    eta = quantity.show(document["efficiency_gearbox"], "ratio", "%")
    typer.echo(
        f"{b.name}: {ratio_in_words(document['ratio'])}, stalls at"
        f" {quantity.show(document['stall_torque_Nm'], 'torque', 'N·m')}, gearbox"
        f" {eta} at {quantity.show(torque, 'torque', 'N·m')}"
    )
    show_table(
        ["shaft", "speed rpm", "torque N·m"],
        [
            [
                s["name"],
                quantity.show(s["speed_rad_per_s"], "speed", "rpm", with_unit=False),
                quantity.show(s["torque_Nm"], "torque", "N·m", with_unit=False),
            ]
            for s in document["shafts"]
        ],
    )


@app.command()
def reduce(
    log: Annotated[
        Path, typer.Argument(help="log of another logger, CSV or TSV", exists=True, dir_okay=False)
    ],
    build: BuildFile,
    rig: RigFile,
    plan: PlanFile = None,
    as_json: AsJson = False,
    column: Annotated[
        list[str] | None,
        typer.Option(help="NUMBER=CHANNEL:UNIT, columns from 1; replaces the guesses"),
    ] = None,
) -> None:
    """Torque, power, efficiency and findings from a log."""
    from sparring.core.analysis import analyse
    from sparring.core.build import Build
    from sparring.core.findings.setup import with_records
    from sparring.core.plan import Plan
    from sparring.core.reduce.inputs import ReductionError
    from sparring.core.reduce.split import split_runs
    from sparring.core.rig import Rig
    from sparring.files import log_files, log_look, record_files

    columns = columns_of(column) if column else None
    with told():
        b, r = record_files.load(build, Build), record_files.load(rig, Rig)
        p = record_files.load(plan, Plan) if plan else Plan()
        recording, remarks = log_files.read(log_look.look(log), columns)
        try:
            runs = split_runs(recording, p, method=r.method)
        except ReductionError as err:
            raise ReductionError(f"{log}: {err}") from err
        result = with_records(analyse(b, r, p, [(run, recording) for run in runs]))
        _some_steps(log, result)
    for remark in remarks:
        typer.echo(remark, err=True)
    _tell(result, as_json=as_json)


@app.command("by-eye")
def by_eye(
    readings: Annotated[
        Path,
        typer.Argument(
            help="table of readings, one run per line (CSV)", exists=True, dir_okay=False
        ),
    ],
    build: BuildFile,
    rig: RigFile,
    plan: PlanFile = None,
    as_json: AsJson = False,
) -> None:
    """Torque, power, efficiency and findings from what a person read off scale, meter and clock."""
    from sparring.core.analysis import analyse
    from sparring.core.build import Build
    from sparring.core.findings.setup import with_records
    from sparring.core.plan import Plan
    from sparring.core.recording import Recording
    from sparring.core.rig import Rig
    from sparring.files import eye_files, record_files

    with told():
        b, r = record_files.load(build, Build), record_files.load(rig, Rig)
        p = record_files.load(plan, Plan) if plan else Plan()
        runs = eye_files.read(readings)
        result = with_records(analyse(b, r, p, [(run, Recording.nothing()) for run in runs]))
        _some_steps(readings, result)
    for run, why in result.skipped:
        typer.echo(f"step {run.step + 1}, run {run.repeat} was not reduced: {why}", err=True)
    _tell(result, as_json=as_json)


def _some_steps(path: Path, result: TestResult) -> None:
    if not result.steps:
        reasons = "; ".join(sorted({why for _, why in result.skipped}))
        typer.echo(f"{path}: no run could be reduced: {reasons}", err=True)
        raise typer.Exit(1)


def _tell(result: TestResult, *, as_json: bool) -> None:
    from sparring.core import quantity
    from sparring.core.finding import SEVERITY, explain
    from sparring.core.uncertainty import nominal, std
    from sparring.files import result_files

    if as_json:
        typer.echo(json.dumps(result_files.to_dict(result), indent=2))
        return

    def cell(x: Any, kind: str, unit: str) -> str:
        return (
            "–" if x is None else quantity.show(nominal(x), kind, unit, u=std(x), with_unit=False)
        )

    show_table(
        ["runs", "torque N·m", "speed rpm", "wire to shaft %", "gearbox %"],
        [
            [
                f"{len(s.points)}" + (f" + {len(s.stalls)} stalled" if s.stalls else ""),
                cell(s.torque, "torque", "N·m"),
                cell(s.speed, "speed", "rpm"),
                cell(s.wire_to_shaft, "ratio", "%"),
                cell(s.gearbox, "ratio", "%"),
            ]
            for s in result.steps
        ],
    )
    for f in result.findings:
        typer.echo(f"{SEVERITY[f.severity]}: {f.title}. {explain(f)}")
