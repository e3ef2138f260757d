"""Broadcast orbits and clocks: where a satellite was, by its own word.

Kepler elements with corrections (GPS, QZSS, Galileo, BeiDou, NavIC); GLONASS is in `glonass.py`.  Times are GPS seconds since
1980-01-06, places Earth-fixed metres of the moment, in the frame of the constellation: WGS 84, GTRF, BDCS and their like agree with
ITRF within centimetres.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Protocol, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.constants import (
    BEIDOU_ROTATION_RAD_S,
    EARTH_GM_M3_S2,
    EARTH_ROTATION_RAD_S,
    GPS_MINUS_BEIDOU_S,
    IERS_GM_M3_S2,
    SPEED_OF_LIGHT_M_S,
    WEEK_S,
)
from openstake.core.limits import ELEMENTS_HOLD_S
from openstake.core.sky.orbits import eccentric_anomaly_rad, rotated_with_earth

LAST_S = 10_000 * WEEK_S  # in the year 2171
_GEO_TILT_RAD = np.radians(-5.0)


@dataclass(frozen=True, kw_only=True)
class Ephemeris:
    """One broadcast message of a satellite (`G05`): radians, metres, seconds; times in seconds since 1980-01-06, GPS time.

    `message` is the kind of message (`LNAV`, `INAV`, `FNAV`, `D1`, `D2`), `issue` its number of issue of orbit data.  Group delays:
    `group_delay_s` is TGD (GPS, QZSS, NavIC), BGD E5a/E1 (Galileo) or TGD1 (BeiDou), `second_group_delay_s` BGD E5b/E1 or TGD2.
    """

    satellite: str
    clock_time_s: float
    clock_s: float
    clock_rate: float
    clock_drift_per_s: float
    orbit_time_s: float
    sqrt_semi_major_axis: float
    eccentricity: float
    inclination_rad: float
    inclination_rate_rad_s: float
    node_rad: float
    node_rate_rad_s: float
    perigee_rad: float
    mean_anomaly_rad: float
    motion_difference_rad_s: float
    cos_radius_m: float
    sin_radius_m: float
    cos_latitude_rad: float
    sin_latitude_rad: float
    cos_inclination_rad: float
    sin_inclination_rad: float
    group_delay_s: float
    health: float
    second_group_delay_s: float = 0.0
    message: str = "LNAV"
    issue: int = 0


def is_possible(ephemeris: Ephemeris) -> bool:
    """Tell whether a message can be one of a satellite: IS-GPS-200, table 20-III, gives the ranges of its numbers.

    The square root of the semi-major axis is 2530 to 8192 √m, times lie within the weeks since 1980.  The eccentricity of a GPS
    satellite is 0 to 0.03; the others' fields hold up to 0.5, and two Galileo satellites have 0.16.
    """
    e = ephemeris
    return (
        2530.0 <= e.sqrt_semi_major_axis <= 8192.0
        and 0.0 <= e.eccentricity <= (0.03 if e.satellite[0] == "G" else 0.5)
        and 0.0 <= e.orbit_time_s < LAST_S
        and 0.0 <= e.clock_time_s < LAST_S
        and abs(e.clock_s) < 1.0
    )


@dataclass(frozen=True)
class SatelliteState:
    """Where a satellite is, Earth-fixed metres at that moment, and how far its clock is ahead, seconds."""

    xyz_m: NDArray[np.float64]
    clock_s: float


@dataclass(frozen=True, kw_only=True)
class OrbitStates:
    """One satellite at n moments: places (n, 3), Earth-fixed metres at each, NaN where nothing is known; its clock ahead, seconds
    (NaN where the source has none); how far each moment lies from the time of the elements used, seconds; and whether it was healthy."""

    xyz_m: NDArray[np.float64]
    clock_s: NDArray[np.float64]
    age_s: NDArray[np.float64]
    healthy: NDArray[np.bool_]


class Orbit(Protocol):
    """What says where one satellite is; `satellite` is its name (`G05`)."""

    @property
    def satellite(self) -> str: ...

    def states(self, gps_s: NDArray[np.float64]) -> OrbitStates:
        """Return the satellite at moments, (n,)."""
        ...


# --- Kepler ---


@dataclass(frozen=True)
class _System:
    """The constants of a constellation's interface document."""

    gm_m3_s2: float
    rotation_rad_s: float
    behind_gps_s: float = 0.0

    @property
    def relativity_s_per_sqrt_m(self) -> float:
        return float(-2.0 * np.sqrt(self.gm_m3_s2) / SPEED_OF_LIGHT_M_S**2)


