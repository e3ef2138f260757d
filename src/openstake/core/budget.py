"""What a check should show: sigmas of every link, added up and stated at 95 %."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from openstake.core.constants import LINE_95


def horizontal_95_m(sigma_east_m: float, sigma_north_m: float) -> float:
    """Return the radius of the circle that holds 95 % of the horizontal errors, in metres.

    The ratio of the sigmas decides: 1.96 sigma along a line, 2.45 sigma for a circle.
    Source: polynomial of W. P. Leenhouts, Navigation 32 (1), 1985 (from memory; within 0.5 % of the integral).
    """
    large, small = max(sigma_east_m, sigma_north_m), min(sigma_east_m, sigma_north_m)
    if large <= 0.0:
        return 0.0
    ratio = small / large
    return large * (1.960790 + ratio * (0.004071 + ratio * (0.114276 + ratio * 0.371625)))


def vertical_95_m(sigma_up_m: float) -> float:
    """Return the half width that holds 95 % of the vertical errors, in metres."""
    return LINE_95 * sigma_up_m


@dataclass(frozen=True)
class Sigmas:
    """One link of the chain as one sigma in east, north and up, metres."""

    east_m: float
    north_m: float
    up_m: float


def added(*links: Sigmas) -> Sigmas:
    """Return independent links added in quadrature."""
    table = np.array([[link.east_m, link.north_m, link.up_m] for link in links])
    east, north, up = np.sqrt(np.sum(table**2, axis=0))
    return Sigmas(float(east), float(north), float(up))
