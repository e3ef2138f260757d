"""The coordinate of a base: where it comes from, what a mark was occupied with before, what else might be sent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.base_sources import AUTONOMOUS_SOURCES, REMEMBERED, RESEATED, SCHOOLS, SourceMethod, source_title
from openstake.core.control import Difference, within
from openstake.core.errors import InputError
from openstake.core.evidence import RefersTo, Status
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.framechange import FrameStep
from openstake.core.geodesy.plates import frame_shifts_m, year_of
from openstake.core.geodesy.slips import Slip, elevation_slip, frame_slips, grid_slips, typing_slips
from openstake.core.judge.base import OtherMark
from openstake.core.judge.coordinate import Earlier, judge_average_place, judge_mark_check, judge_return, judge_taken
from openstake.core.judge.finding import Finding
from openstake.core.limits import BIAS_95_M, TAKEN_FROM_MARK_M, TOLERANCES, VERTICAL_TO_HORIZONTAL
from openstake.core.sigmas import horizontal_95_m, vertical_95_m
from openstake.core.vector import raised_along_normal
from openstake.derive import points
from openstake.derive.averages import AverageResult, average_mark_m, average_result, stored_average
from openstake.derive.base import BaseNow, bases_of, is_autonomous, three
from openstake.derive.job import JobNow
from openstake.derive.marks import MarkNow, current_marks, head_of, mark_ecef_m
from openstake.store.models import BaseCoordinate, PositionAverageRow, Shot
from openstake.store.records.averages import averages_for_setup
from openstake.store.records.bases import occupations_on
from openstake.store.records.marks import line_ids
from openstake.store.records.shots import network_shots_on
from openstake.workflow.base.other_frame import in_the_job, step_to_job
from openstake.workflow.base.setup import SetUpNow

_EARLIER_SHOWN = 12
_SHOTS_SHOWN = 50


def when(job: JobNow, unix_s: float) -> str:
    """Return a moment in the job's time zone, as a sentence has it: `on 25 Nov 2026 at 08:14`."""
    moment = job.local_time(unix_s)
    return f"on {moment.day} {moment:%b %Y} at {moment:%H:%M}"


@dataclass(frozen=True, kw_only=True)
class Proposed:
    """A coordinate of the base's mark as a source gives it: Earth-centred metres, accuracy at 95 %."""

    xyz_m: tuple[float, float, float]
    source: str
    detail: str
    accuracy_horizontal_95_m: float
    accuracy_vertical_95_m: float
    frame: str
    frame_epoch: str
    evidence_id: str | None

    @property
    def autonomous(self) -> bool:
        return self.source in AUTONOMOUS_SOURCES


def proposed(session: Session, job: JobNow, setup: SetUpNow, arp_height_m: float) -> Proposed:
    """Return the coordinate that a set-up's source gives; InputError where something is still missing."""
    job.needs_datum()
    settled = setup.settled
    if settled.source == "mark":
        return _from_mark(session, job, settled.mark_id)
    if settled.source == REMEMBERED:
        return _from_before(session, job, settled.mark_id, settled.evidence_id)
    if settled.source == "network":
        return _from_network(session, job, setup)
    if settled.source in AUTONOMOUS_SOURCES:
        return _from_average(session, job, setup, arp_height_m)
    raise InputError("Choose where the base's coordinate comes from.", field="source")


def _from_mark(session: Session, job: JobNow, mark_id: str | None) -> Proposed:
    if mark_id is None:
        raise InputError("A new point has no known coordinate. Choose another source, or pick a mark.", field="source")
    return _of_mark(job, head_of(session, job, mark_id))


def _of_mark(job: JobNow, mark: MarkNow) -> Proposed:
    return Proposed(
        xyz_m=mark_ecef_m(job, mark),
        source="mark",
        detail=f"the known mark {mark.name} ({mark.given.source})",
        accuracy_horizontal_95_m=horizontal_95_m(mark.sigma_horizontal_m, mark.sigma_horizontal_m),
        accuracy_vertical_95_m=vertical_95_m(mark.sigma_vertical_m),
        frame=job.positions_label,
        frame_epoch=job.settings.frame_epoch or "as the control list",
        evidence_id=mark.id,
    )


