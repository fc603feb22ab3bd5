"""Seals: a checksum of what a row says."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"

_TABLES = ("builds", "rigs", "tests", "runs", "corrections", "settings")


def upgrade() -> None:
    for table in _TABLES:
        op.add_column(table, sa.Column("seal", sa.BigInteger, nullable=True))


def downgrade() -> None:
    for table in _TABLES:
        op.drop_column(table, "seal")
