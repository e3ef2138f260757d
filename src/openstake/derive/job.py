"""A job as it stands: the head of its settings, its frame, its geoid grid, its middle."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property, lru_cache
from pathlib import Path
from typing import cast
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from openstake.core.errors import FileError, FrameError, InputError, NotFoundError
from openstake.core.geodesy.frames import FrameDefinition, JobFrame, job_frame
from openstake.core.geodesy.geoid import GeoidGrid
from openstake.core.units import LengthUnit
from openstake.store.models import GeoidGridFile, JobSettings
from openstake.store.records.jobs import geoid_grids, jobs_and_settings
from openstake.wire.gridfiles import read_geoid_grid

# A coarse global grid comes with the program.  It is for training and never chosen by itself for a job that counts.
TRAINING_GRID = Path(__file__).parents[1] / "grids" / "egm96_15.gtx"


@dataclass(frozen=True, kw_only=True)
class JobNow:
    """A job as it stands: its settings' head; `meanings` say of each settings row what coordinates rest on in it, `frames_said`
    since when (host seconds) which frame was meant."""

    id: str
    practice: bool
    created_s: float
    settings: JobSettings
    meanings: Mapping[str, object]
    frames_said: tuple[tuple[float, FrameDefinition], ...]
    geoid_file: GeoidGridFile | None
    folder: Path | None

    @property
    def name(self) -> str:
        return self.settings.name

    @property
    def length_unit(self) -> LengthUnit:
        return cast(LengthUnit, self.settings.length_unit)

    @cached_property
    def frame(self) -> JobFrame:
        return job_frame(self.settings.frame)

    @property
    def lies_nowhere(self) -> bool:
        """Whether the job's system is an assumed one that has no place on Earth yet."""
        return self.frame.is_local and self.frame.definition.anchor is None

    @property
    def datum_label(self) -> str:
        """What the frame of the job's coordinates is called: what a person typed, else the datum of the system."""
        return self.settings.frame_name or self.settings.system_label or self.frame.datum

    @property
    def positions_label(self) -> str:
        """What the frame of the positions is called: the one an operation leads from, else the job's own."""
        operation = self.frame.definition.operation
        return operation.source if operation else self.datum_label

    def local_time(self, unix_s: float) -> datetime:
        """Return a moment in the job's time zone."""
        return datetime.fromtimestamp(unix_s, UTC).astimezone(ZoneInfo(self.settings.time_zone))

    @property
    def system_statement(self) -> str:
        """What the job's coordinates are in, as a file says it: ground distances are not those of the grid."""
        definition = self.frame.definition
        ground = definition.ground
        if ground is None:
            return definition.system
        factor = f"{ground.combined_factor!r} about {ground.east_m!r}, {ground.north_m!r}"
        return f"{definition.system} in ground distances, factor {factor}"

    def frame_is_as_at(self, unix_s: float) -> bool:
        """Whether system and operation are what they were at a moment."""
        before = [definition for since_s, definition in self.frames_said if since_s <= unix_s]
        return not before or before[-1] == self.settings.frame

    def frame_of(self, positions: str) -> str:
        """Return the frame of measured positions as an export or a report says it: with the operation that led out of it."""
        operation = self.frame.definition.operation
        return positions if operation is None else f"{positions}, into {self.frame.datum} by {operation.name}"

    def needs_datum(self) -> None:
        """Raise FrameError where the job's datum is classical and nobody has chosen an operation, or its grid is not here: nothing is
        projected then."""
        if self.frame.datum_is_unsaid and self.frame.lacking_grids:
            raise FrameError(
                f"The operation into the datum of {self.settings.system_label or self.frame.name} needs a grid that is not here: "
                f"{', '.join(self.frame.lacking_grids)}. Bring it in: System, on the Job page.",
                field="operation",
            )
        if self.frame.datum_is_unsaid:
            raise FrameError(
                f"{self.settings.system_label or self.frame.name} is on a classical datum ({self.frame.datum_name}), tens to hundreds of "
                "metres from what receivers speak. Choose the operation between the two first: System, on the Job page.",
                field="operation",
            )

    @cached_property
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


def job_of(session: Session, job_id: str) -> JobNow:
    """Return a job as it stands; NotFoundError where there is none."""
    found = jobs_of(session, job_id)
    if not found:
        raise NotFoundError("This job is not in this data folder. Go back to the list of jobs.")
    return found[0]


def jobs_of(session: Session, job_id: str | None = None) -> list[JobNow]:
    """Return the jobs of the data folder as they stand, oldest first, or the one asked for; as many queries for all as for one."""
    jobs, rows = jobs_and_settings(session, job_id)
    replaced = {row.replaces_id for row in rows}
    heads = {row.job_id: row for row in rows if row.id not in replaced}
    meanings: dict[str, dict[str, object]] = {job.id: {} for job in jobs}
    said: dict[str, list[tuple[float, FrameDefinition]]] = {job.id: [] for job in jobs}
    for row in rows:
        meanings[row.job_id][row.id] = ("settings", row.frame, row.geoid_id)
        said[row.job_id].append((row.created_s, row.frame))
    grids = geoid_grids(session, {row.geoid_id for row in heads.values() if row.geoid_id})
    return [
        JobNow(
            id=job.id,
            practice=job.practice,
            created_s=job.created_s,
            settings=heads[job.id],
            meanings=meanings[job.id],
            frames_said=tuple(said[job.id]),
            geoid_file=grids.get(heads[job.id].geoid_id or ""),
            folder=session.info.get("folder"),
        )
        for job in jobs
    ]


def named_job(session: Session, name: str) -> JobNow:
    """Return a job by its id or its name; NotFoundError where there is none, InputError where a name is that of several."""
    jobs = jobs_of(session)
    found = [job for job in jobs if job.id == name] or [job for job in jobs if job.settings.name == name]
    if len(found) > 1:
        raise InputError(f"{len(found)} jobs are called {name}: give the id, {' or '.join(job.id for job in found)}.")
    if not found:
        there = ", ".join(job.settings.name for job in jobs) or "none"
        raise NotFoundError(f"There is no job {name} in this data folder. There is: {there}.")
    return found[0]