# Sources: IS-GPS-200, table 20-IV; IS-QZSS-PNT, 5.1; Galileo OS SIS ICD, table 57; BeiDou B1I ICD, 3.2; NavIC SIS ICD, appendix A.
_SYSTEMS = {
    "G": _System(EARTH_GM_M3_S2, EARTH_ROTATION_RAD_S),
    "J": _System(EARTH_GM_M3_S2, EARTH_ROTATION_RAD_S),
    "I": _System(EARTH_GM_M3_S2, EARTH_ROTATION_RAD_S),
    "E": _System(IERS_GM_M3_S2, EARTH_ROTATION_RAD_S),
    "C": _System(IERS_GM_M3_S2, BEIDOU_ROTATION_RAD_S, GPS_MINUS_BEIDOU_S),
}
KEPLERIAN = tuple(_SYSTEMS)


def is_geostationary(satellite: str) -> bool:
    """Tell whether a BeiDou satellite is one of the geostationary ones, whose elements are meant otherwise.

    Source: BeiDou SIS ICD, B1I 3.0, table 4-1 and section 5.2.4.12: ranging codes 1 to 5 and 59 to 63.
    """
    return satellite[0] == "C" and (1 <= int(satellite[1:]) <= 5 or 59 <= int(satellite[1:]) <= 63)


def is_healthy(satellite: str, health: ArrayLike) -> NDArray[np.bool_]:
    """Tell whether a satellite says that it is healthy: nothing is set, but for a QZSS satellite the bit of a signal that it does not send.

    Source: IS-QZSS-PNT, section 4.1.2.3 (L1C/B is the last of the six bits; from memory).
    """
    bits = np.asarray(health, dtype=float)
    return np.asarray((bits == 0.0) | ((bits == 1.0) & (satellite[0] == "J")))


