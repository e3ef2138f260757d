"""Observation epochs to a RINEX 3.05 file.

Source: RINEX 3.05, tables A2 (header) and A3 (records).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from itertools import pairwise

from openstake.core.constants import GPS_MINUS_UTC_S
from openstake.core.observation import ObservationEpoch, Observed
from openstake.core.time_scales import GPS_START

_ORDER = "GRECJIS"
_KIND_ORDER = "CLDS"


@dataclass(frozen=True, kw_only=True)
class RinexHeader:
    """What a file says of its marker and gear: metres; `antenna_height_m` is the ARP above the marker."""

    marker: str
    approximate_xyz_m: tuple[float, float, float]
    antenna_height_m: float
    receiver: str = ""
    receiver_serial: str = ""
    firmware: str = ""
    antenna: str = ""
    antenna_serial: str = ""
    observer: str = ""
    made_unix_s: float = 0.0
    glonass_channels: Mapping[int, int] = field(default_factory=dict)
    comments: tuple[str, ...] = ()


def write_observations(header: RinexHeader, epochs: Iterable[ObservationEpoch]) -> str:
    """Return the text of a file; ValueError for no epochs."""
    kept = in_order(epoch for epoch in epochs if any(epoch.satellites.values()))
    if not kept:
        raise ValueError("no epochs to write")
    codes = _codes(kept)
    lines = [*_header_lines(header, kept, codes)]
    for epoch in kept:
        lines += _epoch_lines(epoch, codes)
    return "\n".join(lines) + "\n"


def in_order(epochs: Iterable[ObservationEpoch]) -> list[ObservationEpoch]:
    """Return epochs in the order of their times, those of one time as one: a stream that was sent twice is one file."""
    found: dict[float, dict[str, dict[str, Observed]]] = {}
    for epoch in epochs:
        found.setdefault(epoch.gps_s, {}).update(epoch.satellites)
    return [ObservationEpoch(gps_s, found[gps_s]) for gps_s in sorted(found)]


def _codes(epochs: Iterable[ObservationEpoch]) -> dict[str, list[str]]:
    found: dict[str, set[str]] = {}
    for epoch in epochs:
        for name, values in epoch.satellites.items():
            found.setdefault(name[0], set()).update(values)
    return {
        letter: sorted(found[letter], key=lambda code: (code[1:], _KIND_ORDER.index(code[0]))) for letter in _ORDER if found.get(letter)
    }


def _line(content: str, label: str) -> str:
    return f"{content[:60]:<60}{label}"


def _words(text: str, width: int) -> str:
    return f"{text.encode('ascii', 'replace').decode()[:width]:<{width}}"


def _header_lines(header: RinexHeader, epochs: list[ObservationEpoch], codes: dict[str, list[str]]) -> Iterator[str]:
    made = datetime.fromtimestamp(header.made_unix_s, UTC)
    x, y, z = header.approximate_xyz_m
    yield _line(f"{3.05:9.2f}{'':11}{'OBSERVATION DATA':<20}{'M: MIXED':<20}", "RINEX VERSION / TYPE")
    yield _line(f"{'Open Stake':<20}{_words(header.observer, 20)}{made:%Y%m%d %H%M%S} UTC", "PGM / RUN BY / DATE")
    for comment in header.comments:
        for start in range(0, max(len(comment), 1), 60):
            yield _line(_words(comment[start : start + 60], 60), "COMMENT")
    yield _line(_words(header.marker, 60), "MARKER NAME")
    yield _line("GEODETIC", "MARKER TYPE")
    yield _line(f"{_words(header.observer, 20)}", "OBSERVER / AGENCY")
    yield _line(_words(header.receiver_serial, 20) + _words(header.receiver, 20) + _words(header.firmware, 20), "REC # / TYPE / VERS")
    yield _line(_words(header.antenna_serial, 20) + _words(header.antenna, 20), "ANT # / TYPE")
    yield _line(f"{x:14.4f}{y:14.4f}{z:14.4f}", "APPROX POSITION XYZ")
    yield _line(f"{header.antenna_height_m:14.4f}{0.0:14.4f}{0.0:14.4f}", "ANTENNA: DELTA H/E/N")
    for letter, of_letter in codes.items():
        for start in range(0, len(of_letter), 13):
            head = f"{letter:1}  {len(of_letter):3d}" if start == 0 else " " * 6
            listed = "".join(f" {code}" for code in of_letter[start : start + 13])
            yield _line(head + listed, "SYS / # / OBS TYPES")
    yield _line("DBHZ", "SIGNAL STRENGTH UNIT")
    if len(epochs) > 1:
        steps = sorted(later.gps_s - earlier.gps_s for earlier, later in pairwise(epochs))
        yield _line(f"{steps[len(steps) // 2]:10.3f}", "INTERVAL")
    yield _line(_moment(epochs[0].gps_s), "TIME OF FIRST OBS")
    yield _line(_moment(epochs[-1].gps_s), "TIME OF LAST OBS")
    for letter in codes:
        yield _line(letter, "SYS / PHASE SHIFT")
    if "R" in codes:
        channels = sorted(header.glonass_channels.items())
        for start in range(0, max(len(channels), 1), 8):
            head = f"{len(channels):3d} " if start == 0 else " " * 4
            listed = "".join(f"R{satellite:02d} {channel:2d} " for satellite, channel in channels[start : start + 8])
            yield _line(head + listed, "GLONASS SLOT / FRQ #")
        yield _line("", "GLONASS COD/PHS/BIS")
    yield _line(f"{GPS_MINUS_UTC_S:6d}", "LEAP SECONDS")
    yield _line("", "END OF HEADER")


def _moment(gps_s: float) -> str:
    moment, seconds = _tag(gps_s)
    return f"{moment.year:6d}{moment.month:6d}{moment.day:6d}{moment.hour:6d}{moment.minute:6d}{seconds:>13}     GPS"


def _tag(gps_s: float) -> tuple[datetime, str]:
    """Return the minute of an epoch and its seconds with seven decimals.

    A double of today's GPS seconds is good to 0.2 µs: what it says beyond the microsecond is its own rounding.
    """
    whole_s, microseconds = divmod(round(gps_s * 1e6), 1_000_000)
    moment = GPS_START + timedelta(seconds=whole_s)
    return moment, f"{moment.second}.{microseconds:06d}0"


def _epoch_lines(epoch: ObservationEpoch, codes: dict[str, list[str]]) -> Iterator[str]:
    moment, seconds = _tag(epoch.gps_s)
    names = sorted((name for name, values in epoch.satellites.items() if values), key=lambda name: (_ORDER.index(name[0]), name))
    yield f"> {moment:%Y %m %d %H %M}{seconds:>11}  0{len(names):3d}"
    for name in names:
        values = epoch.satellites[name]
        yield (name + "".join(_value(values.get(code), code) for code in codes[name[0]])).rstrip()


def _value(observed: Observed | None, code: str) -> str:
    if observed is None:
        return " " * 16
    lli = str(observed.lli) if code[0] == "L" and observed.lli else " "
    return f"{observed.value:14.3f}{lli} "
