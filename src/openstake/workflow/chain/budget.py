"""The budget of the place where the rover is, or of the far end of the job; moved live, and asked what reaches a need."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from math import hypot, isfinite

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from openstake.core.budget import (
    Budget,
    BudgetSettings,
    Change,
    Circumstances,
    Improvement,
    TermName,
    budget_of,
    changes_of,
    improvements_to,
    with_change,
)
from openstake.core.chain_links import TERM_LINKS
from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.describe import FieldShown, fields_shown
from openstake.core.errors import InputError
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.limits import BUDGET_WASH_M, FAR_WITHIN_M, MOST_BUDGETS_WRITTEN, ShortText
from openstake.core.units import LengthUnit, metres_in_field, text_from_metres
from openstake.core.vector import vector_length_m
from openstake.derive.accuracy_map import AccuracyMap, accuracy_map_over
from openstake.derive.applied import Applied, applied_now, fit_sigmas_m
from openstake.derive.base import BaseNow, open_base, three
from openstake.derive.budget import BUDGET, base_sigmas_m, pole_used, settings_of
from openstake.derive.heights import ROD_HEIGHT_M
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.marks import current_marks, head_of
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context
from openstake.workflow.moment import heard_epoch

_USUAL_BASELINE_M = 1000.0
_TOPO_S = 5.0


@dataclass(frozen=True, kw_only=True)
class BudgetRequest:
    """What if: how far from the base (as text; empty: where the rover is), absolute or not, which changes, and what is needed at 95 %."""

    baseline: ShortText = ""
    absolute: bool = False
    changes: tuple[ShortText, ...] = ()
    need_horizontal: ShortText = ""
    need_vertical: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class TermShown:
    """A term with its share of the variance, horizontally and in height, and the link it belongs to."""

    name: TermName
    words: str
    horizontal_m: float | None
    vertical_m: float | None
    share_horizontal: float
    share_vertical: float
    link: str
    source: str


@dataclass(frozen=True, kw_only=True)
class BudgetChange:
    """Something that can be done for a better point: whether it is done in what is shown, and what it alone would give."""

    key: str
    words: str
    done: bool
    horizontal_95_m: float | None
    vertical_95_m: float | None


@dataclass(frozen=True)
class ImprovementShown:
    """A way to what is needed: what to do, and what it gives at 95 %."""

    changes: list[str]
    horizontal_95_m: float | None
    vertical_95_m: float | None


@dataclass(frozen=True, kw_only=True)
class BudgetShown:
    """The budget of a point in words and terms; `where` says which place it is for, `against` what it is relative to.

    None of a number: it cannot be said, because a fit in use does not know how good it is.

    `reaches` says whether it is as good as needed, `ways` are the cheapest ways there, `answer` says so in one line.
    """

    baseline_m: float
    where: str
    against: str
    absolute: bool
    horizontal_95_m: float | None
    vertical_95_m: float | None
    terms: list[TermShown]
    changes: list[BudgetChange]
    reaches: bool | None
    ways: list[ImprovementShown]
    answer: str


@dataclass(frozen=True, kw_only=True)
class BudgetAt:
    """A mark of the plan, in grid metres, and what a point there would be good for at 95 %."""

    name: str
    east_m: float
    north_m: float
    horizontal_95_m: float | None
    vertical_95_m: float | None


@dataclass(frozen=True, kw_only=True)
class BudgetOver:
    """The budget over the plan: the base, what a point at its marks would be good for (some of many), and all between as a wash.

    `base` is empty where none runs: then nobody knows how far anything is from it.  Nothing is washed without marks near it.
    """

    base: str
    against: str
    marks: list[BudgetAt]
    wash: AccuracyMap | None


@dataclass(frozen=True)
class BudgetForm:
    """What a job takes for each link where nothing better is known, with the fields of its form."""

    id: str | None
    settings: BudgetSettings
    fields: tuple[FieldShown, ...]


@dataclass(frozen=True)
class SaveBudget:
    """The settings as typed, in place of the row `replaces_id`."""

    values: dict[str, object]
    replaces_id: ShortText | None = None
    length_unit: LengthUnit | None = None


def budget_form(context: Context, job_id: str) -> BudgetForm:
    """Return what a job takes for its budget, for its form."""
    with context.database.read() as session:
        job_of(session, job_id)
        return BudgetForm(*BUDGET.read(session, job_id), fields_shown(BudgetSettings))


@command(budget_form)
def save_budget(tx: Transaction, request: SaveBudget) -> None:
    """Keep what a job takes for its budget from now on."""
    BUDGET.keep(tx.session, tx.job_id, BUDGET.typed(request.values, request.length_unit), request.replaces_id, tx.now_s)


def try_budget(context: Context, job_id: str, request: BudgetRequest) -> BudgetShown:
    """Return the budget of a place with some changes, and the cheapest ways to what is needed."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        base = open_base(session, job_id)
        return shown_of(context, session, job, kit, base, request)


