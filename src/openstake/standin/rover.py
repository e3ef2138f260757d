"""The stand-in rover: it listens to a caster, and speaks NMEA of its ARP as a receiver would.

Its position is the ARP decoded from 1006, plus the true vector, plus noise by state, satellites, baseline and age: so
whatever was typed wrongly at the base shows in its output, exactly as in the field.
"""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import OpenStakeError
from openstake.core.evidence import StationReference
from openstake.live.network import Outside
from openstake.live.transport import open_source
from openstake.standin.clock import gps_time_of_week_s, ticks
from openstake.standin.fanout import Fanout
from openstake.standin.receiver import AUTONOMOUS_MEMORY_S, AUTONOMOUS_SIGMA_M, MASK_DEG, Wander, burst, displaced, geometry_of
from openstake.standin.sky import Seen, above
from openstake.standin.world import WorldFile
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.msm import decode_msm, is_msm
from openstake.wire.rtcm3.station import decode_reference

DEFAULT_NORTH_M = 100.0
_START_UP_S = 2.0
_FLOAT_AFTER_S = 3.0
_FIX_AFTER_S = 8.0
_FIX_AFTER_S_PER_KM = 0.5
_OLD_AGE_S = 10.0
_LOST_AGE_S = 60.0
_FEWEST_COMMON = 5
_FEW_COMMON = 10
_WEEK_S = 604_800.0


class Corrections:
    """What has been heard from the caster: the base's ARP, and which satellites it sent when."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self.station: StationReference | None = None
        self.station_changes = 0
        self._time_s: float | None = None
        self._satellites: dict[str, frozenset[int]] = {}

    def take(self, reader: FrameReader, data: bytes) -> None:
        for frame in reader.feed(data):
            try:
                if is_msm(frame.number):
                    message = decode_msm(frame.payload)
                    with self._lock:
                        self._time_s = message.time_s
                        self._satellites[message.constellation] = frozenset(message.satellites)
                elif frame.number in (1005, 1006):
                    station = decode_reference(frame.payload)
                    with self._lock:
                        self.station_changes += station != self.station
                        self.station = station
            except ValueError:
                continue

    def leap(self, seconds: float) -> None:
        """Be as old after a leap in time as before it: what was sent in between is nobody's."""
        with self._lock:
            if self._time_s is not None:
                self._time_s = (self._time_s + seconds) % _WEEK_S

    def at(self, unix_s: float, sky: list[Seen]) -> tuple[StationReference | None, float | None, list[Seen], int]:
        """Return the station, age in seconds, satellites in common, and how often the station has changed."""
        with self._lock:
            age = None if self._time_s is None else (gps_time_of_week_s(unix_s) - self._time_s) % _WEEK_S
            if age is not None and age > _WEEK_S / 2:
                age = 0.0  # sent a moment ahead of this rover's epoch
            common = [seen for seen in sky if seen.number in self._satellites.get(seen.constellation.name, ())]
            return self.station, age, common, self.station_changes


