"""Watch: listening to both streams, the state of the moment, the fix history."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from sqlalchemy import insert, select

from openstake.core.budget import horizontal_95_m, vertical_95_m
from openstake.core.evidence import STATUS_BY_GGA_QUALITY, Epoch, StationReference, Status
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.judge.log import OLD_AGE_S
from openstake.live.feed import FeedState, FeedStatus
from openstake.live.rawfile import Place
from openstake.live.session import Addresses, Moment, ReceivedEpoch, RunningSession
from openstake.store.book import write_entry
from openstake.store.models import (
    EpochRow,
    Listening,
    Occupation,
    OccupationEnd,
    Reference,
    new_id,
)
from openstake.workflow.context import Context, job_of, listening_of, open_occupation
from openstake.workflow.now.epochs import epoch_columns
from openstake.workflow.practice.field import PASSWORD
from openstake.workflow.secrets import secret_of

_HISTORY_MOST_S = 6 * 3600.0

STATUS_WORDS = {
    Status.NONE: "NO POSITION",
    Status.SINGLE: "SINGLE",
    Status.DGPS: "DGPS",
    Status.FLOAT: "FLOAT",
    Status.FIXED: "FIXED",
    Status.OTHER: "OTHER",
}


class StoreSink:
    """Puts what the running sessions receive into the store."""

    def __init__(self, context: Context) -> None:
        self._context = context

    def epochs(self, session_id: str, rows: Sequence[ReceivedEpoch]) -> None:
        values = [epoch_columns(row) | {"listening_id": session_id} for row in rows]
        self._context.database.write(lambda session: session.execute(insert(EpochRow), values))

    def reference(self, session_id: str, station: StationReference, place: Place) -> str:
        row = Reference(
            id=new_id(), listening_id=session_id, origin="decoded", station_id=station.station_id, x_m=station.x_m,
            y_m=station.y_m, z_m=station.z_m, antenna_height_m=station.antenna_height_m, virtual=station.virtual,
            raw_file=place.file, raw_offset=place.offset, heard_s=self._context.now(),
        )  # fmt: skip

        def work(session: Any) -> None:
            session.add(row)
            session.flush()
            height = "not stated" if station.antenna_height_m is None else f"{station.antenna_height_m:.4f} m"
            write_entry(
                session, self._context.now(), "base-heard",
                f"Base {station.station_id} heard on the air, antenna height {height}.",
                _job_id_of(session, session_id), "machine", reference=row.id, x_m=station.x_m, y_m=station.y_m,
                z_m=station.z_m, antenna_height_m=station.antenna_height_m, virtual=station.virtual,
            )  # fmt: skip

        self._context.database.write(work)
        return row.id

    def feed_changed(self, session_id: str, role: str, status: FeedStatus) -> None:
        if status.state in (FeedState.CONNECTING, FeedState.CONNECTED):
            return

        def work(session: Any) -> None:
            write_entry(
                session, self._context.now(), "feed", f"{role.capitalize()} feed: {status.sentence}",
                _job_id_of(session, session_id), "machine", listening=session_id, state=status.state.value,
            )  # fmt: skip

        self._context.database.write(work)


def _job_id_of(session: Any, listening_id: str) -> str:
    listening = session.get_one(Listening, listening_id)
    return str(session.get_one(Occupation, listening.occupation_id).job_id)


def listen(context: Context, occupation: Occupation, listening: Listening) -> None:
    """Start listening to an occupation's feeds."""
    base_url, rover_url, receiver_url = listening.base_url, listening.rover_url, listening.receiver_url
    password = secret_of(context, listening.id)
    if context.practice is not None and _is_practice(context, occupation.job_id):
        # Stand-ins may have come back on other ports.
        base_url = base_url and context.practice.base_stream_url
        rover_url = rover_url and context.practice.rover_url
        receiver_url = receiver_url and context.practice.base_receiver_url
        password = PASSWORD
    running = RunningSession(
        listening.id, Addresses(base_url, password, rover_url, receiver_url), context.data_dir / "raw", StoreSink(context),
        _publisher(context, occupation.job_id),
    )  # fmt: skip
    context.sessions[occupation.id] = running
    running.start()


def _is_practice(context: Context, job_id: str) -> bool:
    with context.database.read() as session:
        return job_of(session, job_id).practice


def stop_listening(context: Context, occupation_id: str) -> None:
    running = context.sessions.pop(occupation_id, None)
    if running is not None:
        running.stop()
        # What was live is not any more: a page that opens later must not be given the last fix.
        with context.database.read() as session:
            job_id = session.get_one(Occupation, occupation_id).job_id
        context.hub.publish(f"live:{job_id}", None)


def resume(context: Context) -> int:
    """Go on listening where the program stopped or was killed; return how many sessions."""
    with context.database.read() as session:
        ended = select(OccupationEnd.occupation_id)
        occupations = session.scalars(select(Occupation).where(Occupation.id.not_in(ended))).all()
        rows = [(occupation, listening_of(session, occupation.id)) for occupation in occupations]
    for occupation, listening in rows:
        _write_resumed(context, occupation.job_id)
        listen(context, occupation, listening)
    return len(rows)


def _write_resumed(context: Context, job_id: str) -> None:
    sentence = "The program was started again and listens on."
    context.database.write(lambda session: write_entry(session, context.now(), "resumed", sentence, job_id, "machine"))