def budget_over(context: Context, job_id: str, request: BudgetRequest) -> BudgetOver:
    """Return the budget over the plan with some changes: of the marks near enough, and of the ground between them."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        base = open_base(session, job_id)
        if base is None:
            return BudgetOver(base="", against="", marks=[], wash=None)
        settings, applied = settings_of(session, job_id), _fit_in_use(session, job_id, request)
        east, north, _ = three(job.frame.grid_from_ecef(base.mark_m))
        marks = [mark for mark in current_marks(session, job) if hypot(mark.east_m - east, mark.north_m - north) <= FAR_WITHIN_M]
        name, against = (head_of(session, job, base.occupation.mark_id).name, _AGAINST[request.absolute, applied is not None])
        if not marks:
            return BudgetOver(base=name, against=against, marks=[], wash=None)
        # Coming nearer means nothing where every place has its own distance.
        usual = _changed(_point(kit, base, 0.0, request.absolute), [key for key in request.changes if key != "nearer"])

        def budgets(places_m: NDArray[np.float64]) -> list[Budget]:
            fit = np.full((len(places_m), 2), np.nan)
            if applied is not None:
                fit = fit_sigmas_m(job, applied, np.column_stack([places_m, np.zeros(len(places_m))]))
            away = np.hypot(places_m[:, 0] - east, places_m[:, 1] - north)
            return [
                budget_of(
                    replace(usual, baseline_m=metres, fit_horizontal_m=flat if applied else None, fit_vertical_m=up if applied else None),
                    settings,
                )
                for metres, (flat, up) in zip(away.tolist(), fit.tolist(), strict=True)
            ]

        places = np.array([(mark.east_m, mark.north_m) for mark in marks] + [(east, north)])
        # Of many marks some are written, from the nearest to the farthest.
        away = np.hypot(places[:-1, 0] - east, places[:-1, 1] - north)
        ranks = np.unique(np.linspace(0, len(marks) - 1, MOST_BUDGETS_WRITTEN).round().astype(int))
        written = [int(n) for n in np.argsort(away, kind="stable")[ranks]]
        return BudgetOver(
            base=name,
            against=against,
            marks=[
                BudgetAt(
                    name=marks[n].name,
                    east_m=marks[n].east_m,
                    north_m=marks[n].north_m,
                    horizontal_95_m=_known(budget.horizontal_95_m),
                    vertical_95_m=_known(budget.vertical_95_m),
                )
                for n, budget in zip(written, budgets(places[written]), strict=True)
            ],
            wash=accuracy_map_over(places, BUDGET_WASH_M, lambda cells: [budget.horizontal_95_m for budget in budgets(cells)]),
        )


def _known(value: float) -> float | None:
    return value if isfinite(value) else None


def _changed(point: Circumstances, keys: Collection[str]) -> Circumstances:
    """Return a point with some of the changes that help it; InputError where one is none of them."""
    offered = changes_of(point)
    unknown = [key for key in keys if key not in {change.key for change in offered}]
    if unknown:
        raise InputError(f"'{unknown[0][:20]}' does not help here.", field="changes")
    now = point
    for change in offered:
        if change.key in keys:
            now = with_change(now, point, change)
    return now


def shown_of(context: Context, session: Session, job: JobNow, kit: KitNow, base: BaseNow | None, request: BudgetRequest) -> BudgetShown:
    """Return the budget that is shown of a job: of the rover's place, of the far end, or of one that is typed."""
    place = _where(context, session, job, base, request)
    point = _point(kit, base, place.baseline_m, request.absolute)
    applied = _fit_in_use(session, job.id, request)
    fit = None if applied is None else _fit_there(job, applied, place)
    if fit is not None:
        point = replace(point, fit_horizontal_m=fit[0], fit_vertical_m=fit[1])
    settings, unit = settings_of(session, job.id), job.length_unit
    offered, now = changes_of(point), _changed(point, request.changes)
    budget = budget_of(now, settings)
    need = [metres_in_field(getattr(request, field), unit, field) for field in ("need_horizontal", "need_vertical")]
    for value, field in zip(need, ("need_horizontal", "need_vertical"), strict=True):
        if value is not None and value <= 0.0:
            raise InputError("What is needed is more than 0.", field=field)
    asked = any(value is not None for value in need)
    ways = improvements_to(point, settings, need[0], need[1]) if asked else ()
    reached = (need[0] is None or budget.horizontal_95_m <= need[0]) and (need[1] is None or budget.vertical_95_m <= need[1])
    return BudgetShown(
        baseline_m=place.baseline_m,
        where=place.words,
        against=_AGAINST[request.absolute, fit is not None],
        absolute=request.absolute,
        horizontal_95_m=_known(budget.horizontal_95_m),
        vertical_95_m=_known(budget.vertical_95_m),
        terms=_terms(budget),
        changes=[_offer(change, change.key in request.changes, settings) for change in offered],
        reaches=reached if asked else None,
        ways=[ImprovementShown(list(way.changes), _known(way.budget.horizontal_95_m), _known(way.budget.vertical_95_m)) for way in ways],
        answer=_answer(ways, asked),
    )


