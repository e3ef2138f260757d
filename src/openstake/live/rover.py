"""One rover that is listened to: its sentences decoded, its fix watched, the shot in hand grown epoch by epoch."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import pairwise
from math import inf

import numpy as np
from numpy.typing import NDArray

from openstake.core.constants import DAY_S
from openstake.core.evidence import Epoch, InView
from openstake.core.rtk.epoch_series import Fix
from openstake.core.rtk.rover import RoverEvent, RoverState, RoverWatch
from openstake.core.shot import ShotKind, moved_enough, not_within
from openstake.core.sky.obstruction import SeenSky
from openstake.core.sky.satellites_used import lowest_used_deg
from openstake.live.clock import Clock, Thread
from openstake.live.flood import Thinning
from openstake.wire.nmea.epoch import EpochReader
from openstake.wire.nmea.sky import SkyReader

LONGEST_STEP_S = 5.0  # between two epochs of one shot: the slowest rate that people set


@dataclass(frozen=True, kw_only=True)
class ReceivedEpoch:
    """An epoch with the host's clock beside it, the base reference in force (its id in the store), and since when its fix
    holds (host seconds; None where the fix was there before it was heard)."""

    epoch: Epoch
    host_s: float
    reference_id: str | None
    initialised_s: float | None = None


@dataclass(frozen=True, kw_only=True)
class ShotRequest:
    """What a shot needs: its kind with its limits, fixed epochs only or any; `unit` is that of what it says, `by` whose it is."""

    id: str
    kind: ShotKind
    fixed_only: bool
    unit: str = "m"
    by: str = ""


@dataclass(kw_only=True)
class ShotInHand:
    """A shot being collected.  A track stays in hand and hands over point after point."""

    request: ShotRequest
    on_done: Callable[[list[ReceivedEpoch]], None]
    started_s: float
    epochs: list[ReceivedEpoch]
    waiting_for: str
    points: int = 0
    last: tuple[float, NDArray[np.float64]] | None = field(default=None, repr=False)

    @property
    def collected_s(self) -> float:
        """Time covered by the epochs by their own clock, over midnight too; what lies in a gap does not count."""
        times = [row.epoch.time_of_day_s for row in self.epochs if row.epoch.time_of_day_s is not None]
        # A clock that goes back gives a step of nearly a day here: it does not count either.
        steps = ((later - earlier) % DAY_S for earlier, later in pairwise(times))
        return round(sum(step for step in steps if step <= LONGEST_STEP_S), 4)


@dataclass(frozen=True, kw_only=True)
class Address:
    """Where one rover is listened to, under the id of its listening and the name of its receiver."""

    id: str
    name: str
    url: str
    password: str | None = None


class ListenedRover:
    """Decodes one rover.  Whoever calls it holds the session's lock; it calls nobody."""

    def __init__(self, address: Address, started_s: float) -> None:
        self.id, self.name, self.url = address.id, address.name, address.url
        self.reader, self._sky, self.watch, self.seen = EpochReader(), SkyReader(), RoverWatch(), SeenSky()
        self.thinning = Thinning(inf) if address.url.startswith("replay:") else Thinning()
        self._live = not address.url.startswith("replay:")
        self.latest: ReceivedEpoch | None = None
        self.shot: ShotInHand | None = None
        self.started_s = started_s
        self._initialised_s: float | None = None
        self._reference_id: str | None = None

    def take(
        self, data: bytes, host_s: float, reference_id: str | None, settled: bool
    ) -> tuple[list[ReceivedEpoch], list[ShotInHand], list[RoverEvent]]:
        """Take bytes in; return the epochs, the shots that are full, and what has happened."""
        rows: list[ReceivedEpoch] = []
        full: list[ShotInHand] = []
        happened: list[RoverEvent] = []
        if reference_id != self._reference_id:
            if self._reference_id is not None:
                self.watch.base_moved()
            self._reference_id = reference_id
        self._sky.feed(data)
        for epoch in self.reader.feed(data):
            if not self.thinning.take(host_s):
                continue
            before = self.watch.initialisations.count
            happened += self.watch.add(epoch, host_s if self._live else None)
            self._note_initialisation(before, host_s)
            row = ReceivedEpoch(epoch=epoch, host_s=host_s, reference_id=reference_id, initialised_s=self._initialised_s)
            self.latest = row
            rows.append(row)
            if self.shot is not None and self._grow(self.shot, row, settled):
                full.append(self._handed_over(self.shot))
        for first, second in self.reader.second_talkers():
            self.watch.note_second_talker(first, second)
        if rows:
            self.seen.look(self._sky.in_view(), host_s)
        return rows, full, happened

    def _note_initialisation(self, before: int, host_s: float) -> None:
        found = self.watch.initialisations
        if found.count != before:
            # A fix that was there when listening began may be any age.
            self._initialised_s = host_s if found.seen_unfixed else None

    @property
    def jumps(self) -> int:
        """How often the position jumped on the fix that holds now."""
        since_s = self.watch.initialisations.since_s
        return sum(since_s is not None and jump.time_s >= since_s for jump in self.watch.jumps)

    def silent_in_shot_s(self, now_s: float) -> float:
        """Return for how long no epoch has come to the shot in hand, whatever it waited for; 0 without a shot."""
        if self.shot is None:
            return 0.0
        heard_s = self.latest.host_s if self.latest is not None else self.started_s
        return max(0.0, now_s - max(heard_s, self.shot.started_s))

    def in_view(self) -> tuple[InView, ...]:
        """Return the satellites that the rover lists."""
        return self._sky.in_view()

    def state(self) -> RoverState | None:
        return self.watch.state()

    def _grow(self, shot: ShotInHand, row: ReceivedEpoch, settled: bool) -> bool:
        """Add an epoch to the shot if it may be averaged; tell whether the shot is complete."""
        request = shot.request
        lowest_deg = lowest_used_deg(self._sky.in_view()) if request.kind.least_elevation_deg is not None else None
        shot.waiting_for = not_within(row.epoch, request.kind, request.fixed_only, request.unit, lowest_deg)
        if not shot.waiting_for and not settled:
            shot.waiting_for = "the base's next station message: its position has just changed"
        if shot.waiting_for:
            return False
        if request.kind.is_track:
            return self._next_of_track(shot, row)
        if shot.epochs and _is_of_another_base(row.epoch, shot.epochs[-1].epoch):
            shot.epochs.clear()  # the source was switched: a mean of two bases is none of either
        shot.epochs.append(row)
        return shot.collected_s >= request.kind.seconds - 1e-6

    def _next_of_track(self, shot: ShotInHand, row: ReceivedEpoch) -> bool:
        newest: Fix | None = self.watch.newest
        if newest is None:
            return False
        if shot.last is not None:
            time_s, place = shot.last
            away = float(np.linalg.norm(newest.xyz_m - place))
            if not moved_enough(shot.request.kind, newest.time_s - time_s, away):
                return False
        shot.last = (newest.time_s, newest.xyz_m)
        shot.epochs = [row]
        return True

    def _handed_over(self, shot: ShotInHand) -> ShotInHand:
        """Return a shot that is full; a track goes on."""
        if not shot.request.kind.is_track:
            self.shot = None
            return shot
        shot.points += 1
        return ShotInHand(
            request=shot.request,
            on_done=shot.on_done,
            started_s=shot.started_s,
            epochs=list(shot.epochs),
            waiting_for="",
            points=shot.points,
        )


def _is_of_another_base(epoch: Epoch, before: Epoch) -> bool:
    return None not in (epoch.station_id, before.station_id) and epoch.station_id != before.station_id


class Finisher:
    """Stores what is full in a thread of its own, one after the other: no epoch waits for it, and a track keeps its order."""

    def __init__(self, name: str, clock: Clock) -> None:
        self._name, self._clock = name, clock
        self._waiting: list[Callable[[], None]] = []
        self._lock = threading.Lock()
        self._thread: Thread | None = None

    def add(self, work: Callable[[], None]) -> None:
        with self._lock:
            self._waiting.append(work)
            if self._thread is None:
                self._thread = self._clock.thread(self._run, self._name)
                self._thread.start()

    def join(self, timeout_s: float) -> None:
        with self._lock:
            thread = self._thread
        if thread is not None:
            thread.join(timeout_s)

    def _run(self) -> None:
        while True:
            with self._lock:
                if not self._waiting:
                    self._thread = None
                    return
                work = self._waiting.pop(0)
            work()
