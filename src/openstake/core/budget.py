"""The error budget of a point: what each link of the chain contributes, one sigma, and what they come to at 95 %.

Relative to the base mark, or absolute; in the local grid of a fit, whose shift takes up what all marks of the base share.  Every term
carries its source; where none is named it is common practice.  All lengths are metres, horizontal sigmas are per axis.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from math import exp, hypot, radians, sqrt
from typing import Literal, get_args

from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.describe import described
from openstake.core.errors import InputError
from openstake.core.judge.finding import COMMON_PRACTICE
from openstake.core.limits import LONGEST_BASELINE_M
from openstake.core.sigmas import Sigmas, added, horizontal_95_m

TermName = Literal[
    "base_coordinate", "base_centring", "base_height", "vector", "age", "multipath", "pole_lean", "rover_height", "geoid", "local_fit"
]
TERMS: tuple[TermName, ...] = get_args(TermName)
TERM_WORDS: Mapping[TermName, str] = {
    "base_coordinate": "base coordinate",
    "base_centring": "centring of the base",
    "base_height": "base height",
    "vector": "vector",
    "age": "age of corrections",
    "multipath": "multipath",
    "pole_lean": "lean of the pole",
    "rover_height": "rover height",
    "geoid": "geoid",
    "local_fit": "local fit",
}
_MINUTE_OF_ARC = radians(1.0 / 60.0)


@dataclass(frozen=True, kw_only=True)
class BudgetSettings:
    """What a job takes for each link where nothing better is known: one sigma, horizontally per axis."""

    vector_horizontal_m: float = described(
        "Vector, horizontal", "length", default=0.006, least=0.0, most=1.0, hint="8 mm in both axes together, as makers usually state."
    )
    vector_horizontal_ppm: float = described("and by distance", "number", unit="ppm", default=0.7, least=0.0, most=50.0)
    vector_vertical_m: float = described("Vector, height", "length", default=0.012, least=0.0, most=1.0)
    vector_vertical_ppm: float = described("and by distance", "number", unit="ppm", default=1.0, least=0.0, most=50.0)
    multipath_horizontal_m: float = described("Multipath, horizontal", "length", default=0.004, least=0.0, most=1.0)
    multipath_vertical_m: float = described("Multipath, height", "length", default=0.008, least=0.0, most=1.0)
    multipath_s: float = described(
        "Multipath lives for", "number", unit="s", default=120.0, least=1.0, most=3600.0, hint="Averaging over less removes little of it."
    )
    age_horizontal_m_per_s: float = described("Age, horizontal, a second", "length", default=0.0003, least=0.0, most=0.1)
    age_vertical_m_per_s: float = described("Age, height, a second", "length", default=0.0006, least=0.0, most=0.1)
    centring_m: float = described("Centring over the mark", "length", default=0.001, least=0.0, most=0.1)
    bubble_share: float = described(
        "Bubble held within", "number", default=0.33, least=0.0, most=2.0, hint="Of its sensitivity, one sigma of each axis."
    )
    bubble_arcmin: float = described("Bubble, where the kit gives none", "number", unit="′", default=10.0, least=1.0, most=120.0)
    rod_m: float = described("Fixed rod", "length", default=0.001, least=0.0, most=0.1)
    telescopic_m: float = described("Telescopic pole", "length", default=0.002, least=0.0, most=0.1)
    geoid_m: float = described("Geoid, absolute", "length", default=0.020, least=0.0, most=5.0)
    geoid_relative_ppm: float = described("Geoid, relative", "number", unit="ppm", default=3.0, least=0.0, most=100.0)


@dataclass(frozen=True, kw_only=True)
class Circumstances:
    """How a point is measured.

    `base_*` are one sigma as they stand with the base's coordinate and height; `claim_*` the receiver's own claim, which takes the place
    of constant and ppm (None: it claims nothing), with the covariance of its axes.  `fit_*` are what a local fit gives there, None outside one, NaN where it cannot be said: then nothing can.
    `fit_rests_on_base`: the fit was made from this set-up of the base, so that its shift takes up what all points of it share.
    `occupations`: independent ones, by another initialisation after the satellites have moved.
    """

    baseline_m: float
    absolute: bool = False
    base_horizontal_m: float = 0.005
    base_vertical_m: float = 0.008
    base_height_m: float = 0.0015
    seconds: float = 5.0
    age_s: float = 1.0
    occupations: int = 1
    pole_height_m: float = 2.0
    bubble_arcmin: float | None = None
    fixed_rod: bool = True
    held: bool = False
    claim_east_m: float | None = None
    claim_north_m: float | None = None
    claim_covariance_en_m2: float = 0.0
    claim_vertical_m: float | None = None
    elevations: bool = False
    fit_horizontal_m: float | None = None
    fit_vertical_m: float | None = None
    fit_rests_on_base: bool = True


@dataclass(frozen=True, kw_only=True)
class Term:
    """One link's contribution, one sigma: horizontal per axis (the root mean square of unequal ones), vertical; on whose authority."""

    name: TermName
    words: str
    horizontal_m: float
    vertical_m: float
    source: str


