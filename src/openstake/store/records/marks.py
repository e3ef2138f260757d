"""Marks of control lists: the rows that hold, whole lines, how many there are."""

from __future__ import annotations

from collections.abc import Collection

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
    rows = session.scalars(select(Mark).where(Mark.id.in_(set(mark_ids))))
    return {row.id: lines.value_of(row, _TOLD) for row in rows}


def line_ids(session: Session, mark_id: str) -> list[str]:
    """Return the ids of all rows of a mark's line of corrections, first to current."""
    job_id = session.get_one(Mark, mark_id).job_id
    pairs = session.execute(select(Mark.replaces_id, Mark.id).where(Mark.job_id == job_id, Mark.replaces_id.is_not(None))).all()
    replaced_by = {old: new for old, new in pairs if old is not None}
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
