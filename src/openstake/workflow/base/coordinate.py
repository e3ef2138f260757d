"""The coordinate of a base: where it comes from, what a mark was occupied with before, a static solution typed later."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.base_sources import AUTONOMOUS_SOURCES, BY_SOURCE, REMEMBERED, SCHOOLS
from openstake.core.budget import horizontal_95_m, vertical_95_m
from openstake.core.control import TOLERANCES, Difference, within
from openstake.core.errors import InputError
from openstake.core.evidence import RefersTo, Status
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.plates import frame_shifts_m
from openstake.core.geodesy.slips import Slip, elevation_slip, frame_slips, grid_slips, typing_slips
from openstake.core.judge.base import OtherMark
from openstake.core.judge.coordinate import Earlier, judge_average_place, judge_mark_check, judge_return
from openstake.core.judge.finding import Finding
from openstake.core.occupation import BIAS_95_M, VERTICAL_TO_HORIZONTAL, meant_arp_ecef
from openstake.core.vector import lifted, lowering_to_mark_m
from openstake.store.models import BaseCoordinate, HeightReading, Occupation, PositionAverageRow, Shot
from openstake.workflow.base.setup import SetUpNow
from openstake.workflow.context import JobNow, base_coordinate_of, base_coordinates_of
from openstake.workflow.now import points
from openstake.workflow.now.averages import average_view, stored_average
from openstake.workflow.now.heights import base_height_of
from openstake.workflow.now.marks import MarkNow, current_marks, head_of, line_ids, mark_ecef_m

_YEAR_S = 365.25 * 86_400.0
_EARLIER_SHOWN = 12


def is_autonomous(coordinate: BaseCoordinate) -> bool:
    """Tell whether a coordinate rests on what a receiver said alone: metres off until something better replaces it."""
    return coordinate.source in AUTONOMOUS_SOURCES and not coordinate.locked


def meant_mark_and_height(session: Session, occupation: Occupation) -> tuple[tuple[float, float, float], float]:
    """Return the mark's coordinate (Earth-centred) and the ARP's height above it as an occupation has them now, metres."""
    coordinate, height = base_coordinate_of(session, occupation.id), base_height_of(session, occupation.id)
    return (coordinate.x_m, coordinate.y_m, coordinate.z_m), height.arp_height_m


def meant_arp_m(session: Session, occupation: Occupation) -> tuple[float, float, float]:
    """Return where the base's ARP is meant to be, Earth-centred, metres."""
    return three(meant_arp_ecef(*meant_mark_and_height(session, occupation)))


def year_of(unix_s: float) -> float:
    return 1970.0 + unix_s / _YEAR_S


def when(job: JobNow, unix_s: float) -> str:
    """Return a moment in the job's time zone, as a sentence has it: `on 25 Nov 2026 at 08:14`."""
    moment = datetime.fromtimestamp(unix_s, UTC).astimezone(ZoneInfo(job.settings.time_zone))
    return f"on {moment.day} {moment:%b %Y} at {moment:%H:%M}"


@dataclass(frozen=True)
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


def three(xyz: Any) -> tuple[float, float, float]:
    """Return an Earth-centred place as plain numbers."""
    x, y, z = (float(value) for value in xyz)
    return x, y, z


def _from_mark(session: Session, job: JobNow, mark_id: str | None) -> Proposed:
    if mark_id is None:
        raise InputError("A new point has no known coordinate. Choose another source, or pick a mark.", field="source")
    mark = head_of(session, job, mark_id)
    return Proposed(
        mark_ecef_m(job, mark), "mark", f"the known mark {mark.name} ({mark.given.source})",
        horizontal_95_m(mark.sigma_horizontal_m, mark.sigma_horizontal_m), vertical_95_m(mark.sigma_vertical_m),
        job.positions_label, job.settings.frame_epoch or "as the control list", mark.id,
    )  # fmt: skip


def _from_before(session: Session, job: JobNow, mark_id: str | None, coordinate_id: str | None) -> Proposed:
    earlier = {row.id: row for _, row in _coordinates_of_mark(session, job.id, mark_id)}
    row = earlier.get(coordinate_id or "")
    if row is None:
        raise InputError("Choose which of the mark's earlier coordinates is meant.", field="evidence_id")
    return Proposed(
        (row.x_m, row.y_m, row.z_m), row.source, f"the same as {when(job, row.created_s)}: {row.detail}",
        row.accuracy_horizontal_95_m, row.accuracy_vertical_95_m, row.frame, row.frame_epoch, row.id,
    )  # fmt: skip


