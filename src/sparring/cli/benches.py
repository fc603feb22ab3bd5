"""Commands on benches, real and simulated."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

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
    told,
)
from sparring.home import home

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.plan import Plan
    from sparring.core.plant.bench import Bench
    from sparring.core.rig import Rig


Uneven = Annotated[
    list[str] | None,
    typer.Option(
        "--uneven",
        help=(
            "ORDER=PART, as 2.5=1.5%: the output's speed swings by so much, so often a turn, as a "
            "gear that is not true makes it; may be given several times"
        ),
    ),
]


Worn = Annotated[float, typer.Option(min=0, help="as worn as after so many turns of the output")]
KW = Annotated[str, typer.Option(help="wear coefficient of --worn, mm³/(N·m)")]
WornAt = Annotated[str, typer.Option(help="load of the turns of --worn")]


@app.command()
def bench(
    build: Annotated[
        Path | None, typer.Option("--build", help="build file; default: the demo's Dunnock r2")
    ] = None,
    rig: Annotated[
        Path | None, typer.Option("--rig", help="rig file; default: the demo's hoist")
    ] = None,
    link: Annotated[Path | None, typer.Option(help="link to the port, to create")] = None,
    seed: Annotated[
        int, typer.Option(min=0, help="random seed: the same number gives the same bench")
    ] = 1,
    rate: Annotated[float, typer.Option(min=10, max=1000, help="lines per second")] = 80.0,
    speed: Annotated[float, typer.Option(min=0.1, max=50, help="simulated s per s")] = 1.0,
    drop: Annotated[float, typer.Option(min=0, max=1, help="probability of losing a line")] = 0.0,
    garble: Annotated[
        float, typer.Option(min=0, max=1, help="probability of garbling a line")
    ] = 0.0,
    friction: Annotated[float, typer.Option(min=0, help="true friction over the build's")] = 1.0,
    seconds: Annotated[float, typer.Option(help="stop after this time")] = float("inf"),
    readings: Annotated[
        str,
        typer.Option(
            help=(
                "a set-up for part measurements instead of the rig: motor, swing, wind-up, "
                "break-away or drum"
            )
        ),
    ] = "",
    scpi: Annotated[
        int | None,
        typer.Option(
            min=0,
            max=65535,
            help="port of a simulated supply that is told in SCPI text to drive it (0: a free one);"
            " the board is then a logger alone",
        ),
    ] = None,
    load: Annotated[
        float | None, typer.Option(min=0, help="with --scpi: the load that is on it, kg")
    ] = None,
    mishap: Annotated[
        str, typer.Option(help="what goes wrong in every run: jam, breakage, skip, slip …")
    ] = "",
    uneven: Uneven = None,
    worn: Worn = 0.0,
    k_w: KW = "5e-6",
    worn_at: WornAt = "0.5 N·m",
) -> None:
    """Run a simulated bench on a pseudo-terminal; prints the port to open."""
    from sparring.bench.simulated.board import Board, Faults
    from sparring.bench.simulated.fixture import FixtureBench
    from sparring.bench.simulated.simulator import SimulatedBench
    from sparring.core.plant.fixtures import FIXTURES
    from sparring.core.plant.mishaps import LIVE
    from sparring.core.plant.sensors import sensors_of

    fixtures = {f.KEY: f for f in FIXTURES.values()}
    if readings and readings not in fixtures:
        raise typer.BadParameter(
            f"{readings} is not one of {', '.join(fixtures)}", param_hint="--readings"
        )
    if mishap and mishap not in LIVE:
        raise typer.BadParameter(f"{mishap} is not one of {', '.join(LIVE)}", param_hint="--mishap")
    if load is not None and scpi is None:
        raise typer.BadParameter("only with --scpi: else the bench is told", param_hint="--load")
    with told():
        b, r = _given_or_demo(build, rig)
        truth = _truth(b, r, friction, uneven, (worn, k_w, worn_at))
        how: dict[str, Any] = {"seed": seed, "rate": rate, "speed": speed, "link": link}
        how["faults"] = Faults(drop, garble)
        simulated: Board = (
            FixtureBench(fixtures[readings](truth), **how)
            if readings
            else SimulatedBench(
                truth, sensors_of(r), r, mishap=mishap, supply=scpi, load=load, **how
            )
        )
    _serve(simulated, seconds)


def _truth(
    build: Build, rig: Rig, friction: float, uneven: list[str] | None, worn: tuple[float, str, str]
) -> Bench:
    """The bench that a build on a rig is: its losses times `friction`, not true, and worn."""
    from sparring.core.plant.bench import bench_of

    changed, grown = _worn(build, *worn)
    changed["waves"] = (*changed.get("waves", ()), *_waves(uneven))
    true = [f * friction * grown for f in build.loss_figures()]
    return bench_of(build, rig, friction=true, **changed)


def _worn(build: Build, turns: float, k_w: str, load: str) -> tuple[dict[str, Any], float]:
    """What of a bench is changed by wear, and by how much its losses have grown."""
    from sparring.cli.wearing import k_of
    from sparring.core.reduce.inputs import ReductionError
    from sparring.core.wear.simulated import WearingDrive

    if not turns:
        return {}, 1.0
    drive = WearingDrive(build, {"": k_of(k_w)}, option("--worn-at", load, "torque"))
    if not drive.flanks:
        raise ReductionError("--worn: this drive has no gears whose teeth are known")
    return drive.on_bench(turns), drive.losses(turns)


def _waves(given: list[str] | None) -> tuple[tuple[float, float, float], ...]:
    """What `--uneven` says: order, part, phase. Raises QuantityError naming it."""
    waves = []
    for n, text in enumerate(given or ()):
        order, _, part = text.partition("=")
        found = option("--uneven", order, "ratio"), option("--uneven", part or "?", "ratio")
        if not (found[0] > 0 and 0 <= found[1] < 1):
            raise typer.BadParameter(
                f"{text}: an order above 0 and a part below 100 %, as 2.5=1.5%",
                param_hint="--uneven",
            )
        waves.append((*found, float(n)))
    return tuple(waves)


def _given_or_demo(build: Path | None, rig: Path | None) -> tuple[Build, Rig]:
    from sparring.core.build import Build
    from sparring.files import record_files

    if not (build and rig):
        from sparring.demo import hollin_yard
    b = record_files.load(build, Build) if build else hollin_yard.dunnock(2)
    return b, rig_in(rig) if rig else hollin_yard.rig()


def _serve(simulated: Any, seconds: float) -> None:
    """Until its time is over, or somebody ends it."""
    import signal
    import sys

    # ended as by Ctrl+C, also where a shell has that ignored
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    typer.echo(simulated.port)
    if simulated.panel is not None:
        typer.echo(simulated.panel.address)
    sys.stdout.flush()
    try:
        simulated.serve(seconds)
    except KeyboardInterrupt:
        pass
    finally:
        simulated.close()


@app.command()
def replay(
    log: LogFile,
    link: Annotated[Path | None, typer.Option(help="link to the port, to create")] = None,
    speed: Annotated[float, typer.Option(min=0.1, max=50, help="recorded s per s")] = 1.0,
    seconds: Annotated[float, typer.Option(help="stop after this time")] = float("inf"),
    column: LogColumns = None,
) -> None:
    """Play a log, or a recording of a logbook, as a board, from its begin at each `up`; prints the
    port to open.
    """
    from sparring.bench.simulated.replay import ReplayBench
    from sparring.files import log_files, log_look
    from sparring.logbook import recordings

    with told():
        remarks: list[str] = []
        if log.suffix.lower() == ".parquet":
            recording = recordings.read(log)
        else:
            columns = columns_of(column) if column else None
            recording, remarks = log_files.read(log_look.look(log), columns)
        simulated = ReplayBench(recording, speed=speed, link=link)
    for remark in remarks:
        typer.echo(remark, err=True)
    _serve(simulated, seconds)


def _planned(file: Path | None, build: Build, *, above: bool = False) -> Plan:
    """The plan of a file, or what is done where there is none. above: its steps may give the motor
    more than its own voltage.
    """
    from sparring.core.plan import Plan, standard
    from sparring.files import record_files

    plan = record_files.load(file, Plan) if file else standard(build)
    return plan.model_copy(update={"above_rated": "allowed"}) if above else plan


AboveRated = Annotated[
    bool, typer.Option("--above-rated", help="also give the motor more than its own voltage")
]


@app.command()
def simulate(
    build: BuildFile,
    rig: RigFile,
    out: Annotated[Path, typer.Option("--out", help="CSV to write")],
    plan: PlanFile = None,
    seed: Annotated[
        int, typer.Option(min=0, help="random seed: the same number gives the same runs")
    ] = 1,
    rate: Annotated[float, typer.Option(min=10, max=1000, help="samples per second")] = 80.0,
    uneven: Uneven = None,
    worn: Worn = 0.0,
    k_w: KW = "5e-6",
    worn_at: WornAt = "0.5 N·m",
) -> None:
    """Lift a plan's weights on the simulated bench and write what a logger would have."""
    from sparring.core.build import Build
    from sparring.core.outlook.foresee import driven
    from sparring.core.plant.lifts import ladder, one_log
    from sparring.core.plant.plant import STEP
    from sparring.core.plant.sensors import sensors_of
    from sparring.files import log_files, record_files

    with told():
        b, r = record_files.load(build, Build), rig_in(rig)
        p = _planned(plan, b)
        truth = _truth(b, r, 1.0, uneven, (worn, k_w, worn_at))
        how = {"dt": min(STEP, 1 / (20 * rate))} if truth.waves else {}
        lifts = ladder(truth, sensors_of(r), r, driven(b, r, p), seed=seed, rate=rate, **how)
        log_files.write(out, one_log(lifts, r.method))
    typer.echo(f"{out}: {len(lifts)} runs")


