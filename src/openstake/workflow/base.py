"""The base: over which mark, how high, with which coordinate, and what it really sends."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.budget import horizontal_95_m, vertical_95_m
from openstake.core.errors import ConflictError, InputError
from openstake.core.evidence import RefersTo
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.frames import Anchor
from openstake.core.judge.base import judge_base, on_air_difference
from openstake.core.judge.rover import judge_rover
from openstake.core.occupation import AUTONOMOUS_ACCURACY_95_M, meant_arp_ecef
from openstake.core.units import text_from_metres
from openstake.core.vector import lifted
from openstake.live.transport import split_url
from openstake.store.book import write_entry
from openstake.store.models import (
    BaseCoordinate,
    HeightReading,
    Listening,
    Mark,
    Occupation,
    OccupationEnd,
)
from openstake.workflow import watch
from openstake.workflow.average import Average
from openstake.workflow.context import (
    Context,
    JobNow,
    base_coordinate_of,
    base_height_of,
    job_of,
    listening_of,
    needed_occupation,
    open_occupation,
)
from openstake.workflow.heights import Height, in_a_sentence, read_height, rover_arp_to_apc_m, rover_refers_to
from openstake.workflow.job import anchor_local
from openstake.workflow.marks import MarkNow, mark_of
from openstake.workflow.secrets import keep_secret, secret_of

_POINTS = {RefersTo.APC: "phase centre", RefersTo.ARP: "ARP", RefersTo.MARK: "mark"}
_AUTONOMOUS_VERTICAL_95_M = 8.0  # 1.6 times the horizontal, as the geometry of any sky has it (common practice)


@dataclass(frozen=True)
class ListenWish:
    """Where to listen, and what the rover's position refers to there."""

    base_url: str | None
    base_password: str | None
    rover_url: str | None
    refers_to: str


@dataclass(frozen=True)
class StartWish:
    """What the crew settled before starting the base."""

    mark_id: str
    reading: str
    feature: str
    source: str  # "mark" or "average"
    station_id: int
    listen: ListenWish


def height_preview(context: Context, job_id: str, reading: str, feature: str, subject: str) -> dict[str, Any]:
    """Return the ARP height of what is being typed, in metres and in the job's unit."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        height = read_height(session, job, reading, feature, subject)
    return {
        "reading_m": height.reading_m,
        "arp_height_m": height.arp_height_m,
        "feature_to_arp_m": height.feature.feature_to_arp_m,
        "rim_radius_m": height.feature.rim_radius_m,
        "method": height.feature.method,
        "text": text_from_metres(height.arp_height_m, job.length_unit),
    }


def mark_ecef_m(job: JobNow, mark: MarkNow) -> tuple[float, float, float]:
    """Return a mark's Earth-centred coordinate in the frame of the positions; it needs an ellipsoidal height."""
    if mark.ellipsoidal_height_m is None:
        why = (
            "has no height"
            if mark.given.height_m is None
            else "lies outside the job's geoid grid, so its elevation gives no ellipsoidal height"
            if job.geoid_file
            else "has no ellipsoidal height, and this job has no geoid grid to make one from an elevation"
        )
        raise InputError(
            f"{mark.name} {why}. Give the mark an ellipsoidal height, or take the average of what the receiver reports.",
            field="mark_id",
        )
    x, y, z = job.frame.ecef_from_grid(mark.east_m, mark.north_m, mark.ellipsoidal_height_m)
    return float(x), float(y), float(z)


def start(context: Context, job_id: str, wish: StartWish) -> dict[str, Any]:
    """Record the occupation, begin to listen, and type the values into the base where it is a stand-in."""
    _check_start(wish)

    def work(session: Session) -> tuple[Occupation, Listening]:
        job = job_of(session, job_id)
        if open_occupation(session, job_id):
            raise ConflictError("A base is running in this job already. End it before starting another.")
        mark = mark_of(session, job, wish.mark_id)
        height = read_height(session, job, wish.reading, wish.feature, "base")
        now = context.now()
        occupation = Occupation(job_id=job_id, mark_id=mark.id, station_id=wish.station_id, started_s=now)
        session.add(occupation)
        session.flush()
        reading = _height_row(height, job_id, occupation.id, now)
        coordinate = _coordinate_row(context, job, mark, wish.source, height, occupation.id, now)
        listening = _listening_row(session, job_id, wish.listen, occupation.id, now)
        session.add_all([reading, coordinate, listening])
        session.flush()
        _anchor(session, job, mark, coordinate, now)
        write_entry(
            session, now, "base-started",
            f"Base {wish.station_id} started on {mark.name}: '{height.text}' to {in_a_sentence(height.feature.label)}, "
            f"ARP {text_from_metres(height.arp_height_m, job.length_unit)} above the mark; coordinate from {coordinate.detail}.",
            job_id, occupation=occupation.id, mark=mark.id, height_reading=reading.id, base_coordinate=coordinate.id,
            arp_height_m=height.arp_height_m, x_m=coordinate.x_m, y_m=coordinate.y_m, z_m=coordinate.z_m,
        )  # fmt: skip
        return occupation, listening

    occupation, listening = context.database.write(work)
    _drop_average(context, job_id)
    keep_secret(context, listening.id, wish.listen.base_password)
    configure_standin(context, job_id)
    watch.listen(context, occupation, listening)
    context.changed(job_id)
    return view(context, job_id)


