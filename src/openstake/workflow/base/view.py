"""The Base page: the set-up in hand or the running base, meant against on the air, what has run before."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.base_stages import Part, compared_state
from openstake.core.chain import State
from openstake.core.judge.finding import Finding
from openstake.core.occupation import BaseErrorEffect
from openstake.derive.base import BaseNow, open_base
from openstake.derive.heights import known_antenna, readings_of_setup
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.marks import head_of
from openstake.store.records.bases import a_base_has_ended
from openstake.workflow.base import coordinate as coordinates
from openstake.workflow.base import log, setup
from openstake.workflow.base.average import AverageView, average_view
from openstake.workflow.base.heights import NO_HEIGHTS, BaseHeights, readings_view
from openstake.workflow.base.running import (
    MessageOnAir,
    OccupationView,
    OnAirView,
    effect_of,
    judge_running,
    messages_view,
    occupation_view,
    on_air_view,
    parts_of_base,
)
from openstake.workflow.base.settled import SetUpView, Suggested, parts_of_setup, setup_view
from openstake.workflow.base.setup import QuestionView, setup_in_hand
from openstake.workflow.context import Context
from openstake.workflow.photos import PhotoView, photos_of


@dataclass(frozen=True, kw_only=True)
class BaseView:
    """The base as the page shows it: the set-up in hand or the occupation, in parts with their states.

    `compared` is the state of the ARP alone, meant against on the air; `ran_before`: other bases ran here and ended.
    """

    setup: SetUpView | None
    occupation: OccupationView | None
    parts: tuple[Part, ...]
    on_air: OnAirView | None
    compared: State
    messages: list[MessageOnAir]
    effect: BaseErrorEffect | None
    findings: tuple[Finding, ...]
    questions: list[QuestionView]
    cautions: list[str]
    photos: list[PhotoView]
    given_up: bool
    heights: BaseHeights
    sources: coordinates.Sources
    average: AverageView | None
    ran_before: bool
    suggested: Suggested


def view(context: Context, job_id: str) -> BaseView:
    """Return the base as the page shows it: the set-up in hand or the occupation, meant against on the air, findings."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        base = open_base(session, job_id)
        return _before(context, session, job, kit) if base is None else _running(context, session, job, kit, base)


def _before(context: Context, session: Session, job: JobNow, kit: KitNow) -> BaseView:
    """Return the view while no base runs: what is settled of the set-up in hand."""
    in_hand, antenna = setup_in_hand(session, job.id), known_antenna(kit)
    setup_id = in_hand.id if in_hand else None
    heights = readings_view(job, antenna, readings_of_setup(session, in_hand.id)) if in_hand else NO_HEIGHTS
    questions = setup.questions_view(session, job.id, setup_id)
    sources = coordinates.sources_view(session, job, in_hand)
    shown = setup_view(session, job, heights, in_hand) if in_hand else None
    suggested = _suggested(context, job, kit)
    return BaseView(
        setup=shown,
        occupation=None,
        parts=parts_of_setup(shown, heights, questions, sources, suggested),
        on_air=None,
        compared=compared_state(shown is not None and shown.arp is not None, None),
        messages=[],
        effect=None,
        findings=(),
        questions=questions,
        cautions=setup.cautions(),
        photos=photos_of(session, {setup_id} if setup_id else set()).get(setup_id or "", []),
        given_up=setup.can_be_taken_up(session, job.id),
        heights=heights,
        sources=sources,
        average=_average(context, job.id),
        ran_before=a_base_has_ended(session, job.id),
        suggested=suggested,
    )


def _running(context: Context, session: Session, job: JobNow, kit: KitNow, base: BaseNow) -> BaseView:
    """Return the view of a base that runs."""
    occupation = base.occupation
    mark = head_of(session, job, occupation.mark_id)
    judged = judge_running(context, session, job, kit, base, mark)
    heights = readings_view(job, known_antenna(kit), base.readings)
    logs = log.logs_of(session, {occupation.id})[occupation.id]
    questions = setup.questions_view(session, job.id, occupation.setup_id)
    photos = photos_of(session, {occupation.setup_id} if occupation.setup_id else set())
    air = None if judged.air is None else judged.air.difference
    return BaseView(
        setup=None,
        occupation=occupation_view(job, base, mark, judged, logs),
        parts=parts_of_base(job, base, judged, heights, logs, questions),
        on_air=on_air_view(judged),
        compared=compared_state(True, air),
        messages=messages_view(judged.profile, judged.heard),
        effect=effect_of(session, job, base),
        findings=judged.findings,
        questions=questions,
        cautions=setup.cautions(),
        photos=photos.get(occupation.setup_id or "", []),
        given_up=False,
        heights=heights,
        sources=coordinates.sources_view(session, job, None),
        average=_average(context, job.id),
        ran_before=a_base_has_ended(session, job.id),
        suggested=_suggested(context, job, kit),
    )


def _average(context: Context, job_id: str) -> AverageView | None:
    average = context.running.average(job_id)
    return average_view(average) if average else None


def _suggested(context: Context, job: JobNow, kit: KitNow) -> Suggested:
    practice = context.practice if job.practice else None
    return Suggested(
        base_url=practice.base_stream_url if practice else None,
        rover_url=practice.rover_url if practice else None,
        receiver_url=practice.base_receiver_url if practice else None,
        station_id=setup.USUAL_STATION_ID,
        refers_to=kit.rover_refers_to,
    )


def base_findings(context: Context, session: Session, job: JobNow, kit: KitNow, base: BaseNow | None) -> tuple[Finding, ...]:
    """Return everything that is to be said of the base that runs, or of the set-up in hand; not in order."""
    antenna = known_antenna(kit)
    if base is not None:
        judged = judge_running(context, session, job, kit, base, head_of(session, job, base.occupation.mark_id))
        heights = readings_view(job, antenna, base.readings)
        return (*judged.findings, *heights.findings, *heights.closing_findings)
    in_hand = setup_in_hand(session, job.id)
    if in_hand is None:
        return ()
    heights = readings_view(job, antenna, readings_of_setup(session, in_hand.id))
    shown = setup_view(session, job, heights, in_hand)
    return (*heights.findings, *heights.closing_findings, *shown.findings)