def _life_test(folder: Path, *, detach: bool, lines: bool, ask: bool = False) -> int:
    from sparring.cli import endure
    from sparring.endurance.process import detach as detached

    if not detach:
        return endure.go_on(folder, lines=lines, ask=ask)
    typer.echo(f"{folder}: process {detached(folder)}")
    return 0


def _line(told: dict[str, Any]) -> None:
    """One line, at once: whoever reads it acts on it."""
    print_json(told, line=True)


def _tell_record(document: dict[str, Any], *, lines: bool, as_json: bool) -> None:
    """What a plan has come to; exit status 1 where it was not completed."""
    if lines:
        _line({"kind": "record", **document})
    elif as_json:
        print_json(document)
    else:
        typer.echo(
            f"{len(document['runs'])} runs saved in {document['logbook']}"
            + (f", test {document['test']}" if document["test"] else "")
        )
        if best := document["best_gearbox_efficiency"]:
            from sparring.core import quantity

            shown = quantity.show(best["value"], "ratio", "%", u=best["u"])
            typer.echo(
                f"Best gearbox efficiency {shown}; findings:"
                f" {', '.join(document['findings']) or 'none'}"
            )
    if not document["whole"]:
        typer.echo(f"The plan was not completed: {document['why']}.", err=True)
        raise typer.Exit(1)


