"""How far a fit can be trusted by its own residuals: redundancy, what a blunder would have to be, which mark is suspected, and
whether the data can tell.

A hypothesis is a whole mark: all its components (two horizontally, one vertically) are wrong at once.  With given sigmas its
statistic is χ² (Baarda's test of a group); with an estimated sigma it is F, and single components are tau.  The set of marks has
5 % of false alarms together: each is tested at 1 − 0.95^(1/n).

Two marks can be told apart where their canonical correlation is below 0.9: what one of them wrong would do to the residuals is then
not what the other would do.  And something must be left to judge by once the mark is taken out.

Source: W. Baarda, 1968; A. J. Pope, The statistics of residuals and the detection of outliers, NOAA TR NOS 65 NGS 1, 1976 (tau);
W. Förstner, 1983, for groups and their correlation; all from memory.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from openstake.core.distributions import chdtri, chndtr, fdtri, stdtrit
from openstake.core.limits import FIT_CORRELATION, FIT_MOST_SUSPECTS, FIT_POWER, FIT_SIGNIFICANCE, FIT_SINGLE_SIGNIFICANCE

_NO_REDUNDANCY = 1e-9


@dataclass(frozen=True, kw_only=True)
class Suspect:
    """A mark whose being wrong explains the residuals: its place among the used marks, its statistic and limit.

    `can_tell`: no other mark explains them as well by its nature; `rival` is the place of the one most like it, `correlation` how alike.
    """

    place: int
    statistic: float
    limit: float
    can_tell: bool
    rival: int | None
    correlation: float


@dataclass(frozen=True, kw_only=True)
class Reliability:
    """The diagnosis of one fit of m marks with k components; NaN where a mark has no redundancy of its own.

    `redundancy` and `standardised` (m, k): of each component; `detectable_m` (m, k): the blunder that is found with 80 %.
    `test` says by what single components are tested; `limit` is theirs.  The global test is that of the variance factor: None
    without given sigmas.
    """

    test: Literal["Baarda", "tau"]
    limit: float | None
    redundancy: NDArray[np.float64]
    standardised: NDArray[np.float64]
    detectable_m: NDArray[np.float64]
    global_statistic: float | None
    global_limit: float | None
    suspects: tuple[Suspect, ...]

    @property
    def global_passed(self) -> bool | None:
        if self.global_statistic is None or self.global_limit is None:
            return None
        return self.global_statistic <= self.global_limit


def reliability(basis: NDArray[np.float64], weights: NDArray[np.float64], off_m: NDArray[np.float64], weighted: bool) -> Reliability:
    """Return the diagnosis from the orthonormal whitened design (m·k, u), weights (m,) and residuals of the used marks, (m, k)."""
    count, parts = off_m.shape
    freedom = count * parts - basis.shape[1]
    root = np.sqrt(weights)
    white = off_m * root[:, None]
    blocks = basis.reshape(count, parts, -1)
    own = np.eye(parts) - np.einsum("ipu,iqu->ipq", blocks, blocks)
    redundancy = np.einsum("ipp->ip", own)
    kept = redundancy > _NO_REDUNDANCY
    total = float(np.sum(white**2)) if freedom > 0 else 0.0
    sigma0 = 1.0 if weighted else (total / freedom) ** 0.5 if freedom > 0 else np.nan
    with np.errstate(divide="ignore", invalid="ignore"):
        standardised = np.where(kept, white / (sigma0 * np.sqrt(redundancy)), np.nan)
        detectable = np.where(kept, _shift_found(parts_tested=1) * sigma0 / np.sqrt(redundancy) / root[:, None], np.nan)
    if freedom <= 0:
        standardised, detectable = np.full_like(off_m, np.nan), np.full_like(off_m, np.nan)
    return Reliability(
        test="Baarda" if weighted else "tau",
        limit=_single_limit(count * parts, freedom, weighted),
        redundancy=redundancy,
        standardised=standardised,
        detectable_m=detectable,
        global_statistic=total if weighted and freedom > 0 else None,
        global_limit=float(chdtri(freedom, FIT_SIGNIFICANCE)) if weighted and freedom > 0 else None,
        suspects=tuple(_suspects(own, blocks, white, total, freedom, weighted)),
    )


def _single_limit(tested: int, freedom: int, weighted: bool) -> float | None:
    """Return the limit of a standardised residual at 5 % for all of them: normal with given sigmas, else tau."""
    each = 1.0 - (1.0 - FIT_SIGNIFICANCE) ** (1.0 / max(tested, 1))
    if weighted:
        return float(chdtri(1, each) ** 0.5)
    if freedom < 2:
        return None
    student = float(stdtrit(freedom - 1, 1.0 - each / 2.0))
    return float((freedom * student**2 / (freedom - 1 + student**2)) ** 0.5)


def _shift_found(parts_tested: int) -> float:
    """Return by how many sigmas the expectation of a test has to move for 80 % at 0.1 %: 4.13 for one component (Baarda)."""
    limit = float(chdtri(parts_tested, FIT_SINGLE_SIGNIFICANCE))
    low, high = 0.0, 100.0
    for _ in range(60):
        middle = (low + high) / 2.0
        low, high = (low, middle) if 1.0 - float(chndtr(limit, parts_tested, middle)) >= FIT_POWER else (middle, high)
    return float(high**0.5)


def _suspects(
    own: NDArray[np.float64], blocks: NDArray[np.float64], white: NDArray[np.float64], total: float, freedom: int, weighted: bool
) -> list[Suspect]:
    count, parts = white.shape
    if freedom <= 0 or count < 2:
        return []
    roots = _inverse_roots(own)
    turned = np.einsum("ipq,iq->ip", roots, white)
    statistic = np.sum(turned**2, axis=1)
    left = freedom - parts
    # Where no redundancy is left without a mark, all hypotheses are one and the same.
    each = 1.0 - (1.0 - FIT_SIGNIFICANCE) ** (1.0 / (count if left > 0 else 1))
    if weighted:
        limit = float(chdtri(parts, each))
    elif left > 0 and total > 0.0:
        # Where the others agree to the last digit the statistic is as large as numbers of this size can tell.
        statistic = (statistic / parts) / (np.maximum(total - statistic, 1e-12 * total) / left)
        limit = float(fdtri(parts, left, 1.0 - each))
    else:
        return []
    found = [int(place) for place in np.argsort(-statistic)[:FIT_MOST_SUSPECTS] if statistic[place] > limit]
    return [_suspect(place, float(statistic[place]), limit, blocks, roots, left) for place in found]


def _inverse_roots(own: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the inverse square roots of each mark's own block of the residual projector; zeros where it has no redundancy."""
    values, vectors = np.linalg.eigh(own)
    with np.errstate(divide="ignore"):
        scale = np.where(values > _NO_REDUNDANCY, 1.0 / np.sqrt(np.maximum(values, _NO_REDUNDANCY)), 0.0)
    return np.asarray(np.einsum("ipu,iu,iqu->ipq", vectors, scale, vectors))


def _suspect(place: int, statistic: float, limit: float, blocks: NDArray[np.float64], roots: NDArray[np.float64], left: int) -> Suspect:
    cross = -np.matmul(blocks[place], blocks.transpose(0, 2, 1))
    alike = _largest_singular(np.matmul(np.matmul(roots[place], cross), roots))
    alike[place] = -1.0
    rival = int(np.argmax(alike))
    correlation = float(min(alike[rival], 1.0))
    return Suspect(
        place=place,
        statistic=statistic,
        limit=limit,
        can_tell=left > 0 and correlation < FIT_CORRELATION,
        rival=rival,
        correlation=correlation,
    )


def _largest_singular(matrices: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the largest singular value of each matrix, (n, 1, 1) or (n, 2, 2), in closed form."""
    if matrices.shape[-1] == 1:
        return np.abs(matrices[:, 0, 0])
    squares = np.sum(matrices**2, axis=(1, 2))
    determinant = matrices[:, 0, 0] * matrices[:, 1, 1] - matrices[:, 0, 1] * matrices[:, 1, 0]
    return np.asarray(np.sqrt((squares + np.sqrt(np.maximum(squares**2 - 4.0 * determinant**2, 0.0))) / 2.0))
