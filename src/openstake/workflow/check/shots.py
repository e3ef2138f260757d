"""Shots on a mark: recorded from the running session, and told as checks."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.limits import Seconds, ShortText
from openstake.core.shot import ShotKind, gap_words, with_seconds
from openstake.core.units import counted
from openstake.derive.heights import read_height
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.derive.marks import mark_of
from openstake.live.rover import ReceivedEpoch
from openstake.store.book import write_entry
from openstake.store.models import Shot
from openstake.workflow.check.checks import checked
from openstake.workflow.check.settings import settings_of
from openstake.workflow.context import Context
from openstake.workflow.recording import Recording, ShotPlan, begin, keep


@dataclass(frozen=True, kw_only=True)
class CheckRequest:
    """What the crew settled before recording; 0 seconds is one epoch; `rover_id` is whose shot it is, the first rover's where it is None."""

    mark_id: ShortText
    seconds: Seconds
    reading: ShortText
    feature: ShortText
    fixed_only: bool = True
    tolerance: ShortText = "control"
    rover_id: ShortText | None = None


def record(context: Context, job_id: str, request: CheckRequest) -> Recording:
    """Begin to record a check; it is stored when its seconds are full."""
    return begin(context, job_id, _planned(context, job_id, request), request.rover_id, _told)


def keep_check(context: Context, job_id: str, request: CheckRequest, epochs: list[ReceivedEpoch]) -> None:
    """Store a check of epochs that are at hand already, from the base that runs."""
    keep(context, job_id, _planned(context, job_id, request), epochs, _told)


def _planned(context: Context, job_id: str, request: CheckRequest) -> ShotPlan:
    kind = with_seconds(ShotKind(name="control"), request.seconds)
    with context.database.read() as session:
        job = job_of(session, job_id)
        mark = mark_of(session, job, request.mark_id)
        tolerance = settings_of(session, job_id).tolerance_set(request.tolerance).tolerance
        height = read_height(kit_of(session, job_id), job.length_unit, request.reading, request.feature, "rover")
    return ShotPlan(kind=kind, height=height, fixed_only=request.fixed_only, mark=mark, tolerance=tolerance, name=mark.name)


def _told(session: Session, job: JobNow, shot: Shot, now: float) -> None:
    """Write a check into the Book."""
    item = checked(session, job, [shot])[0]
    check = item.check
    write_entry(
        session,
        now,
        "check",
        f"Check on {check.mark_name}, {counted(check.epochs, 'epoch')}{gap_words(item.point.gap_s)}: {check.words}; {check.verdict_word}: {check.verdict.word}.",
        job.id,
        shot=shot.id,
        mark=shot.mark_id,
        rover_height=shot.height_reading_id,
        height_readings=list(check.base_height_reading_ids),
        base_coordinate=check.base_coordinate_id,
        reference=shot.reference_id,
        east_m=check.east_m,
        north_m=check.north_m,
        up_m=check.up_m,
        findings=[found.code for found in check.findings],
    )
