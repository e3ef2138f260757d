"""Shots: of a job, of a base, on a mark; in order of time."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any, Literal, get_args

from sqlalchemy import ColumnElement, Select, func, select, tuple_
from sqlalchemy.orm import Session

from openstake.store.models import Mark, Occupation, PointLabel, Reference, Shot, ShotEpoch

SeriesKind = Literal["pole turn", "field test"]
# Shots of a series are stored as its kind: they are no points of the job, and have neither a name nor a mark.
OF_THE_JOB: ColumnElement[bool] = Shot.kind.not_in(get_args(SeriesKind))


def _listed(session: Session, where: Sequence[ColumnElement[bool]], newest_first: bool, limit: int | None) -> list[Shot]:
    order = (Shot.created_s.desc(), Shot.id.desc()) if newest_first else (Shot.created_s, Shot.id)
    return list(session.scalars(select(Shot).where(*where).order_by(*order).limit(limit)))


def shots_of_job(
    session: Session, job_id: str, *where: ColumnElement[bool], newest_first: bool = False, limit: int | None = None
) -> list[Shot]:
    """Return shots of a job that fulfil `where`."""
    return _listed(session, [Shot.job_id == job_id, *where], newest_first, limit)


def shots_page(
    session: Session, job_id: str, after: str, most: int, newest_first: bool, *where: ColumnElement[bool]
) -> tuple[list[Shot], str | None]:
    """Return a page of a job's shots in order of time, and the id after which the next one begins, None at the end."""
    key, bounds = tuple_(Shot.created_s, Shot.id), list(where)
    last = session.get(Shot, after) if after else None
    if last is not None:
        place = tuple_(last.created_s, last.id)
        bounds.append(key < place if newest_first else key > place)
    rows = shots_of_job(session, job_id, *bounds, newest_first=newest_first, limit=most + 1)
    return rows[:most], rows[most - 1].id if len(rows) > most else None


def shots_of_base(
    session: Session, occupation_id: str, *where: ColumnElement[bool], newest_first: bool = False, limit: int | None = None
) -> list[Shot]:
    """Return shots that were measured from a base."""
    return _listed(session, [Shot.occupation_id == occupation_id, *where], newest_first, limit)


def checks_of_base(session: Session, occupation_id: str) -> list[Shot]:
    """Return the shots on marks that were measured from a base, oldest first."""
    return shots_of_base(session, occupation_id, Shot.mark_id.is_not(None))


def newest_check(session: Session, job_id: str) -> Shot | None:
    """Return the latest shot on a mark of a job."""
    return next(iter(shots_of_job(session, job_id, Shot.mark_id.is_not(None), newest_first=True, limit=1)), None)


def shots_by_id(session: Session, ids: Collection[str]) -> list[Shot]:
    """Return the shots of these ids, oldest first."""
    return _listed(session, [Shot.id.in_(ids)], False, None)


def network_shots_on(session: Session, job_id: str, mark_ids: Collection[str], limit: int) -> list[Shot]:
    """Return the newest shots on a mark that rest on a virtual base."""
    virtual = select(Reference.id).where(Reference.virtual)
    where = (Shot.mark_id.in_(mark_ids), Shot.reference_id.in_(virtual))
    return shots_of_job(session, job_id, *where, newest_first=True, limit=limit)


def checks_by_radio(session: Session, occupation_id: str, station_id: int) -> list[Shot]:
    """Return the shots on marks all of whose epochs used the base's own station, oldest first."""
    by_another = select(ShotEpoch.shot_id).where(ShotEpoch.shot_id == Shot.id, ShotEpoch.station_id != station_id)
    return shots_of_base(session, occupation_id, Shot.mark_id.is_not(None), ~by_another.exists())


def last_point_s(session: Session, job_id: str) -> float | None:
    """Return when the latest point of a job was measured, Unix seconds."""
    labelled = select(PointLabel.shot_id)
    found: float | None = session.scalar(select(func.max(Shot.created_s)).where(Shot.job_id == job_id, Shot.id.in_(labelled)))
    return found


def received_ids(session: Session, job_id: str) -> Sequence[Any]:
    """Return id and base reference of every shot of a job."""
    return session.execute(select(Shot.id, Shot.reference_id).where(Shot.job_id == job_id)).all()


def marks_of_shots(session: Session, ids: Collection[Any]) -> dict[str, str | None]:
    """Return the mark that each shot stands on."""
    return {row.id: row.mark_id for row in session.execute(select(Shot.id, Shot.mark_id).where(Shot.id.in_(ids)))}


def check_ids_of_bases(session: Session, occupation_ids: Collection[str]) -> Sequence[Any]:
    """Return base, mark and id of every shot on a mark that was measured from bases, oldest first."""
    query = select(Shot.occupation_id, Shot.mark_id, Shot.id).where(Shot.occupation_id.in_(occupation_ids), Shot.mark_id.is_not(None))
    return session.execute(query.order_by(Shot.created_s, Shot.id)).all()


def replaced_marks_of_bases(session: Session, occupation_ids: Collection[str]) -> dict[str, str]:
    """Return the row that replaced each row of the control lists of bases' jobs."""
    jobs = select(Occupation.job_id).where(Occupation.id.in_(occupation_ids))
    rows = session.execute(select(Mark.replaces_id, Mark.id).where(Mark.job_id.in_(jobs), Mark.replaces_id.is_not(None)))
    return {old: new for old, new in rows if old is not None}


def of_one_pole(session: Session, occupation_id: str, listening_ids: Select[Any] | Collection[str]) -> Sequence[Any]:
    """Return the shots of one rover from one base, oldest first: what their pole's height needs."""
    query = select(Shot.id, Shot.created_s, Shot.refers_to, Shot.name, Shot.height_reading_id)
    where = (Shot.occupation_id == occupation_id, Shot.listening_id.in_(listening_ids))
    return session.execute(query.where(*where).order_by(Shot.created_s, Shot.id)).all()
