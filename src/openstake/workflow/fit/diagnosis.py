"""A fit with its diagnosis, from pairs of coordinates wherever they come from: the same for the terminal and for the page."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from openstake.core.judge.finding import Finding
from openstake.core.judge.fit import (
    Part,
    Suspected,
    judge_axes,
    judge_checks,
    judge_exchanged,
    judge_large,
    judge_part,
    judge_rotation,
    judge_scale,
    suspects_of,
)
from openstake.core.localfit.expected import ExpectedFit
from openstake.core.localfit.horizontal import Horizontal
from openstake.core.localfit.pair import HorizontalModel, Pair, Use, VerticalModel
from openstake.core.localfit.vertical import Vertical
from openstake.core.reliability import Reliability, reliability


@dataclass(frozen=True, kw_only=True)
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


@dataclass(frozen=True, kw_only=True)
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


@dataclass(frozen=True, kw_only=True)
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


@dataclass(frozen=True, kw_only=True)
class Diagnosis:
    """What a fit's own residuals say.  `of_flat` and `of_up` are by the used marks in their order; `test` says what judges them."""

    horizontal: HorizontalRead
    vertical: VerticalRead | None
    test: Literal["Baarda", "tau"]
    points: list[PointRead]
    suspects: list[Suspected]
    findings: list[Finding]
    of_flat: Reliability
    of_up: Reliability | None


def diagnosed(
    pairs: Sequence[Pair], flat: Horizontal, up: Vertical | None, expected: ExpectedFit, unit: str = "m", left_out: Collection[str] = ()
) -> Diagnosis:
    """Return the diagnosis of a fit of pairs; `expected` is the scale and rotation to hold it against.

    The marks named in `left_out` judge nothing, though their differences stand there.
    """
    of_flat = reliability(flat.basis, flat.weights, np.nan_to_num(flat.residual_m[flat.used]), flat.weighted)
    parts = [
        Part(
            component="horizontal",
            model=flat.model,
            names=_names(pairs, flat.used),
            redundancy=flat.redundancy,
            left_out_m=flat.left_out_m[flat.used],
            diagnosis=of_flat,
            unit=unit,
        )
    ]
    of_up = None
    if up is not None:
        of_up = reliability(up.basis, up.weights, np.nan_to_num(up.residual_m[up.used])[:, None], up.weighted)
        parts.append(
            Part(
                component="vertical",
                model=up.model,
                names=_names(pairs, up.used),
                redundancy=up.redundancy,
                left_out_m=up.left_out_m[up.used],
                diagnosis=of_up,
                unit=unit,
            )
        )
    findings = [found for part in parts for found in judge_part(part)]
    named = judge_axes(pairs, flat) or judge_exchanged(pairs, flat)
    findings += named + judge_large(flat, unit) + judge_scale(flat, expected.scale)
    findings += judge_rotation(flat, expected.rotation_deg) + judge_checks(pairs, flat, up, unit, left_out)
    return Diagnosis(
        horizontal=HorizontalRead(
            model=flat.model,
            scale=flat.scale,
            scale_ppm=flat.scale_ppm,
            rotation_deg=flat.rotation_deg,
            a=flat.a,
            b=flat.b,
            shift_e_m=flat.shift_e_m,
            shift_n_m=flat.shift_n_m,
            sigma0_m=flat.sigma0_m,
            variance_factor=flat.variance_factor,
            redundancy=flat.redundancy,
        ),
        vertical=None
        if up is None
        else VerticalRead(
            model=up.model,
            constant_m=up.constant_m,
            slope_east_ppm=1e6 * up.slope_east,
            slope_north_ppm=1e6 * up.slope_north,
            sigma0_m=up.sigma0_m,
            variance_factor=up.variance_factor,
            redundancy=up.redundancy,
        ),
        test=of_flat.test,
        points=_points(pairs, flat, of_flat, up, of_up),
        suspects=[item for part in parts for item in suspects_of(part)],
        findings=findings,
        of_flat=of_flat,
        of_up=of_up,
    )


def _names(pairs: Sequence[Pair], used: NDArray[np.int_]) -> tuple[str, ...]:
    return tuple(pairs[n].name for n in used)


def _points(
    pairs: Sequence[Pair], flat: Horizontal, of_flat: Reliability, up: Vertical | None, of_up: Reliability | None
) -> list[PointRead]:
    sides = {int(n): of_flat.standardised[place] for place, n in enumerate(flat.used)}
    ups = {} if up is None or of_up is None else {int(n): of_up.standardised[place, 0] for place, n in enumerate(up.used)}
    nothing = np.full(len(pairs), np.nan)
    high, high_left = (nothing, nothing) if up is None else (up.residual_m, up.left_out_m)
    points = []
    for n, pair in enumerate(pairs):
        off, left_out = flat.residual_m[n], flat.left_out_m[n]
        east, north = sides.get(n, (np.nan, np.nan))
        points.append(
            PointRead(
                name=pair.name,
                use=pair.use,
                residual_e_m=known(off[0]),
                residual_n_m=known(off[1]),
                residual_h_m=known(high[n]),
                left_out_e_m=known(left_out[0]),
                left_out_n_m=known(left_out[1]),
                left_out_h_m=known(high_left[n]),
                standardised=Standardised(known(east), known(north), known(ups.get(n, np.nan))),
            )
        )
    return points


def known(value: float) -> float | None:
    """Return a number, None where it is none."""
    return float(value) if np.isfinite(value) else None
