"""The Base page: the set-up in hand or the running base, meant against on the air, what has run before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.base_sources import REMEMBERED, source_title
from openstake.core.chain import State
from openstake.core.errors import InputError
from openstake.core.evidence import RefersTo
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.judge.base import MeantBase, OnAir, judge_base, on_air_difference
from openstake.core.judge.broadcast import judge_messages, judge_satellites
from openstake.core.judge.coordinate import judge_level
from openstake.core.judge.finding import Finding, ranked, stops_of
from openstake.core.judge.height import KnownAntenna
from openstake.core.judge.receiver import judge_receiver
from openstake.core.judge.rover import judge_rover
from openstake.core.kit.profile import Profile
from openstake.core.occupation import BaseErrorEffect, base_error_effect, meant_arp_ecef
from openstake.core.parts import (
    Part,
    RunsNow,
    SettledSoFar,
    compared_state,
    earlier_state,
    running_parts,
    setup_parts,
)
from openstake.core.units import text_from_metres
from openstake.live.session import Moment
from openstake.store.models import Listening, Mark, Occupation, OccupationEnd, Shot
from openstake.workflow.base import coordinate as coordinates
from openstake.workflow.base import log, setup, solution
from openstake.workflow.base.coordinate import Proposed, judge_proposed, proposed
from openstake.workflow.base.heights import NO_HEIGHTS, BaseHeights, readings_view
from openstake.workflow.base.setup import PhotoView, QuestionView, SetUpNow, Source, looked, setup_in_hand
from openstake.workflow.context import Context
from openstake.workflow.now import points
from openstake.workflow.now.averages import AverageView, average_view
from openstake.workflow.now.base import BaseNow, bases_of, is_autonomous, listening_of, open_occupation
from openstake.workflow.now.heights import known_antenna, readings_of_setup
from openstake.workflow.now.job import JobNow, job_of
from openstake.workflow.now.kit import KitNow, kit_of
from openstake.workflow.now.marks import MarkNow, current_places, head_of


@dataclass(frozen=True)
class ArpPlace:
    """Where the ARP is meant to be, degrees and ellipsoidal metres."""

    latitude_deg: float
    longitude_deg: float
    height_m: float


@dataclass(frozen=True)
class SettledCoordinate:
    """The coordinate that a set-up would start with."""

    detail: str
    source: str
    frame: str
    frame_epoch: str
    accuracy_horizontal_95_m: float
    accuracy_vertical_95_m: float


@dataclass(frozen=True)
class SetUpView:
    """The set-up in hand; `missing` is what a start still waits for, `stops` what speaks against one."""

    id: str
    started_s: float
    mark_id: str | None
    mark_name: str
    point_name: str
    source: Source
    evidence_id: str | None
    station_id: int | None
    base_url: str | None
    rover_url: str | None
    receiver_url: str | None
    refers_to: RefersTo | None
    missing: list[str]
    stops: list[str]
    arp: ArpPlace | None
    coordinate: SettledCoordinate | None
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class OccupationView:
    """The base that runs: its mark, height and coordinate as meant, and where it is listened to."""

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


@dataclass(frozen=True)
class EarlierBase:
    """A base that ran and ended."""

    id: str
    mark_name: str
    station_id: int
    started_s: float
    ended_s: float
    source: str
    title: str
    detail: str
    locked: bool
    autonomous: bool
    state: State
    heights: BaseHeights
    logs: list[log.LogView]
    files: list[log.RawFileView]
    photos: list[PhotoView]
    coordinates: list[solution.CoordinateView]


@dataclass(frozen=True)
class EarlierBases:
    """The bases that ran in a job and ended, latest first."""

    bases: list[EarlierBase]


@dataclass(frozen=True)
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


@dataclass(frozen=True)
class MessageOnAir:
    """A message type: the interval planned and the one heard, seconds; None where it is not."""

    number: int
    planned_s: float | None
    heard_s: float | None
    count: int


@dataclass(frozen=True)
class Suggested:
    """What the fields of a set-up hold before anything is typed."""

    base_url: str | None
    rover_url: str | None
    receiver_url: str | None
    station_id: int
    refers_to: RefersTo


@dataclass(frozen=True)
class BaseView:
    """The base as the page shows it: the set-up in hand or the occupation, in parts with their states.

    `compared` is the state of the ARP alone, meant against on the air; `ran_before`: other bases ran here and ended.
    """

    setup: SetUpView | None
    occupation: OccupationView | None
    parts: tuple[Part, ...]
    on_air: OnAirView | None
    compared: State
    messages: list[MessageOnAir]
    effect: BaseErrorEffect | None
    findings: tuple[Finding, ...]
    questions: list[QuestionView]
    cautions: list[str]
    photos: list[PhotoView]
    given_up: bool
    heights: BaseHeights
    sources: coordinates.Sources
    average: AverageView | None
    ran_before: bool
    suggested: Suggested


def view(context: Context, job_id: str) -> BaseView:
    """Return the base as the page shows it: the set-up in hand or the occupation, meant against on the air, findings."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        occupation = open_occupation(session, job_id)
        if occupation is None:
            return _before(context, session, job, kit)
        return _running(context, session, job, kit, bases_of(session, job_id, {occupation.id})[occupation.id])


