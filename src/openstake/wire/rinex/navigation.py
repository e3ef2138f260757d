"""Navigation files, RINEX 2 and 3, to broadcast ephemerides of GPS and the ionosphere's coefficients.

Source: RINEX 2.11, table A4; RINEX 3.05, tables A5 and A6.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime

from openstake.core.constants import WEEK_S
from openstake.core.errors import FileError
from openstake.core.sky.broadcast import Ephemeris, is_possible
from openstake.wire.rinex.observations import checked_header, finite, gps_seconds

_MOST_EACH = 10_000  # messages of one satellite
_LINES_AFTER = {"G": 7, "E": 7, "C": 7, "J": 7, "I": 7, "R": 3, "S": 3}


@dataclass(frozen=True)
class NavigationFile:
    """Ephemerides by satellite (`G05`), and Klobuchar's alpha and beta where the header has them."""

    ephemerides: dict[str, list[Ephemeris]]
    alpha: tuple[float, ...] | None
    beta: tuple[float, ...] | None


def read_navigation(lines: Iterable[str], name: str = "The file") -> NavigationFile:
    """Return the GPS part of a navigation file from its lines; FileError with a sentence where there is none.

    Records that no orbit of such a satellite can have are left out.
    """
    lines = iter(lines)
    header, version = checked_header(lines, name, "N", "navigation")
    found: dict[str, list[Ephemeris]] = {}
    try:
        for ephemeris in _records_2(lines) if version < 3.0 else _records_3(lines):
            if is_possible(ephemeris) and len(found.setdefault(ephemeris.satellite, [])) < _MOST_EACH:
                found[ephemeris.satellite].append(ephemeris)
        alpha, beta = _ionosphere(header)
    except (ValueError, IndexError, StopIteration, RuntimeError, OverflowError):
        raise FileError(f"{name} has a record that is not as RINEX {version:.2f} has it; it may be cut.") from None
    found = {satellite: listed for satellite, listed in found.items() if listed}
    if not found:
        raise FileError(f"{name} holds no orbit of a GPS satellite.")
    return NavigationFile(found, alpha, beta)


def _number(text: str) -> float:
    return finite(text.replace("D", "e").replace("d", "e")) if text.strip() else 0.0


def _ionosphere(header: list[tuple[str, str]]) -> tuple[tuple[float, ...] | None, tuple[float, ...] | None]:
    found: dict[str, tuple[float, ...]] = {}
    for label, content in header:
        if label in ("ION ALPHA", "ION BETA"):
            key, start = ("GPSA" if label == "ION ALPHA" else "GPSB"), 2
        elif label == "IONOSPHERIC CORR":
            key, start = content[:4], 5
        else:
            continue
        found.setdefault(key, tuple(_number(content[start + 12 * n : start + 12 * n + 12]) for n in range(4)))
    return found.get("GPSA"), found.get("GPSB")


def _records_3(lines: Iterator[str]) -> Iterator[Ephemeris]:
    for line in lines:
        if not line.strip():
            continue
        letter = line[0]
        rest = [next(lines) for _ in range(_LINES_AFTER.get(letter, 0))]
        if letter != "G":
            continue
        year, month, day, hour, minute, second = (int(part) for part in line[4:23].split())
        clock = [_number(line[23 + 19 * n : 42 + 19 * n]) for n in range(3)]
        orbit = [_number(row[4 + 19 * n : 23 + 19 * n]) for row in rest for n in range(4)]
        moment = gps_seconds(datetime(year, month, day, hour, minute), float(second))
        yield _ephemeris(f"G{int(line[1:3]):02d}", moment, clock, orbit)


def _records_2(lines: Iterator[str]) -> Iterator[Ephemeris]:
    for line in lines:
        if not line.strip():
            continue
        rest = [next(lines) for _ in range(7)]
        year, month, day, hour, minute = (int(part) for part in line[2:17].split())
        clock = [_number(line[22 + 19 * n : 41 + 19 * n]) for n in range(3)]
        orbit = [_number(row[3 + 19 * n : 22 + 19 * n]) for row in rest for n in range(4)]
        moment = gps_seconds(datetime(year + (1900 if year >= 80 else 2000), month, day, hour, minute), float(line[17:22]))
        yield _ephemeris(f"G{int(line[:2]):02d}", moment, clock, orbit)


def _ephemeris(satellite: str, clock_time_s: float, clock: list[float], orbit: list[float]) -> Ephemeris:
    return Ephemeris(
        satellite=satellite,
        clock_time_s=clock_time_s,
        clock_s=clock[0],
        clock_rate=clock[1],
        clock_drift_per_s=clock[2],
        sin_radius_m=orbit[1],
        motion_difference_rad_s=orbit[2],
        mean_anomaly_rad=orbit[3],
        cos_latitude_rad=orbit[4],
        eccentricity=orbit[5],
        sin_latitude_rad=orbit[6],
        sqrt_semi_major_axis=orbit[7],
        orbit_time_s=orbit[18] * WEEK_S + orbit[8],
        cos_inclination_rad=orbit[9],
        node_rad=orbit[10],
        sin_inclination_rad=orbit[11],
        inclination_rad=orbit[12],
        cos_radius_m=orbit[13],
        perigee_rad=orbit[14],
        node_rate_rad_s=orbit[15],
        inclination_rate_rad_s=orbit[16],
        health=orbit[21],
        group_delay_s=orbit[22],
    )
