"""Lines of rows: a change is a new row whose `replaces_id` names the one before it; the head of a line is current."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Any, TypeVar

from sqlalchemy import ColumnElement, Select, Table, inspect, select
from sqlalchemy.orm import Session

from openstake.core.errors import NotFoundError
from openstake.store.book import lost_race
from openstake.store.jsoncolumn import as_stored

Row = TypeVar("Row")

# What a row says apart from its value: who wrote it, when, why, and in place of which.
_ABOUT_THE_ROW = {"id", "replaces_id", "reason", "who", "created_s"}


def heads(model: type[Row], *where: ColumnElement[bool]) -> Select[Row]:
    """Return a query for the current rows of a table's lines that fulfil `where`."""
    table: Any = model
    replaced = select(table.replaces_id).where(table.replaces_id.is_not(None))
    return select(model).where(table.id.not_in(replaced), *where)


def rows_by_id(session: Session, table: Table, where: ColumnElement[bool]) -> Iterable[Any]:
    """Return rows as they are stored, in order of their ids."""
    return session.execute(select(*as_stored(table)).where(where).order_by(table.c.id))


def head(session: Session, model: type[Row], row_id: str, missing: str) -> Row:
    """Return a row that nothing has replaced; NotFoundError with the sentence, ConflictError with what holds now where it has been replaced."""
    table: Any = model
    row = session.get(model, row_id)
    if row is None:
        raise NotFoundError(missing)
    if (present := _end_of_line(session, table, row_id)) is not None:
        raise lost_race(session, "It has been changed", present)
    return row


def _end_of_line(session: Session, table: Any, row_id: str) -> Any:
    """Return the head of the line that goes on after a row; None where the row is the head."""
    present = None
    while (newer := session.scalars(select(table).where(table.replaces_id == row_id)).first()) is not None:
        present, row_id = newer, newer.id
    return present


def replaced_by(old: Row, now_s: float, **changed: Any) -> Row:
    """Return a row, not yet stored, that replaces the head of a line: equal to it but for what is changed.

    Who, when and why are its own.
    """
    mapper = inspect(type(old))
    columns = {item.key for item in mapper.column_attrs}
    values = {key: getattr(old, key) for key in columns - _ABOUT_THE_ROW}
    when = "created_s" if "created_s" in columns else "started_s"
    made: Row = type(old)(**values | {when: now_s, "replaces_id": getattr(old, mapper.primary_key[0].key)} | changed)
    return made


def last_of(replaced_by: Mapping[str, str], row_id: str) -> str:
    """Return the head of the line that a row belongs to, from a map of ids to the ids that replaced them."""
    while row_id in replaced_by:
        row_id = replaced_by[row_id]
    return row_id


def current(rows: Iterable[Row]) -> list[Row]:
    """Return the heads among the rows of whole lines, in the order given."""
    listed: list[Any] = list(rows)
    replaced = {row.replaces_id for row in listed}
    return [row for row in listed if row.id not in replaced]


def value_of(row: Any, besides: Collection[str] = ()) -> tuple[object, ...]:
    """Return what a row says: its table and all columns but its ids, who wrote it, when and why, and those `besides`.

    Equal rows mean the same.
    """
    mapper = inspect(type(row))
    values = (getattr(row, item.key) for item in mapper.column_attrs if item.key not in _ABOUT_THE_ROW and item.key not in besides)
    return (mapper.local_table.name, *values)
