"""How each pole stood when it was turned: derived from the shots, kept with the pole by its name."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.errors import InputError
from openstake.core.judge.finding import Finding
from openstake.core.judge.lean import judge_lean
from openstake.core.kit.gear import Pole
from openstake.core.lean import SIDES, Facing, Lean, lean_of
from openstake.core.limits import UNCLAIMED_HORIZONTAL_M
from openstake.store import lines
from openstake.store.models import Shot, ShotSeries, ShotSeriesItem
from openstake.workflow.now import points
from openstake.workflow.now.job import JobNow, job_of
from openstake.workflow.now.kit import gear_by_name


@dataclass(frozen=True)
class PoleTurned:
    """A pole that was turned: its name, how often, when it was last, its lean, and what that says."""

    series_id: str
    pole: str
    height_m: float
    sides: int
    at_s: float
    lean: Lean
    finding: Finding


def turned_from(session: Session, job: JobNow, series: Sequence[ShotSeries]) -> list[PoleTurned]:
    """Return the lean of each whole series of a job, in its order; a series that lacks a shot says nothing."""
    rows = session.execute(
        select(ShotSeriesItem.series_id, ShotSeriesItem.place, Shot)
        .join(Shot, Shot.id == ShotSeriesItem.shot_id)
        .where(ShotSeriesItem.series_id.in_([item.id for item in series]))
        .order_by(ShotSeriesItem.created_s, ShotSeriesItem.id)
    ).all()
    taken: dict[str, dict[str, Shot]] = defaultdict(dict)
    for series_id, place, shot in rows:
        taken[series_id][place] = shot
    shots = [shot for own in taken.values() for shot in own.values()]
    derived = dict(zip((shot.id for shot in shots), points.derive_all(session, job, shots), strict=True))
    gear = gear_by_name(session)
    found = []
    for item in series:
        data, own = json.loads(item.data), taken[item.id]
        if set(own) >= {str(side) for side in SIDES[data["sides"]]}:
            found.append(_turned(item, data, own, derived, gear.get(("pole", data["pole"])), job.length_unit))
    return [item for item in found if item is not None]


def _turned(
    series: ShotSeries, data: dict[str, object], own: dict[str, Shot], derived: dict[str, points.Point], pole: object, unit: str
) -> PoleTurned | None:  # fmt: skip
    shots = list(own.items())
    seen = [
        Facing(float(place), derived[shot.id].east_m, derived[shot.id].north_m, _sigma_m(shot)) for place, shot in shots
    ]
    last = max((shot for _, shot in shots), key=lambda shot: shot.created_s)
    height = derived[last.id].rover_height.arp_height_m
    try:
        lean = lean_of(seen, height)
    except InputError:
        return None
    bubble = pole.bubble_arcmin if isinstance(pole, Pole) else None
    name = str(data["pole"])
    return PoleTurned(series.id, name, height, len(shots), last.created_s, lean, judge_lean(name, lean, bubble, unit))


def _sigma_m(shot: Shot) -> float:
    return max(shot.sigma_east_m or 0.0, shot.sigma_north_m or 0.0) or UNCLAIMED_HORIZONTAL_M


def turned_poles(session: Session, job_id: str | None = None) -> dict[str, PoleTurned]:
    """Return the newest turn of each pole by its name, of one job or of all in this data folder."""
    own = [] if job_id is None else [ShotSeries.job_id == job_id]
    heads = lines.heads(ShotSeries, ShotSeries.kind == "pole turn", ShotSeries.withdrawn.is_(False), *own)
    by_job: dict[str, list[ShotSeries]] = defaultdict(list)
    for row in session.scalars(heads.order_by(ShotSeries.created_s)):
        by_job[row.job_id].append(row)
    found: dict[str, PoleTurned] = {}
    for job, rows in by_job.items():
        for item in turned_from(session, job_of(session, job), rows):
            if item.pole not in found or found[item.pole].at_s <= item.at_s:
                found[item.pole] = item
    return found
