"""The frame of a job: how positions become its east, north and height, without any datum shift that nobody named.

RTK positions are in the frame of the base's coordinate.  Where the job's datum is realised by GNSS they are projected within it:
latitude and longitude on its ellipsoid go through the projection and nothing else.  Into a classical datum they come by an
operation that a person chose by name; until then nothing is projected (`JobFrame.datum_is_unsaid`).
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from math import radians

import numpy as np
import pyproj
from numpy.typing import ArrayLike, NDArray

from openstake.core.describe import described
from openstake.core.errors import FrameError
from openstake.core.geodesy.datums import GNSS_ELLIPSOIDS, DatumKind, datum_kind
from openstake.core.geodesy.ellipsoid import (
    WGS84,
    Ellipsoid,
    ecef_from_geodetic,
    gaussian_radius_m,
    geodetic_from_ecef,
    radii_of_curvature_m,
)
from openstake.core.geodesy.grids import lacking_grids, with_paths
from openstake.core.geodesy.systems import Area, Operation, datum_name_of, ellipsoid_of, is_known_datum, projected_system

LOCAL = "local"
# Longitude and latitude in degrees, height in metres.
Place = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]
# Of the projection's unit: what comes back within a micrometre is left alone, what is metres off is outside.
_RETURNS_WITHIN, _RETURNS_FROM = 1e-6, 10.0


@dataclass(frozen=True, kw_only=True)
class Anchor:
    """Where an assumed local system lies: a place on Earth and what it is called there (metres)."""

    latitude_deg: float = described("Latitude", "latitude")
    longitude_deg: float = described("Longitude", "longitude")
    height_m: float = described("Ellipsoidal height there", "length", default=0.0, least=-500.0, most=9000.0)
    east_m: float = described("East there", "length", default=5000.0)
    north_m: float = described("North there", "length", default=5000.0)


@dataclass(frozen=True, kw_only=True)
class Ground:
    """Ground distances: grid coordinates divided by a project combined factor about a named origin, which stays itself."""

    origin_name: str = described("Origin", "text", hint="The mark or corner that keeps its grid coordinates.")
    east_m: float = described("East of the origin", "length")
    north_m: float = described("North of the origin", "length")
    combined_factor: float = described("Project combined factor", "number", hint="Grid distance / ground distance.")


@dataclass(frozen=True, kw_only=True)
class FrameDefinition:
    """What a person chose: a system (`EPSG:` and code, WKT, PROJ text, or `local`) and what goes with it.

    `datum_is` is `gnss` where a person said so of a datum that the EPSG dataset does not know.
    """

    system: str
    anchor: Anchor | None = None
    ground: Ground | None = None
    operation: Operation | None = None
    datum_is: str = ""


@dataclass(frozen=True)
class Factors:
    """How a projection distorts at a point: scale along the meridian and the parallel, convergence in degrees.

    Convergence is positive where grid north lies east of true north.
    """

    meridional_scale: float
    parallel_scale: float
    convergence_deg: float


@dataclass(frozen=True, kw_only=True)
class JobFrame:
    """The job's system and its datum's own ellipsoid.  `datum` is what its geodetic system is called, `datum_name` the datum itself.

    `geodetic` is in the job's datum; `ecef` is in the frame of the positions.  They are one and the same unless an
    operation was chosen.  All lengths in metres, all heights ellipsoidal.
    """

    definition: FrameDefinition
    name: str
    datum: str
    datum_name: str
    ellipsoid_name: str
    area: Area | None
    deprecated: bool
    metres_per_unit: float
    ellipsoid: Ellipsoid

    @property
    def code(self) -> int | None:
        """The EPSG code, None for a system of one's own."""
        return int(self.definition.system[5:]) if self.definition.system.startswith("EPSG:") else None

    @property
    def is_local(self) -> bool:
        return self.definition.system == LOCAL

    @property
    def datum_kind(self) -> DatumKind:
        if self.is_local:
            return DatumKind.ASSUMED
        return DatumKind.GNSS if self.definition.datum_is else datum_kind(self.datum_name, self.ellipsoid_name)

    @property
    def datum_is_unsaid(self) -> bool:
        """Whether the datum is classical and nobody has chosen the operation by which positions come into it, or its grid is not here."""
        if self.lacking_grids:
            return True
        return self.datum_kind is DatumKind.CLASSICAL and self.definition.operation is None

    @property
    def lacking_grids(self) -> tuple[str, ...]:
        """The grid files that the chosen operation needs and that are not here."""
        operation = self.definition.operation
        return lacking_grids(operation.pipeline) if operation is not None and "grids=" in operation.pipeline else ()

    @property
    def _operation_here(self) -> Operation | None:
        """The operation as far as it can be computed; without its grid numbers are those of before one was chosen, and marked so."""
        return None if self.lacking_grids else self.definition.operation

    @property
    def positions_ellipsoid(self) -> Ellipsoid:
        operation = self.definition.operation
        return Ellipsoid(operation.source_radius_m, operation.source_flattening) if operation else self.ellipsoid

    def grid_from_geodetic(self, latitude_deg: ArrayLike, longitude_deg: ArrayLike) -> NDArray[np.float64]:
        """Return east and north in metres, shape (..., 2), within the job's own datum; inf where undefined."""
        east, north = self._projection().transform(np.asarray(longitude_deg), np.asarray(latitude_deg))
        grid = np.stack(np.broadcast_arrays(east, north), axis=-1) * self.metres_per_unit
        ground = self.definition.ground
        if ground is None:
            return grid
        origin = np.array([ground.east_m, ground.north_m])
        return np.asarray(origin + (grid - origin) / ground.combined_factor)

    def geodetic_from_grid(self, east_m: ArrayLike, north_m: ArrayLike) -> NDArray[np.float64]:
        """Return latitude and longitude in degrees on the job's datum, shape (..., 2)."""
        east, north = np.asarray(east_m, dtype=float), np.asarray(north_m, dtype=float)
        ground = self.definition.ground
        if ground is not None:
            east = ground.east_m + (east - ground.east_m) * ground.combined_factor
            north = ground.north_m + (north - ground.north_m) * ground.combined_factor
        longitude, latitude = _unprojected(
            self._projection(), *np.broadcast_arrays(east / self.metres_per_unit, north / self.metres_per_unit)
        )
        return np.stack([latitude, longitude], axis=-1)

    def ecef_from_grid(self, east_m: ArrayLike, north_m: ArrayLike, height_m: ArrayLike) -> NDArray[np.float64]:
        """Return Earth-centred X, Y, Z in metres of a point of the job, in the frame of the positions."""
        geodetic = self.geodetic_from_grid(east_m, north_m)
        latitude, longitude, height = _operated(
            self._operation_here, geodetic[..., 0], geodetic[..., 1], np.asarray(height_m, dtype=float), inverse=True
        )
        return ecef_from_geodetic(latitude, longitude, height, self.positions_ellipsoid)

    def datum_geodetic_from_ecef(self, xyz_m: ArrayLike) -> NDArray[np.float64]:
        """Return latitude, longitude (degrees) and height in the job's datum, shape (..., 3), of positions."""
        geodetic = geodetic_from_ecef(xyz_m, self.positions_ellipsoid)
        return np.stack(_operated(self._operation_here, geodetic[..., 0], geodetic[..., 1], geodetic[..., 2]), axis=-1)

    def grid_from_ecef(self, xyz_m: ArrayLike) -> NDArray[np.float64]:
        """Return east, north and ellipsoidal height in metres, shape (..., 3), of positions."""
        geodetic = self.datum_geodetic_from_ecef(xyz_m)
        grid = self.grid_from_geodetic(geodetic[..., 0], geodetic[..., 1])
        return np.concatenate([grid, geodetic[..., 2:]], axis=-1)

    def factors(self, latitude_deg: float, longitude_deg: float) -> Factors:
        """Return scale and convergence of the projection at a point (of the grid, also where the job is in ground distances).

        They are slopes of the projection itself, over the ellipsoid's radii: PROJ's own factors take a projection that treats
        the ellipsoid as a sphere for one that keeps angles.  Tested against GeographicLib.
        """
        to_north, to_east = _slopes(_projection(self.definition), latitude_deg, longitude_deg) * self.metres_per_unit
        meridian_m, prime_vertical_m = radii_of_curvature_m(latitude_deg, self.ellipsoid)
        return Factors(
            float(np.hypot(*to_north) / meridian_m),
            float(np.hypot(*to_east) / (prime_vertical_m * np.cos(radians(latitude_deg)))),
            float(np.degrees(np.arctan2(-to_north[0], to_north[1]))),
        )

    def convergence_deg(self, latitude_deg: float, longitude_deg: float) -> float:
        """Return the grid convergence in degrees, positive where grid north lies east of true north."""
        return self.factors(latitude_deg, longitude_deg).convergence_deg

    def contains(self, latitude_deg: float, longitude_deg: float) -> bool:
        """Tell whether a point lies in the system's area of use; unknown areas contain everything."""
        return self.area is None or self.area.contains(latitude_deg, longitude_deg)

    def edge_distance_km(self, latitude_deg: float, longitude_deg: float) -> float | None:
        """Return how far a point lies inside its area's box, in km, negative outside; None where no area is known."""
        if self.area is None:
            return None
        km_per_deg = gaussian_radius_m(latitude_deg, self.ellipsoid) * radians(1.0) / 1000.0
        across = np.cos(radians(latitude_deg))
        inside = (
            latitude_deg - self.area.south_deg,
            self.area.north_deg - latitude_deg,
            ((longitude_deg - self.area.west_deg + 180.0) % 360.0 - 180.0) * across,
            ((self.area.east_deg - longitude_deg + 180.0) % 360.0 - 180.0) * across,
        )
        world = self.area.east_deg - self.area.west_deg >= 359.0
        return float(min(inside[:2] if world else inside) * km_per_deg)

    def _projection(self) -> pyproj.Transformer:
        return _projection(self.definition)


