"""What an NMEA log holds: epochs by status, the mean of the fixed ones, gaps; in flat memory."""

from __future__ import annotations

from array import array
from collections import Counter
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import partial

import numpy as np

from openstake.core.constants import DAY_S
from openstake.core.evidence import Epoch, Status
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic, geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes

GAP_FACTOR = 1.5
_MOST_GAPS = 1000


@dataclass(frozen=True, kw_only=True)
class FixedMean:
    """Plain mean of all fixed epochs, ellipsoidal height, with the scatter of one epoch (one sigma, n − 1)."""

    latitude_deg: float
    longitude_deg: float
    height_m: float
    sigma_east_m: float | None
    sigma_north_m: float | None
    sigma_up_m: float | None
    count: int


class _Scatter:
    """Running sums of positions about the first one, in its east, north and up."""

    def __init__(self) -> None:
        self.count = 0
        self._sum = np.zeros(3)
        self._sum_of_squares = np.zeros(3)
        self._pending: list[tuple[float, float, float]] = []
        self._origin: np.ndarray | None = None

    def add(self, latitude_deg: float, longitude_deg: float, height_m: float) -> None:
        self._pending.append((latitude_deg, longitude_deg, height_m))
        if len(self._pending) >= 4096:
            self._settle()

    def _settle(self) -> None:
        if not self._pending:
            return
        rows = np.array(self._pending)
        self._pending.clear()
        xyz = ecef_from_geodetic(rows[:, 0], rows[:, 1], rows[:, 2])
        if self._origin is None:
            self._origin = xyz[0]
            self._axes = enu_axes(rows[0, 0], rows[0, 1])
        enu = (xyz - self._origin) @ self._axes.T
        self.count += len(enu)
        self._sum += enu.sum(axis=0)
        self._sum_of_squares += (enu**2).sum(axis=0)

    def mean(self) -> FixedMean | None:
        self._settle()
        if self._origin is None:
            return None
        mean = self._sum / self.count
        latitude, longitude, height = geodetic_from_ecef(self._origin + mean @ self._axes)
        mean_of = partial(FixedMean, latitude_deg=float(latitude), longitude_deg=float(longitude), height_m=float(height), count=self.count)
        if self.count < 2:
            return mean_of(sigma_east_m=None, sigma_north_m=None, sigma_up_m=None)
        variance = (self._sum_of_squares - self.count * mean**2) / (self.count - 1)
        east, north, up = np.sqrt(np.maximum(variance, 0.0))
        return mean_of(sigma_east_m=float(east), sigma_north_m=float(north), sigma_up_m=float(up))


@dataclass(frozen=True)
class Gap:
    """A stretch without epochs, longer than 1.5 times the median step."""

    start: str
    end: str


class LogSummary:
    """Takes epochs in order and answers for all of them."""

    def __init__(self) -> None:
        self.by_status: Counter[str] = Counter({status.value: 0 for status in Status})
        self.epochs = 0
        self.backward = 0
        self._times = array("d")
        self._ages = array("f")
        self._satellites: Counter[int] = Counter()
        self._fixed = _Scatter()
        self._day = 0
        self._first_day: date | None = None

    def add(self, epoch: Epoch) -> None:
        """Take one epoch in."""
        self.epochs += 1
        self.by_status[epoch.status.value] += 1
        if epoch.time_of_day_s is not None:
            self._add_time(epoch.time_of_day_s)
            if epoch.date is not None and self._first_day is None:
                self._first_day = epoch.date - timedelta(days=self._day)
        if epoch.age_s is not None:
            self._ages.append(epoch.age_s)
        if epoch.satellites is not None:
            self._satellites[epoch.satellites] += 1
        if (
            epoch.status is Status.FIXED
            and epoch.latitude_deg is not None
            and epoch.longitude_deg is not None
            and epoch.height_m is not None
        ):
            self._fixed.add(epoch.latitude_deg, epoch.longitude_deg, epoch.height_m)

    def _add_time(self, time_of_day_s: float) -> None:
        if self._times:
            step = self._day * DAY_S + time_of_day_s - self._times[-1]
            if step < -DAY_S / 2:
                self._day += 1
            elif step < 0:
                self.backward += 1
        self._times.append(self._day * DAY_S + time_of_day_s)

    def moment(self, time_s: float) -> str:
        """Return a time as text: with the date where the log has one, else the time of day alone."""
        clock = (datetime(2000, 1, 1) + timedelta(seconds=round(time_s % DAY_S, 2))).strftime("%H:%M:%S.%f")[:11]
        if self._first_day is None:
            return clock
        return f"{self._first_day + timedelta(days=int(time_s // DAY_S))}T{clock}Z"

    @property
    def first(self) -> str | None:
        return self.moment(self._times[0]) if self._times else None

    @property
    def last(self) -> str | None:
        return self.moment(self._times[-1]) if self._times else None

    @property
    def last_s(self) -> float:
        """Seconds of the last epoch since the midnight before the first; 0 without one."""
        return self._times[-1] if self._times else 0.0

    @property
    def fixed(self) -> FixedMean | None:
        return self._fixed.mean()

    @property
    def age_median_max_s(self) -> tuple[float | None, float | None]:
        if not self._ages:
            return None, None
        ages = np.frombuffer(self._ages, dtype=np.float32)
        return round(float(np.median(ages)), 3), round(float(ages.max()), 3)

    @property
    def satellites_min_median(self) -> tuple[int | None, float | None]:
        if not self._satellites:
            return None, None
        values = np.array(sorted(self._satellites))
        counts = np.array([self._satellites[int(value)] for value in values])
        return int(values[0]), float(_weighted_median(values, counts))

    def gaps(self) -> list[Gap]:
        """Return the gaps in order, the first thousand of them."""
        times = np.frombuffer(self._times, dtype=np.float64)
        steps = np.diff(times)
        forward = steps[steps > 0]
        if not forward.size:
            return []
        limit = GAP_FACTOR * float(np.median(forward)) + 1e-6
        places = np.flatnonzero(steps > limit)[:_MOST_GAPS]
        return [Gap(self.moment(times[place]), self.moment(times[place + 1])) for place in places]


def _weighted_median(values: np.ndarray, counts: np.ndarray) -> float:
    """Return the median of values that occur `counts` times, sorted ascending."""
    total, reached = int(counts.sum()), np.cumsum(counts)
    lower = values[np.searchsorted(reached, (total - 1) // 2 + 1)]
    upper = values[np.searchsorted(reached, total // 2 + 1)]
    return (float(lower) + float(upper)) / 2.0
