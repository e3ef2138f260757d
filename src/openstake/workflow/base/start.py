"""The base: over which mark, how high, with which coordinate, and what it really sends."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.evidence import RefersTo
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.frames import Anchor
from openstake.core.limits import ShortText, Text
from openstake.core.mark import GivenMark
from openstake.core.units import text_from_metres
from openstake.derive.base import base_of, listening_of, needed_occupation, open_occupation
from openstake.derive.heights import BaseHeight, known_antenna, readings_of_setup
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.derive.marks import MarkNow, current_marks, head_of, row_of
from openstake.store.book import write_entry
from openstake.store.models import BaseCoordinate, HeightReading, Listening, Mark, Occupation, OccupationEnd
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
from openstake.workflow.base.heights import CorrectHeight, NewReading, add_reading, replace_reading
from openstake.workflow.base.settled import stops_before_start
from openstake.workflow.base.setup import USUAL_STATION_ID, SetUpNow, Source, needed_setup
from openstake.workflow.base.view import BaseView, view
from openstake.workflow.context import Context
from openstake.workflow.job.jobs import anchor_local
from openstake.workflow.watch import listen as watch

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


def start(context: Context, job_id: str, wish: StartBase) -> BaseView:
    """Record the occupation, begin to listen, and type the values into the base where it is a stand-in."""
    changes = {
        name: value
        for name, value in (("mark_id", wish.mark_id), ("source", wish.source), ("station_id", wish.station_id))
        if value is not None
    }
    asked = checked_listen(wish.listen) if wish.listen is not None else None
    with context.running.of_job(job_id):
        return _start(context, job_id, wish, changes, asked)


def _start(context: Context, job_id: str, wish: StartBase, changes: dict[str, Any], asked: CheckedListen | None) -> BaseView:
    with context.database.read() as session:
        job_of(session, job_id)
        if open_occupation(session, job_id):
            raise ConflictError("A base is running in this job already. End it before starting another.")
    if changes:
        setup.settle(context, job_id, changes)

    def work(session: Session) -> tuple[Occupation, Listening]:
        job, now = job_of(session, job_id), context.now(job_id)
        if open_occupation(session, job_id):
            raise ConflictError("A base is running in this job already. End it before starting another.")
        settled = needed_setup(session, job, now)
        listen = settled_listen(context, settled) if asked is None else with_kept(context, asked, settled.id, settled.settled)
        if wish.reading is not None:
            add_reading(session, job, NewReading(reading=wish.reading, feature=wish.feature, again=True), now, settled.id, None)
        height = readings_of_setup(session, settled.id).height("before")
        if height is None:
            raise InputError("Type the height of the antenna first.", field="reading")
        coordinate = proposed(session, job, settled, height.arp_height_m)
        stops = stops_before_start(session, job, settled, coordinate, known_antenna(kit_of(session, job_id)))
        if stops and not wish.accepted:
            raise ConflictError(stops[0].sentence, field="accepted")
        if stops:
            _on_whose_word(wish)
        mark = _mark_of(session, job, settled, coordinate, now)
        occupation = Occupation(job_id=job_id, mark_id=mark.id, station_id=_station_id(settled), setup_id=settled.id, started_s=now)
        session.add(occupation)
        session.flush()
        row = coordinate_row(coordinate, occupation.id, now)
        listening = listening_row(session, job_id, listen, occupation.id, now)
        session.add_all([row, listening])
        session.flush()
        keep_passwords_of(context, listening, listen, wish.base_password)
        _anchor(session, job, mark, row, now)
        _write_start(session, job, occupation, mark, height, row, [item.code for item in stops], wish, now)
        return occupation, listening

    occupation, listening = context.database.write(work)
    context.running.forget_average(job_id)
    context.hub.publish(f"average:{job_id}", None)
    configure_standin(context, job_id)
    watch.listen(context, occupation, listening)
    with context.database.read() as session:
        static = base_of(session, occupation).coordinate.source == "static"
    if static and listening.base_url is not None:
        context.database.write(lambda session: log.begin(context, session, occupation, context.now(job_id)))
    context.changed(job_id)
    return view(context, job_id)


def _on_whose_word(wish: StartBase) -> None:
    """Raise InputError where a stop is accepted and nobody says why, or on whose word."""
    if not wish.reason.strip():
        raise InputError("Say why the base is started all the same: it stands in the Book.", field="reason")
    if not wish.who.strip():
        raise InputError("Say on whose word the base is started all the same.", field="who")


def _station_id(setup: SetUpNow) -> int:
    return USUAL_STATION_ID if setup.settled.station_id is None else setup.settled.station_id


def _mark_of(session: Session, job: JobNow, setup: SetUpNow, coordinate: Proposed, now: float) -> MarkNow:
    """Return the mark under the base; a new point becomes one, provisional, where the coordinate puts it."""
    settled = setup.settled
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
    row = row_of(given, job.id, given.source, now)
    session.add(row)
    session.flush()
    return head_of(session, job, row.id)


def _write_start(
    session: Session,
    job: JobNow,
    occupation: Occupation,
    mark: MarkNow,
    height: BaseHeight,
    row: BaseCoordinate,
    accepted: list[str],
    wish: StartBase,
    now: float,
) -> None:
    reason, who = wish.reason.strip(), wish.who.strip()
    despite = f" Started although: {', '.join(accepted)}. {who}: {reason.rstrip('.')}." if accepted else ""
    despite_of = {"reason": reason, "who": who} if accepted else {}
    write_entry(
        session,
        now,
        "base-started",
        f"Base {occupation.station_id} started on {mark.name}: {height.text} to {height.readings[0].to.in_a_sentence}, "
        f"ARP {text_from_metres(height.arp_height_m, job.length_unit)} above the mark; coordinate from {row.detail}.{despite}",
        job.id,
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


def _anchor(session: Session, job: JobNow, mark: MarkNow, coordinate: BaseCoordinate, now: float) -> None:
    """Let a base on an average say where an assumed system lies that nobody has placed yet."""
    if not job.lies_nowhere:
        return
    place = geodetic_from_ecef((coordinate.x_m, coordinate.y_m, coordinate.z_m), job.frame.ellipsoid)
    latitude, longitude, height = (float(value) for value in place)
    anchor = Anchor(latitude_deg=latitude, longitude_deg=longitude, height_m=height, east_m=mark.east_m, north_m=mark.north_m)
    reason = f"placed by the base's average on {mark.name}, true north up; a local fit follows"
    anchor_local(session, job, replace(job.frame.definition, anchor=anchor), reason, now)


def listen_elsewhere(context: Context, job_id: str, wish: Listen) -> BaseView:
    """Listen at other addresses from now on; what was heard before stays with the addresses it came from."""
    listen = checked_listen(wish)
    with context.running.of_job(job_id):
        return _listen_elsewhere(context, job_id, listen)


def _listen_elsewhere(context: Context, job_id: str, listen: CheckedListen) -> BaseView:
    wish = listen.wish

    def work(session: Session) -> tuple[Occupation, Listening]:
        occupation = needed_occupation(session, job_id)
        _refuse_while_recording(context, occupation.id)
        before = listening_of(session, occupation.id)
        now = context.now(job_id)
        listening = listening_row(session, job_id, listen, occupation.id, now)
        session.add(listening)
        session.flush()
        # A password is asked for again only where the address is another.
        keep_passwords_of(context, listening, with_kept(context, listen, before.id, before), None)
        write_entry(
            session,
            now,
            "listening-changed",
            f"Listening changed: base stream {wish.base_url or 'none'}, rover {wish.rover_url or 'none'}, "
            f"position refers to the {_POINTS[RefersTo(listening.refers_to)]}.",
            job_id,
            listening=listening.id,
            before=before.id,
        )
        return occupation, listening

    occupation, listening = context.database.write(work)
    watch.stop_listening(context, occupation.id)
    watch.listen(context, occupation, listening)
    context.changed(job_id)
    return view(context, job_id)


def read_base_height(context: Context, job_id: str, wish: NewReading) -> BaseView:
    """Add a height reading: before the session to the set-up or the running base, after it to the base that runs or ended last."""

    def work(session: Session) -> None:
        job, now = job_of(session, job_id), context.now(job_id)
        occupation = open_occupation(session, job_id)
        if wish.moment == "after":
            occupation = occupation or _latest(session, job_id)
            if occupation is None:
                raise NotFoundError("No base has run in this job, so there is no closing height.")
        setup_id = occupation.setup_id if occupation else needed_setup(session, job, now).id
        add_reading(session, job, wish, now, setup_id, occupation)

    context.database.write(work)
    if wish.moment == "before":
        configure_standin(context, job_id)
    context.changed(job_id)
    return view(context, job_id)


def _latest(session: Session, job_id: str) -> Occupation | None:
    return session.scalars(select(Occupation).where(Occupation.job_id == job_id).order_by(Occupation.started_s.desc())).first()


def correct_height(context: Context, job_id: str, wish: CorrectHeight) -> BaseView:
    """Add a reading that replaces another: every point measured from this base follows; the old one stays in the Book."""

    def work(session: Session) -> None:
        job, now = job_of(session, job_id), context.now(job_id)
        occupation = _of_reading(session, job_id, wish.replaces_id)
        before = base_of(session, occupation).height if occupation else None
        old, row = replace_reading(session, job, wish, now)
        unit, moved = job.length_unit, ""
        if occupation is not None and before is not None and row.moment == "before":
            after = base_of(session, occupation).readings.height("before")
            if after is None:
                raise ConflictError("A running base needs one height reading that is used. Add another one first.")
            by = text_from_metres(after.arp_height_m - before.arp_height_m, unit)
            moved = f" Every point from this base moves by {by} in height."
        corrected = f"corrected to '{row.text}' ({text_from_metres(row.arp_height_m, unit)})"
        write_entry(
            session,
            now,
            "base-height-corrected",
            f"Base height '{old.text}' ({text_from_metres(old.arp_height_m, unit)}) "
            f"{'set aside' if row.set_aside else corrected}: {row.reason}.{moved}",
            job_id,
            occupation=occupation.id if occupation else None,
            replaces=old.id,
            height_reading=row.id,
            arp_height_m=row.arp_height_m,
            set_aside=row.set_aside,
        )

    context.database.write(work)
    configure_standin(context, job_id)
    context.changed(job_id)
    return view(context, job_id)


def _of_reading(session: Session, job_id: str, reading_id: str) -> Occupation | None:
    """Return the occupation that a reading belongs to, None while it is set up."""
    row = session.get(HeightReading, reading_id)
    if row is None:
        return None
    if row.occupation_id is not None:
        return session.get(Occupation, row.occupation_id)
    if row.setup_id is None:
        return None
    return session.scalars(select(Occupation).where(Occupation.job_id == job_id, Occupation.setup_id == row.setup_id)).first()


def configure_standin(context: Context, job_id: str) -> None:
    """Type the present values into the stand-in base; a real receiver is typed by the crew."""
    with context.database.read() as session:
        job, occupation = job_of(session, job_id), open_occupation(session, job_id)
        practice = context.stand_ins(job_id) if job.practice else None
        if practice is None:
            return
        if occupation is None or job.frame.datum_is_unsaid:
            practice.silence()
            return
        base = base_of(session, occupation)
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(base.mark_m))
    practice.broadcast(latitude, longitude, height, base.height.arp_height_m, occupation.station_id)


def _refuse_while_recording(context: Context, occupation_id: str) -> None:
    running = context.running.session(occupation_id)
    if running is not None and running.moment().shot is not None:
        raise ConflictError("A shot is being recorded and would be lost. Wait for its end, or cancel it first.")


def end(context: Context, job_id: str) -> BaseView:
    """End the occupation and stop listening; everything recorded stays."""
    with context.running.of_job(job_id):
        return _end(context, job_id)


def _end(context: Context, job_id: str) -> BaseView:
    def work(session: Session) -> Occupation:
        occupation = needed_occupation(session, job_id)
        _refuse_while_recording(context, occupation.id)
        now = context.now(job_id)
        log.end_open(context, session, occupation, now)
        session.add(OccupationEnd(occupation_id=occupation.id, ended_s=now))
        mark = session.get_one(Mark, occupation.mark_id)
        names = [item.name for item in log.raw_files_of(context, session, {occupation.id})[occupation.id]]
        write_entry(
            session,
            now,
            "base-ended",
            f"Base {occupation.station_id} on {mark.name} ended; {len(names)} raw files kept.",
            job_id,
            occupation=occupation.id,
            files=names,
        )
        return occupation

    occupation = context.database.write(work)
    watch.stop_listening(context, occupation.id)
    configure_standin(context, job_id)
    context.changed(job_id)
    return view(context, job_id)


def apply_solution(context: Context, job_id: str, wish: solution.SolutionWish, content: bytes) -> BaseView:
    """Replace a base's coordinate by a static solution; a stand-in that runs sends it from now on."""
    solution.apply_solution(context, job_id, wish, content)
    configure_standin(context, job_id)
    return view(context, job_id)


def take_anew(context: Context, job_id: str, wish: solution.TakeAnew) -> BaseView:
    """Take a base's coordinate from its mark as it is now; a stand-in that runs sends it from now on."""
    solution.take_anew(context, job_id, wish)
    configure_standin(context, job_id)
    return view(context, job_id)


def restore_coordinate(context: Context, job_id: str, wish: solution.RestoreCoordinate) -> BaseView:
    """Go back to a coordinate the base had before."""
    solution.restore_coordinate(context, job_id, wish)
    configure_standin(context, job_id)
    return view(context, job_id)
