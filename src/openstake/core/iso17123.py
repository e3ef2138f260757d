"""The field test of a GNSS pair in RTK after ISO 17123-8: two rover points, sets of both, one series or three.

Simplified test: one series of five sets, judged by gross-error limits alone.  Full test: three series of five sets, whose
*starts* lie at least 90 minutes apart; it gives the standard uncertainty of one measured position.  Sets follow each other
about every five minutes.

Source: ISO 17123-8:2015 (from memory).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from math import prod
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

from openstake.core.distributions import chdtri, fdtri
from openstake.core.errors import InputError
from openstake.core.limits import ISO_SIGMA_H_M, ISO_SIGMA_XY_M, SERIES_APART_S, SETS_APART_S, SIGNIFICANCE

SETS, POINTS = 5, 2
FULL_SERIES, SIMPLIFIED_SERIES = 3, 1
FREEDOM = (FULL_SERIES * SETS - 1) * POINTS  # 28 of each coordinate: every point's mean takes one
_GROSS = 2.5 * 2.0**0.5


@dataclass(frozen=True, kw_only=True)
class Measured:
    """One measured position of a rover point: series 1 to 3, set 1 to 5, point 1 or 2, grid metres."""

    series: int
    set: int
    point: int
    east_m: float
    north_m: float
    height_m: float


@dataclass(frozen=True)
class Predetermined:
    """What is known before: one sigma of a position, horizontal (of both coordinates together) and of the height, metres."""

    xy_m: float = ISO_SIGMA_XY_M
    h_m: float = ISO_SIGMA_H_M


@dataclass(frozen=True)
class Independent:
    """Measured without GNSS: the horizontal distance of the points, and the height of point 2 above point 1; None where not."""

    distance_m: float | None = None
    height_difference_m: float | None = None


@dataclass(frozen=True, kw_only=True)
class TestItem:
    """One test of the standard: it passes where the statistic is at most the limit.

    `corrected_limit` is that of the same test among all comparisons of this field test, so that a pair that is as good as it was
    taken for passes all of them in 95 of 100 tests; `by_chance` is how often it fails this test of the standard.
    """

    name: str
    statistic: float
    limit: float
    corrected_limit: float
    by_chance: float
    passed: bool
    passed_corrected: bool


@dataclass(frozen=True, kw_only=True)
class FieldTest:
    """What a field test gives, metres.  Deviations are measured − independent (− mean where none was measured), set by set.

    `s_xy_m` is of east and north together, as the predetermined sigma is; None, as the degrees of freedom, where the test is
    the simplified one.
    """

    series: int
    sigma_xy_m: float
    sigma_h_m: float
    s_xy_m: float | None
    s_h_m: float | None
    dof_xy: int | None
    dof_h: int | None
    distance_m: float
    height_difference_m: float
    distance_deviations: tuple[float, ...]
    height_deviations: tuple[float, ...]
    tests: tuple[TestItem, ...]

    @property
    def passed(self) -> bool:
        return all(item.passed for item in self.tests)

    @property
    def passed_corrected(self) -> bool:
        return all(item.passed_corrected for item in self.tests)

    @property
    def by_chance(self) -> float:
        """How often a pair that is as good as it was taken for fails one or more tests of the standard; they are nearly independent."""
        return 1.0 - prod(1.0 - item.by_chance for item in self.tests)


@dataclass(frozen=True, kw_only=True)
class PlannedSet:
    """A set of the plan: when it is due and when its first point was measured (seconds, None while it was not), which points are."""

    series: int
    set: int
    due_s: float
    begun_s: float | None
    points: tuple[int, ...]
    done: bool


def planned_sets(full: bool, taken_s: Mapping[tuple[int, int, int], float], start_s: float) -> tuple[PlannedSet, ...]:
    """Return the sets of a test with their times: five minutes apart, and series by the start of the one before.

    `taken_s` are the times of what was measured by series, set and point; before anything is, the plan begins at `start_s`.
    """
    found: list[PlannedSet] = []
    series_start = start_s
    for series in range(1, (FULL_SERIES if full else SIMPLIFIED_SERIES) + 1):
        own = [at_s for (number, _, _), at_s in taken_s.items() if number == series]
        series_start = min(own) if own else series_start
        due_s = series_start
        for number in range(1, SETS + 1):
            points = tuple(point for point in range(1, POINTS + 1) if (series, number, point) in taken_s)
            begun = min((taken_s[series, number, point] for point in points), default=None)
            found.append(PlannedSet(series=series, set=number, due_s=due_s, begun_s=begun, points=points, done=len(points) == POINTS))
            due_s = (due_s if begun is None else begun) + SETS_APART_S
        series_start += SERIES_APART_S
    return tuple(found)


def too_soon_s(sets: Sequence[PlannedSet]) -> list[tuple[int, float]]:
    """Return the series that began too soon after the one before, with how long after it they did, seconds."""
    starts = {item.series: item.begun_s for item in sets if item.set == 1 and item.begun_s is not None}
    return [
        (series, starts[series] - starts[series - 1])
        for series in starts
        if series - 1 in starts and starts[series] - starts[series - 1] < SERIES_APART_S
    ]


def arranged(rows: Sequence[Measured]) -> NDArray[np.float64]:
    """Return measured positions by series, set and point, shape (1 or 3, 5, 2, 3); InputError where one lacks or is twice."""
    numbers = _series(Counter((row.series, row.set, row.point) for row in rows))
    table = np.empty((len(numbers), SETS, POINTS, 3))
    for row in rows:
        table[numbers.index(row.series), row.set - 1, row.point - 1] = (row.east_m, row.north_m, row.height_m)
    if not np.isfinite(table).all():
        raise InputError("A coordinate is not a finite number.")
    return table


def _series(known: Counter[tuple[int, int, int]]) -> list[int]:
    """Return the series that are there, each whole; InputError says what lacks."""
    for (series, number, point), times in known.items():
        if not (1 <= series <= FULL_SERIES and 1 <= number <= SETS and 1 <= point <= POINTS):
            raise InputError(
                f"Series {series}, set {number}, point {point} is not part of this test: series 1 to {FULL_SERIES}, sets 1 to {SETS}, "
                f"points 1 and {POINTS}."
            )
        if times > 1:
            raise InputError(f"Series {series}, set {number}, point {point} is there {times} times.")
    numbers = sorted({series for series, _, _ in known})
    if len(numbers) not in (SIMPLIFIED_SERIES, FULL_SERIES):
        raise InputError(
            f"The simplified test is one series, the full one is {FULL_SERIES}: there are {len(numbers)}. "
            "Measure the rest, or give one series."
        )
    for series, number, point in product(numbers, range(1, SETS + 1), range(1, POINTS + 1)):
        if (series, number, point) not in known:
            raise InputError(f"Series {series}, set {number} lacks point {point}.")
    return numbers


def residuals_m(table: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return measured − mean of each point over all sets and series, the shape of the table."""
    return np.asarray(table - table.mean(axis=(0, 1)))


