"""`sparring measure` and `sparring parts`: what motors, inertias, builds and rigs were measured to
be.
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from sparring.cli.common import AsJson, app, print_json, told

if TYPE_CHECKING:
    from sparring.core.characterise import Judged
    from sparring.logbook.characterised import Characterisation

_SET = "a value shared by all repeats, FIELD=VALUE; may be given several times"


@app.command()
def measure(
    way: Annotated[str, typer.Argument(help="bare-motor, stepper, swing, wind-up, break-away, …")],
    readings: Annotated[
        Path,
        typer.Argument(
            help="table of readings, one repeat per line (CSV)", exists=True, dir_okay=False
        ),
    ],
    settings: Annotated[list[str] | None, typer.Option("--set", help=_SET)] = None,
    keep: Annotated[Path | None, typer.Option(help="logbook to save it in")] = None,
    of: Annotated[str, typer.Option(help="build or rig that it belongs to")] = "",
    name: Annotated[
        str, typer.Option(help="name of the part; default: that of the build or rig")
    ] = "",
    note: Annotated[str, typer.Option(help="a note saved with it")] = "",
    as_json: AsJson = False,
) -> None:
    """What a part is by readings of it: a motor's line, an inertia, stiffness, play, friction."""
    from sparring.core.characterise import WAYS, judged
    from sparring.core.records import RecordError

    if way not in WAYS:
        raise typer.BadParameter(f"{way} is not one of {', '.join(WAYS)}", param_hint="WAY")
    with told():
        dimensions = _dimensions(way, settings or [])
        columns = _columns(way, readings)
        try:
            found = judged(way, dimensions, columns)
        except ValueError as err:
            raise RecordError(f"{readings}: {err}") from err
        number = None
        if keep is not None:
            from sparring.logbook.characterised import Characterisation

            typed = tuple(map(tuple, columns))
            kept = Characterisation(WAYS[way].PART, 0, name, way, dimensions, typed, note=note)
            number = _keep(keep, kept, of)
    document = {
        "format": "sparring.measure/1",
        "way": way,
        "part": WAYS[way].PART,
        "kept_as": number,
        **_told(found),
    }
    if as_json:
        print_json(document)
        return
    _say(found)


@app.command()
def parts(
    logbook: Annotated[Path, typer.Argument(help="logbook folder")],
    way: Annotated[str, typer.Option(help="only those measured with this method, compared")] = "",
    as_json: AsJson = False,
) -> None:
    """What was measured of the parts of a logbook, the newest first; of one way, what differs."""
    from sparring.core.characterise import WAYS, judged
    from sparring.core.characterise.compare import apart
    from sparring.logbook import Logbook

    if way and way not in WAYS:
        raise typer.BadParameter(f"{way} is not one of {', '.join(WAYS)}", param_hint="--way")
    rows: list[dict[str, Any]] = []
    named = []
    with told(), Logbook(logbook, create=False) as book:
        for c in book.characterisations():
            if c.way not in WAYS or (way and c.way != way):
                continue
            row: dict[str, Any] = {
                "id": c.id,
                "part": c.part,
                "name": c.name,
                "way": c.way,
                "day": c.day or None,
                "note": c.note,
                "repeats": len(c.readings),
            }
            try:
                found = judged(c.way, c.dimensions, c.readings)
                named.append((f"{c.name} ({c.id})", found))
                row |= {**_told(found), "why_not": None}
            except ValueError as err:
                row |= {"results": [], "findings": [], "why_not": str(err)}
            rows.append(row)
    document = {
        "format": "sparring.parts/1",
        "logbook": str(logbook),
        "records": rows,
        "differences": apart(named) if way else [],
    }
    if as_json:
        print_json(document)
        return
    for row in rows:
        typer.echo(
            f"{row['id']:4}  {row['part']:8} {row['name']:24} {row['way']:14} {row['day'] or ''}"
        )
        for r in row["results"]:
            typer.echo(f"        {r['label']}: {r['shown']}")
        if row["why_not"]:
            typer.echo(f"        {row['why_not']}")
    for sentence in document["differences"]:
        typer.echo(f"{sentence}.")


