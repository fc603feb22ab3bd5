"""Commands on benches, real and simulated."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from sparring.cli.common import AsJson, BuildFile, PlanFile, RigFile, app, told
from sparring.home import home


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
        raise typer.BadParameter(
            f"{readings} is not one of {', '.join(fixtures)}", param_hint="--readings"
        )
    with told():
        b = record_files.load(build, Build) if build else hollin_yard.dunnock(2)
        r = record_files.load(rig, Rig) if rig else hollin_yard.rig()
        truth = bench_of(b, r, friction=[f * friction for f in b.loss_figures()])
        how: dict[str, Any] = {
            "seed": seed,
            "rate": rate,
            "speed": speed,
            "faults": Faults(drop, garble),
            "link": link,
        }
        simulated: Board = (
            FixtureBench(fixtures[readings](truth), **how)
            if readings
            else SimulatedBench(truth, sensors_of(r), r, **how)
        )
    import signal
    import sys

    # ended as by Ctrl+C, also where a shell has that ignored
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    typer.echo(simulated.port)
    sys.stdout.flush()
    try:
        simulated.serve(seconds)
    except KeyboardInterrupt:
        pass
    finally:
        simulated.close()


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
) -> None:
    """Lift a plan's weights on the simulated bench and write what a logger would have."""
    from sparring.core.build import Build
    from sparring.core.outlook.foresee import driven
    from sparring.core.plan import Plan
    from sparring.core.plant.bench import bench_of
    from sparring.core.plant.lifts import ladder, one_log
    from sparring.core.plant.sensors import sensors_of
    from sparring.core.rig import Rig
    from sparring.files import log_files, record_files

    with told():
        b, r = record_files.load(build, Build), record_files.load(rig, Rig)
        p = record_files.load(plan, Plan) if plan else Plan()
        lifts = ladder(bench_of(b, r), sensors_of(r), r, driven(b, r, p), seed=seed, rate=rate)
        log_files.write(out, one_log(lifts, r.method))
    typer.echo(f"{out}: {len(lifts)} runs")


@app.command()
def record(
    port: Annotated[str, typer.Option("--port", help="serial port of the bench")],
    build: BuildFile,
    rig: RigFile,
    plan: PlanFile = None,
    logbook: Annotated[
        Path | None, typer.Option(help="logbook folder to save it in; default: your own")
    ] = None,
    yes: Annotated[
        bool, typer.Option("--yes", help="do not ask: the bench sets its loads itself")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Do a whole plan on a bench and keep it in a logbook. Ctrl+C stops the bench; what was taken
    is kept.
    """
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
        typer.echo(
            "There is no terminal to ask at. Use --yes if the bench sets its loads itself.",
            err=True,
        )
        raise typer.Exit(2)
    with told():
        b, r = record_files.load(build, Build), record_files.load(rig, Rig)
        p = record_files.load(plan, Plan) if plan else Plan()
        document = record_plan(
            logbook or home() / "logbook", b, r, p, port, ask=not yes, quiet=as_json
        )
    if as_json:
        typer.echo(json.dumps(document, indent=2, ensure_ascii=False))
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
