"""One rover watched from its epochs alone: everything the instrument shows and the rules judge, in flat memory."""

from __future__ import annotations

from collections import Counter, deque
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from openstake.core.evidence import Epoch, Status
from openstake.core.geodesy.distance import geodesic_m
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.limits import (
    AGE_CLIMB_SEEN_S,
    AGE_TREND_WINDOW_S,
    DRIFT_PART_S,
    PAIR_PROVEN_AFTER_S,
    POLE_TWICE_M,
    SCATTER_WINDOW_S,
    SHORT_STAND_S,
    SHORTEST_SCATTER_S,
    STAND_WINDOW_S,
    STANDS_BELOW_MPS,
    STOOD_LATELY_S,
    TALKERS_APART_M,
    TALKERS_TOLD_FROM,
    WAITS_FOR_PAIR_S,
)
from openstake.core.rtk.age import AgeTrend, age_trend
from openstake.core.rtk.drift import Drift, StandLog
from openstake.core.rtk.epoch_series import Clock, Fix, fix_of
from openstake.core.rtk.initialising import Agreement, Initialisations, Loss, compared
from openstake.core.rtk.jumps import Jump, JumpWatch
from openstake.core.rtk.still_pole import ClaimHeld, Stood, claim_held, epochs_of, last_stood, series_of, stood

_MOST_KEPT = 4000  # three minutes at 20 Hz, the rest is older than anybody asks
_MOST_JUMPS = 100
_MOST_PAIRS = 50
_TALKERS_SEEN = 60  # the latest moments of which it is known whether two receivers sent
_CLAIMS_EVERY_S = 5.0  # what a stand says of the claim changes slowly, and takes some milliseconds
_LOOKS_EVERY_S = 0.9  # where the pole stands is no matter of a fifth of a second
_FEWEST_PROVEN = 3
_AGE_RESOLUTION_S = 0.1 + 1e-9  # as GGA gives it

PairKind = Literal["initialised anew", "source switched"]


@dataclass(frozen=True, kw_only=True)
class Pair:
    """Two fixes of one place, before and after: of two initialisations, or of two sources of corrections.

    `asked`: the crew asked for it and held the pole still; otherwise the reported speeds say that it stood.
    """

    kind: PairKind
    time_s: float
    agreement: Agreement
    asked: bool
    from_station: int | None
    to_station: int | None


@dataclass(frozen=True)
class Switch:
    """The station ID in GGA changed while positions came."""

    time_s: float
    from_station: int
    to_station: int


@dataclass(frozen=True)
class FixChange:
    """The fix was lost (`status` is what it fell to), or came back after so many seconds."""

    time_s: float
    status: Status
    after_s: float | None


RoverEvent = Jump | Drift | Pair | Switch | FixChange


@dataclass(frozen=True, kw_only=True)
class DeviceSeen:
    """What a device's sentences hold: how many epochs, their rate, decimals of a minute, and what is there at all.

    `clock_off_s` is its clock − the host's, None where the host's is not known or its date is not.  `apart_m`: how far apart two
    places lie between which its positions jump back and forth; None where they do not.
    """

    epochs: int
    rate_hz: float | None
    decimals: int | None
    with_gst: int
    with_ellipse: int
    with_separation: int
    with_position: int
    clock_off_s: float | None
    apart_m: float | None = None


@dataclass(frozen=True, kw_only=True)
class RoverState:
    """A rover as it is now.  Times are seconds of its own clock that grow over midnight (`now_s` is the newest)."""

    now_s: float
    epoch: Epoch
    fix_since_s: float | None
    initialisations: int
    time_to_fix_s: float | None
    fix_ratio: float | None
    losses: tuple[Loss, ...]
    jumps: tuple[Jump, ...]
    drifts: tuple[Drift, ...]
    pairs: tuple[Pair, ...]
    switches: tuple[Switch, ...]
    trend: AgeTrend | None
    stood: Stood | None
    claims: tuple[ClaimHeld, ...]
    last_age_s: float | None
    last_corrected_s: float | None
    unused_for_s: float
    device: DeviceSeen
    waits_for: PairKind | None


