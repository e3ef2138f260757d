"""Time that was let pass in a practice job."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table("time_passed",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), nullable=False),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("created_s", sa.Float(), nullable=False),
    )
    op.create_index("ix_time_passed_job_id", "time_passed", ["job_id"])
    if op.get_bind().dialect.name == "sqlite":
        for verb in ("UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER time_passed_no_{verb.lower()} BEFORE {verb} ON time_passed "
                "BEGIN SELECT RAISE(ABORT, 'time_passed rows are never changed'); END"
            )


def downgrade() -> None:
    op.drop_table("time_passed")
