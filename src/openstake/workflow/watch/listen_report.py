"""Listening from a terminal for a while: no job, nothing kept, everything that the streams say."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from openstake.core.evidence import Epoch, StationReference, Status
from openstake.core.judge.base import MeantBase
from openstake.core.judge.device import judge_device, judge_silent
from openstake.core.judge.finding import Finding, ranked
from openstake.core.judge.link_lost import LinkHeard, judge_lost
from openstake.core.judge.receiver import judge_receiver
from openstake.core.judge.rover import judge_rover
from openstake.core.judge.stream import judge_stream
from openstake.core.judge.watch import Distances, judge_watch
from openstake.core.rtk.age import age_trend
from openstake.core.rtk.epoch_series import Fix
from openstake.core.rtk.jumps import Jump
from openstake.core.rtk.rover import RoverWatch
from openstake.core.rtk.still_pole import longest_stood, stood
from openstake.core.vector import vector_length_m
from openstake.live.clock import Event
from openstake.live.feed import Feed, FeedState
from openstake.live.network import Outside
from openstake.wire.nmea.epoch import EpochReader
from openstake.wire.nmea.summary import LogSummary
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.summary import StreamSummary
from openstake.workflow.captures import (
    AgeRead,
    GapRead,
    MessageRead,
    ObservablesRead,
    SatellitesRead,
    StationRead,
    log_findings,
    messages_read,
    station_read,
)

_LOOKS_EVERY_S = 0.1
_MOST_STOOD = 20_000  # of the newest fixed epochs the longest stand is looked for


@dataclass(frozen=True)
class AgeHeard(AgeRead):
    """The age of corrections, seconds, and how it climbs over the longest stretch in which it does not fall."""

    slope_per_s: float | None


@dataclass(frozen=True)
class JumpHeard:
    """A jump while fixed: when, by the receiver's clock, and how far."""

    time: str
    size_m: float


@dataclass(frozen=True, kw_only=True)
class ScatterHeard:
    """One sigma of an epoch in the longest stretch in which the pole stood on a fix, metres."""

    east_m: float
    north_m: float
    up_m: float
    effective_n: float


@dataclass(frozen=True, kw_only=True)
class BaseHeard:
    """What the base's stream held."""

    frames: int
    bad_crc: int
    messages: list[MessageRead]
    station: StationRead | None
    observables: list[ObservablesRead]


@dataclass(frozen=True)
class ReceiverHeard:
    """What the base's own NMEA held."""

    epochs: int
    by_status: dict[str, int]


@dataclass(frozen=True, kw_only=True)
class ListenReport:
    """What was heard in a while; None where it was not heard."""

    epochs: int
    by_status: dict[str, int]
    first: str | None
    last: str | None
    time_to_fix_s: float | None
    fix_ratio: float | None
    age_s: AgeHeard
    satellites: SatellitesRead
    jumps: list[JumpHeard]
    scatter: ScatterHeard | None
    station_id: int | None
    base: BaseHeard | None
    receiver: ReceiverHeard | None
    base_distance_m: float | None
    gaps: list[GapRead]
    findings: list[Finding]


class _RoverListener:
    """The rover's NMEA."""

    def __init__(self) -> None:
        self.reader, self.summary, self.watch = EpochReader(), LogSummary(), RoverWatch()
        self.times: list[float] = []
        self.ages: list[float | None] = []
        self.fixed: deque[Fix] = deque(maxlen=_MOST_STOOD)
        self.jumps: list[tuple[str, Jump]] = []
        self.without_separation = 0
        self.latest: Epoch | None = None
        self._lock = threading.Lock()

    def take(self, data: bytes, host_s: float | None) -> None:
        with self._lock:
            for epoch in self.reader.feed(data):
                self._add(epoch, host_s)

    def close(self) -> None:
        with self._lock:
            for epoch in self.reader.close():
                self._add(epoch, None)

    def _add(self, epoch: Epoch, host_s: float | None) -> None:
        self.summary.add(epoch)
        happened = self.watch.add(epoch, host_s)
        fix = self.watch.newest
        assert fix is not None, "an epoch has been added"
        self.times.append(fix.time_s)
        self.ages.append(epoch.age_s)
        self.without_separation += epoch.status is not Status.NONE and epoch.height_m is None
        if epoch.status is Status.FIXED and fix.has_place:
            self.fixed.append(fix)
        # The summary's own clock writes the moment; what is looked back at is so many seconds earlier.
        for item in happened:
            if isinstance(item, Jump):
                moment_s = self.summary.last_s - (fix.time_s - item.time_s)
                self.jumps.append((self.summary.moment(moment_s), item))
        self.latest = epoch


