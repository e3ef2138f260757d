"""The stand-ins' time: epochs on whole steps of a clock."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import UTC, datetime

from openstake.core.constants import GPS_MINUS_UTC_S, WEEK_S
from openstake.live.clock import Clock, Event

_GPS_EPOCH_S = 315_964_800  # 1980-01-06 in Unix seconds
_LOOKS_EVERY_S = 0.5
_MOST_LATE_S = 2.0  # by the host's clock


def ticks(clock: Clock, step_s: float, stop: Event) -> Iterator[float]:
    """Yield whole multiples of the step, Unix seconds, as they come due; those missed by more than a step are passed over.

    Where the clock is put on or back, the next one is that of the clock's new time.  A clock that runs faster than the host
    waits for whoever takes them: on a busy machine it is slower, and no epoch is lost.
    """
    due = math.ceil(clock.now() / step_s)
    try:
        while not stop.is_set():
            clock.hold(stop, (due + 1) * step_s)
            late_s = clock.now() - due * step_s
            if late_s < -2.0 * step_s:
                due = math.ceil(clock.now() / step_s)
                continue
            if late_s < 0:
                stop.wait(min(-late_s, _LOOKS_EVERY_S))
                continue
            if clock.host_s(late_s) > max(clock.host_s(step_s), _MOST_LATE_S):
                due = math.floor(clock.now() / step_s)
            yield due * step_s
            due += 1
    finally:
        clock.hold(stop, None)


def gps_time_of_week_s(unix_s: float) -> float:
    """Return GPS seconds of the week of a Unix time."""
    return (unix_s - _GPS_EPOCH_S + GPS_MINUS_UTC_S) % WEEK_S


def moment_of(unix_s: float) -> datetime:
    return datetime.fromtimestamp(round(unix_s, 3), UTC).replace(tzinfo=None)
