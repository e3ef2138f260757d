"""Bases: set-ups, occupations, where they are listened to, their static logs, and what was changed at them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from openstake.core.errors import NotFoundError
from openstake.store.models import (
    BaseCoordinate,
    HeightReading,
    Job,
    Listening,
    Mark,
    Occupation,
    OccupationEnd,
    Reference,
    SetUp,
    SiteChange,
    StaticLog,
    StaticLogEnd,
)
from openstake.store.records import lines
from openstake.store.records.lines import heads


def latest_occupation(session: Session, job_id: str) -> Occupation | None:
    """Return the base that was started last in a job."""
    query = select(Occupation).where(Occupation.job_id == job_id).order_by(Occupation.started_s.desc())
    return session.scalars(query.limit(1)).first()


def occupation_of_setup(session: Session, job_id: str, setup_id: str) -> Occupation | None:
    """Return the occupation that a set-up became."""
    return session.scalars(select(Occupation).where(Occupation.job_id == job_id, Occupation.setup_id == setup_id)).first()


def occupation_of_reading(session: Session, job_id: str, reading_id: str) -> Occupation | None:
    """Return the occupation that a height reading belongs to, None while it is set up."""
    row = session.get(HeightReading, reading_id)
    if row is None:
        return None
    if row.occupation_id is not None:
        return session.get(Occupation, row.occupation_id)
    return None if row.setup_id is None else occupation_of_setup(session, job_id, row.setup_id)


def occupations_on(session: Session, job_id: str, mark_ids: Collection[str]) -> Sequence[str]:
    """Return the ids of a job's occupations of a mark, by the rows of its line."""
    return session.scalars(select(Occupation.id).where(Occupation.job_id == job_id, Occupation.mark_id.in_(mark_ids))).all()


def a_base_has_ended(session: Session, job_id: str) -> bool:
    """Tell whether a base has run in a job and ended."""
    query = select(OccupationEnd.occupation_id).join(Occupation, Occupation.id == OccupationEnd.occupation_id)
    return session.scalars(query.where(Occupation.job_id == job_id).limit(1)).first() is not None


def running_occupations(session: Session) -> Sequence[Occupation]:
    """Return the occupations of all jobs that have not ended."""
    return session.scalars(select(Occupation).where(Occupation.id.not_in(select(OccupationEnd.occupation_id)))).all()


def one_is_of_practice(session: Session, occupation_ids: Collection[str]) -> bool:
    """Tell whether one of some occupations is of a practice job."""
    query = select(Occupation.id).join(Job, Job.id == Occupation.job_id).where(Job.practice, Occupation.id.in_(occupation_ids))
    return session.scalar(query.limit(1)) is not None


def newest_setup(session: Session, job_id: str) -> SetUp | None:
    """Return the last row of the newest set-up that is neither abandoned nor started."""
    used = select(Occupation.setup_id).where(Occupation.setup_id.is_not(None))
    query = heads(SetUp, SetUp.job_id == job_id, ~SetUp.dropped, SetUp.line_id.not_in(used))
    return session.scalars(query.order_by(SetUp.created_s.desc())).first()


def setup_began_s(session: Session, line_id: str) -> float | None:
    """Return when a set-up was begun, Unix seconds."""
    return session.scalars(select(SetUp.created_s).where(SetUp.line_id == line_id).order_by(SetUp.created_s)).first()


def last_setup_row(session: Session, job_id: str) -> SetUp | None:
    """Return the row of a set-up that was written last in a job."""
    return session.scalars(select(SetUp).where(SetUp.job_id == job_id).order_by(SetUp.created_s.desc())).first()


def listenings_of(session: Session, occupation_ids: Collection[str]) -> Sequence[Listening]:
    """Return where occupations were listened to, first to last."""
    query = select(Listening).where(Listening.occupation_id.in_(set(occupation_ids)))
    return session.scalars(query.order_by(Listening.started_s)).all()


def open_log(session: Session, occupation_id: str) -> StaticLog | None:
    """Return the static log of an occupation that runs."""
    ended = select(StaticLogEnd.log_id)
    return session.scalars(select(StaticLog).where(StaticLog.occupation_id == occupation_id, StaticLog.id.not_in(ended))).first()


def logs_with_ends(session: Session, occupation_ids: Collection[str]) -> list[tuple[StaticLog, float | None]]:
    """Return the static logs of occupations, first to last, with when each ended (Unix seconds; None of one that runs)."""
    query = select(StaticLog, StaticLogEnd.ended_s).outerjoin(StaticLogEnd, StaticLogEnd.log_id == StaticLog.id)
    rows = session.execute(query.where(StaticLog.occupation_id.in_(set(occupation_ids))).order_by(StaticLog.started_s))
    return [(row, ended_s) for row, ended_s in rows]


def count_open_logs(session: Session, occupation_id: str) -> int:
    """Return how many static logs of an occupation run."""
    where = (StaticLog.occupation_id == occupation_id, StaticLog.id.not_in(select(StaticLogEnd.log_id)))
    return session.scalar(select(func.count()).select_from(StaticLog).where(*where)) or 0


def site_changes(session: Session, occupation_id: str) -> Sequence[SiteChange]:
    """Return what the crew told to have changed at a base."""
    return session.scalars(select(SiteChange).where(SiteChange.occupation_id == occupation_id)).all()


def positions_heard_s(session: Session, occupation_id: str) -> Sequence[float]:
    """Return when each position of its own was decoded from a base's stream, first to last."""
    listening = select(Listening.id).where(Listening.occupation_id == occupation_id)
    where = (Reference.listening_id.in_(listening), Reference.origin == "decoded", ~Reference.virtual)
    return session.scalars(select(Reference.heard_s).where(*where).order_by(Reference.heard_s)).all()


