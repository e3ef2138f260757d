"""Which satellites a receiver says it sees: GSV.  Source: NMEA 0183 version 4.11, GSV and its table of satellite numbers."""

from __future__ import annotations

from openstake.core.evidence import InView
from openstake.wire.nmea.sentence import BadChecksum, NoChecksum, fields_of

# First satellite number of each talker; what lies above it by its count is another system's (SBAS under GP).
_TALKERS = {"GP": ("GPS", 0, 32), "GL": ("GLONASS", 64, 32), "GA": ("Galileo", 0, 36), "GB": ("BeiDou", 0, 64), "GQ": ("QZSS", 0, 10)}  # fmt: skip
_LONGEST_REST = 4096


class SkyReader:
    """Takes the bytes of a receiver and keeps its last whole view, by talker."""

    def __init__(self) -> None:
        self._rest = b""
        self._growing: dict[str, dict[int, InView]] = {}
        self._whole: dict[str, dict[int, InView]] = {}

    def feed(self, data: bytes) -> None:
        lines = (self._rest + data).split(b"\n")
        self._rest = lines.pop()[-_LONGEST_REST:]
        for line in lines:
            if b"GSV" not in line[:8]:
                continue
            try:
                fields = fields_of(line)
                if fields is not None:
                    self._take(fields)
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
            number, elevation, azimuth = fields[at : at + 3]
            if number and elevation and azimuth and 0 < int(number) - first <= count:
                own = int(number) - first
                growing[own] = InView(constellation, own, float(elevation), float(azimuth))
        if place == total:
            # The next signal of the same satellites comes as a set of its own, and is the same sky.
            self._whole[talker] = dict(growing)

    def in_view(self) -> tuple[InView, ...]:
        """Return the satellites of the last whole view."""
        return tuple(item for seen in self._whole.values() for item in seen.values())
