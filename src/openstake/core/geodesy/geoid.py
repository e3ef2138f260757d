"""Geoid grids: from ellipsoidal heights to elevations and back.  Without a grid, or outside it, there is no elevation.

N, the height of the geoid above the ellipsoid, is bilinear between the grid's nodes.  h = H + N: ellipsoidal height,
elevation.  PROJ reads the grids and interpolates; it would pass the height on where there is no grid, this module does not.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import pyproj
from numpy.typing import ArrayLike, NDArray

from openstake.core.geodesy.systems import Area
from openstake.core.limits import MOST_UNDULATION_M


@dataclass(frozen=True, kw_only=True)
class GeoidGrid:
    """A grid file, by a path that PROJ reads as one, with what it covers and how far apart its nodes are (minutes of arc)."""

    path: str
    area: Area
    latitude_step_min: float
    longitude_step_min: float

    def undulation_m(self, latitude_deg: ArrayLike, longitude_deg: ArrayLike) -> NDArray[np.float64]:
        """Return N in metres, broadcast; NaN outside the grid and where it holds nothing."""
        value = self.values_m(latitude_deg, longitude_deg)
        return np.where(np.isfinite(value) & (np.abs(value) < MOST_UNDULATION_M), value, np.nan)

    def values_m(self, latitude_deg: ArrayLike, longitude_deg: ArrayLike) -> NDArray[np.float64]:
        """Return what the grid holds, as it is, broadcast; pyproj's ProjError where PROJ cannot read it."""
        latitude, longitude = np.broadcast_arrays(np.asarray(latitude_deg, dtype=float), np.asarray(longitude_deg, dtype=float))
        _, _, value = _shift(self.path).transform(longitude, latitude, np.zeros(latitude.shape))
        return np.asarray(value)


@lru_cache(maxsize=16)
def _shift(path: str) -> pyproj.Transformer:
    return pyproj.Transformer.from_pipeline(f'+proj=vgridshift +grids="{path}" +multiplier=1')


def ellipsoidal_from_elevation(
    grid: GeoidGrid | None, latitude_deg: ArrayLike, longitude_deg: ArrayLike, elevation_m: ArrayLike
) -> NDArray[np.float64]:
    """Return h = H + N in metres; NaN without a grid and outside it, never the height as it came."""
    if grid is None:
        return np.full(np.broadcast(latitude_deg, longitude_deg, elevation_m).shape, np.nan)
    return np.asarray(elevation_m, dtype=float) + grid.undulation_m(latitude_deg, longitude_deg)


def elevation_from_ellipsoidal(
    grid: GeoidGrid | None, latitude_deg: ArrayLike, longitude_deg: ArrayLike, height_m: ArrayLike
) -> NDArray[np.float64]:
    """Return H = h - N in metres; NaN without a grid and outside it."""
    if grid is None:
        return np.full(np.broadcast(latitude_deg, longitude_deg, height_m).shape, np.nan)
    return np.asarray(height_m, dtype=float) - grid.undulation_m(latitude_deg, longitude_deg)
