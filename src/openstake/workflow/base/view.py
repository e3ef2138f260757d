"""The Base page: the set-up in hand or the running base, meant against on the air, what has run before."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.base_sources import BY_SOURCE
from openstake.core.errors import InputError
from openstake.core.evidence import StationReference
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic, geodetic_from_ecef
from openstake.core.judge.base import MeantBase, judge_base, on_air_difference
from openstake.core.judge.broadcast import judge_messages, judge_satellites
from openstake.core.judge.coordinate import judge_level
from openstake.core.judge.finding import Finding, Severity
from openstake.core.judge.height import KnownAntenna
from openstake.core.judge.receiver import judge_receiver
from openstake.core.judge.rover import judge_rover
from openstake.core.kit.profile import Profile
from openstake.core.occupation import base_error_effect, meant_arp_ecef
from openstake.live.session import Moment
from openstake.store.models import BaseCoordinate, Listening, Mark, Occupation, OccupationEnd, Shot, ShotEpoch
from openstake.workflow.base import coordinate as base_coordinate
from openstake.workflow.base import log as base_log
from openstake.workflow.base import setup as base_setup
from openstake.workflow.base import solution as base_solution
from openstake.workflow.base.coordinate import Proposed, is_autonomous, judge_proposed, proposed
from openstake.workflow.base.setup import SetUpNow, setup_in_hand
from openstake.workflow.context import Context, JobNow, base_coordinate_of, job_of, listening_of, open_occupation
from openstake.workflow.kit.profiles import chosen_profiles
from openstake.workflow.now.epochs import epoch_of_columns
from openstake.workflow.now.heights import (
    BaseHeight,
    base_height,
    base_height_of,
    known_antenna,
    readings_view,
    rover_refers_to,
)
from openstake.workflow.now.marks import MarkNow, current_places, head_of


def view(context: Context, job_id: str) -> dict[str, Any]:
    """Return the base as the page shows it: the set-up in hand or the occupation, meant against on the air, findings."""
    practice = context.practice
    with context.database.read() as session:
        job = job_of(session, job_id)
        occupation = open_occupation(session, job_id)
        setup = setup_in_hand(session, job_id) if occupation is None else None
        average = context.averages.get(job_id)
        practised, antenna = practice if job.practice else None, known_antenna(session, job)
        setup_id = occupation.setup_id if occupation else setup.id if setup else None
        result: dict[str, Any] = {
            "occupation": None, "on_air": None, "findings": [], "messages": [], "effect": None,
            "average": average.view() if average else None,
            "questions": base_setup.questions_view(session, job_id, setup_id),
            "cautions": base_setup.cautions(),
            "photos": base_setup.photos_view(session, setup_id),
            "given_up": base_setup.can_be_taken_up(session, job_id),
            "heights": readings_view(session, job, antenna, occupation, setup_id) if occupation or setup_id else _NO_HEIGHTS,
            "setup": None if setup is None else _setup_view(session, job, antenna, setup),
            "sources": base_coordinate.sources_view(session, job, setup),
            "earlier": _earlier_view(context, session, job, antenna),
            "suggested": {
                "base_url": practised.base_stream_url if practised else None,
                "rover_url": practised.rover_url if practised else None,
                "receiver_url": practised.base_receiver_url if practised else None,
                "station_id": base_setup.USUAL_STATION_ID,
                "refers_to": rover_refers_to(session, job_id),
            },
        }  # fmt: skip
        if occupation is None:
            return result
        coordinate = base_coordinate_of(session, occupation.id)
        height = base_height_of(session, occupation.id)
        mark = head_of(session, job, occupation.mark_id)
        meant = _meant(session, job, antenna, occupation, coordinate, height, mark, context.now())
        listening = listening_of(session, occupation.id)
        profile = next((item for item in chosen_profiles(session, job_id) if item.role == "base"), None)
        result["occupation"] = _occupation_view(session, job, occupation, mark, height, coordinate, listening, meant)
        result["effect"] = _effect_view(session, job, coordinate)
    running = context.sessions.get(occupation.id)
    heard = running.moment() if running else None
    result["on_air"] = _on_air_view(meant, heard.reference if heard else None)
    result["messages"] = _messages_view(profile, heard)
    findings = judge_base(meant, heard.reference if heard else None)
    if heard is not None:
        findings += _judge_live(meant, heard, profile, listening, occupation)
    ranked = sorted(findings, key=lambda item: list(Severity).index(item.severity))
    result["findings"] = [item.as_dict() for item in ranked]
    return result


_NO_HEIGHTS: dict[str, Any] = {
    "readings": [],
    "opening": None,
    "closing": None,
    "limit_m": None,
    "findings": [],
    "closing_findings": [],
}


def _setup_view(session: Session, job: JobNow, antenna: KnownAntenna, setup: SetUpNow) -> dict[str, Any]:
    """Return the set-up in hand: what is settled, what is missing, and what is known before the start."""
    settled = setup.settled
    height = base_height(session, None, setup.id)
    missing, coordinate = [], None
    if settled.mark_id is None and not settled.point_name:
        missing.append("Pick the mark under the antenna.")
    if height is None:
        missing.append("Type the height reading.")
    if not settled.source:
        missing.append("Choose where the coordinate comes from.")
    else:
        try:
            coordinate = proposed(session, job, setup, height.arp_height_m if height else 0.0)
        except InputError as error:
            missing.append(error.sentence)
    arp = None
    if coordinate is not None and height is not None:
        latitude, longitude, arp_height = (
            float(value)
            for value in geodetic_from_ecef(
                meant_arp_ecef(coordinate.xyz_m, height.arp_height_m), job.frame.positions_ellipsoid
            )
        )
        arp = {"latitude_deg": latitude, "longitude_deg": longitude, "height_m": arp_height}
    mark = head_of(session, job, settled.mark_id) if settled.mark_id else None
    return asdict(settled) | {
        "id": setup.id, "started_s": setup.started_s, "mark_name": mark.name if mark else settled.point_name,
        "stops": [item["sentence"] for item in stops_before_start(session, job, setup, coordinate, antenna)],
        "missing": missing, "arp": arp,
        "coordinate": None if coordinate is None else {
            "detail": coordinate.detail, "source": coordinate.source, "frame": coordinate.frame, "frame_epoch": coordinate.frame_epoch,
            "accuracy_horizontal_95_m": coordinate.accuracy_horizontal_95_m,
            "accuracy_vertical_95_m": coordinate.accuracy_vertical_95_m,
        },
        "findings": [item.as_dict() for item in start_findings(session, job, setup, coordinate)],
    }  # fmt: skip


def _meant(
    session: Session, job: JobNow, antenna: KnownAntenna, occupation: Occupation, coordinate: BaseCoordinate, height: BaseHeight,
    mark: MarkNow, now: float,
) -> MeantBase:  # fmt: skip
    mark_m = (coordinate.x_m, coordinate.y_m, coordinate.z_m)
    x, y, z = (float(value) for value in meant_arp_ecef(mark_m, height.arp_height_m))
    return MeantBase(
        (x, y, z), height.arp_height_m, occupation.station_id, is_autonomous(coordinate),
        antenna.phase_centre_up_m, base_coordinate.other_marks(session, job, occupation.mark_id),
        base_coordinate.slips_of_mark(job, mark, mark_m, now), job.length_unit,
    )  # fmt: skip


def _occupation_view(
    session: Session, job: JobNow, occupation: Occupation, mark: MarkNow, height: BaseHeight, coordinate: BaseCoordinate,
    listening: Listening, meant: MeantBase,
) -> dict[str, Any]:  # fmt: skip
    place = geodetic_from_ecef(meant.arp_m, job.frame.positions_ellipsoid)
    latitude, longitude, arp_height = (float(value) for value in place)
    newest = height.rows[-1]
    return {
        "id": occupation.id, "mark_id": mark.id, "mark_name": mark.name, "station_id": occupation.station_id,
        "started_s": occupation.started_s, "height_reading_id": newest.id, "height_text": height.text,
        "arp_height_m": height.arp_height_m, "source": coordinate.source, "source_detail": coordinate.detail,
        "frame": coordinate.frame, "frame_epoch": coordinate.frame_epoch, "locked": coordinate.locked,
        "accuracy_horizontal_95_m": coordinate.accuracy_horizontal_95_m,
        "accuracy_vertical_95_m": coordinate.accuracy_vertical_95_m,
        "latitude_deg": latitude, "longitude_deg": longitude, "arp_ellipsoidal_height_m": arp_height,
        "base_url": listening.base_url, "rover_url": listening.rover_url, "receiver_url": listening.receiver_url,
        "refers_to": listening.refers_to, "logs": base_log.logs_view(session, occupation),
        "coordinates": base_solution.coordinates_view(session, occupation),
    }  # fmt: skip


def _on_air_view(meant: MeantBase, station: StationReference | None) -> dict[str, Any] | None:
    if station is None:
        return None
    difference = on_air_difference(meant.arp_m, station)
    return {
        "station_id": station.station_id, "antenna_height_m": station.antenna_height_m, "virtual": station.virtual,
        "east_m": difference.east_m, "north_m": difference.north_m, "up_m": difference.up_m, "agrees": difference.agrees,
    }  # fmt: skip


def _messages_view(profile: Profile | None, heard: Moment | None) -> list[dict[str, Any]]:
    """Return each message planned or heard, with both intervals."""
    planned = {item.number: item.interval_s for item in profile.messages} if profile else {}
    on_air = {item.number: item for item in heard.heard.messages} if heard else {}
    return [
        {
            "number": number, "planned_s": planned.get(number),
            "heard_s": on_air[number].interval_s if number in on_air else None,
            "count": on_air[number].count if number in on_air else 0,
        }
        for number in sorted({*planned, *on_air})
    ]  # fmt: skip


def _judge_live(
    meant: MeantBase, heard: Moment, profile: Profile | None, listening: Listening, occupation: Occupation
) -> list[Finding]:
    """Return what the streams say: message set, satellites, the base's own position, the rover's link."""
    found = judge_receiver(meant, heard.receiver_epochs, listening.receiver_url is not None)
    if profile is not None and heard.heard.span_s > 0.0:
        found += judge_messages(profile.messages, heard.heard)
        found += judge_satellites(profile.constellations, heard.heard, heard.in_view, profile.elevation_mask_deg)
    if heard.rover_is_heard and heard.epoch is not None:
        found += judge_rover(heard.epoch.epoch, occupation.station_id)
    return found


def _effect_view(session: Session, job: JobNow, coordinate: BaseCoordinate) -> dict[str, Any] | None:
    """Return what an error of the base as large as its accuracy does to this job."""
    if job.frame.is_local and job.frame.definition.anchor is None:
        return None
    xyz = (coordinate.x_m, coordinate.y_m, coordinate.z_m)
    east, north, _ = (float(value) for value in job.frame.grid_from_ecef(xyz))
    grid = current_places(session, job)[0].grid_m
    known = grid[np.isfinite(grid).all(axis=1)]
    marks_m = np.hypot(known[:, 0] - east, known[:, 1] - north)
    # How far the work reaches, not where it is: one received epoch of each shot tells that.
    firsts = session.scalars(select(ShotEpoch).join(Shot).where(Shot.job_id == job.id, ShotEpoch.n == 0))
    received = [(row.latitude_deg, row.longitude_deg, row.height_m) for row in map(epoch_of_columns, firsts)]
    shots_m = np.linalg.norm(ecef_from_geodetic(*np.array(received, dtype=float).reshape(-1, 3).T) - xyz, axis=1)
    far_m = float(np.nanmax(np.concatenate([marks_m, shots_m]), initial=0.0))
    latitude = float(geodetic_from_ecef(xyz)[0])
    return asdict(
        base_error_effect(coordinate.accuracy_horizontal_95_m, coordinate.accuracy_vertical_95_m, far_m, latitude)
    )


def _earlier_view(context: Context, session: Session, job: JobNow, antenna: KnownAntenna) -> list[dict[str, Any]]:
    """Return the bases that ran in this job and ended, latest first, with what can still be done for them."""
    ends = {row.occupation_id: row.ended_s for row in session.scalars(select(OccupationEnd))}
    rows = session.scalars(
        select(Occupation).where(Occupation.job_id == job.id).order_by(Occupation.started_s.desc())
    ).all()
    found = []
    for row in rows:
        if row.id not in ends:
            continue
        coordinate = base_coordinate_of(session, row.id)
        found.append(
            {
                "id": row.id, "mark_name": session.get_one(Mark, row.mark_id).name, "station_id": row.station_id, "started_s": row.started_s,
                "ended_s": ends[row.id], "source": coordinate.source,
                "title": BY_SOURCE[coordinate.source].title if coordinate.source in BY_SOURCE else coordinate.source,
                "detail": coordinate.detail, "locked": coordinate.locked, "autonomous": is_autonomous(coordinate),
                "heights": readings_view(session, job, antenna, row, row.setup_id), "logs": base_log.logs_view(session, row),
                "files": base_log.raw_files(context, session, row), "photos": base_setup.photos_view(session, row.setup_id),
                "coordinates": base_solution.coordinates_view(session, row),
            }
        )  # fmt: skip
    return found


def start_findings(session: Session, job: JobNow, setup: SetUpNow, coordinate: Proposed | None) -> list[Finding]:
    """Return what should be known before the start, worst first; the readings' findings are shown with the readings."""
    found = judge_level(base_setup.unconfirmed(session, job.id, setup.id))
    if coordinate is not None:
        found += judge_proposed(session, job, setup, coordinate)
    return sorted(found, key=lambda item: list(Severity).index(item.severity))


def stops_before_start(
    session: Session, job: JobNow, setup: SetUpNow, coordinate: Proposed | None, antenna: KnownAntenna
) -> list[dict[str, Any]]:
    """Return the findings that say stop, of the readings and of the coordinate: a start goes on only where they are accepted."""
    found = [item.as_dict() for item in start_findings(session, job, setup, coordinate)]
    found += readings_view(session, job, antenna, None, setup.id)["findings"]
    return [item for item in found if item["severity"] == Severity.STOP]
