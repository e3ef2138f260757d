"""Observation epochs out of a base's MSM stream.

Source: RTCM 10403.3, tables 3.5-91 (GPS), 3.5-96 (GLONASS), 3.5-99 (Galileo), 3.5-102 (SBAS), 3.5-105 (QZSS), 3.5-108
(BeiDou) for what a signal number is in RINEX 3.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

from openstake.core.constants import DAY_S, WEEK_S
from openstake.core.observation import ObservationEpoch, Observed, wavelength_m
from openstake.wire.rtcm3.channels import channels_of
from openstake.wire.rtcm3.frame import Frame
from openstake.wire.rtcm3.msm import Cell, Msm, decode_msm, is_msm

_GPS = {
    2: "1C",
    3: "1P",
    4: "1W",
    8: "2C",
    9: "2P",
    10: "2W",
    15: "2S",
    16: "2L",
    17: "2X",
    22: "5I",
    23: "5Q",
    24: "5X",
    30: "1S",
    31: "1L",
    32: "1X",
}
_GALILEO = {
    2: "1C",
    3: "1A",
    4: "1B",
    5: "1X",
    6: "1Z",
    8: "6C",
    9: "6A",
    10: "6B",
    11: "6X",
    12: "6Z",
    14: "7I",
    15: "7Q",
    16: "7X",
    18: "8I",
    19: "8Q",
    20: "8X",
    22: "5I",
    23: "5Q",
    24: "5X",
}
_QZSS = {2: "1C", 9: "6S", 10: "6L", 11: "6X", 15: "2S", 16: "2L", 17: "2X", 22: "5I", 23: "5Q", 24: "5X", 30: "1S", 31: "1L", 32: "1X"}
_BEIDOU = {
    2: "2I",
    3: "2Q",
    4: "2X",
    8: "6I",
    9: "6Q",
    10: "6X",
    14: "7I",
    15: "7Q",
    16: "7X",
    22: "5D",
    23: "5P",
    24: "5X",
    25: "7D",
    30: "1D",
    31: "1P",
    32: "1X",
}
# Letter of RINEX and what the signal numbers are, by constellation.
SIGNALS: dict[str, tuple[str, dict[int, str]]] = {
    "GPS": ("G", _GPS),
    "GLONASS": ("R", {2: "1C", 3: "1P", 8: "2C", 9: "2P"}),
    "Galileo": ("E", _GALILEO),
    "SBAS": ("S", {2: "1C", 22: "5I", 23: "5Q", 24: "5X"}),
    "QZSS": ("J", _QZSS),
    "BeiDou": ("C", _BEIDOU),
    "NavIC": ("I", {22: "5A"}),
}
_LLI_LOST, _LLI_HALF = 1, 2


def satellite_name(letter: str, number: int) -> str:
    """Return a satellite as RINEX 3 names it; SBAS satellite 1 of MSM is PRN 120, which is S20."""
    return f"{letter}{number + 19 if letter == 'S' else number:02d}"


@dataclass(kw_only=True)
class MsmEpochs:
    """Puts MSM messages together into epochs; `near_gps_s` says in which week they were sent, and on which day.

    GLONASS may not say its day (7): it is that of the other systems, else the day of `near_gps_s`.

    `channels` fills as GLONASS channels are heard.  `without_phase` are GLONASS satellites whose phase cannot be told in
    cycles, as no message said their channel.  An interval keeps epochs on its multiples only.
    """

    near_gps_s: float
    interval_s: float = 0.0
    channels: dict[int, int] = field(default_factory=dict)
    without_phase: set[str] = field(default_factory=set)
    unknown_signals: set[str] = field(default_factory=set)
    _now_s: float | None = None
    _satellites: dict[str, dict[str, Observed]] = field(default_factory=dict)
    _locks: dict[tuple[str, str], int] = field(default_factory=dict)
    _lost: set[tuple[str, str]] = field(default_factory=set)

    def feed(self, frames: Iterable[Frame]) -> Iterator[ObservationEpoch]:
        """Yield the epochs that frames complete."""
        for frame in frames:
            try:
                if frame.number in (1009, 1010, 1011, 1012, 1020, 1085, 1087):
                    self.channels.update(channels_of(frame.payload))
                if is_msm(frame.number):
                    yield from self._take(decode_msm(frame.payload))
            except ValueError:
                continue

    def close(self) -> Iterator[ObservationEpoch]:
        """Yield the epoch in hand."""
        if self._now_s is not None and self._satellites and self._is_wanted(self._now_s):
            yield ObservationEpoch(self._now_s, self._satellites)
        self._satellites = {}

    def _is_wanted(self, gps_s: float) -> bool:
        return self.interval_s <= 0.0 or abs((gps_s / self.interval_s + 0.5) % 1.0 - 0.5) * self.interval_s < 0.001

    def _take(self, message: Msm) -> Iterator[ObservationEpoch]:
        time_s = self._gps_s(message)
        if self._now_s is not None and time_s != self._now_s:
            yield from self.close()
        self._now_s = time_s
        wanted = self._is_wanted(time_s)
        letter, signals = SIGNALS[message.constellation]
        for cell in message.cells:
            name = satellite_name(letter, cell.satellite)
            code = signals.get(cell.signal)
            if code is None:
                self.unknown_signals.add(f"{message.constellation} {cell.signal}")
                continue
            self._satellites.setdefault(name, {}).update(self._values(letter, name, code, cell, wanted))

    def _gps_s(self, message: Msm) -> float:
        """Return the time of a message nearest to the epoch in hand, to the millisecond, as the messages count."""
        near = self._now_s if self._now_s is not None else self.near_gps_s
        period = WEEK_S if message.day_known else DAY_S
        return round(near + (message.time_s - near + period / 2) % period - period / 2, 3)

    def _values(self, letter: str, name: str, code: str, cell: Cell, wanted: bool) -> dict[str, Observed]:
        found = {}
        channel = self.channels.get(cell.satellite) if letter == "R" else None
        wavelength = wavelength_m(letter, code[0], channel)
        if cell.pseudorange_m is not None:
            found[f"C{code}"] = Observed(cell.pseudorange_m)
        lli = self._loss_of_lock(name, code, cell)
        if cell.phase_range_m is not None and wavelength is None:
            self.without_phase.add(name)
        elif cell.phase_range_m is not None and wavelength is not None:
            found[f"L{code}"] = Observed(cell.phase_range_m / wavelength, lli)
            if wanted:
                self._lost.discard((name, code))
        if cell.phase_rate_m_s is not None and wavelength is not None:
            found[f"D{code}"] = Observed(-cell.phase_rate_m_s / wavelength)
        if cell.cnr_dbhz is not None:
            found[f"S{code}"] = Observed(cell.cnr_dbhz)
        return found

    def _loss_of_lock(self, name: str, code: str, cell: Cell) -> int:
        """Return the loss-of-lock indicator: a lock time that went down, at this epoch or one that was not written."""
        key = (name, code)
        if cell.lock is not None:
            if cell.lock < self._locks.get(key, 0):
                self._lost.add(key)
            self._locks[key] = cell.lock
        return (_LLI_LOST if key in self._lost else 0) | (_LLI_HALF if cell.half_cycle else 0)
