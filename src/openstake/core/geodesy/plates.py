"""How far plate-fixed frames have drifted from the global one: what a coordinate in the wrong frame is off by."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pyproj
import pyproj.transformer
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import FrameError
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef

_GLOBAL = "EPSG:7789"  # ITRF2014, geocentric
# Frames that move with a plate, geocentric; operations between them are Helmert with rates and need no grid.
_PLATE_FIXED = {"ETRS89 (ETRF2014)": "EPSG:8401", "NAD83(2011)": "EPSG:6317", "GDA2020": "EPSG:7842"}


@lru_cache
def _operation(code: str) -> tuple[pyproj.Transformer, tuple[float, float, float, float]]:
    """Return PROJ's best operation into a frame, and the frame's bounds (west, south, east, north, degrees)."""
    # The first of the group: a plain Transformer picks between realisations of one operation only when it is called.
    group = pyproj.transformer.TransformerGroup(_GLOBAL, code, always_xy=True, allow_ballpark=False)
    area = pyproj.CRS(code).area_of_use
    if area is None:
        raise FrameError(f"PROJ's database has no area for {code}.")
    return group.transformers[0], area.bounds


_YEAR_S = 365.25 * 86_400.0


def year_of(unix_s: float) -> float:
    """Return a moment, Unix seconds, as a decimal year."""
    return 1970.0 + unix_s / _YEAR_S


def frame_shifts_m(xyz_m: ArrayLike, year: float) -> dict[str, NDArray[np.float64]]:
    """Return what taking global coordinates for plate-fixed ones does, Earth-centred metres, by frame.

    `xyz_m` is a place, shape (3,); `year` the date in decimal years.  Each value is plate-fixed − global (ITRF2014): 0.8 m
    in Ireland in 2026, 2 m in North America.  Only frames whose area holds the place are returned.

    Source: EPSG dataset's operations through PROJ, ballpark ones refused.
    """
    xyz = np.asarray(xyz_m, dtype=float)
    latitude, longitude, _ = (float(value) for value in geodetic_from_ecef(xyz))
    found = {}
    for name, code in _PLATE_FIXED.items():
        operation, bounds = _operation(code)
        if not _holds(bounds, latitude, longitude):
            continue
        moved = np.array(operation.transform(xyz[0], xyz[1], xyz[2], year)[:3])
        if np.isfinite(moved).all():
            found[name] = moved - xyz
    return found


def _holds(bounds: tuple[float, float, float, float], latitude_deg: float, longitude_deg: float) -> bool:
    west, south, east, north = bounds
    if not south <= latitude_deg <= north:
        return False
    if west <= east:
        return west <= longitude_deg <= east
    return longitude_deg >= west or longitude_deg <= east
