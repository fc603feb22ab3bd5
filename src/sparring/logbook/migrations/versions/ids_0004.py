"""Ids where words stood: settings of readings, inputs that results share."""

import json
import zlib

import sqlalchemy as sa
from alembic import op

from sparring.logbook import former

revision = "0004"
down_revision = "0003"

_TESTS = "SELECT id, build_id, rig_id, title, plan, headline, seal FROM tests"


def _seal(*values: object) -> int:
    seal = 0
    for value in values:
        seal = zlib.crc32(f"\x1f{value}".encode("utf-8", "surrogatepass"), seal)
    return seal


def upgrade() -> None:
    connection = op.get_bind()
    for key, value, seal in connection.execute(
        sa.text("SELECT key, value, seal FROM settings")
    ).all():
        new = former.readings_key(str(key))
        if new == key or (seal is not None and seal != _seal(key, value)):
            continue  # a damaged one stays what it is
        connection.execute(
            sa.text("UPDATE settings SET key = :new, seal = :seal WHERE key = :key"),
            {"new": new, "key": key, "seal": None if seal is None else _seal(new, value)},
        )
    for row in connection.execute(sa.text(_TESTS)).all():
        *said, headline, seal = row
        if headline is None or (seal is not None and seal != _seal(*said, headline)):
            continue
        if (text := _with_ids(headline)) != headline:
            connection.execute(
                sa.text("UPDATE tests SET headline = :headline, seal = :seal WHERE id = :id"),
                {
                    "headline": text,
                    "id": row.id,
                    "seal": None if seal is None else _seal(*said, text),
                },
            )


def _with_ids(headline: str) -> str:
    try:
        told = json.loads(headline)
        method = told.get("method", "")
        for step in told.get("steps", ()):
            step[4] = {former.input_key(key, method): u for key, u in step[4].items()}
    except (ValueError, AttributeError, IndexError, TypeError):
        return headline  # it is derived anew when its test is opened
    return json.dumps(told)


def downgrade() -> None:
    """Nothing: a version before derives its headlines anew, and finds no readings."""
