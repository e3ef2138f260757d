"""Ephemerides on the air: real messages put into bits by pyrtcm's table of fields, read by pyrtcm and by us."""

import gzip
import re
from math import pi
from pathlib import Path

import numpy as np
import pytest
from pyrtcm import RTCM_DATA_FIELDS, RTCM_PAYLOADS_GET, RTCMReader

from openstake.core.sky.broadcast import KeplerOrbit
from openstake.core.sky.glonass import GlonassOrbit
from openstake.wire.rtcm3.ephemeris import EPHEMERIS_NUMBERS, decode_ephemeris
from openstake.wire.rtcm3.frame import frame_bytes
from tests.texts import read_navigation

MIXED = gzip.decompress((Path(__file__).parent.parent / "data" / "rinex" / "mixed-six-hours.rnx.gz").read_bytes()).decode()
NAV = read_navigation(MIXED)
DAY = 2296 * 604_800 + 3 * 86_400
# What pyrtcm calls the fields, by what we call them; angles are sent in half turns.
NAMES = {
    "IDOT": "inclination_rate_rad_s", "i0-DOT": "inclination_rate_rad_s", "toc": "clock_time_s", "Time of Clock": "clock_time_s", "Toc": "clock_time_s",
    "af2": "clock_drift_per_s", "a2": "clock_drift_per_s", "af1": "clock_rate", "a1": "clock_rate", "af0": "clock_s", "a0": "clock_s",
    "Crs": "sin_radius_m", "∆n": "motion_difference_rad_s", "M0": "mean_anomaly_rad", "Cuc": "cos_latitude_rad", "Eccentricity": "eccentricity",
    "Cus": "sin_latitude_rad", "A½": "sqrt_semi_major_axis", "√A": "sqrt_semi_major_axis", "toe": "orbit_time_s", "tOE": "orbit_time_s",
    "Toe": "orbit_time_s", "Cic": "cos_inclination_rad", "Ω0": "node_rad", "Cis": "sin_inclination_rad", "i0": "inclination_rad",
    "Crc": "cos_radius_m", "ω": "perigee_rad", "ΩDOT": "node_rate_rad_s", "tGD": "group_delay_s", "TGD": "group_delay_s", "TGD1": "group_delay_s",
    "TGD2": "second_group_delay_s", "E1/E5a": "group_delay_s", "E5b/E1": "second_group_delay_s",
}  # fmt: skip
NUMBERS = {"G": 1019, "J": 1044, "I": 1041, "C": 1042, "E FNAV": 1045, "E INAV": 1046}
WEEK_BEHIND = {"C": 1356, "E": 1024}


def ours_of(words):
    """The name of ours for a field of pyrtcm, longest first, as a word of its own."""
    for name in sorted(NAMES, key=len, reverse=True):
        if re.search(rf"(?<![\w½√∆Ω]){re.escape(name)}(?![\w½-])", words):
            return NAMES[name]
    return "eccentricity" if re.search(r" e( |$)", words) else None