def _average_of(session: Session, setup: SetUpNow, purpose: str) -> PositionAverageRow | None:
    """Return the average that a set-up uses: the one chosen, else the latest of its purpose.

    One that was taken on another mark, before the tripod or the choice moved, is not used.
    """
    mark_id = setup.settled.mark_id
    own = (None, *line_ids(session, mark_id)) if mark_id else (None,)
    rows = [
        row
        for row in session.scalars(
            select(PositionAverageRow)
            .where(PositionAverageRow.setup_id == setup.id, PositionAverageRow.purpose == purpose)
            .order_by(PositionAverageRow.created_s.desc())
        )
        if row.mark_id in own
    ]
    return next((row for row in rows if row.id == setup.settled.evidence_id), rows[0] if rows else None)


def _from_average(session: Session, job: JobNow, setup: SetUpNow, arp_height_m: float) -> Proposed:
    row = _average_of(session, setup, "base")
    if row is None:
        raise InputError("Average what the receiver reports first, then start.", field="source")
    above = arp_height_m + (row.arp_to_apc_m or 0.0 if row.refers_to == RefersTo.APC else 0.0)
    if row.refers_to == RefersTo.MARK:
        above = 0.0
    return Proposed(
        three(lifted((row.x_m, row.y_m, row.z_m), -above)), setup.settled.source,
        f"the average of {row.used} {row.lowest_status} positions over {row.span_s:.0f} s ({row.origin})",
        row.accuracy_95_m, VERTICAL_TO_HORIZONTAL * row.accuracy_95_m, "WGS 84 as the receiver reports it",
        "the day of the average", row.id,
    )  # fmt: skip


def _from_network(session: Session, job: JobNow, setup: SetUpNow) -> Proposed:
    shot = session.get(Shot, setup.settled.evidence_id or "")
    if shot is not None and shot.job_id == job.id:
        return _from_shot(session, job, setup, shot)
    row = _average_of(session, setup, "mark")
    if row is None:
        raise InputError("Hold the network rover over the mark and average it first.", field="source")
    if row.lowest_status != Status.FIXED:
        raise InputError(
            f"The average over the mark holds {row.lowest_status} epochs. Wait for fixed and average again.",
            field="source",
        )
    return Proposed(
        average_mark_m(session, row), "network", f"a fixed network average of {row.used} epochs over {row.span_s:.0f} s",
        row.accuracy_95_m, VERTICAL_TO_HORIZONTAL * row.accuracy_95_m, job.positions_label,
        job.settings.frame_epoch or "as the network has it", row.id,
    )  # fmt: skip


def _from_shot(session: Session, job: JobNow, setup: SetUpNow, shot: Shot) -> Proposed:
    point = points.derive(session, job, shot)
    if setup.settled.mark_id is None or shot.mark_id not in line_ids(session, setup.settled.mark_id):
        raise InputError(f"The shot was taken on {shot.name}, not on this mark.", field="evidence_id")
    if point.not_fixed:
        raise InputError("The shot holds epochs that are not fixed.", field="evidence_id")
    xyz = job.frame.ecef_from_grid(point.east_m, point.north_m, point.height_m)
    accuracy = float(
        np.hypot(BIAS_95_M[Status.FIXED], horizontal_95_m(shot.sigma_east_m or 0.0, shot.sigma_north_m or 0.0))
    )
    return Proposed(
        three(xyz), "network", f"the averaged fixed shot {when(job, shot.created_s)} ({point.epochs} epochs)", accuracy,
        VERTICAL_TO_HORIZONTAL * accuracy, job.positions_label, job.settings.frame_epoch or shot.frame_epoch, shot.id,
    )  # fmt: skip


def average_mark_m(session: Session, row: PositionAverageRow) -> tuple[float, float, float]:
    """Return the mark under a rover's average: its pole, and its phase centre where positions mean it, taken off."""
    reading = session.get(HeightReading, row.height_reading_id or "")
    height = reading.arp_height_m if reading else 0.0
    above = lowering_to_mark_m(RefersTo(row.refers_to), height, row.arp_to_apc_m)
    return three(lifted((row.x_m, row.y_m, row.z_m), -above))


