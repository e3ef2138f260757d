"""The base: over which mark, how high, with which coordinate, and what it really sends."""

from __future__ import annotations

from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from openstake.core.base_settled import Source
from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.errors import ConflictError, InputError
from openstake.core.evidence import RefersTo
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.frames import Anchor
from openstake.core.limits import ShortText, Text
from openstake.core.mark import GivenMark
from openstake.core.units import text_from_metres
from openstake.derive.heights import BaseHeight, known_antenna, readings_of_setup
from openstake.derive.job import job_of
from openstake.derive.kit import kit_of
from openstake.derive.marks import MarkNow, current_marks, head_of, row_of
from openstake.store.models import BaseCoordinate, Listening, Mark, Occupation, OccupationEnd
from openstake.store.records.bases import listening_of, needed_occupation, open_occupation
from openstake.workflow import listening as feeds
from openstake.workflow.base import log, setup, solution
from openstake.workflow.base.addresses import (
    CheckedListen,
    Listen,
    checked_listen,
    keep_passwords_of,
    listening_row,
    settled_listen,
    with_kept,
)
from openstake.workflow.base.coordinate import Proposed, coordinate_row, proposed
from openstake.workflow.base.heights import NewReading
from openstake.workflow.base.readings import add_reading
from openstake.workflow.base.settled import stops_before_start
from openstake.workflow.base.setup import USUAL_STATION_ID, SetUpNow, needed_setup
from openstake.workflow.base.standin import configure_standin, tell_standin
from openstake.workflow.base.view import BaseView, view
from openstake.workflow.command import Transaction, carry_out, command
from openstake.workflow.context import Context
from openstake.workflow.settings import place_assumed_system

_POINTS = {RefersTo.APC: "phase centre", RefersTo.ARP: "ARP", RefersTo.MARK: "mark"}


@dataclass(frozen=True, kw_only=True)
class StartBase:
    """What the crew settled before starting the base; what is None stands as the set-up has it.

    `reading` is one more height reading, typed with the start.  `accepted`: start although a finding says stop; then `reason` and `who`
    say why and on whose word.
    """

    listen: Listen | None = None
    mark_id: ShortText | None = None
    source: Source | None = None
    station_id: int | None = None
    reading: ShortText | None = None
    feature: ShortText = "bottom"
    base_password: ShortText | None = None
    accepted: bool = False
    reason: Text = ""
    who: ShortText = ""


def start(context: Context, job_id: str, request: StartBase) -> BaseView:
    """Record the occupation, begin to listen, and type the values into the base where it is a stand-in."""
    changes = {
        name: value
        for name, value in (("mark_id", request.mark_id), ("source", request.source), ("station_id", request.station_id))
        if value is not None
    }
    asked = checked_listen(request.listen) if request.listen is not None else None
    with context.running.of_job(job_id):
        with context.database.read() as session:
            job_of(session, job_id)
            _refuse_second_base(session, job_id)
        if changes:
            setup.settle(context, job_id, changes)
        return _start(context, job_id, request, asked)


def _refuse_second_base(session: Session, job_id: str) -> None:
    if open_occupation(session, job_id):
        raise ConflictError("A base is running in this job already. End it before starting another.")


@command(view)
def _start(tx: Transaction, request: StartBase, asked: CheckedListen | None) -> None:
    context, session, job = tx.context, tx.session, tx.job
    _refuse_second_base(session, tx.job_id)
    settled = needed_setup(session, job, tx.now_s)
    listen = settled_listen(context, settled) if asked is None else with_kept(context, asked, settled.id, settled.settled)
    if request.reading is not None:
        add_reading(tx, NewReading(reading=request.reading, feature=request.feature, again=True), settled.id, None)
    height = readings_of_setup(session, settled.id).height("before")
    if height is None:
        raise InputError("Type the height of the antenna first.", field="reading")
    coordinate = proposed(session, job, settled, height.arp_height_m)
    stops = stops_before_start(session, job, settled, coordinate, known_antenna(kit_of(session, tx.job_id)))
    if stops and not request.accepted:
        raise ConflictError(stops[0].sentence, field="accepted")
    if stops:
        _on_whose_word(request)
    mark = _mark_of(tx, settled, coordinate)
    occupation = tx.add(
        Occupation(job_id=tx.job_id, mark_id=mark.id, station_id=_station_id(settled), setup_id=settled.id, started_s=tx.now_s)
    )
    row = tx.add(coordinate_row(coordinate, occupation.id, tx.now_s))
    listening = tx.add(listening_row(tx, listen, occupation.id))
    keep_passwords_of(context, listening, listen, request.base_password)
    _place_assumed(tx, mark, row)
    _tell_start(tx, occupation, mark, height, row, [item.code for item in stops], request)
    tx.once_stored(lambda: _go_on(context, occupation, listening, row.source == "static"))


