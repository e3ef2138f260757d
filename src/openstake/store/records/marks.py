"""Marks of control lists: the rows that hold, whole lines, how many there are."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from openstake.store.models import Mark
from openstake.store.records import lines


def current_rows(session: Session, job_id: str, withdrawn: bool = False) -> list[Mark]:
    """Return the rows of a job's list, or those taken out of it, by name."""
    current = lines.heads(Mark, Mark.job_id == job_id, Mark.withdrawn.is_(withdrawn))
    return list(session.scalars(current.order_by(Mark.name)))


# What a mark is called and what is told of it: no difference from it rests on that.
_TOLD = ("name", "source", "note", "order", "check_only")


def mark_values(session: Session, mark_ids: Collection[str]) -> dict[str, tuple[object, ...]]:
    """Return what rows of marks say of their place and its accuracy, by id."""
    return {row_id: lines.value_of(row, _TOLD) for row_id, row in marks_by_id(session, mark_ids).items()}


def line_ids(session: Session, mark_id: str) -> list[str]:
    """Return the ids of all rows of a mark's line of corrections, first to current."""
    job_id = session.get_one(Mark, mark_id).job_id
    replaced_by = replaced_marks(session, job_id)
    replaces = {new: old for old, new in replaced_by.items()}
    first = lines.last_of(replaces, mark_id)
    ids = [first]
    while (newer := replaced_by.get(ids[-1])) is not None:
        ids.append(newer)
    return ids


def count_marks(session: Session, job_id: str | None = None) -> dict[str, int]:
    """Return how many marks each job's list holds, by job, or that of one."""
    replaced = select(Mark.replaces_id).where(Mark.replaces_id.is_not(None))
    of = [] if job_id is None else [Mark.job_id == job_id]
    rows = session.execute(select(Mark.job_id, func.count()).where(~Mark.withdrawn, Mark.id.not_in(replaced), *of).group_by(Mark.job_id))
    return {row[0]: row[1] for row in rows}


def replaced_marks(session: Session, job_id: str) -> dict[str, str]:
    """Return the row that replaced each row of a job's list."""
    pairs = session.execute(select(Mark.replaces_id, Mark.id).where(Mark.job_id == job_id, Mark.replaces_id.is_not(None)))
    return {old: new for old, new in pairs if old is not None}


def marks_by_id(session: Session, mark_ids: Collection[str]) -> dict[str, Mark]:
    """Return rows of marks by their ids."""
    return {row.id: row for row in session.scalars(select(Mark).where(Mark.id.in_(set(mark_ids))))}


def count_mark_rows(session: Session, job_id: str) -> int:
    """Return how many rows a job's list has in all: another number is another list."""
    return session.scalar(select(func.count()).select_from(Mark).where(Mark.job_id == job_id)) or 0


def columns_of_marks(session: Session, job_id: str, *columns: Any) -> Sequence[Any]:
    """Return columns of the marks of a job's list as it is now."""
    current = lines.heads(Mark, Mark.job_id == job_id, Mark.withdrawn.is_(False))
    return session.execute(current.with_only_columns(*columns)).all()
