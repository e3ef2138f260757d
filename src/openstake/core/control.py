"""A check shot against a known mark: observed − known, in the grid and in words."""

from __future__ import annotations

from dataclasses import dataclass
from math import hypot

from openstake.core.constants import CIRCLE_999, LINE_999
from openstake.core.limits import Tolerance
from openstake.core.sigmas import Sigmas, horizontal_95_m, vertical_95_m
from openstake.core.units import text_from_metres

DIFFERENCE_SIGN = "observed − known"  # of every difference from control, on the screen and in the Book


@dataclass(frozen=True)
class Difference:
    """Observed − known in grid east and north and in height, metres; `up_m` is None where heights cannot be compared."""

    east_m: float
    north_m: float
    up_m: float | None

    @property
    def horizontal_m(self) -> float:
        return hypot(self.east_m, self.north_m)


@dataclass(frozen=True)
class Expected:
    """What the chain should give at 95 %, metres."""

    horizontal_95_m: float
    vertical_95_m: float


def expected_at_95(total: Sigmas) -> Expected:
    """Return the expected differences at 95 % of one sigma in east, north and up."""
    return Expected(horizontal_95_m(total.east_m, total.north_m, total.covariance_en_m2), vertical_95_m(total.up_m))


def beyond_expected(difference: Difference, total: Sigmas) -> tuple[bool, bool]:
    """Tell whether horizontal and height lie beyond 99.9 % of what the chain gives, `total` being its one sigma about grid north.

    Horizontally by the quadratic form of both components (χ² of 2), in height by χ² of 1; a sigma of 0 judges nothing.
    """
    determinant = (total.east_m * total.north_m) ** 2 - total.covariance_en_m2**2
    east, north, up = difference.east_m, difference.north_m, difference.up_m
    flat = 0.0
    if determinant > 0.0:
        flat = ((east * total.north_m) ** 2 - 2.0 * east * north * total.covariance_en_m2 + (north * total.east_m) ** 2) / determinant
    high = 0.0 if up is None or total.up_m <= 0.0 else (up / total.up_m) ** 2
    return flat > CIRCLE_999**2, high > LINE_999**2


def within(difference: Difference, tolerance: Tolerance) -> tuple[bool, bool]:
    """Tell whether horizontal and height are within tolerance; a height that is not compared counts as within."""
    up = difference.up_m
    return difference.horizontal_m <= tolerance.horizontal_m, up is None or abs(up) <= tolerance.vertical_m


def in_words(difference: Difference, unit: str = "m") -> str:
    """Return the difference as people say it: `rover 0.100 m high, 0.004 m east, 0.002 m south`."""

    def size(metres: float) -> str:
        return text_from_metres(abs(metres), unit)

    parts = []
    if difference.up_m is not None:
        parts.append(f"{size(difference.up_m)} {'high' if difference.up_m >= 0 else 'low'}")
    parts.append(f"{size(difference.east_m)} {'east' if difference.east_m >= 0 else 'west'}")
    parts.append(f"{size(difference.north_m)} {'north' if difference.north_m >= 0 else 'south'}")
    return "rover " + ", ".join(parts)
