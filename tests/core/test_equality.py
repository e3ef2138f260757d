"""Tests of equality against scipy's quantiles, closed forms, and their own false alarms over seeded pairs."""

import numpy as np
import pytest
from scipy import stats

from openstake.core.equality import equal_by_scatter, equal_by_sigmas
from openstake.core.errors import InputError
from openstake.core.time_correlation import Epochs
from tests.repeats import looser, repeats

SIGMAS_M = np.array([0.006, 0.008, 0.015])


def epochs(rng, count, memory_s=0.0, at=(0.0, 0.0, 0.0), white=0.0):
    """Return a shot of an epoch a second whose memory sums up to so many seconds (1: none), a first-order process, (count, 3)."""
    remembers = max(0.0, (memory_s - 1.0) / (memory_s + 1.0))  # the sum of remembers^|lag| is (1 + r)/(1 - r)
    values = rng.normal(size=(count, 3))
    for n in range(1, count):
        values[n] = remembers * values[n - 1] + (1.0 - remembers**2) ** 0.5 * values[n]
    values = (1.0 - white) ** 0.5 * values + white**0.5 * rng.normal(size=values.shape)
    return Epochs(np.asarray(at) + values * SIGMAS_M, count - 1.0)


def compared(first, second, given_m2=None):
    return equal_by_scatter(second.positions_m.mean(axis=0) - first.positions_m.mean(axis=0), first, second, given_m2)


def test_given_sigmas_are_tested_by_chi_squared():
    covariance = np.diag([0.01, 0.01, 0.02]) ** 2
    found = equal_by_sigmas([0.01, 0.02, 0.02], covariance)
    assert found.chance == pytest.approx(stats.chi2.sf(1.0 + 4.0 + 1.0, 3)) and found.equal
    assert equal_by_sigmas([0.01, 0.03, 0.02], covariance).unequal


def test_false_alarms_with_given_sigmas_are_one_in_twenty():
    rng = np.random.default_rng(20261127)
    turn = np.array([[0.8, -0.6, 0.0], [0.6, 0.8, 0.0], [0.0, 0.0, 1.0]])
    covariance = turn @ np.diag(SIGMAS_M**2) @ turn.T
    shots = rng.multivariate_normal(np.zeros(3), covariance, (2000, 2))
    alarms = [equal_by_sigmas(after - before, 2.0 * covariance).unequal for before, after in shots]
    assert 0.035 <= np.mean(alarms) <= 0.065


def test_a_correlation_of_east_and_north_counts():
    """Along the long axis 20 mm are nothing, across it they are much: d² (1 ∓ ρ)⁻¹ / σ² for a difference on the diagonals."""
    covariance = np.array([[1.0, 0.9], [0.9, 1.0]]) * 0.01**2
    along, across = (equal_by_sigmas(np.array(side) * 0.02 / 2**0.5, covariance) for side in ([1, 1], [1, -1]))
    assert along.chance == pytest.approx(stats.chi2.sf(4.0 / 1.9, 2))
    assert across.chance == pytest.approx(stats.chi2.sf(4.0 / 0.1, 2))
    assert along.equal and across.unequal


@pytest.mark.parametrize("count", [1, 2, 3])
def test_independent_epochs_give_hotellings_chance(count):
    """Two samples of one covariance: T² is the textbook's, with pooled covariance (R. A. Johnson, D. W. Wichern; from memory)."""
    rng = np.random.default_rng(7)
    first, second = (Epochs(rng.normal(size=(60, count)), 59.0) for _ in range(2))
    apart = 0.4 * np.eye(count)[0]
    pooled = np.atleast_2d(np.cov(first.positions_m.T) + np.cov(second.positions_m.T)) / 2.0
    squared = 30.0 * apart @ np.linalg.solve(pooled, apart)
    textbook = stats.f.sf(squared * (119 - count) / (118 * count), count, 119 - count)

    found = equal_by_scatter(apart, first, second)

    # That they have no memory is seen, not known: a chance of 1 % may come out as 2.5 %, never as less.
    assert textbook * 0.95 <= found.chance <= 2.5 * textbook


TENTH = [(60, 1.0), (60, 3.0), (60, 6.0), (120, 1.0), (120, 12.0)]
LONGER = [(60, 12.0), (60, 24.0), (60, 60.0), (120, 30.0), (120, 120.0)]


