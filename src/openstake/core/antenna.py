"""From what the tape or rod shows to the height of the antenna reference point (ARP)."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import InputError


def arp_height_from_slant(
    slant_m: ArrayLike, rim_radius_m: float, feature_to_arp_m: float = 0.0
) -> NDArray[np.float64]:
    """Return the vertical height of the antenna reference point above the mark, in metres.

    `slant_m` is the tape from the mark to the antenna's rim, `rim_radius_m` the rim's horizontal
    distance from the antenna's axis, `feature_to_arp_m` how far the ARP lies above the rim
    (negative if below).  A tape shorter than the radius cannot be: NaN.

    Formula: right triangle mark - axis - rim.
    """
    slant = np.asarray(slant_m, dtype=float)
    # (s - r)(s + r) and not s² - r²: no cancellation on a very low tripod.
    squared = (slant - rim_radius_m) * (slant + rim_radius_m)
    return np.sqrt(np.where(squared >= 0.0, squared, np.nan)) + feature_to_arp_m


def arp_height_m(reading_m: float, method: str, rim_radius_m: float, feature_to_arp_m: float) -> float:
    """Return the ARP height above the mark of one reading, in metres; InputError if it cannot be.

    `method` is `vertical`, `slant` or `rod`.
    """
    if not 0.0 < reading_m <= 12.0:
        # Masts of survey tripods and poles end well below 12 m.
        raise InputError(
            f"A height of {reading_m:.3f} m is not one of an antenna over a mark (0 to 12 m). Check the unit.",
            field="reading",
        )
    if method == "slant":
        height = float(arp_height_from_slant(reading_m, rim_radius_m, feature_to_arp_m))
        if not np.isfinite(height):
            raise InputError(
                f"A slant of {reading_m:.3f} m is shorter than the rim's radius of {rim_radius_m:.3f} m. Measure again.",
                field="reading",
            )
        return height
    return reading_m + feature_to_arp_m