def _before(context: Context, session: Session, job: JobNow, kit: KitNow) -> BaseView:
    """Return the view while no base runs: what is settled of the set-up in hand."""
    in_hand, antenna = setup_in_hand(session, job.id), known_antenna(kit)
    setup_id = in_hand.id if in_hand else None
    heights = readings_view(job, antenna, readings_of_setup(session, in_hand.id)) if in_hand else NO_HEIGHTS
    questions = setup.questions_view(session, job.id, setup_id)
    sources = coordinates.sources_view(session, job, in_hand)
    shown = _setup_view(session, job, heights, in_hand) if in_hand else None
    suggested = _suggested(context, job, kit)
    return BaseView(
        shown, None, _setup_parts(shown, heights, questions, sources, suggested), None,
        compared_state(shown is not None and shown.arp is not None, None), [], None, (), questions, setup.cautions(),
        setup.photos_of(session, {setup_id} if setup_id else set()).get(setup_id or "", []),
        setup.can_be_taken_up(session, job.id), heights, sources, _average(context, job.id), _ran_before(session, job.id),
        suggested,
    )  # fmt: skip


def _running(context: Context, session: Session, job: JobNow, kit: KitNow, base: BaseNow) -> BaseView:
    """Return the view of a base that runs."""
    occupation = base.occupation
    mark = head_of(session, job, occupation.mark_id)
    judged = judge_running(context, session, job, kit, base, mark)
    heights = readings_view(job, known_antenna(kit), base.readings)
    logs = log.logs_of(session, {occupation.id})[occupation.id]
    questions = setup.questions_view(session, job.id, occupation.setup_id)
    photos = setup.photos_of(session, {occupation.setup_id} if occupation.setup_id else set())
    air = None if judged.air is None else judged.air.difference
    return BaseView(
        None, _occupation_view(job, base, mark, judged, logs),
        _running_parts(job, base, judged, heights, logs, questions), _on_air_view(judged), compared_state(True, air),
        _messages_view(judged.profile, judged.heard), _effect(session, job, base), judged.findings, questions,
        setup.cautions(), photos.get(occupation.setup_id or "", []), False, heights,
        coordinates.sources_view(session, job, None), _average(context, job.id), _ran_before(session, job.id),
        _suggested(context, job, kit),
    )  # fmt: skip


def _average(context: Context, job_id: str) -> AverageView | None:
    average = context.averages.get(job_id)
    return average_view(average) if average else None


def _suggested(context: Context, job: JobNow, kit: KitNow) -> Suggested:
    practice = context.practice if job.practice else None
    return Suggested(
        practice.base_stream_url if practice else None, practice.rover_url if practice else None,
        practice.base_receiver_url if practice else None, setup.USUAL_STATION_ID, kit.rover_refers_to,
    )  # fmt: skip


def _ran_before(session: Session, job_id: str) -> bool:
    query = select(OccupationEnd.occupation_id).join(Occupation, Occupation.id == OccupationEnd.occupation_id)
    return session.scalars(query.where(Occupation.job_id == job_id).limit(1)).first() is not None


