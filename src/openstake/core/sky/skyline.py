"""A skyline: what stands between a mark and its sky, as elevations around it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import InputError
from openstake.core.limits import MOST_SKYLINE_POINTS
from openstake.core.sky.obstruction import AZIMUTH_STEP_DEG, Cell

# Where a line came from: drawn by hand, or from what a receiver listed and did not hear.
SkylineOrigin = Literal["drawn", "seen"]
SKYLINE_ORIGINS: tuple[SkylineOrigin, ...] = get_args(SkylineOrigin)


@dataclass(frozen=True)
class Skyline:
    """Corners of a line around a place: azimuths, clockwise from true north, in order, and elevations, degrees; straight between them."""

    azimuths_deg: tuple[float, ...] = ()
    elevations_deg: tuple[float, ...] = ()

    def elevation_deg(self, azimuth_deg: ArrayLike) -> NDArray[np.float64]:
        """Return how high the line stands in directions, degrees; 0 where there is none."""
        directions = np.asarray(azimuth_deg, dtype=float)
        if not self.azimuths_deg:
            return np.zeros(directions.shape)
        azimuths, elevations = list(self.azimuths_deg), list(self.elevations_deg)
        around = [azimuths[-1] - 360.0, *azimuths, azimuths[0] + 360.0]
        return np.interp(directions % 360.0, around, [elevations[-1], *elevations, elevations[0]])

    def hides(self, azimuth_deg: ArrayLike, elevation_deg: ArrayLike) -> NDArray[np.bool_]:
        """Tell which directions lie behind it."""
        return np.asarray(np.asarray(elevation_deg) < self.elevation_deg(azimuth_deg))


NO_SKYLINE = Skyline()


def skyline_of(corners: list[tuple[float, float]]) -> Skyline:
    """Return a skyline of its corners (azimuth, elevation), in any order; InputError where it cannot be one.

    Two corners at one azimuth make a wall there: of equal azimuths the order given is kept.
    """
    if len(corners) > MOST_SKYLINE_POINTS:
        raise InputError(f"A skyline has at most {MOST_SKYLINE_POINTS} corners; this one has {len(corners)}.", field="skyline")
    for azimuth, elevation in corners:
        if not 0.0 <= azimuth <= 360.0:
            raise InputError(f"An azimuth lies between 0 and 360°; {azimuth:g}° does not.", field="skyline")
        if not 0.0 <= elevation <= 90.0:
            raise InputError(f"A skyline stands 0 to 90° high; {elevation:g}° is not.", field="skyline")
    # North is written as 0 or as 360: both stay at their end of the round.
    ordered = sorted(corners, key=lambda corner: corner[0])
    return Skyline(tuple(corner[0] for corner in ordered), tuple(corner[1] for corner in ordered))


def skyline_of_cells(cells: Iterable[Cell]) -> Skyline:
    """Return the line over pieces of the sky in which nothing was heard: as high as the highest of each direction, with a wall at each side."""
    tops: dict[float, float] = {}
    for cell in cells:
        tops[cell.azimuth_from_deg] = max(tops.get(cell.azimuth_from_deg, 0.0), cell.elevation_to_deg)
    if not tops:
        return NO_SKYLINE
    steps = [float(begins) for begins in range(0, 360, AZIMUTH_STEP_DEG)]
    return skyline_of([(azimuth, tops.get(begins, 0.0)) for begins in steps for azimuth in (begins, begins + AZIMUTH_STEP_DEG)])
