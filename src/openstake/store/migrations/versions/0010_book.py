"""Days of the Book that were signed off, each with the copy that was frozen."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

NEW = ("signed_day",)


def upgrade() -> None:
    op.create_table("signed_day",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), nullable=False, index=True),
        sa.Column("day", sa.String(10), nullable=False),
        sa.Column("who", sa.String(80), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("content", sa.Text(), nullable=False),
        sa.Column("book_id", sa.String(36), sa.ForeignKey("book.id"), nullable=False, unique=True),
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
    raise NotImplementedError("Signed days would be lost: restore the data folder's copy instead.")
