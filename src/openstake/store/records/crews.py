"""Rows that two crews put in place of one, apart from each other, and the row that a person writes in place of both."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from sqlalchemy import Table, select
from sqlalchemy.orm import Session

from openstake.store.jsoncolumn import as_stored, insert_stored
from openstake.store.models import Base, HeightReading, Rival, Shot
from openstake.store.package import of_job


def open_conflicts(session: Session, job_id: str) -> Iterator[tuple[Table, dict[str, list[dict[str, Any]]]]]:
    """Yield by table the rows that two crews have, by the id of the joined row that stands for them and that nothing has replaced.

    One query where there is nothing, else two more a table.
    """
    ends: dict[str, dict[str, list[str]]] = {}
    for rival in session.scalars(select(Rival).where(Rival.joined)):
        ends.setdefault(rival.table, {}).setdefault(rival.row_id, []).append(rival.said_replaces_id)
    for name, of_table in sorted(ends.items()):
        # One that stands for a single row ends a line that an old version left in disorder.
        joined = {row_id: rows for row_id, rows in of_table.items() if len(rows) > 1}
        table = Base.metadata.tables[name]
        replaced = select(table.c.replaces_id).where(table.c.replaces_id.is_not(None))
        waits = of_job(table, job_id) & table.c.id.in_(joined) & table.c.id.not_in(replaced)
        open_ = session.scalars(select(table.c.id).where(waits).order_by(table.c.id)).all()
        if open_:
            rows = {row["id"]: row for row in rows_of_ids(session, table, {end for row_id in open_ for end in joined[row_id]})}
            yield table, {row_id: [rows[end] for end in joined[row_id]] for row_id in open_}


def rows_of_ids(session: Session, table: Table, ids: Collection[str]) -> list[dict[str, Any]]:
    """Return rows of a table as they are stored."""
    return [dict(row) for row in session.execute(select(*as_stored(table)).where(table.c.id.in_(ids))).mappings()]


def settle_by(session: Session, table: str, row_id: str, said: Mapping[str, Any]) -> str:
    """Write a row anew, with what is `said` of it by the columns that its table has; returns the id of the new row."""
    of = Base.metadata.tables[table]
    row = rows_of_ids(session, of, [row_id])[0]
    when = "created_s" if "created_s" in of.c else "started_s"
    kept = {when if name == "at_s" else name: value for name, value in said.items()}
    insert_stored(session, of, [row | {name: value for name, value in kept.items() if name in of.c}])
    return str(said["id"])


def first_readings(session: Session, job_id: str, row_ids: Collection[str]) -> dict[str, str]:
    """Return the first row of the line of each of some rover heights: it is what a shot names."""
    corrected = select(HeightReading.id, HeightReading.replaces_id).where(
        HeightReading.job_id == job_id, HeightReading.subject == "rover", HeightReading.replaces_id.is_not(None)
    )
    before = {row.id: row.replaces_id for row in session.execute(corrected)}
    first: dict[str, str] = {}
    for row_id in row_ids:
        root = row_id
        while (earlier := before.get(root)) is not None:
            root = earlier
        first[row_id] = root
    return first


def shots_on(session: Session, reading_ids: Collection[str]) -> list[tuple[str, str, str]]:
    """Return the shots that stand on some rover heights: id, name, and the height."""
    query = select(Shot.id, Shot.name, Shot.height_reading_id).where(Shot.height_reading_id.in_(reading_ids))
    return [(row.id, row.name, row.height_reading_id) for row in session.execute(query)]