def coordinate_row(coordinate: Proposed, occupation_id: str, now: float) -> BaseCoordinate:
    x, y, z = coordinate.xyz_m
    return BaseCoordinate(
        occupation_id=occupation_id, x_m=x, y_m=y, z_m=z, source=coordinate.source, detail=coordinate.detail,
        accuracy_horizontal_95_m=coordinate.accuracy_horizontal_95_m,
        accuracy_vertical_95_m=coordinate.accuracy_vertical_95_m, frame=coordinate.frame,
        frame_epoch=coordinate.frame_epoch, evidence_id=coordinate.evidence_id, created_s=now,
    )  # fmt: skip


# --- what a mark was occupied with before ---


def _coordinates_of_mark(session: Session, job_id: str, mark_id: str | None) -> list[tuple[Occupation, BaseCoordinate]]:
    """Return every coordinate a mark was ever occupied with, the best first.

    Best is what is current, not autonomous, and latest.
    """
    if mark_id is None:
        return []
    occupations = session.scalars(
        select(Occupation).where(Occupation.job_id == job_id, Occupation.mark_id.in_(line_ids(session, mark_id)))
    ).all()
    found = [(item, row) for item in occupations for row in base_coordinates_of(session, item.id)]
    current = {base_coordinate_of(session, item.id).id for item in occupations}
    return sorted(found, key=lambda pair: (pair[1].id not in current, is_autonomous(pair[1]), -pair[1].created_s))


def memory_view(session: Session, job: JobNow, mark_id: str | None) -> list[dict[str, Any]]:
    """Return the coordinates a mark was occupied with, the one to offer first at the top."""
    listed = _coordinates_of_mark(session, job.id, mark_id)
    current = {base_coordinate_of(session, occupation.id).id for occupation, _ in listed}
    return [
        {
            "id": row.id, "source": row.source, "title": BY_SOURCE[row.source].title if row.source in BY_SOURCE else row.source,
            "detail": row.detail, "frame": row.frame, "frame_epoch": row.frame_epoch,
            "accuracy_horizontal_95_m": row.accuracy_horizontal_95_m, "created_s": row.created_s,
            "autonomous": is_autonomous(row), "locked": row.locked, "current": row.id in current, "reason": row.reason,
        }
        for _, row in listed[:_EARLIER_SHOWN]
    ]  # fmt: skip


def judge_proposed(session: Session, job: JobNow, setup: SetUpNow, coordinate: Proposed) -> list[Finding]:
    """Return what a coordinate does to a job that knew the mark by another, and where the receiver says it stands."""
    mark_id = setup.settled.mark_id
    mark = head_of(session, job, mark_id) if mark_id else None
    found = _judge_average_place(session, job, setup, coordinate, mark)
    if mark is None:
        return found
    earlier = [
        Earlier(f"{BY_SOURCE[row.source].title.lower() if row.source in BY_SOURCE else row.source}", when(job, row.created_s), (row.x_m, row.y_m, row.z_m), is_autonomous(row))
        for occupation, row in _coordinates_of_mark(session, job.id, mark_id)
        if row.id == base_coordinate_of(session, occupation.id).id
    ]  # fmt: skip
    return found + judge_return(mark.name, earlier, coordinate.xyz_m, coordinate.autonomous, job.length_unit)


def _judge_average_place(
    session: Session, job: JobNow, setup: SetUpNow, coordinate: Proposed, mark: MarkNow | None
) -> list[Finding]:
    row = _average_of(session, setup, "base")
    if row is None:
        return []
    known = None if coordinate.autonomous else coordinate.xyz_m
    if known is None and mark is not None and mark.ellipsoidal_height_m is not None and not _lies_nowhere(job):
        known = mark_ecef_m(job, mark)
    name = mark.name if mark else setup.settled.point_name
    others = other_marks(session, job, mark.id if mark else None)
    return judge_average_place(name, known, others, (row.x_m, row.y_m, row.z_m), job.length_unit)


# --- the sources side by side, and the mark checked first ---


