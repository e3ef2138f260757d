"""Navigation files, RINEX 2, 3 and 4, to broadcast ephemerides of every constellation and the ionosphere's coefficients.

Source: RINEX 2.11, tables A4, A10; RINEX 3.05, tables A5 to A24; RINEX 4.00, section 5.4 and tables A8 to A33.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from datetime import datetime
from itertools import chain
from math import inf
from typing import NamedTuple

from openstake.core.constants import GPS_MINUS_BEIDOU_S, WEEK_S
from openstake.core.errors import FileError
from openstake.core.sky.broadcast import KEPLERIAN, Ephemeris, is_possible
from openstake.core.sky.glonass import GlonassEphemeris, is_possible_state
from openstake.core.time_scales import gps_from_utc_s, gps_minus_utc_s, gps_seconds
from openstake.wire.rinex.observations import checked_header, finite

_MOST_WEEKS = 10_000
_MOST_EACH = 10_000  # messages of one satellite
_KEPLER_LINES, _GLONASS_LINES, _SBAS_LINES = 7, 3, 3
# A line more for GLONASS (status, group delay) since RINEX 3.05.
_GLONASS_LINES_SINCE, _GLONASS_LONG_LINES = 3.05, 4
# The messages of RINEX 4 that are those of RINEX 3.  CNAV and its like have other elements and are passed over.
_MESSAGES_4 = {"G": ("LNAV",), "J": ("LNAV",), "E": ("INAV", "FNAV"), "C": ("D1", "D2"), "I": ("LNAV", "L1NV"), "R": ("FDMA",)}
_FNAV_BIT = 1 << 1  # of Galileo's data sources: F/NAV on E5a


@dataclass(frozen=True, kw_only=True)
class NavigationFile:
    """Ephemerides by satellite (`G05`), Klobuchar's alpha and beta where they are said, and what else the file says.

    `impossible` counts the messages that no satellite can have sent, by satellite; `leap_seconds` is what the header says of GPS − UTC and
    `leap_seconds_then` what held then, where they differ.
    """

    ephemerides: dict[str, list[Ephemeris]]
    alpha: tuple[float, ...] | None
    beta: tuple[float, ...] | None
    glonass: dict[str, list[GlonassEphemeris]] = field(default_factory=dict)
    impossible: dict[str, int] = field(default_factory=dict)
    leap_seconds: int | None = None
    leap_seconds_then: int | None = None


class _Record(NamedTuple):
    """One message: satellite, kind of message (empty before RINEX 4), its moment, clock and the numbers of the lines below."""

    satellite: str
    message: str
    moment: datetime
    second: float
    clock: list[float]
    numbers: list[float]


def read_navigation(lines: Iterable[str], name: str = "The file") -> NavigationFile:
    """Return a navigation file from its lines; FileError with a sentence where there is none.

    Messages that no satellite can have sent are left out and counted.
    """
    lines = iter(lines)
    header, version, kind = checked_header(lines, name, "NG", "navigation", most=5.0)
    found = NavigationFile(ephemerides={}, alpha=None, beta=None)
    spoken: dict[str, tuple[float, ...]] = {}
    moments: list[float] = []
    try:
        spoken |= _ionosphere(header)
        for record in _records(lines, version, kind, spoken):
            moments.append(gps_seconds(record.moment, record.second))
            _take(found, record)
        leap_seconds, then = _leap_seconds(header, moments)
    except (ValueError, IndexError, StopIteration, RuntimeError, OverflowError):
        raise FileError(f"{name} has a record that is not as RINEX {version:.2f} has it; it may be cut.") from None
    if not found.ephemerides and not found.glonass:
        raise FileError(f"{name} holds no orbit of a satellite.")
    return NavigationFile(
        ephemerides=found.ephemerides,
        alpha=spoken.get("GPSA"),
        beta=spoken.get("GPSB"),
        glonass=found.glonass,
        impossible=found.impossible,
        leap_seconds=leap_seconds,
        leap_seconds_then=then if then != leap_seconds else None,
    )


def _take(found: NavigationFile, record: _Record) -> None:
    if record.satellite[0] == "R":
        state = _glonass(record)
        listed, possible = found.glonass, is_possible_state(state)
        if possible and len(listed.setdefault(record.satellite, [])) < _MOST_EACH:
            listed[record.satellite].append(state)
    else:
        message = _ephemeris(record)
        possible = is_possible(message)
        if possible and len(found.ephemerides.setdefault(record.satellite, [])) < _MOST_EACH:
            found.ephemerides[record.satellite].append(message)
    if not possible:
        found.impossible[record.satellite] = found.impossible.get(record.satellite, 0) + 1


def _leap_seconds(header: list[tuple[str, str]], moments: list[float]) -> tuple[int | None, int | None]:
    """Return what a header says of GPS − UTC, and what held at the middle of its records."""
    said = next((content for label, content in header if label == "LEAP SECONDS"), None)
    if said is None or not moments or said[24:27] == "BDS":
        return None, None
    return int(said[:6]), gps_minus_utc_s(sorted(moments)[len(moments) // 2])


def _number(text: str) -> float:
    return finite(text.replace("D", "e").replace("d", "e")) if text.strip() else 0.0


def _ionosphere(header: list[tuple[str, str]]) -> dict[str, tuple[float, ...]]:
    """Return Klobuchar's coefficients of a header by their name in RINEX 3 (`GPSA`, `BDSB` …): the first of each."""
    found: dict[str, tuple[float, ...]] = {}
    for label, content in header:
        if label in ("ION ALPHA", "ION BETA"):
            key, start = ("GPSA" if label == "ION ALPHA" else "GPSB"), 2
        elif label == "IONOSPHERIC CORR":
            key, start = content[:4].strip(), 5
        else:
            continue
        found.setdefault(key, tuple(_number(content[start + 12 * n : start + 12 * n + 12]) for n in range(4)))
    return found