def _dimensions(way: str, settings: list[str]) -> dict[str, Any]:
    """The shared figures as file text. Raises RecordError."""
    from sparring.core.characterise import WAYS
    from sparring.core.records import RecordError

    fields = [field for _, field in WAYS[way].FIELDS]
    given = {}
    for text in settings:
        field, sign, value = (part.strip() for part in text.partition("="))
        if not sign or field not in fields:
            raise RecordError(f"--set {text}: write FIELD=VALUE; fields are {', '.join(fields)}")
        given[field] = int(value) if value.isdigit() and _is_count(way, field) else value
    whole: dict[str, Any] = json.loads(WAYS[way].from_json(json.dumps(given)).to_json())
    return whole


def _is_count(way: str, field: str) -> bool:
    from sparring.core.characterise import WAYS
    from sparring.core.records import annotation

    bare, info, _ = annotation(WAYS[way](), (field,))
    return info is None and bare is int


def _columns(way: str, path: Path) -> list[list[str]]:
    """A list a repeat, in the order of the way's fields. Raises RecordError."""
    from sparring.core.characterise import WAYS
    from sparring.core.records import RecordError
    from sparring.files.table_files import head_of, lines_of, too_wide

    fields = tuple(field for _, field in WAYS[way].READING.FIELDS)
    (_, head), *lines = lines_of(path)
    columns = head_of(path, head, fields)
    found = []
    for n, cells in lines:
        if wide := too_wide(columns, cells):
            raise RecordError(f"{path}, line {n}: {wide}")
        told = {
            column: f"{text.strip()} {unit}".strip() if _bare(text) else text.strip()
            for (column, unit), text in zip(columns, cells, strict=False)
            if text.strip()
        }
        found.append([told.get(field, "") for field in fields])
    return found


def _bare(text: str) -> bool:
    """Whether a cell is a number alone, perhaps with its ±: then the head's unit is its own."""
    return not any(c.isalpha() or c in "°%Ω" for c in text)


def _keep(folder: Path, kept: Characterisation, of: str) -> int:
    """Keeps it under the build or rig of that name; its number. Raises LogbookError."""
    from sparring.logbook import Logbook, LogbookError

    with Logbook(folder, create=False) as book:
        builds, rigs = book.builds(), book.rigs()
        owners = {r.name: i for i, r in (rigs if kept.part == "rig" else builds)}
        if of not in owners:
            what = "rig" if kept.part == "rig" else "build"
            raise LogbookError(f"{folder} has no {what} {of!r}; it has {', '.join(owners)}")
        own = dict(builds)[owners[of]].motor.name if kept.part == "motor" else of
        kept = replace(kept, owner=owners[of], name=kept.name or own)
        return book.save_characterisation(kept).id


def _told(found: Judged) -> dict[str, Any]:
    from sparring.core import quantity
    from sparring.core.uncertainty import nominal, std
    from sparring.files.result_files import finding_to_dict

    return {
        "results": [
            {
                "id": r.id,
                "label": r.label,
                "kind": r.kind,
                "value": nominal(r.value),
                "u": std(r.value),
                "unit": quantity.KINDS[r.kind].si,
                "scatter": r.scatter,
                "repeats": r.repeats,
                "shown": quantity.show(
                    nominal(r.value), r.kind, quantity.KINDS[r.kind].default, u=std(r.value) or None
                ),
            }
            for r in found.results
        ],
        "findings": [finding_to_dict(f) for f in found.findings],
    }


def _say(found: Judged) -> None:
    told = _told(found)
    for r in told["results"]:
        typer.echo(f"{r['label']}: {r['shown']}")
    from sparring.core.finding import SEVERITY

    for f in told["findings"]:
        typer.echo(f"{SEVERITY[f['severity']]}: {f['title']}. {f['seen']}")
