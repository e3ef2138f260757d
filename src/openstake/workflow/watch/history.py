"""The fix history: runs of one solution, and the worst of everything in each slice of time, however long it was."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any, Literal

from sqlalchemy import Row
from sqlalchemy.orm import Session

from openstake.core.evidence import STATUS_BY_GGA_QUALITY, Status
from openstake.core.limits import HostSeconds, Seconds, ShortText
from openstake.core.sigmas import horizontal_95_m, vertical_95_m
from openstake.core.units import LengthUnit, counted, text_from_metres, text_from_seconds
from openstake.derive.job import job_of
from openstake.store.models import Occupation
from openstake.store.records.bases import corrected_heights_between, listening_line, listenings_between, open_occupation, references_between
from openstake.store.records.epochs import slices_of
from openstake.workflow.context import Context

SLICES = 600  # about the pixels of the picture: more would cost and not show
_SHORTEST_S = 10.0
# Epochs farther apart than this are not one run: the slowest rate that shows as a line.
_GAP_S = 1.6
_MOST_EVENTS = 200
_CORRECTED = (Status.DGPS, Status.FLOAT, Status.FIXED)
_WORST_FIRST = (Status.NONE, Status.SINGLE, Status.OTHER, Status.DGPS, Status.FLOAT, Status.FIXED)
_RANKS = {quality: _WORST_FIRST.index(status) for quality, status in STATUS_BY_GGA_QUALITY.items()}


@dataclass(frozen=True)
class HistoryQuery:
    """How far back, seconds, and up to when (host seconds; now where it is 0); of which rover, the first where none is named."""

    seconds: Seconds = 600
    to_s: HostSeconds = 0
    rover_id: ShortText = ""


EventKind = Literal[
    "link lost", "link back", "initialised anew", "source switched", "base restarted", "height changed", "listening changed"
]


@dataclass(frozen=True)
class HistoryEvent:
    """Something that happened, host seconds."""

    at_s: float
    kind: EventKind
    words: str


@dataclass(frozen=True)
class Run:
    """A stretch of one solution, host seconds."""

    status: Status
    from_s: float
    to_s: float


@dataclass(frozen=True, kw_only=True)
class History:
    """The last stretch of time, host seconds; the columns hold the worst of each slice, None where nothing came.

    The 95 % values are the receiver's claim, of the largest sigmas in the slice.  `words` say what the picture shows.
    """

    from_s: float
    to_s: float
    runs: list[Run] = field(default_factory=list)
    host_s: list[float] = field(default_factory=list)
    age_s: list[float | None] = field(default_factory=list)
    satellites: list[int | None] = field(default_factory=list)
    horizontal_95_m: list[float | None] = field(default_factory=list)
    vertical_95_m: list[float | None] = field(default_factory=list)
    events: list[HistoryEvent] = field(default_factory=list)
    words: str = ""


def history(context: Context, job_id: str, query: HistoryQuery) -> History:
    """Return a stretch of the fix history of a rover: at most 600 slices, whatever was received."""
    seconds = max(query.seconds, _SHORTEST_S)
    since = (query.to_s or context.now(job_id)) - seconds
    rows: Sequence[Row[Any]] = []
    changes: list[HistoryEvent] = []
    with context.database.read() as session:
        unit = job_of(session, job_id).length_unit
        occupation = open_occupation(session, job_id)
        if occupation is not None:
            line = listening_line(session, occupation.id, query.rover_id or None)
            rows = slices_of(session, line, since, seconds, SLICES, _RANKS, _WORST_FIRST.index(Status.OTHER))
            changes = _changes(session, occupation, since, since + seconds)
    found = _history(rows, since, seconds)
    found.events.extend(sorted([*changes, *_of_runs(found), *_switches(rows)], key=lambda item: item.at_s)[-_MOST_EVENTS:])
    return replace(found, words=_in_words(found, unit))


def _in_words(found: History, unit: LengthUnit) -> str:
    """Return what the picture of a stretch shows, for those who cannot see it."""
    heard_s = sum(run.to_s - run.from_s for run in found.runs)
    if not found.runs:
        return f"Nothing came in {text_from_seconds(found.to_s - found.from_s)}."
    fixed_s = sum(run.to_s - run.from_s for run in found.runs if run.status is Status.FIXED)
    parts = [
        f"now {found.runs[-1].status.value}",
        f"fixed {100 * fixed_s / max(heard_s, 1e-9):.0f} % of {text_from_seconds(heard_s)} heard",
    ]
    if ages_s := [age_s for age_s in found.age_s if age_s is not None]:
        parts.append(f"age at worst {max(ages_s):.1f} s")
    for name, column in (("H", found.horizontal_95_m), ("V", found.vertical_95_m)):
        if known_m := [value_m for value_m in column if value_m is not None]:
            parts.append(f"{name} 95 % at worst {text_from_metres(max(known_m), unit)}")
    seen = [count for count in found.satellites if count is not None]
    parts += [f"{min(seen)} to {max(seen)} satellites"] if seen else []
    return f"{', '.join(parts)}; {counted(len(found.events), 'event')}."


def _changes(session: Session, occupation: Occupation, since_s: float, to_s: float) -> list[HistoryEvent]:
    """Return what was changed at the base within a stretch of time."""
    first, heard = references_between(session, occupation.id, since_s, to_s, _MOST_EVENTS)
    moved = listenings_between(session, occupation.id, max(since_s, occupation.started_s + 1.0), to_s, _MOST_EVENTS)
    heights = corrected_heights_between(session, occupation.job_id, max(since_s, occupation.started_s), to_s, _MOST_EVENTS)
    return [
        # The first one is the base as it was started.
        *(
            HistoryEvent(row.heard_s, "base restarted", f"base {row.station_id} heard with another position")
            for row in heard
            if row.id != first
        ),
        *(HistoryEvent(row.started_s, "listening changed", _listening_words(row)) for row in moved),
        *(HistoryEvent(row.created_s, "height changed", f"base height corrected to {row.text}") for row in heights),
    ]


def _listening_words(row: Any) -> str:
    if not row.further:
        return "other addresses"
    return f"rover {row.device} {'taken away' if row.withdrawn else 'added'}"


def _of_runs(found: History) -> list[HistoryEvent]:
    """Return when the fix was initialised anew, and when corrections stopped and came back."""
    events = []
    runs = found.runs
    seen_fixed = False
    for before, run in pairwise(runs):
        seen_fixed = seen_fixed or before.status is Status.FIXED
        corrected, was = run.status in _CORRECTED, before.status in _CORRECTED
        if was and not corrected:
            events.append(HistoryEvent(run.from_s, "link lost", f"{run.status.value} from here"))
        elif corrected and not was and seen_fixed:
            events.append(HistoryEvent(run.from_s, "link back", f"{run.status.value} from here"))
        if run.status is Status.FIXED and before.status is not Status.FIXED and seen_fixed:
            events.append(HistoryEvent(run.from_s, "initialised anew", "a new fix"))
    return events


def _switches(rows: Sequence[Row[Any]]) -> list[HistoryEvent]:
    """Return when the station ID in GGA changed."""
    events, last = [], None
    for row in rows:
        if row.station_low is None:
            continue
        if last is not None and (row.station_low, row.station_high) != (last, last):
            other = row.station_high if row.station_low == last else row.station_low
            events.append(HistoryEvent(row.first_s, "source switched", f"base {other} and no longer {last}"))
            last = other
        last = row.station_high if last is None else last
    return events


def _history(rows: Sequence[Row[Any]], since_s: float, seconds: float) -> History:
    found = History(from_s=since_s, to_s=since_s + seconds)
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
            found,
            row.last_s,
            row.age_s,
            row.satellites,
            horizontal_95_m(row.east_m, row.north_m) if known else None,
            None if row.up_m is None else vertical_95_m(row.up_m),
        )
        last = row
    return found


def _add(found: History, host_s: float, age_s: float | None, satellites: int | None, flat_m: float | None, up_m: float | None) -> None:
    found.host_s.append(host_s)
    found.age_s.append(age_s)
    found.satellites.append(satellites)
    found.horizontal_95_m.append(flat_m)
    found.vertical_95_m.append(up_m)
