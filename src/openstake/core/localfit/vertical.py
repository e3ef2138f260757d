"""The vertical half of a local fit: a constant, or a tilted plane about the centroid of its marks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import InputError
from openstake.core.localfit.pair import FEWEST, PARAMETERS, Pair, VerticalModel, weights_of


@dataclass(frozen=True, kw_only=True)
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
    cofactor: NDArray[np.float64]  # (u, u), of constant, east and north slope
    redundancy: int
    square_sum: float

    @property
    def variance_factor(self) -> float | None:
        return self.square_sum / self.redundancy if self.weighted and self.redundancy > 0 else None

    @property
    def sigma0_m(self) -> float | None:
        return (self.square_sum / self.redundancy) ** 0.5 if not self.weighted and self.redundancy > 0 else None

    @property
    def variance_of_unit(self) -> float:
        """What a weight of one is worth: 1 with the given sigmas, else the estimated variance; NaN where there is neither."""
        return 1.0 if self.weighted else np.nan if self.sigma0_m is None else self.sigma0_m**2

    def variance_m2(self, east_m: ArrayLike, north_m: ArrayLike) -> NDArray[np.float64]:
        """Return the variance of what is added at GNSS grid places, of the fit alone; NaN as in the horizontal fit."""
        east, north = np.broadcast_arrays(np.asarray(east_m, dtype=float), np.asarray(north_m, dtype=float))
        row = np.stack([np.ones_like(east), east - self.centre_m[0], north - self.centre_m[1]], axis=-1)
        row = row[..., : len(self.cofactor)]
        return np.asarray(self.variance_of_unit * np.einsum("...i,ij,...j->...", row, self.cofactor, row))

    def correction_m(self, east_m: NDArray[np.float64], north_m: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return what is added to a GNSS height at GNSS grid places, metres."""
        east, north = np.asarray(east_m, dtype=float), np.asarray(north_m, dtype=float)
        return np.asarray(self.constant_m + self.slope_east * (east - self.centre_m[0]) + self.slope_north * (north - self.centre_m[1]))


def fit_vertical(pairs: Sequence[Pair], model: VerticalModel) -> Vertical | None:
    """Return the vertical fit of the pairs whose use holds a v; None for the model `none`.

    InputError where there are fewer marks than the model needs, where they lie on one line, or where a height is missing.
    """
    if model == "none":
        return None
    used = np.array([n for n, pair in enumerate(pairs) if "v" in pair.use], dtype=int)
    if len(used) < FEWEST[model]:
        raise InputError(f"A {model} takes at least {FEWEST[model]} marks vertically; there are {len(used)}.", field="use")
    without = next((pairs[n].name for n in used if pairs[n].local_h_m is None or pairs[n].gnss_h_m is None), None)
    if without is not None:
        raise InputError(f"{without} is used vertically and lacks a height.", field="use")
    weights, weighted = weights_of([pairs[n].sigma_v_m for n in used], "sigma_v_m")
    known = np.array([pair.local_h_m is not None and pair.gnss_h_m is not None for pair in pairs])
    rise = np.array([(pair.local_h_m or 0.0) - (pair.gnss_h_m or 0.0) for pair in pairs])
    rise[~known] = np.nan
    places = np.array([(pair.gnss_e_m, pair.gnss_n_m) for pair in pairs], dtype=float)
    if not (np.isfinite(places).all() and np.isfinite(rise[used]).all()):
        raise InputError("A coordinate is not a finite number.")
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
    unit = np.array([1.0, 1.0 / reach, 1.0 / reach])[: design.shape[1]]
    inverse = np.linalg.inv(triangle) * unit[:, None]
    return Vertical(
        model=model,
        constant_m=float(solved[0] + level),
        slope_east=float(slopes[0]),
        slope_north=float(slopes[1]),
        centre_m=(float(centre[0]), float(centre[1])),
        used=used,
        weights=weights,
        weighted=weighted,
        residual_m=residual,
        left_out_m=left_out,
        basis=basis,
        cofactor=inverse @ inverse.T,
        redundancy=redundancy,
        square_sum=float(weights @ off[used] ** 2) if redundancy > 0 else 0.0,
    )
