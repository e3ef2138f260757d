"""A local fit: what takes GNSS grid coordinates to the coordinates that the control is given in, and how far to trust it.

Horizontal:  E_local = a·E − b·N + shift_e,  N_local = b·E + a·N + shift_n
with a = scale·cos(rotation) and b = scale·sin(rotation): similarity (scale free), rotation (scale held), shift.
Vertical:    h_local = h + constant + slope_east·(E − Ec) + slope_north·(N − Nc), about the centroid of the marks used vertically.

Everything is reduced to centroids first, so that millimetres are kept at six million metres.  Horizontal models have a closed form;
leaving one mark out is a downdate of the same sums, never a refit.  Residuals are fitted − given.  Weights are 1/sigma² of each
mark, of both components alike; where no sigma is given all weigh the same and their sigma is estimated.

Source: S. Umeyama, IEEE PAMI 13 (4), 1991, for the closed form; W. Baarda, A testing procedure for use in geodetic networks, 1968, for
reliability; both from memory.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import atan2, degrees, hypot
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import InputError
from openstake.core.limits import SAME_PLACE_FIT_M, SMALLEST_SIGMA_M

Use = Literal["hv", "h", "v", "check"]
USES: tuple[Use, ...] = ("hv", "h", "v", "check")
HorizontalModel = Literal["similarity", "rotation", "shift"]
VerticalModel = Literal["none", "constant", "plane"]
PARAMETERS: dict[str, int] = {"similarity": 4, "rotation": 3, "shift": 2, "constant": 1, "plane": 3}
FEWEST: dict[str, int] = {"similarity": 2, "rotation": 2, "shift": 1, "constant": 1, "plane": 3}


@dataclass(frozen=True)
class Pair:
    """A mark in both systems, metres: local as given, GNSS as measured; heights and sigmas are None where they are not known.

    `use`: in the horizontal fit, the vertical one, both, or only to check them.
    """

    name: str
    local_e_m: float
    local_n_m: float
    local_h_m: float | None
    gnss_e_m: float
    gnss_n_m: float
    gnss_h_m: float | None
    use: Use = "hv"
    sigma_h_m: float | None = None
    sigma_v_m: float | None = None


@dataclass(frozen=True)
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
        return np.stack(
            [self.a * east - self.b * north + self.shift_e_m, self.b * east + self.a * north + self.shift_n_m], axis=-1
        )

    def covariance_m2(self, east_m: float, north_m: float) -> NDArray[np.float64]:
        """Return the covariance of a fitted place, (2, 2), of the fit alone: with the given sigmas, else the estimated one.

        NaN where the sigma is neither given nor can be estimated.
        """
        variance = 1.0 if self.weighted else np.nan if self.sigma0_m is None else self.sigma0_m**2
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
        return np.asarray(variance * total)


def fit_horizontal(pairs: Sequence[Pair], model: HorizontalModel = "similarity", scale: float = 1.0) -> Horizontal:
    """Return the horizontal fit of the pairs whose use holds an h; `scale` is held where the model does not free it.

    InputError where there are fewer marks than the model needs, where they lie at one place, or where only some have a sigma.
    """
    if not np.isfinite(scale) or scale <= 0.0:
        raise InputError("A scale is a number larger than 0.", field="scale")
    used = np.array([n for n, pair in enumerate(pairs) if "h" in pair.use and pair.use != "check"], dtype=int)
    if len(used) < FEWEST[model]:
        raise InputError(
            f"A {model} takes at least {FEWEST[model]} marks horizontally; there are {len(used)}.", field="use"
        )
    weights, weighted = _weights([pairs[n].sigma_h_m for n in used], "sigma_h_m")
    gnss = np.array([(pair.gnss_e_m, pair.gnss_n_m) for pair in pairs], dtype=float)
    local = np.array([(pair.local_e_m, pair.local_n_m) for pair in pairs], dtype=float)
    if not (np.isfinite(gnss).all() and np.isfinite(local).all()):
        raise InputError("A coordinate is no finite number.")
    total = weights.sum()
    from_m, to_m = _centroid(gnss[used], weights), _centroid(local[used], weights)
    g, given = gnss[used] - from_m, local[used] - to_m
    spread = float(weights @ np.sum(g**2, axis=1))
    if model != "shift" and spread <= total * SAME_PLACE_FIT_M**2:
        raise InputError("All marks of the fit lie at one place: they show neither scale nor rotation.", field="use")
    along = np.sum(g * given, axis=1)
    across = g[:, 0] * given[:, 1] - g[:, 1] * given[:, 0]
    a, b = _parameters(model, scale, weights @ along, weights @ across, spread)
    fitted = _turned(g, a, b)
    off = fitted - given
    redundancy = 2 * len(used) - PARAMETERS[model]
    residual, left_out = np.full((len(pairs), 2), np.nan), np.full((len(pairs), 2), np.nan)
    others = np.setdiff1d(np.arange(len(pairs)), used)
    residual[others] = left_out[others] = _turned(gnss[others] - from_m, a, b) - (local[others] - to_m)
    if redundancy > 0:
        residual[used] = off
    left_out[used] = _left_out(model, scale, weights, g, given, spread)
    shift = to_m - _turned(from_m[None, :], a, b)[0]
    return Horizontal(
        model, float(a), float(b), float(shift[0]), float(shift[1]), used, weights, weighted, residual, left_out,
        _basis(model, weights, g, a, b), (float(from_m[0]), float(from_m[1])), spread, redundancy,
        float(weights @ np.sum(off**2, axis=1)) if redundancy > 0 else 0.0,
    )  # fmt: skip


def _weights(sigmas_m: Sequence[float | None], field: str) -> tuple[NDArray[np.float64], bool]:
    known = [sigma for sigma in sigmas_m if sigma is not None]
    if known and len(known) < len(sigmas_m):
        raise InputError(f"Give {field} for every mark of the fit, or for none.", field=field)
    if any(not np.isfinite(sigma) or not SMALLEST_SIGMA_M <= sigma <= 100.0 for sigma in known):
        raise InputError("A sigma is at least 0.01 mm and at most 100 m.", field=field)
    return (np.array(known, dtype=float) ** -2.0, True) if known else (np.ones(len(sigmas_m)), False)


def _centroid(places: NDArray[np.float64], weights: NDArray[np.float64]) -> NDArray[np.float64]:
    # Centred on the first place before it is averaged: the last digits stay.
    first = places[0]
    return np.asarray(first + weights @ (places - first) / weights.sum())


def _turned(places: NDArray[np.float64], a: float, b: float) -> NDArray[np.float64]:
    return np.stack([a * places[:, 0] - b * places[:, 1], b * places[:, 0] + a * places[:, 1]], axis=1)


def _parameters(model: str, scale: float, along, across, spread):  # type: ignore[no-untyped-def]
    """Return a and b from the sums of a fit, plain numbers or arrays of them."""
    if model == "similarity":
        return along / spread, across / spread
    if model == "shift":
        return scale * np.ones_like(along), np.zeros_like(along)
    size = np.hypot(along, across)
    return scale * along / size, scale * across / size


def _left_out(
    model: HorizontalModel, scale: float, weights: NDArray[np.float64], g: NDArray[np.float64], given: NDArray[np.float64], spread: float
) -> NDArray[np.float64]:  # fmt: skip
    """Return predicted by the others − given of each used mark, (m, 2): sums without it, in one pass; NaN where none can be made."""
    count, total = len(weights), weights.sum()
    if count - 1 < FEWEST[model]:
        return np.full((count, 2), np.nan)
    rest = total - weights
    factor = weights * total / rest
    spread_without = spread - factor * np.sum(g**2, axis=1)
    along = weights @ np.sum(g * given, axis=1) - factor * np.sum(g * given, axis=1)
    across = weights @ (g[:, 0] * given[:, 1] - g[:, 1] * given[:, 0]) - factor * (
        g[:, 0] * given[:, 1] - g[:, 1] * given[:, 0]
    )
    with np.errstate(invalid="ignore", divide="ignore"):
        a, b = _parameters(model, scale, along, across, spread_without)
        # The centroids of the others lie away from the mark: (g − ḡ') = g · total / rest, and so do the given ones.
        ratio = (total / rest)[:, None]
        moved = np.stack([a * g[:, 0] - b * g[:, 1], b * g[:, 0] + a * g[:, 1]], axis=1) * ratio
        found = moved - given * ratio
    if model != "shift":
        found[spread_without <= rest * SAME_PLACE_FIT_M**2] = np.nan
    return np.asarray(found)


def _basis(
    model: HorizontalModel, weights: NDArray[np.float64], g: NDArray[np.float64], a: float, b: float
) -> NDArray[np.float64]:  # fmt: skip
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


@dataclass(frozen=True)
class Vertical:
    """A vertical fit; arrays are in the order of the pairs, as those of a horizontal one.  Slopes are metres per metre."""

    model: VerticalModel
    constant_m: float
    slope_east: float
    slope_north: float
    centre_m: tuple[float, float]
    used: NDArray[np.int_]
    weights: NDArray[np.float64]
    weighted: bool
    residual_m: NDArray[np.float64]
    left_out_m: NDArray[np.float64]
    basis: NDArray[np.float64]
    redundancy: int
    square_sum: float

    @property
    def variance_factor(self) -> float | None:
        return self.square_sum / self.redundancy if self.weighted and self.redundancy > 0 else None

    @property
    def sigma0_m(self) -> float | None:
        return (self.square_sum / self.redundancy) ** 0.5 if not self.weighted and self.redundancy > 0 else None

    def correction_m(self, east_m: NDArray[np.float64], north_m: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return what is added to a GNSS height at GNSS grid places, metres."""
        east, north = np.asarray(east_m, dtype=float), np.asarray(north_m, dtype=float)
        return np.asarray(
            self.constant_m
            + self.slope_east * (east - self.centre_m[0])
            + self.slope_north * (north - self.centre_m[1])
        )


