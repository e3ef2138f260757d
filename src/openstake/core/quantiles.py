"""How many sigmas hold a share of what is normally distributed: on a line, in a circle, with a sigma that is known or estimated.

A sigma that is estimated from a few residuals is itself uncertain: Student's t takes the place of the normal distribution on a line,
Fisher's F that of Rayleigh's in a circle.
"""

from __future__ import annotations

from math import log, nan, sqrt
from statistics import NormalDist

from openstake.core.distributions import stdtrit


def circle_sigmas(share: float, redundancy: int | None = None) -> float:
    """Return the radius, in sigmas of an axis, of the circle that holds a share of a circular normal distribution.

    `redundancy`: the degrees of freedom that the sigma is estimated with; None where it is known.  NaN where there are none.

    Formula: r²/2 over the estimated variance is F(2, ν), whose quantile is ν/2 ((1 − p)^(−2/ν) − 1).
    """
    if redundancy is None:
        return sqrt(-2.0 * log(1.0 - share))
    if redundancy <= 0:
        return nan
    return sqrt(redundancy * ((1.0 - share) ** (-2.0 / redundancy) - 1.0))


def line_sigmas(share: float, redundancy: int | None = None) -> float:
    """Return the half width, in sigmas, that holds a share of a normal distribution; `redundancy` as in a circle (Student's t)."""
    tail = (1.0 + share) / 2.0
    if redundancy is None:
        return NormalDist().inv_cdf(tail)
    if redundancy <= 0:
        return nan
    return float(stdtrit(redundancy, tail))