@dataclass(frozen=True, kw_only=True)
class _Before:
    """Where the pole stood before the fix was lost or the source changed, and whether it is asked to be compared."""

    kind: PairKind
    stood: Stood
    station: int | None
    time_s: float
    asked: bool


class RoverWatch:
    """Takes a rover's epochs in order.  `add` tells what has just happened, `state` everything that is known now."""

    def __init__(self) -> None:
        self.clock = Clock()
        self.initialisations = Initialisations()
        self._jumps_of = JumpWatch()
        self._stand_log = StandLog()
        self._claims: tuple[float, tuple[ClaimHeld, ...]] = (-np.inf, ())
        self._recent: deque[Fix] = deque(maxlen=_MOST_KEPT)
        self._epoch: Epoch | None = None
        self.jumps: list[Jump] = []
        self.drifts: list[Drift] = []
        self.pairs: list[Pair] = []
        self.switches: list[Switch] = []
        self._before: _Before | None = None
        self._station: int | None = None
        self._last_stood: tuple[Stood, int | None] | None = None
        self._moved = False
        self._corrected: tuple[float, float] | None = None
        self._unused_since_s: float | None = None
        self._counts: Counter[str] = Counter()
        self._looked_s = self._stands_since_s = -np.inf
        self._steps: deque[float] = deque(maxlen=200)
        self._decimals: deque[int] = deque(maxlen=50)
        self._offsets_s: deque[float] = deque(maxlen=50)
        self._places: deque[tuple[float, float]] = deque(maxlen=3)
        self._apart_m: deque[float | None] = deque(maxlen=_TALKERS_SEEN)

    def add(self, epoch: Epoch, host_s: float | None = None) -> list[RoverEvent]:
        """Take an epoch in; return the jumps, comparisons and switches that it shows."""
        before_s = self._recent[-1].time_s if self._recent else None
        fix = fix_of(epoch, self.clock.seconds(epoch.time_of_day_s, host_s))
        self._note_device(epoch, fix, before_s, host_s)
        self._recent.append(fix)
        self._epoch = epoch
        while fix.time_s - self._recent[0].time_s > SCATTER_WINDOW_S:
            self._recent.popleft()
        if epoch.age_s is not None and fix.status is not Status.NONE:
            self._corrected = (fix.time_s, epoch.age_s)
        # Corrections that arrive and make neither float nor fixed.
        unused = epoch.age_s is not None and fix.status in (Status.SINGLE, Status.DGPS)
        self._unused_since_s = (self._unused_since_s or fix.time_s) if unused else None
        held = self.initialisations.since_s is not None
        fresh = self.initialisations.add(fix)
        happened: list[RoverEvent] = []
        happened += self._note_switch(fix, epoch)
        if held and fix.status is not Status.FIXED:
            self._fix_lost(fix)
            happened.append(FixChange(fix.time_s, fix.status, None))
        if fresh and not held and self.initialisations.losses:
            happened.append(FixChange(fix.time_s, fix.status, self.initialisations.losses[-1].back_after_s))
        if fix.speed_mps is None or fix.speed_mps > STANDS_BELOW_MPS:
            self._moved = True  # or nobody knows
        jumps = self._jumps_of.add(fix)
        self.jumps = (self.jumps + jumps)[-_MOST_JUMPS:]
        happened += jumps
        drift = self._stand_log.add(fix)
        if drift is not None:
            self.drifts = [*self.drifts, drift][-_MOST_JUMPS:]
            happened.append(drift)
        if fresh and self._before is None:
            self._last_stood = None
        happened += self._note_stand(fix)
        return happened

    @property
    def newest(self) -> Fix | None:
        """The newest epoch as a point of the series."""
        return self._recent[-1] if self._recent else None

    def ask_to_compare(self) -> bool:
        """Compare the place where the pole stands now with the one after the next initialisation; False where it stands on no fix."""
        newest = self._stood_now(SHORT_STAND_S)
        if newest is None:
            return False
        last = self._recent[-1]
        self._before = _Before(kind="initialised anew", stood=newest, station=last.station, time_s=last.time_s, asked=True)
        return True

    def base_moved(self) -> None:
        """Compare nothing that stood before with what stands from now on: the base is elsewhere on the air."""
        self._before = self._last_stood = None
        self._stand_log.clear()
        self._stands_since_s = self._recent[-1].time_s if self._recent else -np.inf

    def last_stand(self) -> tuple[Stood, int | None] | None:
        """Return where the pole stood last on this fix, with the station it used."""
        return self._last_stood

    def _note_switch(self, fix: Fix, epoch: Epoch) -> list[Switch]:
        station = epoch.station_id
        if station is None or fix.status in (Status.NONE, Status.SINGLE):
            return []
        before, self._station = self._station, station
        if before is None or before == station:
            return []
        switch = Switch(fix.time_s, before, station)
        self.switches = [*self.switches, switch][-_MOST_PAIRS:]
        if self._last_stood is not None and self._last_stood[1] == before:
            self._before = _Before(kind="source switched", stood=self._last_stood[0], station=before, time_s=fix.time_s, asked=False)
            self._moved = False
        return [switch]

    def _fix_lost(self, fix: Fix) -> None:
        if self._last_stood is None or self._before is not None:
            return
        last, station = self._last_stood
        if fix.time_s - last.to_s <= STOOD_LATELY_S:
            self._before = _Before(kind="initialised anew", stood=last, station=station, time_s=fix.time_s, asked=False)
            self._moved = False

    def _note_stand(self, fix: Fix) -> list[Pair]:
        """Keep where the pole stands on this fix, and compare it with where it stood before, once it has stood long enough."""
        if fix.status is not Status.FIXED or fix.time_s - self._looked_s < _LOOKS_EVERY_S:
            return []
        self._looked_s = fix.time_s
        newest = self._stood_now(PAIR_PROVEN_AFTER_S)
        if newest is None:
            return []
        before = self._before
        station = self._recent[-1].station
        self._last_stood = (newest, station)
        if before is None or self.initialisations.since_s is None:
            return []
        if before.kind == "initialised anew" and self.initialisations.since_s <= before.time_s:
            return []
        if before.kind == "source switched" and newest.from_s < before.time_s:
            return []
        self._before = None
        if fix.time_s - before.time_s > WAITS_FOR_PAIR_S or (self._moved and not before.asked):
            return []
        kind: PairKind = "source switched" if before.station not in (None, station) else before.kind
        pair = Pair(
            kind=kind,
            time_s=fix.time_s,
            agreement=agreement_of(before.stood, newest),
            asked=before.asked,
            from_station=before.station,
            to_station=station,
        )
        self.pairs = [*self.pairs, pair][-_MOST_PAIRS:]
        return [pair]

    def _stood_now(self, at_least_s: float) -> Stood | None:
        """Return where the pole stands now on this fix and source; None where it has not stood long enough."""
        since_s = self.initialisations.since_s
        if since_s is None:
            return None
        station = self._recent[-1].station
        rows = []
        newest_s = self._recent[-1].time_s
        for row in reversed(self._recent):
            if (
                row.time_s < since_s
                or row.time_s <= self._stands_since_s
                or row.station != station
                or newest_s - row.time_s > STAND_WINDOW_S
            ):
                break
            rows.append(row)
        stand = _stand_of(rows[::-1])
        return stand if stand is not None and stand.span_s >= at_least_s - 0.05 and stand.epochs >= _FEWEST_PROVEN else None

    def _note_device(self, epoch: Epoch, fix: Fix, before_s: float | None, host_s: float | None) -> None:
        counts = self._counts
        counts["epochs"] += 1
        if before_s is not None and 0.0 < fix.time_s - before_s < 60.0:
            self._steps.append(fix.time_s - before_s)
        if epoch.latitude_deg is not None and fix.status is not Status.NONE:
            counts["position"] += 1
            counts["separation"] += epoch.separation_m is not None
            counts["gst"] += epoch.sigma_up_m is not None
            counts["ellipse"] += epoch.claim is not None and epoch.orientation_deg is not None
            self._decimals.append(len(epoch.latitude_text.partition(",")[0].partition(".")[2]))
            self._note_place(epoch)
        if host_s is not None and epoch.time_of_day_s is not None:
            self._offsets_s.append((epoch.time_of_day_s - host_s + 43_200.0) % 86_400.0 - 43_200.0)

    def _note_place(self, epoch: Epoch) -> None:
        """Note whether the positions go to another place and come back at once: nobody walks so."""
        if epoch.latitude_deg is None or epoch.longitude_deg is None:
            return
        self._places.append((epoch.latitude_deg, epoch.longitude_deg))
        if len(self._places) < 3:
            return
        before, other, now = self._places
        there_m, back_m = geodesic_m(before, other), geodesic_m(before, now)
        self._apart_m.append(there_m if there_m > TALKERS_APART_M and back_m < there_m / 10.0 else None)

    def note_second_talker(self, first: Epoch, second: Epoch) -> None:
        """Take an epoch that another talker sent of the same moment: far away it is another receiver's."""
        places = [(item.latitude_deg, item.longitude_deg) for item in (first, second)]
        if all(latitude is not None and longitude is not None for latitude, longitude in places):
            apart_m = geodesic_m(*places)  # type: ignore[arg-type]
            if apart_m > TALKERS_APART_M:
                self._apart_m.append(apart_m)

    def _talkers_apart_m(self) -> float | None:
        found = [apart for apart in self._apart_m if apart is not None]
        return float(np.median(found)) if len(found) >= TALKERS_TOLD_FROM else None

    def device(self) -> DeviceSeen:
        counts = self._counts
        return DeviceSeen(
            epochs=counts["epochs"],
            rate_hz=1.0 / float(np.median(self._steps)) if len(self._steps) >= 5 else None,
            decimals=max(self._decimals, default=None),
            with_gst=counts["gst"],
            with_ellipse=counts["ellipse"],
            with_separation=counts["separation"],
            with_position=counts["position"],
            clock_off_s=float(np.median(self._offsets_s)) if self._offsets_s else None,
            apart_m=self._talkers_apart_m(),
        )

    def state(self) -> RoverState | None:
        """Return everything that is known of the rover now; None before its first epoch."""
        epoch = self._epoch
        if epoch is None:
            return None
        fix = self._recent[-1]
        lately = [row for row in self._recent if fix.time_s - row.time_s <= AGE_TREND_WINDOW_S]
        since_s = self.initialisations.since_s
        on_fix = [row for row in self._recent if since_s is not None and row.time_s >= since_s]
        standing = last_stood(on_fix)
        stand = _stood(standing)
        return RoverState(
            now_s=fix.time_s,
            epoch=epoch,
            fix_since_s=since_s,
            initialisations=self.initialisations.count,
            time_to_fix_s=self.initialisations.time_to_fix_s,
            fix_ratio=self.initialisations.fix_ratio,
            losses=tuple(self.initialisations.losses),
            jumps=tuple(self.jumps),
            drifts=tuple(self.drifts),
            pairs=tuple(self.pairs),
            switches=tuple(self.switches),
            trend=_newest_trend(lately),
            stood=stand,
            claims=self._claims_held(standing, stand),
            last_age_s=self._corrected[1] if self._corrected else None,
            last_corrected_s=self._corrected[0] if self._corrected else None,
            unused_for_s=0.0 if self._unused_since_s is None else fix.time_s - self._unused_since_s,
            device=self.device(),
            waits_for=self._before.kind if self._before is not None else None,
        )

    def _claims_held(self, standing: Sequence[Fix], stand: Stood | None) -> tuple[ClaimHeld, ...]:
        """Return the claim against the scatter of the present stand, by the minutes that are remembered whole or by the longer log."""
        if stand is None or stand.span_s < SHORTEST_SCATTER_S:
            return ()
        if abs(stand.to_s - self._claims[0]) < _CLAIMS_EVERY_S:
            return self._claims[1]
        log = self._stand_log
        series, claims = epochs_of(standing), (stand.claim_east_m, stand.claim_north_m, stand.claim_up_m)
        held = claim_held(series, claims)
        if log.span_s > SCATTER_WINDOW_S and not any(item.too_small for item in held):
            known = [part.claim_m for part in log.parts if part.claim_m is not None]
            if len(known) == len(log.parts):
                east, north, up = np.sqrt(np.mean(np.square(known), axis=0)).tolist()
                places = series_of([part.xyz_m for part in log.parts], log.span_s - DRIFT_PART_S)
                held = claim_held(places, (east, north, up)) or held
        self._claims = (stand.to_s, tuple(held))
        return self._claims[1]


