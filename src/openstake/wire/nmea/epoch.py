"""Epochs out of sentences: GGA or GNS makes one, GST, GSA, VTG, RMC and ZDA of the same moment join it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date
from typing import Any

from openstake.core.constants import DAY_S
from openstake.core.evidence import Epoch
from openstake.core.limits import LARGEST_STATION_ID
from openstake.wire.nmea.sentence import (
    LONGEST_SENTENCE,
    BadChecksum,
    NoChecksum,
    date_of,
    degrees,
    fields_of,
    number,
    time_of_day_s,
    whole,
    within,
)

_TIMED = ("GGA", "GNS", "RMC", "GST", "ZDA")  # sentences whose first field is the time of the epoch
# GGA's quality of each mode of GNS, the weakest first.  Source: NMEA 0183 version 4.11, GNS and GGA.
_MODES = {"S": 8, "M": 7, "E": 6, "A": 1, "P": 3, "D": 2, "F": 5, "R": 4}

# What an epoch can be: an altitude outside is no position, anything else outside is unknown.
ALTITUDES_M = (-1000.0, 60_000.0)
_SEPARATION_M = 200.0  # the geoid lies within 110 m of the ellipsoid
_OLDEST_S = float(DAY_S)
_LARGEST_DOP = 1000.0
_LARGEST_SIGMA_M = 1e6
_MOST_SATELLITES = 200
KNOT_MPS = 1852.0 / 3600.0
_FASTEST_KNOTS = 2000.0
_MOST_SECOND_TALKERS = 100  # between two looks


# What sentences say of an epoch, by the names of its fields: it is made once, when all of them have come.
_Said = dict[str, Any]


def _said_by_gga(fields: list[str]) -> _Said:
    """Return what a GGA says; ValueError where a field is not what NMEA 0183 has there."""
    if len(fields) < 15:
        raise ValueError("GGA has 15 fields")
    if not re.fullmatch(r"[0-9]?", fields[6]):
        raise ValueError("no quality")
    return _said(fields[1:6], int(fields[6] or 0), fields[7:9], fields[9], fields[11], fields[13:15])


def _said_by_gns(fields: list[str]) -> _Said:
    """Return what a GNS says; of the modes of its constellations the weakest counts, those not used do not."""
    if len(fields) < 13:
        raise ValueError("GNS has 13 fields")
    modes = fields[6]
    if not modes or set(modes) - {"N", *_MODES}:
        raise ValueError("no mode")
    used = [mode for mode in _MODES if mode in modes]
    return _said(fields[1:6], _MODES[used[0]] if used else 0, fields[7:9], fields[9], fields[10], fields[11:13])


def _said(place: list[str], quality: int, use: list[str], altitude: str, separation: str, link: list[str]) -> _Said:
    time, latitude, north, longitude, east = place
    above_m = number(altitude)
    if above_m is not None and not ALTITUDES_M[0] <= above_m <= ALTITUDES_M[1]:
        raise ValueError("no altitude of a receiver")
    angles = degrees(latitude, north), degrees(longitude, east)
    # Half a position is none.
    latitude_deg, longitude_deg = (None, None) if None in angles else angles
    return {
        "time_of_day_s": time_of_day_s(time),
        "date": None,
        "quality": quality,
        "latitude_text": f"{latitude},{north}",
        "longitude_text": f"{longitude},{east}",
        "latitude_deg": latitude_deg,
        "longitude_deg": longitude_deg,
        "altitude_m": above_m,
        "separation_m": within(separation, -_SEPARATION_M, _SEPARATION_M),
        "satellites": whole(use[0], _MOST_SATELLITES),
        "hdop": within(use[1], 0.0, _LARGEST_DOP),
        "age_s": within(link[0], 0.0, _OLDEST_S),
        "station_id": whole(link[1], LARGEST_STATION_ID),
    }


_BEGINS_EPOCH = {"GGA": _said_by_gga, "GNS": _said_by_gns}


class EpochReader:
    """Builds epochs from the bytes of a receiver, in whatever pieces they arrive.

    An epoch is handed over when the sentence that ended the burst before arrives again, or when the time moves on:
    so a live view waits for nothing once it has seen one burst.
    """

    def __init__(self) -> None:
        self._rest = b""
        self._said: _Said | None = None  # of the epoch in hand
        self._date: date | None = None
        self._last_kind = ""
        self._closing_kind = ""
        self._handed_over: float | None = None
        self._last: Epoch | None = None
        self.sentences = 0
        self.bad_checksum = 0
        self.no_checksum = 0
        self.unreadable = 0
        self._second_talkers: list[tuple[Epoch, Epoch]] = []

    def second_talkers(self) -> list[tuple[Epoch, Epoch]]:
        """Return, once, the epochs of a moment that a second talker sent, each behind the one that was taken."""
        found, self._second_talkers = self._second_talkers, []
        return found

    def feed(self, data: bytes) -> Iterator[Epoch]:
        """Yield the epochs completed by `data`."""
        lines = (self._rest + data).split(b"\n")
        self._rest = lines.pop()
        if len(self._rest) > LONGEST_SENTENCE:
            # No line end in sight: not a sentence.  What may begin one is kept, nothing grows.
            self._rest = self._rest[-LONGEST_SENTENCE:]
        for line in lines:
            yield from self.line(line)

    def close(self) -> Iterator[Epoch]:
        """Yield what the last line and the last burst hold."""
        rest, self._rest = self._rest, b""
        if b"*" in rest:
            yield from self.line(rest)
        yield from self._hand_over()

    def line(self, line: bytes) -> Iterator[Epoch]:
        """Take one line in and yield the epoch it completes, if it does."""
        try:
            fields = fields_of(line[:LONGEST_SENTENCE])
        except BadChecksum:
            self.bad_checksum += 1
            return
        except NoChecksum:
            self.no_checksum += 1
            return
        if fields is None:
            return
        self.sentences += 1
        try:
            yield from self._take(fields)
        except (ValueError, IndexError):
            self.unreadable += 1

    def _take(self, fields: list[str]) -> Iterator[Epoch]:
        kind = fields[0][-3:]
        time_s = time_of_day_s(fields[1]) if kind in _TIMED else None
        if self._said is not None and time_s is not None and time_s != self._said["time_of_day_s"]:
            # The time has moved on: whatever came last ends a burst of this receiver.
            self._closing_kind = self._last_kind
            yield from self._hand_over()
        late = time_s is not None and time_s == self._handed_over
        if kind in _BEGINS_EPOCH:
            if late or (self._said is not None and time_s is not None):
                # A second talker's, or the other sentence of the same moment.
                first = self._last if self._said is None else Epoch(**self._said)
                if first is not None and len(self._second_talkers) < _MOST_SECOND_TALKERS:
                    self._second_talkers.append((first, Epoch(**_BEGINS_EPOCH[kind](fields))))
                return
            yield from self._hand_over()
            self._said = _BEGINS_EPOCH[kind](fields) | {"date": self._date}
        else:
            self._join(kind, fields, time_s)
        if kind == "GSV":
            kind += str(int(fields[1]) == int(fields[2]))
        self._last_kind = fields[0][:2] + kind
        if late:
            # Handed over too early (a sentence was lost in the burst before): the next burst waits for this one.
            self._closing_kind = self._last_kind
        elif self._last_kind == self._closing_kind:
            yield from self._hand_over()

    def _join(self, kind: str, fields: list[str], time_s: float | None) -> None:
        """Let the epoch in hand know what another sentence of its moment says."""
        if kind in ("RMC", "ZDA"):
            self._take_date(kind, fields, time_s)
        if kind == "RMC":
            self._take_speed(fields[7], fields[8], time_s)
        elif kind == "VTG":
            self._take_speed(fields[5], fields[1], None)
        elif kind == "GST":
            self._take_sigmas(fields, time_s)
        elif kind == "GSA":
            self._take_dops(fields)

    def _hand_over(self) -> Iterator[Epoch]:
        if self._said is not None:
            self._last, self._said = Epoch(**self._said), None
            self._handed_over = self._last.time_of_day_s
            yield self._last

    def _of_this_moment(self, time_s: float | None) -> _Said | None:
        """Return what is said of the epoch in hand, to add to it; None where there is none of this moment."""
        if self._said is not None and (time_s is None or time_s == self._said["time_of_day_s"]):
            return self._said
        return None

    def _take_date(self, kind: str, fields: list[str], time_s: float | None) -> None:
        if kind == "RMC":
            day = date_of(fields[9])
        else:
            day = date(int(fields[4]), int(fields[3]), int(fields[2])) if fields[2] else None
        if day is None:
            return
        self._date = day
        said = self._of_this_moment(time_s)
        if said is not None:
            said["date"] = day

    def _take_sigmas(self, fields: list[str], time_s: float | None) -> None:
        said = self._of_this_moment(time_s)
        if said is not None:
            major, minor, north, east, up = (within(fields[n], 0.0, _LARGEST_SIGMA_M) for n in (3, 4, 6, 7, 8))
            said |= {"sigma_east_m": east, "sigma_north_m": north, "sigma_up_m": up, "sigma_major_m": major, "sigma_minor_m": minor}
            said["orientation_deg"] = within(fields[5], -360.0, 360.0)

    def _take_speed(self, knots: str, course: str, time_s: float | None) -> None:
        said = self._of_this_moment(time_s)
        speed = within(knots, 0.0, _FASTEST_KNOTS)
        if said is not None and speed is not None:
            said |= {"speed_mps": speed * KNOT_MPS, "course_deg": within(course, 0.0, 360.0)}

    def _take_dops(self, fields: list[str]) -> None:
        if self._said is not None:
            self._said |= {"pdop": within(fields[15], 0.0, _LARGEST_DOP), "vdop": within(fields[17], 0.0, _LARGEST_DOP)}
