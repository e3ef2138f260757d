"""The base over its mark: what the antenna's position is meant to be, and how a receiver's own position is averaged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import InputError
from openstake.core.evidence import Epoch, Status
from openstake.core.geodesy.ellipsoid import WGS84, ecef_from_geodetic, geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes
from openstake.core.vector import lifted

# An autonomous position is off by 1.5 to 5 m however long it is averaged (common practice, no source).
AUTONOMOUS_ACCURACY_95_M = 5.0


def meant_arp_ecef(mark_ecef_m: ArrayLike, arp_height_m: float) -> NDArray[np.float64]:
    """Return where the antenna reference point is meant to be: the mark, lifted along its normal; metres."""
    return lifted(mark_ecef_m, arp_height_m)


@dataclass(frozen=True)
class ReportedAverage:
    """The average of what a receiver reports of itself, Earth-centred, in metres, with its spread as one sigma."""

    xyz_m: tuple[float, float, float]
    count: int
    spread_east_m: float
    spread_north_m: float
    spread_up_m: float
    lowest_status: Status


_STATUS_ORDER = (Status.SINGLE, Status.OTHER, Status.DGPS, Status.FLOAT, Status.FIXED)


def average_of_epochs(epochs: Sequence[Epoch]) -> ReportedAverage:
    """Return the mean position of the epochs that hold one.

    Averaging lowers noise and leaves the bias: the spread says nothing of how far off an autonomous position is.
    """
    usable = [
        (epoch.latitude_deg, epoch.longitude_deg, epoch.height_m, epoch.status)
        for epoch in epochs
        if epoch.latitude_deg is not None
        and epoch.longitude_deg is not None
        and epoch.height_m is not None
        and epoch.status is not Status.NONE
    ]
    if not usable:
        raise InputError("The receiver reports no position yet, so there is nothing to average. Wait for the sky.")
    rows = np.array([row[:3] for row in usable], dtype=float)
    xyz = ecef_from_geodetic(rows[:, 0], rows[:, 1], rows[:, 2], WGS84)
    mean = xyz[0] + np.mean(xyz - xyz[0], axis=0)
    latitude_deg, longitude_deg, _ = geodetic_from_ecef(mean)
    enu = (xyz - mean) @ enu_axes(float(latitude_deg), float(longitude_deg)).T
    spread = np.std(enu, axis=0, ddof=1) if len(usable) > 1 else np.zeros(3)
    return ReportedAverage(
        (float(mean[0]), float(mean[1]), float(mean[2])),
        len(usable),
        float(spread[0]),
        float(spread[1]),
        float(spread[2]),
        min((row[3] for row in usable), key=_STATUS_ORDER.index),
    )