class _BaseListener:
    """The base's stream."""

    def __init__(self) -> None:
        self.reader, self.summary = FrameReader(), StreamSummary()

    def take(self, data: bytes, host_s: float) -> None:
        for frame in self.reader.feed(data):
            self.summary.add(frame)

    def close(self) -> None:
        for frame in self.reader.close():
            self.summary.add(frame)

    @property
    def station(self) -> StationReference | None:
        return self.summary.stations[-1] if self.summary.stations else None


class _ReceiverListener:
    """The base's own NMEA."""

    def __init__(self) -> None:
        self.reader, self.summary = EpochReader(), LogSummary()
        self.epochs: list[Epoch] = []

    def take(self, data: bytes, host_s: float) -> None:
        for epoch in self.reader.feed(data):
            self.summary.add(epoch)
            self.epochs = [*self.epochs[-29:], epoch]


def hear(
    rover: tuple[str, str | None],
    base: tuple[str, str | None] | None,
    receiver: tuple[str, str | None] | None,
    seconds: float,
    stop: Event,
    outside: Outside,
    progress: Callable[[float, int], None] = lambda elapsed_s, epochs: None,
) -> ListenReport:
    """Listen for so many seconds of wall clock, or until told to stop; each address comes with its password.

    A device that does not answer is a finding.
    """
    rover_ear, base_ear, receiver_ear = _RoverListener(), _BaseListener(), _ReceiverListener()
    live = not rover[0].startswith("replay:")
    feeds = {
        name: Feed(address[0], address[1], None, take, lambda status: None, outside)
        for name, address, take in (
            ("rover", rover, lambda data, host_s: rover_ear.take(data, host_s if live else None)),
            ("base", base, base_ear.take),
            ("receiver", receiver, receiver_ear.take),
        )
        if address is not None
    }
    clock = outside.clock
    start_s = clock.monotonic()
    for feed in feeds.values():
        feed.start()
    try:
        while not stop.is_set() and (elapsed_s := clock.monotonic() - start_s) < seconds:
            stop.wait(min(_LOOKS_EVERY_S, max(0.0, seconds - elapsed_s)))
            progress(elapsed_s, rover_ear.summary.epochs)
    except KeyboardInterrupt:
        pass  # what was heard until then is told
    for feed in feeds.values():
        feed.stop()
    for feed in feeds.values():
        feed.join(1.0)
    rover_ear.close()
    base_ear.close()
    return _heard(rover_ear, base_ear, receiver_ear, feeds, clock.monotonic() - start_s)


def _heard(
    rover: _RoverListener, base: _BaseListener, receiver: _ReceiverListener, feeds: dict[str, Feed], elapsed_s: float
) -> ListenReport:
    summary, watch = rover.summary, rover.watch
    age_median, age_max = summary.age_median_max_s
    satellites_min, satellites_median = summary.satellites_min_median
    trend = age_trend(rover.times, rover.ages)
    station = base.station
    away = vector_length_m(rover.latest, station)
    initialised = watch.initialisations
    return ListenReport(
        epochs=summary.epochs,
        by_status=dict(summary.by_status),
        first=summary.first,
        last=summary.last,
        time_to_fix_s=None if initialised.time_to_fix_s is None else round(initialised.time_to_fix_s, 3),
        fix_ratio=initialised.fix_ratio,
        age_s=AgeHeard(age_median, age_max, None if trend is None else round(trend.slope_per_s, 6)),
        satellites=SatellitesRead(satellites_min, satellites_median),
        jumps=[JumpHeard(moment, jump.size_m) for moment, jump in rover.jumps],
        scatter=_scatter(rover.fixed),
        station_id=None if rover.latest is None else rover.latest.station_id,
        base=_base(base) if "base" in feeds and base.reader.frames else None,
        receiver=ReceiverHeard(receiver.summary.epochs, dict(receiver.summary.by_status)) if receiver.epochs else None,
        base_distance_m=None if away is None else round(away, 4),
        gaps=[GapRead(gap.start, gap.end) for gap in summary.gaps()],
        findings=list(ranked(_findings(rover, base, receiver, feeds, away, elapsed_s))),
    )


