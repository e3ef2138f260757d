"""The base that runs: what is meant and heard of it, and everything that its streams say."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.base_stages import Part, RunsNow, running_parts
from openstake.core.evidence import RefersTo
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.judge.base import MeantBase, OnAir, judge_base, on_air_difference
from openstake.core.judge.broadcast import judge_messages, judge_satellites
from openstake.core.judge.finding import Finding, ranked
from openstake.core.judge.receiver import judge_receiver
from openstake.core.judge.rover import judge_rover
from openstake.core.kit.profile import Profile
from openstake.core.occupation import BaseErrorEffect, base_error_effect
from openstake.core.units import text_from_metres
from openstake.derive import points
from openstake.derive.base import BaseNow, is_autonomous
from openstake.derive.job import JobNow
from openstake.derive.kit import KitNow
from openstake.derive.marks import MarkNow, current_places
from openstake.live.session import Moment
from openstake.store.models import Listening, Occupation
from openstake.store.records.bases import listening_of
from openstake.store.records.shots import received_ids
from openstake.workflow.base import coordinate as coordinates
from openstake.workflow.base import log, solution
from openstake.workflow.base.heights import BaseHeights
from openstake.workflow.base.settled import place_of
from openstake.workflow.base.setup import QuestionView, looked
from openstake.workflow.context import Context


@dataclass(frozen=True, kw_only=True)
class OccupationView:
    """The base that runs: its mark, height and coordinate as meant, and where it is listened to.

    `anew`: what its mark gives now, in words, where that is another coordinate; empty where it is not.
    """

    id: str
    mark_id: str
    mark_name: str
    station_id: int
    started_s: float
    height_reading_id: str
    height_text: str
    arp_height_m: float
    source: str
    source_detail: str
    frame: str
    frame_epoch: str
    locked: bool
    accuracy_horizontal_95_m: float
    accuracy_vertical_95_m: float
    latitude_deg: float
    longitude_deg: float
    arp_ellipsoidal_height_m: float
    base_url: str | None
    rover_url: str | None
    receiver_url: str | None
    refers_to: RefersTo
    logs: list[log.LogView]
    coordinates: list[solution.CoordinateView]
    anew: str


@dataclass(frozen=True, kw_only=True)
class OnAirView:
    """On the air − meant, metres, east, north, up of the ARP; `station_agrees`: it is the station ID that is meant."""

    station_id: int
    station_agrees: bool
    antenna_height_m: float | None
    virtual: bool
    east_m: float
    north_m: float
    up_m: float
    agrees: bool


@dataclass(frozen=True, kw_only=True)
class MessageOnAir:
    """A message type: the interval planned and the one heard, seconds; None where it is not."""

    number: int
    planned_s: float | None
    heard_s: float | None
    count: int


@dataclass(frozen=True, kw_only=True)
class OnAirNow:
    """A station message as it was heard last, against what is meant."""

    station_id: int
    antenna_height_m: float | None
    virtual: bool
    difference: OnAir


@dataclass(frozen=True, kw_only=True)
class Judged:
    """A base that runs with everything its streams say of it."""

    meant: MeantBase
    air: OnAirNow | None
    heard: Moment | None
    profile: Profile | None
    listening: Listening
    findings: tuple[Finding, ...]


def judge_running(context: Context, session: Session, job: JobNow, kit: KitNow, base: BaseNow, mark: MarkNow) -> Judged:
    """Return what is meant and heard of a base that runs, and what the streams say: worst first."""
    occupation = base.occupation
    meant = _meant(session, job, kit, base, mark, context.now(job.id))
    listening = listening_of(session, occupation.id)
    profile = next(iter(kit.of_role(base=True)), None)
    running = context.running.session(occupation.id)
    heard = running.moment() if running else None
    station = heard.reference if heard else None
    findings = coordinates.judge_taken_before(job, base, mark) + judge_base(meant, station)
    if heard is not None:
        findings += _judge_live(meant, heard, profile, listening, occupation)
    air = None
    if station is not None:
        difference = on_air_difference(meant.arp_m, station)
        air = OnAirNow(
            station_id=station.station_id, antenna_height_m=station.antenna_height_m, virtual=station.virtual, difference=difference
        )
    return Judged(meant=meant, air=air, heard=heard, profile=profile, listening=listening, findings=ranked(findings))


def _meant(session: Session, job: JobNow, kit: KitNow, base: BaseNow, mark: MarkNow, now: float) -> MeantBase:
    return MeantBase(
        arp_m=base.arp_m,
        arp_height_m=base.height.arp_height_m,
        station_id=base.occupation.station_id,
        autonomous=is_autonomous(base.coordinate),
        phase_centre_up_m=kit.phase_centre_m(base=True),
        other_marks=coordinates.other_marks(session, job, base.occupation.mark_id),
        slips=coordinates.slips_of_mark(job, mark, base.mark_m, now),
        unit=job.length_unit,
    )


def _judge_live(meant: MeantBase, heard: Moment, profile: Profile | None, listening: Listening, occupation: Occupation) -> list[Finding]:
    """Return what the streams say: message set, satellites, the base's own position, the rover's link."""
    found = judge_receiver(meant, heard.receiver_epochs, listening.receiver_url is not None)
    if profile is not None and heard.heard.span_s > 0.0:
        found += judge_messages(profile.messages, heard.heard)
        found += judge_satellites(profile.constellations, heard.heard, heard.in_view, profile.elevation_mask_deg)
    if heard.rover_is_heard and heard.epoch is not None:
        found += judge_rover(heard.epoch.epoch, occupation.station_id)
    return found


def occupation_view(job: JobNow, base: BaseNow, mark: MarkNow, judged: Judged, logs: list[log.LogView]) -> OccupationView:
    occupation, coordinate, height, listening = base.occupation, base.coordinate, base.height, judged.listening
    arp = place_of(job, judged.meant.arp_m)
    return OccupationView(
        id=occupation.id,
        mark_id=mark.id,
        mark_name=mark.name,
        station_id=occupation.station_id,
        started_s=occupation.started_s,
        height_reading_id=height.ids[-1],
        height_text=height.text,
        arp_height_m=height.arp_height_m,
        source=coordinate.source,
        source_detail=coordinate.detail,
        frame=coordinate.frame,
        frame_epoch=coordinate.frame_epoch,
        locked=coordinate.locked,
        accuracy_horizontal_95_m=coordinate.accuracy_horizontal_95_m,
        accuracy_vertical_95_m=coordinate.accuracy_vertical_95_m,
        latitude_deg=arp.latitude_deg,
        longitude_deg=arp.longitude_deg,
        arp_ellipsoidal_height_m=arp.height_m,
        base_url=listening.base_url,
        rover_url=listening.rover_url,
        receiver_url=listening.receiver_url,
        refers_to=RefersTo(listening.refers_to),
        logs=logs,
        coordinates=solution.coordinates_view(base),
        anew=coordinates.anew_words(job, base, mark),
    )


def parts_of_base(
    job: JobNow, base: BaseNow, judged: Judged, heights: BaseHeights, logs: list[log.LogView], questions: list[QuestionView]
) -> tuple[Part, ...]:
    opening, listening, coordinate = heights.opening_read, judged.listening, base.coordinate
    assert opening is not None, "a base that runs has a height"
    accuracy = text_from_metres(coordinate.accuracy_horizontal_95_m, job.length_unit)
    feeds = (("base", listening.base_url), ("its receiver", listening.receiver_url), ("rover", listening.rover_url))
    return running_parts(
        RunsNow(
            on_air=judged.air.difference if judged.air else None,
            findings=judged.findings,
            opening=opening,
            closing=heights.closing_read,
            height_typed=base.height.text,
            coordinate=f"{'locked, ' if coordinate.locked else ''}good to {accuracy}",
            logs=len(logs),
            logging=any(item.ended_s is None for item in logs),
            listening=[name for name, url in feeds if url],
            looked=looked(questions),
        )
    )


def on_air_view(judged: Judged) -> OnAirView | None:
    air = judged.air
    if air is None:
        return None
    found = air.difference
    return OnAirView(
        station_id=air.station_id,
        station_agrees=air.station_id == judged.meant.station_id,
        antenna_height_m=air.antenna_height_m,
        virtual=air.virtual,
        east_m=found.east_m,
        north_m=found.north_m,
        up_m=found.up_m,
        agrees=found.agrees,
    )


def messages_view(profile: Profile | None, heard: Moment | None) -> list[MessageOnAir]:
    """Return each message planned or heard, with both intervals."""
    planned = {item.number: item.interval_s for item in profile.messages} if profile else {}
    on_air = {item.number: item for item in heard.heard.messages} if heard else {}
    return [
        MessageOnAir(
            number=number,
            planned_s=planned.get(number),
            heard_s=on_air[number].interval_s if number in on_air else None,
            count=on_air[number].count if number in on_air else 0,
        )
        for number in sorted({*planned, *on_air})
    ]


def effect_of(session: Session, job: JobNow, base: BaseNow) -> BaseErrorEffect | None:
    """Return what an error of the base as large as its accuracy does to this job."""
    if job.lies_nowhere:
        return None
    xyz, coordinate = np.array(base.mark_m), base.coordinate
    east, north, _ = (float(value) for value in job.frame.grid_from_ecef(xyz))
    grid = current_places(session, job)[0].grid_m
    known = grid[np.isfinite(grid).all(axis=1)]
    marks_m = np.hypot(known[:, 0] - east, known[:, 1] - north)
    # How far the work reaches, not where it is: the first received epoch of each shot tells that.
    shots = received_ids(session, job.id)
    firsts = [received.first_m for received in points.received_of(session, job.id, shots).values()]
    shots_m = np.linalg.norm(np.array(firsts).reshape(-1, 3) - xyz, axis=1)
    far_m = float(np.nanmax(np.concatenate([marks_m, shots_m]), initial=0.0))
    return base_error_effect(
        coordinate.accuracy_horizontal_95_m, coordinate.accuracy_vertical_95_m, far_m, float(geodetic_from_ecef(xyz)[0])
    )
