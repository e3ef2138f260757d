"""The local fit in use: its numbers as they were applied, and whether what it rests on is still the same."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from openstake.core.chain import out_of_date
from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.localfit.kept import AppliedFit
from openstake.core.localfit.parameters import FitParameters
from openstake.derive.base import base_values
from openstake.derive.fit import FitMarkNow, in_fit_grid, undulation_m
from openstake.derive.job import JobNow
from openstake.derive.points import Point, pole_values
from openstake.store.models import FitApplied
from openstake.store.records import lines
from openstake.store.records.fits import fit_marks_of_lines, last_applied


@dataclass(frozen=True, kw_only=True)
class Applied(AppliedFit):
    """An applied fit with its row: since when, and the ids of what it was made from."""

    id: str
    rests_on: tuple[str, ...]
    created_s: float


def applied_of_row(row: FitApplied) -> Applied:
    """Return an applied fit as it is stored."""
    return Applied(id=row.id, rests_on=row.rests_on, created_s=row.created_s, **vars(row.data))


def applied_now(session: Session, job_id: str) -> Applied | None:
    """Return the fit in use, None where there is none: one query."""
    row = last_applied(session, job_id)
    return None if row is None or row.dropped else applied_of_row(row)


def local_of(job: JobNow, fit: FitParameters, grid_m: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return local east, north and height of places of the job's grid with ellipsoidal heights, (n, 3)."""
    if len(grid_m) == 0:
        return grid_m.reshape(-1, 3)
    lift = undulation_m(job, grid_m) if fit.heights == "geoid" else 0.0
    return fit.to_local(in_fit_grid(job, fit.site, grid_m), lift)


def fit_sigmas_m(job: JobNow, fit: Applied, grid_m: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return what a fit gives at places of the job's grid, (n, 3): one sigma per axis horizontally and in height, (n, 2); NaN where unknown."""
    places = in_fit_grid(job, fit.parameters.site, grid_m)[:, :2]
    return np.column_stack([fit.reach.horizontal_95_m(places) / CIRCLE_95, fit.reach.vertical_95_m(places) / LINE_95])


@dataclass(frozen=True)
class LocalPlace:
    """A place in local coordinates, metres; no height where the fit has none."""

    east_m: float
    north_m: float
    height_m: float | None


def local_of_points(session: Session, job: JobNow, derived: Sequence[Point]) -> list[LocalPlace | None]:
    """Return the local coordinates of points by the fit in use, None for all of them without one."""
    applied = applied_now(session, job.id)
    if applied is None or not derived:
        return [None] * len(derived)
    grid = np.array([(point.east_m, point.north_m, point.height_m) for point in derived])
    return [
        LocalPlace(float(east), float(north), float(up) if np.isfinite(up) else None)
        for east, north, up in local_of(job, applied.parameters, grid)
    ]


_WORDS = {"settings": "the job's system", "base_coordinate": "the base's coordinate", "height_reading": "a height"}


def changed_since(session: Session, job: JobNow, fit: Applied, marks: Sequence[FitMarkNow]) -> tuple[str, ...]:
    """Return in words what an applied fit rests on that has another value now; nothing where it stands as it was."""
    used = {mark.line_id for mark in fit.marks if mark.use != "check"}
    own = [mark for mark in marks if mark.line_id in used]
    # Shots that came later are no change of what the fit was made from.
    before, now = fit.rests_on, tuple(sorted({row_id for mark in own for row_id in mark.rests_on(fit.rests_on)}))
    if set(now) == set(before):
        return ()
    rows = fit_marks_of_lines(session, used)
    values: dict[str, Any] = {
        **job.meanings,
        **base_values({base.occupation.id: base for mark in own for base in mark.bases}.values()),
        **pole_values(shot.point for mark in own for shot in mark.shots),
        **{row.id: lines.value_of(row) for row in rows},
    }
    if not out_of_date(before, now, values):
        return ()
    names = {row.id: row.name for row in rows}
    meant, found = (Counter(values.get(row_id, row_id) for row_id in ids) for ids in (before, now))
    apart = (meant - found) + (found - meant)
    # A shot that came or went took its rover height along: one change, told once.
    shot_of = {row.id: shot.shot.id for mark in own for shot in mark.shots for row in shot.point.pole_line}
    words = [
        names.get(row_id) or _WORDS.get(values.get(row_id, ("",))[0], "a shot")
        for row_id in (*before, *now)
        if values.get(row_id, row_id) in apart and shot_of.get(row_id) not in apart
    ]
    return tuple(dict.fromkeys(words))