class RoverReceiver:
    """A receiver on a pole: NTRIP in, NMEA out."""

    def __init__(
        self,
        url: str,
        password: str,
        port: int,
        world: WorldFile,
        seed: int,
        outside: Outside,
        rate_hz: float = 1.0,
        on_problem: Callable[[str], None] = lambda sentence: None,
    ) -> None:
        self._url, self._password, self._world = url, password, world
        self._outside, self._clock = outside, outside.clock
        self._step_s, self._on_problem = 1.0 / rate_hz, on_problem
        self._state = _State(np.random.default_rng(seed))
        self._corrections = Corrections()
        self._cut_until_s = 0.0
        self._stop = self._clock.event()
        self._changed = self._clock.event()
        self._fanout = Fanout(port, outside)
        self.port = self._fanout.port
        self._threads = [self._clock.thread(self._listen, "stand-in rover, caster"), self._clock.thread(self._run, "stand-in rover")]
        for thread in self._threads:
            thread.start()

    def initialise_anew(self) -> None:
        """Drop all satellites and begin again, as a person makes a receiver do; a false fix is gone with it."""
        self._state.forced = True

    def fix_falsely(self, east_m: float, north_m: float, up_m: float) -> None:
        """Let the fix be false by so much until it is initialised anew: at once, where it is fixed already."""
        self._state.false_m = np.array([east_m, north_m, up_m])

    def listen_to(self, url: str, password: str) -> None:
        """Take corrections from elsewhere from now on."""
        self._url, self._password = url, password
        self._changed.set()

    def leap(self, seconds: float) -> None:
        """Go on in another time, with corrections as old as they were."""
        self._corrections.leap(seconds)

    def cut_link(self, seconds: float) -> None:
        """Hear no corrections for so long."""
        self._cut_until_s = self._clock.now() + seconds

    def close(self) -> None:
        self._stop.set()
        self._fanout.close()
        for thread in self._threads:
            thread.join(1.5)

    def wait(self) -> None:
        """Block until `close` is called from elsewhere."""
        self._stop.wait()

    def _listen(self) -> None:
        while not self._stop.is_set():
            reader = FrameReader()
            try:
                source = open_source(self._url, self._password, self._outside)
            except OpenStakeError as error:
                self._on_problem(error.sentence)
                self._stop.wait(1.0)
                continue
            try:
                last = self._clock.monotonic()
                self._changed.clear()
                while not self._stop.is_set() and not self._changed.is_set() and self._clock.monotonic() - last < 70.0:
                    data = source.read(0.25)
                    if data:
                        last = self._clock.monotonic()
                        self._take(reader, data)
            except OpenStakeError as error:
                self._on_problem(error.sentence)
            finally:
                source.close()
            self._stop.wait(0.5)

    def _take(self, reader: FrameReader, data: bytes) -> None:
        if self._clock.now() >= self._cut_until_s:
            self._corrections.take(reader, data)

    def _run(self) -> None:
        for time_s in ticks(self._clock, self._step_s, self._stop):
            self._fanout.send(self._state.sentences(time_s, self._corrections, self._world))


