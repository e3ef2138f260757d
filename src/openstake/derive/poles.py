"""How each pole stood when it was turned: derived from the shots, kept with the pole by its name."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.judge.finding import Finding
from openstake.core.judge.lean import judge_lean
from openstake.core.kit.gear import Gear, Pole
from openstake.core.lean import SIDES, Lean, TurnedShot, lean_of
from openstake.core.shot_series import TurnSettled
from openstake.core.units import text_from_metres
from openstake.derive import points
from openstake.derive.claims import horizontal_sigma_m
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import gear_by_name
from openstake.derive.points import Point
from openstake.derive.series import SeriesNow, series_now


@dataclass(frozen=True, kw_only=True)
class PoleTurned:
    """A pole that was turned: its name, to how many sides, when, its lean, and what that says; `leans`: more than chance gives; `brief` in two words."""

    series_id: str
    pole: str
    height_m: float
    sides: int
    at_s: float
    lean: Lean
    leans: bool
    words: str
    brief: str
    finding: Finding


def is_whole(series: SeriesNow[TurnSettled]) -> bool:
    """Tell whether every side of a turn is recorded."""
    return set(series.shots) >= {str(side) for side in SIDES[series.settled.sides]}


def turned_from(session: Session, job: JobNow, listed: Sequence[SeriesNow[TurnSettled]]) -> list[PoleTurned]:
    """Return the lean of each whole turn of a job, in its order."""
    whole = [item for item in listed if is_whole(item)]
    shots = [shot for item in whole for shot in item.shots.values()]
    derived = dict(zip((shot.id for shot in shots), points.derive_all(session, job, shots), strict=True))
    gear = gear_by_name(session)
    return [_turned(item, derived, gear, job.length_unit) for item in whole]


def _turned(series: SeriesNow[TurnSettled], derived: Mapping[str, Point], gear: Mapping[tuple[str, str], Gear], unit: str) -> PoleTurned:
    seen = [
        TurnedShot(
            turned_deg=float(place), east_m=derived[shot.id].east_m, north_m=derived[shot.id].north_m, sigma_m=horizontal_sigma_m(shot)
        )
        for place, shot in series.shots.items()
    ]
    last = max(series.shots.values(), key=lambda shot: shot.created_s)
    height = derived[last.id].rover_height.arp_height_m
    lean, name = lean_of(seen, height), series.settled.pole
    pole = gear.get(("pole", name))
    bubble = pole.bubble_arcmin if isinstance(pole, Pole) else None
    words = f"bubble out by {lean.tilt_arcmin:.0f}′, towards {lean.side_words}" if lean.is_seen else "no lean seen"
    return PoleTurned(
        series_id=series.id,
        pole=name,
        height_m=height,
        sides=len(seen),
        at_s=last.created_s,
        lean=lean,
        leans=lean.is_seen,
        words=f"{name}: {words}.",
        brief=f"leans {text_from_metres(lean.lean_m, unit)}" if lean.is_seen else "no lean seen",
        finding=judge_lean(name, lean, bubble, unit),
    )


def _newest_turns(session: Session) -> dict[str, SeriesNow[TurnSettled]]:
    """Return the newest whole turn of each pole of this data folder by its name."""
    listed = [item for item in series_now(session, TurnSettled) if is_whole(item)]
    return {item.settled.pole: item for item in sorted(listed, key=lambda item: item.created_s)}


def turned_names(session: Session) -> set[str]:
    """Return the poles of this data folder that were turned at all: two queries, and nothing is derived."""
    return set(_newest_turns(session))


def turned_poles(session: Session) -> dict[str, PoleTurned]:
    """Return how each pole of this data folder stood when it was last turned, by its name."""
    by_job: dict[str, list[SeriesNow[TurnSettled]]] = defaultdict(list)
    for item in _newest_turns(session).values():
        by_job[item.job_id].append(item)
    turned = [found for job_id, own in by_job.items() for found in turned_from(session, job_of(session, job_id), own)]
    return {item.pole: item for item in turned}


def turned_pole(session: Session, name: str) -> PoleTurned | None:
    """Return how one pole of this data folder stood when it was last turned, None where it never was."""
    newest = _newest_turns(session).get(name)
    return None if newest is None else turned_from(session, job_of(session, newest.job_id), [newest])[0]
