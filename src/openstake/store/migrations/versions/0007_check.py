"""How a job is checked, what was changed at the base, what was measured without GNSS, and shots taken in series."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

NEW = ("check_settings", "site_change", "ground_measure", "shot_series", "shot_series_item")


def _key() -> sa.Column[str]:
    return sa.Column("id", sa.String(36), primary_key=True)


def _of(table: str, column: str, *, index: bool = False, replaces: bool = False) -> sa.Column[str]:
    """Return a column that names a row; `replaces`: of the same table, once at most."""
    return sa.Column(
        column, sa.String(36), sa.ForeignKey(f"{table}.id"), index=index, unique=replaces or None, nullable=replaces
    )


def _withdrawn() -> sa.Column[bool]:
    return sa.Column("withdrawn", sa.Boolean(), nullable=False)


def _created() -> sa.Column[float]:
    return sa.Column("created_s", sa.Float(), nullable=False)


def upgrade() -> None:
    op.create_table("check_settings",
        _key(),
        _of("job", "job_id", index=True),
        sa.Column("data", sa.Text(), nullable=False),
        _of("check_settings", "replaces_id", replaces=True),
        _created(),
    )
    op.create_table("site_change",
        _key(),
        _of("job", "job_id"),
        _of("occupation", "occupation_id", index=True),
        sa.Column("kind", sa.String(16), nullable=False),
        _created(),
    )
    op.create_table("ground_measure",
        _key(),
        _of("job", "job_id", index=True),
        sa.Column("kind", sa.String(12), nullable=False),
        _of("shot", "from_shot_id"),
        _of("shot", "to_shot_id"),
        sa.Column("text", sa.String(80), nullable=False),
        sa.Column("measured_m", sa.Float(), nullable=False),
        sa.Column("from_above_m", sa.Float(), nullable=False),
        sa.Column("to_above_m", sa.Float(), nullable=False),
        sa.Column("sigma_m", sa.Float(), nullable=False),
        _withdrawn(),
        _of("ground_measure", "replaces_id", replaces=True),
        _created(),
    )
    op.create_table("shot_series",
        _key(),
        _of("job", "job_id", index=True),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("data", sa.Text(), nullable=False),
        _withdrawn(),
        _of("shot_series", "replaces_id", replaces=True),
        _created(),
    )
    op.create_table("shot_series_item",
        _key(),
        _of("shot_series", "series_id", index=True),
        sa.Column("place", sa.String(16), nullable=False),
        _of("shot", "shot_id"),
        _created(),
    )
    if op.get_bind().dialect.name == "sqlite":
        for table in NEW:
            for verb in ("UPDATE", "DELETE"):
                op.execute(
                    f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
                    f"BEGIN SELECT RAISE(ABORT, '{table} rows are never changed'); END"
                )


def downgrade() -> None:
    raise NotImplementedError("Tolerances, measures and series would be lost: restore the data folder's copy instead.")