def _anchor(session: Session, job: JobNow, mark: MarkNow, coordinate: BaseCoordinate, now: float) -> None:
    """Let a base on an average say where an assumed system lies that nobody has placed yet."""
    if not job.frame.is_local or job.frame.definition.anchor is not None:
        return
    place = geodetic_from_ecef((coordinate.x_m, coordinate.y_m, coordinate.z_m), job.frame.ellipsoid)
    latitude, longitude, height = (float(value) for value in place)
    anchor = Anchor(latitude, longitude, height, mark.east_m, mark.north_m)
    reason = f"placed by the base's average on {mark.name}, true north up; a local fit follows"
    anchor_local(session, job, replace(job.frame.definition, anchor=anchor), reason, now)


def _check_start(wish: StartWish) -> None:
    if not 0 <= wish.station_id <= 4095:
        raise InputError(f"A station ID lies between 0 and 4095; {wish.station_id} does not.", field="station_id")
    if wish.source not in ("mark", "average"):
        raise InputError("The coordinate comes from the mark or from an average.", field="source")
    _check_listen(wish.listen)


def _check_listen(wish: ListenWish) -> None:
    if wish.refers_to not in set(RefersTo):
        raise InputError(
            "Say whether the rover's position refers to its phase centre, its ARP or the mark.", field="refers_to"
        )
    if not wish.rover_url and not wish.base_url:
        raise InputError("Give the address of the rover's NMEA, of the base's stream, or both.", field="rover_url")
    for field, url in (("base_url", wish.base_url), ("rover_url", wish.rover_url)):
        if url:
            try:
                split_url(url)
            except InputError as error:
                error.field = field
                raise


def _listening_row(session: Session, job_id: str, wish: ListenWish, occupation_id: str, now: float) -> Listening:
    above = rover_arp_to_apc_m(session, job_id) if wish.refers_to == RefersTo.APC else None
    return Listening(
        occupation_id=occupation_id, base_url=wish.base_url, rover_url=wish.rover_url, refers_to=wish.refers_to,
        arp_to_apc_m=above, started_s=now,
    )  # fmt: skip


def listen_elsewhere(context: Context, job_id: str, wish: ListenWish) -> dict[str, Any]:
    """Listen at other addresses from now on; what was heard before stays with the addresses it came from."""
    _check_listen(wish)

    def work(session: Session) -> tuple[Occupation, Listening, str | None]:
        occupation = needed_occupation(session, job_id)
        _refuse_while_recording(context, occupation.id)
        before = listening_of(session, occupation.id)
        now = context.now()
        listening = _listening_row(session, job_id, wish, occupation.id, now)
        session.add(listening)
        session.flush()
        write_entry(
            session, now, "listening-changed",
            f"Listening changed: base stream {wish.base_url or 'none'}, rover {wish.rover_url or 'none'}, "
            f"position refers to the {_POINTS[RefersTo(wish.refers_to)]}.",
            job_id, listening=listening.id, before=before.id,
        )  # fmt: skip
        return occupation, listening, before.id if before.base_url == wish.base_url else None

    occupation, listening, same_as = context.database.write(work)
    # A password is asked for again only where the address is another.
    keep_secret(context, listening.id, wish.base_password or secret_of(context, same_as))
    watch.stop_listening(context, occupation.id)
    watch.listen(context, occupation, listening)
    context.changed(job_id)
    return view(context, job_id)


def _height_row(
    height: Height, job_id: str, occupation_id: str | None, now: float, subject: str = "base"
) -> HeightReading:
    feature = height.feature
    return HeightReading(
        job_id=job_id, occupation_id=occupation_id, subject=subject, text=height.text, reading_m=height.reading_m,
        method=feature.method, feature_name=feature.name, feature=feature.label, rim_radius_m=feature.rim_radius_m,
        feature_to_arp_m=feature.feature_to_arp_m, arp_height_m=height.arp_height_m, created_s=now,
    )  # fmt: skip


def rover_height_row(height: Height, job_id: str, now: float) -> HeightReading:
    return _height_row(height, job_id, None, now, "rover")


