"""The sky: elements that were loaded and heard, skylines of marks, and the sky held against what was seen."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None

NEW = ("element_file", "heard_ephemeris", "skyline", "sky_check")


def upgrade() -> None:
    op.create_table("element_file",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), nullable=False, index=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("imported_id", sa.String(36), sa.ForeignKey("imported_file.id"), nullable=False),
        sa.Column("withdrawn", sa.Boolean(), nullable=False),
        sa.Column("replaces_id", sa.String(36), sa.ForeignKey("element_file.id"), unique=True, nullable=True),
        sa.Column("created_s", sa.Float(), nullable=False),
    )
    op.create_table("heard_ephemeris",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), nullable=False, index=True),
        sa.Column("listening_id", sa.String(36), sa.ForeignKey("listening.id"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("payload", sa.LargeBinary(), nullable=False),
        sa.Column("heard_s", sa.Float(), nullable=False),
    )
    op.create_table("skyline",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), nullable=False, index=True),
        sa.Column("mark_id", sa.String(36), sa.ForeignKey("mark.id"), nullable=False),
        sa.Column("data", sa.Text(), nullable=False),
        sa.Column("origin", sa.String(16), nullable=False),
        sa.Column("photo", sa.Text(), nullable=True),
        sa.Column("replaces_id", sa.String(36), sa.ForeignKey("skyline.id"), unique=True, nullable=True),
        sa.Column("created_s", sa.Float(), nullable=False),
    )
    op.create_table("sky_check",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), nullable=False, index=True),
        sa.Column("occupation_id", sa.String(36), sa.ForeignKey("occupation.id"), nullable=False),
        sa.Column("data", sa.Text(), nullable=False),
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
    raise NotImplementedError("Skylines and what was heard would be lost: restore the data folder's copy instead.")
