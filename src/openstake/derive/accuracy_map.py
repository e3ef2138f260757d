"""What is had over a site at 95 %, as a wash of cells under a plan."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

_COLUMNS = 30


@dataclass(frozen=True, kw_only=True)
class AccuracyMap:
    """What is had over a site at 95 %, horizontally: cells by rows from the south-west, in the coordinates of its plan.

    `band` is how many of the bounds `bands_m` a cell is beyond.
    """

    east_m: float
    north_m: float
    step_m: float
    columns: int
    band: list[int]
    bands_m: list[float]


def accuracy_map_over(
    places_m: ArrayLike, bounds_m: Sequence[float], radius_95_m: Callable[[NDArray[np.float64]], ArrayLike]
) -> AccuracyMap:
    """Return the wash over places, (n, 2), and a sixth of the site around them; `radius_95_m` takes the middles of cells, (c, 2)."""
    places = np.asarray(places_m, dtype=float).reshape(-1, 2)
    low, high = places.min(axis=0), places.max(axis=0)
    margin = max(float((high - low).max()) / 6.0, 1.0)
    low, high = low - margin, high + margin
    step = float((high - low).max()) / _COLUMNS
    columns, rows = (int(np.ceil(size / step)) for size in high - low)
    east, north = np.meshgrid(low[0] + (np.arange(columns) + 0.5) * step, low[1] + (np.arange(rows) + 0.5) * step)
    band = np.searchsorted(bounds_m, np.asarray(radius_95_m(np.stack([east.ravel(), north.ravel()], axis=1))))
    return AccuracyMap(
        east_m=float(low[0]), north_m=float(low[1]), step_m=step, columns=columns, band=[int(item) for item in band], bands_m=list(bounds_m)
    )
