"""The command line. Results go to standard output, remarks and errors to standard error."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any

import typer

from sparring import __version__

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Bench tests on gearboxes and gearmotors: torque, speed, efficiency, stall, and what the numbers mean.",
)

BuildFile = Annotated[Path, typer.Option("--build", help="build file (JSON)", exists=True, dir_okay=False)]
RigFile = Annotated[Path, typer.Option("--rig", help="rig file (JSON)", exists=True, dir_okay=False)]
PlanFile = Annotated[Path | None, typer.Option("--plan", help="plan file (JSON); the default ladder without", exists=True, dir_okay=False)]
Inspect = Annotated[Path | None, typer.Option("--inspect", hidden=True, help="answer on this socket what is on the screen, for tests")]
AsJson = Annotated[bool, typer.Option("--json", help="print the stable JSON document")]


def _data_errors() -> tuple[type[Exception], ...]:
    """What bad data raises. Looked up when something was raised: a simulated bench does not wait for the database's library."""
    from sparring.core.quantity import QuantityError
    from sparring.core.records import RecordError
    from sparring.core.reduce.inputs import ReductionError
    from sparring.core.train.kinematics import TrainError
    from sparring.core.train.torque import SelfLocking
    from sparring.files.log_files import LogError
    from sparring.logbook import LogbookError
    from sparring.logbook.recordings import RecordingError

    return RecordError, LogError, ReductionError, RecordingError, LogbookError, TrainError, SelfLocking, QuantityError


@contextmanager
def _data() -> Iterator[None]:
    """Errors in data end with status 1 and one clear text, never a traceback."""
    try:
        yield
    except (typer.Exit, typer.BadParameter):
        raise
    except OSError as err:
        typer.echo(f"{err.filename or ''}: {err.strerror or err}", err=True)
        raise typer.Exit(1) from err
    except Exception as err:
        if not isinstance(err, _data_errors()):
            raise
        typer.echo(str(err), err=True)
        raise typer.Exit(1) from err


def _version(value: bool) -> None:
    if value:
        typer.echo(__version__)
        raise typer.Exit


@app.callback()
def _top(version: Annotated[bool, typer.Option("--version", callback=_version, is_eager=True, help="print the version")] = False) -> None:
    pass


def home() -> Path:
    """Where the user's logbooks are kept."""
    from platformdirs import user_data_path

    return user_data_path("sparring")


@app.command("open")
def open_(
    logbook: Annotated[Path | None, typer.Argument(help="logbook folder; your own without")] = None,
    inspect: Inspect = None,
) -> None:
    """Open a logbook in the window."""
    from sparring.ui.application import run

    raise typer.Exit(run(logbook or home() / "logbook", inspect))


@app.command()
def demo(
    folder: Annotated[Path | None, typer.Argument(help="where to put the demo logbook")] = None,
    no_window: Annotated[bool, typer.Option("--no-window", help="make the logbook and stop")] = False,
    inspect: Inspect = None,
) -> None:
    """Make the demo logbook of Hollin Yard, once, and open it."""
    from sparring.demo import make_logbook

    target = folder or home() / "demo"
    with _data():
        make_logbook(target, lambda text: typer.echo(text, err=True))
    if no_window:
        typer.echo(str(target))
        return
    from sparring.ui.application import run

    raise typer.Exit(run(target, inspect))


