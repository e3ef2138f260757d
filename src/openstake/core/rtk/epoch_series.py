"""Epochs as points of a series: with a time that only grows, and an Earth-centred place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.constants import DAY_S
from openstake.core.evidence import Epoch, Status
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.limits import CLOCK_LEAP_S
from openstake.core.sigmas import principal_sigmas_m


@dataclass(frozen=True, slots=True, kw_only=True)
class Fix:
    """One epoch of a rover: seconds that grow over midnight, Earth-centred metres (NaN without a position, shape (3,)).

    `sigma_horizontal_m` is the major axis of the receiver's claim; NaN where it claims nothing.
    """

    time_s: float
    status: Status
    xyz_m: NDArray[np.float64]
    sigma_horizontal_m: float
    sigma_up_m: float
    speed_mps: float | None
    age_s: float | None
    claim_m: tuple[float, float, float] | None = None  # one sigma in east, north, up
    station: int | None = None

    @property
    def has_place(self) -> bool:
        return bool(np.isfinite(self.xyz_m[0]))


class Clock:
    """Turns times of day into seconds that grow over midnight; `went_back` counts the steps back and the leaps.

    A clock that is set, or a receiver whose first epochs have another time, must not look like a gap of hours: after a leap
    the series goes on with the step it had.
    """

    def __init__(self) -> None:
        self._last_of_day_s: float | None = None
        self._host_s: float | None = None
        self._now_s = 0.0
        self.went_back = 0
        self.leaps = 0

    def seconds(self, time_of_day_s: float | None, host_s: float | None = None) -> float:
        """Return the time of an epoch; `host_s` tells a gap from a leap where it is known."""
        if time_of_day_s is None or self._last_of_day_s is None:
            self._now_s += 0.0 if self._last_of_day_s is None else _UNKNOWN_STEP_S
            if time_of_day_s is not None:
                self._last_of_day_s, self._now_s = time_of_day_s, max(self._now_s, time_of_day_s)
            self._host_s = host_s
            return self._now_s
        step_s = (time_of_day_s - self._last_of_day_s + DAY_S / 2) % DAY_S - DAY_S / 2
        real_s = None if host_s is None or self._host_s is None else host_s - self._host_s
        if step_s <= 0.0:
            self.went_back += step_s < 0.0
            step_s = _UNKNOWN_STEP_S if real_s is None else max(real_s, _UNKNOWN_STEP_S)
        elif real_s is not None and step_s - real_s > CLOCK_LEAP_S:
            self.leaps += 1
            step_s = max(real_s, _UNKNOWN_STEP_S)
        self._last_of_day_s, self._host_s = time_of_day_s, host_s
        self._now_s += step_s
        return self._now_s


_UNKNOWN_STEP_S = 0.001


def fix_of(epoch: Epoch, time_s: float) -> Fix:
    """Return an epoch as a point of a series."""
    place = np.full(3, np.nan)
    if epoch.latitude_deg is not None and epoch.longitude_deg is not None and epoch.height_m is not None:
        place = ecef_from_geodetic(epoch.latitude_deg, epoch.longitude_deg, epoch.height_m)
    claim = epoch.claim
    if claim is None:
        flat, up = np.nan, np.nan
    else:
        flat, up = principal_sigmas_m(claim.east_m, claim.north_m, claim.covariance_en_m2)[0], claim.up_m
    return Fix(
        time_s=time_s,
        status=epoch.status,
        xyz_m=place,
        sigma_horizontal_m=float(flat),
        sigma_up_m=float(up),
        speed_mps=epoch.speed_mps,
        age_s=epoch.age_s,
        claim_m=None if claim is None else (claim.east_m, claim.north_m, claim.up_m),
        station=epoch.station_id,
    )