def _go_on(context: Context, occupation: Occupation, listening: Listening, static: bool) -> None:
    """Listen to a base that has started; one whose coordinate is to be computed logs what it sends."""
    job_id = occupation.job_id
    context.running.forget_average(job_id)
    context.hub.publish(f"average:{job_id}", None)
    configure_standin(context, job_id)
    feeds.listen(context, occupation, listening)
    if static and listening.base_url is not None:
        carry_out(context, job_id, lambda tx: log.begin(tx, occupation))


def _on_whose_word(request: StartBase) -> None:
    """Raise InputError where a stop is accepted and nobody says why, or on whose word."""
    if not request.reason.strip():
        raise InputError("Say why the base is started anyway: it goes into the Book.", field="reason")
    if not request.who.strip():
        raise InputError("Say who decides to start the base anyway.", field="who")


def _station_id(setup: SetUpNow) -> int:
    return USUAL_STATION_ID if setup.settled.station_id is None else setup.settled.station_id


def _mark_of(tx: Transaction, setup: SetUpNow, coordinate: Proposed) -> MarkNow:
    """Return the mark under the base; a new point becomes one, provisional, where the coordinate puts it."""
    session, job, settled = tx.session, tx.job, setup.settled
    if settled.mark_id is not None:
        return head_of(session, job, settled.mark_id)
    if not settled.point_name:
        raise InputError("Pick the mark under the antenna, or name a new point.", field="mark_id")
    if job.lies_nowhere:
        raise InputError("An assumed system has no place on Earth yet: the first base stands on a mark of its list.", field="mark_id")
    same = [mark for mark in current_marks(session, job) if mark.name == settled.point_name]
    if same:
        raise ConflictError(f"{settled.point_name} is in the control list. Pick it there, or choose another name.", field="point_name")
    latitude, longitude, height = (float(value) for value in job.frame.datum_geodetic_from_ecef(coordinate.xyz_m))
    given = GivenMark(
        name=settled.point_name,
        latitude_deg=latitude,
        longitude_deg=longitude,
        height_m=height,
        height_kind="ellipsoidal",
        sigma_horizontal_m=coordinate.accuracy_horizontal_95_m / CIRCLE_95,
        sigma_vertical_m=coordinate.accuracy_vertical_95_m / LINE_95,
        order="provisional",
        source=f"base: {coordinate.detail}",
        note="Put here by the base; not control.",
    )
    return head_of(session, job, tx.add(row_of(given, job.id, given.source, tx.now_s)).id)


def _tell_start(
    tx: Transaction, occupation: Occupation, mark: MarkNow, height: BaseHeight, row: BaseCoordinate, accepted: list[str], request: StartBase
) -> None:
    reason, who = request.reason.strip(), request.who.strip()
    despite = f" Started despite: {', '.join(accepted)}. {who}: {reason.rstrip('.')}." if accepted else ""
    despite_of = {"reason": reason, "who": who} if accepted else {}
    tx.tell(
        "base-started",
        f"Base {occupation.station_id} started on {mark.name}: {height.text} to {height.readings[0].to.in_a_sentence}, "
        f"ARP {text_from_metres(height.arp_height_m, tx.job.length_unit)} above the mark; coordinate from {row.detail}.{despite}",
        occupation=occupation.id,
        mark=mark.id,
        height_readings=height.ids,
        base_coordinate=row.id,
        arp_height_m=height.arp_height_m,
        x_m=row.x_m,
        y_m=row.y_m,
        z_m=row.z_m,
        accepted=accepted,
        **despite_of,
    )


