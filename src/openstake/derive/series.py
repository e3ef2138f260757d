"""Shots taken for one purpose, as they stand: each series with the latest shot of each of its places."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from typing import Generic, TypeVar

from sqlalchemy import ColumnElement
from sqlalchemy.orm import Session

from openstake.core.shot_series import SERIES_KINDS, FieldTestSettled, TurnSettled
from openstake.store.models import Shot
from openstake.store.records.shots import series_rows, shots_of_series

Settled = TypeVar("Settled", TurnSettled, FieldTestSettled)


@dataclass(frozen=True, kw_only=True)
class SeriesNow(Generic[Settled]):
    """A series that was not given up: what was settled before, and the shot of each place that was taken."""

    id: str
    job_id: str
    settled: Settled
    created_s: float
    shots: dict[str, Shot]

    @property
    def last_place(self) -> str | None:
        """The place that was taken last, None before the first."""
        return max(self.shots, key=lambda place: self.shots[place].created_s, default=None)


def series_now(session: Session, of: type[Settled], *where: ColumnElement[bool]) -> list[SeriesNow[Settled]]:
    """Return the series settled by `of` that fulfil `where` and were not given up, newest first: two queries."""
    rows = series_rows(session, SERIES_KINDS[of], *where)
    items = shots_of_series(session, [row.id for row in rows])
    taken: dict[str, dict[str, Shot]] = defaultdict(dict)
    for series_id, place, shot in items:
        taken[series_id][place] = shot
    return [
        SeriesNow(id=row.id, job_id=row.job_id, settled=row.data, created_s=row.created_s, shots=taken[row.id])
        for row in rows
        if isinstance(row.data, of)
    ]
