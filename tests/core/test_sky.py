from pathlib import Path

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from sgp4.api import Satrec
from skyfield.api import EarthSatellite, load, wgs84

from openstake.core.constants import EARTH_GM_M3_S2
from openstake.core.sky.constellations import CONSTELLATIONS, GLONASS
from openstake.core.sky.geometry import dop, signal_range_m
from openstake.core.sky.orbits import Elements, earth_fixed_positions_m, inertial_positions_m
from tests import published

TLES = (Path(__file__).parent.parent / "data" / "gnss_tle_jan2018.txt").read_text().splitlines()

TENTH_OF_A_DEGREE_KM = 46.0


def gps_tles():
    lines = [line for line in TLES if line.strip()]
    for at in range(len(lines) - 2):
        if lines[at + 1].startswith("1 ") and lines[at + 2].startswith("2 ") and "GPS" in lines[at].upper():
            yield lines[at], lines[at + 1], lines[at + 2]


def test_kepler_s_orbit_agrees_with_a_numerical_integration():
    elements = Elements(
        **dict(
            zip(
                ("semi_major_axis_m", "eccentricity", "inclination_rad", "node_rad", "perigee_rad", "mean_anomaly_rad"),
                (np.array([value]) for value in (26560000.0, 0.02, 0.96, 1.1, 0.7, 0.3)),
                strict=True,
            )
        )
    )
    step = 1e-3
    start = inertial_positions_m(elements, 0.0)[0]
    speed = (inertial_positions_m(elements, step)[0] - inertial_positions_m(elements, -step)[0]) / (2 * step)

    solution = solve_ivp(
        lambda _, state: np.concatenate([state[3:], -EARTH_GM_M3_S2 * state[:3] / np.linalg.norm(state[:3]) ** 3]),
        (0.0, 43_000.0),
        np.concatenate([start, speed]),
        method="DOP853",
        rtol=1e-12,
        atol=1e-6,
    )

    assert np.linalg.norm(solution.y[:3, -1] - inertial_positions_m(elements, 43_000.0)[0]) < 1.0


def test_orbits_stay_within_the_model_s_limits_of_sgp4():
    """An independent propagator with the flattening and the pull of sun and moon, over half a day.

    The model's limit is a tenth of a degree seen from the Earth's centre, 46 km along the orbit: a practice sky.
    """
    worst_km, count = 0.0, 0
    for _, line1, line2 in gps_tles():
        satellite = Satrec.twoline2rv(line1, line2)
        motion = satellite.no_kozai / 60.0
        axis = (EARTH_GM_M3_S2 / motion**2) ** (1 / 3)
        elements = Elements(
            **dict(
                zip(
                    ("semi_major_axis_m", "eccentricity", "inclination_rad", "node_rad", "perigee_rad", "mean_anomaly_rad"),
                    (
                        np.array([value])
                        for value in (axis, satellite.ecco, satellite.inclo, satellite.nodeo, satellite.argpo, satellite.mo)
                    ),
                    strict=True,
                )
            )
        )
        for minutes in (0.0, 720.0):
            _, position_km, _ = satellite.sgp4_tsince(minutes)
            miss_km = np.linalg.norm(inertial_positions_m(elements, minutes * 60.0)[0] / 1000.0 - position_km)
            worst_km = max(worst_km, miss_km)
        count += 1

    assert count >= 25
    assert worst_km < TENTH_OF_A_DEGREE_KM


def test_the_dilutions_of_a_real_sky_agree_with_two_other_programs():
    timescale = load.timescale(builtin=True)
    moment, site = timescale.utc(2018, 1, 21, 12), wgs84.latlon(53.45, -2.24, 50)
    seen = []
    for name, line1, line2 in gps_tles():
        altitude, azimuth, _ = (EarthSatellite(line1, line2, name, timescale) - site).at(moment).altaz()
        if altitude.degrees >= 10.0:
            seen.append((azimuth.degrees, altitude.degrees))

    result = dop(*np.array(seen).T)

    expected = published.GPS_SKY_2018
    assert len(seen) == expected["satellites"]
    for name in ("gdop", "pdop", "hdop", "vdop", "tdop"):
        assert getattr(result, name) == pytest.approx(expected[name], abs=0.0005)


def test_fewer_than_four_satellites_have_no_geometry():
    assert dop([0, 90, 180], [45, 45, 45]) is None


@pytest.mark.parametrize(("name", "period_min"), [("GPS", 718), ("GLONASS", 676), ("Galileo", 845), ("BeiDou", 773)])
def test_the_nominal_orbits_have_the_published_periods(name, period_min):
    # Interface documents of the four systems: periods in minutes.
    constellation = next(item for item in CONSTELLATIONS if item.name == name)
    axis = constellation.elements.semi_major_axis_m[0]

    assert 2 * np.pi * np.sqrt(axis**3 / EARTH_GM_M3_S2) / 60 == pytest.approx(period_min, abs=1.0)
    assert constellation.size == 24


def test_a_gps_satellite_returns_over_the_same_ground_after_a_sidereal_day():
    elements = CONSTELLATIONS[0].elements

    first, next_day = (earth_fixed_positions_m(elements, elapsed, 0.3) for elapsed in (0.0, 86164.1))

    assert np.linalg.norm(first - next_day, axis=1).max() < TENTH_OF_A_DEGREE_KM * 1000


def test_antipodal_glonass_satellites_share_a_channel():
    # GLONASS interface document: slots four apart in a plane.
    for plane in range(3):
        slots = GLONASS.channels[plane * 8 : plane * 8 + 8]
        assert slots[:4] == slots[4:]


def test_the_signal_s_path_is_shorter_from_the_east_by_sagnac_s_term():
    """IS-GPS-200, 20.3.3.4.3.3: while the signal travels the Earth turns; to first order the path is |s − r| + ω/c (x_s y_r − y_s x_r)."""
    receiver = np.array([6_378_137.0, 0.0, 0.0])
    satellites = np.array([[20.0e6, 17.0e6, 5.0e6], [20.0e6, -17.0e6, 5.0e6], [26.5e6, 0.0, 0.0]])
    term_m = 7.2921151467e-5 / 299_792_458.0 * (satellites[:, 0] * receiver[1] - satellites[:, 1] * receiver[0])
    assert abs(term_m[0]) > 25.0, "some 30 m at the equator"
    expected_m = np.linalg.norm(satellites - receiver, axis=1) + term_m
    assert signal_range_m(satellites, receiver) == pytest.approx(expected_m, abs=0.001)
