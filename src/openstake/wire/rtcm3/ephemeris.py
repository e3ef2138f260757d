"""Broadcast ephemerides on the air: 1019 (GPS), 1020 (GLONASS), 1041 (NavIC), 1042 (BeiDou), 1044 (QZSS), 1045 and 1046 (Galileo).

Source: RTCM 10403.3, tables 3.5-21 to 3.5-25 and 3.5-101 to 3.5-104, with the data fields named there.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import pi
from typing import NamedTuple

from openstake.core.constants import DAY_S, GPS_MINUS_BEIDOU_S, MOSCOW_MINUS_UTC_S, WEEK_S
from openstake.core.sky.broadcast import Ephemeris, is_possible
from openstake.core.sky.glonass import GlonassEphemeris, is_possible_state
from openstake.core.time_scales import gps_from_utc_s, gps_minus_utc_s
from openstake.wire.rtcm3.bits import BitReader


class _Field(NamedTuple):
    """A field: what it is called (empty: passed over), its bits (negative: with a sign), and what it counts."""

    name: str
    bits: int
    unit: float = 1.0


def _half_turns(power: int) -> float:
    """Return radians of two to a power of half turns: angles are sent in those."""
    return pi * 2.0**power


_EPHEMERIS_OF_GPS = (
    _Field("number", 6), _Field("week", 10), _Field("", 4), _Field("", 2),
    _Field("inclination_rate_rad_s", -14, _half_turns(-43)), _Field("issue", 8), _Field("clock_time_s", 16, 16.0),
    _Field("clock_drift_per_s", -8, 2.0**-55), _Field("clock_rate", -16, 2.0**-43), _Field("clock_s", -22, 2.0**-31), _Field("", 10),
    _Field("sin_radius_m", -16, 2.0**-5), _Field("motion_difference_rad_s", -16, _half_turns(-43)),
    _Field("mean_anomaly_rad", -32, _half_turns(-31)), _Field("cos_latitude_rad", -16, 2.0**-29), _Field("eccentricity", 32, 2.0**-33),
    _Field("sin_latitude_rad", -16, 2.0**-29), _Field("sqrt_semi_major_axis", 32, 2.0**-19), _Field("orbit_time_s", 16, 16.0),
    _Field("cos_inclination_rad", -16, 2.0**-29), _Field("node_rad", -32, _half_turns(-31)), _Field("sin_inclination_rad", -16, 2.0**-29),
    _Field("inclination_rad", -32, _half_turns(-31)), _Field("cos_radius_m", -16, 2.0**-5), _Field("perigee_rad", -32, _half_turns(-31)),
    _Field("node_rate_rad_s", -24, _half_turns(-43)), _Field("group_delay_s", -8, 2.0**-31), _Field("health", 6), _Field("", 1), _Field("", 1),
)  # fmt: skip
_EPHEMERIS_OF_QZSS = (
    _Field("number", 4), _Field("clock_time_s", 16, 16.0), _Field("clock_drift_per_s", -8, 2.0**-55), _Field("clock_rate", -16, 2.0**-43),
    _Field("clock_s", -22, 2.0**-31), _Field("issue", 8), _Field("sin_radius_m", -16, 2.0**-5),
    _Field("motion_difference_rad_s", -16, _half_turns(-43)), _Field("mean_anomaly_rad", -32, _half_turns(-31)),
    _Field("cos_latitude_rad", -16, 2.0**-29), _Field("eccentricity", 32, 2.0**-33), _Field("sin_latitude_rad", -16, 2.0**-29),
    _Field("sqrt_semi_major_axis", 32, 2.0**-19), _Field("orbit_time_s", 16, 16.0), _Field("cos_inclination_rad", -16, 2.0**-29),
    _Field("node_rad", -32, _half_turns(-31)), _Field("sin_inclination_rad", -16, 2.0**-29), _Field("inclination_rad", -32, _half_turns(-31)),
    _Field("cos_radius_m", -16, 2.0**-5), _Field("perigee_rad", -32, _half_turns(-31)), _Field("node_rate_rad_s", -24, _half_turns(-43)),
    _Field("inclination_rate_rad_s", -14, _half_turns(-43)), _Field("", 2), _Field("week", 10), _Field("", 4), _Field("health", 6),
    _Field("group_delay_s", -8, 2.0**-31), _Field("", 10), _Field("", 1),
)  # fmt: skip
_ORBIT_OF_GALILEO = (
    _Field("number", 6), _Field("week", 12), _Field("issue", 10), _Field("", 8), _Field("inclination_rate_rad_s", -14, _half_turns(-43)),
    _Field("clock_time_s", 14, 60.0), _Field("clock_drift_per_s", -6, 2.0**-59), _Field("clock_rate", -21, 2.0**-46),
    _Field("clock_s", -31, 2.0**-34), _Field("sin_radius_m", -16, 2.0**-5), _Field("motion_difference_rad_s", -16, _half_turns(-43)),
    _Field("mean_anomaly_rad", -32, _half_turns(-31)), _Field("cos_latitude_rad", -16, 2.0**-29), _Field("eccentricity", 32, 2.0**-33),
    _Field("sin_latitude_rad", -16, 2.0**-29), _Field("sqrt_semi_major_axis", 32, 2.0**-19), _Field("orbit_time_s", 14, 60.0),
    _Field("cos_inclination_rad", -16, 2.0**-29), _Field("node_rad", -32, _half_turns(-31)), _Field("sin_inclination_rad", -16, 2.0**-29),
    _Field("inclination_rad", -32, _half_turns(-31)), _Field("cos_radius_m", -16, 2.0**-5), _Field("perigee_rad", -32, _half_turns(-31)),
    _Field("node_rate_rad_s", -24, _half_turns(-43)), _Field("group_delay_s", -10, 2.0**-32),
)  # fmt: skip
_EPHEMERIS_OF_BEIDOU = (
    _Field("number", 6), _Field("week", 13), _Field("", 4), _Field("inclination_rate_rad_s", -14, _half_turns(-43)), _Field("issue", 5),
    _Field("clock_time_s", 17, 8.0), _Field("clock_drift_per_s", -11, 2.0**-66), _Field("clock_rate", -22, 2.0**-50),
    _Field("clock_s", -24, 2.0**-33), _Field("", 5), _Field("sin_radius_m", -18, 2.0**-6),
    _Field("motion_difference_rad_s", -16, _half_turns(-43)), _Field("mean_anomaly_rad", -32, _half_turns(-31)),
    _Field("cos_latitude_rad", -18, 2.0**-31), _Field("eccentricity", 32, 2.0**-33), _Field("sin_latitude_rad", -18, 2.0**-31),
    _Field("sqrt_semi_major_axis", 32, 2.0**-19), _Field("orbit_time_s", 17, 8.0), _Field("cos_inclination_rad", -18, 2.0**-31),
    _Field("node_rad", -32, _half_turns(-31)), _Field("sin_inclination_rad", -18, 2.0**-31), _Field("inclination_rad", -32, _half_turns(-31)),
    _Field("cos_radius_m", -18, 2.0**-6), _Field("perigee_rad", -32, _half_turns(-31)), _Field("node_rate_rad_s", -24, _half_turns(-43)),
    _Field("group_delay_s", -10, 1e-10), _Field("second_group_delay_s", -10, 1e-10), _Field("health", 1),
)  # fmt: skip
_EPHEMERIS_OF_NAVIC = (
    _Field("number", 6), _Field("week", 10), _Field("clock_s", -22, 2.0**-31), _Field("clock_rate", -16, 2.0**-43),
    _Field("clock_drift_per_s", -8, 2.0**-55), _Field("", 4), _Field("clock_time_s", 16, 16.0), _Field("group_delay_s", -8, 2.0**-31),
    _Field("motion_difference_rad_s", -22, _half_turns(-41)), _Field("issue", 8), _Field("", 10), _Field("health", 2),
    _Field("cos_latitude_rad", -15, 2.0**-28), _Field("sin_latitude_rad", -15, 2.0**-28), _Field("cos_inclination_rad", -15, 2.0**-28),
    _Field("sin_inclination_rad", -15, 2.0**-28), _Field("cos_radius_m", -15, 2.0**-4), _Field("sin_radius_m", -15, 2.0**-4),
    _Field("inclination_rate_rad_s", -14, _half_turns(-43)), _Field("mean_anomaly_rad", -32, _half_turns(-31)),
    _Field("orbit_time_s", 16, 16.0), _Field("eccentricity", 32, 2.0**-33), _Field("sqrt_semi_major_axis", 32, 2.0**-19),
    _Field("node_rad", -32, _half_turns(-31)), _Field("perigee_rad", -32, _half_turns(-31)),
    _Field("node_rate_rad_s", -22, _half_turns(-41)), _Field("inclination_rad", -32, _half_turns(-31)), _Field("", 2), _Field("", 2),
)  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class _Kind:
    """A message: whose, its fields, the kind of message in it, and its weeks: how many until they begin anew, and how far behind GPS's."""

    letter: str
    fields: tuple[_Field, ...]
    message: str
    weeks: int = 1024
    weeks_behind: int = 0
    behind_gps_s: float = 0.0