def fit_vertical(pairs: Sequence[Pair], model: VerticalModel) -> Vertical | None:
    """Return the vertical fit of the pairs whose use holds a v; None for the model `none`.

    InputError where there are fewer marks than the model needs, where they lie on one line, or where a height is missing.
    """
    if model == "none":
        return None
    used = np.array([n for n, pair in enumerate(pairs) if "v" in pair.use], dtype=int)
    if len(used) < FEWEST[model]:
        raise InputError(
            f"A {model} takes at least {FEWEST[model]} marks vertically; there are {len(used)}.", field="use"
        )
    without = next((pairs[n].name for n in used if pairs[n].local_h_m is None or pairs[n].gnss_h_m is None), None)
    if without is not None:
        raise InputError(f"{without} is used vertically and lacks a height.", field="use")
    weights, weighted = _weights([pairs[n].sigma_v_m for n in used], "sigma_v_m")
    known = np.array([pair.local_h_m is not None and pair.gnss_h_m is not None for pair in pairs])
    rise = np.array([(pair.local_h_m or 0.0) - (pair.gnss_h_m or 0.0) for pair in pairs])
    rise[~known] = np.nan
    places = np.array([(pair.gnss_e_m, pair.gnss_n_m) for pair in pairs], dtype=float)
    if not (np.isfinite(places).all() and np.isfinite(rise[used]).all()):
        raise InputError("A coordinate is no finite number.")
    # The centroid is that of the marks, whatever they weigh: it is where the constant is told.
    centre = places[used[0]] + (places[used] - places[used[0]]).mean(axis=0)
    away = places - centre
    root = np.sqrt(weights)
    reach = max(float(np.abs(away[used]).max()), 1.0)
    design = np.ones((len(pairs), PARAMETERS[model]))
    if model == "plane":
        design[:, 1:] = away / reach
        if np.linalg.matrix_rank(design[used] * root[:, None], tol=1e-6 * float(root.max())) < 3:
            raise InputError("The marks of the plane lie on one line: its slope across it is not known.", field="use")
    level = rise[used[0]]
    basis, triangle = np.linalg.qr(design[used] * root[:, None])
    solved = np.linalg.solve(triangle, basis.T @ (root * (rise[used] - level)))
    off = design @ solved + level - rise
    redundancy = len(used) - PARAMETERS[model]
    residual, left_out = off.copy(), off.copy()
    hat = np.sum(basis**2, axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        left_out[used] = np.where(1.0 - hat > 1e-9, off[used] / (1.0 - hat), np.nan)
    if redundancy <= 0:
        residual[used] = np.nan
        left_out[used] = np.nan
    slopes = solved[1:] / reach if model == "plane" else np.zeros(2)
    return Vertical(
        model, float(solved[0] + level), float(slopes[0]), float(slopes[1]), (float(centre[0]), float(centre[1])), used, weights,
        weighted, residual, left_out, basis, redundancy, float(weights @ off[used] ** 2) if redundancy > 0 else 0.0,
    )  # fmt: skip


def proj_pipeline(horizontal: Horizontal, vertical: Vertical | None) -> str:
    """Return a PROJ pipeline from GNSS east, north and height to local ones: one affine step.

    Source: PROJ, affine transformation.
    """
    height = ""
    if vertical is not None:
        offset = (
            vertical.constant_m
            - vertical.slope_east * vertical.centre_m[0]
            - vertical.slope_north * vertical.centre_m[1]
        )
        height = f" +zoff={offset!r} +s31={vertical.slope_east!r} +s32={vertical.slope_north!r}"
    return (
        f"+proj=affine +xoff={horizontal.shift_e_m!r} +yoff={horizontal.shift_n_m!r} +s11={horizontal.a!r} +s12={-horizontal.b!r} "
        f"+s21={horizontal.b!r} +s22={horizontal.a!r}{height}"
    )