@dataclass(frozen=True, kw_only=True)
class Budget:
    """All terms in the order of the chain, and their sum of variances at 95 %: a circle and a half width.

    A receiver may claim unequal axes: `apart_m2` is half the variance of east less that of north, with their covariance.
    """

    terms: tuple[Term, ...]
    horizontal_95_m: float
    vertical_95_m: float
    apart_m2: float = 0.0
    covariance_en_m2: float = 0.0


def summed(terms: Sequence[Term], uneven_m2: tuple[float, float] = (0.0, 0.0)) -> Budget:
    """Return a budget of independent terms: the exact circle of their covariance (2.4477 sigma of equal axes), and 1.9600 sigma."""
    flat, up = (sum(getattr(term, name) ** 2 for term in terms) for name in ("horizontal_m", "vertical_m"))
    apart, both = uneven_m2
    if not (apart or both):
        return Budget(terms=tuple(terms), horizontal_95_m=CIRCLE_95 * flat**0.5, vertical_95_m=LINE_95 * up**0.5)
    east, north = (max(flat + side, 0.0) ** 0.5 for side in (apart, -apart))
    return Budget(
        terms=tuple(terms),
        horizontal_95_m=horizontal_95_m(east, north, both),
        vertical_95_m=LINE_95 * up**0.5,
        apart_m2=apart,
        covariance_en_m2=both,
    )


def averaged_share(seconds: float, memory_s: float) -> float:
    """Return what is left of an error that lives for `memory_s` after averaging over some seconds: 1 for one epoch, as a share of its sigma.

    Formula: variance of the mean of a first-order Gauss-Markov process over T, 2τ/T (1 − τ/T (1 − e^(−T/τ))).
    """
    ratio = seconds / memory_s
    if ratio < 1e-4:
        return 1.0
    return float((2.0 / ratio * (1.0 - (1.0 - exp(-ratio)) / ratio)) ** 0.5)


