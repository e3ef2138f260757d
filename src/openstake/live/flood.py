"""What a feed may send: more is read more slowly, thinned and said, so that one broken device takes neither memory nor disk."""

from __future__ import annotations

from math import inf

from openstake.live.clock import Clock

MOST_BYTES_PER_S = 1 << 20  # a receiver at 100 Hz sends a twentieth of it
MOST_EPOCHS_PER_S = 100


class Throttle:
    """Says how long to wait before reading on, so that no more than so many bytes a second are read."""

    def __init__(self, clock: Clock, bytes_per_s: float = MOST_BYTES_PER_S) -> None:
        self._rate, self._clock = bytes_per_s, clock
        self._since_s, self._allowed = clock.monotonic(), bytes_per_s
        self.held_back = False

    def wait_s(self, count: int) -> float:
        """Take `count` bytes as read and return how long to wait before the next."""
        if self._rate == inf:
            return 0.0
        now = self._clock.monotonic()
        self._allowed = min(self._rate, self._allowed + (now - self._since_s) * self._rate) - count
        self._since_s = now
        self.held_back = self._allowed < 0.0
        return max(0.0, -self._allowed / self._rate)


class Thinning:
    """Lets so many epochs of each second through and counts the others."""

    def __init__(self, per_s: float = MOST_EPOCHS_PER_S) -> None:
        self._most, self._second, self._count = per_s, 0, 0
        self.left_out = 0

    def take(self, host_s: float) -> bool:
        """Tell whether an epoch that came now is kept."""
        if int(host_s) != self._second:
            self._second, self._count = int(host_s), 0
        self._count += 1
        if self._count <= self._most:
            return True
        self.left_out += 1
        return False