def taken_anew(job: JobNow, base: BaseNow, mark: MarkNow) -> Proposed | None:
    """Return the coordinate that a base on a known mark would start with now, where that is another than it has; None where not."""
    if base.coordinate.source != "mark" or job.lies_nowhere or job.frame.datum_is_unsaid:
        return None
    try:
        found = _of_mark(job, mark)
    except InputError:
        return None  # the mark has no height any more
    apart_m = float(np.linalg.norm(np.subtract(found.xyz_m, base.mark_m)))
    return found if apart_m > TAKEN_FROM_MARK_M else None


def anew_words(job: JobNow, base: BaseNow, mark: MarkNow) -> str:
    """Return what a press says that takes a base's coordinate from its mark anew; empty where it has the one of now."""
    return "" if taken_anew(job, base, mark) is None else f"Take {mark.name} as it is now"


def judge_taken_before(job: JobNow, base: BaseNow, mark: MarkNow) -> list[Finding]:
    """Return what is to be said of a base's coordinate that hangs on settings or a mark which have other values now."""
    anew = taken_anew(job, base, mark)
    if anew is not None:
        return judge_taken(mark.name, base.mark_m, anew.xyz_m, job.length_unit)
    # What was averaged or computed is a place on Earth by itself; a re-seat leans on a mark.
    coordinate = base.coordinate
    if coordinate.source == RESEATED and not job.lies_nowhere and not job.frame_is_as_at(coordinate.created_s):
        return judge_taken(mark.name, base.mark_m, None, job.length_unit)
    return []


def _from_before(session: Session, job: JobNow, mark_id: str | None, coordinate_id: str | None) -> Proposed:
    earlier = {row.id: row for _, row in _coordinates_of_mark(session, job.id, mark_id)}
    row = earlier.get(coordinate_id or "")
    if row is None:
        raise InputError("Choose which of the mark's earlier coordinates is meant.", field="evidence_id")
    return Proposed(
        xyz_m=(row.x_m, row.y_m, row.z_m),
        source=row.source,
        detail=f"the same as {when(job, row.created_s)}: {row.detail}",
        accuracy_horizontal_95_m=row.accuracy_horizontal_95_m,
        accuracy_vertical_95_m=row.accuracy_vertical_95_m,
        frame=row.frame,
        frame_epoch=row.frame_epoch,
        evidence_id=row.id,
    )


def _average_of(session: Session, setup: SetUpNow, purpose: str) -> PositionAverageRow | None:
    """Return the average that a set-up uses: the one chosen, else the latest of its purpose.

    A rover's over a mark belongs to the mark, whichever set-up it was taken in; the base's own belongs to its set-up, and one that was
    taken on another mark, before the tripod or the choice moved, is not used.
    """
    mark_id = setup.settled.mark_id
    own = line_ids(session, mark_id) if mark_id else []

    rows = averages_for_setup(session, purpose, setup.id, own)
    return next((row for row in rows if row.id == setup.settled.evidence_id), rows[0] if rows else None)


def _from_average(session: Session, job: JobNow, setup: SetUpNow, arp_height_m: float) -> Proposed:
    row = _average_of(session, setup, "base")
    if row is None:
        raise InputError("Average what the receiver reports first, then start.", field="source")
    above = arp_height_m + (row.arp_to_apc_m or 0.0 if row.refers_to == RefersTo.APC else 0.0)
    if row.refers_to == RefersTo.MARK:
        above = 0.0
    return Proposed(
        xyz_m=three(raised_along_normal((row.x_m, row.y_m, row.z_m), -above)),
        source=setup.settled.source,
        detail=f"the average of {row.used} {row.lowest_status} positions over {row.span_s:.0f} s ({row.origin})",
        accuracy_horizontal_95_m=row.accuracy_95_m,
        accuracy_vertical_95_m=VERTICAL_TO_HORIZONTAL * row.accuracy_95_m,
        frame="WGS 84 as the receiver reports it",
        frame_epoch="the day of the average",
        evidence_id=row.id,
    )


def _from_network(session: Session, job: JobNow, setup: SetUpNow) -> Proposed:
    shot = session.get(Shot, setup.settled.evidence_id or "")
    if shot is not None and shot.job_id == job.id:
        return _from_caster(job, setup, _from_shot(session, job, setup, shot))
    row = _average_of(session, setup, "mark")
    if row is None:
        raise InputError("Hold the network rover over the mark and average it first.", field="source")
    if row.lowest_status != Status.FIXED:
        raise InputError(f"The average over the mark holds {row.lowest_status} epochs. Wait for fixed and average again.", field="source")
    return _from_caster(
        job,
        setup,
        Proposed(
            xyz_m=average_mark_m(session, row),
            source="network",
            detail=f"a fixed network average of {row.used} epochs over {row.span_s:.0f} s",
            accuracy_horizontal_95_m=row.accuracy_95_m,
            accuracy_vertical_95_m=VERTICAL_TO_HORIZONTAL * row.accuracy_95_m,
            frame=job.positions_label,
            frame_epoch=job.settings.frame_epoch or "as the network has it",
            evidence_id=row.id,
        ),
    )