# --- the set-up in hand ---


def _setup_view(session: Session, job: JobNow, heights: BaseHeights, in_hand: SetUpNow) -> SetUpView:
    """Return the set-up in hand: what is settled, what is missing, and what is known before the start."""
    settled = in_hand.settled
    arp_height_m = heights.opening.arp_height_m if heights.opening else None
    missing, coordinate = [], None
    if settled.mark_id is None and not settled.point_name:
        missing.append("Pick the mark under the antenna.")
    if arp_height_m is None:
        missing.append("Type the height reading.")
    if not settled.source:
        missing.append("Choose where the coordinate comes from.")
    else:
        try:
            coordinate = proposed(session, job, in_hand, arp_height_m or 0.0)
        except InputError as error:
            missing.append(error.sentence)
    arp = None
    if coordinate is not None and arp_height_m is not None:
        arp = _place(job, meant_arp_ecef(coordinate.xyz_m, arp_height_m))
    mark = head_of(session, job, settled.mark_id) if settled.mark_id else None
    findings = start_findings(session, job, in_hand, coordinate)
    return SetUpView(
        in_hand.id, in_hand.started_s, settled.mark_id, mark.name if mark else settled.point_name, settled.point_name,
        settled.source, settled.evidence_id, settled.station_id, settled.base_url, settled.rover_url, settled.receiver_url,
        RefersTo(settled.refers_to) if settled.refers_to else None, missing,
        [item.sentence for item in stops_of((*findings, *heights.findings))], arp,
        None if coordinate is None else SettledCoordinate(
            coordinate.detail, coordinate.source, coordinate.frame, coordinate.frame_epoch,
            coordinate.accuracy_horizontal_95_m, coordinate.accuracy_vertical_95_m,
        ),
        findings,
    )  # fmt: skip


def _place(job: JobNow, xyz_m: Sequence[float] | np.ndarray) -> ArpPlace:
    latitude, longitude, height = (
        float(value) for value in geodetic_from_ecef(xyz_m, job.frame.positions_ellipsoid)
    )  # fmt: skip
    return ArpPlace(latitude, longitude, height)


def start_findings(
    session: Session, job: JobNow, in_hand: SetUpNow, coordinate: Proposed | None
) -> tuple[Finding, ...]:
    """Return what should be known before the start, worst first; the readings' findings are shown with the readings."""
    found = judge_level(setup.unconfirmed(session, job.id, in_hand.id))
    if coordinate is not None:
        found += judge_proposed(session, job, in_hand, coordinate)
    return ranked(found)


def stops_before_start(
    session: Session, job: JobNow, in_hand: SetUpNow, coordinate: Proposed | None, antenna: KnownAntenna
) -> tuple[Finding, ...]:
    """Return the findings that say stop, of the readings and of the coordinate: a start goes on only where they are accepted."""
    heights = readings_view(job, antenna, readings_of_setup(session, in_hand.id))
    return stops_of((*start_findings(session, job, in_hand, coordinate), *heights.findings))


def _setup_parts(
    shown: SetUpView | None, heights: BaseHeights, questions: list[QuestionView], sources: coordinates.Sources,
    suggested: Suggested,
) -> tuple[Part, ...]:  # fmt: skip
    check = sources.average_mark.check if sources.average_mark else None
    source = shown.source if shown else ""
    words = "the earlier one again" if source == REMEMBERED else source_title(source)
    station_id = shown.station_id if shown and shown.station_id is not None else suggested.station_id
    return setup_parts(
        SettledSoFar(
            shown.mark_name if shown else "", check.agrees if check else None, heights.opening_read,
            words if shown and shown.coordinate else None, shown.findings if shown else (), looked(questions, "site"),
            looked(questions, "level"), station_id,
        )
    )  # fmt: skip


# --- the base that runs ---


@dataclass(frozen=True)
class OnAirNow:
    """A station message as it was heard last, against what is meant."""

    station_id: int
    antenna_height_m: float | None
    virtual: bool
    difference: OnAir


