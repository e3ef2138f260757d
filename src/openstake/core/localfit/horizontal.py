"""The horizontal half of a local fit: closed form, about centroids; a mark is left out by downdating the same sums."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import atan2, cos, degrees, hypot, radians, sin

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import InputError
from openstake.core.limits import SAME_PLACE_FIT_M
from openstake.core.localfit.pair import FEWEST, PARAMETERS, HorizontalModel, Pair, weights_of


@dataclass(frozen=True, kw_only=True)
class Horizontal:
    """A horizontal fit.  All arrays are in the order of the pairs; of marks that are not used `residual_m` equals `left_out_m`.

    `residual_m` (n, 2): fitted − given; NaN of used marks where there is no redundancy.  `left_out_m` (n, 2): predicted by the others −
    given; NaN where the others do not suffice.  `projector` (2m, 2m) takes whitened observations of the m used marks to their
    residuals; `weights` (m,) are 1/sigma², 1 where no sigma is given.
    """

    model: HorizontalModel
    a: float
    b: float
    shift_e_m: float
    shift_n_m: float
    used: NDArray[np.int_]
    weights: NDArray[np.float64]
    weighted: bool
    residual_m: NDArray[np.float64]
    left_out_m: NDArray[np.float64]
    basis: NDArray[np.float64]  # (2m, u), orthonormal columns of the whitened design
    centre_m: tuple[float, float]
    spread_m2: float  # Σ w r²
    redundancy: int
    square_sum: float

    @property
    def scale(self) -> float:
        return hypot(self.a, self.b)

    @property
    def scale_ppm(self) -> float:
        return 1e6 * (self.scale - 1.0)

    @property
    def rotation_deg(self) -> float:
        """Anticlockwise from the GNSS grid to the local one, degrees: atan2(b, a)."""
        return degrees(atan2(self.b, self.a))

    @property
    def variance_factor(self) -> float | None:
        """Σ w v² over the redundancy; None without weights or without redundancy."""
        return self.square_sum / self.redundancy if self.weighted and self.redundancy > 0 else None

    @property
    def sigma0_m(self) -> float | None:
        """The estimated sigma of one component; None with weights or without redundancy."""
        return (self.square_sum / self.redundancy) ** 0.5 if not self.weighted and self.redundancy > 0 else None

    def to_local(self, east_m: NDArray[np.float64], north_m: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return local east and north of GNSS grid places, shape (n, 2)."""
        east, north = np.asarray(east_m, dtype=float), np.asarray(north_m, dtype=float)
        return np.stack([self.a * east - self.b * north + self.shift_e_m, self.b * east + self.a * north + self.shift_n_m], axis=-1)

    @property
    def variance_of_unit(self) -> float:
        """What a weight of one is worth: 1 with the given sigmas, else the estimated variance; NaN where there is neither."""
        return 1.0 if self.weighted else np.nan if self.sigma0_m is None else self.sigma0_m**2

    def covariance_m2(self, east_m: float, north_m: float) -> NDArray[np.float64]:
        """Return the covariance of a fitted place, (2, 2), of the fit alone: with the given sigmas, else the estimated one.

        NaN where the sigma is neither given nor can be estimated.
        """
        x, y = east_m - self.centre_m[0], north_m - self.centre_m[1]
        total = np.eye(2) / float(self.weights.sum())
        if self.model != "shift":
            # Of a rotation only what lies across the way from the centroid is moved; of a scale what lies along it too.
            turned = np.array([[self.a, -self.b], [self.b, self.a]]) / self.scale
            across = turned @ np.array([-y, x])
            total = total + np.outer(across, across) / self.spread_m2
            if self.model == "similarity":
                along = turned @ np.array([x, y])
                total = total + np.outer(along, along) / self.spread_m2
        return np.asarray(self.variance_of_unit * total)


