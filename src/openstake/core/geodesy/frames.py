"""Coordinate systems: found in PROJ's own database, used without any datum shift that nobody named.

RTK positions are in the frame of the base's coordinate.  They are projected within the job's own datum:
latitude and longitude on the datum's ellipsoid go through the projection and nothing else.
PROJ's network stays off; this is the only module that talks to PROJ.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import islice

import numpy as np
import pyproj
import pyproj.network
from numpy.typing import ArrayLike, NDArray
from pyproj.database import query_crs_info
from pyproj.enums import PJType

from openstake.core.errors import FrameError
from openstake.core.geodesy.ellipsoid import Ellipsoid, ecef_from_geodetic, geodetic_from_ecef
from openstake.core.units import METRES_PER_UNIT

pyproj.network.set_network_enabled(False)  # type: ignore[attr-defined]


@dataclass(frozen=True)
class SystemFound:
    """One line of a search: what a person needs to tell coordinate systems apart."""

    code: int
    name: str
    area: str
    deprecated: bool


@lru_cache(maxsize=1)
def _projected_systems() -> tuple[SystemFound, ...]:
    return tuple(
        SystemFound(
            int(info.code), info.name, (info.area_of_use.name or "") if info.area_of_use else "", info.deprecated
        )
        for info in query_crs_info(auth_name="EPSG", pj_types=[PJType.PROJECTED_CRS], allow_deprecated=True)
        if info.code.isdigit()
    )


def search_systems(text: str, limit: int = 30) -> list[SystemFound]:
    """Return projected systems whose EPSG code begins with, or whose name or area holds, every word typed.

    Exact codes come first, then names that begin with the text, then the rest; deprecated codes last.
    """
    words = [word for word in text.lower().replace(":", " ").replace("/", " ").split() if word != "epsg"]
    if not words:
        return []

    def matches(system: SystemFound) -> bool:
        haystack = f"{system.name} {system.area}".lower()
        return all(word in haystack or str(system.code).startswith(word) for word in words)

    def rank(system: SystemFound) -> tuple[bool, bool, bool, bool, int, str]:
        name = system.name.lower()
        return (
            system.deprecated,
            str(system.code) != words[0],
            not name.startswith(words[0]),
            not all(word in name or str(system.code).startswith(word) for word in words),
            len(system.name),
            system.name,
        )

    found = sorted(filter(matches, _projected_systems()), key=rank)
    return list(islice(filter(_workable, found), limit))


def _workable(found: SystemFound) -> bool:
    try:
        job_frame(found.code)
    except FrameError:
        return False
    return True


@dataclass(frozen=True)
class JobFrame:
    """The job's projected system and its datum's own ellipsoid.

    East, north and height go to Earth-centred coordinates of the same datum and back.
    """

    code: int
    name: str
    datum: str
    area: str
    metres_per_unit: float
    ellipsoid: Ellipsoid
    bounds_deg: tuple[float, float, float, float] | None  # west, south, east, north

    def grid_from_geodetic(self, latitude_deg: ArrayLike, longitude_deg: ArrayLike) -> NDArray[np.float64]:
        """Return grid east and north in metres, shape (..., 2), within the job's own datum; inf where undefined."""
        east, north = _projection(self.code).transform(np.asarray(longitude_deg), np.asarray(latitude_deg))
        return np.stack(np.broadcast_arrays(east, north), axis=-1) * self.metres_per_unit

    def geodetic_from_grid(self, east_m: ArrayLike, north_m: ArrayLike) -> NDArray[np.float64]:
        """Return latitude and longitude in degrees on the job's datum, shape (..., 2)."""
        longitude, latitude = _projection(self.code).transform(
            np.asarray(east_m) / self.metres_per_unit, np.asarray(north_m) / self.metres_per_unit, direction="INVERSE"
        )
        return np.stack(np.broadcast_arrays(latitude, longitude), axis=-1)

    def ecef_from_grid(self, east_m: float, north_m: float, height_m: float) -> NDArray[np.float64]:
        """Return Earth-centred X, Y, Z in metres of a grid point with its ellipsoidal height."""
        latitude, longitude = self.geodetic_from_grid(east_m, north_m)
        return ecef_from_geodetic(latitude, longitude, height_m, self.ellipsoid)

    def grid_from_ecef(self, xyz_m: ArrayLike) -> NDArray[np.float64]:
        """Return grid east, north and ellipsoidal height in metres, shape (..., 3)."""
        geodetic = geodetic_from_ecef(xyz_m, self.ellipsoid)
        grid = self.grid_from_geodetic(geodetic[..., 0], geodetic[..., 1])
        return np.concatenate([grid, geodetic[..., 2:]], axis=-1)

    def convergence_deg(self, latitude_deg: float, longitude_deg: float) -> float:
        """Return the grid convergence in degrees, positive where grid north lies east of true north.

        Source: PROJ `proj_factors`, whose sign is the same (tested against GeographicLib).
        """
        proj = pyproj.Proj(_system(self.code))
        return float(proj.get_factors(longitude_deg, latitude_deg).meridian_convergence)

    def contains(self, latitude_deg: float, longitude_deg: float) -> bool:
        """Tell whether a point lies in the system's area of use; unknown areas contain everything."""
        if self.bounds_deg is None:
            return True
        west, south, east, north = self.bounds_deg
        inside = west <= longitude_deg <= east if west <= east else not (east < longitude_deg < west)
        return south <= latitude_deg <= north and inside


