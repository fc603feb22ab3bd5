"""What `sparring wear`, `sparring life` and `sparring cycles` do."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from sparring.cli.common import (
    AsJson,
    BuildFile,
    LogColumns,
    app,
    columns_of,
    option,
    print_json,
    rig_in,
    show_table,
    told,
)

_LivesFile = Annotated[
    Path,
    typer.Argument(help="table of lives, CSV: turns, failed, load", exists=True, dir_okay=False),
]


@app.command()
def wear(
    inspections: Annotated[
        Path, typer.Argument(help="inspections of one drive (JSON)", exists=True, dir_okay=False)
    ],
    build: BuildFile,
    as_json: AsJson = False,
) -> None:
    """What a drive has worn, how fast, why, and how long it will last."""
    from sparring.core.build import Build
    from sparring.core.reduce.inputs import ReductionError
    from sparring.core.wear.judge import wear_of
    from sparring.files import record_files, wear_files

    with told():
        b = record_files.load(build, Build)
        try:
            document = wear_files.to_dict(b, wear_of(b, wear_files.load(inspections)))
        except ReductionError as err:
            raise ReductionError(f"{inspections}: {err}") from err
    if as_json:
        print_json(document)
        return
    _tell_wear(document)


def _tell_wear(document: dict[str, Any]) -> None:
    last = document["inspections"][-1]
    typer.echo(
        f"{document['build']}: {len(document['inspections'])} inspections, "
        f"{last['turns']:.0f} turns of the output, {last['work_J'] / 1e3:.4g} kJ"
    )
    rows = [
        [
            f"{x['part']}, {x['flank']}",
            f"{x['thinning_m'] * 1e6:.3g} ± {2 * x['u_thinning_m'] * 1e6:.2g}",
            f"{x['k_w_mm3_per_Nm'] * 1e6:.3g} ± {2 * x['u_k_w_mm3_per_Nm'] * 1e6:.2g}",
            f"{x['um_per_1000_turns']:.3g}",
            _interval(x["life_left_turns"]),
        ]
        for x in document["flanks"]
    ]
    if rows:
        head = ["flank", "thinning µm", "k_w 10⁻⁶ mm³/(N·m)", "µm per 1000 turns", "turns left"]
        show_table(head, rows)
    if life := document["life"]:
        typer.echo(f"ends by {life['ends_by']}: {_interval(life['turns_left'])} turns left")
        if life["next_inspection_turns"]:
            typer.echo(f"next inspection at {life['next_inspection_turns']:.3g} turns")
    for f in document["findings"]:
        typer.echo(f"{f['severity']}: {f['title']}. {f['seen']}")


def _interval(x: dict[str, float | None] | None) -> str:
    if x is None:
        return "–"
    value, low, high = (x[k] for k in ("value", "low", "high"))
    if value is None:  # it grew, or did not wear
        return "–" if low is None else f"more than {low:.3g}"
    from_low = "…" if low is None else f"{low:.3g}"
    return f"{value:.3g} ({from_low} to {'…' if high is None else f'{high:.3g}'})"


def k_of(text: str) -> float:
    """A wear coefficient in mm³/(N·m) [m²/N]. Raises QuantityError."""
    return option("--k-w", text, "ratio") * 1e-9


@app.command("simulate-wear")
def simulate_wear(
    build: BuildFile,
    out: Annotated[Path, typer.Option("--out", help="inspections to write (JSON)")],
    turns: Annotated[
        str, typer.Option(help="of the output at each inspection, parted by commas")
    ] = "0,50000,150000,400000",
    load: Annotated[str, typer.Option(help="at the output")] = "0.5 N·m",
    k_w: Annotated[str, typer.Option(help="steady wear coefficient, mm³/(N·m)")] = "5e-6",
    extra: Annotated[str, typer.Option(help="more of it while it runs in")] = "100%",
    until: Annotated[float, typer.Option(min=0, help="turns until it has run in")] = 20_000.0,
    seed: Annotated[int, typer.Option(min=0, help="the same number gives the same readings")] = 1,
) -> None:
    """Inspections of a simulated drive that wears: readings with error, and when it fails."""
    from sparring.core.build import Build
    from sparring.core.records import RecordError
    from sparring.core.wear.inspection import Inspections
    from sparring.core.wear.simulated import WearingDrive
    from sparring.files import record_files

    with told():
        b = record_files.load(build, Build)
        try:
            given = sorted(float(x) for x in turns.split(","))
        except ValueError as err:
            raise RecordError(f"--turns {turns}: write numbers parted by commas") from err
        more: dict[str, Any] = {"extra": option("--extra", extra, "ratio"), "until": until}
        drive = WearingDrive(
            b, {"": k_of(k_w)}, option("--load", load, "torque"), seed=seed, **more
        )
        if not drive.flanks:
            raise RecordError(f"{build}: this drive has no gears whose teeth are known")
        fails = drive.fails_at()
        looks = tuple(drive.inspected(t, "") for t in given if t <= fails)
        if not looks:
            raise RecordError(
                f"--turns {turns}: it fails after {fails:.3g} turns, before the first"
            )
        record_files.save(out, Inspections(inspections=looks))
    late = "" if len(looks) == len(given) else f", {len(given) - len(looks)} came too late"
    typer.echo(f"{out}: {len(looks)} inspections; it fails after {fails:.3g} turns{late}")


@app.command()
def life(
    lives: _LivesFile,
    confidence: Annotated[str, typer.Option(help="of what survivors alone show: 90%")] = "90%",
    as_json: AsJson = False,
) -> None:
    """Weibull's line through the lives of several specimens, some still running."""
    from sparring.core.lives import loads, weibull
    from sparring.core.records import RecordError
    from sparring.files import life_files

    with told():
        given = life_files.load(lives)
        sure = option("--confidence", confidence, "ratio")
        if not 0 < sure < 1:
            raise RecordError(f"--confidence {confidence}: it lies between 0 and 100 %")
        line = fit = None
        if given.loads is not None and len(set(given.loads)) > 1:
            try:
                line = loads.fit(given.lives, given.failed, given.loads)
            except ValueError as err:
                raise RecordError(f"{lives}: {err}") from err
        else:
            try:
                fit = weibull.fit(given.lives, given.failed)
            except ValueError:
                fit = None  # said in the document
        document = life_files.to_dict(given, fit, line, sure)
    if as_json:
        print_json(document)
        return
    typer.echo(f"{document['failures']} of {document['specimens']} failed. {document['method']}")
    for name in ("shape", "scale", "B10", "B50"):
        if x := document[name]:
            typer.echo(f"{name}: {_interval(x)}{' ' + given.unit if name != 'shape' else ''}")
    if run := document.get("success_run"):
        typer.echo(
            f"At least {100 * run['reliability']:.1f} % reach {run['life']:.4g} {given.unit}, with "
            f"{100 * run['confidence']:.0f} % confidence"
        )
    if line := document["load_life"]:
        typer.echo(f"life falls with load^{line['exponent']:.3g} ± {2 * line['u_exponent']:.2g}")
        rows = [[f"{x['load']:g}", _interval(x["B10"]), _interval(x["B50"])] for x in line["loads"]]
        show_table(["load", "B10", "B50"], rows)


