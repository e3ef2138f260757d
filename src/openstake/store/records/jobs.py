"""Jobs and their settings: every row of a line says what a stored value meant when it was said."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.store.models import GeoidGridFile, Job, JobSettings
from openstake.store.records.lines import heads


def jobs_and_settings(session: Session, job_id: str | None) -> tuple[Sequence[Job], Sequence[JobSettings]]:
    """Return the jobs of the data folder, or the one asked for, and all their settings, oldest first: two queries."""
    jobs, settings = select(Job).order_by(Job.created_s), select(JobSettings).order_by(JobSettings.created_s)
    if job_id is not None:
        jobs, settings = jobs.where(Job.id == job_id), settings.where(JobSettings.job_id == job_id)
    return session.scalars(jobs).all(), session.scalars(settings).all()


def geoid_grids(session: Session, ids: Collection[str]) -> dict[str, GeoidGridFile]:
    """Return some geoid grids by their ids."""
    return {row.id: row for row in session.scalars(select(GeoidGridFile).where(GeoidGridFile.id.in_(ids)))}


def jobs_named(session: Session, name: str) -> list[str]:
    """Return the jobs that have a name now."""
    return [row.job_id for row in session.scalars(heads(JobSettings, JobSettings.name == name))]
