"""Lines of rows: a change is a new row whose `replaces_id` names the one before it; the head of a line is current."""

from __future__ import annotations

from typing import Any, TypeVar

from sqlalchemy import ColumnElement, Select, select
from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, NotFoundError

Row = TypeVar("Row")


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
