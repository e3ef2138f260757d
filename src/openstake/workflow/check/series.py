"""Shots taken for one purpose: a series is begun, filled place by place, and given up; the latest shot of a place counts."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.errors import InputError, NotFoundError
from openstake.core.limits import LONGEST_SHOT_S, Seconds, ShortText
from openstake.core.shot import ShotKind
from openstake.store import lines
from openstake.store.book import write_entry
from openstake.store.models import Shot, ShotSeries, ShotSeriesItem
from openstake.workflow.context import Context
from openstake.workflow.now.heights import read_height
from openstake.workflow.now.job import JobNow, job_of
from openstake.workflow.now.kit import kit_of
from openstake.workflow.recording import Recording, ShotPlan, begin

SeriesKind = Literal["pole turn", "field test"]


@dataclass(frozen=True)
class SeriesShotWish:
    """The next shot of a series: the pole, and how long."""

    series_id: ShortText
    reading: ShortText
    feature: ShortText
    seconds: Seconds = 30
    rover_id: ShortText | None = None


@dataclass(frozen=True)
class SeriesNamed:
    """A series."""

    series_id: ShortText


@dataclass(frozen=True)
class SeriesNow:
    """A series as it stands: what was settled, and the shot of each place that was taken."""

    id: str
    data: dict[str, Any]
    created_s: float
    shots: dict[str, Shot]


def series_of(session: Session, job_id: str, kind: SeriesKind) -> list[SeriesNow]:
    """Return a job's series of a kind that were not given up, newest first: three queries."""
    return _with_shots(session, lines.heads(ShotSeries, ShotSeries.job_id == job_id, *_alive(kind)))


def _alive(kind: SeriesKind) -> tuple[Any, ...]:
    return (ShotSeries.kind == kind, ShotSeries.withdrawn.is_(False))


def _with_shots(session: Session, heads: Any) -> list[SeriesNow]:
    rows = session.scalars(heads.order_by(ShotSeries.created_s.desc(), ShotSeries.id)).all()
    taken = _taken(session, [row.id for row in rows])
    return [SeriesNow(row.id, json.loads(row.data), row.created_s, taken[row.id]) for row in rows]


def _taken(session: Session, ids: Collection[str]) -> dict[str, dict[str, Shot]]:
    rows = session.execute(
        select(ShotSeriesItem, Shot)
        .join(Shot, Shot.id == ShotSeriesItem.shot_id)
        .where(ShotSeriesItem.series_id.in_(ids))
        .order_by(ShotSeriesItem.created_s, ShotSeriesItem.id)
    )
    found: dict[str, dict[str, Shot]] = defaultdict(dict)
    for item, shot in rows:
        found[item.series_id][item.place] = shot
    return found


def begin_series(
    session: Session, job_id: str, kind: SeriesKind, data: dict[str, Any], words: str, now_s: float
) -> None:
    """Begin a series, in place of any other of its kind that is open in this job."""
    row = ShotSeries(job_id=job_id, kind=kind, data=json.dumps(data), created_s=now_s)
    session.add(row)
    session.flush()
    write_entry(session, now_s, kind.replace(" ", "-"), words, job_id, series=row.id)


def give_up(context: Context, job_id: str, kind: SeriesKind, series_id: str) -> None:
    """Give a series up; its shots stay in the store."""

    def work(session: Session) -> None:
        old = lines.head(session, ShotSeries, series_id, _MISSING)
        if old.job_id != job_id or old.kind != kind or old.withdrawn:
            raise NotFoundError(_MISSING)
        now = context.now()
        session.add(
            ShotSeries(
                job_id=job_id, kind=kind, data=old.data, withdrawn=True, replaces_id=old.id, created_s=now
            )
        )  # fmt: skip
        write_entry(session, now, kind.replace(" ", "-"), f"A {kind} was given up.", job_id, series=old.id)

    context.database.write(work)
    context.changed(job_id)


_MISSING = "This series is not open in this job."


def record_place(
    context: Context, job_id: str, kind: SeriesKind, wish: SeriesShotWish, place: str, words: str
) -> Recording:  # fmt: skip
    """Begin to record the shot of a place, fixed only; stored, it takes the place of an earlier one there."""
    if not 1.0 <= wish.seconds <= LONGEST_SHOT_S:
        raise InputError(f"A shot lasts 1 to {LONGEST_SHOT_S:.0f} s; {wish.seconds:g} s was asked.", field="seconds")
    with context.database.read() as session:
        job = job_of(session, job_id)
        height = read_height(kit_of(session, job_id), job.length_unit, wish.reading, wish.feature, "rover")
    plan = ShotPlan(ShotKind(name="control", seconds=wish.seconds), height, True, name=words[:80], purpose=kind)

    def told(session: Session, job: JobNow, shot: Shot, now: float) -> None:
        session.add(ShotSeriesItem(series_id=wish.series_id, place=place, shot_id=shot.id, created_s=now))
        write_entry(
            session, now, kind.replace(" ", "-"), f"{words}: recorded.", job.id, shot=shot.id, series=wish.series_id
        )

    return begin(context, job_id, plan, wish.rover_id, told)


def open_series(session: Session, job_id: str, kind: SeriesKind, series_id: str) -> SeriesNow:
    """Return a series that is open in a job; NotFoundError where there is none."""
    found = next((item for item in series_of(session, job_id, kind) if item.id == series_id), None)
    if found is None:
        raise NotFoundError(_MISSING)
    return found


def ordered_shots(listed: Sequence[SeriesNow]) -> list[Shot]:
    return [shot for item in listed for shot in item.shots.values()]
