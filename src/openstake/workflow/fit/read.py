"""A local fit from a table of pairs: computed, diagnosed, judged."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from openstake.core.judge.finding import Finding, ranked
from openstake.core.judge.fit import (
    Part,
    Suspected,
    judge_checks,
    judge_exchanged,
    judge_part,
    judge_scale,
    suspects_of,
)
from openstake.core.localfit import (
    Horizontal,
    HorizontalModel,
    Pair,
    Use,
    Vertical,
    VerticalModel,
    fit_horizontal,
    fit_vertical,
    proj_pipeline,
)
from openstake.core.reliability import Reliability, reliability
from openstake.wire.tables.pairs import MOST_BYTES, read_pairs
from openstake.workflow.captures import beginning_of


@dataclass(frozen=True)
class HorizontalRead:
    """The horizontal fit; `sigma0_m` without weights, `variance_factor` with them, both None where nothing is left over."""

    model: HorizontalModel
    scale: float
    scale_ppm: float
    rotation_deg: float
    a: float
    b: float
    shift_e_m: float
    shift_n_m: float
    sigma0_m: float | None
    variance_factor: float | None
    redundancy: int


@dataclass(frozen=True)
class VerticalRead:
    """The vertical fit; slopes along GNSS east and north about the centroid of its marks, parts per million."""

    model: VerticalModel
    constant_m: float
    slope_east_ppm: float
    slope_north_ppm: float
    sigma0_m: float | None
    variance_factor: float | None
    redundancy: int


@dataclass(frozen=True)
class Standardised:
    """Residuals over their own sigma; None where a component has no redundancy."""

    east: float | None
    north: float | None
    up: float | None


@dataclass(frozen=True)
class PointRead:
    """One mark of a fit, metres: fitted − given, and predicted by the others − given; None where neither can be."""

    name: str
    use: Use
    residual_e_m: float | None
    residual_n_m: float | None
    residual_h_m: float | None
    left_out_e_m: float | None
    left_out_n_m: float | None
    left_out_h_m: float | None
    standardised: Standardised


@dataclass(frozen=True)
class FitRead:
    """A fit with its diagnosis; `test` says by what residuals are judged."""

    horizontal: HorizontalRead
    vertical: VerticalRead | None
    test: Literal["Baarda", "tau"]
    points: list[PointRead]
    suspects: list[Suspected]
    proj_pipeline: str
    findings: tuple[Finding, ...]


def read_fit(path: Path, scale: float | None, vertical: VerticalModel) -> FitRead:
    """Return the fit of a table: scale None is free, else it is held.  FileError, InputError where it cannot be."""
    pairs = read_pairs(beginning_of(path, MOST_BYTES))
    return fit_of(pairs, "similarity" if scale is None else "rotation", 1.0 if scale is None else scale, vertical)


def fit_of(pairs: list[Pair], model: HorizontalModel, scale: float, vertical_model: VerticalModel) -> FitRead:
    """Return the fit of pairs with its diagnosis."""
    flat, up = fit_horizontal(pairs, model, scale), fit_vertical(pairs, vertical_model)
    of_flat = reliability(flat.basis, flat.weights, np.nan_to_num(flat.residual_m[flat.used]), flat.weighted)
    parts = [Part("horizontal", model, _names(pairs, flat.used), flat.redundancy, flat.left_out_m[flat.used], of_flat)]
    of_up = None
    if up is not None:
        of_up = reliability(up.basis, up.weights, np.nan_to_num(up.residual_m[up.used])[:, None], up.weighted)
        parts.append(Part("vertical", up.model, _names(pairs, up.used), up.redundancy, up.left_out_m[up.used], of_up))
    findings = [found for part in parts for found in judge_part(part)]
    findings += judge_exchanged(pairs, flat, of_flat) + judge_scale(flat) + judge_checks(pairs, flat, up)
    return FitRead(
        HorizontalRead(
            flat.model, flat.scale, flat.scale_ppm, flat.rotation_deg, flat.a, flat.b, flat.shift_e_m, flat.shift_n_m,
            flat.sigma0_m, flat.variance_factor, flat.redundancy,
        ),
        None if up is None else VerticalRead(
            up.model, up.constant_m, 1e6 * up.slope_east, 1e6 * up.slope_north, up.sigma0_m, up.variance_factor, up.redundancy
        ),
        of_flat.test, _points(pairs, flat, of_flat, up, of_up), [item for part in parts for item in suspects_of(part)],
        proj_pipeline(flat, up), ranked(findings),
    )  # fmt: skip


def _names(pairs: list[Pair], used: NDArray[np.int_]) -> tuple[str, ...]:
    return tuple(pairs[n].name for n in used)


def _points(
    pairs: list[Pair], flat: Horizontal, of_flat: Reliability, up: Vertical | None, of_up: Reliability | None
) -> list[PointRead]:  # fmt: skip
    sides = {int(n): of_flat.standardised[place] for place, n in enumerate(flat.used)}
    ups = (
        {} if up is None or of_up is None else {int(n): of_up.standardised[place, 0] for place, n in enumerate(up.used)}
    )
    nothing = np.full(len(pairs), np.nan)
    high, high_left = (nothing, nothing) if up is None else (up.residual_m, up.left_out_m)
    points = []
    for n, pair in enumerate(pairs):
        off, left_out = flat.residual_m[n], flat.left_out_m[n]
        east, north = sides.get(n, (np.nan, np.nan))
        points.append(
            PointRead(
                pair.name, pair.use, _known(off[0]), _known(off[1]), _known(high[n]), _known(left_out[0]), _known(left_out[1]),
                _known(high_left[n]), Standardised(_known(east), _known(north), _known(ups.get(n, np.nan))),
            )
        )  # fmt: skip
    return points


def _known(value: float) -> float | None:
    return float(value) if np.isfinite(value) else None
