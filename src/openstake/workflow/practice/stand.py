"""Where the stand-ins stand: moved by the crew from mark to mark, as people walk in the field."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from openstake.core.errors import ConflictError
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.limits import ShortText
from openstake.derive.job import JobNow, job_of
from openstake.derive.marks import MarkNow, current_marks, mark_of
from openstake.standin.world import Stand
from openstake.workflow.context import Context
from openstake.workflow.practice.field import TRUE_BASE_HEIGHT_M, TRUE_ROD_M, Practice
from openstake.workflow.practice.truth import true_geodetic


@dataclass(frozen=True)
class StandRequest:
    """Which stand-in walks to which mark."""

    who: Literal["base", "rover"]
    mark_id: ShortText


@dataclass(frozen=True, kw_only=True)
class StandView:
    """Where the stand-ins stand, by the nearest mark, and what their tape and rod read; none in a job that counts."""

    practice: bool
    base_mark: str | None
    rover_mark: str | None
    tape_m: float | None
    rod_m: float | None


def _practice(context: Context, job: JobNow) -> Practice | None:
    return context.practice if job.practice and isinstance(context.practice, Practice) else None


def stand(context: Context, job_id: str, request: StandRequest) -> StandView:
    """Walk the stand-in base or rover to a mark of a practice job."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        mark = mark_of(session, job, request.mark_id)
    practice = _practice(context, job)
    if practice is None:
        raise ConflictError("This job has real devices: there is no stand-in to move.")
    context.stand_ins(job_id)
    place = true_geodetic(job, mark)
    if request.who == "base":
        practice.stand_base(*place)
    else:
        practice.stand_rover(*place)
    return view(context, job_id)


def view(context: Context, job_id: str) -> StandView:
    """Return where the stand-ins stand, by the nearest mark, and what their tape and rod read."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        practice = _practice(context, job)
        if practice is None:
            return StandView(practice=False, base_mark=None, rover_mark=None, tape_m=None, rod_m=None)
        marks = current_marks(session, job)
    world = practice.world
    base_mark, rover_mark = (_nearest(job, marks, place) for place in (world.base, world.rover))
    return StandView(practice=True, base_mark=base_mark, rover_mark=rover_mark, tape_m=TRUE_BASE_HEIGHT_M, rod_m=TRUE_ROD_M)


def _nearest(job: JobNow, marks: list[MarkNow], place: Stand | None) -> str | None:
    """Return the id of the mark within a metre or so of a stand, None where there is none."""
    if place is None:
        return None
    east, north, _ = job.frame.grid_from_ecef(ecef_from_geodetic(place.latitude_deg, place.longitude_deg, place.height_m))
    return next((mark.id for mark in marks if abs(mark.east_m - east) < 1.5 and abs(mark.north_m - north) < 1.5), None)
