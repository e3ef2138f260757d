"""The control list of a job as it stands: each mark as given, and where it lies in the job's frame now."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from openstake.core.errors import FrameError, InputError, NotFoundError
from openstake.core.geodesy.geoid import elevation_from_ellipsoidal, ellipsoidal_from_elevation
from openstake.core.judge.place import Control
from openstake.core.limits import DEFAULT_SIGMA_HORIZONTAL_M, DEFAULT_SIGMA_VERTICAL_M
from openstake.core.mark import GivenMark, HeightKind, PlacedMark
from openstake.derive.job import JobNow
from openstake.store.models import Mark
from openstake.store.records import lines
from openstake.store.records.marks import columns_of_marks, current_rows, marks_by_id, replaced_marks


@dataclass(frozen=True, kw_only=True)
class MarkNow:
    """A mark's current row with its place: grid metres, degrees in the job's datum, and both heights where they are known."""

    id: str
    given: GivenMark
    east_m: float
    north_m: float
    latitude_deg: float | None
    longitude_deg: float | None
    ellipsoidal_height_m: float | None
    elevation_m: float | None
    sigma_horizontal_m: float
    sigma_vertical_m: float
    created_s: float

    @property
    def name(self) -> str:
        return self.given.name

    @property
    def placed(self) -> PlacedMark:
        return PlacedMark(
            given=self.given,
            east_m=self.east_m,
            north_m=self.north_m,
            latitude_deg=self.latitude_deg,
            longitude_deg=self.longitude_deg,
            ellipsoidal_height_m=self.ellipsoidal_height_m,
            elevation_m=self.elevation_m,
        )


def given_of(row: Mark) -> GivenMark:
    return GivenMark(
        name=row.name,
        east_m=row.east_m,
        north_m=row.north_m,
        latitude_deg=row.latitude_deg,
        longitude_deg=row.longitude_deg,
        height_m=row.height_m,
        height_kind=cast(HeightKind | None, row.height_kind),
        sigma_horizontal_m=row.sigma_horizontal_m,
        sigma_vertical_m=row.sigma_vertical_m,
        order=row.order,
        source=row.source,
        note=row.note,
        check_only=row.check_only,
    )


def row_of(mark: GivenMark, job_id: str, source: str, now: float) -> Mark:
    """Return the row that stores a given mark; sigmas that are not given become the usual ones."""
    return Mark(
        job_id=job_id,
        name=mark.name,
        east_m=mark.east_m,
        north_m=mark.north_m,
        latitude_deg=mark.latitude_deg,
        longitude_deg=mark.longitude_deg,
        height_m=mark.height_m,
        height_kind=mark.height_kind if mark.height_m is not None else None,
        sigma_horizontal_m=mark.sigma_horizontal_m or DEFAULT_SIGMA_HORIZONTAL_M,
        sigma_vertical_m=mark.sigma_vertical_m or DEFAULT_SIGMA_VERTICAL_M,
        order=mark.order,
        source=mark.source or source,
        note=mark.note,
        check_only=mark.check_only,
        created_s=now,
    )


@dataclass(frozen=True, kw_only=True)
class Places:
    """Where marks lie, in columns: grid metres and degrees, shape (n, 2), both heights, shape (n,); NaN where unknown."""

    grid_m: NDArray[np.float64]
    angles_deg: NDArray[np.float64]
    ellipsoidal_m: NDArray[np.float64]
    elevation_m: NDArray[np.float64]


def places_of(job: JobNow, rows: Sequence[Any]) -> Places:
    """Return where rows lie that have the columns of a mark's place and height.

    Angles are absent where the job's system lies nowhere on Earth yet.
    """
    grid = np.array([(_or_nan(row.east_m), _or_nan(row.north_m)) for row in rows]).reshape(-1, 2)
    angles = np.array([(_or_nan(row.latitude_deg), _or_nan(row.longitude_deg)) for row in rows]).reshape(-1, 2)
    geodetic = np.isnan(grid[:, 0])
    try:
        if geodetic.any():
            grid[geodetic] = job.frame.grid_from_geodetic(angles[geodetic, 0], angles[geodetic, 1])
        if not geodetic.all():
            angles[~geodetic] = job.frame.geodetic_from_grid(grid[~geodetic, 0], grid[~geodetic, 1])
    except FrameError:
        if not job.lies_nowhere:
            raise
    angles = np.where(np.isfinite(angles), angles, np.nan)
    heights = np.array([_or_nan(row.height_m) for row in rows])
    elevated = np.array([row.height_kind == "elevation" for row in rows], dtype=bool)
    ellipsoidal, elevation = np.where(elevated, np.nan, heights), np.where(elevated, heights, np.nan)
    geoid = job.geoid
    if geoid is not None:
        latitude, longitude = angles[:, 0], angles[:, 1]
        ellipsoidal = np.where(elevated, ellipsoidal_from_elevation(geoid, latitude, longitude, heights), ellipsoidal)
        elevation = np.where(elevated, elevation, elevation_from_ellipsoidal(geoid, latitude, longitude, heights))
    return Places(grid_m=grid, angles_deg=angles, ellipsoidal_m=ellipsoidal, elevation_m=elevation)


def place_rows(job: JobNow, rows: Sequence[Mark]) -> list[MarkNow]:
    """Return marks with their places."""
    if not rows:
        return []
    places = places_of(job, rows)
    return [
        MarkNow(
            id=row.id,
            given=given_of(row),
            east_m=float(places.grid_m[n, 0]),
            north_m=float(places.grid_m[n, 1]),
            latitude_deg=_or_none(places.angles_deg[n, 0]),
            longitude_deg=_or_none(places.angles_deg[n, 1]),
            ellipsoidal_height_m=_or_none(places.ellipsoidal_m[n]),
            elevation_m=_or_none(places.elevation_m[n]),
            sigma_horizontal_m=row.sigma_horizontal_m,
            sigma_vertical_m=row.sigma_vertical_m,
            created_s=row.created_s,
        )
        for n, row in enumerate(rows)
    ]


def _or_nan(value: float | None) -> float:
    return np.nan if value is None else value


def _or_none(value: float | NDArray[Any]) -> float | None:
    return float(value) if np.isfinite(value) else None


def current_marks(session: Session, job: JobNow) -> list[MarkNow]:
    """Return the heads of all marks of a job that are not withdrawn, by name."""
    return place_rows(job, current_rows(session, job.id))


def current_places(session: Session, job: JobNow) -> tuple[Places, int]:
    """Return where the marks of a job lie, and how many of them are given by an elevation; without the marks themselves."""
    columns = (Mark.east_m, Mark.north_m, Mark.latitude_deg, Mark.longitude_deg, Mark.height_m, Mark.height_kind)
    rows = columns_of_marks(session, job.id, *columns)
    return places_of(job, rows), sum(row.height_kind == "elevation" for row in rows)


def control_of(session: Session, job: JobNow) -> Control:
    """Return the marks of a job's list as they are read: names, east, north and ellipsoidal height."""
    columns = (Mark.name, Mark.east_m, Mark.north_m, Mark.latitude_deg, Mark.longitude_deg, Mark.height_m, Mark.height_kind)
    rows = columns_of_marks(session, job.id, *columns)
    places = places_of(job, rows)
    return Control(tuple(row.name for row in rows), np.column_stack([places.grid_m, places.ellipsoidal_m]))


