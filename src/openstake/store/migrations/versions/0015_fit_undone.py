"""A choice of a local fit says by a column whether it undid another; until now its words alone did."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

_TRIGGER = "fit_chosen_no_update"


def upgrade() -> None:
    op.add_column("fit_chosen", sa.Column("undid", sa.Boolean(), nullable=False, server_default=sa.false()))
    connection = op.get_bind()
    sqlite = connection.dialect.name == "sqlite"
    find = sa.text("SELECT sql FROM sqlite_master WHERE name = :name")
    made = connection.execute(find, {"name": _TRIGGER}).scalar() if sqlite else None
    if made:
        op.execute(f"DROP TRIGGER {_TRIGGER}")
    connection.execute(sa.text("UPDATE fit_chosen SET undid = true WHERE words LIKE 'undone: %'"))
    if made:
        op.execute(made)


def downgrade() -> None:
    op.drop_column("fit_chosen", "undid")
