"""Shots taken for one purpose, as they stand: each series with the latest shot of each of its places."""

from __future__ import annotations

import json
from collections import defaultdict
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from openstake.store import lines
from openstake.store.models import Shot, ShotSeries, ShotSeriesItem

SeriesKind = Literal["pole turn", "field test"]


@dataclass(frozen=True)
class SeriesNow:
    """A series that was not given up: what was settled before, and the shot of each place that was taken."""

    id: str
    job_id: str
    data: dict[str, Any]
    created_s: float
    shots: dict[str, Shot]

    @property
    def last_place(self) -> str | None:
        """The place that was taken last, None before the first."""
        return max(self.shots, key=lambda place: self.shots[place].created_s, default=None)


def series_now(session: Session, kind: SeriesKind, *where: ColumnElement[bool]) -> list[SeriesNow]:
    """Return the series of a kind that fulfil `where` and were not given up, newest first: two queries."""
    heads = lines.heads(ShotSeries, ShotSeries.kind == kind, ~ShotSeries.withdrawn, *where)
    rows = session.scalars(heads.order_by(ShotSeries.created_s.desc(), ShotSeries.id)).all()
    items = session.execute(
        select(ShotSeriesItem.series_id, ShotSeriesItem.place, Shot)
        .join(Shot, Shot.id == ShotSeriesItem.shot_id)
        .where(ShotSeriesItem.series_id.in_([row.id for row in rows]))
        .order_by(ShotSeriesItem.created_s, ShotSeriesItem.id)
    )
    taken: dict[str, dict[str, Shot]] = defaultdict(dict)
    for series_id, place, shot in items:
        taken[series_id][place] = shot
    return [SeriesNow(row.id, row.job_id, json.loads(row.data), row.created_s, taken[row.id]) for row in rows]