@dataclass(frozen=True)
class Judged:
    """A base that runs with everything its streams say of it."""

    meant: MeantBase
    air: OnAirNow | None
    heard: Moment | None
    profile: Profile | None
    listening: Listening
    findings: tuple[Finding, ...]


def judge_running(
    context: Context, session: Session, job: JobNow, kit: KitNow, base: BaseNow, mark: MarkNow
) -> Judged:  # fmt: skip
    """Return what is meant and heard of a base that runs, and what the streams say: worst first."""
    occupation = base.occupation
    meant = _meant(session, job, kit, base, mark, context.now())
    listening = listening_of(session, occupation.id)
    profile = next(iter(kit.of_role(base=True)), None)
    running = context.sessions.get(occupation.id)
    heard = running.moment() if running else None
    station = heard.reference if heard else None
    findings = judge_base(meant, station)
    if heard is not None:
        findings += _judge_live(meant, heard, profile, listening, occupation)
    air = None
    if station is not None:
        difference = on_air_difference(meant.arp_m, station)
        air = OnAirNow(station.station_id, station.antenna_height_m, station.virtual, difference)
    return Judged(meant, air, heard, profile, listening, ranked(findings))


def _meant(session: Session, job: JobNow, kit: KitNow, base: BaseNow, mark: MarkNow, now: float) -> MeantBase:
    return MeantBase(
        base.arp_m, base.height.arp_height_m, base.occupation.station_id, is_autonomous(base.coordinate),
        kit.phase_centre_m(base=True), coordinates.other_marks(session, job, base.occupation.mark_id),
        coordinates.slips_of_mark(job, mark, base.mark_m, now), job.length_unit,
    )  # fmt: skip


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


def _occupation_view(
    job: JobNow, base: BaseNow, mark: MarkNow, judged: Judged, logs: list[log.LogView]
) -> OccupationView:
    occupation, coordinate, height, listening = base.occupation, base.coordinate, base.height, judged.listening
    arp = _place(job, judged.meant.arp_m)
    return OccupationView(
        occupation.id, mark.id, mark.name, occupation.station_id, occupation.started_s, height.ids[-1], height.text,
        height.arp_height_m, coordinate.source, coordinate.detail, coordinate.frame, coordinate.frame_epoch,
        coordinate.locked, coordinate.accuracy_horizontal_95_m, coordinate.accuracy_vertical_95_m, arp.latitude_deg,
        arp.longitude_deg, arp.height_m, listening.base_url, listening.rover_url, listening.receiver_url,
        RefersTo(listening.refers_to), logs, solution.coordinates_view(base),
    )  # fmt: skip


def _running_parts(
    job: JobNow, base: BaseNow, judged: Judged, heights: BaseHeights, logs: list[log.LogView], questions: list[QuestionView]
) -> tuple[Part, ...]:  # fmt: skip
    opening, listening, coordinate = heights.opening_read, judged.listening, base.coordinate
    assert opening is not None, "a base that runs has a height"
    accuracy = text_from_metres(coordinate.accuracy_horizontal_95_m, job.length_unit)
    feeds = (("base", listening.base_url), ("its receiver", listening.receiver_url), ("rover", listening.rover_url))
    return running_parts(
        RunsNow(
            judged.air.difference if judged.air else None, judged.findings, opening, heights.closing_read, base.height.text,
            f"{'locked, ' if coordinate.locked else ''}good to {accuracy}", len(logs),
            any(item.ended_s is None for item in logs), [name for name, url in feeds if url], looked(questions),
        )
    )  # fmt: skip


def _on_air_view(judged: Judged) -> OnAirView | None:
    air = judged.air
    if air is None:
        return None
    found = air.difference
    return OnAirView(
        air.station_id, air.station_id == judged.meant.station_id, air.antenna_height_m, air.virtual, found.east_m, found.north_m, found.up_m, found.agrees
    )  # fmt: skip


