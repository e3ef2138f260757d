"""What a mean is worth: coverage on made series, and the autocorrelation against statsmodels' definition."""

import numpy as np
import pytest
from scipy.signal import lfilter

from openstake.core.series import autocorrelation, correlation_time, mean_of_series, outliers


def ar1(phi, count, random):
    """A first-order autoregressive series of unit innovations, stationary from its first value, mean 0."""
    noise = random.normal(size=count)
    noise[0] /= np.sqrt(1.0 - phi * phi)
    return lfilter([1.0], [1.0, -phi], noise)


@pytest.mark.parametrize(("phi", "lengths"), [(0.5, 50), (0.8, 50), (0.9, 50), (0.95, 100), (0.0, 50)])
def test_what_is_claimed_at_95_percent_holds_the_truth_in_93_to_97(phi, lengths):
    """2000 series of 50 and more correlation lengths (1 + φ)/(1 − φ); the truth is 0."""
    random = np.random.default_rng(20_261_125)
    count = round(lengths * (1.0 + phi) / (1.0 - phi))
    inside = 0
    for _ in range(2000):
        found = mean_of_series(ar1(phi, count, random))
        inside += abs(found.mean) <= found.half_95

    assert 0.93 <= inside / 2000 <= 0.97


@pytest.mark.parametrize("phi", [0.0, 0.5, 0.9])
def test_the_correlation_time_of_a_long_series_is_that_of_theory(phi):
    # 1 + 2 Σ φ^k = (1 + φ)/(1 − φ), by hand.
    time, _ = correlation_time(ar1(phi, 200_000, np.random.default_rng(3)))

    assert time == pytest.approx((1.0 + phi) / (1.0 - phi), rel=0.06)


def test_the_autocorrelation_is_the_plain_sum_of_products():
    values = np.array([1.0, 3.0, 2.0, 5.0, 4.0])
    centred = values - 3.0  # by hand: Σ = 10; lag 1: 0 + 0 − 2 + 2 = 0; lag 2: 2 + 0 − 1 = 1
    assert autocorrelation(values)[:3] == pytest.approx([1.0, 0.0, 0.1], abs=1e-12)
    assert np.dot(centred, centred) == 10.0
    assert not autocorrelation([2.0, 2.0, 2.0]).any()


def test_one_value_is_worth_nothing_known_and_a_constant_has_no_spread():
    assert (mean_of_series([1.0]).sigma_of_mean, mean_of_series([1.0]).half_95) == (None, None)
    # Two values: s/√2 with s = |a − b|/√2, and Student's t of one degree of freedom, 12.706 (tables).
    two = mean_of_series([1.0, 2.0])
    assert (two.sigma_of_mean, two.half_95, two.freedom) == (0.5, pytest.approx(0.5 * 12.7062, rel=1e-5), 1.0)
    constant = mean_of_series([5.0] * 30)
    assert (constant.mean, constant.spread, constant.sigma_of_mean, constant.half_95) == (5.0, 0.0, 0.0, 0.0)


@pytest.mark.slow
def test_the_standard_deviation_of_a_mean_of_independent_values_is_the_plain_one():
    # 2026-11-27: it was a half width divided by 1.96, and of a short series larger than the spread of one value.
    random = np.random.default_rng(7)
    for count in (20, 60, 200):
        found = [mean_of_series(random.normal(size=count)) for _ in range(2000)]
        # Of independent values it is σ/√n in the middle; the correlation time is estimated, to either side of 1.
        assert np.median([item.sigma_of_mean for item in found]) == pytest.approx(1.0 / count**0.5, rel=0.25)
        assert all(item.sigma_of_mean <= item.spread * 1.01 for item in found)
        assert all(item.half_95 > item.sigma_of_mean for item in found)


def test_a_jump_stands_out_and_a_wander_does_not():
    wander = np.sin(np.linspace(0.0, 6.0, 300))
    assert not outliers(wander, 0.005).any()
    jumped = wander.copy()
    jumped[100] = 30.0
    assert np.flatnonzero(outliers(jumped, 0.005)).tolist() == [100]
