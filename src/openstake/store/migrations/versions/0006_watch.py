"""Shots of points beside checks, labels that are corrected by rows, several rovers on a base, how shots are taken, bench tests.

A shot of a point has neither a mark nor tolerances; the table is rebuilt for that, with its triggers.
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

NEW = ("point_label", "shot_settings", "bench_test")


def _key() -> sa.Column[str]:
    return sa.Column("id", sa.String(36), primary_key=True)


def upgrade() -> None:
    connection = op.get_bind()
    sqlite = connection.dialect.name == "sqlite"
    sealed = _sealed(connection, "shot") if sqlite else []
    for name, _ in sealed:
        op.execute(f"DROP TRIGGER {name}")
    with op.batch_alter_table("shot") as batch:
        batch.alter_column("mark_id", existing_type=sa.String(36), nullable=True)
        batch.alter_column("tolerance_horizontal_m", existing_type=sa.Float(), nullable=True)
        batch.alter_column("tolerance_vertical_m", existing_type=sa.Float(), nullable=True)
        batch.add_column(sa.Column("kind", sa.String(12), nullable=False, server_default="check"))
        batch.add_column(sa.Column("initialised_s", sa.Float()))
        batch.add_column(sa.Column("tilt", sa.String(8), nullable=False, server_default=""))
    for _, statement in sealed:
        op.execute(statement)
    op.add_column("shot_epoch", sa.Column("used", sa.Boolean(), nullable=False, server_default=sa.true()))
    for column in (
        sa.Column("device", sa.String(200), nullable=False, server_default=""),
        sa.Column("further", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("withdrawn", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("replaces_id", sa.String(36)),
    ):
        op.add_column("listening", column)
    op.create_index("ix_listening_replaces_id", "listening", ["replaces_id"], unique=True)
    op.create_table("point_label",
        _key(),
        sa.Column("shot_id", sa.String(36), sa.ForeignKey("shot.id"), nullable=False, index=True),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("code", sa.String(80), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("taken_out", sa.Boolean(), nullable=False),
        sa.Column("replaces_id", sa.String(36), sa.ForeignKey("point_label.id"), unique=True),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("created_s", sa.Float(), nullable=False),
    )
    op.create_index("ix_point_label_job_name", "point_label", ["job_id", "name"])
    op.create_table("shot_settings",
        _key(),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), nullable=False, index=True),
        sa.Column("data", sa.Text(), nullable=False),
        sa.Column("replaces_id", sa.String(36), sa.ForeignKey("shot_settings.id"), unique=True),
        sa.Column("created_s", sa.Float(), nullable=False),
    )
    op.create_table("bench_test",
        _key(),
        sa.Column("job_id", sa.String(36), sa.ForeignKey("job.id"), index=True),
        sa.Column("data", sa.Text(), nullable=False),
        sa.Column("created_s", sa.Float(), nullable=False),
    )
    if sqlite:
        for table in NEW:
            for verb in ("UPDATE", "DELETE"):
                op.execute(
                    f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
                    f"BEGIN SELECT RAISE(ABORT, '{table} rows are never changed'); END"
                )


def _sealed(connection: sa.Connection, table: str) -> list[tuple[str, str]]:
    query = sa.text("SELECT name, sql FROM sqlite_master WHERE type = 'trigger' AND tbl_name = :table")
    return [(name, statement) for name, statement in connection.execute(query, {"table": table})]


def downgrade() -> None:
    raise NotImplementedError("Points, labels and bench tests would be lost: restore the data folder's copy instead.")
