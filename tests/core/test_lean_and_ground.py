"""A pole that is turned, and measures free of GNSS.  Source of the rules: common practice, no source, where nothing else is named."""

from math import asin, cos, degrees, hypot, radians, sin

import numpy as np
import pytest
from pyproj import Geod

from openstake.core.equality import equal_by_sigmas
from openstake.core.errors import InputError
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.ground import Between, SetUpMean, between, compared, mean_of_set_ups
from openstake.core.iso17123 import planned_sets, too_soon_s
from openstake.core.judge.fieldtest import judge_times
from openstake.core.judge.ground import judge_double, judge_measure
from openstake.core.judge.lean import judge_lean, judge_turned
from openstake.core.lean import TurnedShot, lean_of

MARK = (703_478.902, 629_861.447)


def turned(lean_m, side_deg, sides, noise=None):
    """Shots of a pole whose top is off by so much to a side, counted clockwise from its label; the label faced north first."""
    shots = []
    for n, side in enumerate(sides):
        azimuth = radians(side + side_deg)
        east, north = (0.0, 0.0) if noise is None else noise[n]
        shots.append(
            TurnedShot(
                turned_deg=side,
                east_m=MARK[0] + lean_m * sin(azimuth) + east,
                north_m=MARK[1] + lean_m * cos(azimuth) + north,
                sigma_m=0.004,
            )
        )
    return shots


@pytest.mark.parametrize("sides", [(0, 180), (0, 90, 180, 270)])
@pytest.mark.parametrize("side_deg", [0.0, 90.0, 200.0])
def test_half_the_difference_of_two_shots_at_180_is_the_lean(sides, side_deg):
    lean = lean_of(turned(0.012, side_deg, sides), 2.0)

    assert lean.lean_m == pytest.approx(0.012, abs=1e-9)
    assert lean.side_deg == pytest.approx(side_deg, abs=1e-5)
    # 12 mm at the top of a pole of 2 m: the bubble is out by asin(0.012/2) = 20.6′.
    assert lean.tilt_arcmin == pytest.approx(60 * degrees(asin(0.012 / 2.0)), rel=1e-4)
    assert (lean.east_m, lean.north_m) == pytest.approx(MARK, abs=1e-6), "the mean is free of the lean"


def test_a_lean_that_chance_gives_is_no_lean():
    random = np.random.default_rng(4)
    seen = [lean_of(turned(0.0, 0.0, (0, 180), random.normal(0.0, 0.005, (2, 2))), 2.0).is_seen for _ in range(400)]
    # One sigma of a shot with the pole put down again: √(4² + 3²) = 5 mm; false alarms are 5 in 100.
    assert np.mean(seen) == pytest.approx(0.05, abs=0.03)


def test_what_the_turn_says_names_bubble_and_side():
    found = judge_lean("Pole 2 m", lean_of(turned(0.014, 180.0, (0, 90, 180, 270)), 2.0), bubble_arcmin=8.0)
    assert (found.code, found.severity) == ("pole-leans", "stop")
    assert "leans 0.014 m towards its back" in found.sentence and "24′, 3.0 of its 2 mm divisions" in found.cause
    assert judge_lean("Pole 2 m", lean_of(turned(0.001, 0.0, (0, 180)), 2.0)).code == "pole-plumb"
    assert [item.numbers["pole"] for item in judge_turned(("A", "B"), ("B",))] == ["A"]


@pytest.mark.parametrize(("sides", "height"), [((0, 10), 2.0), ((0,), 2.0), ((0, 180), 0.0)])
def test_a_pole_that_was_hardly_turned_shows_nothing(sides, height):
    with pytest.raises(InputError):
        lean_of(turned(0.01, 0.0, sides), height)


# --- free of GNSS ---

DUBLIN = (53.35, -6.26, 60.0)


def place(east_m, north_m, up_m):
    """A point so far from Dublin along the ellipsoid (PROJ's geodesic), and so much higher."""
    longitude, latitude, _ = Geod(ellps="GRS80").fwd(DUBLIN[1], DUBLIN[0], degrees(np.arctan2(east_m, north_m)), hypot(east_m, north_m))
    return ecef_from_geodetic(latitude, longitude, DUBLIN[2] + up_m)


def test_distances_are_those_of_the_ground_and_not_of_the_grid():
    # Independent: the geodesic at height 0 (PROJ) times (R + h)/R, R = 6.38 Mm in the middle of Ireland.
    seen = between(ecef_from_geodetic(*DUBLIN), place(300.0, 400.0, 30.0), grid_m=499.9)
    ground = 500.0 * (1.0 + (DUBLIN[2] + 15.0) / 6.38e6)

    assert seen.horizontal_m == pytest.approx(ground, abs=0.001)
    assert seen.up_m == pytest.approx(30.0, abs=1e-6)
    assert seen.slope_m == pytest.approx(hypot(ground, 30.0), abs=0.001)
    assert seen.grid_ppm == pytest.approx(1e6 * (499.9 / ground - 1.0), rel=1e-3)


