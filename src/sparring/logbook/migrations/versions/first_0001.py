"""The first schema."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "builds",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("family", sa.String(60), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("record", sa.Text, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("family", "revision"),
    )
    op.create_index("ix_builds_family", "builds", ["family"])
    op.create_table(
        "rigs",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("record", sa.Text, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "tests",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "build_id", sa.Integer, sa.ForeignKey("builds.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("rig_id", sa.Integer, sa.ForeignKey("rigs.id"), nullable=False),
        sa.Column("title", sa.String(120), nullable=False),
        sa.Column("plan", sa.Text, nullable=False),
        sa.Column("headline", sa.Text, nullable=True),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_tests_build_id", "tests", ["build_id"])
    op.create_table(
        "runs",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "test_id", sa.Integer, sa.ForeignKey("tests.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("record", sa.Text, nullable=False),
        sa.Column("recording", sa.String(120), nullable=False),
        sa.Column("struck", sa.Boolean, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_runs_test_id", "runs", ["test_id"])
    op.create_table(
        "settings",
        sa.Column("key", sa.String(200), primary_key=True),
        sa.Column("value", sa.Text, nullable=False),
    )


def downgrade() -> None:
    for table in ("settings", "runs", "tests", "rigs", "builds"):
        op.drop_table(table)
