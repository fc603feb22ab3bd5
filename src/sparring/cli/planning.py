"""`sparring plan` and `sparring repeats`: what to do to a drive, what to expect, how often."""

from __future__ import annotations

import math
import re
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from sparring.cli.common import (
    AsJson,
    BuildFile,
    RigFile,
    app,
    option,
    print_json,
    rig_in,
    show_table,
    told,
)

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.outlook.questions import Ask
    from sparring.core.plan import Plan
    from sparring.core.rig import Rig


@app.command()
def plan(
    build: BuildFile,
    rig: RigFile,
    question: Annotated[
        str, typer.Option(help="what it is to answer; `--question list` names them all")
    ] = "",
    line: Annotated[
        str, typer.Option(help="the plan in one line: loads 0.5…2.5 kg in 5, at 6, 12 V, 3 times")
    ] = "",
    file: Annotated[
        Path | None, typer.Option("--plan", help="plan file (JSON)", exists=True, dir_okay=False)
    ] = None,
    voltage: Annotated[
        list[str] | None, typer.Option(help="a voltage to test at; may be given several times")
    ] = None,
    load: Annotated[str, typer.Option(help="working load at the output, as a torque")] = "",
    spread: Annotated[str, typer.Option(help="standard deviation of repeats, known so far")] = "",
    difference: Annotated[str, typer.Option(help="difference that matters")] = "1.5 %",
    power: Annotated[str, typer.Option(help="chance to find that difference")] = "90 %",
    shelf: Annotated[
        str, typer.Option(help="weights at hand, in place of the rig's: 2 kg; 1 kg; 500 g ± 0.2 g")
    ] = "",
    tolerance: Annotated[
        str, typer.Option(help="part of a load by which what hangs may differ")
    ] = "0.5 %",
    seed: Annotated[int, typer.Option(min=0, max=999_999, help="of shuffled orders")] = 1,
    new: Annotated[
        bool, typer.Option("--new", help="nobody has seen it turn: first power comes first")
    ] = False,
    out: Annotated[Path | None, typer.Option(help="plan file (JSON) to write")] = None,
    as_json: AsJson = False,
) -> None:
    """A plan from a question, a line or a file, with what each step is expected to do, what to hang
    for it, and how long all of it takes.
    """
    from sparring.core.build import Build
    from sparring.core.outlook.questions import QUESTIONS, Ask
    from sparring.files import record_files

    if question == "list":
        show_table(["question", ""], [[q.id, q.words] for q in QUESTIONS.values()])
        return
    if sum(map(bool, (question, line, file))) > 1:
        raise typer.BadParameter("give one of --question, --line and --plan")
    with told():
        b, r = record_files.load(build, Build), rig_in(rig)
        if shelf:
            r = r.model_copy(update={"shelf": _shelf(shelf)})
        about = Ask(
            b,
            r,
            voltages=tuple(option("--voltage", v, "voltage") for v in voltage or []),
            spread=option("--spread", spread, "ratio") if spread else None,
            difference=option("--difference", difference, "ratio"),
            power=option("--power", power, "ratio"),
            load=option("--load", load, "torque") if load else None,
            seed=seed,
        )
        p = _plan(about, question, line, file, new=new)
        if out is not None:
            record_files.save(out, p)
        _tell(b, r, p, option("--tolerance", tolerance, "ratio"), as_json=as_json)


def _tell(b: Build, r: Rig, p: Plan, tolerance: float, *, as_json: bool) -> None:
    from sparring.core.findings.plan import Planned, judge_plan
    from sparring.core.outlook.drive import Drive
    from sparring.core.outlook.foresee import foresee
    from sparring.core.plan.weights import hang_all
    from sparring.files import plan_files

    drive = Drive.of(b)
    outlook = foresee(drive, r, p)
    weighed = r.method.weighed() and bool(r.shelf)
    loads = [s.mass if weighed else None for s in p.on(r.method).todo]
    hung = hang_all(r.shelf, loads, tolerance)
    findings = judge_plan(Planned(b, r, p, outlook, hung))
    if as_json:
        document = plan_files.to_dict(b, r, p, outlook, drive, hung, findings)
        print_json(document)
        return
    _show(b, r, p, outlook, hung, findings)


def _plan(about: Ask, question: str, line: str, file: Path | None, *, new: bool) -> Plan:
    from sparring.core.outlook.foresee import first_power
    from sparring.core.outlook.questions import ask
    from sparring.core.plan import Plan
    from sparring.core.plan.line import opened
    from sparring.core.records import RecordError
    from sparring.files import record_files

    if file is not None:
        p = record_files.load(file, Plan)
    elif line:
        found = opened(line, about.rig.method, [w.mass for w in about.rig.shelf])
        p = Plan(steps=found.steps, order=found.order or "as listed", seed=found.seed or about.seed)
    else:
        try:
            p = ask(question or "efficiency curve", about)
        except ValueError as err:
            raise RecordError(str(err)) from err
    if new and about.build.has_motor:
        first = first_power(about.build, 1 + max(s.id for s in p.steps))
        p = p.model_copy(update={"steps": (first, *p.steps)})
    return p


