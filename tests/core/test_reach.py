"""Reach by rule against ITU-R P.525 and P.526, hand-worked two-ray and exposure distances."""

from itertools import pairwise
from math import inf, log10

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openstake.core.errors import InputError
from openstake.core.link.reach import (
    RadioPath,
    battery_hours,
    draw_at_w,
    exposure_distance_m,
    exposure_limits_w_m2,
    free_space_loss_db,
    fresnel_radius_m,
    lowest_power_w,
    margin_db,
    plane_earth_loss_db,
    power_levels,
    radio_horizon_km,
    raise_or_double,
    reach_km,
    two_ray_loss_db,
)

PATH = RadioPath(frequency_mhz=450.0, base_height_m=4.0, rover_height_m=2.0)


def test_free_space_and_the_first_fresnel_zone_are_those_of_the_recommendations():
    # ITU-R P.525: 32.45 + 20 log 450 + 20 log d.  ITU-R P.526: sqrt(lambda d1 d2 / d).
    assert free_space_loss_db(450.0, 1.0) == pytest.approx(85.51, abs=0.005)
    assert free_space_loss_db(450.0, 10.0) == pytest.approx(105.51, abs=0.005)
    assert fresnel_radius_m(450.0, 0.5, 0.5) == pytest.approx(12.91, abs=0.005)
    assert fresnel_radius_m(450.0, 5.0, 5.0) == pytest.approx(40.81, abs=0.01)


def test_two_rays_far_away_come_to_plane_earth():
    # By hand: 40 log 10 000 - 20 log (4 x 2) = 160 - 18.06 = 141.94 dB, whatever the frequency.
    assert plane_earth_loss_db(10.0, 4.0, 2.0) == pytest.approx(141.94, abs=0.005)
    # 2 pi h1 h2 / (lambda d) = 0.0075 there: the sine is its angle within 0.001 %; P.525's constant is rounded by 0.002 dB.
    assert two_ray_loss_db(450.0, 10.0, 4.0, 2.0) == pytest.approx(141.94, abs=0.01)
    # Near by, where the two paths differ by half a wave, the rays add: 6.02 dB less than free space.
    half_wave_km = 2 * 4.0 * 2.0 / (299.792458 / 450.0 / 2) / 1000.0
    assert free_space_loss_db(450.0, half_wave_km) - two_ray_loss_db(450.0, half_wave_km, 4.0, 2.0) == pytest.approx(6.02, abs=0.01)


def test_the_horizon_over_four_thirds_of_the_earth():
    # 4.12 (sqrt h1 + sqrt h2), the usual rule: 4.12 x (2 + 1.414) = 14.07 km.
    assert radio_horizon_km(4.0, 2.0) == pytest.approx(14.07, abs=0.02)


def test_the_distances_to_keep_from_a_35_w_antenna():
    # ICNIRP 2020 (from memory): f/200 and f/40 W/m2; S = EIRP / (4 pi r2), free space: 1.42 m and 0.64 m.
    public, worker = exposure_limits_w_m2(450.0)
    assert (public, worker) == (2.25, 11.25)
    # A dipole's gain is 1.64, or 2.15 dBi: the two differ by 0.2 mm here.
    assert exposure_distance_m(35.0, 10 * log10(1.64), public) == pytest.approx(1.42, abs=0.005)
    assert exposure_distance_m(35.0, 2.15, worker) == pytest.approx(0.64, abs=0.005)
    # Off the ground the density is 2.56 times as large: 1.6 times the distance.
    free = exposure_distance_m(35.0, 2.15, public)
    assert exposure_distance_m(35.0, 2.15, public, ground_reflection=True) == pytest.approx(free * 1.6)


@given(st.floats(0.1, 50.0), st.floats(1.0, 30.0), st.floats(1.0, 5.0))
def test_the_reach_is_where_the_margin_is_just_kept(power, base_height, rover_height):
    path = RadioPath(frequency_mhz=450.0, base_height_m=base_height, rover_height_m=rover_height)
    reach = reach_km(path, power)

    if reach < radio_horizon_km(base_height, rover_height):
        assert margin_db(path, power, reach) == pytest.approx(path.margin_db, abs=1e-6)
        assert lowest_power_w(path, reach) == pytest.approx(power, rel=1e-6)
    assert lowest_power_w(path, radio_horizon_km(base_height, rover_height) + 1.0) == inf


def test_the_usual_powers_reach_about_as_far_as_crews_find():
    # Internal UHF 0.5 to 2 W: 1 to 3 km; external 35 W on a 4 to 5 m mast: 5 to 8 km (common practice, no source).
    # Without terrain the rule may be twice as hopeful.
    assert 1.0 < reach_km(RadioPath(frequency_mhz=450.0, base_height_m=2.0, rover_height_m=2.0), 1.0) < 6.0
    assert 5.0 < reach_km(RadioPath(frequency_mhz=450.0, base_height_m=4.5, rover_height_m=2.0), 35.0) < 16.0


def test_raising_the_antenna_against_doubling_the_power():
    # 4 m to 6 m: 20 log 1.5 = 3.52 dB; twice the power: 3.01 dB.  Plane earth: 40 dB a decade, so x 1.2247 and x 1.1892.
    trade = raise_or_double(PATH, 2.0)
    now = reach_km(PATH, 2.0)

    assert (trade.raised_db, trade.doubled_db) == pytest.approx((20 * log10(1.5), 3.0103), abs=1e-4)
    assert trade.raised_km == pytest.approx(now * (1.5**0.5 - 1.0), rel=1e-6)
    assert trade.doubled_km == pytest.approx(now * (2.0**0.25 - 1.0), rel=1e-6)


def test_hours_of_a_battery_by_hand():
    # 12 V 60 Ah, four fifths used: 576 Wh.  110 W while sending, a fifth of the time: 3 + 107 x 0.2 = 24.4 W: 23.6 h.
    assert battery_hours(12.0, 60.0, 110.0, 0.2) == pytest.approx(576 / 24.4)
    assert draw_at_w(35.0, 35.0, 110.0) == 110.0 and draw_at_w(0.0, 35.0, 110.0) == 3.0


def test_levels_rise_in_reach_and_distance_and_fall_in_hours():
    levels = power_levels(PATH, [35.0, 2.0, 10.0], 3.0, 0.5, (12.0, 60.0), 110.0)

    assert [level.power_w for level in levels] == [2.0, 10.0, 35.0]
    for weak, strong in pairwise(levels):
        assert weak.reach_km <= strong.reach_km and weak.public_m < strong.public_m
        assert weak.battery_hours > strong.battery_hours and weak.margin_db < strong.margin_db
    assert power_levels(PATH, [2.0], 100.0, 0.5)[0].margin_db is None, "beyond the horizon no power helps"


@pytest.mark.parametrize(
    "change", [{"frequency_mhz": 5.0}, {"base_height_m": 0.0}, {"sensitivity_dbm": 10.0}, {"margin_db": -1.0}, {"rover_gain_dbi": 99.0}]
)
def test_a_path_that_cannot_be_names_its_value(change):
    with pytest.raises(InputError) as refusal:
        RadioPath(**(vars(PATH) | change)).check()

    assert refusal.value.field == next(iter(change)) and refusal.value.sentence.endswith(".")
