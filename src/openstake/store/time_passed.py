"""Time that was let pass in a job to practise."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from openstake.store.models import TimePassed


def time_passed_s(session: Session, job_id: str) -> float:
    """Return how much time has been let pass in a job, seconds; 0 in one that counts."""
    return session.scalar(select(func.sum(TimePassed.seconds)).where(TimePassed.job_id == job_id)) or 0.0