def sources_view(session: Session, job: JobNow, setup: SetUpNow | None) -> dict[str, Any]:
    """Return the schools with what each gives, what was averaged so far, and the shots that can be used."""
    mark_id = setup.settled.mark_id if setup else None
    averages = {purpose: _stored_view(session, job, setup, purpose) if setup else None for purpose in ("base", "mark")}
    return {
        "schools": [asdict(school) for school in SCHOOLS],
        "memory": memory_view(session, job, mark_id),
        "shots": _shots_view(session, job, mark_id),
        "average_base": averages["base"],
        "average_mark": averages["mark"],
    }


def _stored_view(session: Session, job: JobNow, setup: SetUpNow, purpose: str) -> dict[str, Any] | None:
    row = _average_of(session, setup, purpose)
    if row is None:
        return None
    view = average_view(stored_average(session, row.id), job.length_unit)
    view |= {"id": row.id, "origin": row.origin, "created_s": row.created_s, "check": None}
    if purpose == "mark" and row.mark_id is not None:
        view["check"] = _mark_check(session, job, row)
    return view


def _mark_check(session: Session, job: JobNow, row: PositionAverageRow) -> dict[str, Any] | None:
    """Return observed − known of a rover's average over a mark of the list."""
    mark = head_of(session, job, row.mark_id or "")
    east, north, height = (float(value) for value in job.frame.grid_from_ecef(average_mark_m(session, row)))
    known = mark.ellipsoidal_height_m
    difference = Difference(east - mark.east_m, north - mark.north_m, None if known is None else height - known)
    tolerance = TOLERANCES["control"]
    found = judge_mark_check(mark.name, difference, tolerance, row.lowest_status, row.span_s, job.length_unit)
    return {
        "mark_name": mark.name, "east_m": difference.east_m, "north_m": difference.north_m, "up_m": difference.up_m,
        "agrees": all(within(difference, tolerance)) and row.lowest_status == Status.FIXED, "finding": found.as_dict(),
    }  # fmt: skip


def _shots_view(session: Session, job: JobNow, mark_id: str | None) -> list[dict[str, Any]]:
    if mark_id is None:
        return []
    shots = session.scalars(
        select(Shot)
        .where(Shot.job_id == job.id, Shot.mark_id.in_(line_ids(session, mark_id)))
        .order_by(Shot.created_s.desc())
    )
    found = []
    for shot in shots:
        point = points.derive(session, job, shot)
        if not point.not_fixed:
            words = "from a virtual base" if point.virtual else "from this job's base"
            found.append({"id": shot.id, "created_s": shot.created_s, "epochs": point.epochs, "words": words})
    return found


# --- what else a base might be sending ---


def other_marks(session: Session, job: JobNow, mark_id: str | None) -> list[OtherMark]:
    """Return the other marks of a job that have a place, Earth-centred."""
    own = set(line_ids(session, mark_id)) if mark_id else set()
    listed = [
        mark for mark in current_marks(session, job) if mark.id not in own and mark.ellipsoidal_height_m is not None
    ]
    if not listed or _lies_nowhere(job):
        return []
    columns = np.array([(mark.east_m, mark.north_m, mark.ellipsoidal_height_m) for mark in listed], dtype=float)
    xyz = job.frame.ecef_from_grid(columns[:, 0], columns[:, 1], columns[:, 2])
    return [OtherMark(mark.name, three(row)) for mark, row in zip(listed, xyz, strict=True)]


def _lies_nowhere(job: JobNow) -> bool:
    return job.frame.is_local and job.frame.definition.anchor is None


def slips_of_mark(job: JobNow, mark: MarkNow | None, xyz_m: tuple[float, float, float], unix_s: float) -> list[Slip]:
    """Return where slips of the hand would put a base's coordinate."""
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(xyz_m, job.frame.positions_ellipsoid))
    found = [*typing_slips(latitude, longitude, height), *frame_slips(xyz_m, frame_shifts_m(xyz_m, year_of(unix_s)))]
    if not _lies_nowhere(job):
        east, north, grid_height = (float(value) for value in job.frame.grid_from_ecef(xyz_m))
        found += grid_slips(job.frame, east, north, grid_height)
    if mark is not None and mark.elevation_m is not None and abs(mark.elevation_m - height) > 1.0:
        found.append(elevation_slip(latitude, longitude, mark.elevation_m))
    return found