def _shelf(text: str) -> tuple[Any, ...]:
    """`2 kg; 1 kg; 500 g ± 0.2 g`."""
    from sparring.core import quantity
    from sparring.core.rig import Weight

    found = []
    for piece in re.split(r"[;\n]", text):
        if piece.strip():
            try:
                mass = quantity.parse(piece, "mass")
            except quantity.QuantityError as err:
                raise quantity.QuantityError(f"--shelf {piece.strip()}: {err}") from err
            if mass.value <= 0:
                raise quantity.QuantityError(f"--shelf {piece.strip()}: a weight is above zero")
            found.append(Weight(name=piece.split("±")[0].strip()[:40], mass=mass))
    return tuple(found)


def _show(build: Any, rig: Any, plan: Any, outlook: Any, hung: Any, findings: Any) -> None:
    from sparring.core import quantity
    from sparring.core.finding import SEVERITY, explain
    from sparring.core.plan.line import told as in_line

    rows, own = [], build.has_motor
    drive = 1.0 if own else 30 / math.pi
    for h, (_, row) in zip(hung, outlook.rows.items(), strict=True):
        s = row.step
        load = (
            f"{s.mass:.4g} kg"
            if s.mass is not None
            else f"{s.resistor:.4g} Ω"
            if s.resistor
            else "–"
        )
        names = [w.name for w in rig.shelf]
        speed = quantity.show(row.speed, "speed", "rpm", u=row.u_speed or None, with_unit=False)
        rows.append(
            [
                s.kind,
                f"{row.voltage * drive:.3g}" if row.voltage else "–",
                load,
                " + ".join(names[n] for n in h.on) if h is not None else "–",
                str(s.repeats),
                f"{row.torque:.3g}" if row.voltage else "–",
                "stalls" if row.stalls > 0.5 else speed if row.voltage else "–",
                f"{row.winding - 273.15:.0f}" if row.voltage and own else "–",
                row.danger(rig.method.HELD) or "–",
            ]
        )
    show_table(
        [
            "step",
            "V" if own else "input rpm",
            "load",
            "hang",
            "runs",
            "torque N·m",
            "speed rpm",
            "winding °C",
            "limit near",
        ],
        rows,
    )
    typer.echo(in_line(plan, rig.method))
    for reason in plan.reasons:
        typer.echo(reason)
    minutes, cools = outlook.seconds / 60, outlook.cooling / 60
    typer.echo(f"About {minutes:.0f} min, {cools:.0f} of them cooling.")
    for f in findings:
        typer.echo(f"{SEVERITY[f.severity]}: {f.title}. {explain(f)}")


