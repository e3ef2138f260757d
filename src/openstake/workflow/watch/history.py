"""The fix history: runs of one solution, and the worst of everything in each slice of time, however long it was."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Integer, Row, case, cast, func, select

from openstake.core.budget import horizontal_95_m, vertical_95_m
from openstake.core.evidence import STATUS_BY_GGA_QUALITY, Status
from openstake.core.limits import Seconds
from openstake.store.models import EpochRow, Listening
from openstake.workflow.context import Context
from openstake.workflow.now.base import open_occupation
from openstake.workflow.now.job import job_of

SLICES = 600  # about the pixels of the picture: more would cost and not show
_SHORTEST_S = 10.0
# Epochs farther apart than this are not one run: the slowest rate that shows as a line.
_GAP_S = 1.6
_WORST_FIRST = (Status.NONE, Status.SINGLE, Status.OTHER, Status.DGPS, Status.FLOAT, Status.FIXED)


@dataclass(frozen=True)
class HistoryQuery:
    """How far back, seconds."""

    seconds: Seconds = 600


@dataclass(frozen=True)
class Run:
    """A stretch of one solution, host seconds."""

    status: Status
    from_s: float
    to_s: float


@dataclass(frozen=True)
class History:
    """The last stretch of time, host seconds; the columns hold the worst of each slice, None where nothing came.

    The 95 % values are the receiver's claim, of the largest sigmas in the slice.
    """

    from_s: float
    to_s: float
    runs: list[Run] = field(default_factory=list)
    host_s: list[float] = field(default_factory=list)
    age_s: list[float | None] = field(default_factory=list)
    satellites: list[int | None] = field(default_factory=list)
    horizontal_95_m: list[float | None] = field(default_factory=list)
    vertical_95_m: list[float | None] = field(default_factory=list)


def history(context: Context, job_id: str, query: HistoryQuery) -> History:
    """Return the last stretch of the fix history of the base that runs: at most 600 slices, whatever was received."""
    seconds = max(query.seconds, _SHORTEST_S)
    since = context.now() - seconds
    rows: Sequence[Row[Any]] = []
    with context.database.read() as session:
        job_of(session, job_id)
        occupation = open_occupation(session, job_id)
        if occupation is not None:
            rows = session.execute(_sliced(occupation.id, since, seconds)).all()
    return _history(rows, since, seconds)


def _sliced(occupation_id: str, since_s: float, seconds: float) -> Any:
    """Return the query for the slices of an occupation's epochs: when each begins and ends, and the worst in it."""
    listening = select(Listening.id).where(Listening.occupation_id == occupation_id)
    ranks = {quality: _WORST_FIRST.index(status) for quality, status in STATUS_BY_GGA_QUALITY.items()}
    rank = case(ranks, value=EpochRow.quality, else_=_WORST_FIRST.index(Status.OTHER))
    at = cast((EpochRow.host_s - since_s) * (SLICES / seconds), Integer)
    return (
        select(
            func.min(EpochRow.host_s).label("first_s"),
            func.max(EpochRow.host_s).label("last_s"),
            func.min(rank).label("rank"),
            func.max(EpochRow.age_s).label("age_s"),
            func.min(EpochRow.satellites).label("satellites"),
            # The axes of the ellipse where the receiver sends one.
            func.max(func.coalesce(EpochRow.sigma_major_m, EpochRow.sigma_east_m)).label("east_m"),
            func.max(func.coalesce(EpochRow.sigma_minor_m, EpochRow.sigma_north_m)).label("north_m"),
            func.max(EpochRow.sigma_up_m).label("up_m"),
        )
        .where(EpochRow.listening_id.in_(listening), EpochRow.host_s >= since_s)
        .group_by(at)
        .order_by(at)
    )


def _history(rows: Sequence[Row[Any]], since_s: float, seconds: float) -> History:
    found = History(since_s, since_s + seconds)
    last: Row[Any] | None = None
    for row in rows:
        joined = last is not None and row.first_s - last.last_s <= _GAP_S
        if last is not None and not joined:
            _add(found, (last.last_s + row.first_s) / 2.0, None, None, None, None)  # breaks the lines
        status = _WORST_FIRST[row.rank]
        if joined and found.runs[-1].status is status:
            found.runs[-1] = Run(status, found.runs[-1].from_s, row.last_s)
        else:
            if joined:
                # A run lasts until the next one begins.
                found.runs[-1] = Run(found.runs[-1].status, found.runs[-1].from_s, row.first_s)
            found.runs.append(Run(status, row.first_s, row.last_s))
        known = row.east_m is not None and row.north_m is not None
        _add(
            found, row.last_s, row.age_s, row.satellites, horizontal_95_m(row.east_m, row.north_m) if known else None,
            None if row.up_m is None else vertical_95_m(row.up_m),
        )  # fmt: skip
        last = row
    return found


def _add(
    found: History, host_s: float, age_s: float | None, satellites: int | None, flat_m: float | None, up_m: float | None
) -> None:  # fmt: skip
    found.host_s.append(host_s)
    found.age_s.append(age_s)
    found.satellites.append(satellites)
    found.horizontal_95_m.append(flat_m)
    found.vertical_95_m.append(up_m)