# --- records ---


def _records(lines: Iterator[str], version: float, kind: str, spoken: dict[str, tuple[float, ...]]) -> Iterator[_Record]:
    if version < 3.0:
        return _records_2(lines, "R" if kind == "G" else "G")
    return _records_4(lines, spoken) if version >= 4.0 else _records_3(lines, version)


def _records_2(lines: Iterator[str], letter: str) -> Iterator[_Record]:
    count = _GLONASS_LINES if letter == "R" else _KEPLER_LINES
    for line in lines:
        if not line.strip():
            continue
        rest = [next(lines) for _ in range(count)]
        year, month, day, hour, minute = (int(part) for part in line[2:17].split())
        clock = [_number(line[22 + 19 * n : 41 + 19 * n]) for n in range(3)]
        moment = datetime(year + (1900 if year >= 80 else 2000), month, day, hour, minute)
        yield _Record(f"{letter}{int(line[:2]):02d}", "", moment, float(line[17:22]), clock, _numbers(rest, 3))


def _records_3(lines: Iterator[str], version: float) -> Iterator[_Record]:
    of_glonass = _GLONASS_LONG_LINES if version >= _GLONASS_LINES_SINCE else _GLONASS_LINES
    count = {"R": of_glonass, "S": _SBAS_LINES}
    for line in lines:
        if not line.strip():
            continue
        letter = line[0]
        if letter not in (*KEPLERIAN, *count):
            raise ValueError("no constellation has this letter")
        rest = [next(lines) for _ in range(count.get(letter, _KEPLER_LINES))]
        if letter != "S":
            yield _record_of(line, rest, "")


def _records_4(lines: Iterator[str], spoken: dict[str, tuple[float, ...]]) -> Iterator[_Record]:
    """Yield the messages of a RINEX 4 file; what it says of the ionosphere between them goes into `spoken`."""
    title: list[str] = []
    body: list[str] = []
    for line in chain(lines, ["> END"]):
        if not line.startswith(">"):
            if line.strip():
                body.append(line)
            continue
        if title[:1] == ["EPH"] and title[2] in _MESSAGES_4.get(title[1][0], ()):
            wanted = _GLONASS_LONG_LINES if title[1][0] == "R" else _KEPLER_LINES
            if len(body) != wanted + 1:
                raise ValueError("a message is cut")
            yield _record_of(body[0], body[1:], title[2])
        elif title[:1] == ["ION"] and title[1][0] == "G" and title[2] == "LNAV":
            _take_ionosphere(body, spoken)
        title, body = line[1:].split(), []


def _take_ionosphere(body: list[str], spoken: dict[str, tuple[float, ...]]) -> None:
    """Take Klobuchar's coefficients of a message: three on its first line, four on the next, one on the last."""
    first = [_number(body[0][23 + 19 * n : 42 + 19 * n]) for n in range(3)]
    values = (*first, *_numbers(body[1:3], 4)[:5])
    spoken.setdefault("GPSA", tuple(values[:4]))
    spoken.setdefault("GPSB", tuple(values[4:8]))


