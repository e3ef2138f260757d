"""Where the stand-ins stand: moved by the crew from mark to mark, as people walk in the field."""

from __future__ import annotations

from typing import Any

from openstake.core.errors import ConflictError
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes
from openstake.workflow.context import Context, JobNow, job_of
from openstake.workflow.now.marks import MarkNow, current_marks, mark_ecef_m, mark_of
from openstake.workflow.practice.demo import BLUNDERS
from openstake.workflow.practice.field import TRUE_BASE_HEIGHT_M, TRUE_ROD_M


def _true_geodetic(job: JobNow, mark: MarkNow) -> tuple[float, float, float]:
    """Return where a mark really is: where the list says, but for the demo's planted blunders (east, north, up)."""
    xyz = mark_ecef_m(job, mark)
    latitude, longitude, _ = geodetic_from_ecef(xyz, job.frame.positions_ellipsoid)
    blunder = BLUNDERS.get((job.name, mark.name), (0.0, 0.0, 0.0))
    latitude, longitude, height = geodetic_from_ecef(xyz + blunder @ enu_axes(float(latitude), float(longitude)))
    return float(latitude), float(longitude), float(height)


def stand(context: Context, job_id: str, who: str, mark_id: str) -> dict[str, Any]:
    """Walk the stand-in base or rover to a mark of a practice job."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        mark = mark_of(session, job, mark_id)
    if context.practice is None or not job.practice:
        raise ConflictError("This job has real devices: there is no stand-in to move.")
    place = _true_geodetic(job, mark)
    if who == "base":
        context.practice.stand_base(*place)
    else:
        context.practice.stand_rover(*place)
    return view(context, job_id)


def view(context: Context, job_id: str) -> dict[str, Any]:
    """Return where the stand-ins stand, by the nearest mark, and what their tape and rod read."""
    with context.database.read() as session:
        job = job_of(session, job_id)
    if context.practice is None or not job.practice:
        return {"practice": False, "base_mark": None, "rover_mark": None, "tape_m": None, "rod_m": None}
    world = context.practice.world
    return {
        "practice": True,
        "base_mark": _nearest(context, job, world.base),
        "rover_mark": _nearest(context, job, world.rover),
        "tape_m": TRUE_BASE_HEIGHT_M,
        "rod_m": TRUE_ROD_M,
    }


def _nearest(context: Context, job: JobNow, place: Any) -> str | None:
    """Return the id of the mark within a metre or so of a stand, None where there is none."""
    if place is None:
        return None
    east, north = job.frame.grid_from_geodetic(place.latitude_deg, place.longitude_deg)
    with context.database.read() as session:
        marks = current_marks(session, job)
    return next((mark.id for mark in marks if abs(mark.east_m - east) < 1.5 and abs(mark.north_m - north) < 1.5), None)
