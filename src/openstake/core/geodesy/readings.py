"""Other ways in which a control list may have been meant: axes exchanged, another foot, another zone, another datum."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from contextlib import suppress
from functools import lru_cache

import numpy as np
import pyproj
from numpy.typing import NDArray
from pyproj.aoi import AreaOfInterest
from pyproj.crs import ProjectedCRS
from pyproj.database import query_crs_info
from pyproj.enums import PJType

from openstake.core.errors import FrameError
from openstake.core.geodesy.datums import DatumKind, datum_kind
from openstake.core.geodesy.frames import JobFrame, job_frame
from openstake.core.geodesy.systems import operations_between, projected_system, search_systems
from openstake.core.units import METRES_PER_UNIT

_FOOT_M = METRES_PER_UNIT["ft"]
_MOST_SYSTEMS, _BESIDE_DEG = 40, 2.0
# Shifts between datums change by metres over a degree; a place is rounded to this for them, degrees.
_SHIFTS_EVERY_DEG = 0.05


def other_readings(
    frame: JobFrame, latitude_deg: float, longitude_deg: float, rover_m: NDArray[np.float64], grid_m: NDArray[np.float64]
) -> Iterator[tuple[str, float]]:
    """Yield how else a list may be meant, in words, and how far the nearest mark would then be from the rover, metres.

    `rover_m` (2,) and `grid_m` (n, 2) are east and north in the job's system, the place of the rover is in its datum.
    """

    def nearest(here: NDArray[np.float64], marks: NDArray[np.float64]) -> float:
        return float(np.hypot(*(marks - here).T).min())

    yield "east and north of the list are exchanged", nearest(rover_m, grid_m[:, ::-1])
    yield "the list is in feet and was read as metres", nearest(rover_m, grid_m * _FOOT_M)
    yield "the list is in metres and was read as feet", nearest(rover_m, grid_m / _FOOT_M)
    for code, name in _systems_there(frame.datum_name, round(latitude_deg, 2), round(longitude_deg, 2)):
        if code != frame.code:
            here = job_frame(code).grid_from_geodetic(latitude_deg, longitude_deg)
            if np.isfinite(here).all():
                yield f"the list is in {name} (EPSG:{code})", nearest(here, grid_m)


@lru_cache(maxsize=32)
def _systems_there(datum: str, latitude_deg: float, longitude_deg: float) -> tuple[tuple[int, str], ...]:
    """Return the systems on a datum whose area holds a place, or one beside it."""
    found = {}
    # A neighbouring zone is used beyond its edge.
    for east_deg in (0.0, -_BESIDE_DEG, _BESIDE_DEG):
        beside = (longitude_deg + east_deg + 180.0) % 360.0 - 180.0
        for system in search_systems("", (latitude_deg, beside), _MOST_SYSTEMS):
            if system.code in found or system.deprecated:
                continue
            with suppress(FrameError):
                if job_frame(system.code).datum_name == datum:
                    found[system.code] = system.name
    return tuple(found.items())


def datum_shifts_m(frame: JobFrame, latitude_deg: float, longitude_deg: float) -> Mapping[str, tuple[float, float]]:
    """Return by how much a job's east and north differ where a classical datum of that place was taken for the job's own, metres.

    Same projection, the datum's own ellipsoid and the operation that the EPSG dataset has first; empty for systems of one's own
    kind of plane.  Source: EPSG dataset.
    """
    if frame.datum_kind is not DatumKind.GNSS:
        return {}
    step = _SHIFTS_EVERY_DEG
    return _shifts(frame.definition.system, round(latitude_deg / step) * step, round(longitude_deg / step) * step)


@lru_cache(maxsize=16)
def _shifts(system: str, latitude_deg: float, longitude_deg: float) -> dict[str, tuple[float, float]]:
    own = projected_system(system)
    frame = job_frame(system)
    here = frame.grid_from_geodetic(latitude_deg, longitude_deg)
    area = AreaOfInterest(longitude_deg, latitude_deg, longitude_deg, latitude_deg)
    found: dict[str, tuple[float, float]] = {}
    for info in query_crs_info("EPSG", [PJType.GEOGRAPHIC_2D_CRS], area_of_interest=area, contains=True):
        other = pyproj.CRS.from_epsg(int(info.code))
        if other.datum is None or other.ellipsoid is None:
            continue
        if datum_kind(other.datum.name, other.ellipsoid.name) is DatumKind.GNSS:
            continue
        place = _in_datum(other, latitude_deg, longitude_deg)
        if place is None or own.coordinate_operation is None:
            continue
        there = ProjectedCRS(own.coordinate_operation, geodetic_crs=other)
        east, north = pyproj.Transformer.from_crs(other, there, always_xy=True).transform(*place)
        shift = np.array([east, north]) * frame.metres_per_unit - here
        if np.isfinite(shift).all():
            found[info.name] = (float(shift[0]), float(shift[1]))
    return found


def _in_datum(other: pyproj.CRS, latitude_deg: float, longitude_deg: float) -> tuple[float, float] | None:
    """Return longitude and latitude of a place in a classical datum; None of any other, and where no operation is here."""
    meridian = other.prime_meridian
    if other.ellipsoid is None or (meridian is not None and meridian.longitude != 0.0):
        return None
    group = operations_between(pyproj.CRS.from_epsg(4326), other, (latitude_deg, longitude_deg))
    for item in group.transformers:
        east, north, *_ = item.transform(longitude_deg, latitude_deg, 0.0, 2020.0)
        if math.isfinite(east) and abs(east - longitude_deg) + abs(north - latitude_deg) > 2e-5:
            return float(east), float(north)
    return None
