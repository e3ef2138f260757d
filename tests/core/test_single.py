"""Broadcast orbits, atmosphere and single-point positions against Orekit's values and real data."""

import gzip
from pathlib import Path

import numpy as np
import pytest

from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.single import Ionosphere, single_position
from openstake.core.sky.atmosphere import klobuchar_delay_m, troposphere_delay_m
from openstake.core.sky.broadcast import best_ephemeris, satellite_state
from tests.texts import read_navigation, read_observations

RINEX = Path(__file__).parent.parent / "data" / "rinex"
A_MILLIMETRE = 0.001


def text(name):
    return gzip.decompress((RINEX / name).read_bytes()).decode()


@pytest.fixture(scope="module")
def orbits():
    return read_navigation(text("brdc0100.24n.gz"))


def test_a_satellite_stands_where_orekit_has_it(orbits):
    """G01, GPS week 2296, second 259 800: Orekit's value for this very message."""
    time_s = 2296 * 604_800 + 259_800
    first = next(item for item in orbits.ephemerides["G01"] if abs(item.orbit_time_s - time_s) < 3600)

    assert satellite_state(first, time_s).xyz_m == pytest.approx([14142348.3182, -2863540.7646, 21959277.8966], abs=A_MILLIMETRE)
    # It says of itself that it is not healthy (63), and is not used.
    assert best_ephemeris(orbits.ephemerides["G01"], time_s) is None


# The headers hold approximate positions only: single-point solutions lie within 3 m of them.
@pytest.mark.parametrize("name", ["one-hour-2.24o.gz", "one-hour-3.rnx.gz"])
def test_an_hour_of_a_real_receiver_comes_out_within_3_metres_of_its_header(orbits, name):
    observed = read_observations(text(name))
    epochs = observed.epochs[::6]

    found = [single_position(epoch, orbits.ephemerides) for epoch in epochs]

    assert len(observed.epochs) == 120 and all(found)
    header = np.array(observed.approximate_xyz_m)
    latitude, longitude, _ = geodetic_from_ecef(header)
    enu = enu_from_ecef_difference(np.array([item.xyz_m for item in found]) - header, float(latitude), float(longitude))
    assert np.abs(enu.mean(axis=0)).max() < 3.0
    assert all(item.two_frequencies and item.satellites >= 6 for item in found)


def test_one_frequency_and_the_broadcast_ionosphere_are_metres_off(orbits):
    observed = read_observations(text("one-hour-2.24o.gz"))
    epoch = observed.epochs[0]
    one = type(epoch)(epoch.gps_s, {name: {"C1C": v["C1C"]} for name, v in epoch.satellites.items() if "C1C" in v})

    with_model = single_position(one, orbits.ephemerides, Ionosphere(orbits.alpha, orbits.beta))
    without = single_position(one, orbits.ephemerides)

    header = observed.approximate_xyz_m
    assert not with_model.two_frequencies
    assert np.linalg.norm(np.subtract(with_model.xyz_m, header)) < 15.0
    # A fact of the model: it takes delay away, and delays that are left in push the height up.
    heights = [float(geodetic_from_ecef(item.xyz_m)[2]) for item in (with_model, without)]
    assert heights[0] < heights[1]


def test_too_few_satellites_give_no_position(orbits):
    epoch = read_observations(text("one-hour-3.rnx.gz")).epochs[0]
    few = type(epoch)(epoch.gps_s, dict(list(epoch.satellites.items())[:2]))

    assert single_position(few, orbits.ephemerides) is None
    assert single_position(epoch, {}) is None


def test_the_ionosphere_s_model_gives_the_value_of_its_test_case():
    """Orekit's Klobuchar test: 40 N 100 W, elevation 20, azimuth 210, 20:45 GPS on a Sunday: 23.784 m (from memory)."""
    alpha = (0.3820e-07, 0.1490e-07, -0.1790e-06, 0.0)
    beta = (0.1430e06, 0.0, -0.3280e06, 0.1130e06)

    assert klobuchar_delay_m(alpha, beta, 40.0, -100.0, 210.0, 20.0, 74_700.0) == pytest.approx(23.784, abs=0.01)


def test_the_troposphere_overhead_is_two_and_a_half_metres_at_the_sea():
    """Saastamoinen's hydrostatic zenith delay at sea level is 2.307 m (Orekit); the wet part of 70 % is decimetres."""
    zenith = troposphere_delay_m(45.0, 0.0, 90.0)

    assert 2.307 < zenith < 2.307 + 0.25
    assert troposphere_delay_m(45.0, 0.0, 30.0) == pytest.approx(2.0 * zenith, rel=1e-9)