class _State:
    """The rover's solution from epoch to epoch."""

    def __init__(self, random: np.random.Generator) -> None:
        self._random = random
        self._bias = random.normal(0.0, 1.0, 3) * AUTONOMOUS_SIGMA_M
        self._wanders = {quality: Wander(random) for quality in (1, 4, 5)}
        self._started_s: float | None = None
        self._corrected_since_s: float | None = None
        self._fix_after_s = 0.0
        self._changes = 0
        self._was_fixed = False
        self._stood: tuple[float, NDArray[np.float64]] | None = None
        self.forced = False
        self.false_m: NDArray[np.float64] | None = None

    def sentences(self, time_s: float, corrections: Corrections, world_file: WorldFile) -> bytes:
        """Return the burst of one epoch."""
        world = world_file.world
        if self._started_s is None:
            self._started_s = time_s
        if self._corrected_since_s is not None and time_s < self._corrected_since_s:
            self._corrected_since_s = None  # the clock was put back: another job works with it
        station, _, _, _ = corrections.at(time_s, [])
        arp = self._true_arp(world_file, station)
        if arp is None or time_s - self._started_s < _START_UP_S:
            return burst(time_s, 0, None, 0.0, None, [], [], None, None)
        listed = above(time_s, arp, MASK_DEG, world.rover.obstructions if world.rover else ())
        sky = [seen for seen in listed if not seen.hidden]
        speed = self._speed_mps(time_s, arp)
        station, age, common, changes = corrections.at(time_s, sky)
        # A virtual station is a network's: its coordinate is where it says.  A tripod's is what somebody typed.
        typed = station is None or not station.virtual
        true_base = world.base.arp_ecef_m if world.base and typed else None
        vector = self._true_vector(station, arp, true_base)
        quality = self._quality(time_s, station, age, common, changes, vector, len(sky), world.fix_after_s)
        if quality == 0:
            return burst(time_s, 0, None, 0.0, None, listed, [], None, None)
        if quality == 1 or station is None or age is None:
            error = self._bias + 0.4 * AUTONOMOUS_SIGMA_M * self._wanders[1].at(time_s, AUTONOMOUS_MEMORY_S)
            place = displaced(arp, error)
            return burst(time_s, 1, place, world.separation_m, AUTONOMOUS_SIGMA_M, listed, sky, None, None, speed)
        sigma, memory_s = self._sigma(quality, age, common, vector)
        error = sigma * self._wanders[quality].at(time_s, memory_s)
        if quality == 4 and self.false_m is not None:
            error = error + self.false_m
        place = displaced(np.asarray(station.xyz_m) + vector, error)
        return burst(time_s, quality, place, world.separation_m, sigma, listed, common, age, station.station_id, speed)

    def _speed_mps(self, time_s: float, arp: NDArray[np.float64]) -> float:
        """Return how fast the pole has been carried since the epoch before."""
        before, self._stood = self._stood, (time_s, arp)
        if before is None or time_s <= before[0]:
            return 0.0
        return float(np.linalg.norm(arp - before[1])) / (time_s - before[0])

    @staticmethod
    def _true_arp(world_file: WorldFile, station: StationReference | None) -> NDArray[np.float64] | None:
        """Where the pole's ARP really is.  Without a world it stands 100 m north of the base that is heard."""
        stand = world_file.world.rover
        if stand is not None:
            return stand.arp_ecef_m
        return displaced(np.asarray(station.xyz_m), np.array([0.0, DEFAULT_NORTH_M, 0.0])) if station else None

    @staticmethod
    def _true_vector(
        station: StationReference | None, arp: NDArray[np.float64], true_base: NDArray[np.float64] | None
    ) -> NDArray[np.float64]:
        if true_base is not None:
            return arp - true_base
        return arp - np.asarray(station.xyz_m) if station else np.zeros(3)

    def _quality(
        self,
        time_s: float,
        station: StationReference | None,
        age: float | None,
        common: list[Seen],
        changes: int,
        vector: NDArray[np.float64],
        in_sky: int,
        fix_after_s: float | None,
    ) -> int:
        """Return the GGA quality: 0, 1, 5 or 4; a changed base or a long silence starts again."""
        if self.forced:
            self.forced, self.false_m, self._corrected_since_s = False, None, None
            return 1
        if in_sky < 4:
            self._corrected_since_s = None
            return 0
        if station is None or age is None or age > _LOST_AGE_S or len(common) < _FEWEST_COMMON:
            self._corrected_since_s = None
            return 1
        if self._corrected_since_s is None or changes != self._changes:
            self._corrected_since_s, self._changes, self._was_fixed = time_s, changes, False
            baseline_km = float(np.linalg.norm(vector)) / 1000.0
            scarce = 3.0 if len(common) < _FEW_COMMON else 1.0
            usual_s = scarce * (_FIX_AFTER_S + _FIX_AFTER_S_PER_KM * baseline_km + self._random.exponential(2.0))
            self._fix_after_s = usual_s if fix_after_s is None else fix_after_s
        if age > _OLD_AGE_S:
            if self._was_fixed:
                # A fix that fell for want of corrections needs a while again after they return.
                self._corrected_since_s, self._was_fixed = time_s - _FLOAT_AFTER_S, False
            return 5
        since_s = time_s - self._corrected_since_s
        if since_s < min(_FLOAT_AFTER_S, self._fix_after_s):
            return 1
        if since_s < self._fix_after_s:
            return 5
        self._was_fixed = True
        return 4

    def _sigma(self, quality: int, age: float, common: list[Seen], vector: NDArray[np.float64]) -> tuple[NDArray[np.float64], float]:
        """Return one sigma in east, north, up and how long the error remembers, in seconds.

        Fixed: 4 mm and 7 mm at a PDOP of 1.5, 0.5 ppm of the baseline, 0.5 mm a second of age (common practice).
        """
        geometry = geometry_of(common)
        scale = (geometry.pdop if geometry else 5.0) / 1.5
        growing = 0.5e-6 * float(np.linalg.norm(vector)) + 0.0005 * max(0.0, age - 1.0)
        if quality == 4:
            return np.array([0.004, 0.004, 0.007]) * scale + np.array([1.0, 1.0, 1.5]) * growing, 30.0
        return np.array([0.15, 0.15, 0.30]) * scale + growing, 20.0
