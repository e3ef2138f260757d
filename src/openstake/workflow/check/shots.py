"""Check: an averaged shot on a control mark, and what its difference says."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.budget import Sigmas, added
from openstake.core.constants import CIRCLE_95
from openstake.core.control import (
    TOLERANCES,
    Difference,
    Tolerance,
    expected_at_95,
    in_words,
    within,
)
from openstake.core.errors import ConflictError, InputError
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.judge.check import CheckEvidence, OtherCheck, TypedHeight, judge_check
from openstake.core.vector import Scatter, scatter_of_vectors
from openstake.live.session import ReceivedEpoch, ShotWish
from openstake.store.book import write_entry
from openstake.store.models import (
    BaseCoordinate,
    HeightReading,
    Listening,
    Occupation,
    Reference,
    Shot,
    ShotEpoch,
    new_id,
)
from openstake.workflow.base.coordinate import is_autonomous, meant_arp_m
from openstake.workflow.context import (
    Context,
    JobNow,
    base_coordinate_of,
    job_of,
    listening_of,
    needed_occupation,
)
from openstake.workflow.now import points
from openstake.workflow.now.epochs import epoch_columns
from openstake.workflow.now.heights import (
    ROVER_HEIGHT_SIGMA_M,
    BaseHeight,
    Height,
    height_row,
    in_a_sentence,
    read_height,
)
from openstake.workflow.now.marks import MarkNow, head_of, mark_of
from openstake.workflow.now.points import Point

LONGEST_SHOT_S = 3600.0


@dataclass(frozen=True)
class CheckWish:
    """What the crew settled before recording."""

    mark_id: str
    seconds: float
    reading: str
    feature: str
    fixed_only: bool
    tolerance: str = "control"


def record(context: Context, job_id: str, wish: CheckWish) -> dict[str, Any]:
    """Begin to record a check; it is stored when its seconds are full.  Returns its id."""
    if not 1.0 <= wish.seconds <= LONGEST_SHOT_S:
        raise InputError(f"A shot lasts 1 to {LONGEST_SHOT_S:.0f} s; {wish.seconds:g} s was asked.", field="seconds")
    if wish.tolerance not in TOLERANCES:
        raise InputError(f"'{wish.tolerance}' is no set of limits; it is {' or '.join(TOLERANCES)}.", field="tolerance")
    with context.database.read() as session:
        job = job_of(session, job_id)
        mark = mark_of(session, job, wish.mark_id)
        height = read_height(session, job, wish.reading, wish.feature, "rover")
        occupation = needed_occupation(session, job_id)
        listening = listening_of(session, occupation.id)
    running = context.sessions.get(occupation.id)
    if running is None or running.moment().rover_feed is None:
        raise ConflictError(
            "The rover is not listened to, so there is nothing to record. Start the base with its address."
        )
    shot_id, started_s = new_id(), context.now()
    begun = running.begin_shot(
        ShotWish(shot_id, wish.seconds, wish.fixed_only),
        lambda epochs: _store(context, job_id, occupation, listening, mark, height, wish, shot_id, started_s, epochs),
    )
    if not begun:
        raise ConflictError("A shot is being recorded. Wait for its end, or cancel it.")
    return {"id": shot_id}


def cancel(context: Context, job_id: str) -> None:
    """Drop the shot in hand."""
    with context.database.read() as session:
        occupation = needed_occupation(session, job_id)
    running = context.sessions.get(occupation.id)
    if running is None or not running.cancel_shot():
        raise ConflictError("No shot is being recorded.")


def _store(
    context: Context, job_id: str, occupation: Occupation, listening: Listening, mark: MarkNow, height: Height,
    wish: CheckWish, shot_id: str, started_s: float, epochs: list[ReceivedEpoch],
) -> None:  # fmt: skip
    """Store a complete shot with everything it rests on, in one transaction."""

    def work(session: Session) -> None:
        now = context.now()
        reading = height_row(height, job_id, now, "rover")
        session.add(reading)
        session.flush()
        reference = _reference_of(session, occupation, listening, epochs, now)
        coordinate = base_coordinate_of(session, occupation.id)
        vectors = points.shot_vectors([row.epoch for row in epochs], reference)
        latitude, longitude, _ = geodetic_from_ecef(np.array([reference.x_m, reference.y_m, reference.z_m]))
        scatter = scatter_of_vectors(vectors, float(latitude), float(longitude))
        sigmas, origin = _covariance(epochs, scatter)
        shot = Shot(
            id=shot_id, job_id=job_id, listening_id=listening.id, occupation_id=occupation.id, mark_id=mark.id,
            name=mark.name, height_reading_id=reading.id, reference_id=reference.id, refers_to=listening.refers_to,
            arp_to_apc_m=listening.arp_to_apc_m, seconds=wish.seconds, fixed_only=wish.fixed_only,
            tolerance_horizontal_m=TOLERANCES[wish.tolerance].horizontal_m,
            tolerance_vertical_m=TOLERANCES[wish.tolerance].vertical_m,
            covariance_origin=origin, sigma_east_m=sigmas[0], sigma_north_m=sigmas[1], sigma_up_m=sigmas[2],
            effective_n=scatter.effective_n if scatter else None, frame=coordinate.frame,
            frame_epoch=coordinate.frame_epoch, started_s=started_s, created_s=now,
        )  # fmt: skip
        session.add(shot)
        session.flush()
        session.add_all(ShotEpoch(shot_id=shot_id, n=n, **epoch_columns(row)) for n, row in enumerate(epochs))
        session.flush()
        check = next(view for view in _views(session, job_of(session, job_id)) if view["id"] == shot_id)
        write_entry(
            session, now, "check",
            f"Check on {mark.name}, {len(epochs)} epochs: {check['words']}; {check['verdict_word']}.", job_id,
            shot=shot_id, mark=mark.id, rover_height=reading.id, base_height=check["base_height_reading_ids"],
            base_coordinate=check["base_coordinate_id"], reference=reference.id, east_m=check["east_m"],
            north_m=check["north_m"], up_m=check["up_m"], findings=[item["code"] for item in check["findings"]],
        )  # fmt: skip

    context.database.write(work)
    context.changed(job_id)


def _covariance(
    epochs: list[ReceivedEpoch], scatter: Scatter | None
) -> tuple[tuple[float | None, float | None, float | None], str]:
    """Return a shot's sigmas in east, north, up and where they come from: the receiver's claim, else its scatter.

    The claim is the root mean square of its epochs' sigmas.  It is not divided by the square root of n: errors of one
    shot are alike, and averaging does not remove them.
    """
    rows = [(row.epoch.sigma_east_m, row.epoch.sigma_north_m, row.epoch.sigma_up_m) for row in epochs]
    if not any(None in row for row in rows):
        east, north, up = np.sqrt(np.mean(np.array(rows, dtype=float) ** 2, axis=0))
        return (float(east), float(north), float(up)), "receiver-claim"
    if scatter is not None:
        return (scatter.sigma_east_m, scatter.sigma_north_m, scatter.sigma_up_m), "scatter"
    return (None, None, None), "none"


def _reference_of(
    session: Session, occupation: Occupation, listening: Listening, epochs: list[ReceivedEpoch], now: float
) -> Reference:
    """Return the base reference of a shot: the one decoded, or the meant ARP as *declared* where no base is heard."""
    reference_id = epochs[-1].reference_id
    if reference_id is not None:
        return session.get_one(Reference, reference_id)
    x, y, z = meant_arp_m(session, occupation)
    row = Reference(
        listening_id=listening.id, origin="declared", station_id=occupation.station_id, x_m=x, y_m=y, z_m=z,
        antenna_height_m=None, virtual=False, heard_s=now,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def _difference(point: Point, mark: MarkNow) -> Difference:
    known = mark.ellipsoidal_height_m
    return Difference(
        point.east_m - mark.east_m, point.north_m - mark.north_m, None if known is None else point.height_m - known
    )


def _typed(reading: HeightReading) -> TypedHeight:
    return TypedHeight(reading.text, in_a_sentence(reading.feature), reading.method, reading.arp_height_m)


def _typed_base(height: BaseHeight) -> TypedHeight:
    """Return a base's height as it was typed: of several readings all, measured as the first."""
    first = height.rows[0]
    text = "' and '".join(row.text for row in height.rows)
    return TypedHeight(text, in_a_sentence(first.feature), first.method, height.arp_height_m)


