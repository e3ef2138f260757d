"""Nominal constellations: the elements their operators publish as the design, not where satellites are today."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from openstake.core.sky.broadcast import OrbitStates
from openstake.core.sky.orbits import Elements, earth_fixed_positions_m
from openstake.core.time_scales import GPS_START_UNIX_S, gps_minus_utc_s


@dataclass(frozen=True)
class Signal:
    """One signal as an MSM carries it: its place in the signal mask (1…32) and its carrier in hertz.

    `per_channel_hz` is the step of a frequency-division channel (GLONASS), else 0.
    """

    msm_id: int
    carrier_hz: float
    per_channel_hz: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Constellation:
    """A constellation of the practice sky."""

    name: str
    letter: str
    nmea_talker: str
    nmea_system: int
    nmea_first_id: int
    msm4_number: int
    signals: tuple[Signal, ...]
    elements: Elements
    channels: tuple[int, ...]  # GLONASS frequency channel of each satellite; zeros elsewhere

    @property
    def size(self) -> int:
        return len(self.channels)


# GPS Standard Positioning Service Performance Standard, baseline 24-slot constellation: node and argument of
# latitude of each slot in degrees, epoch 1993-07-01 (from memory; only the spread over the sky matters here).
_GPS_SLOTS = (
    (272.847, (268.126, 161.786, 11.676, 41.806)),
    (332.847, (80.956, 173.336, 309.976, 204.376)),
    (32.847, (111.876, 11.796, 339.666, 241.556)),
    (92.847, (135.226, 265.446, 35.156, 167.356)),
    (152.847, (197.046, 302.596, 66.066, 333.686)),
    (212.847, (238.886, 345.226, 105.206, 135.346)),
)
# Antipodal satellites of a GLONASS plane share a channel (GLONASS ICD, 5.1); channel by slot (from memory).
_GLONASS_CHANNELS = (1, -4, 5, 6, 1, -4, 5, 6, -2, -7, 0, -1, -2, -7, 0, -1, 4, -3, 3, 2, 4, -3, 3, 2)


def _elements(axis_km: float, inclination_deg: float, node_deg: list[float], argument_deg: list[float]) -> Elements:
    count = len(node_deg)
    return Elements(
        semi_major_axis_m=np.full(count, axis_km * 1000.0),
        eccentricity=np.zeros(count),
        inclination_rad=np.full(count, np.radians(inclination_deg)),
        node_rad=np.radians(node_deg),
        perigee_rad=np.zeros(count),
        mean_anomaly_rad=np.radians(argument_deg),
    )


def _walker(axis_km: float, inclination_deg: float, total: int, planes: int, phasing: int, first_node_deg: float) -> Elements:
    """Return a Walker delta pattern total/planes/phasing.  Source: J. G. Walker, J. Brit. Interplan. Soc. 37, 1984."""
    per_plane = total // planes
    nodes, arguments = [], []
    for plane in range(planes):
        for slot in range(per_plane):
            nodes.append(first_node_deg + 360.0 * plane / planes)
            arguments.append(360.0 * slot / per_plane + 360.0 * phasing * plane / total)
    return _elements(axis_km, inclination_deg, nodes, arguments)


def _zeros(count: int) -> tuple[int, ...]:
    return (0,) * count


# Orbit radii and inclinations: the interface documents of each system.  Signal numbers: RTCM 10403.3, tables of the
# MSM signal mask.
GPS = Constellation(
    name="GPS",
    letter="G",
    nmea_talker="GP",
    nmea_system=1,
    nmea_first_id=1,
    msm4_number=1074,
    signals=(Signal(2, 1575.42e6), Signal(23, 1176.45e6)),
    elements=_elements(26559.7, 55.0, [node for node, row in _GPS_SLOTS for _ in row], [arg for _, row in _GPS_SLOTS for arg in row]),
    channels=_zeros(24),
)
GLONASS = Constellation(
    name="GLONASS",
    letter="R",
    nmea_talker="GL",
    nmea_system=2,
    nmea_first_id=65,
    msm4_number=1084,
    signals=(Signal(2, 1602.0e6, 0.5625e6), Signal(8, 1246.0e6, 0.4375e6)),
    elements=_walker(25508.0, 64.8, 24, 3, 1, 25.0),
    channels=_GLONASS_CHANNELS,
)
GALILEO = Constellation(
    name="Galileo",
    letter="E",
    nmea_talker="GA",
    nmea_system=3,
    nmea_first_id=1,
    msm4_number=1094,
    signals=(Signal(2, 1575.42e6), Signal(23, 1176.45e6)),
    elements=_walker(29600.3, 56.0, 24, 3, 1, 57.0),
    channels=_zeros(24),
)
# The 24 satellites of the medium orbit only; those above Asia add nothing at the practice sites.
BEIDOU = Constellation(
    name="BeiDou",
    letter="C",
    nmea_talker="GB",
    nmea_system=4,
    nmea_first_id=1,
    msm4_number=1124,
    signals=(Signal(2, 1561.098e6), Signal(8, 1268.52e6)),
    elements=_walker(27906.1, 55.0, 24, 3, 1, 95.0),
    channels=_zeros(24),
)

CONSTELLATIONS = (GPS, GLONASS, GALILEO, BEIDOU)
# 2025-01-01: the nominal elements are taken to hold then, at the sidereal angle of that midnight, rounded.
NOMINAL_UNIX_S, NOMINAL_ROTATION_RAD = 1_735_689_600.0, np.radians(100.8)


class NominalOrbit:
    """One satellite of a constellation's design: to practise under, never where one is today."""

    def __init__(self, constellation: Constellation, place: int) -> None:
        self.satellite = f"{constellation.letter}{place + 1:02d}"
        self._elements = Elements(**{item.name: getattr(constellation.elements, item.name)[place] for item in fields(Elements)})

    def states(self, gps_s: NDArray[np.float64]) -> OrbitStates:
        """Return the satellite at moments, (n,); no clock.  Its age is 0: there is nothing to grow old."""
        count = len(gps_s)
        leaps = gps_minus_utc_s(float(gps_s[0])) if count else 0
        elapsed = gps_s - leaps + GPS_START_UNIX_S - NOMINAL_UNIX_S
        xyz = earth_fixed_positions_m(self._elements, elapsed, float(NOMINAL_ROTATION_RAD))
        return OrbitStates(xyz_m=xyz, clock_s=np.full(count, np.nan), age_s=np.zeros(count), healthy=np.ones(count, dtype=bool))


def nominal_orbits() -> list[NominalOrbit]:
    """Return every satellite of the practice sky."""
    return [NominalOrbit(constellation, place) for constellation in CONSTELLATIONS for place in range(constellation.size)]
