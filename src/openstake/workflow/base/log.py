"""Raw data of the base for post-processing: a stretch of its stream, marked from start to stop, written as RINEX 3."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.vector import raised_along_normal
from openstake.derive.base import base_of, three
from openstake.derive.job import job_of
from openstake.live.rawfile import Place
from openstake.store.models import Listening, Mark, Occupation, StaticLog, StaticLogEnd
from openstake.store.records.bases import last_reference, listenings_of, logs_with_ends, needed_occupation, open_log
from openstake.wire.rinex.write import RinexHeader
from openstake.workflow.base.coordinate import when
from openstake.workflow.base.rawdata import StreamToRinex
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context, file_name

INTERVALS_S = (1.0, 5.0, 10.0, 15.0, 30.0)
_PIECE_BYTES = 1 << 16


@dataclass(frozen=True)
class LogView:
    """A static log: from when to when, None while it runs."""

    id: str
    started_s: float
    ended_s: float | None


@dataclass(frozen=True)
class RawFileView:
    """A raw file of an occupation: what it came from, and how large it is."""

    name: str
    role: str
    bytes: int


def _stream_place(context: Context, occupation_id: str) -> Place:
    running = context.running.session(occupation_id)
    place = running.base_stream_place() if running else None
    if place is None:
        raise ConflictError(
            "The base's stream is not listened to here, so there is nothing to log. Give its address, or log in the receiver."
        )
    return place


@command()
def switch(tx: Transaction, on: bool) -> None:
    """Start a static log, or stop the one that runs."""
    occupation = needed_occupation(tx.session, tx.job_id)
    running = open_log(tx.session, occupation.id)
    if on == (running is not None):
        raise ConflictError("A static log runs already." if on else "No static log runs.")
    if running is None:
        begin(tx, occupation)
    else:
        _end(tx, running, _stream_place(tx.context, occupation.id))


def begin(tx: Transaction, occupation: Occupation) -> None:
    """Start a static log of an occupation whose stream is listened to."""
    place = _stream_place(tx.context, occupation.id)
    row = tx.add(StaticLog(occupation_id=occupation.id, raw_file=place.file, raw_offset=place.offset, started_s=tx.now_s))
    tx.tell("static-log", "Static log started: raw data of the base's stream.", log=row.id, file=place.file, offset=place.offset)


def _end(tx: Transaction, log: StaticLog, place: Place) -> None:
    tx.add(StaticLogEnd(log_id=log.id, raw_file=place.file, raw_offset=place.offset, ended_s=tx.now_s))
    words = f"Static log stopped after {(tx.now_s - log.started_s) / 60:.0f} min."
    tx.tell("static-log", words, log=log.id, file=place.file, offset=place.offset)


def end_open(tx: Transaction, occupation: Occupation) -> None:
    """Stop the log that runs, where one does: the base is ending."""
    log = open_log(tx.session, occupation.id)
    if log is not None:
        running = tx.context.running.session(occupation.id)
        place = running.base_stream_place() if running else None
        _end(tx, log, place or Place(log.raw_file, log.raw_offset))


def logs_of(session: Session, occupation_ids: Collection[str]) -> dict[str, list[LogView]]:
    """Return the static logs of occupations, first to last, by occupation."""
    found: dict[str, list[LogView]] = {occupation_id: [] for occupation_id in occupation_ids}
    for row, ended_s in logs_with_ends(session, occupation_ids):
        found[row.occupation_id].append(LogView(row.id, row.started_s, ended_s))
    return found


def raw_files_of(context: Context, session: Session, occupation_ids: Collection[str]) -> dict[str, list[RawFileView]]:
    """Return the raw files of occupations: what came from the base, the rover and the base's receiver."""
    paths: dict[str, list[Path]] = defaultdict(list)
    for path in sorted((context.data_dir / "raw").glob("*.raw")):
        paths[path.name.rsplit("-", 2)[0]].append(path)
    found: dict[str, list[RawFileView]] = {occupation_id: [] for occupation_id in occupation_ids}
    for row in listenings_of(session, occupation_ids):
        found[row.occupation_id] += [RawFileView(path.name, path.name.split("-")[-2], path.stat().st_size) for path in paths[row.id]]
    return found


@dataclass(frozen=True)
class _Stretch:
    """A part of a raw file: from a byte to another, None for its end."""

    path: Path
    first: int
    last: int | None


def _stretches(
    context: Context, listenings: Sequence[Listening], start: tuple[str, int], stop: tuple[str, int] | None
) -> Iterator[_Stretch]:
    """Yield the parts of the base's raw files between two places, in the order they were written."""
    names = [path for listening in listenings for path in sorted((context.data_dir / "raw").glob(f"{listening.id}-base-*.raw"))]
    inside = False
    for path in names:
        inside = inside or path.name == start[0]
        if not inside:
            continue
        at_end = stop is not None and path.name == stop[0]
        yield _Stretch(path, start[1] if path.name == start[0] else 0, stop[1] if at_end and stop else None)
        if at_end:
            return


def _bytes_of(stretch: _Stretch) -> Iterator[bytes]:
    with stretch.path.open("rb") as file:
        file.seek(stretch.first)
        left = None if stretch.last is None else stretch.last - stretch.first
        while left is None or left > 0:
            piece = file.read(_PIECE_BYTES if left is None else min(_PIECE_BYTES, left))
            if not piece:
                return
            left = None if left is None else left - len(piece)
            yield piece


def rinex(context: Context, job_id: str, log_id: str, interval_s: float) -> tuple[str, str]:
    """Return a static log as a RINEX 3 file, and its name; a log that still runs up to now."""
    if interval_s not in INTERVALS_S:
        raise InputError(f"The interval is one of {', '.join(f'{item:g}' for item in INTERVALS_S)} s.", field="interval")
    with context.database.read() as session:
        job = job_of(session, job_id)
        log = session.get(StaticLog, log_id)
        occupation = session.get(Occupation, log.occupation_id) if log else None
        if log is None or occupation is None or occupation.job_id != job_id:
            raise NotFoundError("There is no such static log in this job.")
        end = session.get(StaticLogEnd, log_id)
        listenings = listenings_of(session, {occupation.id})
        mark = session.get_one(Mark, occupation.mark_id)
        height = base_of(session, occupation).height
        heard = last_reference(session, [row.id for row in listenings])
    maker = StreamToRinex(log.started_s, interval_s)
    stop = (end.raw_file, end.raw_offset) if end else None
    for stretch in _stretches(context, listenings, (log.raw_file, log.raw_offset), stop):
        maker.feed(_bytes_of(stretch))
    place = maker.station.xyz_m if maker.station else (heard.x_m, heard.y_m, heard.z_m) if heard else (0.0, 0.0, 0.0)
    # The header has the marker's place, the stream the ARP's above it.
    marker = three(raised_along_normal(place, -height.arp_height_m)) if any(place) else place
    header = RinexHeader(
        marker=mark.name,
        approximate_xyz_m=marker,
        antenna_height_m=height.arp_height_m,
        observer=job.settings.crew,
        made_unix_s=context.now(job_id),
        comments=(f"Base {occupation.station_id}, logged {when(job, log.started_s)}",),
    )
    return maker.close(header), f"{file_name(mark.name)}-{int(log.started_s)}-{interval_s:g}s.rnx"
