"""Epochs out of sentences: GGA makes one, GST, GSA, RMC and ZDA of the same moment join it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import date

from openstake.core.evidence import Epoch
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
)

_TIMED = ("GGA", "RMC", "GST", "ZDA")  # sentences whose first field is the time of the epoch


def epoch_from_gga(fields: list[str]) -> Epoch:
    """Return the epoch of a GGA; ValueError where a field is not what NMEA 0183 has there."""
    if len(fields) < 15:
        raise ValueError("GGA has 15 fields")
    station = whole(fields[14])
    return Epoch(
        time_of_day_s(fields[1]),
        None,
        int(fields[6] or 0),
        f"{fields[2]},{fields[3]}",
        f"{fields[4]},{fields[5]}",
        degrees(fields[2], fields[3]),
        degrees(fields[4], fields[5]),
        number(fields[9]),
        number(fields[11]),
        whole(fields[7]),
        number(fields[8]),
        number(fields[13]),
        station,
    )


class EpochReader:
    """Builds epochs from the bytes of a receiver, in whatever pieces they arrive.

    An epoch is handed over when the sentence that ended the burst before arrives again, or when the time moves on:
    so a live view waits for nothing once it has seen one burst.
    """

    def __init__(self) -> None:
        self._rest = b""
        self._epoch: Epoch | None = None
        self._date: date | None = None
        self._last_kind = ""
        self._closing_kind = ""
        self._handed_over: float | None = None
        self.sentences = 0
        self.bad_checksum = 0
        self.no_checksum = 0
        self.unreadable = 0

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
        if self._epoch is not None and time_s is not None and time_s != self._epoch.time_of_day_s:
            # The time has moved on: whatever came last ends a burst of this receiver.
            self._closing_kind = self._last_kind
            yield from self._hand_over()
        late = time_s is not None and time_s == self._handed_over
        if kind == "GGA":
            if late or (self._epoch is not None and time_s is not None):
                return  # a second talker's GGA of the same moment
            yield from self._hand_over()
            self._epoch = replace(epoch_from_gga(fields), date=self._date)
        elif kind in ("RMC", "ZDA"):
            self._take_date(kind, fields, time_s)
        elif kind == "GST":
            self._take_sigmas(fields, time_s)
        elif kind == "GSA":
            self._take_dops(fields)
        elif kind == "GSV":
            kind += str(int(fields[1]) == int(fields[2]))
        self._last_kind = fields[0][:2] + kind
        if late:
            # Handed over too early (a sentence was lost in the burst before): the next burst waits for this one.
            self._closing_kind = self._last_kind
        elif self._last_kind == self._closing_kind:
            yield from self._hand_over()

    def _hand_over(self) -> Iterator[Epoch]:
        if self._epoch is not None:
            self._handed_over = self._epoch.time_of_day_s
            yield self._epoch
            self._epoch = None

    def _of_this_moment(self, time_s: float | None) -> Epoch | None:
        if self._epoch is not None and (time_s is None or time_s == self._epoch.time_of_day_s):
            return self._epoch
        return None

    def _take_date(self, kind: str, fields: list[str], time_s: float | None) -> None:
        if kind == "RMC":
            day = date_of(fields[9])
        else:
            day = date(int(fields[4]), int(fields[3]), int(fields[2])) if fields[2] else None
        if day is None:
            return
        self._date = day
        epoch = self._of_this_moment(time_s)
        if epoch is not None:
            self._epoch = replace(epoch, date=day)

    def _take_sigmas(self, fields: list[str], time_s: float | None) -> None:
        epoch = self._of_this_moment(time_s)
        if epoch is not None:
            north, east, up = number(fields[6]), number(fields[7]), number(fields[8])
            self._epoch = replace(epoch, sigma_east_m=east, sigma_north_m=north, sigma_up_m=up)

    def _take_dops(self, fields: list[str]) -> None:
        if self._epoch is not None:
            self._epoch = replace(self._epoch, pdop=number(fields[15]), vdop=number(fields[17]))
