"""What a job takes for its error budget, and what was answered to findings."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

NEW = ("budget_settings", "finding_answer")


def upgrade() -> None:
    op.create_table("budget_settings",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), nullable=False, index=True),
        sa.Column("data", sa.Text(), nullable=False),
        sa.Column("replaces_id", sa.String(36), sa.ForeignKey("budget_settings.id"), unique=True, nullable=True),
        sa.Column("created_s", sa.Float(), nullable=False),
    )
    op.create_table("finding_answer",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), nullable=False, index=True),
        sa.Column("code", sa.String(60), nullable=False),
        sa.Column("sentence", sa.Text(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("who", sa.String(80), nullable=False),
        sa.Column("created_s", sa.Float(), nullable=False),
    )
    if op.get_bind().dialect.name == "sqlite":
        for table in NEW:
            for verb in ("UPDATE", "DELETE"):
                op.execute(
                    f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
                    f"BEGIN SELECT RAISE(ABORT, '{table} rows are never changed'); END"
                )


def downgrade() -> None:
    raise NotImplementedError("Settings and answers would be lost: restore the data folder's copy instead.")