def _scatter(fixed: Iterable[Fix]) -> ScatterHeard | None:
    seen = stood(longest_stood(list(fixed)))
    if seen is None or seen.scatter is None:
        return None
    found = seen.scatter
    return ScatterHeard(
        east_m=found.sigma_east_m, north_m=found.sigma_north_m, up_m=found.sigma_up_m, effective_n=round(found.effective_n, 2)
    )


def _base(base: _BaseListener) -> BaseHeard:
    return BaseHeard(
        frames=base.reader.frames,
        bad_crc=base.reader.bad_crc,
        messages=messages_read(base.summary),
        station=station_read(base.station) if base.station else None,
        observables=[
            ObservablesRead(constellation=row.constellation, form=row.form, satellites=row.satellites, cells=row.cells)
            for row in base.summary.observables.values()
        ],
    )


def _findings(
    rover: _RoverListener, base: _BaseListener, receiver: _ReceiverListener, feeds: dict[str, Feed], away_m: float | None, elapsed_s: float
) -> list[Finding]:
    found = [item for name, feed in feeds.items() for item in _silent(name, feed, elapsed_s)]
    if rover.summary.epochs:
        found += _rover_findings(rover, base, away_m, "base" in feeds)
    if "base" in feeds and base.reader.frames:
        summary = base.summary
        found += judge_stream(
            list(summary.observables.values()),
            summary.messages,
            summary.stations,
            summary.station_ids,
            base.reader.frames,
            base.reader.bad_crc,
            base.reader.reserved,
        )
    if base.station is not None and "receiver" in feeds and receiver.epochs:
        found += judge_receiver(_as_meant(base.station), receiver.epochs, True)
    return found


def _as_meant(station: StationReference) -> MeantBase:
    """Return the base on the air as what is meant: nobody has typed anything here."""
    return MeantBase(
        arp_m=station.xyz_m,
        arp_height_m=station.antenna_height_m or 0.0,
        station_id=station.station_id,
        autonomous=False,
        phase_centre_up_m=None,
        other_marks=(),
        slips=(),
        unit="m",
    )


def _rover_findings(rover: _RoverListener, base: _BaseListener, away_m: float | None, listens_to_base: bool) -> list[Finding]:
    state = rover.watch.state()
    if state is None:
        return []
    station, epoch = base.station, state.epoch
    found = judge_watch(state, Distances(vector_m=away_m), station is not None and station.virtual)
    found += judge_device(state.device)
    # An age that is still high is told by the log's rule.
    told = log_findings(rover.summary, rover.reader, rover.without_separation)
    codes = {item.code for item in found}
    found += [item for item in told if item.code not in codes]
    if station is not None:
        found += [item for item in judge_rover(epoch, station.station_id) if item.code == "rover-hears-another-base"]
    silent_s = None if state.last_corrected_s is None else state.now_s - state.last_corrected_s
    found += judge_lost(
        LinkHeard(
            status=epoch.status,
            age_s=epoch.age_s,
            heard_for_s=state.now_s - (rover.watch.initialisations.first_s or state.now_s),
            silent_s=silent_s,
            unused_for_s=state.unused_for_s,
            frames=base.reader.frames if listens_to_base else None,
            bad_frames=base.reader.bad_crc,
        )
    )
    return found


_NAMES = {"rover": "rover's NMEA", "base": "base's stream", "receiver": "base receiver's NMEA"}


def _silent(name: str, feed: Feed, elapsed_s: float) -> list[Finding]:
    """Return what an address says at which nothing was heard; nothing where something came."""
    status = feed.status
    if status.received_bytes:
        return []
    said = status.sentence if status.state is not FeedState.CONNECTING else "It does not answer."
    return [judge_silent(_NAMES[name], said, elapsed_s)]
