"""Two crews' first settings, choices and fits of one job are one line: the second is set behind the first."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

ONE_LINE_A_JOB = ("job_settings", "shot_settings", "check_settings", "fit_chosen", "fit_applied", "budget_settings")


def upgrade() -> None:
    connection = op.get_bind()
    for table in ONE_LINE_A_JOB:
        rows = connection.execute(sa.text(f"SELECT id, job_id, replaces_id FROM {table} ORDER BY created_s, id")).all()
        follows = {row.replaces_id: row.id for row in rows if row.replaces_id}
        tails: dict[str, str] = {}
        moved = []
        for row in rows:
            if row.replaces_id is None:
                if row.job_id in tails:
                    moved.append((row.id, tails[row.job_id]))
                tails[row.job_id] = _end(follows, row.id)
        if moved:
            _set_behind(connection, table, moved)


def _end(follows: dict[str, str], row_id: str) -> str:
    while row_id in follows:
        row_id = follows[row_id]
    return row_id


def _set_behind(connection: sa.Connection, table: str, moved: list[tuple[str, str]]) -> None:
    sqlite = connection.dialect.name == "sqlite"
    trigger = f"{table}_no_update"
    made = (
        connection.execute(sa.text("SELECT sql FROM sqlite_master WHERE name = :name"), {"name": trigger}).scalar() if sqlite else None
    )
    if sqlite:
        op.execute(f"DROP TRIGGER IF EXISTS {trigger}")
    for row_id, end in moved:
        connection.execute(sa.text(f"UPDATE {table} SET replaces_id = :end WHERE id = :id"), {"end": end, "id": row_id})
        connection.execute(
            sa.text("INSERT INTO rival (row_id, said_replaces_id, table_name, joined) VALUES (:id, '', :table, false)"),
            {"id": row_id, "table": table},
        )
    if made:
        op.execute(made)


def downgrade() -> None:
    """Rows that were set behind others stay there: nothing is lost."""