def fit_horizontal(
    pairs: Sequence[Pair], model: HorizontalModel = "similarity", scale: float = 1.0, rotation_deg: float = 0.0
) -> Horizontal:
    """Return the horizontal fit of the pairs whose use holds an h; scale and rotation are held where the model does not free them.

    InputError where there are fewer marks than the model needs, where they lie at one place, or where only some have a sigma.
    """
    if not np.isfinite(scale) or scale <= 0.0:
        raise InputError("A scale is a number larger than 0.", field="scale")
    used = np.array([n for n, pair in enumerate(pairs) if "h" in pair.use and pair.use != "check"], dtype=int)
    if len(used) < FEWEST[model]:
        raise InputError(f"A {model} takes at least {FEWEST[model]} marks horizontally; there are {len(used)}.", field="use")
    weights, weighted = weights_of([pairs[n].sigma_h_m for n in used], "sigma_h_m")
    gnss = np.array([(pair.gnss_e_m, pair.gnss_n_m) for pair in pairs], dtype=float)
    local = np.array([(pair.local_e_m, pair.local_n_m) for pair in pairs], dtype=float)
    if not (np.isfinite(gnss).all() and np.isfinite(local).all()):
        raise InputError("A coordinate is not a finite number.")
    total = weights.sum()
    from_m, to_m = _centroid(gnss[used], weights), _centroid(local[used], weights)
    g, given = gnss[used] - from_m, local[used] - to_m
    spread = float(weights @ np.sum(g**2, axis=1))
    if model != "shift" and spread <= total * SAME_PLACE_FIT_M**2:
        raise InputError("All marks of the fit lie at one place: they show neither scale nor rotation.", field="use")
    along = np.sum(g * given, axis=1)
    across = g[:, 0] * given[:, 1] - g[:, 1] * given[:, 0]
    held = scale * cos(radians(rotation_deg)), scale * sin(radians(rotation_deg))
    a, b = _parameters(model, held, weights @ along, weights @ across, spread)
    fitted = _turned(g, a, b)
    off = fitted - given
    redundancy = 2 * len(used) - PARAMETERS[model]
    residual, left_out = np.full((len(pairs), 2), np.nan), np.full((len(pairs), 2), np.nan)
    others = np.setdiff1d(np.arange(len(pairs)), used)
    residual[others] = left_out[others] = _turned(gnss[others] - from_m, a, b) - (local[others] - to_m)
    if redundancy > 0:
        residual[used] = off
    left_out[used] = _left_out(model, held, weights, g, given, spread)
    shift = to_m - _turned(from_m[None, :], a, b)[0]
    return Horizontal(
        model=model,
        a=float(a),
        b=float(b),
        shift_e_m=float(shift[0]),
        shift_n_m=float(shift[1]),
        used=used,
        weights=weights,
        weighted=weighted,
        residual_m=residual,
        left_out_m=left_out,
        basis=_basis(model, weights, g, a, b),
        centre_m=(float(from_m[0]), float(from_m[1])),
        spread_m2=spread,
        redundancy=redundancy,
        square_sum=float(weights @ np.sum(off**2, axis=1)) if redundancy > 0 else 0.0,
    )


def _centroid(places: NDArray[np.float64], weights: NDArray[np.float64]) -> NDArray[np.float64]:
    # Centred on the first place before it is averaged: the last digits stay.
    first = places[0]
    return np.asarray(first + weights @ (places - first) / weights.sum())


def _turned(places: NDArray[np.float64], a: float, b: float) -> NDArray[np.float64]:
    return np.stack([a * places[:, 0] - b * places[:, 1], b * places[:, 0] + a * places[:, 1]], axis=1)


def _parameters(model: str, held: tuple[float, float], along, across, spread):  # type: ignore[no-untyped-def]
    """Return a and b from the sums of a fit, plain numbers or arrays of them; `held` are those that nothing frees."""
    if model == "similarity":
        return along / spread, across / spread
    if model == "shift":
        return held[0] * np.ones_like(along), held[1] * np.ones_like(along)
    scale, size = hypot(*held), np.hypot(along, across)
    return scale * along / size, scale * across / size