def mark_row_of(session: Session, job_id: str, mark_id: str) -> Mark:
    mark = session.get(Mark, mark_id)
    if mark is None or mark.job_id != job_id:
        raise NotFoundError("This mark is not in the job's control list.", field="mark_id")
    return mark


def mark_of(session: Session, job: JobNow, mark_id: str) -> MarkNow:
    """Return a mark by the id of any of its rows, as that row has it."""
    return place_rows(job, [mark_row_of(session, job.id, mark_id)])[0]


def marks_of(session: Session, job: JobNow, mark_ids: Collection[str]) -> dict[str, MarkNow]:
    """Return the current state of marks by the ids of any of their rows: two queries, however many there are."""
    replaced_by = replaced_marks(session, job.id)
    head_ids = {mark_id: lines.last_of(replaced_by, mark_id) for mark_id in mark_ids}
    rows = [row for row in marks_by_id(session, head_ids.values()).values() if row.job_id == job.id]
    placed = {mark.id: mark for mark in place_rows(job, rows)}
    return {mark_id: placed[head_id] for mark_id, head_id in head_ids.items() if head_id in placed}


def head_of(session: Session, job: JobNow, mark_id: str) -> MarkNow:
    """Return the current state of a mark's line of corrections."""
    found = marks_of(session, job, {mark_id}).get(mark_id)
    if found is None:
        raise NotFoundError("This mark is not in the job's control list.", field="mark_id")
    return found


def mark_ecef_m(job: JobNow, mark: MarkNow) -> tuple[float, float, float]:
    """Return a mark's Earth-centred coordinate in the frame of the positions; it needs an ellipsoidal height."""
    if mark.ellipsoidal_height_m is None:
        why = (
            "has no height"
            if mark.given.height_m is None
            else "lies outside the job's geoid grid, so its elevation gives no ellipsoidal height"
            if job.geoid_file
            else "has no ellipsoidal height, and this job has no geoid grid to make one from an elevation"
        )
        raise InputError(
            f"{mark.name} {why}. Give the mark an ellipsoidal height, or take the average of what the receiver reports.", field="mark_id"
        )
    x, y, z = job.frame.ecef_from_grid(mark.east_m, mark.north_m, mark.ellipsoidal_height_m)
    return float(x), float(y), float(z)


def middle_of(job: JobNow, places: Places | None) -> tuple[float, float] | None:
    """Return the job's middle: the place that was typed, else the median of its marks, else the anchor."""
    settings = job.settings
    if settings.place_latitude_deg is not None and settings.place_longitude_deg is not None:
        return settings.place_latitude_deg, settings.place_longitude_deg
    if places is not None:
        known = places.angles_deg[np.isfinite(places.angles_deg).all(axis=1)]
        if len(known):
            latitude, longitude = np.median(known, axis=0)
            return float(latitude), float(longitude)
    anchor = job.frame.definition.anchor
    return (anchor.latitude_deg, anchor.longitude_deg) if anchor else None
