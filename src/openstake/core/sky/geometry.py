"""Azimuth, elevation, range and dilution of precision."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.constants import EARTH_ROTATION_RAD_S, SPEED_OF_LIGHT_M_S
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes
from openstake.core.sky.orbits import rotated_with_earth


def azimuth_elevation_deg(satellites_m: ArrayLike, receiver_m: ArrayLike) -> NDArray[np.float64]:
    """Return azimuth (clockwise from north, 0…360) and elevation in degrees, (..., 2), of Earth-fixed places (..., 3)."""
    receiver = np.asarray(receiver_m, dtype=float)
    latitude_deg, longitude_deg, _ = geodetic_from_ecef(receiver)
    enu = (np.asarray(satellites_m) - receiver) @ enu_axes(float(latitude_deg), float(longitude_deg)).T
    azimuth = np.degrees(np.arctan2(enu[..., 0], enu[..., 1])) % 360.0
    elevation = np.degrees(np.arctan2(enu[..., 2], np.hypot(enu[..., 0], enu[..., 1])))
    return np.stack([azimuth, elevation], axis=-1)


def signal_range_m(satellites_m: NDArray[np.float64], receiver_m: ArrayLike) -> NDArray[np.float64]:
    """Return the path of the signal from Earth-fixed positions at reception, shape (n,), in metres.

    While the signal travels (about 0.07 s) the Earth turns by some 30 m at the equator: the satellite is taken
    back by that angle.  Its own motion in that time is not (the positions are those of the time of sending).
    """
    receiver = np.asarray(receiver_m, dtype=float)
    travel_s = np.linalg.norm(satellites_m - receiver, axis=-1) / SPEED_OF_LIGHT_M_S
    return np.asarray(np.linalg.norm(rotated_with_earth(satellites_m, EARTH_ROTATION_RAD_S * travel_s) - receiver, axis=-1))


@dataclass(frozen=True, kw_only=True)
class Dop:
    """Dilution of precision, no unit: what the geometry multiplies a range error by."""

    gdop: float
    pdop: float
    hdop: float
    vdop: float
    tdop: float


def dop(azimuth_deg: ArrayLike, elevation_deg: ArrayLike) -> Dop | None:
    """Return the dilutions of satellites at these directions, one clock for all; None with fewer than four.

    Source: any text on GNSS; rows of the design matrix are (−e, −n, −u, 1).
    """
    azimuth, elevation = np.radians(np.asarray(azimuth_deg)), np.radians(np.asarray(elevation_deg))
    if azimuth.size < 4:
        return None
    design = np.stack(
        [-np.cos(elevation) * np.sin(azimuth), -np.cos(elevation) * np.cos(azimuth), -np.sin(elevation), np.ones_like(azimuth)], axis=-1
    )
    normal_matrix = design.T @ design
    if np.linalg.cond(normal_matrix) > 1e10:
        return None
    east, north, up, time = np.diag(np.linalg.inv(normal_matrix))
    return Dop(
        gdop=float(np.sqrt(east + north + up + time)),
        pdop=float(np.sqrt(east + north + up)),
        hdop=float(np.sqrt(east + north)),
        vdop=float(np.sqrt(up)),
        tdop=float(np.sqrt(time)),
    )
