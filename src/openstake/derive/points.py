"""Shots to coordinates: rows of the store in, `core/vector.py` does the rest.  Nothing derived is stored.

All shots asked for are derived together: a handful of queries, however many they are.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from openstake.core.control import Difference
from openstake.core.errors import InputError
from openstake.core.evidence import STATUS_BY_GGA_QUALITY, Epoch, RefersTo, Status
from openstake.core.geodesy.ellipsoid import WGS84, ecef_from_geodetic, geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes
from openstake.core.progress import tell_progress, with_progress
from openstake.core.shot import longest_gap_s
from openstake.core.vector import lowering_to_mark_m, mean_vector, raised_along_normal, rover_mark_ecef, vectors_from_positions
from openstake.derive.base import BaseNow, bases_of
from openstake.derive.cache import Cache
from openstake.derive.heights import BaseHeight
from openstake.derive.job import JobNow
from openstake.derive.marks import MarkNow
from openstake.store.models import BaseCoordinate, HeightReading, Reference, Shot
from openstake.store.records import lines
from openstake.store.records.epochs import epochs_of_shots
from openstake.store.records.shots import named_ids, pole_lines, references_of
from openstake.wire.nmea.sentence import degrees_of


@dataclass(frozen=True, slots=True, kw_only=True)
class Received:
    """What the epochs of a shot come to, Earth-centred, metres: immutable, so it may be remembered."""

    vector_m: NDArray[np.float64]  # from the base reference, the mean, shape (3,)
    first_m: NDArray[np.float64]  # the first epoch's position, shape (3,)
    epochs: int
    not_fixed: int
    left_out: int  # of the epochs: they are kept and not averaged
    scatter_m: tuple[float, float, float] | None  # one sigma of an averaged epoch in east, north, up
    age_s: float  # of the corrections, the mean; 0 where it is not known
    gap_s: float  # the longest silence within it, 0 where none is longer than the rhythm of its epochs

    @property
    def distance_m(self) -> float:
        """The length of the vector, metres."""
        return float(np.linalg.norm(self.vector_m))


@dataclass(frozen=True, kw_only=True)
class Point:
    """A shot's coordinate as derived now: grid metres and ellipsoidal height, with what it rests on.

    `distance_m` is the length of its vector; `pole_line` the rover height as recorded and as corrected, the last one counts.
    """

    east_m: float
    north_m: float
    height_m: float
    not_fixed: int
    epochs: int
    left_out: int
    scatter_m: tuple[float, float, float] | None
    age_s: float
    gap_s: float
    distance_m: float
    virtual: bool
    base: BaseNow
    base_height: BaseHeight
    coordinate: BaseCoordinate
    pole_line: tuple[HeightReading, ...]
    reference: Reference

    @property
    def rover_height(self) -> HeightReading:
        return self.pole_line[-1]


# What shots received, by id, as long as the program runs: 5 000 shots are some 3 MB.
REMEMBERED: Cache[Received] = Cache(50_000)
_MOVED_M = 0.00005  # less is not written anywhere


def shot_vectors(epochs: Sequence[Epoch], reference: Reference) -> NDArray[np.float64]:
    """Return the vectors of a shot's epochs from its base reference, shape (n, 3)."""
    positions = [(epoch.latitude_deg, epoch.longitude_deg, epoch.height_m) for epoch in epochs]
    if not positions or any(None in position for position in positions):
        raise InputError("An epoch without a position cannot be part of a shot.")
    latitude, longitude, height = np.array(positions, dtype=float).T
    return vectors_from_positions(latitude, longitude, height, (reference.x_m, reference.y_m, reference.z_m))


def received_of(session: Session, job_id: str, shots: Collection[Any]) -> dict[str, Received]:
    """Return what shots of a job received, by id; what was read before is not read again.

    `shots` are rows, or parts of rows, with `id` and `reference_id`.
    """
    known = REMEMBERED.of(shot.id for shot in shots)
    missing = {shot.id: shot for shot in shots if shot.id not in known}
    if missing:
        references = references_of(session, job_id, missing.values())
        fresh = _read(session, job_id, missing, references)
        REMEMBERED.keep(fresh)
        known |= fresh
    return known


def pole_values(derived: Iterable[Point]) -> dict[str, tuple[object, ...]]:
    """Return what every rover height of points says and whose it is, by id, those that were corrected included."""
    return {row.id: (*lines.value_of(row), point.pole_line[0].id) for point in derived for row in point.pole_line}


