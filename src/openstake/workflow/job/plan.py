"""The site plan: marks in columns so that many stay small, points page by page, the base and its baselines."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.errors import FrameError
from openstake.core.limits import ShortText
from openstake.derive import points
from openstake.derive.base import open_base
from openstake.derive.job import JobNow, job_of
from openstake.derive.marks import current_marks, current_places, middle_of
from openstake.store.records.labels import labels_of
from openstake.store.records.shots import OF_THE_JOB, shots_page
from openstake.workflow.context import Context

MOST_POINTS = 2000


@dataclass(frozen=True)
class PlanQuery:
    """`after` is where the last page of points ended."""

    after: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class PlanMarks:
    """Marks in columns."""

    id: list[str]
    name: list[str]
    east_m: list[float]
    north_m: list[float]
    check_only: list[bool]


@dataclass(frozen=True, kw_only=True)
class PlanPoint:
    """A point as derived now; `from_base`: it hangs on the base that runs."""

    id: str
    name: str
    east_m: float
    north_m: float
    height_m: float
    from_base: bool


@dataclass(frozen=True)
class PlanBase:
    """The base that runs."""

    east_m: float
    north_m: float
    station_id: int


@dataclass(frozen=True, kw_only=True)
class Plan:
    """East and north in metres, and the convergence that turns the north arrow; `next` asks for the points that follow."""

    marks: PlanMarks
    points: list[PlanPoint]
    next: str | None
    base: PlanBase | None
    convergence_deg: float | None


def view(context: Context, job_id: str, query: PlanQuery) -> Plan:
    """Return everything on the plan; marks and base come with the first page of points."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        marks = [] if query.after else current_marks(session, job)
        places, _ = current_places(session, job)
        page, following = shots_page(session, job_id, query.after, MOST_POINTS, False, OF_THE_JOB)
        labels = labels_of(session, job_id, [shot.id for shot in page])
        page = [shot for shot in page if shot.id not in labels or not labels[shot.id].taken_out]
        placed = zip(page, points.derive_all(session, job, page), strict=True)
        base = open_base(session, job_id)
    running = None if base is None else base.occupation
    place = middle_of(job, places)
    return Plan(
        marks=PlanMarks(
            id=[mark.id for mark in marks],
            name=[mark.name for mark in marks],
            east_m=[mark.east_m for mark in marks],
            north_m=[mark.north_m for mark in marks],
            check_only=[mark.given.check_only for mark in marks],
        ),
        points=[
            PlanPoint(
                id=shot.id,
                name=labels[shot.id].name if shot.id in labels else shot.name,
                east_m=point.east_m,
                north_m=point.north_m,
                height_m=point.height_m,
                from_base=running is not None and shot.occupation_id == running.id and not point.virtual,
            )
            for shot, point in placed
        ],
        next=following,
        base=None if base is None else _base(job, base.mark_m, base.occupation.station_id),
        convergence_deg=job.frame.convergence_deg(*place) if place is not None and not job.lies_nowhere else None,
    )


def _base(job: JobNow, mark_m: tuple[float, float, float], station_id: int) -> PlanBase | None:
    try:
        east, north, _ = job.frame.grid_from_ecef(mark_m)
    except FrameError:
        return None
    return PlanBase(float(east), float(north), station_id)
