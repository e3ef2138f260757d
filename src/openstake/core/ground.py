"""What was measured without GNSS between two points, a distance or a height difference, beside what their shots say.

A tape and an EDM measure on the ground: the distance of two shots is taken on the ground too, and the grid's stands beside it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot
from typing import Literal

import numpy as np

from openstake.core.constants import LINE_95, LINE_999
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.limits import POLE_TWICE_M
from openstake.core.vector import raised_along_normal

MeasureKind = Literal["slope", "horizontal", "levelled"]


@dataclass(frozen=True, kw_only=True)
class Between:
    """From one shot to another, metres: along the slope and level on the ground, and up (elevation where there is a geoid)."""

    slope_m: float
    horizontal_m: float
    up_m: float
    grid_m: float

    @property
    def grid_ppm(self) -> float:
        """How much longer the grid is than the ground, parts per million."""
        return 0.0 if self.horizontal_m == 0.0 else 1e6 * (self.grid_m / self.horizontal_m - 1.0)


def between(
    from_m: Sequence[float],
    to_m: Sequence[float],
    grid_m: float,
    geoid_up_m: float = 0.0,
    from_above_m: float = 0.0,
    to_above_m: float = 0.0,
) -> Between:
    """Return what lies between two marks, Earth-centred metres, measured from so far above the one to so far above the other.

    Level is in the middle between them; `geoid_up_m` is how much higher the geoid is at the second, taken off the height
    difference, and `grid_m` the grid distance.
    """
    start, end = (
        raised_along_normal(np.asarray(from_m, dtype=float), from_above_m),
        raised_along_normal(np.asarray(to_m, dtype=float), to_above_m),
    )
    latitude, longitude, _ = (float(value) for value in geodetic_from_ecef((start + end) / 2.0))
    east, north, _ = (float(value) for value in enu_from_ecef_difference(end - start, latitude, longitude))
    heights = geodetic_from_ecef(np.array([from_m, to_m], dtype=float))[:, 2]
    return Between(
        slope_m=float(np.linalg.norm(end - start)),
        horizontal_m=hypot(east, north),
        up_m=float(heights[1] - heights[0]) - geoid_up_m,
        grid_m=grid_m,
    )


@dataclass(frozen=True)
class Compared:
    """A measure beside the shots: observed (by the shots) − measured, one sigma of that, and what chance gives at 95 and 99.9 %."""

    observed_m: float
    measured_m: float
    sigma_m: float

    @property
    def difference_m(self) -> float:
        return self.observed_m - self.measured_m

    @property
    def limit_95_m(self) -> float:
        return LINE_95 * self.sigma_m

    @property
    def limit_999_m(self) -> float:
        return LINE_999 * self.sigma_m


def compared(
    kind: MeasureKind, seen: Between, measured_m: float, sigma_m: float, flat_sigmas_m: Sequence[float], up_sigmas_m: Sequence[float]
) -> Compared:
    """Return a measure beside two shots; sigmas are those of the measure and of both shots, horizontal along the line and up.

    Of a slope distance the heights count by its steepness.  The pole was put down twice.
    """
    rise = 0.0 if kind == "horizontal" or seen.slope_m == 0.0 else min(abs(seen.up_m) / seen.slope_m, 1.0)
    flat = float(np.sum(np.square(flat_sigmas_m))) + 2.0 * POLE_TWICE_M**2
    up = float(np.sum(np.square(up_sigmas_m))) + 2.0 * POLE_TWICE_M**2
    shots = up if kind == "levelled" else (1.0 - rise**2) * flat + rise**2 * up
    observed = {"slope": seen.slope_m, "horizontal": seen.horizontal_m, "levelled": seen.up_m}[kind]
    return Compared(observed, measured_m, float(np.sqrt(shots + sigma_m**2)))


@dataclass(frozen=True, kw_only=True)
class SetUpMean:
    """A place as one base set-up has it: grid metres and height, its covariance (3, 3) with what all of the set-up shares."""

    set_up: str
    shots: int
    place_m: tuple[float, float, float]
    covariance_m2: tuple[tuple[float, float, float], ...]


def mean_of_set_ups(means: Sequence[SetUpMean]) -> tuple[float, float, float]:
    """Return the mean of a place over its set-ups, each counted once however many shots it has."""
    places = np.array([item.place_m for item in means])
    east, north, height = places[0] + (places - places[0]).mean(axis=0)
    return float(east), float(north), float(height)