def test_heights_of_instrument_and_target_count_in_a_slope_distance():
    level = between(ecef_from_geodetic(*DUBLIN), place(0.0, 50.0, 0.0), 50.0)
    up = between(ecef_from_geodetic(*DUBLIN), place(0.0, 50.0, 0.0), 50.0, from_above_m=1.6, to_above_m=0.1)

    assert up.slope_m == pytest.approx(hypot(level.slope_m, 1.5), abs=1e-4)
    assert between(ecef_from_geodetic(*DUBLIN), place(0.0, 50.0, 2.0), 50.0, geoid_up_m=0.02).up_m == pytest.approx(1.98, abs=1e-6)


def measure(kind, measured_m, seen, geoid=True):
    found = compared(kind, seen, measured_m, 0.003, (0.004, 0.004), (0.008, 0.008))
    return found, judge_measure(("CS2", "P7"), kind, found, seen, geoid)


SEEN = Between(slope_m=100.020, horizontal_m=100.000, up_m=2.0, grid_m=99.960)


def test_a_tape_that_agrees_and_one_that_does_not():
    found, said = measure("horizontal", 100.006, SEEN)
    # √(2 · 4² + 2 · 3² + 3²) mm = 7.7 mm; 1.96 of them.
    assert found.limit_95_m == pytest.approx(1.96 * 0.00768, rel=1e-3)
    assert [item.code for item in said] == ["ground-agrees"]

    _, said = measure("horizontal", 100.100, SEEN)
    assert (said[0].code, said[0].severity) == ("ground-differs", "stop") and "0.100 m shorter" in said[0].sentence
    assert measure("horizontal", 100.020, SEEN)[1][0].severity == "look", "between 95 and 99.9 %"


def test_a_grid_distance_that_was_taken_for_one_on_the_ground_is_named():
    _, said = measure("horizontal", 99.961, SEEN)
    assert "grid and ground distances were confused" in said[0].cause and "-400 ppm" in said[0].cause


def test_a_level_without_a_geoid_grid_says_what_is_compared():
    assert [item.code for item in measure("levelled", 2.003, SEEN, geoid=False)[1]] == ["ground-agrees", "level-without-geoid"]
    assert measure("levelled", 2.08, SEEN)[1][0].code == "ground-differs"


def set_up(name, east, north, up, sigma=0.006):
    return SetUpMean(set_up=name, shots=3, place_m=(east, north, up), covariance_m2=tuple(tuple(row) for row in np.diag([sigma**2] * 3)))


def test_two_set_ups_are_tabled_with_their_mean_and_tested():
    first, second = set_up("CS1", 10.000, 20.000, 5.000), set_up("CS4", 10.008, 20.000, 5.006)
    assert mean_of_set_ups([first, second]) == pytest.approx((10.004, 20.000, 5.003))
    covariance = np.array(first.covariance_m2) + np.array(second.covariance_m2)

    good = judge_double("N1", (0.008, 0.0, 0.006), equal_by_sigmas([0.008, 0.0, 0.006], covariance))
    bad = judge_double("N1", (0.03, 0.0, 0.0), equal_by_sigmas([0.03, 0.0, 0.0], covariance))
    assert (good.code, bad.code) == ("set-ups-agree", "set-ups-differ") and bad.is_stop


# --- the times of the field test: ISO 17123-8 (from memory): sets about 5 min apart, starts of series 90 min ---


def test_sets_are_planned_five_minutes_and_series_ninety_apart():
    sets = planned_sets(True, {}, 1000.0)

    assert len(sets) == 15
    assert [item.due_s for item in sets[:3]] == [1000.0, 1300.0, 1600.0]
    assert sets[5].due_s == 1000.0 + 5400.0 and (sets[5].series, sets[5].set) == (2, 1)
    assert len(planned_sets(False, {}, 0.0)) == 5


def test_what_was_measured_moves_the_rest_of_the_plan():
    taken = {(1, 1, 1): 2000.0, (1, 1, 2): 2060.0, (1, 2, 1): 2400.0}
    sets = planned_sets(True, taken, 1000.0)

    assert sets[0].done and not sets[1].done and sets[1].points == (1,)
    assert (sets[1].due_s, sets[2].due_s, sets[5].due_s) == (2300.0, 2700.0, 2000.0 + 5400.0)


def test_a_series_that_begins_too_soon_is_said():
    taken = {(1, 1, 1): 0.0, (2, 1, 1): 2400.0, (3, 1, 1): 8000.0}
    sets = planned_sets(True, taken, 0.0)

    assert too_soon_s(sets) == [(2, 2400.0)]
    assert "40 min after series 1; 90 min are asked" in judge_times(sets)[0].sentence
