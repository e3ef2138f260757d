"""Shots recorded from the running session, of checks and of points alike, and stored with everything they rest on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.antenna import TypedReading
from openstake.core.errors import ConflictError
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes
from openstake.core.limits import Tolerance
from openstake.core.shot import ShotKind, kept_epochs
from openstake.core.sigmas import Sigmas
from openstake.core.vector import Scatter, scatter_of_vectors
from openstake.derive import points
from openstake.derive.base import base_of
from openstake.derive.heights import height_row
from openstake.derive.job import JobNow, job_of
from openstake.derive.marks import MarkNow, head_of
from openstake.live.rover import ReceivedEpoch, ShotRequest
from openstake.store.book import writes_by, written_by
from openstake.store.models import Listening, Occupation, Reference, Shot, ShotEpoch, new_id
from openstake.store.records.bases import listening_of, needed_occupation
from openstake.store.records.epochs import epoch_columns
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context


@dataclass(frozen=True)
class Recording:
    """The shot that is being recorded."""

    id: str


@dataclass(frozen=True, kw_only=True)
class ShotPlan:
    """What the crew settled before recording: the kind with its limits, the pole, and for a check the mark and its tolerance.

    `tilt` is what the crew says of tilt compensation; `purpose` is the kind a shot of a series is stored as.
    """

    kind: ShotKind
    height: TypedReading
    fixed_only: bool
    mark: MarkNow | None = None
    tolerance: Tolerance | None = None
    name: str = ""
    tilt: str = ""
    purpose: str = ""

    @property
    def stored_kind(self) -> str:
        return self.purpose or ("check" if self.mark is not None else self.kind.name)


@dataclass(frozen=True, kw_only=True)
class _Begun:
    """A shot from its beginning: where the base stood and was heard, the rover, what was settled, and who pressed."""

    id: str
    started_s: float
    plan: ShotPlan
    occupation: Occupation
    listening: Listening
    by: str = field(default_factory=writes_by)


Told = Callable[[Session, JobNow, Shot, float], None]


def begin(context: Context, job_id: str, plan: ShotPlan, rover_id: str | None, told: Told) -> Recording:
    """Begin to record a shot of a rover; `told` writes what goes with it in the transaction that stores it."""
    with context.database.read() as session:
        occupation = needed_occupation(session, job_id)
        running = context.running.session(occupation.id)
        rover = None if running is None else running.rover(rover_id)
        if running is None or rover is None:
            raise ConflictError("The rover is not listened to, so there is nothing to record. Start the base with its address.")
        listening = session.get_one(Listening, rover.id)
        job = job_of(session, job_id)
        job.needs_datum()
        unit = job.length_unit
    begun = _Begun(id=new_id(), started_s=context.now(job_id), plan=plan, occupation=occupation, listening=listening)
    request = ShotRequest(id=begun.id, kind=plan.kind, fixed_only=plan.fixed_only, unit=unit, by=begun.by)
    if not running.begin_shot(request, lambda epochs: _store(context, job_id, begun, told, epochs), rover.id):
        other = running.rover(rover.id)
        by = f" by {other.shot.request.by}" if other and other.shot and other.shot.request.by else ""
        raise ConflictError(f"A shot is being recorded{by}. Wait for its end, or cancel it.")
    return Recording(begun.id)


def keep(context: Context, job_id: str, plan: ShotPlan, epochs: list[ReceivedEpoch], told: Told) -> None:
    """Store a shot of epochs that are at hand already, measured by the first rover from the base that runs."""
    with context.database.read() as session:
        occupation = needed_occupation(session, job_id)
        begun = _Begun(
            id=new_id(), started_s=epochs[0].host_s, plan=plan, occupation=occupation, listening=listening_of(session, occupation.id)
        )
    _store(context, job_id, begun, told, epochs)


def cancel(context: Context, job_id: str, rover_id: str | None) -> None:
    """Drop the shot in hand, or end the track."""
    with context.database.read() as session:
        occupation = needed_occupation(session, job_id)
    running = context.running.session(occupation.id)
    if running is None or not running.cancel_shot(rover_id):
        raise ConflictError("No shot is being recorded.")


def _store(context: Context, job_id: str, begun: _Begun, told: Told, epochs: list[ReceivedEpoch]) -> None:
    """Store a complete shot with everything it rests on, in one transaction; it touches that shot and its set-up."""
    # A track begins once and stores many shots.
    begun = replace(begun, id=new_id(), started_s=epochs[0].host_s) if begun.plan.kind.is_track else begun

    def work(tx: Transaction) -> None:
        job = tx.job
        told(tx.session, job, _stored(tx.session, job, begun, epochs, tx.now_s), tx.now_s)

    with written_by(begun.by):
        carry_out(context, job_id, work)


def _stored(session: Session, job: JobNow, begun: _Begun, epochs: list[ReceivedEpoch], now: float) -> Shot:
    """Add the rows of a shot: its pole, its base reference, itself with the ids it rests on, its epochs."""
    plan, listening = begun.plan, begun.listening
    pole = height_row(plan.height, job.id, now, "rover")
    session.add(pole)
    session.flush()
    base = base_of(session, begun.occupation)
    reference = _reference_of(session, begun, base.arp_m, epochs, now)
    vectors = points.shot_vectors([row.epoch for row in epochs], reference)
    latitude, longitude, _ = (float(value) for value in geodetic_from_ecef(np.array([reference.x_m, reference.y_m, reference.z_m])))
    used = kept_epochs((vectors - vectors[0]) @ enu_axes(latitude, longitude).T)
    kept = [row for row, keep in zip(epochs, used, strict=True) if keep]
    scatter = scatter_of_vectors(vectors[used], latitude, longitude)
    sigmas, origin = _covariance(kept, scatter)
    mark = head_of(session, job, plan.mark.id) if plan.mark is not None else None
    inputs = points.rests_on(job, mark, base.coordinate, base.height, pole, reference)
    limits = plan.tolerance
    shot = Shot(
        id=begun.id,
        job_id=job.id,
        listening_id=listening.id,
        occupation_id=begun.occupation.id,
        mark_id=plan.mark.id if plan.mark else None,
        kind=plan.stored_kind,
        name=plan.name,
        height_reading_id=pole.id,
        reference_id=reference.id,
        refers_to=listening.refers_to,
        arp_to_apc_m=listening.arp_to_apc_m,
        seconds=plan.kind.seconds,
        fixed_only=plan.fixed_only,
        tilt=plan.tilt,
        initialised_s=_initialised_s(epochs),
        tolerance_horizontal_m=limits.horizontal_m if limits else None,
        tolerance_vertical_m=limits.vertical_m if limits else None,
        covariance_origin=origin,
        sigma_east_m=sigmas and sigmas.east_m,
        sigma_north_m=sigmas and sigmas.north_m,
        sigma_up_m=sigmas and sigmas.up_m,
        covariance_en_m2=sigmas and sigmas.covariance_en_m2,
        effective_n=scatter.effective_n if scatter else None,
        frame=base.coordinate.frame,
        frame_epoch=base.coordinate.frame_epoch,
        rests_on=tuple(inputs),
        started_s=begun.started_s,
        created_s=now,
    )
    session.add(shot)
    session.flush()
    session.add_all(
        ShotEpoch(shot_id=shot.id, n=n, used=bool(keep), **epoch_columns(row.epoch, row.host_s, row.reference_id))
        for n, (row, keep) in enumerate(zip(epochs, used, strict=True))
    )
    session.flush()
    return shot


def _initialised_s(epochs: Sequence[ReceivedEpoch]) -> float | None:
    """Return since when the fix of a shot held; None where that is not known, or where it was lost within the shot."""
    found = {row.initialised_s for row in epochs}
    return found.pop() if len(found) == 1 else None


def _covariance(epochs: list[ReceivedEpoch], scatter: Scatter | None) -> tuple[Sigmas | None, str]:
    """Return a shot's sigmas about true north and where they come from: the receiver's claim, else its scatter.

    The claim is the mean of its epochs' covariances.  It is not divided by the square root of n: errors of one
    shot are alike, and averaging does not remove them.
    """
    claims = [claim for row in epochs if (claim := row.epoch.claim) is not None]
    if claims and len(claims) == len(epochs):
        table = np.array([(claim.east_m**2, claim.north_m**2, claim.up_m**2, claim.covariance_en_m2) for claim in claims])
        east2, north2, up2, both = (float(value) for value in np.mean(table, axis=0))
        return Sigmas(east_m=east2**0.5, north_m=north2**0.5, up_m=up2**0.5, covariance_en_m2=both), "receiver-claim"
    if scatter is not None:
        return Sigmas(
            east_m=scatter.sigma_east_m, north_m=scatter.sigma_north_m, up_m=scatter.sigma_up_m, covariance_en_m2=scatter.covariance_en_m2
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
        listening_id=begun.listening.id,
        origin="declared",
        station_id=begun.occupation.station_id,
        x_m=x,
        y_m=y,
        z_m=z,
        antenna_height_m=None,
        virtual=False,
        heard_s=now,
    )
    session.add(row)
    session.flush()
    return row