def _read(session: Session, job_id: str, shots: Mapping[str, Any], references: Mapping[str, Reference]) -> dict[str, Received]:
    """Read the epochs of shots in one ordered query and turn all positions into vectors in one pass."""
    ids = named_ids(shots, Shot.id, job_id)
    owners, quality, latitude, longitude, altitude_m, separation_m, used, ages, times = epochs_of_shots(session, ids)
    tell_progress(0, 1)
    places = _places(latitude, longitude, altitude_m, separation_m)
    fixed = np.array([STATUS_BY_GGA_QUALITY.get(item) is Status.FIXED for item in quality], dtype=int)
    axes = {key: _axes(row) for key, row in references.items()}
    found, at = {}, 0
    for shot_id, epochs in with_progress(groupby(owners), len(shots)):
        own = slice(at, at + sum(1 for _ in epochs))
        at = own.stop
        if shot_id not in shots:
            continue  # of the same job, and remembered already
        reference = references[shots[shot_id].reference_id]
        vectors = places[own] - np.array([reference.x_m, reference.y_m, reference.z_m])
        count, keep = len(vectors), np.array(used[own], dtype=bool)
        found[shot_id] = Received(
            vector_m=mean_vector(vectors[keep]),
            first_m=places[own.start].copy(),
            epochs=count,
            not_fixed=count - int(fixed[own].sum()),
            left_out=count - int(keep.sum()),
            scatter_m=_scatter_m(vectors[keep], axes[reference.id]),
            age_s=_mean_age_s(ages[own]),
            gap_s=longest_gap_s(times[own]),
        )
    return found


def _mean_age_s(ages: Sequence[float | None]) -> float:
    known = [age for age in ages if age is not None]
    return sum(known) / len(known) if known else 0.0


def epochs_enu_m(session: Session, job_id: str, shots: Collection[Shot]) -> dict[str, NDArray[np.float64]]:
    """Return the averaged epochs of shots about their first one in the base's east, north, up, metres, each (n, 3): two queries."""
    references = references_of(session, job_id, shots)
    owners, _, latitude, longitude, altitude_m, separation_m, used, _, _ = epochs_of_shots(session, {shot.id for shot in shots})
    places, keep = _places(latitude, longitude, altitude_m, separation_m), np.array(used, dtype=bool)
    by_id, found, at = {shot.id: shot for shot in shots}, {}, 0
    for shot_id, epochs in groupby(owners):
        part = slice(at, at + sum(1 for _ in epochs))
        at, own = part.stop, places[part][keep[part]]
        if len(own):
            found[shot_id] = np.asarray((own - own[0]) @ _axes(references[by_id[shot_id].reference_id]).T)
    return found


def _places(
    latitudes: Sequence[str], longitudes: Sequence[str], altitude_m: Sequence[float | None], separation_m: Sequence[float | None]
) -> NDArray[np.float64]:
    """Return received positions, Earth-centred, metres, shape (n, 3): angles parsed again from the text that came."""
    latitude, longitude = degrees_of(latitudes, "NS"), degrees_of(longitudes, "EW")
    height = np.array(altitude_m, dtype=float) + np.array(separation_m, dtype=float)
    places = ecef_from_geodetic(latitude, longitude, height, WGS84)
    if np.isnan(places).any():
        raise InputError("An epoch without a position cannot be part of a shot.")
    return places


def _axes(reference: Reference) -> NDArray[np.float64]:
    latitude, longitude, _ = geodetic_from_ecef(np.array([reference.x_m, reference.y_m, reference.z_m]))
    return enu_axes(float(latitude), float(longitude))


def _scatter_m(vectors: NDArray[np.float64], axes: NDArray[np.float64]) -> tuple[float, float, float] | None:
    """Return one sigma of an epoch about their mean in the base's east, north and up, metres; None for a single one."""
    if len(vectors) < 2:
        return None
    east, north, up = np.std((vectors - vectors[0]) @ axes.T, axis=0, ddof=1)
    return float(east), float(north), float(up)


def derive_all(
    session: Session, job: JobNow, shots: Sequence[Shot], bases: Mapping[str, BaseNow] | None = None, instead: BaseCoordinate | None = None
) -> list[Point]:
    """Return the points of shots from what is current: base coordinates, base heights, rover heights.

    `bases` are their set-ups where they have been read already; `instead` is a coordinate to try in place of the current one.
    """
    if not shots:
        return []
    if bases is None:
        bases = bases_of(session, job.id, {shot.occupation_id for shot in shots})
    received = received_of(session, job.id, shots)
    references, poles = references_of(session, job.id, shots), pole_lines(session, job.id, shots)
    heights = {base_id: bases[base_id].height for base_id in {shot.occupation_id for shot in shots}}
    hung = [
        _Hung(
            shot=shot,
            received=received[shot.id],
            reference=references[shot.reference_id],
            rod=poles[shot.height_reading_id][-1],
            base=bases[shot.occupation_id],
            base_height=heights[shot.occupation_id],
            coordinate=instead or bases[shot.occupation_id].coordinate,
        )
        for shot in shots
    ]
    return [
        Point(
            east_m=float(east),
            north_m=float(north),
            height_m=float(height),
            not_fixed=item.received.not_fixed,
            epochs=item.received.epochs,
            left_out=item.received.left_out,
            scatter_m=item.received.scatter_m,
            age_s=item.received.age_s,
            gap_s=item.received.gap_s,
            distance_m=item.received.distance_m,
            virtual=item.reference.virtual,
            base=item.base,
            base_height=item.base_height,
            coordinate=item.coordinate,
            pole_line=poles[item.shot.height_reading_id],
            reference=item.reference,
        )
        for item, (east, north, height) in zip(hung, job.frame.grid_from_ecef(_marks_ecef(hung)), strict=True)
    ]


