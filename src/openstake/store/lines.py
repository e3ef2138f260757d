"""Lines of rows: a change is a new row whose `replaces_id` names the one before it; the head of a line is current."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Any, TypeVar

from sqlalchemy import ColumnElement, Select, inspect, select
from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, NotFoundError

Row = TypeVar("Row")

# What a row says apart from its value: who wrote it, when, why, and in place of which.
_ABOUT_THE_ROW = {"id", "replaces_id", "reason", "who", "created_s"}


def heads(model: type[Row], *where: ColumnElement[bool]) -> Select[Row]:
    """Return a query for the current rows of a table's lines that fulfil `where`."""
    table: Any = model
    replaced = select(table.replaces_id).where(table.replaces_id.is_not(None))
    return select(model).where(table.id.not_in(replaced), *where)


def head(session: Session, model: type[Row], row_id: str, missing: str) -> Row:
    """Return a row that nothing has replaced; NotFoundError with the sentence, ConflictError where it has been replaced."""
    table: Any = model
    row = session.get(model, row_id)
    if row is None:
        raise NotFoundError(missing)
    if session.scalars(select(model).where(table.replaces_id == row_id)).first() is not None:
        raise ConflictError("It has been changed in the meantime. Look at the present values and try again.")
    return row


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
    values = (
        getattr(row, item.key)
        for item in mapper.column_attrs
        if item.key not in _ABOUT_THE_ROW and item.key not in besides
    )
    return (mapper.local_table.name, *values)
