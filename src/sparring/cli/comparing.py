"""`sparring compare`: builds side by side."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from sparring.cli.common import AsJson, app, option, print_json, show_table, told

if TYPE_CHECKING:
    from sparring.core.compare.comparison import Comparison
    from sparring.core.compare.figures import At
    from sparring.core.compare.subject import Subject

Query = Annotated[
    str, typer.Option(help="only these: material = POM and ratio > 25 and efficiency > 80 %")
]


@app.command()
def compare(
    source: Annotated[
        Path, typer.Argument(help="logbook folder, or a folder of exported tests", exists=True)
    ],
    query: Query = "",
    tests: Annotated[
        bool, typer.Option("--tests", help="every test that fits, not only the newest of a build")
    ] = False,
    at: Annotated[
        str, typer.Option("--at", help="torque at the output, or a share of stall: 0.5 N·m, 40 %")
    ] = "",
    voltage: Annotated[str, typer.Option(help="voltage to compare at")] = "",
    figure: Annotated[str, typer.Option(help="of the differences; `--figure list` names all")] = (
        "gearbox"
    ),
    reference: Annotated[str, typer.Option(help="build that the others are compared with")] = "",
    margin: Annotated[str, typer.Option(help="within which two count as the same")] = "",
    factor: Annotated[
        list[str] | None, typer.Option(help="in the mixed model; several times; default: all")
    ] = None,
    interaction: Annotated[
        list[str] | None, typer.Option(help="material×lubricant; several times")
    ] = None,
    trade: Annotated[str, typer.Option(help="two figures against each other: mass,stall")] = "",
    as_json: AsJson = False,
) -> None:
    """Builds side by side: figures, differences with intervals, what each factor does."""
    from sparring.core.compare.figures import FIGURES
    from sparring.core.compare.whole import compared
    from sparring.core.records import RecordError
    from sparring.files import compare_files

    if figure == "list":
        show_table(["figure", ""], [[f.id, f.words] for f in FIGURES])
        return
    if figure not in {f.id for f in FIGURES}:
        raise typer.BadParameter(f"--figure {figure}: `--figure list` names all")
    with told():
        subjects = _subjects(source, query, tests=tests)
        if not subjects:
            raise RecordError(f"{source}: nothing is found by “{query}”")
        place = _reference(subjects, reference)
        found = compared(
            subjects,
            _at(subjects, at, voltage),
            figure=figure,
            reference=place,
            margin=_margin(figure, margin),
            factors=factor,
            interactions=[_pair(x) for x in interaction or []],
        )
        document = compare_files.to_dict(found)
        if trade:
            document["trade_off"] = _trade(found.comparison, trade)
    if as_json:
        print_json(document)
        return
    _say(document)


def _subjects(source: Path, query: str, *, tests: bool) -> list[Subject]:
    from sparring.exchange.comparing import chosen_by, subjects_of
    from sparring.exchange.exported import subjects_in
    from sparring.logbook import Logbook

    if not (source / "logbook.sqlite").exists():
        found = subjects_in(source)
        if query:
            from sparring.core.search import query as asked_by

            asked = asked_by(query)
            found = [s for s in found if asked(_facts(s))]
        return found
    with Logbook(source, create=False) as book:
        return subjects_of(book, chosen_by(book, query, tests=tests))


def _facts(s: Subject) -> Any:
    """Of an exported test, as of one in a logbook."""
    from datetime import UTC, datetime

    from sparring.core.plan import standard
    from sparring.core.reduce.results import headline
    from sparring.logbook.searching import facts_of
    from sparring.logbook.stored import StoredTest

    head = None if s.result is None else headline(s.result)
    plan = standard(s.build) if s.result is None else s.result.plan
    made = datetime.fromisoformat(s.day).replace(tzinfo=UTC) if s.day else datetime.now(UTC)
    return facts_of(s.build, [StoredTest(s.test, 0, 0, s.title, plan, made, head, 1)], {0: s.rig})


def _reference(subjects: list[Subject], name: str) -> int | None:
    from sparring.core.records import RecordError

    if not name:
        return None
    names = [s.name for s in subjects]
    if name not in names:
        raise RecordError(f"--reference {name}: it is none of {', '.join(names)}")
    return names.index(name)


def _at(subjects: list[Subject], at: str, voltage: str) -> At:
    from sparring.core.compare.comparison import usual

    found = usual(subjects)
    if voltage:
        found = found._replace(voltage=option("--voltage", voltage, "voltage"))
    if at.strip().endswith("%"):
        return found._replace(share=option("--at", at, "ratio"))
    return found._replace(torque=option("--at", at, "torque")) if at else found


def _margin(figure: str, text: str) -> float | None:
    from sparring.core.compare.figures import BY_ID

    kind = BY_ID[figure].kind
    return option("--margin", text, kind) if text else None


def _pair(text: str) -> tuple[str, str]:
    for sign in ("×", "*", ":", ","):
        a, found, b = text.partition(sign)
        if found:
            return a.strip(), b.strip()
    raise typer.BadParameter(f"--interaction {text}: write two factors, material×lubricant")


def _trade(side: Comparison, text: str) -> dict[str, Any]:
    from sparring.core.compare.figures import BY_ID
    from sparring.core.compare.tradeoff import standing
    from sparring.files.compare_files import trade_to_dict

    a, _, b = (x.strip() for x in text.partition(","))
    if a not in BY_ID or b not in BY_ID:
        raise typer.BadParameter(
            f"--trade {text}: write two figures of `--figure list`, a comma between"
        )
    if not (BY_ID[a].better and BY_ID[b].better):
        raise typer.BadParameter(f"--trade {text}: one of them is neither better more nor less")
    rows = {r.figure.id: r for r in side.rows}
    places = [
        n
        for n in range(len(side.subjects))
        if all((c := rows[x].cells[n]) is not None and math.isfinite(c.value) for x in (a, b))
    ]
    across, up = ([c for n in places if (c := rows[x].cells[n]) is not None] for x in (a, b))
    found = standing(across, up, (BY_ID[a].better, BY_ID[b].better))
    return trade_to_dict(side, a, b, found, places)


def _say(document: dict[str, Any]) -> None:
    names = [b["name"] for b in document["builds"]]
    rows = []
    for f in document["figures"]:
        cells = [f["values"][n] for n in names]
        if any(cells):
            texts = [_figure(c, f["id"]) for c in cells]
            rows.append([f["words"], *texts, ", ".join(f["best"])])
    typer.echo(_where(document["at"]))
    show_table(["", *names, "best"], rows)
    for d in document["differences"]:
        low, high = d["low"], d["high"]
        between = "" if low is None else f" ({low:.3g} to {high:.3g})"
        typer.echo(
            f"{d['build']} against {d['against']}: {d['value']:+.3g}{between}, "
            f"p {d['p_adjusted']:.2g}, {d['verdict']}"
        )
    for f in document["findings"]:
        typer.echo(f"{f['severity']}: {f['title']}. {f['seen']}")
    for t in document.get("trade_off", {}).get("builds", []):
        typer.echo(f"{t['build']}: undominated with a chance of {100 * t['chance']:.0f} %")


def _where(at: dict[str, Any]) -> str:
    from sparring.core import quantity

    share = at["share_of_stall"]
    torque = (
        f"{quantity.show(share, 'ratio', '%')} of each one's stall torque"
        if share is not None
        else quantity.show(at["torque_Nm"], "torque", "N·m")
    )
    return f"At {quantity.show(at['voltage_V'], 'voltage', 'V')} and {torque}"


def _figure(cell: dict[str, Any] | None, id: str) -> str:
    from sparring.core import quantity
    from sparring.core.compare.figures import BY_ID

    if cell is None or cell["value"] is None:
        return "–"
    figure = BY_ID[id]
    unit = figure.unit or quantity.kind_of(figure.kind).default
    if figure.kind == "count" or figure.per == ":1":
        unit = ""
    elif figure.kind == "ratio":
        unit = "%"
    return quantity.show(cell["value"], figure.kind, unit, u=cell["u"] or None) + figure.per
