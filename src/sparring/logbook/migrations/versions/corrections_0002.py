"""Corrections of builds and rigs that were tested."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "corrections",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("kind", sa.String(12), nullable=False),
        sa.Column("owner", sa.Integer, nullable=False),
        sa.Column("field", sa.String(200), nullable=False),
        sa.Column("before", sa.Text, nullable=False),
        sa.Column("after", sa.Text, nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_corrections_owner", "corrections", ["owner"])


def downgrade() -> None:
    op.drop_table("corrections")