@app.command()
def cycles(
    log: Annotated[
        Path, typer.Argument(help="log with a load, CSV or TSV", exists=True, dir_okay=False)
    ],
    channel: Annotated[str, typer.Option(help="what is the load")] = "torque",
    rig: Annotated[
        Path | None,
        typer.Option("--rig", help="rig file (JSON): torque by its load cell", exists=True),
    ] = None,
    gate: Annotated[float, typer.Option(min=0.0, help="ranges up to it are noise, SI")] = 0.0,
    bins: Annotated[int, typer.Option(min=0, max=1000, help="classes; 0: every range")] = 0,
    lives: Annotated[
        Path | None,
        typer.Option("--lives", help="lives at several loads, for Miner's sum", exists=True),
    ] = None,
    as_json: AsJson = False,
    column: LogColumns = None,
) -> None:
    """Load cycles of a log by rainflow counting, and what they use up of a life."""
    from sparring.core.lives import loads
    from sparring.core.lives.cycles import cycles_of
    from sparring.core.quantity import kind_of
    from sparring.core.recording import CHANNELS
    from sparring.core.reduce.inputs import ReductionError
    from sparring.files import life_files, log_files, log_look

    with told():
        recording, _ = log_files.read(log_look.look(log), columns_of(column) if column else None)
        values = _load_of(log, recording, channel, rig)
        try:
            counted = cycles_of(values, gate)
            damage = None
            if lives is not None:
                given = life_files.load(lives)
                if given.loads is None:
                    raise ReductionError(f"{lives}: a column “load” is needed for Miner's sum")
                damage = loads.miner(counted, loads.fit(given.lives, given.failed, given.loads))
        except ValueError as err:
            raise ReductionError(f"{log}: {err}") from err
        document = life_files.cycles_to_dict(
            counted,
            channel=channel,
            unit=kind_of(CHANNELS[channel].kind).si,
            gate=gate,
            bins=bins or None,
            damage=damage,
        )
    if as_json:
        print_json(document)
        return
    unit = document["unit"]
    typer.echo(f"{document['cycles']:g} cycles of {channel} at {document['reversals']} reversals")
    rows = [[f"{x['to']:.4g}", f"{x['mean']:.4g}", f"{x['count']:g}"] for x in document["spectrum"]]
    show_table([f"range {unit}", f"mean {unit}", "cycles"], rows[:40])
    if d := document["damage"]:
        typer.echo(f"Miner's sum {d['miner_sum']:.3g}: {_interval(d['repeats'])} repeats")


def _load_of(log: Path, recording: Any, channel: str, rig: Path | None) -> Any:
    """The load of a log [SI]. Raises ReductionError."""
    from sparring.core.live import Instruments
    from sparring.core.recording import CHANNELS
    from sparring.core.reduce.inputs import ReductionError

    if channel not in CHANNELS:
        raise ReductionError(f"--channel {channel}: known are {', '.join(CHANNELS)}")
    found = recording.channels.get(channel)
    if found is None and rig is not None:
        r = rig_in(rig)
        instruments = Instruments(r)
        force = instruments.series("force", recording.channels, None)
        known = {k: recording.channels.get(k) for k in r.method.CHANNELS} | {"force": force}
        found = r.method.measured(r.method.figures(), known.get)
    if found is None:
        raise ReductionError(
            f"{log}: it has no {channel}; it has {', '.join(recording.channels)}. Choose one with "
            "--channel, or give the rig whose load cell it is"
        )
    return found
