"""Orbits by mean elements (TLE, OMM): a kilometre or two off after some days, so for planning alone."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray
from sgp4.api import Satrec

from openstake.core.constants import DAY_S
from openstake.core.sky.broadcast import OrbitStates
from openstake.core.sky.orbits import rotated_with_earth
from openstake.core.time_scales import GPS_START_JULIAN_DAY, gps_minus_utc_s

_J2000_JULIAN_DAY, _CENTURY_DAYS = 2451545.0, 36525.0
# How catalogues name satellites: by the code that they send, or a GLONASS satellite by its number.
_NAMES = (
    (re.compile(r"^(?:GPS|NAVSTAR)\b.*\(PRN\s*(\d{1,2})\)"), "G"),
    (re.compile(r"\((?:PRN\s*)?E(\d{1,2})\)"), "E"),
    (re.compile(r"\((?:PRN\s*)?C(\d{1,2})\)"), "C"),
    (re.compile(r"\((?:QZSS/)?PRN\s*(19[3-9]|20[0-2])\)"), "J"),
    (re.compile(r"\(PRN\s*I(\d{1,2})\)"), "I"),
    (re.compile(r"^COSMOS\b.*\((\d{3})K?\)"), "R"),
)
_FIRST_OF_QZSS = 193


def satellite_named(name: str) -> str | None:
    """Return the satellite (`G05`) that a catalogue's name is of; None for others.  A GLONASS satellite keeps its number (`R720`): its slot
    is not in the name."""
    for pattern, letter in _NAMES:
        found = pattern.search(name.upper())
        if found:
            number = int(found[1]) - (_FIRST_OF_QZSS - 1 if letter == "J" else 0)
            return f"{letter}{number:02d}"
    return None


class MeanElementsOrbit:
    """One satellite by SGP4 of its elements."""

    def __init__(self, satellite: str, elements: Satrec) -> None:
        self.satellite, self._elements = satellite, elements

    def states(self, gps_s: NDArray[np.float64]) -> OrbitStates:
        """Return the satellite at moments, (n,); no clock.

        From the true equator and mean equinox of date into Earth-fixed axes by the mean sidereal time of 1982, with UT1 = UTC (up to 0.9 s, or
        400 m) and without the pole's motion (10 m).  Sources: Spacetrack Report 3; D. Vallado and others, AIAA 2006-6753.
        """
        count = len(gps_s)
        utc_s = gps_s - (gps_minus_utc_s(float(gps_s[0])) if count else 0.0)
        whole = np.floor(utc_s / DAY_S)
        days, parts = GPS_START_JULIAN_DAY + whole, utc_s / DAY_S - whole
        error, place_km, _ = self._elements.sgp4_array(days, parts)
        xyz = rotated_with_earth(1000.0 * place_km, sidereal_angle_rad(days, parts))
        xyz[error != 0] = np.nan
        epoch = self._elements.jdsatepoch + self._elements.jdsatepochF
        age = np.abs(days - epoch + parts) * DAY_S
        return OrbitStates(xyz_m=xyz, clock_s=np.full(count, np.nan), age_s=age, healthy=np.ones(count, dtype=bool))


def sidereal_angle_rad(julian_days: NDArray[np.float64], parts: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return Greenwich mean sidereal time, radians, at UT1 as Julian days and parts of one.  Source: IAU 1982 (Aoki and others)."""
    centuries = (julian_days - _J2000_JULIAN_DAY + parts) / _CENTURY_DAYS
    # Whole turns of the day part are left out before anything is lost to rounding.
    seconds = 67310.54841 + 8640184.812866 * centuries + 0.093104 * centuries**2 - 6.2e-6 * centuries**3
    turns = (julian_days - _J2000_JULIAN_DAY) % 1.0 + parts
    return np.asarray(2.0 * np.pi * ((seconds / DAY_S + turns) % 1.0))