def _total_sigmas(shot: Shot, mark: MarkNow, base_mark: MarkNow, autonomous: bool, height: BaseHeight) -> Sigmas:
    """Add up the chain: base mark, base height, receiver's claim, rover height, the mark checked."""
    base = (
        Sigmas(2.0, 2.0, 4.0)
        if autonomous
        else Sigmas(base_mark.sigma_horizontal_m, base_mark.sigma_horizontal_m, base_mark.sigma_vertical_m)
    )
    return added(
        base,
        Sigmas(0.0, 0.0, height.sigma_m),
        Sigmas(shot.sigma_east_m or 0.0, shot.sigma_north_m or 0.0, shot.sigma_up_m or 0.0),
        Sigmas(0.0, 0.0, ROVER_HEIGHT_SIGMA_M),
        Sigmas(mark.sigma_horizontal_m, mark.sigma_horizontal_m, mark.sigma_vertical_m),
    )


@dataclass(frozen=True)
class _Measured:
    """A shot with what is derived from it now."""

    shot: Shot
    mark: MarkNow
    point: Point
    difference: Difference
    tolerance: Tolerance


def _measured(session: Session, job: JobNow, shot: Shot) -> _Measured:
    mark = head_of(session, job, shot.mark_id)
    point = points.derive(session, job, shot)
    tolerance = Tolerance(shot.tolerance_horizontal_m, shot.tolerance_vertical_m)
    return _Measured(shot, mark, point, _difference(point, mark), tolerance)


