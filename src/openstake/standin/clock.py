"""Simulated time: the host's, or a multiple of it counted from midnight so that separate processes agree."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime

from openstake.core.constants import DAY_S, GPS_MINUS_UTC_S, WEEK_S

_GPS_EPOCH_S = 315_964_800  # 1980-01-06 in Unix seconds


class SimClock:
    """Unix seconds that run `speed` times as fast as the host's, from its last midnight (UTC)."""

    def __init__(self, speed: float = 1.0, clock: Callable[[], float] = time.time) -> None:
        self.speed, self._clock = speed, clock
        self._anchor_s = clock() // DAY_S * DAY_S

    def now_s(self) -> float:
        return self._anchor_s + (self._clock() - self._anchor_s) * self.speed

    def ticks(self, step_s: float, stop: threading.Event) -> Iterator[float]:
        """Yield whole multiples of the step as they come due; those missed by more than a step are passed over."""
        due = math.ceil(self.now_s() / step_s)
        while not stop.is_set():
            late_s = self.now_s() - due * step_s
            if late_s < 0:
                stop.wait(min(-late_s / self.speed, 0.2))
                continue
            if late_s > max(step_s, 2.0 * self.speed):
                due = math.floor(self.now_s() / step_s)
            yield due * step_s
            due += 1


class PatientClock(SimClock):
    """A clock for stand-ins of one process: where that is held up, its time waits too, so that no epoch is lost by it.

    It falls behind the host's then, for good.  Each look moves it by the host time since the look before, at most 0.25 s.
    """

    _MOST_S = 0.25

    def __init__(self, speed: float = 1.0, clock: Callable[[], float] = time.time) -> None:
        super().__init__(speed, clock)
        self._lock = threading.Lock()
        self._looked_s = clock()
        self._now_s = super().now_s()

    def now_s(self) -> float:
        with self._lock:
            host_s = self._clock()
            self._now_s += min(max(host_s - self._looked_s, 0.0), self._MOST_S) * self.speed
            self._looked_s = host_s
            return self._now_s


def gps_time_of_week_s(unix_s: float) -> float:
    """Return GPS seconds of the week of a Unix time."""
    return (unix_s - _GPS_EPOCH_S + GPS_MINUS_UTC_S) % WEEK_S


def moment_of(unix_s: float) -> datetime:
    return datetime.fromtimestamp(round(unix_s, 3), UTC).replace(tzinfo=None)