@app.command()
def record(
    build: Annotated[Path | None, typer.Option("--build", help="build file (JSON)")] = None,
    rig: Annotated[Path | None, typer.Option("--rig", help="rig file (JSON)")] = None,
    port: Annotated[str, typer.Option("--port", help="port of the bench, or tcp://host:port")] = "",
    devices: Annotated[
        Path | None, typer.Option("--devices", help="devices file, in place of one port")
    ] = None,
    plan: PlanFile = None,
    above: AboveRated = False,
    logbook: Annotated[
        Path | None, typer.Option(help="logbook folder to save it in; default: your own")
    ] = None,
    yes: Annotated[
        bool, typer.Option("--yes", help="do not ask: the bench sets its loads itself")
    ] = False,
    endurance: Annotated[
        Path | None, typer.Option("--endurance", help="life test file, in place of a plan")
    ] = None,
    resume: Annotated[
        Path | None, typer.Option("--resume", help="folder of a life test, to go on with")
    ] = None,
    detach: Annotated[
        bool, typer.Option("--detach", help="a life test in a process of its own")
    ] = False,
    lines: Annotated[
        bool, typer.Option("--lines", help="what happens as JSON, a line each, while it does")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Do a whole plan on a bench and keep it in a logbook. Ctrl+C stops the bench; what was taken
    is kept.
    """
    import signal
    import sys

    from sparring.bench.devices.connecting import one_board
    from sparring.cli.record import record as record_plan
    from sparring.core.build import Build
    from sparring.files import record_files

    for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
        signal.signal(number, signal.default_int_handler)
    if endurance is None and resume is None and not yes and not sys.stdin.isatty():
        typer.echo(
            "There is no terminal to ask at. Use --yes if the bench sets its loads itself.",
            err=True,
        )
        raise typer.Exit(2)
    if resume is not None:
        with told():
            raise typer.Exit(_life_test(resume, detach=detach, lines=lines))
    if build is None or rig is None:
        raise typer.BadParameter("needed, but with --resume", param_hint="--build, --rig")
    if bool(port) == bool(devices):
        raise typer.BadParameter("give one of --port and --devices", param_hint="--port")
    with told():
        b, r = record_files.load(build, Build), rig_in(rig)
        p = _planned(plan, b, above=above)
        from sparring.cli.devices import devices_in

        on = devices_in(devices) if devices else one_board(port)
        if endurance is not None:
            from sparring.cli import endure
            from sparring.core.endurance import Endurance

            duty = record_files.load(endurance, Endurance)
            journal = endure.begun(logbook or home() / "logbook", b, r, duty, on)
            raise typer.Exit(_life_test(journal.folder, detach=detach, lines=lines, ask=not yes))
        document = record_plan(
            logbook or home() / "logbook",
            b,
            r,
            p,
            on,
            ask=not yes,
            quiet=as_json or lines,
            tell=_line if lines else None,
        )
    _tell_record(document, lines=lines, as_json=as_json)
