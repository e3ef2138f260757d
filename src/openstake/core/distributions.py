"""Distribution functions and quantiles, by scipy.special.

scipy takes a third of a second to import, so it is imported when the first number is asked for: `openstake --help` and the
start of the program need none.
"""

from __future__ import annotations

from functools import cache
from types import ModuleType
from typing import Any

from numpy.typing import ArrayLike


@cache
def _special() -> ModuleType:
    from scipy import special

    return special


def chdtri(freedom: ArrayLike, above: ArrayLike) -> Any:
    """Return the chi-square value that is exceeded with a probability of `above`."""
    return _special().chdtri(freedom, above)


def chdtrc(freedom: ArrayLike, value: ArrayLike) -> Any:
    """Return the probability that a chi-square exceeds a value."""
    return _special().chdtrc(freedom, value)


def chndtr(value: ArrayLike, freedom: ArrayLike, noncentrality: ArrayLike) -> Any:
    """Return the probability that a non-central chi-square stays below a value."""
    return _special().chndtr(value, freedom, noncentrality)


def fdtrc(freedom: ArrayLike, freedom_below: ArrayLike, value: ArrayLike) -> Any:
    """Return the probability that an F value exceeds a value."""
    return _special().fdtrc(freedom, freedom_below, value)


def fdtri(freedom: ArrayLike, freedom_below: ArrayLike, below: ArrayLike) -> Any:
    """Return the F value that is not exceeded with a probability of `below`."""
    return _special().fdtri(freedom, freedom_below, below)


def stdtrit(freedom: ArrayLike, below: ArrayLike) -> Any:
    """Return the Student t that is not exceeded with a probability of `below`."""
    return _special().stdtrit(freedom, below)
