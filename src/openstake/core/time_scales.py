"""GPS time and UTC: leap seconds as they were told, and a calendar date as seconds."""

from __future__ import annotations

from bisect import bisect_right
from datetime import UTC, datetime, timedelta

GPS_START = datetime(1980, 1, 6)
GPS_START_UNIX_S = 315_964_800.0
GPS_START_JULIAN_DAY = 2444244.5

# The days from which GPS time has been ahead of UTC by one second more.  Source: IERS Bulletin C; none was announced after 2017.
_STEPS = (
    *((1981, 7), (1982, 7), (1983, 7), (1985, 7), (1988, 1), (1990, 1), (1991, 1), (1992, 7), (1993, 7)),
    *((1994, 7), (1996, 1), (1997, 7), (1999, 1), (2006, 1), (2009, 1), (2012, 7), (2015, 7), (2017, 1)),
)
_STEP_TIMES = tuple((datetime(year, month, 1) - GPS_START).total_seconds() for year, month in _STEPS)


def gps_minus_utc_s(utc_s: float) -> int:
    """Return by how much GPS time is ahead of UTC; `utc_s` are seconds of UTC since 1980-01-06, leap seconds not counted."""
    return bisect_right(_STEP_TIMES, utc_s)


def gps_from_utc_s(utc_s: float) -> float:
    """Return GPS seconds of seconds of UTC, both since 1980-01-06."""
    return utc_s + gps_minus_utc_s(utc_s)


def gps_from_unix_s(unix_s: float) -> float:
    """Return GPS seconds since 1980-01-06 of Unix seconds (UTC)."""
    return gps_from_utc_s(unix_s - GPS_START_UNIX_S)


def utc_of_gps(gps_s: float) -> datetime:
    """Return a GPS moment as a UTC date."""
    leaps = bisect_right([step + n for n, step in enumerate(_STEP_TIMES)], gps_s - 1.0)
    return GPS_START.replace(tzinfo=UTC) + timedelta(seconds=gps_s - leaps)


def gps_seconds(moment: datetime, seconds: float) -> float:
    """Return seconds since 1980-01-06 of a date, hour and minute with its seconds beside it, in one and the same scale of time."""
    return (moment - GPS_START).total_seconds() + seconds