def last_reference(session: Session, listening_ids: Collection[str]) -> Reference | None:
    """Return the base position that was heard last while it was listened to."""
    query = select(Reference).where(Reference.listening_id.in_(listening_ids)).order_by(Reference.heard_s.desc())
    return session.scalars(query.limit(1)).first()


def listening_of(session: Session, occupation_id: str) -> Listening:
    """Return where an occupation's feeds are listened to now: the latest that was said, the first at its start."""
    main = select(Listening).where(Listening.occupation_id == occupation_id, ~Listening.further)
    return session.scalars(main.order_by(Listening.started_s.desc()).limit(1)).one()


def further_rovers(session: Session, occupation_id: str) -> list[Listening]:
    """Return the further rovers that are listened to beside an occupation's first one, in the order in which they came."""
    rows = lines.heads(Listening, Listening.occupation_id == occupation_id, Listening.further.is_(True), ~Listening.withdrawn)
    return list(session.scalars(rows.order_by(Listening.started_s, Listening.id)))


def listening_line(session: Session, occupation_id: str, rover_id: str | None) -> list[str]:
    """Return the ids of all listenings of one rover of an occupation: its first one's, or those of a further one's line."""
    rows = session.scalars(select(Listening).where(Listening.occupation_id == occupation_id)).all()
    by_id = {row.id: row for row in rows}
    named = by_id.get(rover_id or "")
    if named is None or not named.further:
        return [row.id for row in rows if not row.further]
    line, row = [named.id], named
    while row.replaces_id in by_id:
        row = by_id[row.replaces_id]
        line.append(row.id)
    return line


def open_occupation(session: Session, job_id: str) -> Occupation | None:
    """Return the job's occupation that has not ended."""
    ended = select(OccupationEnd.occupation_id)
    return session.scalars(
        select(Occupation).where(Occupation.job_id == job_id, Occupation.id.not_in(ended)).order_by(Occupation.started_s.desc())
    ).first()


def needed_occupation(session: Session, job_id: str) -> Occupation:
    occupation = open_occupation(session, job_id)
    if occupation is None:
        raise NotFoundError("No base is running in this job. Start one on the Base page.")
    return occupation


def occupations_of(session: Session, job_id: str, only: Collection[str] | None) -> Sequence[Occupation]:
    """Return the occupations of a job, oldest first, or some of them."""
    chosen = [] if only is None else [Occupation.id.in_(only)]
    return session.scalars(select(Occupation).where(Occupation.job_id == job_id, *chosen).order_by(Occupation.started_s)).all()


def ends_s(session: Session, occupation_ids: Collection[str]) -> dict[str, float]:
    """Return when occupations ended, Unix seconds."""
    rows = session.scalars(select(OccupationEnd).where(OccupationEnd.occupation_id.in_(occupation_ids)))
    return {row.occupation_id: row.ended_s for row in rows}


def coordinates_of(session: Session, occupation_ids: Collection[str]) -> dict[str, list[BaseCoordinate]]:
    """Return the coordinates that bases were given, by occupation."""
    found: dict[str, list[BaseCoordinate]] = {occupation_id: [] for occupation_id in occupation_ids}
    for row in session.scalars(select(BaseCoordinate).where(BaseCoordinate.occupation_id.in_(occupation_ids))):
        found[row.occupation_id].append(row)
    return found


def base_readings(session: Session, job_id: str, of: Collection[Occupation] | None) -> Sequence[HeightReading]:
    """Return the readings of bases' heights in a job, or of some bases, first to last."""
    query = select(HeightReading).where(HeightReading.job_id == job_id, HeightReading.subject == "base")
    if of is not None:
        setups = {item.setup_id for item in of if item.setup_id}
        without = {item.id for item in of if not item.setup_id}
        query = query.where(HeightReading.setup_id.in_(setups) | HeightReading.occupation_id.in_(without))
    return session.scalars(query.order_by(HeightReading.created_s, HeightReading.id)).all()


def marks_under(session: Session, occupation_ids: Collection[str]) -> dict[str, str]:
    """Return the names of the marks under bases."""
    query = select(Occupation.id, Mark.name).join(Mark, Mark.id == Occupation.mark_id)
    return {row.id: row.name for row in session.execute(query.where(Occupation.id.in_(occupation_ids)))}


def references_between(session: Session, occupation_id: str, since_s: float, to_s: float, limit: int) -> tuple[str | None, Sequence[Any]]:
    """Return the first position that was decoded from a base's stream, and those heard in a stretch of time: id, when, station."""
    listening = select(Listening.id).where(Listening.occupation_id == occupation_id)
    decoded = (Reference.listening_id.in_(listening), Reference.origin == "decoded")
    first = session.scalar(select(Reference.id).where(*decoded).order_by(Reference.heard_s).limit(1))
    query = select(Reference.id, Reference.heard_s, Reference.station_id).where(*decoded, Reference.heard_s.between(since_s, to_s))
    return first, session.execute(query.order_by(Reference.heard_s).limit(limit)).all()


def listenings_between(session: Session, occupation_id: str, since_s: float, to_s: float, limit: int) -> Sequence[Listening]:
    """Return where an occupation was listened to from within a stretch of time."""
    query = select(Listening).where(Listening.occupation_id == occupation_id, Listening.started_s.between(since_s, to_s))
    return session.scalars(query.limit(limit)).all()


def corrected_heights_between(session: Session, job_id: str, since_s: float, to_s: float, limit: int) -> Sequence[HeightReading]:
    """Return the corrections of bases' heights in a stretch of time."""
    row = HeightReading
    where = (row.job_id == job_id, row.subject == "base", row.replaces_id.is_not(None), row.created_s.between(since_s, to_s))
    return session.scalars(select(row).where(*where).limit(limit)).all()
