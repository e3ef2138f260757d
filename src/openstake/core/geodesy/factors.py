"""From distances on the ground to distances in the grid: scale, height and both together."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.geodesy.ellipsoid import WGS84, Ellipsoid, gaussian_radius_m
from openstake.core.geodesy.frames import JobFrame


@dataclass(frozen=True, kw_only=True)
class GridFactors:
    """What a distance is multiplied by at one place.  Grid distance = ground distance x `combined_factor`.

    `grid_scale` is the mean of meridian and parallel (one value in a conformal projection: `conformal` says so).
    `convergence_deg` is positive where grid north lies east of true north.
    """

    grid_scale: float
    conformal: bool
    convergence_deg: float
    elevation_factor: float
    combined_factor: float


def elevation_factor(height_m: float, latitude_deg: float, ellipsoid: Ellipsoid = WGS84) -> float:
    """Return what reduces a distance at an ellipsoidal height (metres) to the ellipsoid: 1 - 157 ppm at 1000 m.

    R / (R + h) with the mean radius of curvature.  Source: NOAA Manual NOS NGS 5, section 4.2.
    """
    radius_m = gaussian_radius_m(latitude_deg, ellipsoid)
    return radius_m / (radius_m + height_m)


def grid_factors(frame: JobFrame, latitude_deg: float, longitude_deg: float, height_m: float) -> GridFactors:
    """Return the factors at a place (degrees in the job's datum, ellipsoidal height in metres)."""
    found = frame.factors(latitude_deg, longitude_deg)
    scale = (found.meridional_scale + found.parallel_scale) / 2.0
    height = elevation_factor(height_m, latitude_deg, frame.ellipsoid)
    conformal = abs(found.meridional_scale - found.parallel_scale) < 1e-8
    return GridFactors(
        grid_scale=scale,
        conformal=conformal,
        convergence_deg=found.convergence_deg,
        elevation_factor=height,
        combined_factor=scale * height,
    )


def ppm(factor: float) -> float:
    """Return a factor's distance from 1 in parts per million: 0.9996 is -400."""
    return (factor - 1.0) * 1e6