@dataclass(frozen=True, kw_only=True)
class _Hung:
    """A shot with everything that its point hangs on."""

    shot: Shot
    received: Received
    reference: Reference
    rod: HeightReading
    base: BaseNow
    base_height: BaseHeight
    coordinate: BaseCoordinate

    @property
    def above_mark_m(self) -> float:
        return lowering_to_mark_m(RefersTo(self.shot.refers_to), self.rod.arp_height_m, self.shot.arp_to_apc_m)


def _marks_ecef(hung: Sequence[_Hung]) -> NDArray[np.float64]:
    """Return the rovers' marks, Earth-centred, metres, shape (n, 3), all in one pass."""
    vectors = np.array([item.received.vector_m for item in hung])
    above = np.array([item.above_mark_m for item in hung])
    bases = np.array([(item.coordinate.x_m, item.coordinate.y_m, item.coordinate.z_m) for item in hung])
    marks = rover_mark_ecef(bases, np.array([item.base_height.arp_height_m for item in hung]), vectors, above)
    virtual = np.array([item.reference.virtual for item in hung], dtype=bool)
    if virtual.any():
        # A virtual base gives a position, not a vector of ours: our base's coordinate does not move it.
        references = np.array([(item.reference.x_m, item.reference.y_m, item.reference.z_m) for item in hung])
        marks[virtual] = raised_along_normal(references[virtual] + vectors[virtual], -above[virtual])
    return marks


def derive(session: Session, job: JobNow, shot: Shot, instead: BaseCoordinate | None = None) -> Point:
    """Return one shot's point."""
    return derive_all(session, job, [shot], instead=instead)[0]


def from_mark(point: Point, mark: MarkNow) -> Difference:
    """Return observed − known of a point on a mark."""
    known = mark.ellipsoidal_height_m
    return Difference(point.east_m - mark.east_m, point.north_m - mark.north_m, None if known is None else point.height_m - known)


def rests_on(
    job: JobNow, mark: MarkNow | None, coordinate: BaseCoordinate, base_height: BaseHeight, pole: HeightReading, reference: Reference
) -> tuple[str, ...]:
    """Return the ids of everything that a shot's coordinate, and its difference from a mark, rests on."""
    marked = () if mark is None else (mark.id,)
    return job.settings.id, *marked, coordinate.id, *base_height.ids, pole.id, reference.id


def as_recorded(session: Session, job: JobNow, shots: Sequence[Shot], derived: Sequence[Point]) -> list[Difference | None]:
    """Return how far shots have moved since they were recorded: now − then in the grid, metres; None where they have not.

    Then is what the base's coordinate and height and the rover height were by the ids that the shot rests on.
    """
    hung, places = [], []
    for place, (shot, point) in enumerate(zip(shots, derived, strict=True)):
        then, base = set(shot.rests_on), point.base
        used = {row.id for row in base.readings.rows if row.id in then}
        same_base = point.virtual or (point.coordinate.id in then and used in (set(), set(point.base_height.ids)))
        if same_base and len(point.pole_line) == 1:
            continue
        coordinate = next((row for row in base.coordinates if row.id in then), point.coordinate)
        height = base.readings.height_of(used) or point.base_height
        hung.append(
            _Hung(
                shot=shot,
                received=REMEMBERED.of([shot.id])[shot.id],
                reference=point.reference,
                rod=point.pole_line[0],
                base=point.base,
                base_height=height,
                coordinate=coordinate,
            )
        )
        places.append(place)
    found: list[Difference | None] = [None] * len(shots)
    if hung:
        for place, (east, north, up) in zip(places, job.frame.grid_from_ecef(_marks_ecef(hung)), strict=True):
            now = derived[place]
            moved = Difference(now.east_m - float(east), now.north_m - float(north), now.height_m - float(up))
            found[place] = moved if max(moved.horizontal_m, abs(moved.up_m or 0.0)) >= _MOVED_M else None
    return found