def _publisher(context: Context, job_id: str) -> Callable[[RunningSession], None]:
    """Return what sends each moment to the browsers of a job, and says when more than numbers has changed."""
    last: list[object] = [None]

    def publish(running: RunningSession) -> None:
        moment = running.moment()
        live = live_view(moment)
        context.hub.publish(f"live:{job_id}", live)
        feeds = [feed and feed["state"] for feed in (live["base_feed"], live["rover_feed"], live["receiver_feed"])]
        old = (live["age_s"] or 0.0) > OLD_AGE_S
        kind = (moment.reference, live["status"], live["station_id"], old, feeds, live["storing_problem"])
        if kind != last[0]:
            last[0] = kind
            context.changed(job_id)

    return publish


def feed_view(status: FeedStatus | None) -> dict[str, Any] | None:
    if status is None:
        return None
    return {
        "state": status.state.value, "sentence": status.sentence, "since_s": status.since_s,
        "received_bytes": status.received_bytes, "last_byte_s": status.last_byte_s,
    }  # fmt: skip


def accuracy_95(epoch: Epoch) -> tuple[float | None, float | None]:
    """Return the receiver's claim at 95 %, horizontal and vertical, metres."""
    if epoch.sigma_east_m is None or epoch.sigma_north_m is None or epoch.sigma_up_m is None:
        return None, None
    return horizontal_95_m(epoch.sigma_east_m, epoch.sigma_north_m), vertical_95_m(epoch.sigma_up_m)


def live_view(moment: Moment) -> dict[str, Any]:
    """Return the moment as pages show it; unknown values are None."""
    epoch = moment.epoch.epoch if moment.epoch and moment.rover_is_heard else None
    status = epoch.status if epoch else Status.NONE
    horizontal, vertical = accuracy_95(epoch) if epoch else (None, None)
    shot = moment.shot
    return {
        "status": status.value,
        "status_word": STATUS_WORDS[status] if epoch else "NOT HEARD",
        "time_of_day_s": epoch.time_of_day_s if epoch else None,
        "host_time_s": moment.epoch.host_time_s if moment.epoch else None,
        "age_s": epoch.age_s if epoch else None,
        "satellites": epoch.satellites if epoch else None,
        "pdop": epoch.pdop if epoch else None,
        "hdop": epoch.hdop if epoch else None,
        "vdop": epoch.vdop if epoch else None,
        "horizontal_95_m": horizontal,
        "vertical_95_m": vertical,
        "station_id": epoch.station_id if epoch else None,
        "distance_m": _distance_m(epoch, moment.reference),
        "base_feed": feed_view(moment.base_feed),
        "rover_feed": feed_view(moment.rover_feed),
        "receiver_feed": feed_view(moment.receiver_feed),
        "observables": [
            {"constellation": item.constellation, "form": item.form, "satellites": item.satellites}
            for item in moment.observables
        ],
        "reference_settled": moment.reference_settled,
        "storing_problem": moment.storing_problem,
        "shot": {
            "id": shot.wish.id, "wanted_s": shot.wish.seconds, "collected_s": round(shot.collected_s, 1),
            "epochs": len(shot.epochs), "waiting_for": shot.waiting_for,
        }
        if shot
        else None,
    }  # fmt: skip


def _distance_m(epoch: Epoch | None, reference: StationReference | None) -> float | None:
    if epoch is None or reference is None or epoch.latitude_deg is None or epoch.height_m is None:
        return None
    rover = ecef_from_geodetic(epoch.latitude_deg, epoch.longitude_deg or 0.0, epoch.height_m)
    return float(np.linalg.norm(rover - np.asarray(reference.xyz_m)))


def view(context: Context, job_id: str) -> dict[str, Any]:
    """Return the state of the moment of a job, `running` false where nothing listens."""
    with context.database.read() as session:
        job_of(session, job_id)
        occupation = open_occupation(session, job_id)
    running = context.sessions.get(occupation.id) if occupation else None
    if running is None:
        return {"running": False, "live": None}
    return {"running": True, "live": live_view(running.moment())}


def history(context: Context, job_id: str, seconds: float) -> dict[str, Any]:
    """Return the last stretch of the fix history, one epoch a second: times (host), status, age, claim at 95 %."""
    seconds = min(max(seconds, 10.0), _HISTORY_MOST_S)
    since = context.now() - seconds
    with context.database.read() as session:
        job_of(session, job_id)
        occupation = open_occupation(session, job_id)
        rows: Sequence[Any] = []
        if occupation is not None:
            listening = select(Listening.id).where(Listening.occupation_id == occupation.id)
            rows = session.execute(
                select(
                    EpochRow.host_s, EpochRow.quality, EpochRow.age_s, EpochRow.satellites, EpochRow.sigma_east_m,
                    EpochRow.sigma_north_m, EpochRow.sigma_up_m,
                ).where(EpochRow.listening_id.in_(listening), EpochRow.host_s >= since).order_by(EpochRow.host_s)
            ).all()  # fmt: skip
    kept, last_second = [], None
    for row in rows:
        if int(row.host_s) != last_second:
            last_second = int(row.host_s)
            kept.append(row)
    known = [(row.sigma_east_m, row.sigma_north_m, row.sigma_up_m) for row in kept]
    return {
        "from_s": since,
        "to_s": since + seconds,
        "time_s": [row.host_s for row in kept],
        "status": [STATUS_BY_GGA_QUALITY.get(row.quality, Status.OTHER).value for row in kept],
        "age_s": [row.age_s for row in kept],
        "satellites": [row.satellites for row in kept],
        "horizontal_95_m": [None if None in s else horizontal_95_m(s[0], s[1]) for s in known],
        "vertical_95_m": [None if s[2] is None else vertical_95_m(s[2]) for s in known],
    }