@lru_cache(maxsize=64)
def _system(code: int) -> pyproj.CRS:
    try:
        return pyproj.CRS.from_epsg(code)
    except pyproj.exceptions.CRSError:
        raise FrameError(
            f"EPSG:{code} is not in the database of coordinate systems. Search by name or code.", field="system"
        ) from None


@lru_cache(maxsize=64)
def _projection(code: int) -> pyproj.Transformer:
    system = _system(code)
    return pyproj.Transformer.from_crs(
        system.geodetic_crs, system, always_xy=True, allow_ballpark=False, only_best=True
    )


@lru_cache(maxsize=64)
def job_frame(code: int) -> JobFrame:
    """Return the frame of a projected EPSG code; FrameError if it is not one we can work in."""
    system = _system(code)
    if not system.is_projected or len(system.axis_info) != 2:
        raise FrameError(
            f"EPSG:{code} ({system.name}) is not a projected system. Pick one with east and north.", field="system"
        )
    if system.ellipsoid is None or system.geodetic_crs is None:
        raise FrameError(f"EPSG:{code} ({system.name}) has no ellipsoid to work on.", field="system")
    meridian = system.prime_meridian
    angle = system.geodetic_crs.axis_info[0].unit_name
    if (meridian is not None and meridian.longitude != 0.0) or angle != "degree":
        # Receivers count longitude from Greenwich in degrees; taken for the other it would be hundreds of kilometres off.
        raise FrameError(
            f"EPSG:{code} ({system.name}) counts longitude from {meridian.name if meridian else 'elsewhere'} in {angle}s. "
            "Pick a system that counts degrees from Greenwich.",
            field="system",
        )
    try:
        _projection(code)
    except pyproj.exceptions.ProjError:
        raise FrameError(
            f"EPSG:{code} ({system.name}) cannot be computed here. Pick another system.", field="system"
        ) from None
    factor = system.axis_info[0].unit_conversion_factor
    area = system.area_of_use
    return JobFrame(
        code=code,
        name=system.name,
        datum=system.geodetic_crs.name,
        area=area.name if area else "",
        metres_per_unit=factor,
        # PROJ writes a sphere's inverse flattening as 0.
        ellipsoid=Ellipsoid(
            system.ellipsoid.semi_major_metre,
            1.0 / system.ellipsoid.inverse_flattening if system.ellipsoid.inverse_flattening else 0.0,
        ),
        bounds_deg=area.bounds if area else None,
    )


def unit_of_system(code: int) -> str | None:
    """Return `m`, `ft` or `sft`, the unit a projected system is defined in; None for any other."""
    factor = job_frame(code).metres_per_unit
    return next((unit for unit, metres in METRES_PER_UNIT.items() if abs(metres / factor - 1.0) < 1e-9), None)