@app.command()
def repeats(
    spread: Annotated[str, typer.Option(help="standard deviation of repeats: 0.9%")],
    difference: Annotated[str, typer.Option(help="difference that matters: 1.5%")],
    power: Annotated[str, typer.Option(help="chance to find it: 90%")] = "90%",
    level: Annotated[str, typer.Option(help="chance of a false difference")] = "5%",
    paired: Annotated[
        bool, typer.Option("--paired", help="run against each other, block by block")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """How often to run each of two builds, so that a difference is found."""
    from sparring.core.plan import repeats as powers
    from sparring.core.records import RecordError

    with told():
        given = {
            name: option(f"--{name}", text, "ratio")
            for name, text in (
                ("spread", spread),
                ("difference", difference),
                ("power", power),
                ("level", level),
            )
        }
        about: dict[str, Any] = {"level": given["level"], "paired": paired}
        try:
            n = powers.repeats_for(given["spread"], given["difference"], given["power"], **about)
        except ValueError as err:
            raise RecordError(str(err)) from err
        table = [
            {"repeats": k, "power": powers.power(k, given["spread"], given["difference"], **about)}
            for k in range(max(2, n - 3), n + 4)
        ]
    if as_json:
        document = {
            "format": "sparring.repeats/1",
            **given,
            "paired": paired,
            "repeats": n,
            "power_reached": next(row["power"] for row in table if row["repeats"] == n),
            "table": table,
        }
        print_json(document)
        return
    show_table(
        ["runs each", "power %"], [[f"{t['repeats']}", f"{100 * t['power']:.1f}"] for t in table]
    )
    typer.echo(f"{n} runs of each build.")


@app.command("step-up")
def step_up(
    build: BuildFile,
    voltage: Annotated[
        str, typer.Option(help="at the motor; that of its readings if not given")
    ] = "",
    load: Annotated[str, typer.Option(help="torque at the output")] = "0 N·m",
    logbook: Annotated[
        Path | None,
        typer.Option(
            help="logbook folder in which revisions of the build were tried",
            exists=True,
            file_okay=False,
        ),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """How many further step-up stages, each like the last, the drive still turns: as predicted, and
    as tried.
    """
    from sparring.core.build import Build
    from sparring.core.outlook.step_up import further
    from sparring.core.records import RecordError
    from sparring.exchange.deriving import series_of
    from sparring.files import plan_files, record_files
    from sparring.logbook import Logbook, LogbookError

    with told(build):
        b = record_files.load(build, Build)
        results = {}
        if logbook is not None:
            with Logbook(logbook, create=False) as book:
                number = next((i for i, x in book.builds() if x.name == b.name), None)
                if number is None:
                    raise LogbookError(f"{logbook} has no build {b.name}")
                results = series_of(book, number)
        volts = option("--voltage", voltage, "voltage") if voltage else b.motor.voltage.value
        torque = option("--load", load, "torque")
        try:
            rows = further(b, volts, torque, results)
        except ValueError as err:
            raise RecordError(str(err)) from err
    document = plan_files.step_up_to_dict(b, volts, torque, rows)
    if as_json:
        print_json(document)
        return
    show_table(
        ["stages", "ratio", "speed rpm", "current A", "turns %", "tried"],
        [
            [
                str(x.stages),
                f"1:{x.ratio:.3g}",
                f"{x.speed.value * 60 / (2 * math.pi):.4g}",
                f"{x.current.value:.3g}",
                f"{100 * (1 - x.stalls):.0f}",
                "–" if x.tried is None else "turned" if x.tried.turned else "did not turn",
            ]
            for x in rows
        ],
    )


@app.command("data-sheet")
def data_sheet(
    logbook: Annotated[Path, typer.Argument(help="logbook folder", exists=True, file_okay=False)],
    build: Annotated[str, typer.Option(help="build whose data sheet it is: Bought r1")],
    as_json: AsJson = False,
) -> None:
    """A data sheet beside what this unit, and others of its family, measured."""
    from sparring.core.reduce.against_sheet import compare
    from sparring.exchange.deriving import derive, family_of
    from sparring.files import plan_files
    from sparring.logbook import Logbook, LogbookError

    with told(logbook), Logbook(logbook, create=False) as book:
        number, record = next(((i, b) for i, b in book.builds() if b.name == build), (0, None))
        if record is None:
            raise LogbookError(f"{logbook} has no build {build}")
        if not record.data_sheet:
            raise LogbookError(f"{build} has no data sheet; enter one in data_sheet")
        test = book.newest_test(number)
        units = [(build, derive(book, test))] if test else []
        units += family_of(book, number)
        rows = compare(record.data_sheet, record.sheet_tolerance, [r for _, r in units])
        document = plan_files.sheet_to_dict(record, [name for name, _ in units], rows)
    if as_json:
        print_json(document)
        return
    show_table(
        ["figure", "V", "stated", *(name for name, _ in units)],
        [
            [
                x.name,
                f"{x.voltage:g}",
                "–" if x.stated is None else f"{x.stated:.4g}",
                *(
                    "–" if m is None else f"{m.value:.4g} ± {2 * m.u:.2g} ({h or 'not stated'})"
                    for m, h in zip(x.measured, x.holds, strict=True)
                ),
            ]
            for x in rows
        ],
    )


@app.command()
def campaign(
    logbook: Annotated[Path, typer.Argument(help="logbook folder", exists=True, file_okay=False)],
    add: Annotated[
        Path | None,
        typer.Option(help="campaign file (JSON) to save in it", exists=True, dir_okay=False),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """The campaigns of a logbook: what is done of each, what is missing, and what is next."""
    from sparring.core.outlook.campaign import Campaign
    from sparring.files import plan_files, record_files
    from sparring.logbook import Logbook, LogbookError

    with told(), Logbook(logbook, create=False) as book:
        if add is not None:
            given = record_files.load(add, Campaign).model_copy(update={"tests": ()})
            known = {b.name for _, b in book.builds()}
            if missing := next((b for b in given.builds if b not in known), None):
                raise LogbookError(f"{logbook} has no build {missing}: import it first")
            book.save_campaign(given)
        builds = {b.name: b for _, b in book.builds()}
        found = [
            plan_files.campaign_to_dict(k, c, book.runs_made(c), builds)
            for k, c in book.campaigns()
        ]
    if as_json:
        document = {"format": "sparring.campaigns/1", "logbook": str(logbook), "campaigns": found}
        print_json(document)
        return
    for one in found:
        typer.echo(f"{one['name']}: {one['done']} of {one['trials']} trials")
        columns = list(dict.fromkeys(cell["column"] for cell in one["cells"]))
        rows = [
            [
                build,
                *(
                    f"{cell['done']}/{cell['of']}"
                    for cell in one["cells"]
                    if cell["build"] == build
                ),
            ]
            for build in dict.fromkeys(cell["build"] for cell in one["cells"])
        ]
        show_table(["build", *columns], rows)
        if (step := one["next"]) is not None:
            what = " (reference)" if step["reference"] else ""
            typer.echo(f"next: {step['build']} at {step['column']}, block {step['block']}{what}")
