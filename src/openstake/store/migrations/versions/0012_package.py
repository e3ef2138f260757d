"""Keys that two installations cannot both give; sealed lines of other chains, and what crews replaced beside each other."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

NUMBERED = ("tick", "job_profile", "epoch")
NEW = ("sealed_line", "rival")
# A random UUID (RFC 9562, version 4) of SQLite's own random bytes.
_UUID = (
    "lower(hex(randomblob(4)) || '-' || hex(randomblob(2)) || '-4' || substr(hex(randomblob(2)), 2) || '-' || "
    "substr('89ab', 1 + abs(random() % 4), 1) || substr(hex(randomblob(2)), 2) || '-' || hex(randomblob(6)))"
)


def upgrade() -> None:
    for table in NUMBERED:
        _with_uuids(op.get_bind(), table)
    op.create_table("sealed_line",
        sa.Column("device_id", sa.String(36), sa.ForeignKey("device.id"), primary_key=True),
        sa.Column("sequence", sa.Integer(), primary_key=True),
        sa.Column("previous_hash", sa.String(64), nullable=False),
        sa.Column("hash", sa.String(64), nullable=False),
    )
    op.create_table("rival",
        sa.Column("row_id", sa.String(36), primary_key=True),
        sa.Column("said_replaces_id", sa.String(36), primary_key=True),
        sa.Column("table_name", sa.String(40), nullable=False),
        sa.Column("joined", sa.Boolean(), nullable=False),
    )
    if op.get_bind().dialect.name == "sqlite":
        for table in NEW:
            for verb in ("UPDATE", "DELETE"):
                op.execute(
                    f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
                    f"BEGIN SELECT RAISE(ABORT, '{table} rows are never changed'); END"
                )


def _with_uuids(connection: sa.Connection, table: str) -> None:
    """Give a table UUIDs in place of its numbers; order, indexes and triggers stay."""
    query = sa.text("SELECT sql FROM sqlite_master WHERE tbl_name = :table AND type IN ('trigger', 'index') AND sql IS NOT NULL")
    beside = [statement for (statement,) in connection.execute(query, {"table": table})]
    columns = [column for column in sa.inspect(connection).get_columns(table) if column["name"] != "n"]
    keys = {key["constrained_columns"][0]: key for key in sa.inspect(connection).get_foreign_keys(table)}
    op.rename_table(table, f"{table}_numbered")
    op.create_table(table,
        sa.Column("id", sa.String(36), primary_key=True),
        *(
            sa.Column(
                column["name"], column["type"],
                *([sa.ForeignKey(f"{keys[column['name']]['referred_table']}.id")] if column["name"] in keys else []),
                nullable=column["nullable"],
            )
            for column in columns
        ),
    )
    names = ", ".join(f'"{column["name"]}"' for column in columns)
    op.execute(f"INSERT INTO {table} (id, {names}) SELECT {_UUID}, {names} FROM {table}_numbered ORDER BY n")
    for trigger in ("update", "delete"):
        op.execute(f"DROP TRIGGER IF EXISTS {table}_no_{trigger}")
    op.drop_table(f"{table}_numbered")
    for statement in beside:
        op.execute(statement)


def downgrade() -> None:
    raise NotImplementedError("Rows of two installations would get the same numbers: restore the data folder's copy instead.")
