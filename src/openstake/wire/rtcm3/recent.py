"""What a live stream holds now: each message's latest interval and the satellites sent, in flat memory."""

from __future__ import annotations

from collections import deque
from itertools import pairwise
from statistics import median

from openstake.core.evidence import HeardMessage, HeardStream, ObservableSet, StationReference
from openstake.wire.rtcm3 import msm
from openstake.wire.rtcm3.frame import Frame
from openstake.wire.rtcm3.summary import StreamSummary

_KEPT_EPOCHS = 6
# Frames expected and received are counted over a minute: what was lost an hour ago says nothing of now.
_WINDOW_S = 60.0
_MOST_EPOCHS = 1500  # a minute at 20 Hz
# An interval is the median of three steps at least: one message lost, or sent out of turn at a start, does not count.
_LEAST_STEPS = 3
# A message that has not come for so long, and for three of its intervals, is no longer sent.
_GONE_AFTER_S = 60.0


class RecentStream:
    """Takes frames as they arrive; intervals are of the last few epochs by the observables' own clock."""

    def __init__(self) -> None:
        self._summary = StreamSummary()
        self._first_s: float | None = None
        self._times: dict[int, deque[float]] = {}
        self._satellites: dict[str, tuple[float, frozenset[int]]] = {}
        self._last: dict[tuple[str, str], ObservableSet] = {}
        self._whole: dict[tuple[str, str], ObservableSet] = {}

    def add(self, frame: Frame) -> ObservableSet | StationReference | None:
        """Take one frame in and return what it holds; what cannot be read counts as a message all the same.

        Observables are those of the last whole epoch, so that one that comes in several messages does not flicker.
        """
        held = self._summary.add(frame)
        self._note(frame)
        if not isinstance(held, ObservableSet):
            return held
        key = (held.constellation, held.form)
        last = self._last.get(key)
        if last is not None and last.time_s != held.time_s:
            self._whole[key] = last
        self._last[key] = held
        return self._whole.get(key, held)

    def _note(self, frame: Frame) -> None:
        clock_s = self._summary.clock_s
        if clock_s is None:
            return
        if self._first_s is None:
            self._first_s = clock_s
        times = self._times.setdefault(frame.number, deque(maxlen=_MOST_EPOCHS))
        if not times or times[-1] != clock_s:
            times.append(clock_s)
        while len(times) > _KEPT_EPOCHS and clock_s - times[0] > _WINDOW_S:
            times.popleft()
        if msm.is_msm(frame.number):
            name = msm.CONSTELLATION_BY_DECADE[frame.number // 10]
            before = self._satellites.get(name)
            fresh = msm.satellites_of(frame.payload)
            # A set that is split over several messages of one epoch is one set.
            joined = fresh | before[1] if before and before[0] == clock_s else fresh
            self._satellites[name] = (clock_s, joined)

    def heard(self) -> HeardStream:
        """Return what the stream holds now."""
        now_s = self._summary.clock_s
        if now_s is None or self._first_s is None:
            return HeardStream(0.0, (), {})
        window_s = min(_WINDOW_S, now_s - self._first_s)
        messages = tuple(
            HeardMessage(
                number=number,
                interval_s=self._interval_s(number),
                count=count.count,
                recent=self._recent(number, now_s - window_s),
                window_s=window_s,
            )
            for number, count in sorted(self._summary.messages.items())
            if self._is_sent(number, now_s)
        )
        satellites = {name: numbers for name, (seen_s, numbers) in self._satellites.items() if now_s - seen_s < 30.0}
        return HeardStream(now_s - self._first_s, messages, satellites)

    def _is_sent(self, number: int, now_s: float) -> bool:
        times = self._times.get(number)
        silent_s = now_s - times[-1] if times else 0.0
        return silent_s <= max(_GONE_AFTER_S, 3.0 * (self._interval_s(number) or 0.0))

    def _recent(self, number: int, after_s: float) -> int:
        return sum(1 for time_s in self._times.get(number, ()) if time_s > after_s)

    def _interval_s(self, number: int) -> float | None:
        times = list(self._times.get(number, ()))[-_KEPT_EPOCHS:]
        if len(times) <= _LEAST_STEPS:
            return None
        return round(median(after - before for before, after in pairwise(times)), 3)