def field_test(
    rows: Sequence[Measured],
    sigma: Predetermined = Predetermined(),
    independent: Independent = Independent(),
    earlier: Sequence[Measured] | None = None,
) -> FieldTest:
    """Return what a field test gives; `earlier` is a full test of before, whose uncertainty is compared.

    The tests, at 95 %: gross errors of distance and height difference (2.5·√2·σ with the predetermined σ); the standard
    uncertainties against the predetermined ones (χ², 56 and 28 degrees of freedom); against those of an earlier test (F,
    two-sided: the larger variance over the smaller).  Each gross error is looked for in every set of every series: a full test makes
    30 such comparisons and 2 or 4 more, and the corrected limits share 5 % among them alike.

    Source of the correction: Z. Šidák, JASA 62, 1967; from memory.
    """
    check_known(sigma, independent)
    table = arranged(rows)
    apart = table[:, :, 1, :] - table[:, :, 0, :]
    distances, heights = np.hypot(apart[..., 0], apart[..., 1]).ravel(), apart[..., 2].ravel()
    distance = float(distances.mean()) if independent.distance_m is None else independent.distance_m
    height = float(heights.mean()) if independent.height_difference_m is None else independent.height_difference_m
    off_distance, off_height = distances - distance, heights - height
    full = len(table) == FULL_SERIES
    sets = len(distances)
    each = 1.0 - (1.0 - SIGNIFICANCE) ** (1.0 / (2 * sets + (2 if full else 0) + (0 if earlier is None else 2)))
    # A distance has the two axes' part along it from both points, which is one sigma of both axes together.
    tests = [
        _gross("gross error, distance", off_distance, _GROSS * sigma.xy_m, sigma.xy_m, each),
        _gross("gross error, height difference", off_height, _GROSS * sigma.h_m, 2.0**0.5 * sigma.h_m, each),
    ]
    s_xy, s_h = uncertainties_m(table) if full else (None, None)
    if s_xy is not None and s_h is not None:
        tests += [
            _against("s_xy against sigma_xy", s_xy, sigma.xy_m, 2 * FREEDOM, each),
            _against("s_h against sigma_h", s_h, sigma.h_m, FREEDOM, each),
        ]
    if earlier is not None:
        before = arranged(earlier)
        if s_xy is None or s_h is None or len(before) != FULL_SERIES:
            raise InputError(f"An earlier test is compared with a full one: both need {FULL_SERIES} series.")
        before_xy, before_h = uncertainties_m(before)
        tests += [
            _ratio("s_xy against the earlier test", s_xy, before_xy, 2 * FREEDOM, each),
            _ratio("s_h against the earlier test", s_h, before_h, FREEDOM, each),
        ]
    return FieldTest(
        series=len(table),
        sigma_xy_m=sigma.xy_m,
        sigma_h_m=sigma.h_m,
        s_xy_m=s_xy,
        s_h_m=s_h,
        dof_xy=2 * FREEDOM if full else None,
        dof_h=FREEDOM if full else None,
        distance_m=distance,
        height_difference_m=height,
        distance_deviations=tuple(float(value) for value in off_distance),
        height_deviations=tuple(float(value) for value in off_height),
        tests=tuple(tests),
    )