def _view(session: Session, job: JobNow, item: _Measured, all_shots: list[_Measured]) -> dict[str, Any]:
    """Return a check as it stands now, with its findings."""
    shot, mark, point, difference, tolerance = item.shot, item.mark, item.point, item.difference, item.tolerance
    occupation = session.get_one(Occupation, shot.occupation_id)
    base_mark = head_of(session, job, occupation.mark_id)
    coordinate = session.get_one(BaseCoordinate, point.base_coordinate_id)
    total = _total_sigmas(shot, mark, base_mark, is_autonomous(coordinate), point.base_height)
    expected = expected_at_95(total)
    findings = judge_check(
        CheckEvidence(
            mark.name, base_mark.name, difference, tolerance, expected, _typed_base(point.base_height),
            _typed(point.rover_height), not is_autonomous(coordinate), shot.seconds, point.not_fixed, point.epochs,
            point.virtual, _others(item, all_shots), job.length_unit,
        )
    )  # fmt: skip
    horizontal_agrees, vertical_agrees = within(difference, tolerance)
    agrees = horizontal_agrees and vertical_agrees and not point.not_fixed
    stale = max(point.inputs_changed_s, mark.created_s, job.frame_since_s) > shot.created_s
    return {
        "id": shot.id, "mark_id": mark.id, "mark_name": mark.name, "created_s": shot.created_s,
        "occupation_id": shot.occupation_id, "seconds": shot.seconds, "epochs": point.epochs,
        "effective_n": shot.effective_n, "east_m": difference.east_m, "north_m": difference.north_m,
        "up_m": difference.up_m, "horizontal_m": difference.horizontal_m, "words": in_words(difference, job.length_unit),
        "tolerance_horizontal_m": tolerance.horizontal_m, "tolerance_vertical_m": tolerance.vertical_m,
        "expected_horizontal_95_m": expected.horizontal_95_m, "expected_vertical_95_m": expected.vertical_95_m,
        "expected_semi_axis_east_m": CIRCLE_95 * total.east_m, "expected_semi_axis_north_m": CIRCLE_95 * total.north_m,
        "covariance_origin": shot.covariance_origin, "agrees": agrees, "horizontal_agrees": horizontal_agrees,
        "vertical_agrees": vertical_agrees, "stale": stale,
        "verdict_word": "within tolerance" if agrees else "outside tolerance",
        "point_east_m": point.east_m, "point_north_m": point.north_m, "point_height_m": point.height_m,
        "base_height_reading_ids": point.base_height.ids, "base_coordinate_id": point.base_coordinate_id,
        "findings": [found.as_dict() for found in findings],
    }  # fmt: skip


def _others(item: _Measured, all_shots: list[_Measured]) -> list[OtherCheck]:
    """Return the latest check of every other mark from the same set-up; shots come oldest first."""
    latest = {
        other.mark.id: other
        for other in all_shots
        if other.shot.occupation_id == item.shot.occupation_id and other.mark.id != item.mark.id
    }
    return [
        OtherCheck(other.mark.name, other.difference, all(within(other.difference, other.tolerance)))
        for other in latest.values()
    ]


def _views(session: Session, job: JobNow) -> list[dict[str, Any]]:
    """Return all checks of a job as they stand now, oldest first; every shot is derived once."""
    shots = session.scalars(select(Shot).where(Shot.job_id == job.id).order_by(Shot.created_s)).all()
    measured = [_measured(session, job, shot) for shot in shots]
    return [_view(session, job, item, measured) for item in measured]


def list_checks(context: Context, job_id: str) -> list[dict[str, Any]]:
    """Return all checks of a job as they stand now, newest first."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        return _views(session, job)[::-1]
