"""Broadcast orbits and clocks of GPS: where a satellite was, by its own word."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import atan2, cos, hypot, sin, sqrt

import numpy as np
from numpy.typing import NDArray

from openstake.core.constants import EARTH_GM_M3_S2, EARTH_ROTATION_RAD_S, RELATIVITY_S_PER_SQRT_M, WEEK_S
from openstake.core.limits import EPHEMERIS_HOLDS_S
from openstake.core.sky.orbits import eccentric_anomaly_rad

_LAST_S = 10_000 * WEEK_S  # in the year 2171


@dataclass(frozen=True, kw_only=True)
class Ephemeris:
    """One broadcast message of a GPS satellite: radians, metres, seconds; times in seconds since 1980-01-06, GPS time."""

    satellite: str
    clock_time_s: float
    clock_s: float
    clock_rate: float
    clock_drift_per_s: float
    orbit_time_s: float
    sqrt_semi_major_axis: float
    eccentricity: float
    inclination_rad: float
    inclination_rate_rad_s: float
    node_rad: float
    node_rate_rad_s: float
    perigee_rad: float
    mean_anomaly_rad: float
    motion_difference_rad_s: float
    cos_radius_m: float
    sin_radius_m: float
    cos_latitude_rad: float
    sin_latitude_rad: float
    cos_inclination_rad: float
    sin_inclination_rad: float
    group_delay_s: float
    health: float


def is_possible(ephemeris: Ephemeris) -> bool:
    """Tell whether a message can be one of a satellite: IS-GPS-200, table 20-III, gives the ranges of its numbers.

    The square root of the semi-major axis is 2530 to 8192 √m, the eccentricity 0 to 0.03, times lie within the weeks since
    1980.
    """
    e = ephemeris
    return (
        2530.0 <= e.sqrt_semi_major_axis <= 8192.0
        and 0.0 <= e.eccentricity <= 0.03
        and 0.0 <= e.orbit_time_s < _LAST_S
        and 0.0 <= e.clock_time_s < _LAST_S
        and abs(e.clock_s) < 1.0
    )


@dataclass(frozen=True)
class SatelliteState:
    """Where a satellite is, Earth-fixed metres at that moment, and how far its clock is ahead, seconds."""

    xyz_m: NDArray[np.float64]
    clock_s: float


def satellite_state(ephemeris: Ephemeris, gps_s: float) -> SatelliteState:
    """Return position (antenna phase centre, WGS 84) and clock of a satellite at a GPS time.

    Source: IS-GPS-200, table 20-IV and section 20.3.3.3.3.1; the clock holds for two frequencies (no group delay).
    """
    e = ephemeris
    a = e.sqrt_semi_major_axis**2
    elapsed = gps_s - e.orbit_time_s
    motion = sqrt(EARTH_GM_M3_S2 / a**3) + e.motion_difference_rad_s
    anomaly = float(eccentric_anomaly_rad(e.mean_anomaly_rad + motion * elapsed, e.eccentricity))
    true_anomaly = atan2(sqrt(1.0 - e.eccentricity**2) * sin(anomaly), cos(anomaly) - e.eccentricity)
    argument = true_anomaly + e.perigee_rad
    double_cos, double_sin = cos(2.0 * argument), sin(2.0 * argument)
    argument += e.cos_latitude_rad * double_cos + e.sin_latitude_rad * double_sin
    radius = a * (1.0 - e.eccentricity * cos(anomaly)) + e.cos_radius_m * double_cos + e.sin_radius_m * double_sin
    inclination = (
        e.inclination_rad + e.inclination_rate_rad_s * elapsed + e.cos_inclination_rad * double_cos + e.sin_inclination_rad * double_sin
    )
    # The node is counted from Greenwich at the start of the week of the orbit's time.
    node = e.node_rad + (e.node_rate_rad_s - EARTH_ROTATION_RAD_S) * elapsed - EARTH_ROTATION_RAD_S * (e.orbit_time_s % WEEK_S)
    along, across = radius * cos(argument), radius * sin(argument)
    xyz = np.array(
        [
            along * cos(node) - across * cos(inclination) * sin(node),
            along * sin(node) + across * cos(inclination) * cos(node),
            across * sin(inclination),
        ]
    )
    since = gps_s - e.clock_time_s
    clock = e.clock_s + e.clock_rate * since + e.clock_drift_per_s * since**2
    clock += RELATIVITY_S_PER_SQRT_M * e.eccentricity * e.sqrt_semi_major_axis * sin(anomaly)
    return SatelliteState(xyz, clock)


def best_ephemeris(ephemerides: Sequence[Ephemeris], gps_s: float) -> Ephemeris | None:
    """Return the healthy message of one satellite nearest in time, None where none holds."""
    usable = [item for item in ephemerides if item.health == 0.0 and abs(gps_s - item.orbit_time_s) <= EPHEMERIS_HOLDS_S]
    return min(usable, key=lambda item: abs(gps_s - item.orbit_time_s)) if usable else None


def turned_during_travel(xyz_m: NDArray[np.float64], travel_s: float) -> NDArray[np.float64]:
    """Return a satellite's position at sending in the Earth-fixed axes of the moment of receiving."""
    angle = EARTH_ROTATION_RAD_S * travel_s
    x, y, z = (float(value) for value in xyz_m)
    return np.array([cos(angle) * x + sin(angle) * y, cos(angle) * y - sin(angle) * x, z])


def distance_m(first: NDArray[np.float64], second: NDArray[np.float64]) -> float:
    """Return the straight distance of two points, metres."""
    dx, dy, dz = (float(value) for value in first - second)
    return hypot(dx, dy, dz)
