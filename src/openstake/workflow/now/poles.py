"""How each pole stood when it was turned: derived from the shots, kept with the pole by its name."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.judge.finding import Finding
from openstake.core.judge.lean import judge_lean
from openstake.core.kit.gear import Gear, Pole
from openstake.core.lean import SIDES, Facing, Lean, lean_of
from openstake.core.limits import UNCLAIMED_HORIZONTAL_M
from openstake.store.models import Shot
from openstake.workflow.now import points
from openstake.workflow.now.job import JobNow, job_of
from openstake.workflow.now.kit import gear_by_name
from openstake.workflow.now.points import Point
from openstake.workflow.now.series import SeriesNow, series_now


@dataclass(frozen=True)
class PoleTurned:
    """A pole that was turned: its name, to how many sides, when, its lean, and what that says."""

    series_id: str
    pole: str
    height_m: float
    sides: int
    at_s: float
    lean: Lean
    finding: Finding


def is_whole(series: SeriesNow) -> bool:
    """Tell whether every side of a turn is recorded."""
    return set(series.shots) >= {str(side) for side in SIDES[series.data["sides"]]}


def turned_from(session: Session, job: JobNow, listed: Sequence[SeriesNow]) -> list[PoleTurned]:
    """Return the lean of each whole turn of a job, in its order."""
    whole = [item for item in listed if is_whole(item)]
    shots = [shot for item in whole for shot in item.shots.values()]
    derived = dict(zip((shot.id for shot in shots), points.derive_all(session, job, shots), strict=True))
    gear = gear_by_name(session)
    return [_turned(item, derived, gear, job.length_unit) for item in whole]


def _turned(
    series: SeriesNow, derived: Mapping[str, Point], gear: Mapping[tuple[str, str], Gear], unit: str
) -> PoleTurned:  # fmt: skip
    seen = [
        Facing(float(place), derived[shot.id].east_m, derived[shot.id].north_m, _sigma_m(shot))
        for place, shot in series.shots.items()
    ]
    last = max(series.shots.values(), key=lambda shot: shot.created_s)
    height = derived[last.id].rover_height.arp_height_m
    lean, name = lean_of(seen, height), str(series.data["pole"])
    pole = gear.get(("pole", name))
    bubble = pole.bubble_arcmin if isinstance(pole, Pole) else None
    return PoleTurned(series.id, name, height, len(seen), last.created_s, lean, judge_lean(name, lean, bubble, unit))


def _sigma_m(shot: Shot) -> float:
    return max(shot.sigma_east_m or 0.0, shot.sigma_north_m or 0.0) or UNCLAIMED_HORIZONTAL_M


def turned_poles(session: Session) -> dict[str, PoleTurned]:
    """Return the newest turn of each pole of this data folder by its name."""
    by_job: dict[str, list[SeriesNow]] = defaultdict(list)
    for item in series_now(session, "pole turn"):
        by_job[item.job_id].append(item)
    turned = [found for job_id, own in by_job.items() for found in turned_from(session, job_of(session, job_id), own)]
    return {item.pole: item for item in sorted(turned, key=lambda item: item.at_s)}
