"""A shot keeps the ids of what its check rested on.

Shots of before are given what the Book says of them: it has kept mark, base coordinate, base heights, pole and reference
of every check.  Their settings are those in force when they were stored.
"""

from __future__ import annotations

import json
from collections import defaultdict

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

_SEALED = (
    "CREATE TRIGGER shot_no_update BEFORE UPDATE ON shot BEGIN SELECT RAISE(ABORT, 'shot rows are never changed'); END"
)


def upgrade() -> None:
    connection = op.get_bind()
    op.add_column("shot", sa.Column("rests_on", sa.Text(), nullable=False, server_default="[]"))
    op.create_index("ix_shot_occupation_id", "shot", ["occupation_id"])
    sqlite = connection.dialect.name == "sqlite"
    if sqlite:
        op.execute("DROP TRIGGER shot_no_update")
    settings = defaultdict(list)
    for job_id, row_id, created_s in connection.execute(
        sa.text("SELECT job_id, id, created_s FROM job_settings ORDER BY created_s")
    ):
        settings[job_id].append((created_s, row_id))
    said = {}
    for (text,) in connection.execute(sa.text("SELECT text FROM book WHERE job_id IS NOT NULL")):
        line = json.loads(text)
        if line["kind"] == "check":
            said[line["data"]["shot"]] = line["data"]
    for shot_id, job_id, created_s, mark_id, pole_id, reference_id in connection.execute(
        sa.text("SELECT id, job_id, created_s, mark_id, height_reading_id, reference_id FROM shot")
    ).all():
        data = said.get(shot_id, {})
        heights = data.get("base_height", [])
        in_force = [row_id for since_s, row_id in settings[job_id] if since_s <= created_s] or [settings[job_id][0][1]]
        ids = [
            in_force[-1], data.get("mark", mark_id), data.get("base_coordinate", ""),
            *(heights if isinstance(heights, list) else [heights]), pole_id, reference_id,
        ]
        connection.execute(
            sa.text("UPDATE shot SET rests_on = :ids WHERE id = :id"), {"ids": json.dumps(ids), "id": shot_id}
        )
    if sqlite:
        op.execute(_SEALED)


def downgrade() -> None:
    raise NotImplementedError("What shots rest on would be lost: restore the data folder's copy instead.")
