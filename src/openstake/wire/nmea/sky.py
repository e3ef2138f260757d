"""Which satellites a receiver lists and uses: GSV and GSA.

Source: NMEA 0183 version 4.11, GSV, GSA and its tables of satellite numbers and system IDs.
"""

from __future__ import annotations

from dataclasses import replace

from openstake.core.evidence import InView
from openstake.wire.nmea.sentence import BadChecksum, NoChecksum, fields_of, within

# First satellite number of each talker; what lies above it by its count is another system's (SBAS under GP).
_TALKERS = {"GP": ("GPS", 0, 32), "GL": ("GLONASS", 64, 32), "GA": ("Galileo", 0, 36), "GB": ("BeiDou", 0, 64), "GQ": ("QZSS", 0, 10)}
_SYSTEMS = {"1": "GP", "2": "GL", "3": "GA", "4": "GB", "5": "GQ"}
_LONGEST_REST = 4096
_STRONGEST_DBHZ = 99.0


class SkyReader:
    """Takes the bytes of a receiver and keeps its last whole view, by talker."""

    def __init__(self) -> None:
        self._rest = b""
        self._growing: dict[str, dict[int, InView]] = {}
        self._whole: dict[str, dict[int, InView]] = {}
        self._using: dict[str, set[int]] = {}
        self._used: dict[str, set[int]] = {}

    def feed(self, data: bytes) -> None:
        lines = (self._rest + data).split(b"\n")
        self._rest = lines.pop()[-_LONGEST_REST:]
        for line in lines:
            head = line[:8]
            if b"GSA" not in head:
                self._end_used()
            if b"GSV" not in head and b"GSA" not in head:
                continue
            try:
                fields = fields_of(line)
                if fields is not None:
                    (self._take_used if b"GSA" in head else self._take)(fields)
            except (BadChecksum, NoChecksum, ValueError, IndexError):
                continue

    def _take(self, fields: list[str]) -> None:
        talker = fields[0][:2]
        if talker not in _TALKERS:
            return
        constellation, first, count = _TALKERS[talker]
        total, place = int(fields[1]), int(fields[2])
        if place == 1:
            self._growing[talker] = {}
        growing = self._growing.setdefault(talker, {})
        # Four fields a satellite; a signal ID may follow the last one.
        for at in range(4, len(fields) - 3, 4):
            number, strength = fields[at], fields[at + 3]
            elevation, azimuth = within(fields[at + 1], -90.0, 90.0), within(fields[at + 2], 0.0, 360.0)
            if number and elevation is not None and azimuth is not None and 0 < int(number) - first <= count:
                own = int(number) - first
                cnr = within(strength, 0.0, _STRONGEST_DBHZ)
                growing[own] = InView(
                    constellation=constellation, number=own, elevation_deg=elevation, azimuth_deg=azimuth, cnr_dbhz=cnr or None
                )
        if place == total:
            # The next signal of the same satellites comes as a set of its own, and is the same sky.
            self._whole[talker] = dict(growing)

    def _take_used(self, fields: list[str]) -> None:
        """Take one GSA: twelve satellites at most, so that those of one system may come in several, one after the other."""
        talker = _SYSTEMS.get(fields[18], "") if len(fields) > 18 else fields[0][:2]
        for text in fields[3:15]:
            owner = talker if talker in _TALKERS else _owner(text)
            if owner is None:
                continue
            using = self._using.setdefault(owner, set())
            if text:
                using.add(int(text) - _TALKERS[owner][1])

    def _end_used(self) -> None:
        if self._using:
            self._used |= self._using
            self._using = {}

    def in_view(self) -> tuple[InView, ...]:
        """Return the satellites of the last whole view, each with whether it is used where the receiver says so."""
        self._end_used()
        return tuple(
            replace(item, used=item.number in self._used[talker] if talker in self._used else None)
            for talker, seen in self._whole.items()
            for item in seen.values()
        )


def _owner(text: str) -> str | None:
    """Return whose number one is in a GSA of all systems without a system ID: GPS and GLONASS alone can be told."""
    number = int(text) if text else 0
    return "GP" if 1 <= number <= 32 else "GL" if 65 <= number <= 96 else None
