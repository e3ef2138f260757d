"""Local fits: marks with their local coordinates, their shots, fits as they were chosen, and those in use."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

NEW = ("fit_mark", "fit_shot", "fit_chosen", "fit_applied")


def _key() -> sa.Column[str]:
    return sa.Column("id", sa.String(36), primary_key=True)


def _of(table: str, column: str, *, index: bool = False, replaces: bool = False, optional: bool = False) -> sa.Column[str]:
    """Return a column that names a row; `replaces`: of the same table, once at most."""
    return sa.Column(
        column, sa.String(36), sa.ForeignKey(f"{table}.id"), index=index, unique=replaces or None, nullable=replaces or optional
    )


def _metres(name: str, optional: bool = True) -> sa.Column[float]:
    return sa.Column(name, sa.Float(), nullable=optional)


def _created() -> sa.Column[float]:
    return sa.Column("created_s", sa.Float(), nullable=False)


def upgrade() -> None:
    op.create_table("fit_mark",
        _key(),
        sa.Column("line_id", sa.String(36), nullable=False, index=True),
        _of("job", "job_id", index=True),
        sa.Column("name", sa.String(80), nullable=False),
        _metres("local_e_m", optional=False),
        _metres("local_n_m", optional=False),
        _metres("local_h_m"),
        _metres("sigma_h_m"),
        _metres("sigma_v_m"),
        _metres("gnss_e_m"),
        _metres("gnss_n_m"),
        _metres("gnss_h_m"),
        _of("occupation", "occupation_id", optional=True),
        sa.Column("source", sa.String(200), nullable=False),
        sa.Column("withdrawn", sa.Boolean(), nullable=False),
        _of("fit_mark", "replaces_id", replaces=True),
        sa.Column("reason", sa.Text(), nullable=False),
        _created(),
    )
    op.create_table("fit_shot",
        _key(),
        _of("job", "job_id", index=True),
        sa.Column("line_id", sa.String(36), nullable=False),
        _of("shot", "shot_id"),
        sa.Column("used", sa.Boolean(), nullable=False),
        _created(),
    )
    op.create_table("fit_chosen",
        _key(),
        _of("job", "job_id", index=True),
        sa.Column("data", sa.Text(), nullable=False),
        sa.Column("result", sa.Text(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        _of("fit_chosen", "replaces_id", replaces=True),
        _created(),
    )
    op.create_table("fit_applied",
        _key(),
        _of("job", "job_id", index=True),
        sa.Column("data", sa.Text(), nullable=False),
        sa.Column("rests_on", sa.Text(), nullable=False),
        sa.Column("dropped", sa.Boolean(), nullable=False),
        _of("fit_applied", "replaces_id", replaces=True),
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
    raise NotImplementedError("Marks and fits would be lost: restore the data folder's copy instead.")
