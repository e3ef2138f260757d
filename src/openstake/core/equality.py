"""Whether two shots of one place are equal: by given covariances, or by the scatter of their own epochs."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import InputError
from openstake.core.special import chdtrc, fdtrc

SIGNIFICANCE = 0.05
FEWEST_INDEPENDENT = 3.0  # a shot worth fewer independent epochs is too short to be called equal to another
_FEWEST_EPOCHS = 5
_MOST_VALUES = 60  # a longer shot is taken as the means of its parts

# What is believed of the memory before a shot is seen: none, or any from a value to twice the longer shot, each of a ladder as likely.
# White noise that covers a memory is believed in little: 30 to 80 % of the variance, as a receiver's own noise over its multipath.
_MEMORIES = 24
_LONGEST = 2.0
_NO_MEMORY = 0.3
_WHITE = (0.0, 0.3, 0.6, 0.8)
_WHITE_AT_ALL = 0.05
_LEAST_LIKELY = 1e-4  # what has less of the greatest likelihood does not count


@dataclass(frozen=True)
class Equality:
    """The test of two places.

    `chance` is how often equal ones lie further apart than these do; `too_short`: the epochs remember each other for so long that
    equal cannot be told from unequal, unless they are far apart.
    """

    chance: float
    too_short: bool = False

    @property
    def unequal(self) -> bool:
        return self.chance < SIGNIFICANCE

    @property
    def equal(self) -> bool:
        return not self.unequal and not self.too_short

    @property
    def words(self) -> str:
        """What the test found, in a few words."""
        share = "less than 0.1 %" if self.chance < 0.001 else f"{self.chance:.1%}".replace("%", " %")
        return f"{share} of equal ones lie further apart"


def equal_by_sigmas(difference_m: ArrayLike, covariance_m2: ArrayLike) -> Equality:
    """Return whether a difference, shape (k,), is none, by its given covariance (k, k), the sum of both places'.

    Source: chi-squared test of a mean with known covariance (any textbook of multivariate statistics; from memory).
    """
    difference = np.asarray(difference_m, dtype=float)
    statistic = _quadratic(difference, np.asarray(covariance_m2, dtype=float)[None])
    return Equality(float(chdtrc(len(difference), statistic[0])))


@dataclass(frozen=True)
class Epochs:
    """The epochs of a shot: positions, metres, shape (n, k), evenly spaced over so many seconds from the first to the last."""

    positions_m: NDArray[np.float64]
    span_s: float

    @property
    def step_s(self) -> float:
        return self.span_s / (len(self.positions_m) - 1)


@dataclass(frozen=True)
class _Models:
    """What each model of the noise says of a series of n values: whitening (g, n, n), and of the plain mean (g,).

    `log_size` is what the likelihood takes off for the model's own size; all is in units of the variance of one epoch.
    """

    whitening: NDArray[np.float64]
    of_ones: NDArray[np.float64]
    information: NDArray[np.float64]
    log_size: NDArray[np.float64]
    variance_of_mean: NDArray[np.float64]


def equal_by_scatter(
    difference_m: ArrayLike, first: Epochs, second: Epochs, given_m2: ArrayLike | None = None
) -> Equality:
    """Return whether two shots are equal by the scatter of their epochs; `given_m2` (k, k) is known and added, a pole put down twice.

    Epochs remember each other, and a short series knows little of its own memory.  So the chance is that of every memory, one for
    both shots, by how likely it is: for each the mean's covariance is that of the epochs, whitened, and the test is Hotelling's T²
    with the degrees of freedom of unequal covariances.  Memories: none, or an exponential one up to twice the longer shot, also
    under white noise.  A shot that is worth fewer than three independent epochs is *too short*: it is unequal where it is far
    apart, and never equal.  InputError below 5 epochs and where the epochs of one are all the same.

    False alarms over 10 000 seeded pairs: 3 to 6 % for memories up to a tenth of the shot, at most 6 % for longer ones (docs/benchmarks.md).
    White noise of half the variance over a memory as long as the shot itself cannot be seen in it: there 10 to 30 % of equal
    pairs are called unequal.

    Source: D. G. Nel and C. A. van der Merwe, Communications in Statistics 15 (12), 1986, for unequal covariances; H. D. Patterson and
    R. Thompson, Biometrika 58, 1971, for the likelihood that is free of the mean; both from memory.
    """
    shots = (first, second)
    parts = [_parts(item) for item in shots]
    ladder_s = (min(item.step_s for item in shots), _LONGEST * max(item.span_s for item in shots))
    seen = [
        _seen(values, _models(len(values), each, item.step_s, ladder_s))
        for (values, each), item in zip(parts, shots, strict=True)
    ]
    likelihood = seen[0][0] + seen[1][0] + _believed_before()
    weight = np.exp(likelihood - likelihood.max())
    counts = weight > _LEAST_LIKELY
    weight = weight[counts] / weight[counts].sum()
    covariances = [item[1][counts] for item in seen]
    freedoms = [len(values) - 1.0 for values, _ in parts]
    total = covariances[0] + covariances[1]
    if given_m2 is not None:
        total = total + np.asarray(given_m2, dtype=float)
    difference = np.asarray(difference_m, dtype=float)
    count = len(difference)
    freedom = _size(total) / sum(_size(part) / known for part, known in zip(covariances, freedoms, strict=True))
    freedom = np.maximum(freedom, count + 1.0)
    within = freedom - count + 1.0
    chances = fdtrc(count, within, _quadratic(difference, total) * within / (freedom * count))
    independent = min(float(weight @ (1.0 / item[2][counts])) for item in seen)
    return Equality(float(weight @ chances), independent < FEWEST_INDEPENDENT)


def _parts(shot: Epochs) -> tuple[NDArray[np.float64], int]:
    """Return the epochs of a shot, or the means of equal parts of it as many as are looked at, and how many epochs make a part."""
    epochs = np.asarray(shot.positions_m, dtype=float)
    if epochs.ndim != 2 or len(epochs) < _FEWEST_EPOCHS or not np.isfinite(epochs).all():
        raise InputError(f"A scatter that can be tested takes at least {_FEWEST_EPOCHS} epochs a shot.")
    if float(np.ptp(epochs, axis=0).max()) <= 0.0:
        raise InputError("The epochs of a shot are all the same: their scatter says nothing.")
    if not shot.span_s > 0.0:
        raise InputError("The epochs of a shot take no time: their scatter says nothing.")
    each = -(-len(epochs) // _MOST_VALUES)
    count = len(epochs) // each
    centred = epochs - epochs[0]
    return centred[len(epochs) - count * each :].reshape(count, each, -1).mean(axis=1), each


@lru_cache(maxsize=4)
def _models(count: int, each: int, step_s: float, ladder_s: tuple[float, float]) -> _Models:
    """Return the models of the means of so many parts of so many epochs, for memories from none up the ladder."""
    parts_apart = np.abs(np.subtract.outer(np.arange(count), np.arange(count)))
    # The epochs of two parts are apart by as many steps as the parts, give or take: the nearer to none the more pairs.
    offsets = np.arange(1 - each, each)
    pairs = (each - np.abs(offsets)) / each**2
    steps_apart = np.abs(parts_apart[:, :, None] * each + offsets)
    white = np.eye(count) / each
    remembering = [
        np.exp(-steps_apart * (step_s / memory_s)) @ pairs for memory_s in np.geomspace(*ladder_s, _MEMORIES)
    ]
    correlation = np.array([white, *((1.0 - part) * rows + part * white for rows in remembering for part in _WHITE)])
    lower = np.linalg.cholesky(correlation)
    whitening = np.linalg.inv(lower)
    of_ones = whitening.sum(axis=2)
    information = (of_ones**2).sum(axis=1)
    log_size = 2.0 * np.log(np.diagonal(lower, axis1=1, axis2=2)).sum(axis=1) + np.log(information)
    return _Models(whitening, of_ones, information, log_size, correlation.mean(axis=(1, 2)))


def _believed_before() -> NDArray[np.float64]:
    """Return the logarithm of how likely each model is before anything is seen, in the order of the models."""
    covered = [_WHITE_AT_ALL / (len(_WHITE) - 1) if part else 1.0 - _WHITE_AT_ALL for part in _WHITE]
    each = (1.0 - _NO_MEMORY) / _MEMORIES
    return np.log([_NO_MEMORY, *(each * share for _ in range(_MEMORIES) for share in covered)])


def _seen(
    values: NDArray[np.float64], models: _Models
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Return by model the logarithm of its likelihood, the covariance of the mean (g, k, k), and the mean's variance for one of a value."""
    count, components = values.shape
    whitened = models.whitening @ values
    middle = (models.of_ones[:, None, :] @ whitened) / models.information[:, None, None]
    residual = whitened - models.of_ones[:, :, None] * middle
    squares = residual.transpose(0, 2, 1) @ residual
    likelihood = -0.5 * components * models.log_size - 0.5 * (count - 1) * np.linalg.slogdet(squares)[1]
    covariance = squares * (models.variance_of_mean / (count - 1))[:, None, None]
    return likelihood, covariance, models.variance_of_mean


def _size(covariance: NDArray[np.float64]) -> NDArray[np.float64]:
    trace = np.einsum("gii->g", covariance)
    return np.asarray(np.einsum("gij,gji->g", covariance, covariance) + trace**2)


def _quadratic(difference: NDArray[np.float64], covariance: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the squares of a difference, shape (k,), in units of each covariance, shape (g, k, k)."""
    try:
        solved = np.linalg.solve(
            covariance, np.broadcast_to(difference[:, None], (len(covariance), len(difference), 1))
        )
        return np.asarray(solved[:, :, 0] @ difference)
    except np.linalg.LinAlgError:
        raise InputError("The covariance of the difference says nothing in one direction: it is singular.") from None