def budget_of(point: Circumstances, settings: BudgetSettings | None = None) -> Budget:
    """Return the budget of a point."""
    usual = settings or BudgetSettings()
    if not 0.0 <= point.baseline_m <= LONGEST_BASELINE_M:
        raise InputError(
            f"A baseline is 0 to {LONGEST_BASELINE_M / 1000:.0f} km; {point.baseline_m / 1000:.1f} km was given.", field="baseline"
        )
    # The shift of a fit takes up what all marks of the base share; so does the base mark as the origin, but for its own set-up.
    in_fit = point.fit_horizontal_m is not None
    taken_up = in_fit and point.fit_rests_on_base
    own_base = (point.absolute and not in_fit) or (in_fit and not point.fit_rests_on_base)
    times = point.occupations**-0.5
    coordinate = (point.base_horizontal_m, point.base_vertical_m) if own_base else (0.0, 0.0)
    centring, height = (0.0, 0.0) if taken_up else (usual.centring_m, point.base_height_m)
    sizes: dict[TermName, tuple[float, float]] = {
        "base_coordinate": coordinate,
        "base_centring": (centring, 0.0),
        "base_height": (0.0, height),
        "vector": _times(_vector(point, usual), times),
        "age": _times((usual.age_horizontal_m_per_s * point.age_s, usual.age_vertical_m_per_s * point.age_s), times),
        "multipath": _times(_multipath(point, usual), times),
        "pole_lean": (_lean(point, usual), 0.0),
        "rover_height": (0.0, usual.rod_m if point.fixed_rod else usual.telescopic_m),
        "geoid": (0.0, _geoid(point, usual)),
        "local_fit": (point.fit_horizontal_m or 0.0, point.fit_vertical_m or 0.0),
    }
    claimed = _claimed(point) is not None
    terms = [
        Term(name=name, words=TERM_WORDS[name], horizontal_m=sizes[name][0], vertical_m=sizes[name][1], source=_source(name, claimed))
        for name in TERMS
    ]
    return summed(terms, _uneven_m2(point, times))


def sigmas_of(budget: Budget, claim: Sigmas | None = None) -> Sigmas:
    """Return what a budget comes to, one sigma; `claim` is the receiver's own covariance, in the grid, in place of the vector term.

    What is not claimed is alike in both axes: an ellipse is the claim's.
    """
    terms = [term for term in budget.terms if claim is None or term.name != "vector"]
    rest = [Sigmas(east_m=term.horizontal_m, north_m=term.horizontal_m, up_m=term.vertical_m) for term in terms]
    return added(*rest, *([] if claim is None else [claim]))


def _times(both: tuple[float, float], share: float) -> tuple[float, float]:
    return both[0] * share, both[1] * share


def _vector(point: Circumstances, usual: BudgetSettings) -> tuple[float, float]:
    by_distance = point.baseline_m * 1e-6
    flat, up = _claimed(point), point.claim_vertical_m
    return (
        usual.vector_horizontal_m + usual.vector_horizontal_ppm * by_distance if flat is None else flat,
        usual.vector_vertical_m + usual.vector_vertical_ppm * by_distance if up is None else up,
    )


def _claimed(point: Circumstances) -> float | None:
    """Return the claim per axis, the root mean square of both; None where nothing is claimed."""
    if point.claim_east_m is None or point.claim_north_m is None:
        return None
    return hypot(point.claim_east_m, point.claim_north_m) / sqrt(2.0)


def _uneven_m2(point: Circumstances, times: float) -> tuple[float, float]:
    """Return by how much the claim's axes are unequal, as a term says it."""
    if point.claim_east_m is None or point.claim_north_m is None:
        return 0.0, 0.0
    apart = (point.claim_east_m - point.claim_north_m) * (point.claim_east_m + point.claim_north_m) / 2.0
    return apart * times**2, point.claim_covariance_en_m2 * times**2


def _multipath(point: Circumstances, usual: BudgetSettings) -> tuple[float, float]:
    left = averaged_share(point.seconds, usual.multipath_s)
    return usual.multipath_horizontal_m * left, usual.multipath_vertical_m * left


def _lean(point: Circumstances, usual: BudgetSettings) -> float:
    """Return one sigma of the top against the foot: a bubble is held within a part of its sensitivity; legs on a pole hold it to half."""
    bubble = point.bubble_arcmin if point.bubble_arcmin is not None else usual.bubble_arcmin
    return point.pole_height_m * bubble * _MINUTE_OF_ARC * usual.bubble_share * (0.5 if point.held else 1.0)


def _geoid(point: Circumstances, usual: BudgetSettings) -> float:
    if not point.elevations or point.fit_horizontal_m is not None:
        return 0.0
    relative = usual.geoid_relative_ppm * 1e-6 * point.baseline_m
    return hypot(relative, usual.geoid_m) if point.absolute else relative