def shares(cases, count, shift=0.0):
    """Return of seeded pairs the shares that are called unequal and too short, by case."""
    found = []
    for seconds, memory_s in cases:
        rng = np.random.default_rng([20261127, seconds, int(memory_s)])
        at = [shift * SIGMAS_M[0], 0.0, 0.0]
        tests = [compared(epochs(rng, seconds, memory_s), epochs(rng, seconds, memory_s, at)) for _ in range(count)]
        found.append((np.mean([test.unequal for test in tests]), np.mean([test.too_short and not test.unequal for test in tests])))
    return np.array(found)


def test_false_alarms_are_one_in_twenty_at_memories_up_to_a_tenth_of_the_shot():
    """5 000 seeded pairs: 4 to 6 %, and it always decides."""
    count = repeats(1000)
    unequal, too_short = shares(TENTH, count).T
    room = 0.0138 * looser(count, 1000)  # two standard deviations of a share of 5 % among 1 000
    assert 0.04 - room <= min(unequal) and max(unequal) <= 0.06 + room and abs(np.mean(unequal) - 0.05) <= 0.01 * looser(count, 1000), (
        unequal
    )
    assert max(too_short) <= 0.002, too_short


def test_a_memory_as_long_as_the_shot_gives_no_more_false_alarms_it_is_too_short():
    """5 000 seeded pairs: never more than 6 %, and with a memory of four tenths most, with one of the whole nearly all are too short to tell."""
    count = repeats(1000)
    unequal, too_short = shares(LONGER, count).T
    assert max(unequal) <= 0.06 + 0.0138 * looser(count, 1000), unequal
    assert too_short[1] >= 0.4 and min(too_short[[2, 4]]) >= 0.9, too_short


def test_a_shift_of_three_claims_is_found_in_nine_of_ten():
    count = repeats(200)
    unequal, _ = shares(TENTH, count, shift=3.0).T
    assert min(unequal) >= 0.9, unequal


def test_white_noise_over_a_memory_does_not_hide_it():
    """Half of the variance forgets at once, half lasts 24 s: taken as independent, two of three equal pairs are called unequal."""
    rng, count = np.random.default_rng(11), repeats(300)
    tests = [compared(*(epochs(rng, 60, 24.0, white=0.5) for _ in range(2))).unequal for _ in range(count)]
    assert np.mean(tests) <= 0.08 + 0.03 * looser(count, 300)


def test_a_pole_put_down_twice_is_allowed_for():
    rng = np.random.default_rng(3)
    first, second = epochs(rng, 60), epochs(rng, 60)
    apart = np.array([0.006, 0.0, 0.0])
    assert equal_by_scatter(apart, first, second).unequal
    assert equal_by_scatter(apart, first, second, np.eye(3) * 0.003**2).equal


def test_two_receivers_of_unequal_rate_share_a_memory_in_seconds():
    """Five epochs a second that remember 6 s each are worth no more than one a second: 3 σ of a claim is found, chance is not."""
    rng = np.random.default_rng(4)
    fast = epochs(rng, 300, 30.0)
    fast = Epochs(fast.positions_m, 60.0)
    found = [compared(epochs(rng, 60, 6.0), fast).chance for _ in range(20)]
    assert 0.2 <= np.median(found) <= 1.0


@pytest.mark.parametrize(
    ("first", "words"),
    [
        (Epochs(np.zeros((4, 3)), 3.0), "at least 5"),
        (Epochs(np.zeros((9, 3)), 8.0), "all the same"),
        (Epochs(np.full((9, 3), np.nan), 8.0), "at least 5"),
        (Epochs(np.zeros(9), 8.0), "at least 5"),
        (Epochs(np.arange(27.0).reshape(9, 3) ** 2, 0.0), "take no time"),
    ],
)
def test_what_cannot_be_tested_says_so(first, words):
    with pytest.raises(InputError, match=words):
        equal_by_scatter(np.zeros(3), first, epochs(np.random.default_rng(1), 30))


def test_a_singular_covariance_is_refused():
    with pytest.raises(InputError, match="singular"):
        equal_by_sigmas([0.01, 0.01], np.zeros((2, 2)))
