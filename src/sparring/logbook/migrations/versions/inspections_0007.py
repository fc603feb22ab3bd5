"""Inspections of opened drives."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.create_table(
        "inspections",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "build_id", sa.Integer, sa.ForeignKey("builds.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("record", sa.Text, nullable=False),
        sa.Column("struck", sa.Boolean, nullable=False, server_default=sa.false()),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.Column("seal", sa.BigInteger),
    )
    op.create_index("ix_inspections_build_id", "inspections", ["build_id"])