def _source(name: TermName, claimed: bool) -> str:
    if name == "vector":
        return "the receiver's claim" if claimed else f"constant and ppm, {COMMON_PRACTICE}"
    return {
        "base_coordinate": "as it stands with the base's coordinate",
        "base_height": "the readings of the base's height",
        "local_fit": "covariance of the fit's parameters",
        "multipath": f"mean of a Gauss-Markov process; its size {COMMON_PRACTICE}",
    }.get(name, COMMON_PRACTICE)


def with_terms(budget: Budget, changed: Mapping[str, tuple[float | None, float | None]]) -> Budget:
    """Return a budget with other sizes of some terms (horizontal, vertical; None leaves one as it is)."""
    terms = []
    for term in budget.terms:
        flat, up = changed.get(term.name, (None, None))
        if flat is None and up is None:
            terms.append(term)
            continue
        terms.append(
            replace(
                term,
                horizontal_m=term.horizontal_m if flat is None else flat,
                vertical_m=term.vertical_m if up is None else up,
                source="typed",
            )
        )
    typed = changed.get("vector", (None, None))[0] is not None
    return summed(terms, (0.0, 0.0) if typed else (budget.apart_m2, budget.covariance_en_m2))


# --- what if ---


@dataclass(frozen=True, kw_only=True)
class Change:
    """Something that can be done for a better point: its words, how dear it is (the least first), and the point with it."""

    key: str
    words: str
    cost: int
    point: Circumstances


@dataclass(frozen=True)
class Improvement:
    """A way to what is needed: what to do, cheapest first, and what the budget is then."""

    changes: tuple[str, ...]
    budget: Budget


def changes_of(point: Circumstances) -> tuple[Change, ...]:
    """Return what can be done for a point, the cheapest first.  Source: common practice, no source."""
    possible = [
        ("average", "average for 3 minutes", 1, replace(point, seconds=180.0), point.seconds < 180.0),
        ("rod", "use the fixed rod", 1, replace(point, fixed_rod=True), not point.fixed_rod),
        ("legs", "hold the pole with legs", 1, replace(point, held=True), not point.held),
        ("twice", "occupy it twice, half an hour apart", 3, replace(point, occupations=2), point.occupations < 2),
        ("nearer", "come to within 1 km of the base", 4, replace(point, baseline_m=1000.0), point.baseline_m > 1000.0),
        ("relative", "work relative to the base mark", 5, replace(point, absolute=False), point.absolute),
    ]
    return tuple(Change(key=key, words=words, cost=cost, point=after) for key, words, cost, after, helps in possible if helps)


def improvements_to(
    point: Circumstances, settings: BudgetSettings, horizontal_95_m: float | None, vertical_95_m: float | None
) -> tuple[Improvement, ...]:
    """Return up to three ways that reach what is needed at 95 %, the cheapest first; nothing to do is the cheapest of all.

    All combinations of the changes are tried: there are few.
    """
    changes = changes_of(point)
    ways = []
    for chosen in range(1 << len(changes)):
        own = [change for n, change in enumerate(changes) if chosen >> n & 1]
        after = point
        for change in own:
            after = with_change(after, point, change)
        found = budget_of(after, settings)
        reached = (horizontal_95_m is None or found.horizontal_95_m <= horizontal_95_m) and (
            vertical_95_m is None or found.vertical_95_m <= vertical_95_m
        )
        if reached:
            ways.append((sum(change.cost for change in own), len(own), Improvement(tuple(change.words for change in own), found)))
    ways.sort(key=lambda item: item[:2])
    # A way that holds another one and more is no other way.
    kept: list[Improvement] = []
    for _, _, way in ways:
        if not any(set(other.changes) <= set(way.changes) for other in kept):
            kept.append(way)
    return tuple(kept[:3])


def with_change(after: Circumstances, before: Circumstances, change: Change) -> Circumstances:
    """Return circumstances with one more change."""
    changed = {
        item.name: getattr(change.point, item.name)
        for item in fields(Circumstances)
        if getattr(change.point, item.name) != getattr(before, item.name)
    }
    return replace(after, **changed)