def _coordinate_row(
    context: Context, job: JobNow, mark: MarkNow, source: str, height: Height, occupation_id: str, now: float
) -> BaseCoordinate:
    if source == "mark":
        xyz = mark_ecef_m(job, mark)
        return BaseCoordinate(
            occupation_id=occupation_id, x_m=xyz[0], y_m=xyz[1], z_m=xyz[2], source="mark",
            detail=f"the known mark {mark.name} ({mark.given.source})",
            accuracy_horizontal_95_m=horizontal_95_m(mark.sigma_horizontal_m, mark.sigma_horizontal_m),
            accuracy_vertical_95_m=vertical_95_m(mark.sigma_vertical_m),
            frame=job.positions_label, frame_epoch=job.settings.frame_epoch or "as the control list", created_s=now,
        )  # fmt: skip
    average = context.averages.get(job.id)
    if average is None:
        raise InputError("Average what the receiver reports first, then start.", field="source")
    result = average.result()
    # What was averaged is the ARP; the mark lies below it.
    x_m, y_m, z_m = (float(value) for value in lifted(result.xyz_m, -height.arp_height_m))
    return BaseCoordinate(
        occupation_id=occupation_id, x_m=x_m, y_m=y_m, z_m=z_m, source="average",
        detail=f"the average of {result.count} positions the receiver reported ({result.lowest_status})",
        accuracy_horizontal_95_m=AUTONOMOUS_ACCURACY_95_M, accuracy_vertical_95_m=_AUTONOMOUS_VERTICAL_95_M,
        frame="WGS 84 as the receiver reports it", frame_epoch="the day of the average", created_s=now,
    )  # fmt: skip


def begin_average(context: Context, job_id: str, url: str | None, seconds: float) -> dict[str, Any]:
    """Begin to average what the base's receiver reports; one runs at a time in a job."""
    with context.database.read() as session:
        job = job_of(session, job_id)
    if url is None and job.practice and context.practice:
        url = context.practice.base_receiver_url
    if not url:
        raise InputError(
            "Give the address of the base receiver's own NMEA, such as tcp://192.168.1.20:5016.", field="url"
        )
    split_url(url)
    running = context.averages.get(job_id)
    if running is not None and running.running:
        raise ConflictError("An average is running already. Wait for it or stop it.")
    context.averages[job_id] = Average(url, seconds, lambda: publish_average(context, job_id))
    return context.averages[job_id].view()


def publish_average(context: Context, job_id: str) -> None:
    average = context.averages.get(job_id)
    if average is not None:
        context.hub.publish(f"average:{job_id}", average.view())


def cancel_average(context: Context, job_id: str) -> None:
    average = context.averages.get(job_id)
    if average is not None:
        average.cancel()


def _drop_average(context: Context, job_id: str) -> None:
    """Forget an average once a base has started: the next set-up must not be given the place of this one."""
    if context.averages.pop(job_id, None) is not None:
        context.hub.publish(f"average:{job_id}", None)


def correct_height(
    context: Context, job_id: str, replaces_id: str, reading: str, feature: str, reason: str
) -> dict[str, Any]:
    """Add a height that replaces another: every point measured from this base follows; the old one stays in the Book."""
    if not reason.strip():
        raise InputError("Say in a few words why the height is corrected.", field="reason")

    def work(session: Session) -> Occupation:
        job, occupation = job_of(session, job_id), needed_occupation(session, job_id)
        old = base_height_of(session, occupation.id)
        if old.id != replaces_id:
            raise ConflictError("The height has been corrected in the meantime. Look at the present value.")
        height = read_height(session, job, reading, feature, "base")
        now = context.now()
        old_text, new_text, moved = (
            text_from_metres(metres, job.length_unit)
            for metres in (old.arp_height_m, height.arp_height_m, height.arp_height_m - old.arp_height_m)
        )
        row = _height_row(height, job_id, occupation.id, now)
        row.replaces_id, row.reason = old.id, reason.strip()
        session.add(row)
        session.flush()
        write_entry(
            session, now, "base-height-corrected",
            f"Base height corrected from '{old.text}' ({old_text}) to '{height.text}' ({new_text}): {row.reason}. "
            f"Every point from this base moves by {moved} in height.",
            job_id, occupation=occupation.id, replaces=old.id, height_reading=row.id,
            arp_height_m=height.arp_height_m,
        )  # fmt: skip
        return occupation

    context.database.write(work)
    configure_standin(context, job_id)
    context.changed(job_id)
    return view(context, job_id)


def configure_standin(context: Context, job_id: str) -> None:
    """Type the present values into the stand-in base; a real receiver is typed by the crew."""
    with context.database.read() as session:
        job, occupation = job_of(session, job_id), open_occupation(session, job_id)
        if not job.practice or context.practice is None:
            return
        if occupation is None:
            context.practice.base.silence()
            return
        mark_xyz, arp_height = _meant_mark_and_height(session, occupation)
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(mark_xyz))
    context.practice.broadcast(latitude, longitude, height, arp_height, occupation.station_id)


