"""Local fits: their marks, the choices, and those in use."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.store.models import FitApplied, FitChosen, FitMark, FitShot
from openstake.store.records import lines
from openstake.store.records.lines import heads


def fit_mark_rows(session: Session, job_id: str) -> Sequence[FitMark]:
    """Return the marks of a job that have local coordinates now."""
    return session.scalars(heads(FitMark, FitMark.job_id == job_id, ~FitMark.withdrawn)).all()


def fit_mark_row(session: Session, job_id: str, line_id: str) -> FitMark | None:
    """Return a mark with local coordinates by its line."""
    return session.scalars(heads(FitMark, FitMark.job_id == job_id, FitMark.line_id == line_id, ~FitMark.withdrawn)).first()


def last_applied(session: Session, job_id: str) -> FitApplied | None:
    """Return the row that says which fit is in use in a job, or that none is any more."""
    return session.scalars(heads(FitApplied, FitApplied.job_id == job_id)).first()


def applied_rows(session: Session, job_id: str) -> Sequence[FitApplied]:
    """Return the fits that were applied in a job, newest first."""
    return session.scalars(select(FitApplied).where(FitApplied.job_id == job_id).order_by(FitApplied.created_s.desc(), FitApplied.id)).all()


def chosen_rows_of(session: Session, job_id: str) -> Sequence[FitChosen]:
    """Return every choice of a job's fit."""
    return session.scalars(select(FitChosen).where(FitChosen.job_id == job_id)).all()


def chosen_words(session: Session, job_id: str) -> Sequence[Any]:
    """Return id, what it replaced, words, and whether it undid another, of every choice of a job's fit."""
    return session.execute(
        select(FitChosen.id, FitChosen.replaces_id, FitChosen.words, FitChosen.undid).where(FitChosen.job_id == job_id)
    ).all()


def chosen_row(session: Session, job_id: str) -> FitChosen | None:
    """Return what was chosen last; None where nothing was."""
    return session.scalars(lines.heads(FitChosen, FitChosen.job_id == job_id)).first()


def fit_marks_of_lines(session: Session, line_ids: Collection[str]) -> Sequence[FitMark]:
    """Return every row of marks with local coordinates, by their lines."""
    return session.scalars(select(FitMark).where(FitMark.line_id.in_(line_ids))).all()


def fit_shots(session: Session, job_id: str) -> Sequence[FitShot]:
    """Return what was taken into marks of a job's fit and out of them, first to last."""
    return session.scalars(select(FitShot).where(FitShot.job_id == job_id).order_by(FitShot.created_s, FitShot.id)).all()
