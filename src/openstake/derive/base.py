"""The base set-ups of a job as they stand: each occupation with its coordinates, its readings and its end."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.base_sources import AUTONOMOUS_SOURCES
from openstake.core.errors import NotFoundError
from openstake.core.occupation import meant_arp_ecef
from openstake.derive.heights import BaseHeight, Readings
from openstake.store.models import BaseCoordinate, HeightReading, Occupation
from openstake.store.records import lines
from openstake.store.records.bases import base_readings, coordinates_of, ends_s, occupations_of, open_occupation


def three(xyz: Any) -> tuple[float, float, float]:
    """Return an Earth-centred place as plain numbers."""
    x, y, z = (float(value) for value in xyz)
    return x, y, z


def is_autonomous(coordinate: BaseCoordinate) -> bool:
    """Tell whether a coordinate rests on what a receiver said alone: metres off until something better replaces it."""
    return coordinate.source in AUTONOMOUS_SOURCES and not coordinate.locked


@dataclass(frozen=True, kw_only=True)
class BaseNow:
    """One occupation as it stands; its coordinates come first to current, its readings with all that were replaced."""

    occupation: Occupation
    ended_s: float | None
    coordinates: tuple[BaseCoordinate, ...]
    readings: Readings

    @property
    def coordinate(self) -> BaseCoordinate:
        return self.coordinates[-1]

    @property
    def mark_m(self) -> tuple[float, float, float]:
        """The mark's coordinate, Earth-centred, metres."""
        return self.coordinate.x_m, self.coordinate.y_m, self.coordinate.z_m

    @property
    def height(self) -> BaseHeight:
        """The opening height; NotFoundError where no reading is used."""
        height = self.readings.height("before")
        if height is None:
            raise NotFoundError("This base has no height reading.")
        return height

    @property
    def arp_m(self) -> tuple[float, float, float]:
        """Where the ARP is meant to be, Earth-centred, metres."""
        return three(meant_arp_ecef(self.mark_m, self.height.arp_height_m))


def bases_of(session: Session, job_id: str, only: Collection[str] | None = None) -> dict[str, BaseNow]:
    """Return the occupations of a job by their ids, oldest first, or some of them: four queries, however many there are."""
    occupations = occupations_of(session, job_id, only)
    ids = [item.id for item in occupations]
    ends, coordinates = ends_s(session, ids), coordinates_of(session, ids)
    readings = _readings(session, job_id, occupations if only is not None else None)
    return {
        item.id: BaseNow(
            occupation=item,
            ended_s=ends.get(item.id),
            coordinates=_in_order(coordinates[item.id]),
            readings=Readings(readings[item.setup_id or item.id]),
        )
        for item in occupations
    }


def _readings(session: Session, job_id: str, of: Collection[Occupation] | None) -> dict[str, tuple[HeightReading, ...]]:
    """Return the base's readings by set-up, or by occupation where a base was started before set-ups were kept."""
    found: dict[str, list[HeightReading]] = defaultdict(list)
    for row in base_readings(session, job_id, of):
        found[row.setup_id or row.occupation_id or ""].append(row)
    return defaultdict(tuple, {key: tuple(rows) for key, rows in found.items()})


def _in_order(rows: list[BaseCoordinate]) -> tuple[BaseCoordinate, ...]:
    """Return the rows of a line from the first to the current one."""
    following = {row.replaces_id: row for row in rows}
    ordered: list[BaseCoordinate] = []
    row = following.get(None)
    while row is not None:
        ordered.append(row)
        row = following.get(row.id)
    return tuple(ordered)


def base_of(session: Session, occupation: Occupation) -> BaseNow:
    """Return one occupation as it stands."""
    return bases_of(session, occupation.job_id, {occupation.id})[occupation.id]


def open_base(session: Session, job_id: str) -> BaseNow | None:
    """Return the job's base that has not ended, as it stands; None where there is none."""
    occupation = open_occupation(session, job_id)
    return None if occupation is None else base_of(session, occupation)


def base_values(bases: Collection[BaseNow]) -> dict[str, tuple[object, ...]]:
    """Return what every coordinate and reading of some bases says, by id, those that were replaced included."""
    rows: list[Any] = [row for base in bases for row in (*base.coordinates, *base.readings.rows)]
    return {row.id: lines.value_of(row) for row in rows}
