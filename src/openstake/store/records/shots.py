"""Shots: of a job, of a base, on a mark; in order of time."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any, get_args

from sqlalchemy import ColumnElement, Select, and_, func, or_, select, tuple_
from sqlalchemy.orm import Session

from openstake.core.shot_series import SeriesKind
from openstake.store.models import (
    GroundMeasure,
    HeightReading,
    Mark,
    Occupation,
    PointLabel,
    Reference,
    Shot,
    ShotEpoch,
    ShotSeries,
    ShotSeriesItem,
)
from openstake.store.records.lines import heads

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


def shots_of_marks(
    session: Session,
    job_id: str,
    named: tuple[Collection[str], Collection[str]],
    labelled: tuple[Collection[str], Collection[str]],
    linked: Collection[str],
) -> list[Shot]:
    """Return the shots of a job on some marks: of some kinds by their names, of others by the ids that labels gave, and those linked."""
    wanted = or_(
        and_(Shot.kind.in_(named[0]), Shot.name.in_(named[1])),
        and_(Shot.kind.in_(labelled[0]), Shot.id.in_(labelled[1])),
        Shot.id.in_(linked),
    )
    return shots_of_job(session, job_id, wanted)


def labelled(job_id: str, text: str, taken_out: bool) -> ColumnElement[bool]:
    """Return what makes a shot a point of a job whose name, code or note has a text; taken out of the list, or in it."""
    label = heads(PointLabel, PointLabel.job_id == job_id, PointLabel.taken_out.is_(taken_out), PointLabel.shot_id == Shot.id)
    if text:
        columns = (PointLabel.name, PointLabel.code, PointLabel.note)
        label = label.where(or_(*(column.icontains(text, autoescape=True) for column in columns)))
    return label.exists()


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


def ground_measures(session: Session, job_id: str) -> Sequence[GroundMeasure]:
    """Return the measures without GNSS of a job that are used, newest first."""
    rows = heads(GroundMeasure, GroundMeasure.job_id == job_id, ~GroundMeasure.withdrawn)
    return session.scalars(rows.order_by(GroundMeasure.created_s.desc())).all()


def series_rows(session: Session, kind: SeriesKind, *where: ColumnElement[bool]) -> Sequence[ShotSeries]:
    """Return the series of a kind that were not abandoned, newest first."""
    rows = heads(ShotSeries, ShotSeries.kind == kind, ~ShotSeries.withdrawn, *where)
    return session.scalars(rows.order_by(ShotSeries.created_s.desc(), ShotSeries.id)).all()


def shots_of_series(session: Session, series_ids: Collection[str]) -> Sequence[Any]:
    """Return series, place and shot of all that were taken for some series, first to last."""
    query = select(ShotSeriesItem.series_id, ShotSeriesItem.place, Shot).join(Shot, Shot.id == ShotSeriesItem.shot_id)
    rows = query.where(ShotSeriesItem.series_id.in_(series_ids)).order_by(ShotSeriesItem.created_s, ShotSeriesItem.id)
    return session.execute(rows).all()


# So many rows are asked for by their ids (SQLite takes 32 766 parameters); of more the whole job's are read.
_MOST_NAMED = 20_000


def named_ids(ids: Collection[str], of_shots: Any, job_id: str) -> Any:
    """Return ids for a query, or where they are too many a query for those of all the job's shots."""
    return ids if len(ids) <= _MOST_NAMED else select(of_shots).where(Shot.job_id == job_id)


def references_of(session: Session, job_id: str, shots: Collection[Any]) -> dict[str, Reference]:
    ids = named_ids({shot.reference_id for shot in shots}, Shot.reference_id, job_id)
    return {row.id: row for row in session.scalars(select(Reference).where(Reference.id.in_(ids)))}


def pole_lines(session: Session, job_id: str, shots: Collection[Any]) -> dict[str, tuple[HeightReading, ...]]:
    """Return the rover heights of shots, by the reading they were recorded with: that one, then what it was corrected to.

    `shots` are rows, or parts of rows, with `height_reading_id`.
    """
    ids = named_ids({shot.height_reading_id for shot in shots}, Shot.height_reading_id, job_id)
    named = select(HeightReading.id.label("id")).where(HeightReading.id.in_(ids)).cte("line", recursive=True)
    line_ids = named.union_all(select(HeightReading.id).join(named, HeightReading.replaces_id == named.c.id))
    rows = session.scalars(select(HeightReading).where(HeightReading.id.in_(select(line_ids.c.id)))).all()
    by_id = {row.id: row for row in rows}
    replaced_by = {row.replaces_id: row for row in rows if row.replaces_id is not None}
    found = {}
    for row_id in {shot.height_reading_id for shot in shots}:
        line = [by_id[row_id]]
        while (after := replaced_by.get(line[-1].id)) is not None:
            line.append(after)
        found[row_id] = tuple(line)
    return found
