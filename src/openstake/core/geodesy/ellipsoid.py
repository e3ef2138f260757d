"""Latitude, longitude and ellipsoidal height to Earth-centred coordinates and back."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray


@dataclass(frozen=True)
class Ellipsoid:
    """An ellipsoid of revolution by its equatorial radius in metres and its flattening."""

    equatorial_radius_m: float
    flattening: float

    @property
    def eccentricity_squared(self) -> float:
        return self.flattening * (2.0 - self.flattening)


# NMEA and the decoded RTCM reference are both read on WGS 84 (NMEA 0183, GGA); GRS 80 differs by 0.1 mm at the poles.
WGS84 = Ellipsoid(6378137.0, 1.0 / 298.257223563)
GRS80 = Ellipsoid(6378137.0, 1.0 / 298.257222101)


def ecef_from_geodetic(
    latitude_deg: ArrayLike, longitude_deg: ArrayLike, height_m: ArrayLike, ellipsoid: Ellipsoid = WGS84
) -> NDArray[np.float64]:
    """Return Earth-centred X, Y, Z in metres, shape (..., 3), of points above the ellipsoid.

    `height_m` is ellipsoidal.  Source: EPSG Guidance Note 7-2, method 9602.
    """
    latitude = np.radians(np.asarray(latitude_deg, dtype=float))
    longitude = np.radians(np.asarray(longitude_deg, dtype=float))
    height = np.asarray(height_m, dtype=float)
    e2 = ellipsoid.eccentricity_squared
    # Radius of curvature in the prime vertical: 6378 km at the equator, 6400 km at a pole.
    nu = ellipsoid.equatorial_radius_m / np.sqrt(1.0 - e2 * np.sin(latitude) ** 2)
    return np.stack(
        np.broadcast_arrays(
            (nu + height) * np.cos(latitude) * np.cos(longitude),
            (nu + height) * np.cos(latitude) * np.sin(longitude),
            (nu * (1.0 - e2) + height) * np.sin(latitude),
        ),
        axis=-1,
    )


def geodetic_from_ecef(xyz_m: ArrayLike, ellipsoid: Ellipsoid = WGS84) -> NDArray[np.float64]:
    """Return latitude (deg), longitude (deg) and ellipsoidal height (m), shape (..., 3).

    `xyz_m` has shape (..., 3).  The centre of the Earth gives NaN.  Three of Bowring's steps reach a
    micrometre from 5000 km below the surface to far above the satellites.

    Source: B. R. Bowring, Survey Review 23 (181), 1976.
    """
    xyz = np.asarray(xyz_m, dtype=float)
    x, y, z = xyz[..., 0], xyz[..., 1], xyz[..., 2]
    a, f, e2 = ellipsoid.equatorial_radius_m, ellipsoid.flattening, ellipsoid.eccentricity_squared
    b = a * (1.0 - f)
    ring = np.hypot(x, y)
    reduced = np.arctan2(z * a, ring * b)
    for _ in range(3):
        latitude = np.arctan2(z + e2 / (1.0 - e2) * b * _power(np.sin(reduced), 3), ring - e2 * a * _power(np.cos(reduced), 3))
        reduced = np.arctan2((1.0 - f) * np.sin(latitude), np.cos(latitude))
    sin, cos = np.sin(latitude), np.cos(latitude)
    # Distance along the normal without dividing by cos(latitude): holds at the poles.
    height = ring * cos + z * sin - a * np.sqrt(1.0 - e2 * _power(sin, 2))
    result = np.stack([np.degrees(latitude), np.degrees(np.arctan2(y, x)), height], axis=-1)
    return np.where((ring == 0.0)[..., None] & (z == 0.0)[..., None], np.nan, result)


def _power(values: NDArray[np.float64], exponent: int) -> NDArray[np.float64]:
    """Return powers, the same bits for one value as among many: NumPy's power of an array rounds otherwise than C's of one."""
    return np.array([value**exponent for value in np.ravel(values).tolist()]).reshape(np.shape(values))


def radii_of_curvature_m(latitude_deg: float, ellipsoid: Ellipsoid = WGS84) -> tuple[float, float]:
    """Return the radii of curvature of the meridian and of the prime vertical at a latitude, in metres.

    Source: EPSG Guidance Note 7-2, section 1.1.
    """
    e2 = ellipsoid.eccentricity_squared
    squared = 1.0 - e2 * np.sin(np.radians(latitude_deg)) ** 2
    prime_vertical_m = ellipsoid.equatorial_radius_m / np.sqrt(squared)
    return float(prime_vertical_m * (1.0 - e2) / squared), float(prime_vertical_m)


def gaussian_radius_m(latitude_deg: float, ellipsoid: Ellipsoid = WGS84) -> float:
    """Return the mean radius of curvature of all directions at a latitude, in metres (6357 km at the equator, 6400 at a pole).

    It is the square root of the meridian's radius times the prime vertical's.
    """
    meridian_m, prime_vertical_m = radii_of_curvature_m(latitude_deg, ellipsoid)
    return float(np.sqrt(meridian_m * prime_vertical_m))
