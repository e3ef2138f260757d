"""What every step of the work needs: the store, the hub, the running sessions, the practice devices, the clock."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.errors import NotFoundError
from openstake.live.hub import Hub
from openstake.live.session import RunningSession
from openstake.store.database import Database
from openstake.store.models import BaseCoordinate, HeightReading, Job, Listening, Mark, Occupation, OccupationEnd
from openstake.workflow.average import Average
from openstake.workflow.practice import Practice


@dataclass
class Context:
    """Filled by the composition root; handed to every function of `workflow/`."""

    database: Database
    hub: Hub
    data_dir: Path
    practice: Practice | None
    sessions: dict[str, RunningSession] = field(default_factory=dict)  # by occupation
    averages: dict[str, Average] = field(default_factory=dict)  # by job
    now: Callable[[], float] = time.time

    def changed(self, job_id: str) -> None:
        """Tell browsers that what is stored of a job has changed."""
        self.hub.publish(f"job:{job_id}", {"job_id": job_id})


def job_of(session: Session, job_id: str) -> Job:
    job = session.get(Job, job_id)
    if job is None:
        raise NotFoundError("This job is not in this data folder. Go back to the list of jobs.")
    return job


def mark_of(session: Session, job_id: str, mark_id: str) -> Mark:
    mark = session.get(Mark, mark_id)
    if mark is None or mark.job_id != job_id:
        raise NotFoundError("This mark is not in the job's control list.", field="mark_id")
    return mark


def current_marks(session: Session, job_id: str) -> list[Mark]:
    """Return the heads of all marks of a job, by name."""
    replaced = select(Mark.replaces_id).where(Mark.job_id == job_id, Mark.replaces_id.is_not(None))
    return list(
        session.scalars(select(Mark).where(Mark.job_id == job_id, Mark.id.not_in(replaced)).order_by(Mark.name))
    )


def head_of(session: Session, mark: Mark) -> Mark:
    """Return the current row of a mark's line of corrections."""
    while (newer := session.scalars(select(Mark).where(Mark.replaces_id == mark.id)).first()) is not None:
        mark = newer
    return mark


def base_height_of(session: Session, occupation_id: str) -> HeightReading:
    """Return the current base height of an occupation: the one that no other replaces."""
    rows = list(
        session.scalars(
            select(HeightReading)
            .where(HeightReading.occupation_id == occupation_id, HeightReading.subject == "base")
            .order_by(HeightReading.created_s)
        )
    )
    replaced = {row.replaces_id for row in rows}
    return next(row for row in reversed(rows) if row.id not in replaced)


def base_coordinate_of(session: Session, occupation_id: str) -> BaseCoordinate:
    """Return the current coordinate of an occupation."""
    rows = list(session.scalars(select(BaseCoordinate).where(BaseCoordinate.occupation_id == occupation_id)))
    replaced = {row.replaces_id for row in rows}
    return next(row for row in rows if row.id not in replaced)


def listening_of(session: Session, occupation_id: str) -> Listening:
    """Return where an occupation's feeds are listened to now: the latest that was said, the first at its start."""
    return session.scalars(
        select(Listening).where(Listening.occupation_id == occupation_id).order_by(Listening.started_s.desc()).limit(1)
    ).one()


def open_occupation(session: Session, job_id: str) -> Occupation | None:
    """Return the job's occupation that has not ended."""
    ended = select(OccupationEnd.occupation_id)
    return session.scalars(
        select(Occupation)
        .where(Occupation.job_id == job_id, Occupation.id.not_in(ended))
        .order_by(Occupation.started_s.desc())
    ).first()


def needed_occupation(session: Session, job_id: str) -> Occupation:
    occupation = open_occupation(session, job_id)
    if occupation is None:
        raise NotFoundError("No base is running in this job. Start one on the Base page.")
    return occupation
