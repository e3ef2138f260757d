"""Points recorded: by kinds of shot with limits, named, and told in the Book."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, InputError
from openstake.core.judge.finding import Finding
from openstake.core.limits import Seconds, ShortText, Text
from openstake.core.shot import checked_name, gap_words, with_seconds
from openstake.core.units import text_from_metres
from openstake.derive import points
from openstake.derive.heights import read_height
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.store.book import write_entry
from openstake.store.models import PointLabel, Shot
from openstake.store.records.labels import free_name, is_taken, labels_of, usual_name
from openstake.store.records.shots import OF_THE_JOB, shots_of_job
from openstake.workflow.context import Context
from openstake.workflow.recording import Recording, ShotPlan, begin
from openstake.workflow.watch.kinds import settings_of
from openstake.workflow.watch.points import compared_with, seen_of

_COMPARED_LATELY = 30


@dataclass(frozen=True, kw_only=True)
class PointRequest:
    """What the crew settled before recording a point; an empty name counts up from the last one.

    `seconds` in place of those of the kind; `tilt` is what the crew says of tilt compensation: `off`, `on`, or nothing.
    """

    kind: ShortText
    reading: ShortText
    feature: ShortText
    name: ShortText = ""
    code: ShortText = ""
    note: Text = ""
    fixed_only: bool = True
    seconds: Seconds | None = None
    tilt: ShortText = ""
    rover_id: ShortText | None = None


def record(context: Context, job_id: str, request: PointRequest) -> Recording:
    """Begin to record a point, or a track of points."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        kind = settings_of(session, job_id).kind(request.kind)
        height = read_height(kit_of(session, job_id), job.length_unit, request.reading, request.feature, "rover")
        name = checked_name(request.name) if request.name.strip() else ""
        if name and not kind.is_track and is_taken(session, job_id, name):
            free = free_name(session, job_id, name)
            raise ConflictError(f"{name} is there already. {free} is free.", field="name")
    if request.tilt not in ("", "off", "on"):
        raise InputError("Tilt compensation is off or on.", field="tilt")
    if kind.tilt_off and request.tilt != "off":
        raise InputError(
            "For this kind tilt compensation is off: switch it off at the rover, level the pole, and say so here.", field="tilt"
        )
    if request.seconds is not None and not kind.is_track:
        kind = with_seconds(kind, request.seconds)
    plan = ShotPlan(kind=kind, height=height, fixed_only=request.fixed_only, name=name, tilt=request.tilt)

    def told(session: Session, job: JobNow, shot: Shot, now: float) -> None:
        _told(session, job, shot, now, request, name)

    return begin(context, job_id, plan, request.rover_id, told)


def _told(session: Session, job: JobNow, shot: Shot, now: float, request: PointRequest, name: str) -> None:
    """Give a point its name and write it into the Book."""
    called = free_name(session, job.id, name) if name else usual_name(session, job.id)
    label = PointLabel(shot_id=shot.id, job_id=job.id, name=called, code=request.code.strip(), note=request.note.strip(), created_s=now)
    session.add(label)
    session.flush()
    point = points.derive(session, job, shot)
    unit = job.length_unit
    east, north, height = (text_from_metres(value, unit) for value in (point.east_m, point.north_m, point.height_m))
    code = f", {label.code}" if label.code else ""
    guard = "" if shot.fixed_only else " The guard was off: epochs of any solution were taken."
    write_entry(
        session,
        now,
        "point",
        f"Point {called}{code} ({shot.kind}): east {east}, north {north}, height {height}; "
        f"{point.epochs - point.left_out} of {point.epochs} epochs{gap_words(point.gap_s)}.{guard}",
        job.id,
        shot=shot.id,
        label=label.id,
        rover_height=shot.height_reading_id,
        reference=shot.reference_id,
        east_m=point.east_m,
        north_m=point.north_m,
        height_m=point.height_m,
    )
    for found in _compared_with_last(session, job, shot):
        write_entry(session, now, found.code, found.sentence, job.id, "machine", shot=shot.id)


def _compared_with_last(session: Session, job: JobNow, shot: Shot) -> list[Finding]:
    """Compare a shot with the latest ones of the same place from another initialisation."""
    lately = shots_of_job(session, job.id, OF_THE_JOB, newest_first=True, limit=_COMPARED_LATELY)
    labels = labels_of(session, job.id, [item.id for item in lately])
    derived = points.derive_all(session, job, lately)
    seen = [seen_of(item, point, labels, job) for item, point in zip(lately, derived, strict=True)]
    mine = next((item for item in seen if item.id == shot.id), None)
    return [] if mine is None else compared_with(mine, [item for item in seen if item.id != shot.id])
