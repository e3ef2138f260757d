"""Go to a mark: from where the pole is now, big enough to walk by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.evidence import RefersTo, Status
from openstake.core.guidance import Guidance, guidance_to, side_of
from openstake.core.limits import WALKS_FROM_MPS, ShortText
from openstake.core.sigmas import horizontal_95_m
from openstake.core.sky.sun import sun_azimuth_deg
from openstake.core.vector import lowering_to_mark_m, raised_along_normal, rover_mark_ecef, vectors_from_positions
from openstake.derive.base import BaseNow, bases_of
from openstake.derive.fit import fit_now, out_of_fit_grid
from openstake.derive.heights import read_height
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.derive.marks import mark_of
from openstake.live.session import Moment
from openstake.store.models import Listening
from openstake.store.records.bases import needed_occupation
from openstake.workflow.context import Context


@dataclass(frozen=True, kw_only=True)
class GoToQuery:
    """To which mark of the control list, or of the local fit by its line; with which pole, by which rover."""

    mark_id: ShortText = ""
    fit_line_id: ShortText = ""
    reading: ShortText = ""
    feature: ShortText = ""
    rover_id: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class GoTo:
    """The way from the pole to a mark; `way` is None while there is no position, and `words` says so.

    `good_to_m`: the receiver's claim, the circle of 95 %.
    """

    mark_name: str
    status: Status
    good_to_m: float | None
    way: Guidance | None
    side: str
    words: str


def go_to(context: Context, job_id: str, query: GoToQuery) -> GoTo:
    """Return the way from where the pole is now to a mark."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        job.needs_datum()
        mark = _local_target(session, job, query.fit_line_id) if query.fit_line_id else _target(session, job, query)
        pole_m = _pole_m(session, job, query)
        occupation = needed_occupation(session, job_id)
        running = context.running.session(occupation.id)
        if running is None:
            raise ConflictError("Nothing is listened to: start the base with the rover's address.")
        moment = running.moment(query.rover_id or None)
        listening = session.get_one(Listening, moment.rover_id) if moment.rover_id else None
        base = bases_of(session, job_id, {occupation.id})[occupation.id]
    epoch = moment.epoch.epoch if moment.epoch and moment.rover_is_heard else None
    if epoch is None or listening is None or epoch.latitude_deg is None or epoch.height_m is None:
        return GoTo(mark_name=mark.name, status=Status.NONE, good_to_m=None, way=None, side="", words="Waiting for the rover's position.")
    place = job.frame.grid_from_ecef(_mark_under_pole(moment, base, listening, pole_m))
    way = _way(context, job, mark, [float(value) for value in place], moment)
    claim = epoch.claim
    good = None if claim is None else horizontal_95_m(claim.east_m, claim.north_m, claim.covariance_en_m2)
    words = "" if epoch.status is Status.FIXED else f"{_status_words(epoch.status)}: the last decimetres wait for a fix."
    return GoTo(mark_name=mark.name, status=epoch.status, good_to_m=good, way=way, side=side_of(way.azimuth_deg), words=words)


def _status_words(status: Status) -> str:
    return "No position" if status is Status.NONE else f"The rover is {status.value}"


@dataclass(frozen=True, kw_only=True)
class _Target:
    """What is gone to: grid metres and ellipsoidal height, None where it cannot be compared."""

    name: str
    east_m: float
    north_m: float
    ellipsoidal_height_m: float | None


def _target(session: Session, job: JobNow, query: GoToQuery) -> _Target:
    mark = mark_of(session, job, query.mark_id)
    return _Target(name=mark.name, east_m=mark.east_m, north_m=mark.north_m, ellipsoidal_height_m=mark.ellipsoidal_height_m)


def _local_target(session: Session, job: JobNow, line_id: str) -> _Target:
    """Return where a mark with local coordinates lies by the local fit as it is shown; where it is measured, there."""
    fit = fit_now(session, job)
    mark = next((mark for mark in fit.marks if mark.line_id == line_id), None)
    if mark is None:
        raise NotFoundError("This mark is not in the local fit.", field="fit_line_id")
    if mark.grid_m is not None:
        east_m, north_m, height_m = mark.grid_m
        return _Target(name=mark.name, east_m=east_m, north_m=north_m, ellipsoidal_height_m=height_m)
    if fit.parameters is None:
        raise ConflictError(f"There is no local fit yet to find {mark.name} by: measure the marks that you can see first.")
    local = np.array([[mark.row.local_e_m, mark.row.local_n_m]])
    east, north = out_of_fit_grid(job, fit.choice.site, fit.parameters.to_grid(local))[0]
    return _Target(name=mark.name, east_m=float(east), north_m=float(north), ellipsoidal_height_m=None)


def _pole_m(session: Session, job: JobNow, query: GoToQuery) -> float:
    if not query.reading:
        return 0.0
    return read_height(kit_of(session, job.id), job.length_unit, query.reading, query.feature or "rod", "rover").arp_height_m


def _mark_under_pole(moment: Moment, base: BaseNow, listening: Listening, pole_m: float) -> np.ndarray:
    """Return the point under the pole, Earth-centred, as a shot there would have it."""
    assert moment.epoch is not None, "there is a position"
    epoch = moment.epoch.epoch
    above = lowering_to_mark_m(RefersTo(listening.refers_to), pole_m, listening.arp_to_apc_m)
    station = moment.reference
    reference = np.array(base.arp_m if station is None else station.xyz_m)
    vector = vectors_from_positions(epoch.latitude_deg or 0.0, epoch.longitude_deg or 0.0, epoch.height_m or 0.0, reference)
    if station is not None and station.virtual:
        return raised_along_normal(reference + vector, -above)
    return rover_mark_ecef(np.array(base.mark_m), base.height.arp_height_m, vector, above)


def _way(context: Context, job: JobNow, mark: _Target, place: list[float], moment: Moment) -> Guidance:
    assert moment.epoch is not None, "there is a position"
    epoch = moment.epoch.epoch
    east, north, height = place
    latitude, longitude = epoch.latitude_deg or 0.0, epoch.longitude_deg or 0.0
    try:
        turn = job.frame.convergence_deg(latitude, longitude)
    except InputError:
        turn = 0.0  # an assumed system without a place: its north is what it is
    sun = sun_azimuth_deg(context.now(job.id), latitude, longitude)
    walks = epoch.speed_mps is not None and epoch.speed_mps >= WALKS_FROM_MPS and epoch.course_deg is not None
    known = mark.ellipsoidal_height_m
    return guidance_to(
        mark.east_m - east,
        mark.north_m - north,
        None if known is None else known - height,
        (epoch.course_deg or 0.0) - turn if walks else None,
        None if sun is None else sun - turn,
        job.length_unit,
        epoch.status is Status.FIXED,
    )