def _from_caster(job: JobNow, setup: SetUpNow, found: Proposed) -> Proposed:
    """Return a network's coordinate in the job's frame: as it is where the caster is taken to send in that, else by the operation named."""
    settled = setup.settled
    if not settled.caster_frame:
        return found
    moved, how = in_the_job(
        job, settled.caster_frame, settled.caster_epoch, settled.caster_operation, found.xyz_m, found.xyz_m, "The caster"
    )
    return replace(found, xyz_m=moved, detail=f"{found.detail}{how}")


def caster_step(session: Session, job: JobNow, setup: SetUpNow) -> FrameStep | None:
    """Return what lies between the frame that a set-up's caster sends in and the job's; None where it is taken to be the same."""
    settled = setup.settled
    row = _average_of(session, setup, "mark")
    shot = session.get(Shot, settled.evidence_id or "")
    if not settled.caster_frame or job.lies_nowhere or job.frame.datum_is_unsaid:
        return None
    if row is not None:
        near = average_mark_m(session, row)
    elif shot is not None and shot.job_id == job.id:
        point = points.derive(session, job, shot)
        near = three(job.frame.ecef_from_grid(point.east_m, point.north_m, point.height_m))
    else:
        return None
    return step_to_job(job, settled.caster_frame, settled.caster_epoch, near, "The caster")


def _from_shot(session: Session, job: JobNow, setup: SetUpNow, shot: Shot) -> Proposed:
    point = points.derive(session, job, shot)
    if not point.virtual:
        raise InputError(
            "The shot was measured from a base of this job, not from a network: as a coordinate it would prove itself.", field="evidence_id"
        )
    if setup.settled.mark_id is None or shot.mark_id not in line_ids(session, setup.settled.mark_id):
        raise InputError(f"The shot was taken on {shot.name}, not on this mark.", field="evidence_id")
    if point.not_fixed:
        raise InputError("The shot holds epochs that are not fixed.", field="evidence_id")
    xyz = job.frame.ecef_from_grid(point.east_m, point.north_m, point.height_m)
    accuracy = float(
        np.hypot(
            BIAS_95_M[Status.FIXED], horizontal_95_m(shot.sigma_east_m or 0.0, shot.sigma_north_m or 0.0, shot.covariance_en_m2 or 0.0)
        )
    )
    return Proposed(
        xyz_m=three(xyz),
        source="network",
        detail=f"the averaged fixed shot {when(job, shot.created_s)} ({point.epochs} epochs)",
        accuracy_horizontal_95_m=accuracy,
        accuracy_vertical_95_m=VERTICAL_TO_HORIZONTAL * accuracy,
        frame=job.positions_label,
        frame_epoch=job.settings.frame_epoch or shot.frame_epoch,
        evidence_id=shot.id,
    )


def coordinate_row(coordinate: Proposed, occupation_id: str, now: float) -> BaseCoordinate:
    x, y, z = coordinate.xyz_m
    return BaseCoordinate(
        occupation_id=occupation_id,
        x_m=x,
        y_m=y,
        z_m=z,
        source=coordinate.source,
        detail=coordinate.detail,
        accuracy_horizontal_95_m=coordinate.accuracy_horizontal_95_m,
        accuracy_vertical_95_m=coordinate.accuracy_vertical_95_m,
        frame=coordinate.frame,
        frame_epoch=coordinate.frame_epoch,
        evidence_id=coordinate.evidence_id,
        created_s=now,
    )


# --- what a mark was occupied with before ---


@dataclass(frozen=True, kw_only=True)
class PriorCoordinate:
    """A coordinate that a mark was occupied with."""

    id: str
    source: str
    title: str
    detail: str
    frame: str
    frame_epoch: str
    accuracy_horizontal_95_m: float
    created_s: float
    autonomous: bool
    locked: bool
    current: bool
    reason: str


