"""Which device this installation is: until now the only one there is."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table("own_device",
        sa.Column("n", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("device_id", sa.String(36), sa.ForeignKey("device.id"), nullable=False, unique=True),
        sa.Column("created_s", sa.Float(), nullable=False),
    )
    op.execute("INSERT INTO own_device (device_id, created_s) SELECT id, created_s FROM device ORDER BY created_s LIMIT 1")
    if op.get_bind().dialect.name == "sqlite":
        for verb in ("UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER own_device_no_{verb.lower()} BEFORE {verb} ON own_device "
                f"BEGIN SELECT RAISE(ABORT, 'own_device rows are never changed'); END"
            )


def downgrade() -> None:
    raise NotImplementedError("Which device this is would be lost: restore the data folder's copy instead.")
