"""Shots on a mark: recorded from the running session, and stored with everything they rest on."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Literal

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.antenna import TypedReading
from openstake.core.budget import Sigmas
from openstake.core.errors import ConflictError, InputError
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.limits import LONGEST_SHOT_S, TOLERANCES, Seconds, ShortText
from openstake.core.units import counted
from openstake.core.vector import Scatter, scatter_of_vectors
from openstake.live.session import ReceivedEpoch, ShotWish
from openstake.store.book import write_entry
from openstake.store.models import Listening, Occupation, Reference, Shot, ShotEpoch, new_id
from openstake.workflow.check.checks import checked
from openstake.workflow.context import Context
from openstake.workflow.now import points
from openstake.workflow.now.base import base_of, listening_of, needed_occupation
from openstake.workflow.now.epochs import epoch_columns
from openstake.workflow.now.heights import height_row, read_height
from openstake.workflow.now.job import JobNow, job_of
from openstake.workflow.now.kit import kit_of
from openstake.workflow.now.marks import MarkNow, head_of, mark_of


@dataclass(frozen=True)
class CheckWish:
    """What the crew settled before recording."""

    mark_id: ShortText
    seconds: Seconds
    reading: ShortText
    feature: ShortText
    fixed_only: bool = True
    tolerance: Literal["control", "topography"] = "control"


@dataclass(frozen=True)
class Recording:
    """The shot that is being recorded."""

    id: str


@dataclass(frozen=True)
class _Begun:
    """A shot from its beginning: where the base stood and was heard, the mark and the pole as they were settled."""

    id: str
    started_s: float
    wish: CheckWish
    occupation: Occupation
    listening: Listening
    mark: MarkNow
    height: TypedReading


def record(context: Context, job_id: str, wish: CheckWish) -> Recording:
    """Begin to record a check; it is stored when its seconds are full."""
    if not 1.0 <= wish.seconds <= LONGEST_SHOT_S:
        raise InputError(f"A shot lasts 1 to {LONGEST_SHOT_S:.0f} s; {wish.seconds:g} s was asked.", field="seconds")
    with context.database.read() as session:
        job = job_of(session, job_id)
        mark = mark_of(session, job, wish.mark_id)
        height = read_height(kit_of(session, job_id), job.length_unit, wish.reading, wish.feature, "rover")
        occupation = needed_occupation(session, job_id)
        listening = listening_of(session, occupation.id)
    running = context.running.session(occupation.id)
    if running is None or running.moment().rover_feed is None:
        raise ConflictError(
            "The rover is not listened to, so there is nothing to record. Start the base with its address."
        )
    begun = _Begun(new_id(), context.now(), wish, occupation, listening, mark, height)
    if not running.begin_shot(
        ShotWish(begun.id, wish.seconds, wish.fixed_only), lambda epochs: _store(context, job_id, begun, epochs)
    ):
        raise ConflictError("A shot is being recorded. Wait for its end, or cancel it.")
    return Recording(begun.id)


def cancel(context: Context, job_id: str) -> None:
    """Drop the shot in hand."""
    with context.database.read() as session:
        occupation = needed_occupation(session, job_id)
    running = context.running.session(occupation.id)
    if running is None or not running.cancel_shot():
        raise ConflictError("No shot is being recorded.")


def _store(context: Context, job_id: str, begun: _Begun, epochs: list[ReceivedEpoch]) -> None:
    """Store a complete shot with everything it rests on, in one transaction; it touches that shot and its set-up."""

    def work(session: Session) -> None:
        job, now = job_of(session, job_id), context.now()
        shot = _stored(session, job, begun, epochs, now)
        item = checked(session, job, [shot])[0]
        check = item.check
        write_entry(
            session, now, "check",
            f"Check on {check.mark_name}, {counted(len(epochs), 'epoch')}: {check.words}; {check.verdict_word}.", job_id,
            shot=shot.id, mark=begun.mark.id, rover_height=shot.height_reading_id,
            height_readings=list(check.base_height_reading_ids), base_coordinate=check.base_coordinate_id,
            reference=shot.reference_id, east_m=check.east_m, north_m=check.north_m, up_m=check.up_m,
            findings=[found.code for found in check.findings],
        )  # fmt: skip

    context.database.write(work)
    context.changed(job_id)


def _stored(session: Session, job: JobNow, begun: _Begun, epochs: list[ReceivedEpoch], now: float) -> Shot:
    """Add the rows of a shot: its pole, its base reference, itself with the ids it rests on, its epochs."""
    pole = height_row(begun.height, job.id, now, "rover")
    session.add(pole)
    session.flush()
    base = base_of(session, begun.occupation)
    reference = _reference_of(session, begun, base.arp_m, epochs, now)
    vectors = points.shot_vectors([row.epoch for row in epochs], reference)
    latitude, longitude, _ = geodetic_from_ecef(np.array([reference.x_m, reference.y_m, reference.z_m]))
    scatter = scatter_of_vectors(vectors, float(latitude), float(longitude))
    sigmas, origin = _covariance(epochs, scatter)
    limits, listening = TOLERANCES[begun.wish.tolerance], begun.listening
    mark = head_of(session, job, begun.mark.id)
    inputs = points.rests_on(job, mark, base.coordinate, base.height, pole, reference)
    shot = Shot(
        id=begun.id, job_id=job.id, listening_id=listening.id, occupation_id=begun.occupation.id, mark_id=begun.mark.id,
        name=begun.mark.name, height_reading_id=pole.id, reference_id=reference.id, refers_to=listening.refers_to,
        arp_to_apc_m=listening.arp_to_apc_m, seconds=begun.wish.seconds, fixed_only=begun.wish.fixed_only,
        tolerance_horizontal_m=limits.horizontal_m, tolerance_vertical_m=limits.vertical_m, covariance_origin=origin,
        sigma_east_m=sigmas and sigmas.east_m, sigma_north_m=sigmas and sigmas.north_m, sigma_up_m=sigmas and sigmas.up_m,
        covariance_en_m2=sigmas and sigmas.covariance_en_m2,
        effective_n=scatter.effective_n if scatter else None, frame=base.coordinate.frame,
        frame_epoch=base.coordinate.frame_epoch, rests_on=json.dumps(inputs), started_s=begun.started_s, created_s=now,
    )  # fmt: skip
    session.add(shot)
    session.flush()
    session.add_all(ShotEpoch(shot_id=shot.id, n=n, **epoch_columns(row)) for n, row in enumerate(epochs))
    session.flush()
    return shot


def _covariance(epochs: list[ReceivedEpoch], scatter: Scatter | None) -> tuple[Sigmas | None, str]:
    """Return a shot's sigmas about true north and where they come from: the receiver's claim, else its scatter.

    The claim is the mean of its epochs' covariances.  It is not divided by the square root of n: errors of one
    shot are alike, and averaging does not remove them.
    """
    claims = [claim for row in epochs if (claim := row.epoch.claim) is not None]
    if claims and len(claims) == len(epochs):
        table = np.array(
            [(claim.east_m**2, claim.north_m**2, claim.up_m**2, claim.covariance_en_m2) for claim in claims]
        )
        east2, north2, up2, both = (float(value) for value in np.mean(table, axis=0))
        return Sigmas(east2**0.5, north2**0.5, up2**0.5, both), "receiver-claim"
    if scatter is not None:
        return Sigmas(
            scatter.sigma_east_m, scatter.sigma_north_m, scatter.sigma_up_m, scatter.covariance_en_m2
        ), "scatter"
    return None, "none"


def _reference_of(
    session: Session, begun: _Begun, meant_arp_m: tuple[float, float, float], epochs: list[ReceivedEpoch], now: float
) -> Reference:
    """Return the base reference of a shot: the one decoded, or the meant ARP as *declared* where no base is heard."""
    reference_id = epochs[-1].reference_id
    if reference_id is not None:
        return session.get_one(Reference, reference_id)
    x, y, z = meant_arp_m
    row = Reference(
        listening_id=begun.listening.id, origin="declared", station_id=begun.occupation.station_id, x_m=x, y_m=y, z_m=z,
        antenna_height_m=None, virtual=False, heard_s=now,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row
