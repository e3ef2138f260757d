"""The chain base mark - base ARP - vector - rover ARP - rover mark, against PROJ's own geocentric and topocentric steps."""

import numpy as np
import pyproj
import pytest

from openstake.core.antenna import MeasuredTo, arp_height_from_slant, arp_height_m
from openstake.core.errors import InputError
from openstake.core.evidence import RefersTo
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.occupation import meant_arp_ecef
from openstake.core.series import mean_of_series
from openstake.core.vector import (
    lowering_to_mark_m,
    mean_vector,
    raised_along_normal,
    rover_mark_ecef,
    scatter_of_vectors,
    vectors_from_positions,
)

TO_ECEF = pyproj.Transformer.from_crs("EPSG:4979", "EPSG:4978", always_xy=True)
BASE = (53.30000, -6.20000, 60.000)
ROVER = (53.31000, -6.18000, 75.000)
A_HUNDREDTH_OF_A_MILLIMETRE = 1e-5


def ecef(latitude, longitude, height):
    return np.array(TO_ECEF.transform(longitude, latitude, height))


def observed(base_height_typed=1.600, refers_to=RefersTo.ARP, pole=2.000):
    """A rover truly 2 m above ROVER's mark over a base truly 1.600 m above BASE's: what comes out for what was typed."""
    broadcast = meant_arp_ecef(ecef(*BASE), base_height_typed)
    true_vector = ecef(ROVER[0], ROVER[1], ROVER[2] + 2.0) - ecef(BASE[0], BASE[1], BASE[2] + 1.6)
    received = geodetic_from_ecef(broadcast + true_vector)
    vector = vectors_from_positions(*received, broadcast)
    return rover_mark_ecef(ecef(*BASE), base_height_typed, vector, lowering_to_mark_m(refers_to, pole, None))


def test_a_mark_measured_without_mistakes_comes_out_where_it_is():
    assert observed() == pytest.approx(ecef(*ROVER), abs=A_HUNDREDTH_OF_A_MILLIMETRE)


@pytest.mark.parametrize("typed_too_large", [0.1, -0.05, 1.0])
def test_a_base_height_typed_too_large_lifts_every_point(typed_too_large):
    height = geodetic_from_ecef(observed(base_height_typed=1.600 + typed_too_large))[2]

    # A fact of the trade; the verticals of base and rover differ by 1' here, which takes less than 1e-5 m off 1 m.
    assert height - ROVER[2] == pytest.approx(typed_too_large, abs=2e-5)


def test_the_pole_is_never_applied_twice():
    twice = geodetic_from_ecef(observed(refers_to=RefersTo.MARK))[2]

    assert twice - ROVER[2] == pytest.approx(2.0, abs=A_HUNDREDTH_OF_A_MILLIMETRE)
    assert lowering_to_mark_m(RefersTo.MARK, 2.0, None) == 0.0


def test_a_phase_centre_without_its_offset_is_refused():
    with pytest.raises(InputError):
        lowering_to_mark_m(RefersTo.APC, 2.0, None)


def test_changing_the_base_height_and_going_back_gives_the_same_bits():
    assert (observed() == observed()).all()
    assert raised_along_normal(raised_along_normal(ecef(*BASE), 1.6), -1.6) == pytest.approx(ecef(*BASE), abs=1e-8)


def test_many_points_lifted_together_are_those_lifted_one_by_one():
    """To the bit: a page derives one shot or all of them, and both must say the same."""
    generator = np.random.default_rng(11)
    places = np.array([ecef(*row) for row in generator.uniform((-70.0, -180.0, 0.0), (70.0, 180.0, 900.0), (200, 3))])
    heights = generator.uniform(-3.0, 3.0, 200)

    together = raised_along_normal(places, heights)

    assert (together == [raised_along_normal(place, height) for place, height in zip(places, heights, strict=True)]).all()


def test_a_slant_is_a_right_triangle():
    # 3-4-5: rim 0.9 m out, slant 1.5 m, so 1.2 m up; and half a metre for the feature.
    assert arp_height_from_slant(1.5, 0.9, 0.5) == pytest.approx(1.7, abs=1e-12)
    assert np.isnan(arp_height_from_slant([0.1, 1.5], 0.2)).tolist() == [True, False]


@pytest.mark.parametrize(
    ("reading", "method", "radius"), [(0.0, "vertical", 0.0), (-1.5, "rod", 0.0), (1532.0, "vertical", 0.0), (0.1, "slant", 0.2)]
)
def test_a_height_that_cannot_be_is_refused(reading, method, radius):
    with pytest.raises(InputError):
        arp_height_m(reading, MeasuredTo(name="feature", label="Feature", method=method, rim_radius_m=radius))


def test_a_mean_keeps_the_last_digits_far_from_the_origin():
    vectors = np.array([4_000_000.0, 100.0, -3.0]) + np.array([[0.001], [0.002], [0.003]])

    assert mean_vector(vectors)[0] == pytest.approx(4_000_000.002, abs=1e-9)


def test_correlated_epochs_count_less_than_they_are():
    # AR(1) with phi = 0.9 holds n (1 − phi) / (1 + phi) independent values: textbook of time series.  One series of 4000
    # tells it to a third or so; twelve of them, each in all three components, to a tenth.
    scatters = []
    for seed in range(12):
        generator = np.random.default_rng(seed)
        noise = np.zeros(4000)
        for row in range(1, 4000):
            noise[row] = 0.9 * noise[row - 1] + generator.normal(0, 0.01)
        scatters.append(scatter_of_vectors(np.repeat(noise[:, None], 3, axis=1), 0.0, 0.0))

    assert np.mean([scatter.effective_n for scatter in scatters]) == pytest.approx(4000 * 0.1 / 1.9, rel=0.25)
    sigma = np.mean([scatter.sigma_up_m for scatter in scatters])
    assert sigma == pytest.approx(0.01 / np.sqrt(1 - 0.81), rel=0.15)


def test_a_shot_is_worth_what_its_longest_memory_leaves():
    """One estimator for averages and shots: the worst component decides."""
    generator = np.random.default_rng(7)
    slow, fast = np.cumsum(generator.normal(0, 0.002, 60)), generator.normal(0, 0.01, 60)

    scatter = scatter_of_vectors(np.column_stack([slow, fast, fast]), 0.0, 0.0)

    # At 0° north 0° east up is X, east is Y and north is Z.
    assert scatter.effective_n == pytest.approx(max(1.0, mean_of_series(slow).effective_n))
    assert scatter.effective_n < mean_of_series(fast).effective_n


def test_the_scatter_of_three_epochs_is_that_by_hand():
    """At 0° N 0° E up is x, east y, north z.  n − 1 below the line (ISO 3534-1): of 0, 1, 2 mm the deviation is 1 mm."""
    steps = np.array([0.0, 0.001, 0.002])
    found = scatter_of_vectors(np.column_stack([steps, 3 * steps, -2 * steps]), 0.0, 0.0)
    assert (found.sigma_up_m, found.sigma_east_m, found.sigma_north_m) == pytest.approx((0.001, 0.003, 0.002), rel=1e-9)
    assert found.covariance_en_m2 == pytest.approx(-6e-6, rel=1e-9)
    assert scatter_of_vectors(np.zeros((2, 3)), 0.0, 0.0) is None
    assert scatter_of_vectors(np.zeros((3, 3)), 0.0, 0.0) is not None