@dataclass(frozen=True, kw_only=True)
class LeaveOneOut:
    """A fit without each of its marks in turn, about the centroids of all: a and b (m,), and where the centroids go (m, 2)."""

    a: NDArray[np.float64]
    b: NDArray[np.float64]
    from_m: NDArray[np.float64]
    to_m: NDArray[np.float64]

    def moved(self, places_m: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where each of these fits puts places about the centroid, (p, 2), about the given one: (m, p, 2)."""
        away = places_m[None, :, :] - self.from_m[:, None, :]
        a, b = self.a[:, None], self.b[:, None]
        turned = np.stack([a * away[..., 0] - b * away[..., 1], b * away[..., 0] + a * away[..., 1]], axis=-1)
        return np.asarray(turned + self.to_m[:, None, :])


def without_each(
    model: HorizontalModel,
    held: tuple[float, float],
    weights: NDArray[np.float64],
    g: NDArray[np.float64],
    given: NDArray[np.float64],
    spread: float,
) -> LeaveOneOut:
    """Return the fits without each mark, by downdating the sums: g and given (m, 2) are about their centroids.

    NaN where the others do not suffice.
    """
    count, total = len(weights), weights.sum()
    if count - 1 < FEWEST[model]:
        nothing = np.full(count, np.nan)
        return LeaveOneOut(a=nothing, b=nothing, from_m=np.full((count, 2), np.nan), to_m=np.full((count, 2), np.nan))
    rest = total - weights
    factor = weights * total / rest
    along, across = np.sum(g * given, axis=1), g[:, 0] * given[:, 1] - g[:, 1] * given[:, 0]
    spread_without = spread - factor * np.sum(g**2, axis=1)
    with np.errstate(invalid="ignore", divide="ignore"):
        a, b = _parameters(model, held, weights @ along - factor * along, weights @ across - factor * across, spread_without)
    if model != "shift":
        a = np.where(spread_without <= rest * SAME_PLACE_FIT_M**2, np.nan, a)
    share = (weights / rest)[:, None]
    return LeaveOneOut(a=np.asarray(a), b=np.asarray(b), from_m=-share * g, to_m=-share * given)


def _left_out(
    model: HorizontalModel,
    held: tuple[float, float],
    weights: NDArray[np.float64],
    g: NDArray[np.float64],
    given: NDArray[np.float64],
    spread: float,
) -> NDArray[np.float64]:
    """Return predicted by the others − given of each used mark, (m, 2); NaN where none can be made."""
    others = without_each(model, held, weights, g, given, spread)
    away = g - others.from_m
    a, b = others.a, others.b
    turned = np.stack([a * away[:, 0] - b * away[:, 1], b * away[:, 0] + a * away[:, 1]], axis=1)
    return np.asarray(turned + others.to_m - given)


def _basis(model: HorizontalModel, weights: NDArray[np.float64], g: NDArray[np.float64], a: float, b: float) -> NDArray[np.float64]:
    """Return orthonormal columns that span the whitened design, (2m, u): east and north of each mark in turn."""
    count, root = len(weights), np.sqrt(weights)
    size = hypot(a, b)
    turned = _turned(g, a / size, b / size)
    columns = np.zeros((2 * count, PARAMETERS[model]))
    columns[0::2, 0], columns[1::2, 1] = root, root
    if model != "shift":
        columns[0::2, 2], columns[1::2, 2] = -root * turned[:, 1], root * turned[:, 0]
    if model == "similarity":
        columns[0::2, 3], columns[1::2, 3] = root * turned[:, 0], root * turned[:, 1]
    # Centred, the columns are orthogonal already.
    return np.asarray(columns / np.linalg.norm(columns, axis=0))
