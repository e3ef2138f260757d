"""The age of corrections over time: does it climb, and when does the fix go."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.limits import OLD_AGE_S


@dataclass(frozen=True)
class AgeTrend:
    """How fast the age changes, seconds a second, and over how long that was seen."""

    slope_per_s: float
    span_s: float


def age_trend(time_s: Sequence[float], age_s: Sequence[float | None]) -> AgeTrend | None:
    """Return the trend of the age over the longest stretch in which it does not fall; None where there is none.

    Of stretches alike in length the latest counts.  An epoch without an age ends a stretch.

    Formula: least squares of a line.
    """
    times = np.asarray(time_s, dtype=float)
    ages = np.array([np.nan if age is None else age for age in age_s], dtype=float)
    best = (0, 0)
    for start, end in _stretches(ages):
        if end - start > 1 and times[end - 1] - times[start] >= times[max(best[1] - 1, 0)] - times[best[0]]:
            best = (start, end)
    start, end = best
    if end - start < 2 or times[end - 1] <= times[start]:
        return None
    return AgeTrend(_slope(times[start:end], ages[start:end]), float(times[end - 1] - times[start]))


def _stretches(ages: NDArray[np.float64]) -> list[tuple[int, int]]:
    """Return [start, end) of every stretch in which the age does not fall."""
    with np.errstate(invalid="ignore"):
        goes_on = np.diff(ages) >= 0.0  # a NaN on either side ends it
    ends = np.flatnonzero(~goes_on) + 1
    bounds = [0, *ends.tolist(), len(ages)]
    return [(start, end) for start, end in itertools.pairwise(bounds) if end > start and np.isfinite(ages[start])]


def _slope(x: NDArray[np.float64], y: NDArray[np.float64]) -> float:
    x, y = x - x.mean(), y - y.mean()
    return float((x @ y) / (x @ x))


def fix_goes_in_s(age_s: float, trend: AgeTrend) -> float | None:
    """Return in how many seconds the age reaches the end of a link (10 s); None where it does not climb."""
    if trend.slope_per_s <= 0.0 or age_s >= OLD_AGE_S:
        return None
    return (OLD_AGE_S - age_s) / trend.slope_per_s
