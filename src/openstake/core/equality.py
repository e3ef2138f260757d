"""Whether two shots of one place are equal: by given covariances, or by the scatter of their own epochs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import InputError
from openstake.core.series import correlation_time
from openstake.core.special import chdtri, fdtri

SIGNIFICANCE = 0.05
_FEWEST_EPOCHS = 5

Test = Literal["chi-squared", "Hotelling"]


@dataclass(frozen=True)
class Equality:
    """The test of two places: they are equal where the statistic is at most the limit, at 95 %.

    `freedom` are the degrees of freedom of the differences, `freedom_within` those of the covariance (None where it is given).
    """

    test: Test
    statistic: float
    limit: float
    freedom: int
    freedom_within: float | None

    @property
    def equal(self) -> bool:
        return self.statistic <= self.limit


def equal_by_sigmas(difference_m: ArrayLike, covariance_m2: ArrayLike) -> Equality:
    """Return whether a difference, shape (k,), is none, by its given covariance (k, k), the sum of both places'.

    Source: chi-squared test of a mean with known covariance (any textbook of multivariate statistics; from memory).
    """
    difference = np.asarray(difference_m, dtype=float)
    count = len(difference)
    statistic = _quadratic(difference, np.asarray(covariance_m2, dtype=float))
    return Equality("chi-squared", statistic, float(chdtri(count, SIGNIFICANCE)), count, None)


@dataclass(frozen=True)
class Worth:
    """What a shot of epochs is worth: its mean, shape (k,), the covariance of that mean (k, k), and how well that is known."""

    mean_m: NDArray[np.float64]
    of_mean_m2: NDArray[np.float64]
    freedom_of_shape: float
    freedom_of_memory: float


def worth_of(epochs_m: ArrayLike) -> Worth:
    """Return what the epochs of a shot, shape (n, k), which remember each other, say of its mean; InputError below 5 epochs.

    The covariance of the mean is that of the epochs over their effective number (`core/series.py`).
    """
    epochs = np.asarray(epochs_m, dtype=float)
    count = len(epochs)
    if epochs.ndim != 2 or count < _FEWEST_EPOCHS or not np.isfinite(epochs).all():
        raise InputError(f"A scatter that can be tested takes at least {_FEWEST_EPOCHS} epochs a shot.")
    mean = epochs[0] + np.mean(epochs - epochs[0], axis=0)
    time, window = correlation_time(epochs)
    time = min(time, count / 2.0)
    # The scatter about the shot's own mean is too small by what the mean has taken away.
    spread = np.cov((epochs - mean).T, bias=True) * count / (count - time)
    return Worth(
        np.asarray(mean), np.atleast_2d(spread) * time / count, max(min(count / time, count) - 1.0, 1.0),
        2.0 * epochs.shape[1] * count / (4.0 * window + 2.0),
    )  # fmt: skip


def equal_by_scatter(first: Worth, second: Worth, given_m2: ArrayLike | None = None) -> Equality:
    """Return whether two shots are equal by the scatter of their epochs; `given_m2` (k, k) is known and added, a pole put down twice.

    What is not known of the covariance enters twice: its shape by Hotelling's T² with the degrees of freedom of unequal
    covariances; its size, by how little a short series knows of its own memory, as further degrees of freedom of the same F.
    Shots of a minute or more are meant: of 30 s with a memory of 10 s one pair of ten is called unequal that is not.
    InputError where the epochs of both are all the same.

    Source: D. G. Nel and C. A. van der Merwe, Communications in Statistics 15 (12), 1986, for unequal covariances; U. Wolff,
    Computer Physics Communications 156, 2004, for the error of the memory; both from memory.
    """
    parts = (first, second)
    traces = [float(np.trace(part.of_mean_m2)) for part in parts]
    if min(traces) <= 0.0:
        raise InputError("The epochs of a shot are all the same: their scatter says nothing.")
    total = first.of_mean_m2 + second.of_mean_m2
    if given_m2 is not None:
        total = total + np.asarray(given_m2, dtype=float)
    count = len(total)
    shape = _size(total) / sum(_size(part.of_mean_m2) / part.freedom_of_shape for part in parts)
    shape = max(shape, count + 1.0) - count + 1.0
    memory = float(np.trace(total)) ** 2 / sum(
        trace**2 / part.freedom_of_memory for trace, part in zip(traces, parts, strict=True)
    )
    within = 1.0 / (1.0 / shape + 1.0 / memory)
    statistic = _quadratic(first.mean_m - second.mean_m, total) * shape / ((shape + count - 1.0) * count)
    return Equality("Hotelling", statistic, float(fdtri(count, within, 1.0 - SIGNIFICANCE)), count, within)


def _size(covariance: NDArray[np.float64]) -> float:
    return float(np.trace(covariance @ covariance) + np.trace(covariance) ** 2)


def _quadratic(difference: NDArray[np.float64], covariance: NDArray[np.float64]) -> float:
    try:
        return float(difference @ np.linalg.solve(covariance, difference))
    except np.linalg.LinAlgError:
        raise InputError("The covariance of the difference says nothing in one direction: it is singular.") from None