def _messages_view(profile: Profile | None, heard: Moment | None) -> list[MessageOnAir]:
    """Return each message planned or heard, with both intervals."""
    planned = {item.number: item.interval_s for item in profile.messages} if profile else {}
    on_air = {item.number: item for item in heard.heard.messages} if heard else {}
    return [
        MessageOnAir(
            number, planned.get(number), on_air[number].interval_s if number in on_air else None,
            on_air[number].count if number in on_air else 0,
        )
        for number in sorted({*planned, *on_air})
    ]  # fmt: skip


def _effect(session: Session, job: JobNow, base: BaseNow) -> BaseErrorEffect | None:
    """Return what an error of the base as large as its accuracy does to this job."""
    if job.lies_nowhere:
        return None
    xyz, coordinate = np.array(base.mark_m), base.coordinate
    east, north, _ = (float(value) for value in job.frame.grid_from_ecef(xyz))
    grid = current_places(session, job)[0].grid_m
    known = grid[np.isfinite(grid).all(axis=1)]
    marks_m = np.hypot(known[:, 0] - east, known[:, 1] - north)
    # How far the work reaches, not where it is: the first received epoch of each shot tells that.
    shots = session.scalars(select(Shot).where(Shot.job_id == job.id)).all()
    firsts = [received.first_m for received in points.received_of(session, job.id, shots).values()]
    shots_m = np.linalg.norm(np.array(firsts).reshape(-1, 3) - xyz, axis=1)
    far_m = float(np.nanmax(np.concatenate([marks_m, shots_m]), initial=0.0))
    return base_error_effect(
        coordinate.accuracy_horizontal_95_m, coordinate.accuracy_vertical_95_m, far_m, float(geodetic_from_ecef(xyz)[0])
    )  # fmt: skip


def base_findings(
    context: Context, session: Session, job: JobNow, kit: KitNow, base: BaseNow | None
) -> tuple[Finding, ...]:
    """Return everything that is to be said of the base that runs, or of the set-up in hand; not in order."""
    antenna = known_antenna(kit)
    if base is not None:
        judged = judge_running(context, session, job, kit, base, head_of(session, job, base.occupation.mark_id))
        heights = readings_view(job, antenna, base.readings)
        return (*judged.findings, *heights.findings, *heights.closing_findings)
    in_hand = setup_in_hand(session, job.id)
    if in_hand is None:
        return ()
    heights = readings_view(job, antenna, readings_of_setup(session, in_hand.id))
    shown = _setup_view(session, job, heights, in_hand)
    return (*heights.findings, *heights.closing_findings, *shown.findings)


# --- what ran before ---


def earlier(context: Context, job_id: str) -> EarlierBases:
    """Return the bases that ran in this job and ended, latest first, with what can still be done for them."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        antenna = known_antenna(kit_of(session, job_id))
        bases = [base for base in bases_of(session, job_id).values() if base.ended_s is not None][::-1]
        ids = {base.occupation.id for base in bases}
        setups = {base.occupation.setup_id for base in bases if base.occupation.setup_id}
        marks = {row.id: row.name for row in session.scalars(select(Mark).where(Mark.id.in_({base.occupation.mark_id for base in bases})))}  # fmt: skip
        logs, photos = log.logs_of(session, ids), setup.photos_of(session, setups)
        files = log.raw_files_of(context, session, ids)
        return EarlierBases(
            [
                _earlier(job, base, marks[base.occupation.mark_id], antenna, logs[base.occupation.id],
                         files[base.occupation.id], photos.get(base.occupation.setup_id or "", []))
                for base in bases
            ]
        )  # fmt: skip


def _earlier(
    job: JobNow, base: BaseNow, mark_name: str, antenna: KnownAntenna, logs: list[log.LogView],
    files: list[log.RawFileView], photos: list[PhotoView],
) -> EarlierBase:  # fmt: skip
    occupation, coordinate = base.occupation, base.coordinate
    heights = readings_view(job, antenna, base.readings)
    return EarlierBase(
        occupation.id, mark_name, occupation.station_id, occupation.started_s, base.ended_s or 0.0, coordinate.source,
        source_title(coordinate.source), coordinate.detail, coordinate.locked, is_autonomous(coordinate),
        earlier_state(heights.findings, heights.closing_read), heights, logs, files, photos, solution.coordinates_view(base),
    )  # fmt: skip
