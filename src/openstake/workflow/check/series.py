"""Shots taken for one purpose: a series is begun, filled place by place, and given up; the latest shot of a place counts."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, NotFoundError
from openstake.core.limits import Seconds, ShortText
from openstake.core.shot import ShotKind, with_seconds
from openstake.core.shot_series import SERIES_KINDS, FieldTestSettled, SeriesKind, TurnSettled
from openstake.derive.heights import read_height
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.derive.series import SeriesNow, Settled, series_now
from openstake.store.book import write_entry
from openstake.store.models import Shot, ShotSeries, ShotSeriesItem
from openstake.store.records import lines
from openstake.workflow.command import Transaction, carry_out, command
from openstake.workflow.context import Context
from openstake.workflow.recording import Recording, ShotPlan, begin


@dataclass(frozen=True, kw_only=True)
class SeriesShotRequest:
    """The next shot of a series: the pole, and how long; `again` takes the last place once more."""

    series_id: ShortText
    reading: ShortText
    feature: ShortText
    seconds: Seconds = 30
    again: bool = False
    rover_id: ShortText | None = None


@dataclass(frozen=True)
class SeriesNamed:
    """A series."""

    series_id: ShortText


def begin_series(context: Context, job_id: str, settled: TurnSettled | FieldTestSettled, words: str) -> None:
    """Add the row of a new series, and say in the Book what it is for."""
    kind = SERIES_KINDS[type(settled)]

    def work(tx: Transaction) -> None:
        row = tx.add(ShotSeries(job_id=job_id, kind=kind, data=settled, created_s=tx.now_s))
        tx.tell(kind.replace(" ", "-"), words, series=row.id)

    carry_out(context, job_id, work)


@command()
def give_up(tx: Transaction, kind: SeriesKind, series_id: str) -> None:
    """Give a series up; its shots stay in the store."""
    old = lines.head(tx.session, ShotSeries, series_id, _MISSING)
    if old.job_id != tx.job_id or old.kind != kind or old.withdrawn:
        raise NotFoundError(_MISSING)
    tx.replace(old, withdrawn=True)
    tx.tell(kind.replace(" ", "-"), f"A {kind} was abandoned.", series=old.id)


_MISSING = "This series is not open in this job."


def record_place(context: Context, job_id: str, kind: SeriesKind, request: SeriesShotRequest, place: str, words: str) -> Recording:
    """Begin to record the shot of a place, fixed only; stored, it takes the place of an earlier one there."""
    kind_of_shot = with_seconds(ShotKind(name="control"), request.seconds)
    with context.database.read() as session:
        job = job_of(session, job_id)
        height = read_height(kit_of(session, job_id), job.length_unit, request.reading, request.feature, "rover")
    plan = ShotPlan(kind=kind_of_shot, height=height, fixed_only=True, name=words[:80], purpose=kind)

    def told(session: Session, job: JobNow, shot: Shot, now: float) -> None:
        session.add(ShotSeriesItem(series_id=request.series_id, place=place, shot_id=shot.id, created_s=now))
        write_entry(session, now, kind.replace(" ", "-"), f"{words}: recorded.", job.id, shot=shot.id, series=request.series_id)

    return begin(context, job_id, plan, request.rover_id, told)


def open_series(session: Session, job_id: str, of: type[Settled], series_id: str) -> SeriesNow[Settled]:
    """Return a series that is open in a job; NotFoundError where there is none."""
    found = series_now(session, of, ShotSeries.job_id == job_id, ShotSeries.id == series_id)
    if not found:
        raise NotFoundError(_MISSING)
    return found[0]


def place_wanted(series: SeriesNow[Settled], following: str | None, again: bool) -> str:
    """Return the place that is recorded now: the following one, or the last one again; ConflictError where there is none."""
    if again and series.last_place is None:
        raise ConflictError("Nothing of this series is recorded yet.")
    place = series.last_place if again else following
    if place is None:
        raise ConflictError("Everything of this series is recorded. Take the last one again, or begin a new one.")
    return place
