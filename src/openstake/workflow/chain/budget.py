"""The budget of the place where the rover is, or of the far end of the job; moved live, and asked what reaches a need."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import hypot

from sqlalchemy.orm import Session

from openstake.core.base_sources import AUTONOMOUS_SIGMAS_M
from openstake.core.budget import (
    Budget,
    BudgetSettings,
    Change,
    Circumstances,
    TermName,
    Way,
    budget_of,
    changes_of,
    ways_to,
    with_change,
)
from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.describe import FieldShown, fields_shown
from openstake.core.errors import InputError
from openstake.core.limits import FAR_WITHIN_M, ShortText
from openstake.core.links import TERM_LINKS
from openstake.core.units import LengthUnit, metres_in_field, text_from_metres
from openstake.core.vector import vector_length_m
from openstake.workflow.context import Context
from openstake.workflow.now.base import BaseNow, bases_of, is_autonomous, open_occupation, three
from openstake.workflow.now.budget import BUDGET, pole_used, settings_of
from openstake.workflow.now.heights import ROD_HEIGHT_M
from openstake.workflow.now.job import JobNow, job_of
from openstake.workflow.now.kit import KitNow, kit_of
from openstake.workflow.now.marks import current_marks
from openstake.workflow.watch.live import heard_epoch

_USUAL_BASELINE_M = 1000.0
_TOPO_S = 5.0


@dataclass(frozen=True)
class BudgetWish:
    """What if: how far from the base (as text; empty: where the rover is), absolute or not, which changes, and what is needed at 95 %."""

    baseline: ShortText = ""
    absolute: bool = False
    changes: tuple[ShortText, ...] = ()
    need_horizontal: ShortText = ""
    need_vertical: ShortText = ""


@dataclass(frozen=True)
class TermShown:
    """A term with its share of the variance, sideways and in height, and the link it belongs to."""

    name: TermName
    words: str
    horizontal_m: float
    vertical_m: float
    share_horizontal: float
    share_vertical: float
    link: str
    source: str


@dataclass(frozen=True)
class BudgetChange:
    """Something that can be done for a better point: whether it is done in what is shown, and what it alone would give."""

    key: str
    words: str
    done: bool
    horizontal_95_m: float
    vertical_95_m: float


@dataclass(frozen=True)
class WayShown:
    """A way to what is needed: what to do, and what it gives at 95 %."""

    changes: list[str]
    horizontal_95_m: float
    vertical_95_m: float


@dataclass(frozen=True)
class BudgetShown:
    """The budget of a point in words and terms; `where` says which place it is for, `reaches` whether it is as good as needed.

    `ways` are the cheapest ways there, `answer` says so in one line.
    """

    baseline_m: float
    where: str
    absolute: bool
    horizontal_95_m: float
    vertical_95_m: float
    terms: list[TermShown]
    changes: list[BudgetChange]
    reaches: bool | None
    ways: list[WayShown]
    answer: str


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


def save_budget(context: Context, job_id: str, wish: SaveBudget) -> BudgetForm:
    """Keep what a job takes for its budget from now on."""
    settings = BUDGET.typed(wish.values, wish.length_unit)
    context.database.write(lambda session: BUDGET.keep(session, job_id, settings, wish.replaces_id, context.now()))
    context.changed(job_id)
    return budget_form(context, job_id)


def try_budget(context: Context, job_id: str, wish: BudgetWish) -> BudgetShown:
    """Return the budget of a place with some changes, and the cheapest ways to what is needed."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        occupation = open_occupation(session, job_id)
        base = None if occupation is None else bases_of(session, job_id, {occupation.id})[occupation.id]
        return shown_of(context, session, job, kit, base, wish)


