"""What a series whose values remember each other says of its memory, and of its scatter by every memory it may have.

A short series knows little of its own memory, so nothing is estimated and then believed: what is asked is answered for each of a
ladder of memories, and the answers count by how likely each is.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.distributions import chdtrc
from openstake.core.errors import InputError

_FEWEST_EPOCHS = 5
_MOST_VALUES = 60  # a longer series is taken as the means of its parts

# What is believed of the memory before a series is seen: none, or any from a value to twice the longest series, each of a ladder as likely.
# White noise that covers a memory is believed in little: 30 to 80 % of the variance, as a receiver's own noise over its multipath.
_MEMORIES = 24
_LONGEST = 2.0
_NO_MEMORY = 0.3
_WHITE = (0.0, 0.3, 0.6, 0.8)
_WHITE_AT_ALL = 0.05
_LEAST_LIKELY = 1e-4  # what has less of the greatest likelihood does not count


@dataclass(frozen=True)
class Epochs:
    """Positions, metres, shape (n, k), evenly spaced over so many seconds from the first to the last."""

    positions_m: NDArray[np.float64]
    span_s: float

    @property
    def step_s(self) -> float:
        return self.span_s / (len(self.positions_m) - 1)


@dataclass(frozen=True, kw_only=True)
class TimeCorrelation:
    """What a series says under each of g memories, in units of the variance of one epoch.

    `log_likelihood` is that of the memory, free of mean and scatter; `squares_m2` (g, k, k) are the sums of squares and products of
    the whitened residuals, of `freedom` degrees; `variance_of_mean` (g,) is that of the plain mean: 1 over how many epochs count.
    """

    log_likelihood: NDArray[np.float64]
    squares_m2: NDArray[np.float64]
    variance_of_mean: NDArray[np.float64]
    freedom: float


def time_correlations(*series: Epochs) -> list[TimeCorrelation]:
    """Return what each series says under the same memories; InputError below 5 epochs and where all are the same.

    Source: H. D. Patterson and R. Thompson, Biometrika 58, 1971, for the likelihood that is free of the mean; from memory.
    """
    parts = [_parts(item) for item in series]
    ladder_s = (min(item.step_s for item in series), _LONGEST * max(item.span_s for item in series))
    return [_under(values, _models(len(values), each, item.step_s, ladder_s)) for (values, each), item in zip(parts, series, strict=True)]


def weights(*seen: TimeCorrelation) -> NDArray[np.float64]:
    """Return how likely each memory is by all series together, shape (g,), their sum is 1; 0 for what does not count."""
    likelihood = sum((item.log_likelihood for item in seen), _believed_before())
    weight = np.exp(likelihood - likelihood.max())
    weight[weight < _LEAST_LIKELY] = 0.0
    return np.asarray(weight / weight.sum())


def independent_epochs(seen: TimeCorrelation, weight: NDArray[np.float64]) -> float:
    """Return how many independent epochs a series is worth."""
    return float(weight @ (1.0 / seen.variance_of_mean))


def chance_of_scatter(seen: TimeCorrelation, sigma_m: ArrayLike) -> NDArray[np.float64]:
    """Return how likely the epochs of each component scatter by no more than one sigma of `sigma_m`, shape (k,).

    Under each memory the squares over the variance are chi-squared.
    """
    squares = np.einsum("gkk->gk", seen.squares_m2) / np.square(np.asarray(sigma_m, dtype=float))
    return np.asarray(weights(seen) @ chdtrc(seen.freedom, squares))


def _parts(shot: Epochs) -> tuple[NDArray[np.float64], int]:
    """Return the epochs, or the means of equal parts of them as many as are looked at, and how many epochs make a part."""
    epochs = np.asarray(shot.positions_m, dtype=float)
    if epochs.ndim != 2 or len(epochs) < _FEWEST_EPOCHS or not np.isfinite(epochs).all():
        raise InputError(f"A scatter that can be tested takes at least {_FEWEST_EPOCHS} epochs a shot.")
    if float(np.ptp(epochs, axis=0).min()) <= 0.0:
        raise InputError("The epochs of a shot are all the same in one direction: their scatter says nothing.")
    if not shot.span_s > 0.0:
        raise InputError("The epochs of a shot take no time: their scatter says nothing.")
    each = -(-len(epochs) // _MOST_VALUES)
    count = len(epochs) // each
    centred = epochs - epochs[0]
    return centred[len(epochs) - count * each :].reshape(count, each, -1).mean(axis=1), each


@dataclass(frozen=True, kw_only=True)
class _Models:
    """The covariance of a series under each memory: what whitens it (g, n, n), and what follows of its mean (g,)."""

    whitening: NDArray[np.float64]
    of_ones: NDArray[np.float64]
    information: NDArray[np.float64]
    log_size: NDArray[np.float64]
    variance_of_mean: NDArray[np.float64]


@lru_cache(maxsize=4)
def _models(count: int, each: int, step_s: float, ladder_s: tuple[float, float]) -> _Models:
    """Return the models of the means of so many parts of so many epochs, for memories from none up the ladder."""
    parts_apart = np.abs(np.subtract.outer(np.arange(count), np.arange(count)))
    # The epochs of two parts are apart by as many steps as the parts, give or take: the nearer to none the more pairs.
    offsets = np.arange(1 - each, each)
    pairs = (each - np.abs(offsets)) / each**2
    steps_apart = np.abs(parts_apart[:, :, None] * each + offsets)
    white = np.eye(count) / each
    remembering = [np.exp(-steps_apart * (step_s / memory_s)) @ pairs for memory_s in np.geomspace(*ladder_s, _MEMORIES)]
    correlation = np.array([white, *((1.0 - part) * rows + part * white for rows in remembering for part in _WHITE)])
    lower = np.linalg.cholesky(correlation)
    whitening = np.linalg.inv(lower)
    of_ones = whitening.sum(axis=2)
    information = (of_ones**2).sum(axis=1)
    log_size = 2.0 * np.log(np.diagonal(lower, axis1=1, axis2=2)).sum(axis=1) + np.log(information)
    return _Models(
        whitening=whitening, of_ones=of_ones, information=information, log_size=log_size, variance_of_mean=correlation.mean(axis=(1, 2))
    )


def _believed_before() -> NDArray[np.float64]:
    """Return the logarithm of how likely each model is before anything is seen, in the order of the models."""
    covered = [_WHITE_AT_ALL / (len(_WHITE) - 1) if part else 1.0 - _WHITE_AT_ALL for part in _WHITE]
    each = (1.0 - _NO_MEMORY) / _MEMORIES
    return np.log([_NO_MEMORY, *(each * share for _ in range(_MEMORIES) for share in covered)])


def _under(values: NDArray[np.float64], models: _Models) -> TimeCorrelation:
    count, components = values.shape
    whitened = models.whitening @ values
    middle = (models.of_ones[:, None, :] @ whitened) / models.information[:, None, None]
    residual = whitened - models.of_ones[:, :, None] * middle
    squares = residual.transpose(0, 2, 1) @ residual
    likelihood = -0.5 * components * models.log_size - 0.5 * (count - 1) * np.linalg.slogdet(squares)[1]
    if not np.isfinite(likelihood).all():
        raise InputError("The epochs of a shot are so coarse that their directions follow from each other: their scatter says nothing.")
    return TimeCorrelation(log_likelihood=likelihood, squares_m2=squares, variance_of_mean=models.variance_of_mean, freedom=count - 1.0)