def _coordinates_of_mark(session: Session, job_id: str, mark_id: str | None) -> list[tuple[BaseNow, BaseCoordinate]]:
    """Return every coordinate a mark was ever occupied with, the best first.

    Best is what is current, not autonomous, and latest.
    """
    if mark_id is None:
        return []
    there = occupations_on(session, job_id, line_ids(session, mark_id))
    bases = bases_of(session, job_id, there) if there else {}
    found = [(base, row) for base in bases.values() for row in base.coordinates]
    return sorted(found, key=lambda pair: (pair[1] is not pair[0].coordinate, is_autonomous(pair[1]), -pair[1].created_s))


def memory_view(listed: Sequence[tuple[BaseNow, BaseCoordinate]]) -> list[PriorCoordinate]:
    """Return the coordinates a mark was occupied with, the one to offer first at the top."""
    return [
        PriorCoordinate(
            id=row.id,
            source=row.source,
            title=source_title(row.source),
            detail=row.detail,
            frame=row.frame,
            frame_epoch=row.frame_epoch,
            accuracy_horizontal_95_m=row.accuracy_horizontal_95_m,
            created_s=row.created_s,
            autonomous=is_autonomous(row),
            locked=row.locked,
            current=row is base.coordinate,
            reason=row.reason,
        )
        for base, row in listed[:_EARLIER_SHOWN]
    ]


def judge_proposed(session: Session, job: JobNow, setup: SetUpNow, coordinate: Proposed) -> list[Finding]:
    """Return what a coordinate does to a job that knew the mark by another, and where the receiver says it stands."""
    mark_id = setup.settled.mark_id
    mark = head_of(session, job, mark_id) if mark_id else None
    found = _judge_average_place(session, job, setup, coordinate, mark)
    if mark is None:
        return found
    earlier = [
        Earlier(
            source=source_title(row.source).lower(),
            when=when(job, row.created_s),
            xyz_m=(row.x_m, row.y_m, row.z_m),
            autonomous=is_autonomous(row),
        )
        for base, row in _coordinates_of_mark(session, job.id, mark_id)
        if row is base.coordinate
    ]
    return found + judge_return(mark.name, earlier, coordinate.xyz_m, coordinate.autonomous, job.length_unit)


def _judge_average_place(session: Session, job: JobNow, setup: SetUpNow, coordinate: Proposed, mark: MarkNow | None) -> list[Finding]:
    row = _average_of(session, setup, "base")
    if row is None:
        return []
    known = None if coordinate.autonomous else coordinate.xyz_m
    placed = not job.lies_nowhere and not job.frame.datum_is_unsaid
    if known is None and mark is not None and mark.ellipsoidal_height_m is not None and placed:
        known = mark_ecef_m(job, mark)
    name = mark.name if mark else setup.settled.point_name
    others = other_marks(session, job, mark.id if mark else None)
    return judge_average_place(name, known, others, (row.x_m, row.y_m, row.z_m), job.length_unit)


# --- the sources side by side, and the mark checked first ---


@dataclass(frozen=True, kw_only=True)
class MarkCheck:
    """The rover's average over the mark: observed − known, metres."""

    mark_name: str
    east_m: float
    north_m: float
    up_m: float | None
    agrees: bool
    finding: Finding


@dataclass(frozen=True, kw_only=True)
class StoredAverage(AverageResult):
    """An average that was taken, from what and when; `check` compares it with its mark where it was over one."""

    id: str
    origin: str
    created_s: float
    check: MarkCheck | None


@dataclass(frozen=True, kw_only=True)
class UsableShot:
    """A fixed shot on the mark, whose position may become the base's coordinate."""

    id: str
    created_s: float
    epochs: int
    words: str


@dataclass(frozen=True, kw_only=True)
class Sources:
    """The ways to a coordinate side by side, and what there is of each."""

    schools: tuple[SourceMethod, ...]
    memory: list[PriorCoordinate]
    shots: list[UsableShot]
    average_base: StoredAverage | None
    average_mark: StoredAverage | None


def sources_view(session: Session, job: JobNow, setup: SetUpNow | None) -> Sources:
    """Return the schools with what each gives, what was averaged so far, and the shots that can be used."""
    if setup is None:
        return Sources(schools=SCHOOLS, memory=[], shots=[], average_base=None, average_mark=None)
    mark_id = setup.settled.mark_id
    return Sources(
        schools=SCHOOLS,
        memory=memory_view(_coordinates_of_mark(session, job.id, mark_id)),
        shots=_shots_view(session, job, mark_id),
        average_base=_stored_view(session, job, setup, "base"),
        average_mark=_stored_view(session, job, setup, "mark"),
    )