@app.command()
def bench(
    build: Annotated[Path | None, typer.Option("--build", help="build file; the demo's Dunnock r2 without")] = None,
    rig: Annotated[Path | None, typer.Option("--rig", help="rig file; the demo's hoist without")] = None,
    link: Annotated[Path | None, typer.Option(help="put a link to the port here")] = None,
    seed: Annotated[int, typer.Option(min=0, help="repeats the same bench")] = 1,
    rate: Annotated[float, typer.Option(min=10, max=1000, help="lines a second")] = 80.0,
    speed: Annotated[float, typer.Option(min=0.1, max=50, help="simulated seconds a second")] = 1.0,
    drop: Annotated[float, typer.Option(min=0, max=1, help="chance that a line is lost")] = 0.0,
    garble: Annotated[float, typer.Option(min=0, max=1, help="chance that a line is garbled")] = 0.0,
    friction: Annotated[float, typer.Option(min=0, help="true friction over the build's")] = 1.0,
    seconds: Annotated[float, typer.Option(help="stop after so long")] = float("inf"),
    readings: Annotated[
        str, typer.Option(help="a set-up for readings in place of the rig: motor, scale, rope, swing, wind-up, break-away or drum")
    ] = "",
) -> None:
    """Run a simulated bench on a pseudo-terminal; prints the port to open."""
    from sparring.bench.board import Board, Faults
    from sparring.bench.fixture import FixtureBench
    from sparring.bench.simulator import SimulatedBench
    from sparring.core.build import Build
    from sparring.core.plant.bench import bench_of
    from sparring.core.plant.fixtures import FIXTURES
    from sparring.core.plant.sensors import sensors_of
    from sparring.core.rig import Rig
    from sparring.files import record_files

    if not (build and rig):
        from sparring.demo import hollin_yard
    fixtures = {f.KEY: f for f in FIXTURES.values()}
    if readings and readings not in fixtures:
        raise typer.BadParameter(f"{readings} is none of {', '.join(fixtures)}", param_hint="--readings")
    with _data():
        b = record_files.load(build, Build) if build else hollin_yard.dunnock(2)
        r = record_files.load(rig, Rig) if rig else hollin_yard.rig()
        truth = bench_of(b, r, friction=[f * friction for f in b.loss_figures()])
        how: dict[str, Any] = {"seed": seed, "rate": rate, "speed": speed, "faults": Faults(drop, garble), "link": link}
        simulated: Board = FixtureBench(fixtures[readings](truth), **how) if readings else SimulatedBench(truth, sensors_of(r), r, **how)
    import signal
    import sys

    signal.signal(signal.SIGTERM, signal.default_int_handler)  # ended as by Ctrl+C, also where a shell has that ignored
    typer.echo(simulated.port)
    sys.stdout.flush()
    try:
        simulated.serve(seconds)
    except KeyboardInterrupt:
        pass
    finally:
        simulated.close()


