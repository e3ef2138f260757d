"""The state of a job in one call: its links, its steps and what is open, from stored evidence and what is heard now."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core import chain
from openstake.core.base_sources import source_title
from openstake.core.chain import Evidence, State, StepState
from openstake.core.chain_links import Link, links
from openstake.core.constants import CIRCLE_95
from openstake.core.judge.crews import judge_package
from openstake.core.judge.finding import Finding
from openstake.core.sigmas import Sigmas
from openstake.core.units import text_from_metres
from openstake.derive.base import BaseNow, open_base
from openstake.derive.crews import crews_of
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.marks import current_places, head_of
from openstake.derive.poles import turned_pole
from openstake.live.session import RunningSession
from openstake.store.book import unproven_version
from openstake.store.records.marks import count_marks
from openstake.workflow.base.setup import unconfirmed
from openstake.workflow.base.view import base_findings
from openstake.workflow.check.plan import proof_of
from openstake.workflow.context import Context
from openstake.workflow.fit.judged import fit_said
from openstake.workflow.job.system import system_of
from openstake.workflow.kit.packing import packing_of
from openstake.workflow.link.pair import LinkView, link_of
from openstake.workflow.moment import heard_epoch
from openstake.workflow.sky.seen import sky_held
from openstake.workflow.watch.instrument import watch_findings


@dataclass(frozen=True, kw_only=True)
class Steps:
    """The state of a job: each step and each link with its state, the open findings worst first, how many say stop."""

    steps: tuple[StepState, ...]
    links: tuple[Link, ...]
    findings: tuple[Finding, ...]
    stops: int


def view(context: Context, job_id: str) -> Steps:
    """Return the state of a job: as many queries whatever it holds."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        evidence = evidence_of(context, session, job, kit, open_base(session, job_id))
    return Steps(
        steps=chain.steps(evidence), links=links(evidence), findings=chain.open_findings(evidence), stops=chain.stops_open(evidence)
    )


def evidence_of(context: Context, session: Session, job: JobNow, kit: KitNow, base: BaseNow | None) -> Evidence:
    """Return everything that the state of a job is derived from."""
    places, elevations = current_places(session, job)
    packing = packing_of(session, job.id, kit)
    running = None if base is None else context.running.session(base.occupation.id)
    proof = None if base is None else proof_of(session, job, kit, base, context.now(job.id))
    return Evidence(
        system=chain.SystemSaid(
            system=job.settings.system_label or job.frame.name,
            marks=count_marks(session, job.id).get(job.id, 0),
            findings=tuple(system_of(job, places, elevations).findings),
            settings_id=job.settings.id,
        ),
        kit=chain.Packed(len(packing.profiles), sum(not item.done for item in packing.items)),
        link=_link_planned(link_of(session, job, kit, context.now(job.id))),
        base=None if base is None else _base_running(session, job, base, running),
        base_findings=base_findings(context, session, job, kit, base),
        sky=None if base is None else sky_held(session, job, kit, base.occupation.id),
        rover=_rover_heard(running),
        checks=() if proof is None else proof.newest,
        rover_findings=() if base is None or running is None else watch_findings(session, job, kit, base, running, context.now(job.id)),
        plan=chain.PlanOfChecks(State.MISSING, "no mark checked from this base")
        if proof is None
        else chain.PlanOfChecks(proof.plan.state, proof.plan.why, proof.findings),
        fit=fit_said(session, job),
        pole=_pole_seen(session, kit),
        crews=(*(item.finding for item in crews_of(session, job.id)), *judge_package(unproven_version(session, job.id))),
    )


def _link_planned(view: LinkView) -> chain.LinkPlanned:
    findings = [found for pair in view.pairs for found in pair.findings] + (view.air.findings if view.air else [])
    return chain.LinkPlanned(
        base=view.base,
        rovers=tuple(pair.rover for pair in view.pairs),
        apart=tuple(pair.rover for pair in view.pairs if not pair.agrees),
        fits=view.air.fits if view.air else None,
        findings=tuple(findings),
    )


def _base_running(session: Session, job: JobNow, base: BaseNow, running: RunningSession | None) -> chain.BaseRunning:
    coordinate, height, setup_id = base.coordinate, base.height, base.occupation.setup_id
    reference = None if running is None else running.moment().reference
    return chain.BaseRunning(
        mark_name=head_of(session, job, base.occupation.mark_id).name,
        source=source_title(coordinate.source),
        mark_sigma_m=coordinate.accuracy_horizontal_95_m / CIRCLE_95,
        height_text=height.text,
        height_sigma_m=height.sigma_m,
        readings=height.mean.count,
        station_id=base.occupation.station_id,
        heard=reference is not None,
        coordinate_ids=(coordinate.id,),
        height_ids=height.ids,
        level_left=len(unconfirmed(session, job.id, setup_id)) if setup_id else 0,
        spread_text=f"{text_from_metres(height.mean.spread_m, job.length_unit)} apart" if height.mean.count > 1 else "",
        heard_words=""
        if reference is None
        else f"station {reference.station_id}, decoded from message {'1006' if reference.antenna_height_m is not None else '1005'}",
    )


def _pole_seen(session: Session, kit: KitNow) -> chain.PoleSeen:
    """Return how the pole of the job's first rover stood when it was last turned."""
    poles = kit.poles(base=False)
    turned = turned_pole(session, poles[0].name) if poles else None
    return chain.PoleSeen() if turned is None else chain.PoleSeen(True, turned.leans, turned.words)


def _rover_heard(running: RunningSession | None) -> chain.RoverHeard | None:
    if running is None:
        return None
    epoch = heard_epoch(running.moment())
    if epoch is None:
        return None

    sigmas = (epoch.sigma_east_m, epoch.sigma_north_m, epoch.sigma_up_m)
    claim = None if None in sigmas else Sigmas(east_m=sigmas[0] or 0.0, north_m=sigmas[1] or 0.0, up_m=sigmas[2] or 0.0)
    return chain.RoverHeard(status=epoch.status, age_s=epoch.age_s, satellites=epoch.satellites, claim=claim)