def uncertainties_m(table: NDArray[np.float64]) -> tuple[float, float]:
    """Return the standard uncertainties of a full test: of east and north together, and of the height."""
    sums = (residuals_m(table) ** 2).sum(axis=(0, 1, 2))
    return float(np.sqrt((sums[0] + sums[1]) / FREEDOM)), float(np.sqrt(sums[2] / FREEDOM))


def check_known(sigma: Predetermined, independent: Independent) -> None:
    """Refuse what cannot be known before a test; the InputError names the value."""
    for name, value in (("sigma_xy", sigma.xy_m), ("sigma_h", sigma.h_m)):
        if not 0.0005 <= value <= 1.0:
            raise InputError(f"{name} is a standard deviation of 0.0005 to 1 m.", field=name)
    if independent.distance_m is not None and not 0.0 < independent.distance_m <= 10_000.0:
        raise InputError("The distance between the two points is more than 0 and at most 10 000 m.", field="distance")
    height = independent.height_difference_m
    if height is not None and not abs(height) <= 1000.0:
        raise InputError("The height difference of the two points is at most 1000 m.", field="height_difference")


def _item(name: str, statistic: float, limit: float, corrected: float, by_chance: float) -> TestItem:
    return TestItem(
        name=name,
        statistic=statistic,
        limit=limit,
        corrected_limit=corrected,
        by_chance=by_chance,
        passed=statistic <= limit,
        passed_corrected=statistic <= corrected,
    )


def _gross(name: str, off_m: NDArray[np.float64], limit_m: float, sigma_m: float, each: float) -> TestItem:
    """Return the test of the largest of many deviations of one sigma; `each` is the share of the corrected one of them."""
    normal = NormalDist()
    one = 2.0 * normal.cdf(-limit_m / sigma_m)
    corrected_m = sigma_m * normal.inv_cdf(1.0 - each / 2.0)
    return _item(name, float(np.abs(off_m).max()), limit_m, corrected_m, 1.0 - (1.0 - one) ** len(off_m))


def _against(name: str, found_m: float, sigma_m: float, freedom: int, each: float) -> TestItem:
    limit_m, corrected_m = (sigma_m * _chi_factor(freedom, share) for share in (SIGNIFICANCE, each))
    return _item(name, found_m, limit_m, corrected_m, SIGNIFICANCE)


def _ratio(name: str, now_m: float, before_m: float, freedom: int, each: float) -> TestItem:
    low, high = sorted((now_m**2, before_m**2))
    if low == 0.0:
        raise InputError("A test whose measured positions are all the same is not a test.")
    limit, corrected = (float(fdtri(freedom, freedom, 1.0 - share / 2.0)) for share in (SIGNIFICANCE, each))
    return _item(name, high / low, limit, corrected, SIGNIFICANCE)


def _chi_factor(freedom: int, share: float) -> float:
    return float(np.sqrt(chdtri(freedom, share) / freedom))