def _place_assumed(tx: Transaction, mark: MarkNow, coordinate: BaseCoordinate) -> None:
    """Let a base on an average say where an assumed system lies that nobody has placed yet."""
    job = tx.job
    if not job.lies_nowhere:
        return
    place = geodetic_from_ecef((coordinate.x_m, coordinate.y_m, coordinate.z_m), job.frame.ellipsoid)
    latitude, longitude, height = (float(value) for value in place)
    anchor = Anchor(latitude_deg=latitude, longitude_deg=longitude, height_m=height, east_m=mark.east_m, north_m=mark.north_m)
    reason = f"placed by the base's average on {mark.name}, true north up; a local fit follows"
    place_assumed_system(tx, replace(job.frame.definition, anchor=anchor), reason)


def listen_elsewhere(context: Context, job_id: str, request: Listen) -> BaseView:
    """Listen at other addresses from now on; what was heard before stays with the addresses it came from."""
    listen = checked_listen(request)
    return _listen_elsewhere(context, job_id, listen)


@command(view, alone=True)
def _listen_elsewhere(tx: Transaction, listen: CheckedListen) -> None:
    context, request = tx.context, listen.request
    occupation = needed_occupation(tx.session, tx.job_id)
    _refuse_while_recording(context, occupation.id)
    before = listening_of(tx.session, occupation.id)
    listening = tx.add(listening_row(tx, listen, occupation.id))
    # A password is asked for again only where the address is another.
    keep_passwords_of(context, listening, with_kept(context, listen, before.id, before), None)
    tx.tell(
        "listening-changed",
        f"Listening changed: base stream {request.base_url or 'none'}, rover {request.rover_url or 'none'}, "
        f"position refers to the {_POINTS[RefersTo(listening.refers_to)]}.",
        listening=listening.id,
        before=before.id,
    )
    tx.once_stored(lambda: feeds.stop_listening(context, occupation.id))
    tx.once_stored(lambda: feeds.listen(context, occupation, listening))


def _refuse_while_recording(context: Context, occupation_id: str) -> None:
    running = context.running.session(occupation_id)
    if running is not None and running.moment().shot is not None:
        raise ConflictError("A shot is being recorded and would be lost. Wait for its end, or cancel it first.")


@command(view, alone=True)
def end(tx: Transaction) -> None:
    """End the occupation and stop listening; everything recorded stays."""
    context = tx.context
    occupation = needed_occupation(tx.session, tx.job_id)
    _refuse_while_recording(context, occupation.id)
    log.end_open(tx, occupation)
    tx.add(OccupationEnd(occupation_id=occupation.id, ended_s=tx.now_s))
    mark = tx.session.get_one(Mark, occupation.mark_id)
    names = [item.name for item in log.raw_files_of(context, tx.session, {occupation.id})[occupation.id]]
    tx.tell(
        "base-ended",
        f"Base {occupation.station_id} on {mark.name} ended; {len(names)} raw files kept.",
        occupation=occupation.id,
        files=names,
    )
    tx.once_stored(lambda: feeds.stop_listening(context, occupation.id))
    tell_standin(tx)


def apply_solution(context: Context, job_id: str, request: solution.SolutionRequest, content: bytes) -> BaseView:
    """Replace a base's coordinate by a static solution; a stand-in that runs sends it from now on."""
    solution.apply_solution(context, job_id, request, content)
    configure_standin(context, job_id)
    return view(context, job_id)


def take_anew(context: Context, job_id: str, request: solution.TakeAnew) -> BaseView:
    """Take a base's coordinate from its mark as it is now; a stand-in that runs sends it from now on."""
    solution.take_anew(context, job_id, request)
    configure_standin(context, job_id)
    return view(context, job_id)


def restore_coordinate(context: Context, job_id: str, request: solution.RestoreCoordinate) -> BaseView:
    """Go back to a coordinate the base had before."""
    solution.restore_coordinate(context, job_id, request)
    configure_standin(context, job_id)
    return view(context, job_id)
