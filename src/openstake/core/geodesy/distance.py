"""How far two places lie apart over the ground."""

from __future__ import annotations

from functools import cache

import pyproj


@cache
def _ellipsoid() -> pyproj.Geod:
    return pyproj.Geod(ellps="WGS84")


def geodesic_m(from_deg: tuple[float, float], to_deg: tuple[float, float]) -> float:
    """Return the geodesic between two places (latitude, longitude in degrees) on WGS 84, metres."""
    _, _, metres = _ellipsoid().inv(from_deg[1], from_deg[0], to_deg[1], to_deg[0])
    return float(metres)
