"""Kepler orbits from nominal constellation elements: a sky to practise under, not an almanac.

No perturbation is modelled: against the real sky the error grows by some kilometres an hour, mostly the Earth's
flattening turning the plane.  That is fine for a simulated sky, and wrong for planning a real day.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.constants import EARTH_GM_M3_S2, EARTH_ROTATION_RAD_S


@dataclass(frozen=True, kw_only=True)
class Elements:
    """Kepler elements at one time, Earth-centred inertial: metres and radians, one value a satellite, shape (n,)."""

    semi_major_axis_m: NDArray[np.float64]
    eccentricity: NDArray[np.float64]
    inclination_rad: NDArray[np.float64]
    node_rad: NDArray[np.float64]
    perigee_rad: NDArray[np.float64]
    mean_anomaly_rad: NDArray[np.float64]


def eccentric_anomaly_rad(mean_anomaly_rad: ArrayLike, eccentricity: ArrayLike) -> NDArray[np.float64]:
    """Return Kepler's E of M = E − e sin E, in radians, for closed orbits (e < 0.9)."""
    mean, e = np.broadcast_arrays(np.asarray(mean_anomaly_rad, dtype=float), np.asarray(eccentricity, dtype=float))
    anomaly = mean + e * np.sin(mean)
    for _ in range(12):
        step = (anomaly - e * np.sin(anomaly) - mean) / (1.0 - e * np.cos(anomaly))
        anomaly = anomaly - step
        # A step doubles the digits: after one this small nothing is left to be gained.  An orbit that is none (NaN) ends so, too.
        if not np.any(np.abs(step) > 1e-9):
            break
    return np.asarray(anomaly)


def inertial_positions_m(elements: Elements, elapsed_s: ArrayLike) -> NDArray[np.float64]:
    """Return Earth-centred inertial positions, shape (n, 3), `elapsed_s` after the elements' time.

    Source: IS-GPS-200, table 20-IV, without the correction terms.
    """
    a, e = elements.semi_major_axis_m, elements.eccentricity
    anomaly = eccentric_anomaly_rad(elements.mean_anomaly_rad + np.sqrt(EARTH_GM_M3_S2 / a**3) * np.asarray(elapsed_s), e)
    along, across = a * (np.cos(anomaly) - e), a * np.sqrt(1.0 - e * e) * np.sin(anomaly)
    latitude_argument = np.arctan2(across, along) + elements.perigee_rad
    radius = np.hypot(along, across)
    in_plane, out = radius * np.cos(latitude_argument), radius * np.sin(latitude_argument)
    cos_node, sin_node, cos_i = np.cos(elements.node_rad), np.sin(elements.node_rad), np.cos(elements.inclination_rad)
    return np.stack(
        [
            in_plane * cos_node - out * cos_i * sin_node,
            in_plane * sin_node + out * cos_i * cos_node,
            out * np.sin(elements.inclination_rad),
        ],
        axis=-1,
    )


def rotated_with_earth(positions_m: NDArray[np.float64], angle_rad: ArrayLike) -> NDArray[np.float64]:
    """Return positions, shape (n, 3), in axes turned eastward by the Earth's rotation angle."""
    cos, sin = np.cos(angle_rad), np.sin(angle_rad)
    x, y, z = positions_m[..., 0], positions_m[..., 1], positions_m[..., 2]
    return np.stack([cos * x + sin * y, cos * y - sin * x, z], axis=-1)


def earth_fixed_positions_m(elements: Elements, elapsed_s: ArrayLike, rotation_at_start_rad: float) -> NDArray[np.float64]:
    """Return Earth-fixed positions, shape (n, 3); `rotation_at_start_rad` is the sidereal angle at the elements' time."""
    angle = rotation_at_start_rad + EARTH_ROTATION_RAD_S * np.asarray(elapsed_s)
    return rotated_with_earth(inertial_positions_m(elements, elapsed_s), angle)