_KINDS = {
    1019: _Kind(letter="G", fields=_EPHEMERIS_OF_GPS, message="LNAV"),
    1041: _Kind(letter="I", fields=_EPHEMERIS_OF_NAVIC, message="LNAV"),
    1042: _Kind(
        letter="C", fields=_EPHEMERIS_OF_BEIDOU, message="LNAV", weeks=8192, weeks_behind=1356, behind_gps_s=float(GPS_MINUS_BEIDOU_S)
    ),
    1044: _Kind(letter="J", fields=_EPHEMERIS_OF_QZSS, message="LNAV"),
    1045: _Kind(letter="E", fields=(*_ORBIT_OF_GALILEO, _Field("health", 3), _Field("", 7)), message="FNAV", weeks=4096, weeks_behind=1024),
    1046: _Kind(
        letter="E",
        fields=(*_ORBIT_OF_GALILEO, _Field("second_group_delay_s", -10, 2.0**-32), _Field("health", 6), _Field("", 2)),
        message="INAV",
        weeks=4096,
        weeks_behind=1024,
    ),
}
_GLONASS, _GLONASS_BITS = 1020, 360
EPHEMERIS_NUMBERS = frozenset({*_KINDS, _GLONASS})


def decode_ephemeris(payload: bytes, near_gps_s: float) -> Ephemeris | GlonassEphemeris | None:
    """Return the ephemeris in a message that was heard about a GPS time (seconds since 1980-01-06, to some days).

    None where no satellite can have sent it, or where its week says that it is of another time.  ValueError where it is too short.
    """
    bits = BitReader(payload)
    number = bits.unsigned(12)
    if number == _GLONASS:
        return _glonass(bits, near_gps_s)
    kind = _KINDS[number]
    values: dict[str, float] = {}
    for name, width, unit in kind.fields:
        value = bits.signed(-width) if width < 0 else bits.unsigned(width)
        if name:
            values[name] = value * unit
    week, satellite = int(values.pop("week")), f"{kind.letter}{int(values.pop('number')):02d}"
    for name in ("clock_time_s", "orbit_time_s"):
        values[name] = near_gps_s + (values[name] + kind.behind_gps_s - near_gps_s + WEEK_S / 2) % WEEK_S - WEEK_S / 2
    # The week of the clock's time: within half a week of now it is known without asking, and asked all the same.
    now = int((values["orbit_time_s"] - kind.behind_gps_s) // WEEK_S) - kind.weeks_behind
    if not any((now + step - week) % kind.weeks == 0 for step in (-1, 0, 1)):
        return None
    issue = int(values.pop("issue"))
    found = Ephemeris(**values, satellite=satellite, message=kind.message, issue=issue)
    return found if is_possible(found) else None


def _sign_and_size(bits: BitReader, width: int) -> int:
    """Return a number sent as a sign and its size, as GLONASS does."""
    value = bits.unsigned(width)
    return -(value & ((1 << (width - 1)) - 1)) if value >> (width - 1) else value


def _glonass(bits: BitReader, near_gps_s: float) -> GlonassEphemeris | None:
    if bits.length < _GLONASS_BITS:
        raise ValueError("message shorter than its fields")
    slot, channel = bits.unsigned(6), bits.unsigned(5) - 7
    bits.unsigned(1 + 1 + 2 + 12)
    unhealthy = bits.unsigned(1)
    bits.unsigned(1)
    quarter_of_day = bits.unsigned(7)
    velocity, position, pull = [0.0] * 3, [0.0] * 3, [0.0] * 3
    for axis in range(3):
        velocity[axis] = 1000.0 * 2.0**-20 * _sign_and_size(bits, 24)
        position[axis] = 1000.0 * 2.0**-11 * _sign_and_size(bits, 27)
        pull[axis] = 1000.0 * 2.0**-30 * _sign_and_size(bits, 5)
    bits.unsigned(1)
    offset = 2.0**-40 * _sign_and_size(bits, 11)
    bits.unsigned(2 + 1)
    delay_s = 2.0**-30 * _sign_and_size(bits, 22)
    # Its time of day is Moscow's, in quarters of an hour: of the day that lies nearest.
    utc_s = near_gps_s - gps_minus_utc_s(near_gps_s)
    of_day_s = 900.0 * quarter_of_day - MOSCOW_MINUS_UTC_S
    moment_s = utc_s + (of_day_s - utc_s + DAY_S / 2) % DAY_S - DAY_S / 2
    found = GlonassEphemeris(
        satellite=f"R{slot:02d}",
        orbit_time_s=gps_from_utc_s(moment_s),
        clock_s=-delay_s,
        frequency_offset=offset,
        position_m=(position[0], position[1], position[2]),
        velocity_m_s=(velocity[0], velocity[1], velocity[2]),
        acceleration_m_s2=(pull[0], pull[1], pull[2]),
        health=float(unhealthy),
        channel=channel,
        issue=quarter_of_day,
    )
    return found if is_possible_state(found) else None
