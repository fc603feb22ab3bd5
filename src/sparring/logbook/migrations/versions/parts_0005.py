"""Readings that were settings become records of parts."""

import json
import re
import zlib

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"

_KEY = re.compile(r"readings (\d+) ([a-z-]+)")
_PARTS = {
    "bare-motor": "motor",
    "stepper": "motor",
    "swing": "inertia",
    "wind-up": "build",
    "break-away": "build",
    "drum-friction": "rig",
    "counting": "rig",
    "generator": "rig",
}
# ways that are methods now; `logbook.former` makes tests of them when the logbook is opened
_FORMER = ("lever", "scale", "rope-brake", "drawbar", "run-up")
_NOTE = "kept by an earlier version, without its day"


def _seal(*values: object) -> int:
    seal = 0
    for value in values:
        seal = zlib.crc32(f"\x1f{value}".encode("utf-8", "surrogatepass"), seal)
    return seal


def upgrade() -> None:
    table = op.create_table(
        "characterisations",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("part", sa.String(12), nullable=False),
        sa.Column("owner", sa.Integer, nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("way", sa.String(40), nullable=False),
        sa.Column("record", sa.Text, nullable=False),
        sa.Column("struck", sa.Boolean, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.Column("seal", sa.BigInteger),
    )
    op.create_index("ix_characterisations_owner", "characterisations", ["owner"])
    connection = op.get_bind()
    builds = {
        r.id: r for r in connection.execute(sa.text("SELECT id, record, created FROM builds")).all()
    }
    number = 0
    for key, value, seal in connection.execute(
        sa.text("SELECT key, value, seal FROM settings ORDER BY key")
    ).all():
        found = _KEY.fullmatch(str(key))
        if found is None or (seal is not None and seal != _seal(key, value)):
            continue  # a damaged one stays what it is
        build, way = builds.get(int(found[1])), found[2]
        part = "method" if way in _FORMER else _PARTS.get(way)
        try:
            kept = dict(json.loads(value))
        except (TypeError, ValueError):
            continue
        if build is None or part is None:
            continue
        if kept.get("readings") or kept.get("recordings") or kept.get("recovered"):
            number += 1
            owner, name = _owner(connection, part, build)
            kept["note"] = _NOTE
            record = json.dumps(kept, ensure_ascii=False)
            connection.execute(
                table.insert().values(
                    id=number,
                    part=part,
                    owner=owner,
                    name=name,
                    way=way,
                    record=record,
                    struck=False,
                    created=sa.func.now(),
                    seal=_seal(number, part, owner, name, way, record, False),
                )
            )
        connection.execute(sa.text("DELETE FROM settings WHERE key = :key"), {"key": key})


def _owner(connection: sa.Connection, part: str, build: sa.Row) -> tuple[int, str]:
    """Number and name of what the readings are of: they were kept under a build."""
    try:
        record = json.loads(build.record)
    except ValueError:
        record = {}
    family = str(record.get("family", "build"))
    name = f"{family} r{record.get('revision', 1)}"
    if part == "motor":
        name = str(record.get("motor", {}).get("name", name))
    if part != "rig":
        return build.id, name[:120]
    rig = connection.execute(
        sa.text(
            "SELECT rigs.id, rigs.name FROM rigs LEFT JOIN tests ON tests.rig_id = rigs.id"
            " AND tests.build_id = :build ORDER BY tests.id IS NULL, tests.id DESC, rigs.id LIMIT 1"
        ),
        {"build": build.id},
    ).first()
    return (0, name[:120]) if rig is None else (rig.id, rig.name)


def downgrade() -> None:
    op.drop_table("characterisations")
