"""A bench test that runs: base stream and rover heard together until the distance is known, or time is up."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from openstake.core.errors import OpenStakeError
from openstake.core.evidence import HeardStream, StationReference, Status
from openstake.core.limits import BENCH_EPOCHS_S, LONGEST_BENCH_S
from openstake.core.rtk.rover import DeviceSeen
from openstake.live.feed import Feed
from openstake.live.network import Outside
from openstake.live.rover import Address, ListenedRover
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.recent import RecentStream

_LOOKS_EVERY_S = 0.25


@dataclass(frozen=True, kw_only=True)
class BenchHeard:
    """What a bench test heard: distances of its fixed epochs from the base on the air, metres, and both streams."""

    distances_m: tuple[float, ...]
    claims_m: tuple[float, ...]
    fix_after_s: float | None
    listened_s: float
    status: str
    feeds: tuple[str, ...]
    stream: HeardStream
    device: DeviceSeen | None


class Bench:
    """Listens to both units.  `on_done` gets what was heard, unless it was cancelled; then `on_end` and `on_change` are called."""

    def __init__(
        self,
        base: tuple[str, str | None],
        rover: Address,
        on_change: Callable[[], None],
        on_done: Callable[[BenchHeard], None],
        on_end: Callable[[], None],
        outside: Outside,
    ) -> None:
        self._on_change, self._on_done, self._on_end = on_change, on_done, on_end
        self._frames, self._stream, self._rover = (FrameReader(), RecentStream(), ListenedRover(rover, outside.clock.now()))
        self._station: StationReference | None = None
        self._distances: list[float] = []
        self._claims: list[float] = []
        self._fixed_s: list[float] = []
        self._lock = threading.Lock()
        self._clock = outside.clock
        self._stop = self._clock.event()
        self._started_s = self._clock.monotonic()
        self._feeds = (
            Feed(base[0], base[1], None, self._base_bytes, lambda status: None, outside),
            Feed(rover.url, rover.password, None, self._rover_bytes, lambda status: None, outside),
        )
        self.running, self.problem = True, ""
        self._thread = self._clock.thread(self._run, "bench test")
        self._thread.start()

    def cancel(self) -> None:
        self._stop.set()

    @property
    def elapsed_s(self) -> float:
        return self._clock.monotonic() - self._started_s

    @property
    def fixed_for_s(self) -> float:
        """How long the rover has been fixed here, of the seconds that a test wants."""
        with self._lock:
            return self._fixed_s[-1] - self._fixed_s[0] if self._fixed_s else 0.0

    @property
    def status(self) -> str:
        latest = self._rover.latest
        return latest.epoch.status.value if latest else "not heard"

    @property
    def sentences(self) -> tuple[str, ...]:
        """What both feeds say of themselves."""
        return tuple(f"{name}: {feed.status.sentence}" for name, feed in zip(("Base stream", "Rover"), self._feeds, strict=True))

    def _base_bytes(self, data: bytes, host_s: float) -> None:
        for frame in self._frames.feed(data):
            with self._lock:
                held = self._stream.add(frame)
                if isinstance(held, StationReference):
                    self._station = held

    def _rover_bytes(self, data: bytes, host_s: float) -> None:
        with self._lock:
            rows, _, _ = self._rover.take(data, host_s, None, True)
            for row in rows:
                newest = self._rover.watch.newest
                if row.epoch.status is not Status.FIXED or self._station is None or newest is None or not newest.has_place:
                    continue
                self._distances.append(float(np.linalg.norm(newest.xyz_m - np.array(self._station.xyz_m))))
                self._fixed_s.append(newest.time_s)
                if np.isfinite(newest.sigma_horizontal_m):
                    self._claims.append(newest.sigma_horizontal_m)

    def _run(self) -> None:
        for feed in self._feeds:
            feed.start()
        try:
            while not self._stop.is_set() and self.elapsed_s < LONGEST_BENCH_S and self.fixed_for_s < BENCH_EPOCHS_S:
                self._stop.wait(_LOOKS_EVERY_S)
            for feed in self._feeds:
                feed.stop()
            if not self._stop.is_set():
                self._on_done(self._heard())
        except OpenStakeError as error:
            self.problem = error.sentence
        except Exception as error:  # a full disk, say: the crew must be told, not only the log
            self.problem = f"The bench test could not be stored: {error}. Test again."
        finally:
            for feed in self._feeds:
                feed.stop()
            self.running = False
            self._on_end()
            self._on_change()

    def _heard(self) -> BenchHeard:
        with self._lock:
            first = self._rover.watch.initialisations.time_to_fix_s
            return BenchHeard(
                distances_m=tuple(self._distances),
                claims_m=tuple(self._claims),
                fix_after_s=first,
                listened_s=self.elapsed_s,
                status=self.status,
                feeds=self.sentences,
                stream=self._stream.heard(),
                device=self._rover.watch.device() if self._rover.latest else None,
            )
