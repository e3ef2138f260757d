"""Readings keep the unit of then, epochs the error ellipse, shots the covariance; passwords leave the addresses.

The unit of an old reading is the one in which its text gives the metres stored with it.
"""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import context, op

from openstake.core.errors import InputError
from openstake.core.units import EXACT_METRES_PER_UNIT, metres_from_text
from openstake.store.passwords import keep_passwords
from openstake.wire.address import without_password

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_SEALED = ("height_reading", "listening", "setup")
_ADDRESSES = ("base_url", "rover_url", "receiver_url")


def upgrade() -> None:
    connection = op.get_bind()
    sqlite = connection.dialect.name == "sqlite"
    op.add_column("height_reading", sa.Column("bare_unit", sa.String(4), nullable=False, server_default="m"))
    for table in ("epoch", "shot_epoch", "average_epoch"):
        for name in ("sigma_major_m", "sigma_minor_m", "orientation_deg"):
            op.add_column(table, sa.Column(name, sa.Float()))
    op.add_column("shot", sa.Column("covariance_en_m2", sa.Float()))
    # Computed from the epochs whenever they are shown.
    for name in ("precision_east_m", "precision_north_m", "precision_up_m"):
        op.drop_column("position_average", name)
    op.create_table("request_key", sa.Column("key", sa.String(80), primary_key=True))
    sealed = [table for table in _SEALED if sqlite and _is_sealed(connection, table)]
    for table in sealed:
        op.execute(f"DROP TRIGGER {table}_no_update")
    _units(connection)
    _passwords(connection)
    for table in sealed:
        op.execute(
            f"CREATE TRIGGER {table}_no_update BEFORE UPDATE ON {table} "
            f"BEGIN SELECT RAISE(ABORT, '{table} rows are never changed'); END"
        )


def _is_sealed(connection: sa.Connection, table: str) -> bool:
    query = sa.text("SELECT 1 FROM sqlite_master WHERE type = 'trigger' AND name = :name")
    return connection.execute(query, {"name": f"{table}_no_update"}).first() is not None


def _units(connection: sa.Connection) -> None:
    for row_id, text, reading_m in connection.execute(sa.text("SELECT id, text, reading_m FROM height_reading")).all():
        unit = min(EXACT_METRES_PER_UNIT, key=lambda unit: _off_m(text, unit, reading_m))
        if unit != "m":
            connection.execute(
                sa.text("UPDATE height_reading SET bare_unit = :unit WHERE id = :id"), {"unit": unit, "id": row_id}
            )


def _off_m(text: str, unit: str, reading_m: float) -> float:
    try:
        return abs(metres_from_text(text, unit) - reading_m)
    except InputError:
        return float("inf")


def _passwords(connection: sa.Connection) -> None:
    """Take passwords out of addresses, into the file of passwords, which is on the disk before a row is changed."""
    found: dict[str, str] = {}
    rows: list[tuple[str, dict[str, str]]] = []
    for row in connection.execute(sa.text(f"SELECT id, {', '.join(_ADDRESSES)} FROM listening")).mappings():
        changed = _parted(dict(row), row["id"], found)
        if changed:
            sets = ", ".join(f"{name} = :{name}" for name in changed)
            rows.append((f"UPDATE listening SET {sets} WHERE id = :id", changed | {"id": row["id"]}))
    for row_id, line_id, data in connection.execute(sa.text("SELECT id, line_id, data FROM setup")):
        settled = json.loads(data)
        changed = _parted(settled, line_id, found)
        if changed:
            rows.append(("UPDATE setup SET data = :data WHERE id = :id", {"data": json.dumps(settled | changed), "id": row_id}))
    folder = context.config.attributes.get("folder")
    if found and folder is not None:
        keep_passwords(folder, found)
    for statement, values in rows:
        connection.execute(sa.text(statement), values)


def _parted(values: dict[str, str], owner: str, found: dict[str, str]) -> dict[str, str]:
    changed = {}
    for name in _ADDRESSES:
        address = values.get(name)
        try:
            clean, password = without_password(address) if address else ("", None)
        except ValueError:
            continue
        if address and clean != address:
            changed[name] = clean
            if password:
                found[owner if name == "base_url" else f"{owner}:{name}"] = password
    return changed


def downgrade() -> None:
    raise NotImplementedError("Passwords would go back into addresses: restore the data folder's copy instead.")