def payload_of(number, values):
    """A payload whose fields are those of pyrtcm's table: what is not in `values` is 0."""
    bits = ""
    for key in RTCM_PAYLOADS_GET[str(number)]:
        kind, width, unit, words = RTCM_DATA_FIELDS[key.split("_")[0] if key not in RTCM_DATA_FIELDS else key]
        value = number if key == "DF002" else values.get(key, values.get(ours_of(words), 0))
        if "TGD" in words and number == 1042:
            unit = 1e-10  # the table has it in nanoseconds
        if unit and key != "DF002" and (kind != "BIT" or unit != 1):
            half = pi if ours_of(words) in HALF_TURNS else 1.0
            value = round(value / unit / half)
        value = int(value)
        if kind == "SNT" and value < 0:
            value = (1 << (width - 1)) | -value
        bits += f"{value % (1 << width):0{width}b}"
    return int(bits.ljust(-(-len(bits) // 8) * 8, "0"), 2).to_bytes(-(-len(bits) // 8), "big")


HALF_TURNS = {
    "inclination_rate_rad_s",
    "motion_difference_rad_s",
    "mean_anomaly_rad",
    "node_rad",
    "inclination_rad",
    "perigee_rad",
    "node_rate_rad_s",
}


def sent(message):
    """A message as it goes out: times in its own week, satellite and week by their fields."""
    letter = message.satellite[0]
    number = NUMBERS.get(letter) or NUMBERS[f"{letter} {message.message}"]
    own_s = message.orbit_time_s - (14.0 if letter == "C" else 0.0)
    values = {name: getattr(message, name) for name in set(NAMES.values())}
    values |= {"orbit_time_s": own_s % 604_800, "clock_time_s": (message.clock_time_s - (14.0 if letter == "C" else 0.0)) % 604_800}
    week = int(own_s // 604_800) - WEEK_BEHIND.get(letter, 0)
    for key in RTCM_PAYLOADS_GET[str(number)]:
        words = RTCM_DATA_FIELDS[key.split("_")[0] if key not in RTCM_DATA_FIELDS else key][3]
        if "Satellite ID" in words:
            values[key] = int(message.satellite[1:])
        elif "Week" in words:
            values[key] = week % (1 << RTCM_DATA_FIELDS[key][1])
        elif number == 1019 and "health" in words.lower():
            values[key] = int(message.health)
    return payload_of(number, values)


@pytest.mark.parametrize("letter", "GJIEC")
def test_an_ephemeris_on_the_air_is_that_of_the_navigation_file(letter):
    """Within what the bits hold: 2 cm of orbit (5 for NavIC), and to the bit of pyrtcm's own reading in the words that it names."""
    compared = 0
    for listed in (listed for name, listed in NAV.ephemerides.items() if name[0] == letter):
        for message in listed[:2]:
            payload = sent(message)
            found = decode_ephemeris(payload, message.orbit_time_s + 5000.0)
            assert found.satellite == message.satellite
            assert (found.orbit_time_s, found.clock_time_s) == (message.orbit_time_s, message.clock_time_s)
            moments = message.orbit_time_s + np.array([-3600.0, 0.0, 3600.0])
            one, other = (KeplerOrbit([item]).states(moments) for item in (found, message))
            assert np.abs(one.xyz_m - other.xyz_m).max() < 0.05
            assert np.abs(one.clock_s - other.clock_s).max() < 1e-9
            assert found.group_delay_s == pytest.approx(message.group_delay_s, abs=3e-10)
            theirs = RTCMReader.parse(frame_bytes(payload))
            assert theirs.identity == str(NUMBERS.get(letter) or NUMBERS[f"{letter} {message.message}"])
            key = next(
                key
                for key in RTCM_PAYLOADS_GET[theirs.identity]
                if ours_of(RTCM_DATA_FIELDS.get(key, ("", 0, 0, ""))[3]) == "sqrt_semi_major_axis"
            )
            assert found.sqrt_semi_major_axis == getattr(theirs, key)
            compared += 1
    assert compared >= 8


def test_a_glonass_state_on_the_air_is_that_of_the_navigation_file():
    kilo = 1000.0
    for listed in NAV.glonass.values():
        message = listed[1]
        quarter = round(((message.orbit_time_s - 18.0) % 86_400 + 10_800) % 86_400 / 900.0)
        values = {"DF038": int(message.satellite[1:]), "DF040": message.channel + 7, "DF110": quarter, "DF108": int(message.health)}
        for axis, (speed, place, pull) in enumerate(
            (("DF111", "DF112", "DF113"), ("DF114", "DF115", "DF116"), ("DF117", "DF118", "DF119"))
        ):
            values |= {
                speed: message.velocity_m_s[axis] / kilo,
                place: message.position_m[axis] / kilo,
                pull: message.acceleration_m_s2[axis] / kilo,
            }
        values |= {"DF121": round(message.frequency_offset * 2.0**40), "DF124": round(-message.clock_s * 2.0**30)}
        payload = payload_of(1020, values)
        found = decode_ephemeris(payload, message.orbit_time_s - 4000.0)
        assert (found.satellite, found.channel, found.orbit_time_s, found.health) == (
            message.satellite,
            message.channel,
            message.orbit_time_s,
            message.health,
        )
        moments = message.orbit_time_s + np.array([-900.0, 0.0, 900.0])
        one, other = (GlonassOrbit([item]).states(moments) for item in (found, message))
        assert np.abs(one.xyz_m - other.xyz_m).max() < 0.5 and np.abs(one.clock_s - other.clock_s).max() < 2e-9
        assert pytest.approx(message.position_m[0] / kilo, abs=2.0**-11) == RTCMReader.parse(frame_bytes(payload)).DF112


def test_a_message_of_another_week_is_not_taken():
    message = NAV.ephemerides["G05"][0]
    assert decode_ephemeris(sent(message), message.orbit_time_s + 6 * 604_800.0) is None


def test_what_no_satellite_can_send_is_not_taken_and_a_cut_message_is_an_error():
    for number in EPHEMERIS_NUMBERS:
        empty = payload_of(number, {})
        assert decode_ephemeris(empty, float(DAY)) is None
        with pytest.raises(ValueError, match="shorter"):
            decode_ephemeris(empty[:-3], float(DAY))
