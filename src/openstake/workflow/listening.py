"""Listening: the feeds of a base that runs, what they bring into the store, and what browsers are told of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from sqlalchemy.orm import Session

from openstake.core.evidence import StationReference
from openstake.core.limits import OLD_AGE_S
from openstake.core.rtk.rover import RoverEvent
from openstake.derive.job import job_of
from openstake.live.feed import FeedState, FeedStatus
from openstake.live.rawfile import Place
from openstake.live.repeated_events import Folding
from openstake.live.rover import Address, ReceivedEpoch
from openstake.live.session import Addresses, RunningSession
from openstake.store.book import bases_from_elsewhere, write_entry
from openstake.store.models import HeardEphemeris, Listening, Occupation, Reference
from openstake.store.records.bases import further_rovers, listening_of, running_occupations
from openstake.store.records.epochs import add_epochs, epoch_columns
from openstake.workflow.command import carry_out
from openstake.workflow.context import Context, PracticeField
from openstake.workflow.moment import Live, live_view, told_in_book
from openstake.workflow.secrets import secret_key, secret_of


class StoreSink:
    """Puts what the running sessions receive into the store."""

    def __init__(self, context: Context, job_id: str) -> None:
        self._context, self._job_id = context, job_id
        self._folding = Folding()

    def _now(self) -> float:
        return self._context.now(self._job_id)

    def epochs(self, rows: Sequence[tuple[str, ReceivedEpoch]]) -> None:
        values = [epoch_columns(row.epoch, row.host_s, row.reference_id) | {"listening_id": rover_id} for rover_id, row in rows]

        def work(session: Session) -> None:
            add_epochs(session, values)

        self._context.database.write(work, urgent=True)

    def reference(self, session_id: str, reference_id: str, station: StationReference, place: Place) -> None:
        row = Reference(
            id=reference_id,
            listening_id=session_id,
            origin="decoded",
            station_id=station.station_id,
            x_m=station.x_m,
            y_m=station.y_m,
            z_m=station.z_m,
            antenna_height_m=station.antenna_height_m,
            virtual=station.virtual,
            raw_file=place.file,
            raw_offset=place.offset,
            heard_s=self._now(),
        )

        plain = self._folding.is_plain("base-heard", f"base {station.station_id}", self._now())

        def work(session: Session) -> None:
            session.add(row)
            session.flush()
            if not plain:
                return
            height = "not stated" if station.antenna_height_m is None else f"{station.antenna_height_m:.4f} m"
            write_entry(
                session,
                self._now(),
                "base-heard",
                f"Base {station.station_id} heard on the air, antenna height {height}.",
                self._job_id,
                "machine",
                reference=reference_id,
                x_m=station.x_m,
                y_m=station.y_m,
                z_m=station.z_m,
                antenna_height_m=station.antenna_height_m,
                virtual=station.virtual,
            )

        self._context.database.write(work)

    def ephemeris(self, session_id: str, number: int, payload: bytes) -> None:
        row = HeardEphemeris(job_id=self._job_id, listening_id=session_id, number=number, payload=payload, heard_s=self._now())
        self._context.database.write(lambda session: session.add(row))

    def feed_changed(self, session_id: str, role: str, status: FeedStatus) -> None:
        if status.state in (FeedState.CONNECTING, FeedState.CONNECTED):
            return

        if not self._folding.is_plain(f"{role} feed", status.sentence, self._now()):
            return

        def work(session: Session) -> None:
            write_entry(
                session,
                self._now(),
                "feed",
                f"{_begun(role)} feed: {status.sentence}",
                self._job_id,
                "machine",
                listening=session_id,
                state=status.state.value,
            )

        self._context.database.write(work)

    def happened(self, session_id: str, rover: str, item: RoverEvent) -> None:
        with self._context.database.read() as session:
            job = job_of(session, self._job_id)
        kind, sentence = told_in_book(item, job.length_unit)
        if not sentence or not self._folding.is_plain(f"{kind} {rover}".strip(), sentence, self._now()):
            return

        def work(session: Session) -> None:
            who = f"Rover {rover}: " if rover else "Rover: "
            write_entry(session, self._now(), kind, who + sentence, job.id, "machine", listening=session_id)

        self._context.database.write(work)

    def settle(self, session_id: str, final: bool) -> None:
        folded = self._folding.due(self._now(), final)
        if not folded:
            return

        def work(session: Session) -> None:
            for item in folded:
                write_entry(
                    session,
                    self._now(),
                    "repeated",
                    f"{_begun(item.kind.replace('-', ' '))}: {item.count} more changes within "
                    f"{item.last_s - item.first_s:.0f} s; the last: {item.last}",
                    self._job_id,
                    "machine",
                    listening=session_id,
                    count=item.count,
                    first_s=item.first_s,
                    last_s=item.last_s,
                )

        self._context.database.write(work)
        self._folding.written(folded)


def _begun(words: str) -> str:
    """Return words as the beginning of a sentence; names in them keep their letters."""
    return words[:1].upper() + words[1:]


def listen(context: Context, occupation: Occupation, listening: Listening) -> None:
    """Start listening to an occupation's feeds."""
    practice = context.practice if context.practice is not None and _is_practice(context, occupation.job_id) else None
    base_password, receiver_password = (secret_of(context, secret_key(listening.id, field)) for field in ("base_url", "receiver_url"))
    base_url, receiver_url = listening.base_url, listening.receiver_url
    if practice is not None:
        # Stand-ins may have come back on other ports.
        base_url = base_url and practice.base_stream_url
        receiver_url = receiver_url and practice.base_receiver_url
        base_password = practice.password
    with context.database.read() as session:
        rows = [listening, *further_rovers(session, occupation.id)]
    rovers = tuple(rover_address(context, row, practice) for row in rows if row.rover_url)
    running = RunningSession(
        listening.id,
        Addresses(
            base_url=base_url, base_password=base_password, rovers=rovers, receiver_url=receiver_url, receiver_password=receiver_password
        ),
        context.data_dir / "raw",
        StoreSink(context, occupation.job_id),
        _publisher(context, occupation.job_id),
        context.outside_of_job(occupation.job_id),
    )
    context.running.begin_session(occupation.id, running)


