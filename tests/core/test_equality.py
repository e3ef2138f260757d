"""Tests of equality against scipy's quantiles, closed forms, and their own false alarms over seeded pairs."""

import numpy as np
import pytest
from scipy import stats

from openstake.core.equality import equal_by_scatter, equal_by_sigmas, worth_of
from openstake.core.errors import InputError
from tests.repeats import looser, repeats

SIGMAS_M = np.array([0.006, 0.008, 0.015])


def epochs(rng, count, memory=0.0, at=(0.0, 0.0, 0.0)):
    """Return positions that remember the one before by `memory` (a first-order process), shape (count, 3)."""
    noise = rng.normal(size=(count + 60, 3))
    values = noise.copy()
    for n in range(1, len(values)):
        values[n] = memory * values[n - 1] + (1.0 - memory**2) ** 0.5 * noise[n]
    return np.asarray(at) + values[60:] * SIGMAS_M


def test_given_sigmas_are_tested_by_chi_squared():
    covariance = np.diag([0.01, 0.01, 0.02]) ** 2
    found = equal_by_sigmas([0.01, 0.02, 0.02], covariance)
    assert found.statistic == pytest.approx(1.0 + 4.0 + 1.0)
    assert found.limit == pytest.approx(stats.chi2.ppf(0.95, 3)) and found.equal
    assert not equal_by_sigmas([0.01, 0.03, 0.02], covariance).equal


def test_false_alarms_with_given_sigmas_are_one_in_twenty():
    rng = np.random.default_rng(20261127)
    turn = np.array([[0.8, -0.6, 0.0], [0.6, 0.8, 0.0], [0.0, 0.0, 1.0]])
    covariance = turn @ np.diag(SIGMAS_M**2) @ turn.T
    shots = rng.multivariate_normal(np.zeros(3), covariance, (2000, 2))
    alarms = [not equal_by_sigmas(after - before, 2.0 * covariance).equal for before, after in shots]
    assert 0.035 <= np.mean(alarms) <= 0.065


def test_a_correlation_of_east_and_north_counts():
    """Along the long axis 20 mm are nothing, across it they are much: d² (1 ∓ ρ)⁻¹ / σ² for a difference on the diagonals."""
    covariance = np.array([[1.0, 0.9], [0.9, 1.0]]) * 0.01**2
    along, across = (equal_by_sigmas(np.array(side) * 0.02 / 2**0.5, covariance) for side in ([1, 1], [1, -1]))
    assert along.statistic == pytest.approx(4.0 / 1.9) and across.statistic == pytest.approx(4.0 / 0.1)
    assert along.equal and not across.equal


@pytest.mark.parametrize("count", [1, 2, 3])
def test_independent_epochs_give_hotellings_statistic(count):
    """Two long samples of one covariance: T² is the textbook's, with pooled covariance (R. A. Johnson, D. W. Wichern; from memory)."""
    rng = np.random.default_rng(7)
    first, second = (epochs(rng, 4000)[:, :count] for _ in range(2))
    apart = first.mean(axis=0) - second.mean(axis=0)
    pooled = np.atleast_2d(np.cov(first.T) + np.cov(second.T)) / 2.0
    textbook = 2000.0 * apart @ np.linalg.solve(pooled, apart)

    found = equal_by_scatter(worth_of(first), worth_of(second))

    # The memory that is estimated of independent epochs is 1 within a tenth.
    assert found.statistic * count == pytest.approx(textbook, rel=0.15)
    assert found.limit == pytest.approx(stats.f.ppf(0.95, count, found.freedom_within))


def test_false_alarms_are_one_in_twenty_also_where_epochs_remember():
    """2 000 seeded pairs, half of them correlated in time (0.8 from second to second: a memory of 9 s)."""
    rng, count = np.random.default_rng(20261127), repeats(1000)
    alarms = [
        [not equal_by_scatter(*(worth_of(epochs(rng, 120, memory)) for _ in range(2))).equal for _ in range(count)]
        for memory in (0.0, 0.8)
    ]
    assert abs(np.mean(alarms) - 0.05) <= 0.015 * looser(count, 1000), [float(np.mean(half)) for half in alarms]
    # A half of 1 000 has a standard deviation of 0.7 %.
    assert max(np.mean(half) for half in alarms) <= 0.05 + 0.03 * looser(count, 1000)


def test_a_difference_of_seven_sigmas_of_the_mean_is_seen():
    rng = np.random.default_rng(5)
    worth = SIGMAS_M * (9.0 / 180.0 * 2.0) ** 0.5  # two means of 180 s with a memory of 9 s
    seen = [
        not equal_by_scatter(*(worth_of(epochs(rng, 180, 0.8, at=[off, 0, 0])) for off in (0.0, 7.0 * worth[0]))).equal
        for _ in range(200)
    ]
    assert np.mean(seen) >= 0.95


@pytest.mark.parametrize(
    ("first", "words"),
    [
        (np.zeros((4, 3)), "at least 5"),
        (np.zeros((9, 3)), "all the same"),
        (np.full((9, 3), np.nan), "at least 5"),
        (np.zeros(9), "at least 5"),
    ],
)
def test_what_cannot_be_tested_says_so(first, words):
    with pytest.raises(InputError, match=words):
        equal_by_scatter(worth_of(first), worth_of(epochs(np.random.default_rng(1), 30)))


def test_a_singular_covariance_is_refused():
    with pytest.raises(InputError, match="singular"):
        equal_by_sigmas([0.01, 0.01], np.zeros((2, 2)))