# What a budget is relative to: absolute or not, with a fit in use or without.
_AGAINST = {
    (False, False): "relative to the base mark",
    (False, True): "in the local grid, by the fit in use",
    (True, False): "absolute",
    (True, True): "absolute",
}


@dataclass(frozen=True)
class _Place:
    """A place by its distance from the base, in words, and in the job's grid where it is known."""

    baseline_m: float
    words: str
    grid_m: tuple[float, float, float] | None = None


def _where(context: Context, session: Session, job: JobNow, base: BaseNow | None, request: BudgetRequest) -> _Place:
    typed = metres_in_field(request.baseline, job.length_unit, "baseline")
    if typed is not None:
        if typed < 0.0:
            raise InputError("A distance from the base is not less than 0.", field="baseline")
        return _Place(typed, f"{text_from_metres(typed, job.length_unit)} from the base")
    if base is None:
        return _Place(_USUAL_BASELINE_M, "1 km from a base that is not set up yet")
    running = context.running.session(base.occupation.id)
    moment = None if running is None else running.moment()
    epoch = None if moment is None else heard_epoch(moment)
    heard = None if moment is None else vector_length_m(epoch, moment.reference)
    if heard is not None and epoch is not None and epoch.latitude_deg is not None and epoch.longitude_deg is not None:
        there = job.frame.grid_from_ecef(ecef_from_geodetic(epoch.latitude_deg, epoch.longitude_deg, epoch.height_m or 0.0))
        return _Place(heard, "where the rover is now", (float(there[0]), float(there[1]), 0.0))
    east, north, _ = three(job.frame.grid_from_ecef(base.mark_m))
    away = [(hypot(mark.east_m - east, mark.north_m - north), mark) for mark in current_marks(session, job)]
    near = [item for item in away if item[0] <= FAR_WITHIN_M]
    if not near:
        return _Place(_USUAL_BASELINE_M, "1 km from the base")
    metres, mark = max(near, key=lambda item: item[0])
    return _Place(metres, "at the farthest mark of the list", (mark.east_m, mark.north_m, 0.0))


def _fit_in_use(session: Session, job_id: str, request: BudgetRequest) -> Applied | None:
    """Return the fit that a budget goes through: none for an absolute one."""
    return None if request.absolute else applied_now(session, job_id)


def _fit_there(job: JobNow, applied: Applied, place: _Place) -> tuple[float, float]:
    """Return what a fit gives at a place, one sigma; the worst of its own marks where nobody knows the place."""
    if place.grid_m is not None:
        flat, up = (float(value) for value in fit_sigmas_m(job, applied, np.array([place.grid_m]))[0])
    else:
        corners = np.array(applied.reach.corners_m)
        flat = float(applied.reach.horizontal_95_m(corners).max()) / CIRCLE_95
        up = float(applied.reach.vertical_95_m(corners).max()) / LINE_95
    return flat, up


def _point(kit: KitNow, base: BaseNow | None, baseline_m: float, absolute: bool) -> Circumstances:
    pole, poles = pole_used(kit), kit.poles(base=False)
    fixed = poles[0].fixed_height_m if poles else ROD_HEIGHT_M
    point = Circumstances(
        baseline_m=baseline_m,
        absolute=absolute,
        seconds=_TOPO_S,
        pole_height_m=fixed or ROD_HEIGHT_M,
        bubble_arcmin=pole.bubble_arcmin,
        held=pole.held,
        fixed_rod=fixed is not None,
    )
    if base is None:
        return point
    flat, up = base_sigmas_m(base.coordinate)
    return replace(point, base_horizontal_m=flat, base_vertical_m=up, base_height_m=base.height.sigma_m)


def _terms(budget: Budget) -> list[TermShown]:
    flat, up = (sum(getattr(term, name) ** 2 for term in budget.terms) for name in ("horizontal_m", "vertical_m"))
    return [
        TermShown(
            name=term.name,
            words=term.words,
            horizontal_m=_known(term.horizontal_m),
            vertical_m=_known(term.vertical_m),
            share_horizontal=_share(term.horizontal_m, flat),
            share_vertical=_share(term.vertical_m, up),
            link=TERM_LINKS[term.name],
            source=term.source,
        )
        for term in budget.terms
    ]


def _share(sigma_m: float, total_m2: float) -> float:
    """Return a term's share of a sum of squares; none of one that is not known."""
    return sigma_m**2 / total_m2 if total_m2 and isfinite(total_m2) else 0.0


def _offer(change: Change, done: bool, settings: BudgetSettings) -> BudgetChange:
    alone = budget_of(change.point, settings)
    return BudgetChange(
        key=change.key,
        words=change.words,
        done=done,
        horizontal_95_m=_known(alone.horizontal_95_m),
        vertical_95_m=_known(alone.vertical_95_m),
    )


def _answer(ways: tuple[Improvement, ...], asked: bool) -> str:
    if not asked:
        return ""
    if not ways:
        return "Nothing that is known here reaches it: measure it otherwise."
    first = ways[0].changes
    return "It is good enough as it is." if not first else f"Cheapest: {', '.join(first)}."
