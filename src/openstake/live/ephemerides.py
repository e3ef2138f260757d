"""Which of the ephemerides that a base sends are kept: it repeats each every few seconds for hours."""

from __future__ import annotations

from openstake.core.limits import HEARD_AGAIN_S, MOST_HEARD_EPHEMERIDES
from openstake.core.time_scales import gps_from_unix_s
from openstake.wire.rtcm3.ephemeris import decode_ephemeris

_REMEMBERED = 400  # messages that are known at sight: one for each satellite, and those before them


class HeardEphemerides:
    """What one session has heard: of each satellite one for every half an hour and state of health, and not more than a day brings."""

    def __init__(self) -> None:
        self._known: dict[bytes, None] = {}
        self._kept: dict[str, tuple[float, float]] = {}
        self._count = 0

    def is_new(self, payload: bytes, host_s: float) -> bool:
        """Tell whether a message says something that is not kept yet; what cannot be read, or is not of this time, is not taken."""
        if payload in self._known or self._count >= MOST_HEARD_EPHEMERIDES:
            return False
        self._known[payload] = None
        if len(self._known) > _REMEMBERED:
            self._known.pop(next(iter(self._known)))
        try:
            message = decode_ephemeris(payload, gps_from_unix_s(host_s))
        except ValueError:
            return False
        if message is None:
            return False
        before = self._kept.get(message.satellite)
        if before is not None and before[1] == message.health and abs(message.orbit_time_s - before[0]) < HEARD_AGAIN_S:
            return False
        self._kept[message.satellite] = message.orbit_time_s, message.health
        self._count += 1
        return True
