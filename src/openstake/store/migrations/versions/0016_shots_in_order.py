"""A job's shots are found in the order in which they were taken: a page of many costs what it shows."""

from __future__ import annotations

from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("ix_shot_job_created", "shot", ["job_id", "created_s", "id"])
    op.drop_index("ix_shot_job_id", "shot")


def downgrade() -> None:
    op.create_index("ix_shot_job_id", "shot", ["job_id"])
    op.drop_index("ix_shot_job_created", "shot")
