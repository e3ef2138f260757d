"""Where a local fit reaches: the hull of its marks, what it is predicted to give over a site, what one more mark would gain.

Source: propagation of the covariance of the parameters (any textbook of adjustment); the hull is Qhull's.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import hypot

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.localfit.horizontal import Horizontal, without_each
from openstake.core.localfit.pair import Pair
from openstake.core.localfit.vertical import Vertical
from openstake.core.quantiles import circle_sigmas, line_sigmas


@dataclass(frozen=True)
class Hull:
    """The smallest convex area that holds some places: its corners in order, metres, (k, 2); two of them where all lie on one line."""

    corners_m: NDArray[np.float64]

    def holds(self, places_m: ArrayLike) -> NDArray[np.bool_]:
        """Tell which places, (n, 2), lie inside, its edge included; a line and a point hold nothing."""
        places = np.asarray(places_m, dtype=float).reshape(-1, 2)
        if len(self.corners_m) < 3:
            return np.zeros(len(places), dtype=bool)
        along = np.roll(self.corners_m, -1, axis=0) - self.corners_m
        away = places[:, None, :] - self.corners_m[None, :, :]
        left = along[None, :, 0] * away[..., 1] - along[None, :, 1] * away[..., 0]
        return np.asarray((left >= -1e-6 * np.hypot(*along.T)).all(axis=1))


def hull_of(places_m: ArrayLike) -> Hull:
    """Return the hull of places, (n, 2)."""
    # Loaded where it is needed: the terminal's quick verbs do not wait for it.
    from scipy.spatial import ConvexHull, QhullError

    places = np.asarray(places_m, dtype=float).reshape(-1, 2)
    if len(places) < 3 or spread_ratio(places) < 1e-9:
        if len(places) < 2:
            return Hull(places)
        along = (places - places[0]) @ (places[int(np.argmax(np.hypot(*(places - places[0]).T)))] - places[0])
        return Hull(places[[int(np.argmin(along)), int(np.argmax(along))]])
    try:
        return Hull(places[ConvexHull(places - places.mean(axis=0)).vertices])
    except QhullError:
        return Hull(places[:2])


def spread_ratio(places_m: ArrayLike) -> float:
    """Return how wide places, (n, 2), lie across the line that fits them best, over how far along it: 0 on one line, 1 all round."""
    places = np.asarray(places_m, dtype=float).reshape(-1, 2)
    if len(places) < 3:
        return 0.0
    sizes = np.linalg.svd(places - places.mean(axis=0), compute_uv=False)
    return float(sizes[1] / sizes[0]) if sizes[0] > 0.0 else 0.0


@dataclass(frozen=True, kw_only=True)
class Reach:
    """What a fit alone gives over a site, in numbers that can be kept: GNSS grid metres; variances None where no sigma is known.

    `redundancy` and `up_redundancy` are the degrees of freedom that a variance is estimated with, None where it is known.
    `weight` is the sum of the weights and `spread_m2` that of weights times squared distances from the centre (None where nothing
    is turned); `up_cofactor` is of the constant and the slopes about `up_centre_m`, None without heights.
    """

    variance_m2: float | None
    weight: float
    spread_m2: float | None
    centre_m: tuple[float, float]
    corners_m: tuple[tuple[float, float], ...]
    up_variance_m2: float | None = None
    up_cofactor: tuple[tuple[float, ...], ...] | None = None
    up_centre_m: tuple[float, float] = (0.0, 0.0)
    redundancy: int | None = None
    up_redundancy: int | None = None

    def horizontal_95_m(self, places_m: ArrayLike) -> NDArray[np.float64]:
        """Return the radius of 95 % at places, (n, 2), metres; NaN where no sigma is known.

        A circle with the larger sigma: exact for a similarity, never too small where the scale is held.
        """
        away = np.asarray(places_m, dtype=float).reshape(-1, 2) - np.array(self.centre_m)
        turned = np.zeros(len(away)) if self.spread_m2 is None else np.sum(away**2, axis=1) / self.spread_m2
        return _radius_95_m(self.variance_m2, 1.0 / self.weight + turned, self.redundancy)

    def vertical_95_m(self, places_m: ArrayLike) -> NDArray[np.float64]:
        """Return the half width of 95 % in height at places, (n, 2), metres; NaN where no sigma is known, or no heights are."""
        places = np.asarray(places_m, dtype=float).reshape(-1, 2)
        if self.up_cofactor is None or self.up_variance_m2 is None:
            return np.full(len(places), np.nan)
        cofactor = np.array(self.up_cofactor)
        away = places - np.array(self.up_centre_m)
        row = np.column_stack([np.ones(len(away)), away])[:, : len(cofactor)]
        sigmas = line_sigmas(0.95, self.up_redundancy)
        return np.asarray(sigmas * np.sqrt(self.up_variance_m2 * np.einsum("ni,ij,nj->n", row, cofactor, row)))

    def holds(self, places_m: ArrayLike) -> NDArray[np.bool_]:
        """Tell which places, (n, 2), lie among the marks of the fit."""
        return Hull(np.array(self.corners_m).reshape(-1, 2)).holds(places_m)


def _radius_95_m(variance_m2: float | None, cofactor: NDArray[np.float64], redundancy: int | None) -> NDArray[np.float64]:
    variance = np.nan if variance_m2 is None else variance_m2
    return np.asarray(circle_sigmas(0.95, redundancy) * np.sqrt(variance * cofactor))


def reach_of(pairs: Sequence[Pair], flat: Horizontal, up: Vertical | None) -> Reach:
    """Return the reach of a fit."""
    hull = hull_of([(pairs[n].gnss_e_m, pairs[n].gnss_n_m) for n in flat.used])
    corners = tuple((float(east), float(north)) for east, north in hull.corners_m)
    spread = None if flat.model == "shift" else flat.spread_m2
    side = Reach(
        variance_m2=_finite(flat.variance_of_unit),
        weight=float(flat.weights.sum()),
        spread_m2=spread,
        centre_m=flat.centre_m,
        corners_m=corners,
        redundancy=None if flat.weighted else flat.redundancy,
    )
    if up is None:
        return side
    cofactor = tuple(tuple(float(value) for value in row) for row in up.cofactor)
    return replace(
        side,
        up_variance_m2=_finite(up.variance_of_unit),
        up_cofactor=cofactor,
        up_centre_m=up.centre_m,
        up_redundancy=None if up.weighted else up.redundancy,
    )


def _finite(value: float) -> float | None:
    return float(value) if np.isfinite(value) else None


@dataclass(frozen=True)
class Gain:
    """What taking one more mark in would do: its place among the candidates, the largest 95 % over the site before and after.

    Both in metres, horizontally; None where no sigma is known yet.
    """

    candidate: int
    before_m: float | None
    after_m: float | None


def best_next(reach: Reach, candidates_m: ArrayLike, weights: ArrayLike, site_m: ArrayLike) -> Gain | None:
    """Return the candidate, (c, 2) in the GNSS grid, whose taking in makes the worst place of the site, (s, 2), best.

    `weights` (c,) are 1/sigma² as those of the fit.  None where there is no candidate.
    """
    places = np.asarray(candidates_m, dtype=float).reshape(-1, 2)
    if len(places) == 0:
        return None
    site, centre = np.asarray(site_m, dtype=float).reshape(-1, 2), np.array(reach.centre_m)
    total, more = reach.weight, np.asarray(weights, dtype=float)
    away = places - centre
    moved = centre + away * (more / (total + more))[:, None]
    to_site = np.sum((site[None, :, :] - moved[:, None, :]) ** 2, axis=2)
    turned = np.zeros_like(to_site)
    if reach.spread_m2 is not None:
        spread = reach.spread_m2 + more * total / (total + more) * np.sum(away**2, axis=1)
        turned = to_site / np.maximum(spread, 1e-9)[:, None]
    # Without a sigma the best is as good as one can say: it does not depend on the sigma.
    worst = (1.0 / (total + more)[:, None] + turned).max(axis=1)
    best = int(np.argmin(worst))
    # A mark more brings two residuals more.
    then = None if reach.redundancy is None else reach.redundancy + 2
    before, after = reach.horizontal_95_m(site).max(), _radius_95_m(reach.variance_m2, worst[best : best + 1], then)[0]
    return Gain(best, _finite(float(before)), _finite(float(after)))


def farthest_apart(places_m: ArrayLike) -> tuple[int, int]:
    """Return which two of some places, (n, 2), lie farthest from each other: what a fit is best begun with."""
    places = np.asarray(places_m, dtype=float).reshape(-1, 2)
    corners = hull_of(places).corners_m
    pairs = [(hypot(*(one - other)), tuple(one), tuple(other)) for one in corners for other in corners]
    _, first, second = max(pairs)
    return tuple(int(np.argmin(np.hypot(*(places - end).T))) for end in (first, second))  # type: ignore[return-value]


def effects_m(pairs: Sequence[Pair], fit: Horizontal) -> NDArray[np.float64]:
    """Return by how much each used mark moves the fit, (m,): the largest way that a corner of the hull goes without it.

    NaN where the others do not suffice.  It is largest at a corner: what a similarity moves grows evenly from its centre.
    """
    gnss = np.array([(pairs[n].gnss_e_m, pairs[n].gnss_n_m) for n in fit.used])
    local = np.array([(pairs[n].local_e_m, pairs[n].local_n_m) for n in fit.used])
    centre = np.array(fit.centre_m)
    given_centre = fit.to_local(centre[:1], centre[1:])[0]
    g, given = gnss - centre, local - given_centre
    others = without_each(fit.model, (fit.a, fit.b), fit.weights, g, given, fit.spread_m2)
    corners = hull_of(gnss).corners_m - centre
    own = np.stack([fit.a * corners[:, 0] - fit.b * corners[:, 1], fit.b * corners[:, 0] + fit.a * corners[:, 1]], axis=1)
    return np.asarray(np.hypot(*(others.moved(corners) - own[None]).transpose(2, 0, 1)).max(axis=1))


def effects_up_m(pairs: Sequence[Pair], fit: Vertical) -> NDArray[np.float64]:
    """Return by how much each used mark moves the vertical fit, (m,), at the corner of the hull where that is most."""
    places = np.array([(pairs[n].gnss_e_m, pairs[n].gnss_n_m) for n in fit.used])
    corners = hull_of(places).corners_m
    rows = [_row(fit, part) for part in (places, corners)]
    # A mark's weighted left-out difference is what it pulls the parameters by.
    pull = (fit.weights * fit.residual_m[fit.used] / np.maximum(1.0 - np.sum(fit.basis**2, axis=1), 1e-9))[:, None]
    moved = rows[1] @ fit.cofactor @ (rows[0] * pull).T
    return np.asarray(np.abs(moved).max(axis=0))


def _row(fit: Vertical, places_m: NDArray[np.float64]) -> NDArray[np.float64]:
    away = places_m - np.array(fit.centre_m)
    return np.column_stack([np.ones(len(away)), away])[:, : len(fit.cofactor)]
