"""The site plan: marks, points, the base and its baselines, in columns so that many stay small."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from openstake.core.errors import FrameError
from openstake.store.models import Shot
from openstake.workflow.context import Context, base_coordinate_of, job_of, open_occupation
from openstake.workflow.job.system import middle_of
from openstake.workflow.now import points
from openstake.workflow.now.marks import current_marks, current_places


def view(context: Context, job_id: str) -> dict[str, Any]:
    """Return east and north in metres of everything on the plan, and the convergence that turns its north arrow."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        marks = current_marks(session, job)
        places, _ = current_places(session, job)
        shots = session.scalars(select(Shot).where(Shot.job_id == job_id).order_by(Shot.created_s)).all()
        placed = [(shot, points.derive(session, job, shot)) for shot in shots]
        occupation = open_occupation(session, job_id)
        base = None
        if occupation is not None:
            coordinate = base_coordinate_of(session, occupation.id)
            try:
                east, north, _ = job.frame.grid_from_ecef((coordinate.x_m, coordinate.y_m, coordinate.z_m))
                base = {"east_m": float(east), "north_m": float(north), "station_id": occupation.station_id}
            except FrameError:
                base = None
    place = middle_of(job, places)
    placed_frame = place is not None and not (job.frame.is_local and job.frame.definition.anchor is None)
    return {
        "marks": {
            "id": [mark.id for mark in marks], "name": [mark.name for mark in marks],
            "east_m": [mark.east_m for mark in marks], "north_m": [mark.north_m for mark in marks],
            "check_only": [mark.given.check_only for mark in marks],
        },
        "points": [
            {
                "id": shot.id, "name": shot.name, "east_m": point.east_m, "north_m": point.north_m,
                "height_m": point.height_m, "from_base": occupation is not None and shot.occupation_id == occupation.id and not point.virtual,
            }
            for shot, point in placed
        ],
        "base": base,
        "convergence_deg": job.frame.convergence_deg(*place) if place is not None and placed_frame else None,
    }  # fmt: skip