def _unprojected(
    projection: pyproj.Transformer, east: NDArray[np.float64], north: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the longitude and latitude, degrees, that a projection takes to east and north, in its unit.

    PROJ's inverse is near it: a millimetre off where its series are short (equal area), exact where they are not.
    """

    def inverse(x: NDArray[np.float64], y: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        longitude, latitude = projection.transform(x, y, direction="INVERSE")
        return np.asarray(longitude), np.asarray(latitude)

    longitude, latitude = inverse(east, north)
    wanted = longitude, latitude
    for _ in range(3):
        x, y = (np.asarray(value) for value in projection.transform(longitude, latitude))
        with np.errstate(invalid="ignore"):
            left = np.hypot(x - east, y - north)
        if not np.any(left[np.isfinite(left)] > _RETURNS_WITHIN):
            break
        there = inverse(x, y)
        turn = (wanted[0] - there[0] + 180.0) % 360.0 - 180.0
        near = left < _RETURNS_FROM  # farther off it has folded back: that is no matter of the last digits
        longitude, latitude = (np.where(near, longitude + turn, longitude), np.where(near, latitude + wanted[1] - there[1], latitude))
    return longitude, latitude


def _slopes(projection: pyproj.Transformer, latitude_deg: float, longitude_deg: float) -> NDArray[np.float64]:
    """Return east and north per radian of latitude and of longitude, shape (2, 2), in the projection's unit.

    Five-point differences over 1 km: their error is below 1e-12.
    """
    step_deg = 0.005
    steps = np.array([-2.0, -1.0, 1.0, 2.0]) * step_deg
    weights = np.array([1.0, -8.0, 8.0, -1.0]) / (12.0 * radians(step_deg))
    flat = np.zeros(4)
    slopes = [
        weights @ np.stack(projection.transform(longitude_deg + east, latitude_deg + north), axis=-1)
        for north, east in ((steps, flat), (flat, steps))
    ]
    return np.stack(slopes)


def _operated(
    operation: Operation | None,
    latitude: NDArray[np.float64],
    longitude: NDArray[np.float64],
    height: NDArray[np.float64],
    inverse: bool = False,
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Return positions in the job's datum (or back) by the operation that was chosen; unchanged where none was."""
    if operation is None:
        broadcast = np.broadcast_arrays(latitude, longitude, height)
        return broadcast[0], broadcast[1], broadcast[2]
    transform = _operation(operation.pipeline).transform
    year = operation.epoch_year or 0.0

    def moved(direction: str, place: Place) -> Place:
        longitude, latitude, height = np.broadcast_arrays(*place)
        out = transform(longitude, latitude, height, np.full(longitude.shape, year), direction=direction)
        return np.asarray(out[0]), np.asarray(out[1]), np.asarray(out[2])

    asked = "INVERSE" if inverse else "FORWARD"
    given = (np.asarray(longitude), np.asarray(latitude), np.asarray(height))
    found = moved(asked, given)
    published = _published_direction(operation.pipeline)
    if asked != published:
        found = _solved(lambda place: moved(published, place), lambda place: moved(asked, place), given, found)
    return found[1], found[0], found[2]


def _published_direction(pipeline: str) -> str:
    """Return the direction in which an operation is published: against the pipeline where its parameters are inverted."""
    inverted = re.search(r"\+inv \+proj=(?:helmert|molobadekas)", pipeline)
    return "INVERSE" if inverted else "FORWARD"


def _solved(published: Callable[[Place], Place], near: Callable[[Place], Place], given: Place, found: Place) -> Place:
    """Return the place that the published direction takes to `given`: PROJ's own inverse is only near it.

    It is the transpose of a matrix of small angles, millimetres off where they are seconds of arc.  Each step takes off what
    is left, and leaves a hundred-thousandth of it.
    """
    wanted = near(given)
    for _ in range(3):
        left = near(published(found))
        turn = (wanted[0] - left[0] + 180.0) % 360.0 - 180.0
        found = (found[0] + turn, found[1] + wanted[1] - left[1], found[2] + wanted[2] - left[2])
    return found


def _operation(pipeline: str) -> pyproj.Transformer:
    return _transformer(with_paths(pipeline) if "grids=" in pipeline else pipeline)


@lru_cache(maxsize=32)
def _transformer(pipeline: str) -> pyproj.Transformer:
    try:
        return pyproj.Transformer.from_pipeline(pipeline)
    except pyproj.exceptions.ProjError:
        raise FrameError("The datum operation of this job cannot be computed here.", field="operation") from None


def reaches(operation: Operation, place: tuple[float, float]) -> bool:
    """Return whether an operation gives a place (latitude, longitude in degrees): a grid covers a region alone."""
    found = _operated(operation, np.array(place[0]), np.array(place[1]), np.array(0.0))
    return bool(np.isfinite(found).all())


@lru_cache(maxsize=64)
def _system(definition: FrameDefinition) -> pyproj.CRS:
    if definition.system != LOCAL:
        return projected_system(definition.system)
    anchor = definition.anchor
    if anchor is None:
        raise FrameError(
            "This job's system is assumed: nobody has said where on Earth it lies. Give a place to one of its points "
            "(System, on the Job page), or start the base there on an average of what its receiver reports.",
            field="anchor",
        )
    # A plane at the anchor's height, so that distances are those on the ground.
    scale = 1.0 + anchor.height_m / gaussian_radius_m(anchor.latitude_deg, WGS84)
    return projected_system(
        f"+proj=tmerc +lat_0={anchor.latitude_deg!r} +lon_0={anchor.longitude_deg!r} +k_0={scale!r} "
        f"+x_0={anchor.east_m!r} +y_0={anchor.north_m!r} +ellps=WGS84 +units=m +type=crs"
    )


@lru_cache(maxsize=64)
def _projection(definition: FrameDefinition) -> pyproj.Transformer:
    system = _system(definition)
    return pyproj.Transformer.from_crs(system.geodetic_crs, system, always_xy=True, allow_ballpark=False, only_best=True)


def may_be_gnss(system: str) -> bool:
    """Whether a person may say of a system's datum that GNSS realises it: the EPSG dataset knows none of its name, and its
    ellipsoid is one of theirs."""
    if system == LOCAL:
        return False
    parsed = projected_system(system)
    name, on = datum_name_of(parsed), _ellipsoid_name(parsed)
    return on in GNSS_ELLIPSOIDS and datum_kind(name, on) is DatumKind.CLASSICAL and not is_known_datum(name)


def _ellipsoid_name(system: pyproj.CRS) -> str:
    return system.ellipsoid.name if system.ellipsoid else ""


def job_frame(definition: FrameDefinition | str | int) -> JobFrame:
    """Return the frame of a job's system; a number is an EPSG code.  FrameError if it is not one we can work in."""
    if isinstance(definition, int):
        definition = f"EPSG:{definition}"
    return _frame(definition if isinstance(definition, FrameDefinition) else FrameDefinition(system=definition))


@lru_cache(maxsize=64)
def _frame(definition: FrameDefinition) -> JobFrame:
    ground = definition.ground
    if ground is not None and not 0.99 <= ground.combined_factor <= 1.01:
        raise FrameError(f"A combined factor lies near 1 (0.99 to 1.01); {ground.combined_factor:g} does not.", field="combined_factor")
    if definition.system == LOCAL:
        if ground is not None or definition.operation is not None:
            raise FrameError("An assumed local system has ground distances already, and no datum to shift to.", field="system")
        return JobFrame(
            definition=definition,
            name="Assumed local system",
            datum="as the receiver reports",
            datum_name="",
            ellipsoid_name="",
            area=None,
            deprecated=False,
            metres_per_unit=1.0,
            ellipsoid=WGS84,
        )
    system = _system(definition)
    if definition.datum_is and not may_be_gnss(definition.system):
        raise FrameError(
            f"The datum of {system.name} is known, or its ellipsoid is of none that GNSS realises. Choose an operation.", field="operation"
        )
    try:
        _projection(definition)
    except pyproj.exceptions.ProjError:
        raise FrameError(f"{system.name} cannot be computed here. Pick another system.", field="system") from None
    area = system.area_of_use
    own = not definition.system.startswith("EPSG:")
    return JobFrame(
        definition=definition,
        name="own projection" if system.name == "unknown" else system.name,
        datum=system.geodetic_crs.name if system.geodetic_crs else "",
        datum_name=datum_name_of(system),
        ellipsoid_name=_ellipsoid_name(system),
        area=None
        if area is None or own
        else Area(name=area.name or "", west_deg=area.west, south_deg=area.south, east_deg=area.east, north_deg=area.north),
        deprecated=bool(system.is_deprecated),
        metres_per_unit=system.axis_info[0].unit_conversion_factor,
        ellipsoid=ellipsoid_of(system),
    )