@app.command()
def train(
    build: Annotated[Path, typer.Argument(help="build file", exists=True, dir_okay=False)],
    load: Annotated[str, typer.Option(help="output torque")] = "0.3 N·m",
    voltage: Annotated[str, typer.Option(help="motor voltage")] = "12 V",
    as_json: AsJson = False,
) -> None:
    """How a build turns, what each shaft carries, what is lost, and when it stalls."""
    from sparring.core import predict, quantity
    from sparring.core.build import MOTOR, OUTPUT, Build
    from sparring.core.finding import explain
    from sparring.core.findings.build import judge_build
    from sparring.core.train.kinematics import ratio_in_words
    from sparring.core.train.torque import back_drive_efficiency
    from sparring.files import record_files

    with _data():
        b = record_files.load(build, Build)
        torque, volts = _option("--load", load, "torque"), _option("--voltage", voltage, "voltage")
        if torque < 0:
            raise quantity.QuantityError(f"--load {load}: give the torque that the output works against, without a sign")
        flow = predict.power_flow(b, torque, volts)
        speeds = b.flow(torque, flow.stations[1].speed or 0.0)
        back = back_drive_efficiency(b.elements(), MOTOR, OUTPUT)
        document: dict[str, Any] = {
            "format": "sparring.train/2",
            "build": b.name,
            "ratio": b.ratio(),
            "load_Nm": torque,
            "voltage_V": volts,
            "current_A": flow.current,
            "stall_torque_Nm": predict.stall_torque(b, volts),
            "efficiency_gearbox": flow.gearbox,
            "efficiency_wire_to_shaft": flow.wire_to_shaft,
            "efficiency_back_drive": back,
            "backlash_output_rad": b.backlash(),
            "shafts": [
                {
                    "name": s,
                    "speed_rad_per_s": speeds.speeds[s] if flow.power_out > 0 else 0.0,
                    "torque_Nm": speeds.shaft_torques.get(s, 0.0),
                }
                for s in b.all_shafts()
            ],
            "stages": [
                {
                    "name": n,
                    "kind": s.kind,
                    "ratio": s.ratio,
                    "efficiency": s.efficiency(),
                    "loss_W": speeds.mesh_losses.get(n, 0.0),
                    "meshes": [
                        {"name": c.name, "contact_ratio": c.pair.contact_ratio(), "loss_factor": c.pair.loss_factor()} for c in s.contacts()
                    ],
                }
                for n, s in zip(b.stage_names(), b.stages, strict=True)
            ],
            "limits": [{"part": x.name, "mode": x.mode, "output_torque_Nm": x.output, "basis": x.basis} for x in b.limits],
            "findings": [
                {"id": f.id, "severity": f.severity, "title": f.title, "seen": explain(f), "place": f.place} for f in judge_build(b, volts)
            ],
        }
    if as_json:
        typer.echo(json.dumps(document, indent=2))
        return
    typer.echo(
        f"{b.name}: {ratio_in_words(b.ratio())}, stalls at {quantity.show(document['stall_torque_Nm'], 'torque', 'N·m')}, "
        f"gearbox {quantity.show(flow.gearbox, 'ratio', '%')} at {quantity.show(torque, 'torque', 'N·m')}"
    )
    _table(
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
    log: Annotated[Path, typer.Argument(help="log of another logger, CSV or TSV", exists=True, dir_okay=False)],
    build: BuildFile,
    rig: RigFile,
    plan: PlanFile = None,
    as_json: AsJson = False,
    column: Annotated[list[str] | None, typer.Option(help="NUMBER=CHANNEL:UNIT, columns from 1; replaces the guesses")] = None,
) -> None:
    """Torque, power, efficiency and findings from a log."""
    from sparring.core import quantity
    from sparring.core.analysis import analyse
    from sparring.core.build import Build
    from sparring.core.finding import explain
    from sparring.core.plan import Plan
    from sparring.core.reduce.inputs import ReductionError
    from sparring.core.reduce.results import split_runs
    from sparring.core.rig import Rig
    from sparring.core.uncertainty import nominal, std
    from sparring.files import log_files, record_files, result_files

    columns = _columns(column) if column else None
    with _data():
        b, r = record_files.load(build, Build), record_files.load(rig, Rig)
        p = record_files.load(plan, Plan) if plan else Plan()
        recording, remarks = log_files.read(log_files.look(log), columns)
        try:
            runs = split_runs(recording, p, method=r.method)
        except ReductionError as err:
            raise ReductionError(f"{log}: {err}") from err
        result = analyse(b, r, p, [(run, recording) for run in runs])
        if not result.steps:
            reasons = "; ".join(sorted({why for _, why in result.skipped}))
            typer.echo(f"{log}: no lift could be reduced: {reasons}", err=True)
            raise typer.Exit(1)
    for remark in remarks:
        typer.echo(remark, err=True)
    if as_json:
        typer.echo(json.dumps(result_files.to_dict(result), indent=2))
        return

    def cell(x: Any, kind: str, unit: str) -> str:
        return "–" if x is None else quantity.show(nominal(x), kind, unit, u=std(x), with_unit=False)

    _table(
        ["lifts", "torque N·m", "speed rpm", "wire to shaft %", "gearbox %"],
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
        typer.echo(f"{f.severity}: {f.title}. {explain(f)}")


@app.command()
def simulate(
    build: BuildFile,
    rig: RigFile,
    out: Annotated[Path, typer.Option("--out", help="CSV to write")],
    plan: PlanFile = None,
    seed: Annotated[int, typer.Option(min=0, help="repeats the same lifts")] = 1,
    rate: Annotated[float, typer.Option(min=10, max=1000, help="samples a second")] = 80.0,
) -> None:
    """Lift a plan's weights on the simulated bench and write what a logger would have."""
    from sparring.core.build import Build
    from sparring.core.plan import Plan
    from sparring.core.plant.bench import bench_of
    from sparring.core.plant.lifts import ladder, one_log
    from sparring.core.plant.sensors import sensors_of
    from sparring.core.rig import Rig
    from sparring.files import log_files, record_files

    with _data():
        b, r = record_files.load(build, Build), record_files.load(rig, Rig)
        p = record_files.load(plan, Plan) if plan else Plan()
        loads = [m.value for m in p.loads]
        lifts = ladder(
            bench_of(b, r),
            sensors_of(r),
            r,
            loads,
            p.repeats,
            volts=p.voltage,
            seed=seed,
            rate=rate,
        )
        log_files.write(out, one_log(lifts, loads if r.method.SET_BY[1] == "mass" else None))
    typer.echo(f"{out}: {len(lifts)} runs")


@app.command()
def export(
    logbook: Annotated[Path, typer.Argument(help="logbook folder")],
    out: Annotated[Path, typer.Argument(help="folder to write to")],
    test: Annotated[int | None, typer.Option(help="one test; all without")] = None,
) -> None:
    """Write a logbook's tests as open files: records, recordings as CSV, results as JSON and CSV, and a sheet each."""
    from sparring.exchange import export_test
    from sparring.logbook import Logbook

    with _data(), Logbook(logbook, create=False) as book:
        tests = [t.id for t in book.tests() if test is None or t.id == test]
        if not tests:
            typer.echo(f"{logbook} has no test {test}" if test else f"{logbook} has no tests", err=True)
            raise typer.Exit(1)
        for test_id in tests:
            typer.echo(str(export_test(book, test_id, out)))


@app.command()
def edit(
    logbook: Annotated[Path, typer.Argument(help="logbook folder")],
    settings: Annotated[list[str], typer.Option("--set", help="PLACE=VALUE, the place as in the record file: stages.0.module=1 mm")],
    build: Annotated[str, typer.Option(help="name of a build: Dunnock r2")] = "",
    rig: Annotated[str, typer.Option(help="name of a rig")] = "",
    wrong_all_along: Annotated[
        bool, typer.Option("--wrong-all-along", help="of what was tested: correct it, and its results; without, a new revision is begun")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Change a build or rig of a logbook; what was tested stays as it was, or is corrected with the old value kept."""
    from sparring.cli.edit import edit_record

    if bool(build) == bool(rig):
        raise typer.BadParameter("name either a build or a rig", param_hint="--build, --rig")
    pairs = [(place.strip(), value.strip()) for place, sign, value in (s.partition("=") for s in settings) if sign]
    if len(pairs) < len(settings):
        raise typer.BadParameter("write PLACE=VALUE", param_hint="--set")
    with _data():
        document = edit_record(logbook, "build" if build else "rig", build or rig, pairs, wrong_all_along)
    if as_json:
        typer.echo(json.dumps(document, indent=2, ensure_ascii=False))
        return
    typer.echo(f"kept as {document['kept_as']}")
    for c in document["corrections"]:
        typer.echo(f"corrected: {c['field']} {c['before']} → {c['after']}")


@app.command()
def care(
    logbook: Annotated[Path, typer.Argument(help="logbook folder")],
    rig: Annotated[str, typer.Option(help="name of a rig")],
    confirm: Annotated[str, typer.Option(help="your name: you have read the notes")] = "",
    as_json: AsJson = False,
) -> None:
    """What to take care of on a rig, and who has confirmed that; with a name, confirm it."""
    from datetime import date

    from sparring.cli.edit import care_of

    with _data():
        document = care_of(logbook, rig, confirm.strip(), f"{date.today():%Y-%m-%d}")
    if as_json:
        typer.echo(json.dumps(document, indent=2, ensure_ascii=False))
        return
    typer.echo("\n".join(document["notes"]))
    by, on = document["confirmed_by"], document["confirmed_on"]
    typer.echo(f"Confirmed by {by} on {on}." if by else "Not confirmed for this rig.")


@app.command()
def record(
    port: Annotated[str, typer.Option("--port", help="serial port of the bench")],
    build: BuildFile,
    rig: RigFile,
    plan: PlanFile = None,
    logbook: Annotated[Path | None, typer.Option(help="logbook folder to keep it in; your own without")] = None,
    yes: Annotated[bool, typer.Option("--yes", help="ask nobody: the bench hangs its weights by itself")] = False,
    as_json: AsJson = False,
) -> None:
    """Do a whole plan on a bench and keep it in a logbook. Ctrl+C stops the bench; what was taken is kept."""
    import signal
    import sys

    from sparring.cli.record import record as record_plan
    from sparring.core.build import Build
    from sparring.core.plan import Plan
    from sparring.core.rig import Rig
    from sparring.files import record_files

    for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
        signal.signal(number, signal.default_int_handler)
    if not yes and not sys.stdin.isatty():
        typer.echo("Nobody can be asked here: call it with --yes where the bench hangs its weights by itself.", err=True)
        raise typer.Exit(2)
    with _data():
        b, r = record_files.load(build, Build), record_files.load(rig, Rig)
        p = record_files.load(plan, Plan) if plan else Plan()
        document = record_plan(logbook or home() / "logbook", b, r, p, port, ask=not yes, quiet=as_json)
    if as_json:
        typer.echo(json.dumps(document, indent=2, ensure_ascii=False))
    else:
        typer.echo(
            f"{len(document['runs'])} lifts kept in {document['logbook']}" + (f", test {document['test']}" if document["test"] else "")
        )
    if not document["whole"]:
        typer.echo(f"The plan was not finished: {document['why']}.", err=True)
        raise typer.Exit(1)


@app.command()
def check(logbook: Annotated[Path, typer.Argument(help="logbook folder")], as_json: AsJson = False) -> None:
    """Read everything of a logbook and say what is damaged or left over. Changes nothing."""
    from sparring.logbook import keeping

    with _data():
        found = keeping.check(logbook)
    if as_json:
        typer.echo(json.dumps(found, indent=2, ensure_ascii=False))
    else:
        if found["database"]:
            typer.echo(f"logbook.sqlite is damaged: {found['database']}. sparring restore {logbook} goes back to a copy.")
        for row in found["rows"]:
            typer.echo(f"{row} is not what was written, and left out of all lists; sparring restore {logbook} has it as it was")
        for d in found["damaged"]:
            typer.echo(f"run {', '.join(map(str, d['runs']))}: {d['why']}")
        for name in found["left_over"]:
            typer.echo(f"recordings/{name} belongs to no run")
        for name in found["cut_off"]:
            typer.echo(f"recordings/{name} was cut off; opening the logbook takes it in")
        typer.echo(f"{found['runs']} runs, {len(found['damaged'])} damaged; {len(found['backups'])} copies of the database")
    if found["database"] or found["rows"] or found["damaged"]:
        raise typer.Exit(1)


@app.command()
def restore(
    logbook: Annotated[Path, typer.Argument(help="logbook folder, closed everywhere")],
    copy: Annotated[str, typer.Option(help="name of one of its backups; the newest whole one without")] = "",
) -> None:
    """Go back to a copy of a logbook's database. The one there is moved aside, recordings stay."""
    from sparring.logbook import keeping

    with _data():
        taken, aside = keeping.restore(logbook, copy)
    typer.echo(f"{taken.name} is in place again; what was there is {aside.name}")


def _option(name: str, text: str, kind: str) -> float:
    """What an option says [SI]. Raises QuantityError naming it."""
    from sparring.core import quantity

    try:
        return quantity.parse(text, kind).value
    except quantity.QuantityError as err:
        raise quantity.QuantityError(f"{name} {text}: {err}") from err


def _columns(given: list[str]) -> dict[int, tuple[str, str]]:
    from sparring.core.recording import CHANNELS

    chosen: dict[int, tuple[str, str]] = {}
    for text in given:
        number, _, rest = text.partition("=")
        channel, _, unit = rest.partition(":")
        if not re.fullmatch(r"[1-9][0-9]{0,3}", number) or channel not in ("t", *CHANNELS):
            raise typer.BadParameter(f"--column {text}: write NUMBER=CHANNEL:UNIT, with a channel of t, {', '.join(CHANNELS)}")
        chosen[int(number) - 1] = (channel, unit)
    return chosen


def _table(head: list[str], rows: list[list[str]]) -> None:
    from rich.console import Console
    from rich.table import Table

    table = Table(box=None, pad_edge=False)
    for i, name in enumerate(head):
        table.add_column(name, justify="left" if i == 0 else "right")
    for row in rows:
        table.add_row(*row)
    Console(highlight=False).print(table)
