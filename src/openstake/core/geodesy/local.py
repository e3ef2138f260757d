"""East, north and up at a point: the axes in which people judge a difference."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray


def enu_axes(latitude_deg: float, longitude_deg: float) -> NDArray[np.float64]:
    """Return the rotation whose rows are east, north and up in the Earth-centred frame, shape (3, 3)."""
    latitude, longitude = np.radians(latitude_deg), np.radians(longitude_deg)
    sin_lat, cos_lat, sin_lon, cos_lon = np.sin(latitude), np.cos(latitude), np.sin(longitude), np.cos(longitude)
    return np.array(
        [[-sin_lon, cos_lon, 0.0], [-sin_lat * cos_lon, -sin_lat * sin_lon, cos_lat], [cos_lat * cos_lon, cos_lat * sin_lon, sin_lat]]
    )


def enu_from_ecef_difference(difference_m: ArrayLike, latitude_deg: float, longitude_deg: float) -> NDArray[np.float64]:
    """Return an Earth-centred difference, shape (..., 3), as east, north, up in metres at the point given."""
    return np.asarray(np.asarray(difference_m, dtype=float) @ enu_axes(latitude_deg, longitude_deg).T)


def normal(latitude_deg: ArrayLike, longitude_deg: ArrayLike) -> NDArray[np.float64]:
    """Return the unit vectors along the ellipsoid's normal, upward, shape (..., 3)."""
    latitude, longitude = np.radians(latitude_deg), np.radians(longitude_deg)
    cos_lat = np.cos(latitude)
    return np.stack([cos_lat * np.cos(longitude), cos_lat * np.sin(longitude), np.sin(latitude)], axis=-1)