def _newest_trend(rows: list[Fix]) -> AgeTrend | None:
    """Return the trend of the age as it is now, and for how long it has not fallen.

    Corrections at a slower rate than epochs make a saw of the age; its teeth are joined by their lowest points.
    The slope is that of the climb now, ten seconds of it at most: what was level before it, within NMEA's tenth of a second, is no
    part of it.
    """
    ages = [(row.time_s, row.age_s) for row in rows if row.age_s is not None]
    if len(ages) < 3:
        return None
    # The lowest age of each two seconds: what is left when the teeth of the saw are taken off.
    lows: dict[int, tuple[float, float]] = {}
    for time_s, age_s in ages:
        slot = int((time_s - ages[-1][0]) // 2.0)
        if slot not in lows or age_s <= lows[slot][1]:
            lows[slot] = (time_s, age_s)
    ordered = [lows[slot] for slot in sorted(lows)]
    start = len(ordered) - 1
    while start > 0 and ordered[start - 1][1] <= ordered[start][1] + 1e-9:
        start -= 1
    level = [at for at in range(start, len(ordered)) if ordered[at][1] <= ordered[start][1] + _AGE_RESOLUTION_S]
    lately = next(at for at in range(start, len(ordered)) if ordered[-1][0] - ordered[at][0] <= AGE_CLIMB_SEEN_S)
    begins = max(lately, start if len(level) == len(ordered) - start else level[-1])
    trend = age_trend([time_s for time_s, _ in ordered[begins:]], [age_s for _, age_s in ordered[begins:]])
    return trend and AgeTrend(trend.slope_per_s, ordered[-1][0] - ordered[start][0])


def _stand_of(rows: list[Fix]) -> Stood | None:
    """Return the stretch at the end of fixed epochs in which the pole stands, with the mean claim of its epochs."""
    return _stood(last_stood(rows))


def _stood(fixes: list[Fix]) -> Stood | None:
    if not fixes:
        return None
    known = [fix.claim_m for fix in fixes if fix.claim_m is not None]
    return stood(fixes, known if len(known) == len(fixes) else ())


def agreement_of(before: Stood, after: Stood) -> Agreement:
    """Compare two stands; where nothing is claimed the scatter takes the claim's place."""
    latitude, longitude, _ = geodetic_from_ecef(after.mean_m)
    apart = enu_from_ecef_difference(after.mean_m - before.mean_m, float(latitude), float(longitude))
    zero: NDArray[np.float64] = np.zeros(3)
    return compared(zero, apart, _sigmas(before), _sigmas(after), POLE_TWICE_M)


def _sigmas(stand: Stood) -> tuple[float, float]:
    if np.isfinite(stand.claim_up_m):
        return max(stand.claim_east_m, stand.claim_north_m), stand.claim_up_m
    if stand.scatter is not None:
        return max(stand.scatter.sigma_east_m, stand.scatter.sigma_north_m), stand.scatter.sigma_up_m
    return 0.010, 0.020