def rover_address(context: Context, row: Listening, practice: PracticeField | None) -> Address:
    """Return where a rover is listened to; a stand-in may have come back on another port."""
    url = row.rover_url or ""
    if practice is not None:
        url = practice.further_rover() if row.further else practice.rover_url
    return Address(id=row.id, name=row.device, url=url, password=secret_of(context, secret_key(row.id, "rover_url")))


def _is_practice(context: Context, job_id: str) -> bool:
    with context.database.read() as session:
        return job_of(session, job_id).practice


def stop_listening(context: Context, occupation_id: str) -> None:
    """Stop an occupation's feeds; what they brought is kept."""
    if context.running.end_session(occupation_id):
        # What was live is not any more: a page that opens later must not be given the last fix.
        with context.database.read() as session:
            job_id = session.get_one(Occupation, occupation_id).job_id
        context.hub.publish(f"live:{job_id}", None)


def resume(context: Context) -> int:
    """Go on listening where the program stopped or was killed; return how many sessions."""
    with context.database.read() as session:
        theirs = bases_from_elsewhere(session)
        occupations = [row for row in running_occupations(session) if row.id not in theirs]
        rows = [(occupation, listening_of(session, occupation.id)) for occupation in occupations]
    for occupation, listening in rows:
        _write_resumed(context, occupation.job_id)
        listen(context, occupation, listening)
    return len(rows)


def _write_resumed(context: Context, job_id: str) -> None:
    carry_out(context, job_id, lambda tx: tx.tell("resumed", "The program is listening again after a restart.", "machine"))


def _kind(live: Live) -> tuple[object, ...]:
    """Return what of a moment is more than numbers: where it changes, what was read of the job is read again."""
    feeds = [feed and feed.state for feed in (live.base_feed, live.rover_feed, live.receiver_feed)]
    old = (live.age_s or 0.0) > OLD_AGE_S
    return live.rover_id, live.status, live.station_id, old, feeds, live.storing_problem, live.jumps


def _publisher(context: Context, job_id: str) -> Callable[[RunningSession], None]:
    """Return what sends each moment to the browsers of a job, and says when more than numbers has changed."""
    last: list[object] = [None]

    def publish(running: RunningSession) -> None:
        moments = [running.moment(rover_id) for rover_id in running.rover_ids or (None,)]
        lives = [live_view(moment) for moment in moments]
        context.hub.publish(f"live:{job_id}", lives)
        kind = (moments[0].reference, [_kind(live) for live in lives])
        if kind != last[0]:
            last[0] = kind
            context.changed(job_id)

    return publish
