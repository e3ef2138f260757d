"""The front page of a job: all links, the weakest, what to do next, the budget, the findings with answers, the morning."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core import chain
from openstake.core.base_sources import source_title
from openstake.core.chain_links import Due, Link, Weakest, check_next, links, weakest
from openstake.core.check_plan import plan_of_marks
from openstake.core.errors import InputError
from openstake.core.morning import LastTime, Morning, morning_of
from openstake.derive.base import BaseNow, bases_of, is_autonomous, open_base, three
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.marks import current_marks, head_of
from openstake.derive.sky import hours_said
from openstake.store.records.bases import latest_occupation
from openstake.workflow.chain.answers import OFFERED, FindingAsked, asked
from openstake.workflow.chain.budget import BudgetRequest, BudgetShown, shown_of
from openstake.workflow.chain.steps import evidence_of
from openstake.workflow.check.plan import candidate_of, proof_of
from openstake.workflow.check.settings import settings_of as check_settings_of
from openstake.workflow.context import Context


@dataclass(frozen=True, kw_only=True)
class ChainView:
    """The chain of a job: its links, the weakest, the one thing to do next, its budget, what is open, and the morning of a new day.

    `answers_offered` begin an answer to a finding; `morning` is None while a base runs, and before the first one.
    """

    links: tuple[Link, ...]
    weakest: Weakest
    next: Due | None
    budget: BudgetShown
    findings: list[FindingAsked]
    stops: int
    answers_offered: tuple[str, ...]
    morning: Morning | None


def page(context: Context, job_id: str) -> ChainView:
    """Return the front page of a job: as many queries whatever it holds."""
    with context.database.read() as session:
        return of_session(context, session, job_id)


def of_session(context: Context, session: Session, job_id: str) -> ChainView:
    """Return the front page as a session sees the job."""
    job, kit = job_of(session, job_id), kit_of(session, job_id)
    base = open_base(session, job_id)
    evidence = evidence_of(context, session, job, kit, base)
    budget = shown_of(context, session, job, kit, base, BudgetRequest())
    findings = asked(session, job_id, chain.open_findings(evidence))
    morning = None if base is not None else _morning(context, session, job, kit, evidence.fit)
    made = links(evidence)
    variances_m2 = [(term.link, (term.horizontal_m or 0.0) ** 2 + (term.vertical_m or 0.0) ** 2) for term in budget.terms]
    return ChainView(
        links=made,
        weakest=weakest(made, variances_m2),
        next=check_next(evidence, made),
        budget=budget,
        findings=findings,
        stops=chain.stops_open(evidence),
        answers_offered=OFFERED,
        morning=morning,
    )


def _morning(context: Context, session: Session, job: JobNow, kit: KitNow, fit: chain.FitSaid) -> Morning | None:
    """Return the morning of a site that was occupied before; None where it never was."""
    last = latest_occupation(session, job.id)
    if last is None:
        return None
    base = bases_of(session, job.id, {last.id})[last.id]
    proof = proof_of(session, job, kit, base, context.now(job.id))
    checked = tuple((item.mark_name, chain.state_of_check(item.agrees, item.stale)) for item in proof.newest if item.independent)
    near, far = _near_and_far(session, job, base)
    day = job.local_time(last.started_s)
    return morning_of(
        LastTime(
            mark=head_of(session, job, last.mark_id).name,
            source=source_title(base.coordinate.source),
            autonomous=is_autonomous(base.coordinate),
            day=f"{day.day} {day:%B}",
            height_text=base.height.text,
            checked=checked,
            near=near,
            far=far,
        ),
        fit,
        hours_said(session, job, kit, context.now(job.id)),
    )


def _near_and_far(session: Session, job: JobNow, base: BaseNow) -> tuple[str, str]:
    """Return the marks that a plan of checks from this base begins and ends with; empty where there are none."""
    east, north, _ = three(job.frame.grid_from_ecef(base.mark_m))
    own = head_of(session, job, base.occupation.mark_id).id
    candidates = [candidate_of(mark) for mark in current_marks(session, job) if mark.id != own]
    try:
        planned = plan_of_marks((east, north), candidates, check_settings_of(session, job.id), job.length_unit)
    except InputError:
        return "", ""
    by_distance = sorted(planned, key=lambda item: (item.east_m - east) ** 2 + (item.north_m - north) ** 2)
    return (by_distance[0].mark_name, by_distance[-1].mark_name) if by_distance else ("", "")