def _meant_mark_and_height(session: Session, occupation: Occupation) -> tuple[tuple[float, float, float], float]:
    coordinate, reading = base_coordinate_of(session, occupation.id), base_height_of(session, occupation.id)
    return (coordinate.x_m, coordinate.y_m, coordinate.z_m), reading.arp_height_m


def meant_arp_m(session: Session, occupation: Occupation) -> tuple[float, float, float]:
    """Return where the base's ARP is meant to be, Earth-centred, metres."""
    mark_xyz, arp_height = _meant_mark_and_height(session, occupation)
    x, y, z = (float(value) for value in meant_arp_ecef(mark_xyz, arp_height))
    return x, y, z


def _refuse_while_recording(context: Context, occupation_id: str) -> None:
    running = context.sessions.get(occupation_id)
    if running is not None and running.moment().shot is not None:
        raise ConflictError("A shot is being recorded and would be lost. Wait for its end, or cancel it first.")


def end(context: Context, job_id: str) -> dict[str, Any]:
    """End the occupation and stop listening; everything recorded stays."""

    def work(session: Session) -> Occupation:
        occupation = needed_occupation(session, job_id)
        _refuse_while_recording(context, occupation.id)
        now = context.now()
        session.add(OccupationEnd(occupation_id=occupation.id, ended_s=now))
        mark = session.get_one(Mark, occupation.mark_id)
        write_entry(
            session,
            now,
            "base-ended",
            f"Base {occupation.station_id} on {mark.name} ended.",
            job_id,
            occupation=occupation.id,
        )
        return occupation

    occupation = context.database.write(work)
    watch.stop_listening(context, occupation.id)
    configure_standin(context, job_id)
    context.changed(job_id)
    return view(context, job_id)


def view(context: Context, job_id: str) -> dict[str, Any]:
    """Return the base as the page shows it: the occupation, meant against on the air, findings, suggestions."""
    practice = context.practice
    with context.database.read() as session:
        job = job_of(session, job_id)
        occupation = open_occupation(session, job_id)
        average = context.averages.get(job_id)
        result: dict[str, Any] = {
            "occupation": None,
            "on_air": None,
            "findings": [],
            "average": average.view() if average else None,
            "suggested": {
                "base_url": practice.base_stream_url if practice and job.practice else None,
                "rover_url": practice.rover_url if practice and job.practice else None,
                "receiver_url": practice.base_receiver_url if practice and job.practice else None,
                "station_id": 17,
                "refers_to": rover_refers_to(session, job_id),
            },
        }
        if occupation is None:
            return result
        mark = session.get_one(Mark, occupation.mark_id)
        coordinate, reading = base_coordinate_of(session, occupation.id), base_height_of(session, occupation.id)
        meant, listening = meant_arp_m(session, occupation), listening_of(session, occupation.id)
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(meant))
    result["occupation"] = {
        "id": occupation.id, "mark_id": mark.id, "mark_name": mark.name, "station_id": occupation.station_id,
        "started_s": occupation.started_s, "height_reading_id": reading.id, "height_text": reading.text,
        "height_feature": reading.feature, "height_feature_name": reading.feature_name, "height_method": reading.method, "arp_height_m": reading.arp_height_m,
        "height_corrected": reading.replaces_id is not None, "source": coordinate.source, "source_detail": coordinate.detail,
        "frame": coordinate.frame, "frame_epoch": coordinate.frame_epoch,
        "accuracy_horizontal_95_m": coordinate.accuracy_horizontal_95_m,
        "accuracy_vertical_95_m": coordinate.accuracy_vertical_95_m,
        "latitude_deg": latitude, "longitude_deg": longitude, "arp_ellipsoidal_height_m": height,
        "base_url": listening.base_url, "rover_url": listening.rover_url, "refers_to": listening.refers_to,
    }  # fmt: skip
    running = context.sessions.get(occupation.id)
    heard = running.moment() if running else None
    station = heard.reference if heard else None
    if station is not None:
        difference = on_air_difference(meant, station)
        result["on_air"] = {
            "station_id": station.station_id, "antenna_height_m": station.antenna_height_m, "virtual": station.virtual,
            "east_m": difference.east_m, "north_m": difference.north_m, "up_m": difference.up_m,
            "agrees": difference.agrees,
        }  # fmt: skip
    findings = judge_base(
        meant, reading.arp_height_m, occupation.station_id, station, coordinate.source == "average", job.length_unit
    )
    if heard is not None and heard.rover_is_heard and heard.epoch is not None:
        findings += judge_rover(heard.epoch.epoch, occupation.station_id)
    result["findings"] = [item.as_dict() for item in findings]
    return result
