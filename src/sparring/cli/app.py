"""The command line. Results go to standard output, remarks and errors to standard error."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Annotated, Any

import typer

from sparring import __version__
from sparring.cli import (
    benches,
    charting,
    choosing,
    comparing,
    devices,
    endure,
    files,
    logbooks,
    parts,
    planning,
    wearing,
)
from sparring.cli.common import (
    AsJson,
    BuildFile,
    LogColumns,
    LogFile,
    PlanFile,
    RigFile,
    app,
    columns_of,
    option,
    print_json,
    rig_in,
    show_table,
    told,
)

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.plan import Plan
    from sparring.core.recording import Recording
    from sparring.core.reduce.results import TestResult
    from sparring.core.rig import Rig
    from sparring.core.run import Run

__all__ = [
    "app",
    "benches",
    "charting",
    "choosing",
    "comparing",
    "devices",
    "endure",
    "files",
    "logbooks",
    "parts",
    "planning",
    "wearing",
]  # whose commands it has


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
    voltage: Annotated[str, typer.Option(help="at the motor; default: its own")] = "",
    as_json: AsJson = False,
) -> None:
    """How a build turns, what each shaft carries, what is lost, and when it stalls."""
    from sparring.core import quantity
    from sparring.core.build import Build
    from sparring.core.train.kinematics import ratio_in_words
    from sparring.files import record_files, train_files

    with told():
        b = record_files.load(build, Build)
        torque = option("--load", load, "torque")
        volts = option("--voltage", voltage, "voltage") if voltage else b.motor.voltage.value
        if torque < 0:
            raise quantity.QuantityError(
                f"--load {load}: give the torque that the output works against, as a positive value"
            )
        document = train_files.to_dict(b, torque, volts)
    if as_json:
        print_json(document)
        return
    eta = quantity.show(document["efficiency_gearbox"], "ratio", "%")
    typer.echo(
        f"{b.name}: {ratio_in_words(document['ratio'])}, at"
        f" {quantity.show(volts, 'voltage', 'V')} it stalls at"
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
    log: LogFile,
    build: BuildFile,
    rig: RigFile,
    plan: PlanFile = None,
    as_json: AsJson = False,
    column: LogColumns = None,
    at_voltage: Annotated[
        str, typer.Option(help="with --json: curves at this voltage too, by the model")
    ] = "",
    winding: Annotated[str, typer.Option(help="temperature of the winding for these")] = "",
) -> None:
    """Torque, power, efficiency and findings from a log."""
    from sparring.core.analysis import analyse
    from sparring.core.findings.setup import with_records
    from sparring.core.performance.heat import courses_of, identify
    from sparring.files import performance_files

    with told():
        b, r, p, recording, runs, remarks = _runs_of(log, build, rig, plan, column)
        result = with_records(analyse(b, r, p, [(run, recording) for run in runs]))
        _some_steps(log, result)
        more: dict[str, Any] = {}
        if as_json:
            heat = identify(b, courses_of([(recording, 0.0)])) if b.has_motor else None
            more = performance_files.to_dict(result, heat)
            more["curves_at"] = _curves_at(result, at_voltage, winding)
    for remark in remarks:
        typer.echo(remark, err=True)
    _tell(result, as_json=as_json, more=more)


def _curves_at(result: TestResult, voltage: str, winding: str) -> dict[str, Any] | None:
    """The curves of a test, reduced to a voltage and a temperature of the winding."""
    from sparring.core.performance.model import performance
    from sparring.files import performance_files

    found = performance(result)
    if not voltage or found is None:
        return None
    volts, reference = option("--at-voltage", voltage, "voltage"), 0.0
    if winding:
        kelvin = option("--winding", winding, "temperature")
        reference = kelvin - result.build.motor.winding_temperature
    return performance_files.curves(found, volts, reference)


@app.command()
def events(
    log: LogFile,
    build: BuildFile,
    rig: RigFile,
    plan: PlanFile = None,
    as_json: AsJson = False,
    column: LogColumns = None,
) -> None:
    """What happened in the runs of a log: stalls, jams, slips, breakages, failing sensors …"""
    from sparring.core.events import detect, in_words
    from sparring.core.finding import SEVERITY
    from sparring.files import event_files

    with told():
        b, r, _, recording, runs, remarks = _runs_of(log, build, rig, plan, column)
        found = [(run, detect(b, r, run, recording)) for run in runs]
    for remark in remarks:
        typer.echo(remark, err=True)
    if as_json:
        print_json(event_files.to_dict(b, r, found))
        return
    rows = [
        [str(n), f"{e.at:.2f}", SEVERITY[e.severity], e.title, in_words(e)]
        for n, (_, events) in enumerate(found, start=1)
        for e in events
    ]
    show_table(["run", "at s", "", "event", "seen"], rows) if rows else typer.echo("No events.")


def _runs_of(
    log: Path, build: Path, rig: Path, plan: Path | None, column: list[str] | None
) -> tuple[Build, Rig, Plan, Recording, list[Run], list[str]]:
    """Records, the recording of a log, the runs in it, and remarks on what was left out. Raises as
    its files do, and ReductionError where no run is in it.
    """
    from sparring.core.build import Build
    from sparring.core.plan import Plan, standard
    from sparring.core.reduce.inputs import ReductionError
    from sparring.core.reduce.split import assumed, split_runs
    from sparring.files import log_files, log_look, record_files

    columns = columns_of(column) if column else None
    b, r = record_files.load(build, Build), rig_in(rig)
    p = record_files.load(plan, Plan) if plan else standard(b)
    recording, remarks = log_files.read(log_look.look(log), columns)
    rated = b.motor.voltage.value if b.has_motor else 0.0
    try:
        runs = split_runs(recording, p, method=r.method, rated=rated)
        return b, r, p, recording, runs, [*assumed(runs, recording), *remarks]
    except ReductionError as err:
        raise ReductionError(f"{log}: {err}") from err


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
    from sparring.core.plan import Plan, standard
    from sparring.core.recording import Recording
    from sparring.files import eye_files, record_files

    with told():
        b, r = record_files.load(build, Build), rig_in(rig)
        p = record_files.load(plan, Plan) if plan else standard(b)
        runs = eye_files.read(readings, b.motor.voltage.value if b.has_motor else 0.0)
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


def _tell(
    result: TestResult, *, as_json: bool, more: Mapping[str, Any] = MappingProxyType({})
) -> None:
    from sparring.core import quantity
    from sparring.core.finding import SEVERITY, explain
    from sparring.core.uncertainty import nominal, std
    from sparring.files import result_files

    if as_json:
        print_json({**result_files.to_dict(result), **more})
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
