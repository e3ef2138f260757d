"""What differs tells the cause: every likely mistake as a model of the differences of all checks, and how well each explains them.

A cause is a linear model of the differences (observed − known) in east, north and up: a constant up, one shift everywhere, one mark
alone, growth with distance, rotation, drift with time.  A known signature is a model without anything to choose: the pole's length,
another mark's place, 2 ppm of the coordinates.  Each is fitted by generalised least squares and scored by what it leaves and by how
much it could choose (Schwarz's criterion, and twice the logarithm of the number of choices); the lowest explains best.

Source: G. Schwarz, Annals of Statistics 6 (2), 1978 (from memory).  Which causes there are: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import log
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from openstake.core.distributions import chdtri
from openstake.core.limits import CAUSE_CHOICE, CAUSE_LEAST_LEFT, CAUSE_NEAR_M, CAUSE_ODDS, CAUSE_TELLS_BY, FOOT_PPM, SINKS_AT_MOST_M_PER_H

CauseName = Literal[
    "none",
    "height",
    "pole of these shots",
    "base coordinate",
    "base on another mark",
    "frame",
    "foot for foot",
    "one mark",
    "pole on another mark",
    "scale",
    "rotation",
    "another system",
    "geoid",
    "sinking",
    "bumped",
]
CAUSES: tuple[CauseName, ...] = get_args(CauseName)

# Pairs of causes that the same differences may show, and when: known beforehand, so that nothing is claimed to be told apart
# that cannot be.
LOOK_ALIKE: dict[frozenset[CauseName], str] = {
    frozenset(("one mark", "bumped")): "The mark is the only one that was measured after the bump, or the only one before it.",
    frozenset(("pole of these shots", "height")): "Nearly all checks were measured with that pole.",
    frozenset(("pole of these shots", "one mark")): "One mark alone was measured with that pole, or all but one.",
    frozenset(("pole of these shots", "bumped")): "The pole was changed once, and something may have moved just then.",
    frozenset(("pole of these shots", "sinking")): "The pole was changed once, and time went on.",
    frozenset(("pole of these shots", "geoid")): "The pole was changed once, and the crew walked on.",
    frozenset(("sinking", "bumped")): "A few checks do not show whether the height went steadily or at once.",
    frozenset(("sinking", "geoid")): "The crew walked in one direction: time and distance grew together.",
    frozenset(("sinking", "one mark")): "One check alone is late.",
    frozenset(("sinking", "height")): "All checks are of about the same hour.",
    frozenset(("geoid", "one mark")): "With few marks a tilt bends through all of them.",
    frozenset(("bumped", "height")): "Nearly all checks came after it.",
    frozenset(("bumped", "base coordinate")): "Nearly all checks came after it.",
    frozenset(("base coordinate", "frame")): "The shift is that of a frame by chance, or the frame's drift is known to centimetres only.",
    frozenset(("scale", "one mark")): "One mark alone is far away.",
    frozenset(("rotation", "one mark")): "One mark alone is far away.",
}


@dataclass(frozen=True, kw_only=True)
class CheckSeen:
    """A check as it differs: observed − known (up None where it is not compared), all in metres; time in hours since the base ran.

    `sigma_m` is of the shot alone (east, north, up), `mark_sigma_m` of the mark (each axis, up); places are grid metres.  `pole` is the
    rover height as it was typed, to what.
    """

    mark: str
    east_m: float
    north_m: float
    off_m: tuple[float, float, float | None]
    sigma_m: tuple[float, float, float]
    mark_sigma_m: tuple[float, float]
    at_h: float
    pole: str = ""


@dataclass(frozen=True)
class NamedUp:
    """A known height that would show as a constant up, metres, and what it is in words."""

    up_m: float
    words: str


@dataclass(frozen=True, kw_only=True)
class Place:
    """A mark of the list: grid metres and ellipsoidal height (None where it is not known)."""

    name: str
    east_m: float
    north_m: float
    height_m: float | None


@dataclass(frozen=True, kw_only=True)
class SiteSeen:
    """What is known of the base: its mark, its sigma (each axis, up), known heights, all marks of the list, shifts between frames.

    `poles` are known slips of one of several rover heights, by how it was typed.
    """

    base: Place
    base_sigma_m: tuple[float, float]
    heights: tuple[NamedUp, ...] = ()
    marks: tuple[Place, ...] = ()
    frames: tuple[tuple[str, tuple[float, float, float]], ...] = ()
    poles: tuple[tuple[str, NamedUp], ...] = ()


@dataclass(frozen=True, kw_only=True)
class Explained:
    """How one cause explains all checks: what it leaves (Σ of squares in sigmas), what it could choose, its score.

    `values` are its parameters by name with units; `named` a known signature in words; `marks` whom it is about.
    """

    cause: CauseName
    left: float
    parameters: int
    score: float
    values: dict[str, float]
    named: str = ""
    marks: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Causes:
    """The causes of all checks, the one that explains best first, each by its best variant.

    `tells`: nothing that looks alike explains nearly as well, and the first one leaves no more than chance does;
    `alike` are those it cannot be told from; `limit` is what chance leaves in 99.9 %.
    """

    ranked: tuple[Explained, ...]
    alike: tuple[CauseName, ...]
    freedom: int
    limit: float
    explains: bool

    @property
    def first(self) -> Explained:
        return self.ranked[0]

    @property
    def tells(self) -> bool:
        return self.explains and not self.alike


@dataclass(frozen=True, kw_only=True)
class _Model:
    """A cause as a model: a fixed part, shape (3n,), and columns to choose from, shape (3n, p), of parameters by name."""

    cause: CauseName
    fixed: NDArray[np.float64]
    columns: tuple[tuple[str, NDArray[np.float64]], ...] = ()
    choices: int = 1
    named: str = ""
    marks: tuple[str, ...] = ()


def causes_of(checks: Sequence[CheckSeen], site: SiteSeen) -> Causes:
    """Return what explains the differences of all checks from one base, in any order; at least one check is needed."""
    ordered = sorted(checks, key=lambda one: one.at_h)
    table = _Table(ordered, site)
    best: dict[CauseName, Explained] = {}
    for model in _models(table, site):
        found = table.explained(model)
        if abs(found.values.get("up_m_per_h", 0.0)) > SINKS_AT_MOST_M_PER_H:
            continue
        if model.cause not in best or found.score < best[model.cause].score:
            best[model.cause] = found
    ranked = tuple(sorted(best.values(), key=lambda item: item.score))
    first = ranked[0]
    alike = tuple(
        item.cause
        for item in ranked[1:]
        if item.score < first.score + CAUSE_TELLS_BY and frozenset((item.cause, first.cause)) in LOOK_ALIKE
    )
    freedom = max(1, table.count - first.parameters)
    limit = float(chdtri(freedom, CAUSE_LEAST_LEFT))
    return Causes(ranked=ranked, alike=alike, freedom=freedom, limit=limit, explains=first.left <= limit)


class _Table:
    """All differences in one column, whitened by their covariance: shots apart, a mark's own sigma common to its checks."""

    def __init__(self, checks: Sequence[CheckSeen], site: SiteSeen) -> None:
        self.checks = checks
        self.names = [one.mark for one in checks]
        off = np.array([[np.nan if part is None else part for part in one.off_m] for one in checks])
        self.known = np.isfinite(off).ravel()
        self.count = int(self.known.sum())
        self.east = np.array([one.east_m - site.base.east_m for one in checks])
        self.north = np.array([one.north_m - site.base.north_m for one in checks])
        self.hours = np.array([one.at_h for one in checks])
        self._off = off.ravel()[self.known]
        from scipy.linalg import cholesky, solve_triangular

        root = cholesky(self._covariance(site)[np.ix_(self.known, self.known)], lower=True)
        # Hundreds of columns are whitened: the inverse once is quicker than solving for each.
        self._whitening = solve_triangular(root, np.eye(self.count), lower=True)

    def _covariance(self, site: SiteSeen) -> NDArray[np.float64]:
        size = 3 * len(self.checks)
        total = np.zeros((size, size))
        base = np.array([site.base_sigma_m[0], site.base_sigma_m[0], site.base_sigma_m[1]]) ** 2
        for row, one in enumerate(self.checks):
            flat, up = one.mark_sigma_m
            mark = np.array([flat, flat, up]) ** 2
            for column, other in enumerate(self.checks):
                block = base + (mark if one.mark == other.mark else 0.0)
                if row == column:
                    block = block + np.array(one.sigma_m) ** 2
                total[3 * row : 3 * row + 3, 3 * column : 3 * column + 3] = np.diag(block)
        return total

    def mean_of(self, names: Sequence[str]) -> tuple[float, float]:
        """Return the mean difference of the checks of some marks, east and north."""
        chosen = [one.off_m for one in self.checks if one.mark in names]
        return float(np.mean([off[0] for off in chosen])), float(np.mean([off[1] for off in chosen]))

    def white(self, column: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(self._whitening @ column[self.known])

    def parts(
        self, east: NDArray[np.float64] | float = 0.0, north: NDArray[np.float64] | float = 0.0, up: NDArray[np.float64] | float = 0.0
    ) -> NDArray[np.float64]:
        """Return one column from its parts, shape (3n,)."""
        column = np.zeros((len(self.checks), 3))
        column[:, 0], column[:, 1], column[:, 2] = east, north, up
        return column.ravel()

    def explained(self, model: _Model) -> Explained:
        """Fit a model by generalised least squares."""
        rest = self._whitening @ self._off - self.white(model.fixed)
        values: dict[str, float] = {}
        freely = np.zeros(0)
        if model.columns:
            design = np.array([self.white(column) for _, column in model.columns]).T
            solved, *_ = np.linalg.lstsq(design, rest, rcond=None)
            rest = rest - design @ solved
            values = {name: float(value) for (name, _), value in zip(model.columns, solved, strict=True)}
            # A parameter that could have been anything up to its own size pays for it in sigmas (Occam's factor).
            sigmas = np.sqrt(np.diag(np.linalg.pinv(design.T @ design, hermitian=True)))
            freely = 2.0 * np.log(np.maximum(np.abs(solved) / np.maximum(sigmas, 1e-12), 1.0))
        left = float(rest @ rest)
        chosen = float((np.maximum(freely, log(max(self.count, 2))) + CAUSE_CHOICE).sum()) + 2.0 * log(model.choices)
        score = left + chosen + (0.0 if model.cause == "none" else CAUSE_ODDS)
        return Explained(
            cause=model.cause, left=left, parameters=len(model.columns), score=score, values=values, named=model.named, marks=model.marks
        )


def _models(table: _Table, site: SiteSeen) -> Iterator[_Model]:
    nothing = table.parts()
    east, north, up = table.parts(east=1.0), table.parts(north=1.0), table.parts(up=1.0)
    yield _Model(cause="none", fixed=nothing)
    yield _Model(cause="height", fixed=nothing, columns=(("up_m", up),))
    for item in site.heights:
        yield _Model(cause="height", fixed=item.up_m * up, columns=(), choices=max(1, len(site.heights)), named=item.words)
    yield from _poles(table, site)
    yield _Model(cause="base coordinate", fixed=nothing, columns=(("east_m", east), ("north_m", north)))
    yield _Model(cause="base coordinate", fixed=nothing, columns=(("east_m", east), ("north_m", north), ("up_m", up)))
    yield from _shifts_known(table, site)
    yield from _one_mark(table, site)
    yield from _growing(table)
    yield from _in_time(table)


def _poles(table: _Table, site: SiteSeen) -> Iterator[_Model]:
    """The height of one pole among several: what changed between the checks that agree and those that do not."""
    poles = list(dict.fromkeys(one.pole for one in table.checks))
    if len(poles) < 2:
        return  # of one pole alone it is a height like the base's
    for pole in poles:
        up = table.parts(up=np.array([float(one.pole == pole) for one in table.checks]))
        marks = tuple(dict.fromkeys(one.mark for one in table.checks if one.pole == pole))
        yield _Model(cause="pole of these shots", fixed=table.parts(), columns=(("up_m", up),), choices=len(poles), named=pole, marks=marks)
        slips = [slip for name, slip in site.poles if name == pole]
        for slip in slips:
            named = f"{pole}; {slip.words}"
            yield _Model(
                cause="pole of these shots", fixed=slip.up_m * up, columns=(), choices=len(poles) * len(slips), named=named, marks=marks
            )


def _shifts_known(table: _Table, site: SiteSeen) -> Iterator[_Model]:
    """Shifts of everything by a number that is known: another mark's place, a frame, a foot."""
    base = site.base
    others = [place for place in site.marks if place.name != base.name]
    mean_east, mean_north = table.mean_of(table.names)
    for place in _near(others, base.east_m - mean_east, base.north_m - mean_north):
        up = 0.0 if base.height_m is None or place.height_m is None else base.height_m - place.height_m
        fixed = table.parts(base.east_m - place.east_m, base.north_m - place.north_m, up)
        yield _Model(
            cause="base on another mark",
            fixed=fixed,
            columns=(),
            choices=len(others),
            named=f"the base stands on {place.name}",
            marks=(place.name,),
        )
    for words, (east, north, up) in site.frames:
        for sign in (1.0, -1.0):
            yield _Model(
                cause="frame",
                fixed=table.parts(sign * east, sign * north, sign * up),
                columns=(),
                choices=2 * len(site.frames),
                named=words,
            )
    places = np.array([(one.east_m, one.north_m) for one in table.checks])
    for sign in (1.0, -1.0):
        shift = sign * FOOT_PPM * 1e-6 * places
        yield _Model(
            cause="foot for foot", fixed=table.parts(shift[:, 0], shift[:, 1]), columns=(), choices=2, named="2 ppm of the coordinates"
        )


def _near(places: Sequence[Place], east_m: float, north_m: float) -> list[Place]:
    """Return the places that a shift could mean: of thousands of marks none but those a metre around where it leads."""
    return [place for place in places if abs(place.east_m - east_m) <= CAUSE_NEAR_M and abs(place.north_m - north_m) <= CAUSE_NEAR_M]


def _one_mark(table: _Table, site: SiteSeen) -> Iterator[_Model]:
    """One mark alone: off by anything, or by as much as another mark of the list."""
    names = list(dict.fromkeys(table.names))
    where = {place.name: place for place in site.marks}
    if len(names) < 2:
        return  # alone it cannot be told from everything
    for name in names:
        own = np.array([float(other == name) for other in table.names])
        east, north, up = table.parts(east=own), table.parts(north=own), table.parts(up=own)
        flat = (("east_m", east), ("north_m", north))
        for columns in (flat, (("up_m", up),), (*flat, ("up_m", up))):
            yield _Model(cause="one mark", fixed=table.parts(), columns=columns, choices=len(names), marks=(name,))
        if name not in where:
            continue
        others = [place for place in site.marks if place.name != name]
        mine, off = where[name], table.mean_of([name])
        for place in _near(others, mine.east_m + off[0], mine.north_m + off[1]):
            high = 0.0 if mine.height_m is None or place.height_m is None else place.height_m - mine.height_m
            fixed = table.parts((place.east_m - mine.east_m) * own, (place.north_m - mine.north_m) * own, high * own)
            yield _Model(
                cause="pole on another mark",
                fixed=fixed,
                columns=(),
                choices=len(names) * len(others),
                named=f"the pole stood on {place.name}",
                marks=(name, place.name),
            )


def _growing(table: _Table) -> Iterator[_Model]:
    """What grows with the distance from the base: scale and rotation as parts of one, a tilt of the heights."""
    radial = table.parts(table.east, table.north)
    turned = table.parts(table.north, -table.east)
    shift = (("east_m", table.parts(east=1.0)), ("north_m", table.parts(north=1.0)))
    yield _Model(cause="scale", fixed=table.parts(), columns=(("scale", radial),))
    yield _Model(cause="rotation", fixed=table.parts(), columns=(("clockwise_rad", turned),))
    yield _Model(cause="another system", fixed=table.parts(), columns=(("scale", radial), ("clockwise_rad", turned)))
    yield _Model(cause="another system", fixed=table.parts(), columns=(*shift, ("scale", radial), ("clockwise_rad", turned)))
    tilt = (("up_per_east", table.parts(up=table.east)), ("up_per_north", table.parts(up=table.north)))
    yield _Model(cause="geoid", fixed=table.parts(), columns=tilt)
    yield _Model(cause="geoid", fixed=table.parts(), columns=(("up_m", table.parts(up=1.0)), *tilt))


def _in_time(table: _Table) -> Iterator[_Model]:
    """What changes with time: a base that sinks steadily, or was bumped between two checks."""
    yield _Model(cause="sinking", fixed=table.parts(), columns=(("up_m_per_h", table.parts(up=table.hours)),))
    splits = [n for n in range(1, len(table.checks)) if table.hours[n] > table.hours[n - 1]]
    for split in splits:
        after = np.array([float(n >= split) for n in range(len(table.checks))])
        flat = (("east_m", table.parts(east=after)), ("north_m", table.parts(north=after)))
        up = (("up_m", table.parts(up=after)),)
        since = (table.checks[split - 1].mark, table.checks[split].mark)
        for columns in (flat, up, (*flat, *up)):
            yield _Model(cause="bumped", fixed=table.parts(), columns=columns, choices=len(splits), marks=since)
