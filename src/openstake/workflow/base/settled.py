"""The set-up in hand as the page shows it: what is settled, what is missing, what speaks against a start."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.base_settled import Source
from openstake.core.base_sources import REMEMBERED, source_title
from openstake.core.base_stages import Part, SettledSoFar, setup_parts
from openstake.core.errors import InputError
from openstake.core.evidence import RefersTo
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.framechange import FrameStep
from openstake.core.judge.coordinate import judge_level
from openstake.core.judge.finding import Finding, ranked, stops_of
from openstake.core.judge.height import KnownAntenna
from openstake.core.occupation import meant_arp_ecef
from openstake.derive.heights import readings_of_setup
from openstake.derive.job import JobNow
from openstake.derive.marks import head_of
from openstake.workflow.base import coordinate as coordinates
from openstake.workflow.base import setup
from openstake.workflow.base.coordinate import Proposed, judge_proposed, proposed
from openstake.workflow.base.heights import BaseHeights, readings_view
from openstake.workflow.base.setup import QuestionView, SetUpNow, looked


@dataclass(frozen=True)
class ArpPlace:
    """Where the ARP is meant to be, degrees and ellipsoidal metres."""

    latitude_deg: float
    longitude_deg: float
    height_m: float


def place_of(job: JobNow, xyz_m: Sequence[float] | np.ndarray) -> ArpPlace:
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(xyz_m, job.frame.positions_ellipsoid))
    return ArpPlace(latitude, longitude, height)


@dataclass(frozen=True, kw_only=True)
class Suggested:
    """What the fields of a set-up hold before anything is typed."""

    base_url: str | None
    rover_url: str | None
    receiver_url: str | None
    station_id: int
    refers_to: RefersTo | None


@dataclass(frozen=True, kw_only=True)
class SettledCoordinate:
    """The coordinate that a set-up would start with."""

    detail: str
    source: str
    frame: str
    frame_epoch: str
    accuracy_horizontal_95_m: float
    accuracy_vertical_95_m: float


@dataclass(frozen=True, kw_only=True)
class SetUpView:
    """The set-up in hand; `job_frame` is the job's frame and epoch, which a base and a caster are taken to be in; `caster_step` what lies between another one
    that the caster is declared in and it.  `missing` is what a start still waits for, `stops` what speaks against one."""

    id: str
    row_id: str
    started_s: float
    mark_id: str | None
    mark_name: str
    point_name: str
    source: Source
    evidence_id: str | None
    station_id: int | None
    base_url: str | None
    rover_url: str | None
    receiver_url: str | None
    refers_to: RefersTo | None
    job_frame: str
    caster_frame: str
    caster_epoch: str
    caster_operation: str
    caster_step: FrameStep | None
    missing: list[str]
    stops: list[str]
    arp: ArpPlace | None
    coordinate: SettledCoordinate | None
    findings: tuple[Finding, ...]


def setup_view(session: Session, job: JobNow, heights: BaseHeights, in_hand: SetUpNow) -> SetUpView:
    """Return the set-up in hand: what is settled, what is missing, and what is known before the start."""
    settled = in_hand.settled
    # Of readings that contradict each other there is no height to hang an antenna on.
    arp_height_m = heights.opening.arp_height_m if heights.opening and heights.opening.stack else None
    missing, coordinate = [], None
    if settled.mark_id is None and not settled.point_name:
        missing.append("Pick the mark under the antenna.")
    if heights.opening is None:
        missing.append("Type the height reading.")
    if not settled.source:
        missing.append("Choose where the coordinate comes from.")
    else:
        try:
            coordinate = proposed(session, job, in_hand, arp_height_m or 0.0)
        except InputError as error:
            missing.append(error.sentence)
    arp = None
    if coordinate is not None and arp_height_m is not None:
        arp = place_of(job, meant_arp_ecef(coordinate.xyz_m, arp_height_m))
    mark = head_of(session, job, settled.mark_id) if settled.mark_id else None
    findings = start_findings(session, job, in_hand, coordinate)
    return SetUpView(
        id=in_hand.id,
        row_id=in_hand.row_id,
        started_s=in_hand.started_s,
        mark_id=settled.mark_id,
        mark_name=mark.name if mark else settled.point_name,
        point_name=settled.point_name,
        source=settled.source,
        evidence_id=settled.evidence_id,
        station_id=settled.station_id,
        base_url=settled.base_url,
        rover_url=settled.rover_url,
        receiver_url=settled.receiver_url,
        refers_to=RefersTo(settled.refers_to) if settled.refers_to else None,
        job_frame=f"{job.positions_label}, epoch {job.settings.frame_epoch or 'not said'}",
        caster_frame=settled.caster_frame,
        caster_epoch=settled.caster_epoch,
        caster_operation=settled.caster_operation,
        caster_step=coordinates.caster_step(session, job, in_hand),
        missing=missing,
        stops=[item.sentence for item in stops_of((*findings, *heights.findings))],
        arp=arp,
        coordinate=None
        if coordinate is None
        else SettledCoordinate(
            detail=coordinate.detail,
            source=coordinate.source,
            frame=coordinate.frame,
            frame_epoch=coordinate.frame_epoch,
            accuracy_horizontal_95_m=coordinate.accuracy_horizontal_95_m,
            accuracy_vertical_95_m=coordinate.accuracy_vertical_95_m,
        ),
        findings=findings,
    )


def start_findings(session: Session, job: JobNow, in_hand: SetUpNow, coordinate: Proposed | None) -> tuple[Finding, ...]:
    """Return what should be known before the start, worst first; the readings' findings are shown with the readings."""
    found = judge_level(setup.unconfirmed(session, job.id, in_hand.id))
    if coordinate is not None:
        found += judge_proposed(session, job, in_hand, coordinate)
        found += coordinates.mark_check_stops(session, job, in_hand)
    return ranked(found)


def stops_before_start(
    session: Session, job: JobNow, in_hand: SetUpNow, coordinate: Proposed | None, antenna: KnownAntenna
) -> tuple[Finding, ...]:
    """Return the findings that say stop, of the readings and of the coordinate: a start goes on only where they are accepted."""
    heights = readings_view(job, antenna, readings_of_setup(session, in_hand.id))
    return stops_of((*start_findings(session, job, in_hand, coordinate), *heights.findings))


def parts_of_setup(
    shown: SetUpView | None, heights: BaseHeights, questions: list[QuestionView], sources: coordinates.Sources, suggested: Suggested
) -> tuple[Part, ...]:
    check = sources.average_mark.check if sources.average_mark else None
    source = shown.source if shown else ""
    words = "the earlier one again" if source == REMEMBERED else source_title(source)
    station_id = shown.station_id if shown and shown.station_id is not None else suggested.station_id
    return setup_parts(
        SettledSoFar(
            mark_name=shown.mark_name if shown else "",
            mark_check_agrees=check.agrees if check else None,
            height=heights.opening_read,
            coordinate=words if shown and shown.coordinate else None,
            coordinate_findings=shown.findings if shown else (),
            site=looked(questions, "site"),
            level=looked(questions, "level"),
            station_id=station_id,
        )
    )