def _record_of(line: str, rest: list[str], message: str) -> _Record:
    year, month, day, hour, minute, second = (int(part) for part in line[4:23].split())
    clock = [_number(line[23 + 19 * n : 42 + 19 * n]) for n in range(3)]
    return _Record(f"{line[0]}{int(line[1:3]):02d}", message, datetime(year, month, day, hour, minute), second, clock, _numbers(rest, 4))


def _numbers(rest: list[str], start: int) -> list[float]:
    return [_number(row[start + 19 * n : start + 19 * n + 19]) for row in rest for n in range(4)]


# --- messages ---


def _glonass(record: _Record) -> GlonassEphemeris:
    """Return a state: its time is UTC there, its lengths are kilometres."""
    (x, vx, ax, health), (y, vy, ay, channel), (z, vz, az, _) = (record.numbers[4 * n : 4 * n + 4] for n in range(3))
    if channel != int(channel):
        raise ValueError("a frequency channel is a whole number")
    return GlonassEphemeris(
        satellite=record.satellite,
        orbit_time_s=gps_from_utc_s(gps_seconds(record.moment, record.second)),
        clock_s=record.clock[0],
        frequency_offset=record.clock[1],
        position_m=(1000.0 * x, 1000.0 * y, 1000.0 * z),
        velocity_m_s=(1000.0 * vx, 1000.0 * vy, 1000.0 * vz),
        acceleration_m_s2=(1000.0 * ax, 1000.0 * ay, 1000.0 * az),
        health=health,
        channel=int(channel),
    )


def _ephemeris(record: _Record) -> Ephemeris:
    """Return Kepler elements.  The week of the orbit's time is that in which it lies nearest to the clock's: constellations count their
    weeks differently."""
    orbit, letter = record.numbers, record.satellite[0]
    own_s = gps_seconds(record.moment, record.second)
    behind_s = float(GPS_MINUS_BEIDOU_S) if letter == "C" else 0.0
    since_clock_s = (orbit[8] - own_s + WEEK_S / 2) % WEEK_S - WEEK_S / 2
    if not 0.0 <= orbit[18] <= _MOST_WEEKS:
        since_clock_s = inf  # no week, and no orbit
    read = _DELAYS_AND_HEALTH.get(letter, _usual)
    health, delay_s, second_delay_s = read(orbit)
    return Ephemeris(
        satellite=record.satellite,
        clock_time_s=own_s + behind_s,
        clock_s=record.clock[0],
        clock_rate=record.clock[1],
        clock_drift_per_s=record.clock[2],
        sin_radius_m=orbit[1],
        motion_difference_rad_s=orbit[2],
        mean_anomaly_rad=orbit[3],
        cos_latitude_rad=orbit[4],
        eccentricity=orbit[5],
        sin_latitude_rad=orbit[6],
        sqrt_semi_major_axis=orbit[7],
        orbit_time_s=own_s + behind_s + since_clock_s,
        cos_inclination_rad=orbit[9],
        node_rad=orbit[10],
        sin_inclination_rad=orbit[11],
        inclination_rad=orbit[12],
        cos_radius_m=orbit[13],
        perigee_rad=orbit[14],
        node_rate_rad_s=orbit[15],
        inclination_rate_rad_s=orbit[16],
        health=health,
        group_delay_s=delay_s,
        second_group_delay_s=second_delay_s,
        message=_message(record),
        issue=int(orbit[0]),
    )


def _message(record: _Record) -> str:
    if record.message:
        return record.message
    if record.satellite[0] == "E":
        return "FNAV" if int(record.numbers[17]) & _FNAV_BIT else "INAV"
    return "LNAV"


def _usual(orbit: list[float]) -> tuple[float, float, float]:
    """GPS, QZSS, NavIC: health and one group delay."""
    return orbit[21], orbit[22], 0.0


def _two_delays(orbit: list[float]) -> tuple[float, float, float]:
    """Galileo and BeiDou: health and the group delays of two pairs of signals."""
    return orbit[21], orbit[22], orbit[23]


_DELAYS_AND_HEALTH: dict[str, Callable[[list[float]], tuple[float, float, float]]] = {"E": _two_delays, "C": _two_delays}