def _stored_view(session: Session, job: JobNow, setup: SetUpNow, purpose: str) -> StoredAverage | None:
    row = _average_of(session, setup, purpose)
    if row is None:
        return None
    result = average_result(stored_average(session, row.id), job.length_unit)
    over_mark = row.mark_id if purpose == "mark" and not job.frame.datum_is_unsaid else None
    check = None if over_mark is None or purpose != "mark" else _mark_check(session, job, setup, row, over_mark)
    return StoredAverage(**vars(result), id=row.id, origin=row.origin, created_s=row.created_s, check=check)


def mark_check_stops(session: Session, job: JobNow, setup: SetUpNow) -> list[Finding]:
    """Return what the rover's average over the mark says against a set-up whose coordinate is that of the mark."""
    row = _average_of(session, setup, "mark") if setup.settled.source in ("mark", REMEMBERED) else None
    if row is None or row.mark_id is None or job.lies_nowhere or job.frame.datum_is_unsaid:
        return []
    check = _mark_check(session, job, setup, row, row.mark_id)
    return [check.finding] if check is not None and check.finding.is_stop else []


def _mark_check(session: Session, job: JobNow, setup: SetUpNow, row: PositionAverageRow, mark_id: str) -> MarkCheck | None:
    """Return observed − known of a rover's average over a mark of the list; None while nothing leads from the caster's frame to the job's."""
    mark, settled = head_of(session, job, mark_id), setup.settled
    observed = average_mark_m(session, row)
    if settled.caster_frame:
        try:
            observed, _ = in_the_job(
                job, settled.caster_frame, settled.caster_epoch, settled.caster_operation, observed, observed, "The caster"
            )
        except InputError:
            return None
    east, north, height = (float(value) for value in job.frame.grid_from_ecef(observed))
    known = mark.ellipsoidal_height_m
    difference = Difference(east - mark.east_m, north - mark.north_m, None if known is None else height - known)
    tolerance = TOLERANCES["control"]
    found = judge_mark_check(mark.name, difference, tolerance, Status(row.lowest_status), row.span_s, job.length_unit)
    return MarkCheck(
        mark_name=mark.name,
        east_m=difference.east_m,
        north_m=difference.north_m,
        up_m=difference.up_m,
        agrees=all(within(difference, tolerance)) and row.lowest_status == Status.FIXED,
        finding=found,
    )


def _shots_view(session: Session, job: JobNow, mark_id: str | None) -> list[UsableShot]:
    """Return the newest fixed shots on a mark that rest on a network: a shot from a base of one's own says nothing new of where it is."""
    if mark_id is None:
        return []
    shots = network_shots_on(session, job.id, line_ids(session, mark_id), _SHOTS_SHOWN)
    received = points.received_of(session, job.id, shots)
    return [
        UsableShot(id=shot.id, created_s=shot.created_s, epochs=received[shot.id].epochs, words="from a virtual base")
        for shot in shots
        if not received[shot.id].not_fixed
    ]


# --- what else a base might be sending ---


def other_marks(session: Session, job: JobNow, mark_id: str | None) -> list[OtherMark]:
    """Return the other marks of a job that have a place, Earth-centred."""
    own = set(line_ids(session, mark_id)) if mark_id else set()
    listed = [mark for mark in current_marks(session, job) if mark.id not in own and mark.ellipsoidal_height_m is not None]
    if not listed or job.lies_nowhere or job.frame.datum_is_unsaid:
        return []
    columns = np.array([(mark.east_m, mark.north_m, mark.ellipsoidal_height_m) for mark in listed], dtype=float)
    xyz = job.frame.ecef_from_grid(columns[:, 0], columns[:, 1], columns[:, 2])
    return [OtherMark(mark.name, three(row)) for mark, row in zip(listed, xyz, strict=True)]


def slips_of_mark(job: JobNow, mark: MarkNow | None, xyz_m: tuple[float, float, float], unix_s: float) -> list[Slip]:
    """Return where slips of the hand would put a base's coordinate."""
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(xyz_m, job.frame.positions_ellipsoid))
    found = [*typing_slips(latitude, longitude, height), *frame_slips(xyz_m, frame_shifts_m(xyz_m, year_of(unix_s)))]
    if not job.lies_nowhere:
        east, north, grid_height = (float(value) for value in job.frame.grid_from_ecef(xyz_m))
        found += grid_slips(job.frame, east, north, grid_height)
    if mark is not None and mark.elevation_m is not None and abs(mark.elevation_m - height) > 1.0:
        found.append(elevation_slip(latitude, longitude, mark.elevation_m))
    return found
