"""What a stretch of RTCM 3 holds: counts, intervals, stations, observables; built frame by frame in flat memory."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from openstake.core.constants import DAY_S, WEEK_S
from openstake.core.evidence import ObservableSet, StationReference
from openstake.wire.rtcm3.frame import Frame
from openstake.wire.rtcm3.message import observable_size
from openstake.wire.rtcm3.msm import cells_of, is_msm, satellites_of
from openstake.wire.rtcm3.station import decode_reference

_MOST_STATIONS = 100


@dataclass(kw_only=True)
class MessageCount:
    """How often one message number came, with the bytes of its frames and the times of its first and last epoch."""

    number: int
    count: int = 0
    bytes: int = 0
    first_s: float | None = None
    last_s: float | None = None
    epochs: int = 0

    @property
    def mean_interval_s(self) -> float | None:
        """Mean time between its epochs, by the clock of the observables; None where there is no such clock."""
        if self.first_s is None or self.last_s is None or self.epochs < 2:
            return None
        return round((self.last_s - self.first_s) / (self.epochs - 1), 3)


@dataclass(frozen=True, slots=True)
class _EpochInHand:
    """What the messages of one epoch have held so far."""

    time_s: float | None
    satellites: frozenset[int]
    cells: frozenset[tuple[int, int]]


@dataclass(kw_only=True)
class StreamSummary:
    """What has been seen so far.  `unreadable` counts frames with a good checksum whose fields do not add up."""

    messages: dict[int, MessageCount] = field(default_factory=dict)
    stations: list[StationReference] = field(default_factory=list)
    observables: dict[tuple[str, str], ObservableSet] = field(default_factory=dict)
    station_ids: set[int] = field(default_factory=set)
    unreadable: int = 0
    clock_s: float | None = None
    _in_hand: dict[tuple[str, str], _EpochInHand] = field(default_factory=dict)

    def add(self, frame: Frame) -> ObservableSet | StationReference | None:
        """Take one frame in; return its size of observables or its station where it is one."""
        entry = self.messages.setdefault(frame.number, MessageCount(number=frame.number))
        entry.count += 1
        entry.bytes += frame.size
        try:
            return self._read(frame, entry)
        except ValueError:
            self.unreadable += 1
            return None

    def _read(self, frame: Frame, entry: MessageCount) -> ObservableSet | StationReference | None:
        sized = observable_size(frame)
        if sized is not None:
            station_id, size = sized
            self.station_ids.add(station_id)
            if size.time_s is not None:
                self.clock_s = _unwrapped(size.time_s, self.clock_s)
            size = self._of_epoch(frame, size)
            known = self.observables.get((size.constellation, size.form))
            self.observables[(size.constellation, size.form)] = replace(
                size, satellites=max(size.satellites, known.satellites if known else 0), cells=max(size.cells, known.cells if known else 0)
            )
            sized = station_id, size
        self._tick(entry)
        if frame.number in (1005, 1006):
            station = decode_reference(frame.payload)
            self.station_ids.add(station.station_id)
            if station not in self.stations and len(self.stations) < _MOST_STATIONS:
                self.stations.append(station)
            return station
        return sized[1] if sized else None

    def _of_epoch(self, frame: Frame, size: ObservableSet) -> ObservableSet:
        """Return what an epoch holds so far: its messages together, where it is split over several."""
        if not is_msm(frame.number):
            return size
        cells, key = cells_of(frame.payload), (size.constellation, size.form)
        satellites = satellites_of(frame.payload)
        before = self._in_hand.get(key)
        if before is not None and before.time_s == size.time_s:
            cells, satellites = cells | before.cells, satellites | before.satellites
        self._in_hand[key] = _EpochInHand(size.time_s, satellites, cells)
        return replace(size, satellites=len(satellites), cells=len(cells))

    def _tick(self, entry: MessageCount) -> None:
        """Count the epochs of a message by the observables' clock; several messages of one epoch count once."""
        if self.clock_s is None or entry.last_s == self.clock_s:
            return
        if entry.first_s is None:
            entry.first_s = self.clock_s
        if entry.last_s is None or self.clock_s > entry.last_s:
            entry.last_s = self.clock_s
            entry.epochs += 1


def _unwrapped(time_s: float, clock_s: float | None) -> float:
    """Return a time of the day or week next to the running clock, so that midnight and week's end do not jump.

    Half a day decides; a time of the day only fits the day nearest to the clock.
    """
    if clock_s is None:
        return time_s
    period = WEEK_S if abs((time_s - clock_s + WEEK_S / 2) % WEEK_S - WEEK_S / 2) < DAY_S / 2 else DAY_S
    return round(clock_s + (time_s - clock_s + period / 2) % period - period / 2, 3)