def shown_of(
    context: Context, session: Session, job: JobNow, kit: KitNow, base: BaseNow | None, wish: BudgetWish
) -> BudgetShown:  # fmt: skip
    """Return the budget that is shown of a job: of the rover's place, of the far end, or of one that is typed."""
    baseline_m, where = _where(context, session, job, base, wish)
    point = _point(kit, base, baseline_m, wish.absolute)
    settings, unit = settings_of(session, job.id), job.length_unit
    offered = changes_of(point)
    unknown = [key for key in wish.changes if key not in {change.key for change in offered}]
    if unknown:
        raise InputError(f"'{unknown[0][:20]}' is nothing that helps here.", field="changes")
    now = point
    for change in offered:
        if change.key in wish.changes:
            now = with_change(now, point, change)
    budget = budget_of(now, settings)
    need = [metres_in_field(getattr(wish, field), unit, field) for field in ("need_horizontal", "need_vertical")]
    for value, field in zip(need, ("need_horizontal", "need_vertical"), strict=True):
        if value is not None and value <= 0.0:
            raise InputError("What is needed is more than 0.", field=field)
    asked = any(value is not None for value in need)
    ways = ways_to(point, settings, need[0], need[1]) if asked else ()
    reached = (need[0] is None or budget.horizontal_95_m <= need[0]) and (
        need[1] is None or budget.vertical_95_m <= need[1]
    )
    return BudgetShown(
        baseline_m, where, wish.absolute, budget.horizontal_95_m, budget.vertical_95_m, _terms(budget),
        [_offer(change, change.key in wish.changes, settings) for change in offered], reached if asked else None,
        [WayShown(list(way.changes), way.budget.horizontal_95_m, way.budget.vertical_95_m) for way in ways], _answer(ways, asked),
    )  # fmt: skip


def _where(
    context: Context, session: Session, job: JobNow, base: BaseNow | None, wish: BudgetWish
) -> tuple[float, str]:  # fmt: skip
    typed = metres_in_field(wish.baseline, job.length_unit, "baseline")
    if typed is not None:
        if typed < 0.0:
            raise InputError("A distance from the base is not less than 0.", field="baseline")
        return typed, f"{text_from_metres(typed, job.length_unit)} from the base"
    if base is None:
        return _USUAL_BASELINE_M, "1 km from a base that is not set up yet"
    running = context.running.session(base.occupation.id)
    moment = None if running is None else running.moment()
    heard = None if moment is None else vector_length_m(heard_epoch(moment), moment.reference)
    if heard is not None:
        return heard, "where the rover is now"
    east, north, _ = three(job.frame.grid_from_ecef(base.mark_m))
    away = [hypot(mark.east_m - east, mark.north_m - north) for mark in current_marks(session, job)]
    near = [metres for metres in away if metres <= FAR_WITHIN_M]
    return (max(near), "at the farthest mark of the list") if near else (_USUAL_BASELINE_M, "1 km from the base")


def _point(kit: KitNow, base: BaseNow | None, baseline_m: float, absolute: bool) -> Circumstances:
    pole, poles = pole_used(kit), kit.poles(base=False)
    fixed = poles[0].fixed_height_m if poles else ROD_HEIGHT_M
    point = Circumstances(
        baseline_m, absolute, seconds=_TOPO_S, pole_height_m=fixed or ROD_HEIGHT_M, bubble_arcmin=pole.bubble_arcmin, held=pole.held,
        fixed_rod=fixed is not None,
    )  # fmt: skip
    if base is None:
        return point
    coordinate = base.coordinate
    flat, up = AUTONOMOUS_SIGMAS_M
    if not is_autonomous(coordinate):
        flat, up = coordinate.accuracy_horizontal_95_m / CIRCLE_95, coordinate.accuracy_vertical_95_m / LINE_95
    return replace(point, base_horizontal_m=flat, base_vertical_m=up, base_height_m=base.height.sigma_m)


def _terms(budget: Budget) -> list[TermShown]:
    flat, up = (sum(getattr(term, name) ** 2 for term in budget.terms) for name in ("horizontal_m", "vertical_m"))
    return [
        TermShown(
            term.name, term.words, term.horizontal_m, term.vertical_m, term.horizontal_m**2 / flat if flat else 0.0,
            term.vertical_m**2 / up if up else 0.0, TERM_LINKS[term.name], term.source,
        )
        for term in budget.terms
    ]  # fmt: skip


def _offer(change: Change, done: bool, settings: BudgetSettings) -> BudgetChange:
    alone = budget_of(change.point, settings)
    return BudgetChange(change.key, change.words, done, alone.horizontal_95_m, alone.vertical_95_m)


def _answer(ways: tuple[Way, ...], asked: bool) -> str:
    if not asked:
        return ""
    if not ways:
        return "Nothing that is known here reaches it: measure it otherwise."
    first = ways[0].changes
    return "It is good enough as it is." if not first else f"Cheapest: {', '.join(first)}."