class KeplerOrbit:
    """One satellite by its messages: at each moment by the one nearest in time."""

    def __init__(self, ephemerides: Sequence[Ephemeris]) -> None:
        listed = sorted(ephemerides, key=lambda item: item.orbit_time_s)
        self.satellite = listed[0].satellite
        self._system = _SYSTEMS[self.satellite[0]]
        # A row for each number of a message: one gathering finds all that a moment needs.
        self._table = np.array([[getattr(item, name) for item in listed] for name in _NUMBERS])
        self._times = self._table[_AT["orbit_time_s"]]

    def states(self, gps_s: NDArray[np.float64]) -> OrbitStates:
        """Return the satellite at moments, (n,): antenna phase centre; the clock holds for two frequencies (no group delay).

        Source: IS-GPS-200, table 20-IV and section 20.3.3.3.3.1; the others' documents have the same with their own constants.
        """
        e = _Numbers(self._table[:, nearest(self._times, gps_s)])
        age = gps_s - e.orbit_time_s
        a = e.sqrt_semi_major_axis**2
        motion = np.sqrt(self._system.gm_m3_s2 / a**3) + e.motion_difference_rad_s
        anomaly = eccentric_anomaly_rad(e.mean_anomaly_rad + motion * age, e.eccentricity)
        true_anomaly = np.arctan2(np.sqrt(1.0 - e.eccentricity**2) * np.sin(anomaly), np.cos(anomaly) - e.eccentricity)
        argument = true_anomaly + e.perigee_rad
        double_cos, double_sin = np.cos(2.0 * argument), np.sin(2.0 * argument)
        argument = argument + e.cos_latitude_rad * double_cos + e.sin_latitude_rad * double_sin
        radius = a * (1.0 - e.eccentricity * np.cos(anomaly)) + e.cos_radius_m * double_cos + e.sin_radius_m * double_sin
        inclination = (
            e.inclination_rad + e.inclination_rate_rad_s * age + e.cos_inclination_rad * double_cos + e.sin_inclination_rad * double_sin
        )
        xyz = self._placed(e, age, radius * np.cos(argument), radius * np.sin(argument), inclination)
        since = gps_s - e.clock_time_s
        clock = e.clock_s + e.clock_rate * since + e.clock_drift_per_s * since**2
        clock = clock + self._system.relativity_s_per_sqrt_m * e.eccentricity * e.sqrt_semi_major_axis * np.sin(anomaly)
        return OrbitStates(xyz_m=xyz, clock_s=clock, age_s=np.abs(age), healthy=is_healthy(self.satellite, e.health))

    def _placed(
        self,
        e: _Numbers,
        age: NDArray[np.float64],
        along: NDArray[np.float64],
        across: NDArray[np.float64],
        inclination: NDArray[np.float64],
    ) -> NDArray[np.float64]:
        """Return the place in the orbital plane as Earth-fixed metres, (n, 3)."""
        rotation = self._system.rotation_rad_s
        geostationary = is_geostationary(self.satellite)
        # The node is counted from Greenwich at the start of the constellation's own week of the orbit's time.
        start = rotation * ((e.orbit_time_s - self._system.behind_gps_s) % WEEK_S)
        node = e.node_rad + e.node_rate_rad_s * age - start - (0.0 if geostationary else rotation * age)
        cos_node, sin_node = np.cos(node), np.sin(node)
        xyz = np.stack(
            [
                along * cos_node - across * np.cos(inclination) * sin_node,
                along * sin_node + across * np.cos(inclination) * cos_node,
                across * np.sin(inclination),
            ],
            axis=-1,
        )
        if not geostationary:
            return xyz
        # Their elements are in axes tilted by 5°, which do not turn: BeiDou SIS ICD, B1I 3.0, table 5-11.
        cos, sin = np.cos(_GEO_TILT_RAD), np.sin(_GEO_TILT_RAD)
        tilted = np.stack([xyz[:, 0], cos * xyz[:, 1] + sin * xyz[:, 2], cos * xyz[:, 2] - sin * xyz[:, 1]], axis=-1)
        return rotated_with_earth(tilted, rotation * age)


_NUMBERS = tuple(item.name for item in fields(Ephemeris) if item.name not in ("satellite", "message", "issue"))
_AT = {name: n for n, name in enumerate(_NUMBERS)}


class _Numbers:
    """The numbers of messages by their names, an array each."""

    def __init__(self, table: NDArray[np.float64]) -> None:
        self._table = table

    def __getattr__(self, name: str) -> NDArray[np.float64]:
        return np.asarray(self._table[_AT[name]])


def nearest(times_s: NDArray[np.float64], gps_s: ArrayLike) -> NDArray[np.intp]:
    """Return which of some times, in order, lies nearest to each moment."""
    moments = np.asarray(gps_s, dtype=float)
    after = np.clip(np.searchsorted(times_s, moments), 1, max(len(times_s) - 1, 1))
    before = after - 1
    if len(times_s) == 1:
        return np.zeros(moments.shape, dtype=np.intp)
    return np.asarray(np.where(moments - times_s[before] <= times_s[after] - moments, before, after))


def satellite_state(ephemeris: Ephemeris, gps_s: float) -> SatelliteState:
    """Return position and clock of a satellite at a GPS time by one message, as `KeplerOrbit` does."""
    found = KeplerOrbit([ephemeris]).states(np.array([gps_s]))
    return SatelliteState(found.xyz_m[0], float(found.clock_s[0]))


class _Message(Protocol):
    @property
    def satellite(self) -> str: ...
    @property
    def orbit_time_s(self) -> float: ...
    @property
    def health(self) -> float: ...


Message = TypeVar("Message", bound=_Message)


def best_ephemeris(ephemerides: Sequence[Message], gps_s: float) -> Message | None:
    """Return the healthy message of one satellite nearest in time, None where none holds."""
    usable = [
        item
        for item in ephemerides
        if abs(gps_s - item.orbit_time_s) <= ELEMENTS_HOLD_S[item.satellite[0]] and is_healthy(item.satellite, item.health)
    ]
    return min(usable, key=lambda item: abs(gps_s - item.orbit_time_s)) if usable else None
