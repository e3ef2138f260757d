"""What every step of the work needs: the store, the hub, the running sessions, the practice devices, the clock."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.errors import FileError, NotFoundError
from openstake.core.geodesy.frames import Anchor, FrameDefinition, Ground, JobFrame, job_frame
from openstake.core.geodesy.geoid import GeoidGrid, read_geoid_grid
from openstake.core.geodesy.systems import Operation
from openstake.live.hub import Hub
from openstake.live.session import RunningSession
from openstake.store.database import Database
from openstake.store.models import (
    BaseCoordinate,
    GeoidGridFile,
    Job,
    JobSettings,
    Listening,
    Occupation,
    OccupationEnd,
)
from openstake.workflow.now.averages import Average
from openstake.workflow.practice.field import Practice

# A coarse global grid comes with the program.  It is for training and never chosen by itself for a job that counts.
TRAINING_GRID = Path(__file__).parent.parent / "grids" / "egm96_15.gtx"


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


@dataclass(frozen=True)
class JobNow:
    """A job as it stands: its settings' head, and since when its numbers have meant what they mean."""

    id: str
    practice: bool
    created_s: float
    settings: JobSettings
    frame_since_s: float
    geoid_file: GeoidGridFile | None
    folder: Path | None

    @property
    def name(self) -> str:
        return self.settings.name

    @property
    def length_unit(self) -> str:
        return self.settings.length_unit

    @property
    def frame(self) -> JobFrame:
        return job_frame(definition_from_json(self.settings.frame))

    @property
    def datum_label(self) -> str:
        """What the frame of the job's coordinates is called: what a person typed, else the datum of the system."""
        return self.settings.frame_name or self.settings.system_label or self.frame.datum

    @property
    def positions_label(self) -> str:
        """What the frame of the positions is called: the one an operation leads from, else the job's own."""
        operation = self.frame.definition.operation
        return operation.source if operation else self.datum_label

    @property
    def geoid(self) -> GeoidGrid | None:
        """The job's geoid grid; FileError where its file has gone from the data folder."""
        return None if self.geoid_file is None else grid_of_file(self.geoid_file, self.folder)


def grid_of_file(row: GeoidGridFile, folder: Path | None) -> GeoidGrid:
    """Return a grid that was added, or the one that comes with the program."""
    path = TRAINING_GRID if row.training_only else (folder or Path()) / "geoid" / row.file
    return _grid(path)


@lru_cache(maxsize=16)
def _grid(path: Path) -> GeoidGrid:
    if not path.is_file():
        raise FileError(f"The geoid grid {path.name} has gone from the data folder. Add it again, or choose another.")
    return read_geoid_grid(path)


def file_name(name: str) -> str:
    """Return a name as a file's name: letters and digits of ASCII, a dash for all else."""
    return "".join(letter if letter.isalnum() and letter.isascii() else "-" for letter in name)


def definition_as_json(definition: FrameDefinition) -> str:
    """Return a frame's definition as canonical text for the store."""
    return json.dumps(asdict(definition), sort_keys=True, ensure_ascii=False)


def definition_from_json(text: str) -> FrameDefinition:
    document = json.loads(text)
    kinds: dict[str, Callable[..., Any]] = {"anchor": Anchor, "ground": Ground, "operation": Operation}
    parts = {name: kind(**document[name]) for name, kind in kinds.items() if document.get(name)}
    return FrameDefinition(document["system"], **parts)


def job_of(session: Session, job_id: str) -> JobNow:
    job = session.get(Job, job_id)
    if job is None:
        raise NotFoundError("This job is not in this data folder. Go back to the list of jobs.")
    rows = session.scalars(
        select(JobSettings).where(JobSettings.job_id == job_id).order_by(JobSettings.created_s)
    ).all()
    replaced = {row.replaces_id for row in rows}
    head = next(row for row in rows if row.id not in replaced)
    return JobNow(
        job.id, job.practice, job.created_s, head, _frame_since_s(head, {row.id: row for row in rows}),
        session.get(GeoidGridFile, head.geoid_id) if head.geoid_id else None, session.info.get("folder"),
    )  # fmt: skip


def _frame_since_s(head: JobSettings, rows: dict[str, JobSettings]) -> float:
    """Return when the numbers of a job last changed their meaning: system or geoid grid."""
    row = head
    while row.replaces_id is not None:
        before = rows[row.replaces_id]
        if (before.frame, before.geoid_id) != (row.frame, row.geoid_id):
            return row.created_s
        row = before
    return row.created_s


def base_coordinate_of(session: Session, occupation_id: str) -> BaseCoordinate:
    """Return the current coordinate of an occupation."""
    rows = list(session.scalars(select(BaseCoordinate).where(BaseCoordinate.occupation_id == occupation_id)))
    replaced = {row.replaces_id for row in rows}
    return next(row for row in rows if row.id not in replaced)


def base_coordinates_of(session: Session, occupation_id: str) -> list[BaseCoordinate]:
    """Return all coordinates of an occupation, first to current."""
    rows = {
        row.id: row
        for row in session.scalars(select(BaseCoordinate).where(BaseCoordinate.occupation_id == occupation_id))
    }
    found, row = [], base_coordinate_of(session, occupation_id)
    while row is not None:
        found.append(row)
        row = rows.get(row.replaces_id or "")  # type: ignore[assignment]
    return found[::-1]


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
