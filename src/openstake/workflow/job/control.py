"""The control list, mark by mark: shown, added to, corrected, taken out and brought back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import atan2, degrees, hypot
from typing import Any, Literal

from sqlalchemy.orm import Session

from openstake.core.describe import fields_shown, typed
from openstake.core.errors import InputError
from openstake.core.geodesy.factors import grid_factors
from openstake.core.judge.control import KnownMarks, judge_places
from openstake.core.limits import ShortText, Text
from openstake.core.mark import GivenMark, HeightKind
from openstake.core.units import METRES_PER_UNIT, shortest_typed
from openstake.derive.job import JobNow, job_of
from openstake.derive.marks import MarkNow, current_marks, given_of, mark_row_of, place_rows, row_of
from openstake.store.models import Mark
from openstake.store.records.lines import head
from openstake.store.records.marks import current_rows, line_ids, marks_by_id
from openstake.wire.tables.control_reading import refusal_of, refusal_of_name
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context

MOST_MARKS_SHOWN = 300


@dataclass(frozen=True, kw_only=True)
class MarkView:
    """A mark with its place in the job; `height_m` and `height_kind` are as given, the two other heights as derived.

    `typed` are its lengths as they would be typed in the job's unit, to the last digit.
    """

    id: str
    name: str
    given_as: Literal["grid", "geodetic"]
    east_m: float
    north_m: float
    latitude_deg: float | None
    longitude_deg: float | None
    height_m: float | None
    height_kind: HeightKind | None
    ellipsoidal_height_m: float | None
    elevation_m: float | None
    sigma_horizontal_m: float
    sigma_vertical_m: float
    order: str
    source: str
    note: str
    check_only: bool
    typed: dict[str, str]


@dataclass(frozen=True)
class MarksQuery:
    """A text that the marks hold, or those taken out; `after` is where the last page ended."""

    text: ShortText = ""
    withdrawn: bool = False
    after: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class Marks:
    """Marks by name, how many there are and how many match; `next` asks for those that follow, None at the end."""

    marks: list[MarkView]
    total: int
    matching: int
    next: str | None


@dataclass(frozen=True)
class NewMark:
    """A mark as typed."""

    values: dict[str, Any]


@dataclass(frozen=True)
class ChangeMark:
    """A mark as typed anew, or taken out; and why."""

    reason: Text
    values: dict[str, Any] = field(default_factory=dict)
    withdraw: bool = False


@dataclass(frozen=True, kw_only=True)
class MarkVersion:
    """What a mark was, and why it was changed to that."""

    mark: MarkView
    reason: str
    withdrawn: bool
    created_s: float


@dataclass(frozen=True)
class MarkVersions:
    """What a mark was, newest first."""

    versions: list[MarkVersion]


@dataclass(frozen=True)
class BetweenQuery:
    """Two marks."""

    from_id: ShortText
    to_id: ShortText


@dataclass(frozen=True, kw_only=True)
class Between:
    """From one mark to another: distance in the job's coordinates, the one on the ground, grid bearing, rise."""

    from_name: str
    to_name: str
    distance_m: float
    ground_distance_m: float | None
    bearing_deg: float
    rise_m: float | None


def mark_view(mark: MarkNow, unit: str) -> MarkView:
    """Return a mark for the pages."""
    given = mark.given
    lengths = {field.name: getattr(given, field.name) for field in fields_shown(GivenMark) if field.kind == "length"}
    return MarkView(
        id=mark.id,
        name=given.name,
        given_as="geodetic" if given.is_geodetic else "grid",
        east_m=mark.east_m,
        north_m=mark.north_m,
        latitude_deg=mark.latitude_deg,
        longitude_deg=mark.longitude_deg,
        height_m=given.height_m,
        height_kind=given.height_kind,
        ellipsoidal_height_m=mark.ellipsoidal_height_m,
        elevation_m=mark.elevation_m,
        sigma_horizontal_m=mark.sigma_horizontal_m,
        sigma_vertical_m=mark.sigma_vertical_m,
        order=given.order,
        source=given.source,
        note=given.note,
        check_only=given.check_only,
        typed={name: shortest_typed(value, unit) for name, value in lengths.items() if value is not None},
    )


def list_marks(context: Context, job_id: str, query: MarksQuery) -> Marks:
    """Return the marks whose name, note or source holds the text, by name, and how many there are; or those taken out."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        rows = current_rows(session, job_id, query.withdrawn)
        sought = query.text.lower().strip()
        matching = [row for row in rows if sought in f"{row.name} {row.note} {row.source}".lower()] if sought else rows
        # An exact name first: what was typed is what is wanted.
        matching.sort(key=lambda row: row.name.lower() != sought)
        start = next((at + 1 for at, row in enumerate(matching) if row.id == query.after), 0) if query.after else 0
        page = matching[start : start + MOST_MARKS_SHOWN]
        shown = [mark_view(mark, job.length_unit) for mark in place_rows(job, page)]
    more = start + len(page) < len(matching)
    return Marks(marks=shown, total=len(rows), matching=len(matching), next=page[-1].id if more else None)


def typed_mark(job: JobNow, values: Mapping[str, Any]) -> GivenMark:
    mark = typed(GivenMark, values, job.length_unit)
    for one, other in (("east_m", "north_m"), ("latitude_deg", "longitude_deg")):
        if (getattr(mark, one) is None) != (getattr(mark, other) is None):
            empty = one if getattr(mark, one) is None else other
            raise InputError(f"The {empty.split('_')[0]} is empty.", field=empty)
    if mark.east_m is not None and mark.latitude_deg is not None:
        raise InputError("Give east and north, or latitude and longitude, not both: one follows from the other.", field="latitude_deg")
    if mark.height_m is not None and mark.height_kind is None:
        raise InputError("Say whether the height is ellipsoidal or an elevation.", field="height_kind")
    if sentence := refusal_of_name(mark):
        raise InputError(sentence, field="name")
    if sentence := refusal_of(mark):
        raise InputError(sentence)
    return mark


def _check_place(session: Session, job: JobNow, mark: GivenMark, itself: Mark | None) -> None:
    present = [row for row in current_marks(session, job) if itself is None or row.id != itself.id]
    known = KnownMarks({row.name: (row.east_m, row.north_m) for row in present})
    verdict = judge_places(job.frame, [mark], known, job.length_unit)[0]
    if verdict is not None:
        raise InputError(verdict.sentence, field="name" if verdict.code == "control-duplicate-name" else "east_m")


def add_mark(context: Context, job_id: str, request: NewMark) -> MarkView:
    """Add a mark by hand."""

    def work(tx: Transaction) -> Mark:
        job = tx.job
        mark = typed_mark(job, request.values)
        _check_place(tx.session, job, mark, None)
        row = row_of(mark, tx.job_id, "typed by hand", tx.now_s)
        tx.add(row)
        tx.tell("mark-added", f"Mark {mark.name} added by hand.", mark=row.id)
        return row

    return _changed_mark(context, job_id, carry_out(context, job_id, work))


def correct_mark(context: Context, job_id: str, mark_id: str, request: ChangeMark) -> MarkView:
    """Add a row that replaces a mark's present one: corrected, taken out, or brought back.  What rests on it follows."""
    if not request.reason.strip():
        raise InputError("Say in a few words why the mark is changed.", field="reason")

    def work(tx: Transaction) -> Mark:
        job = tx.job
        mark_row_of(tx.session, tx.job_id, mark_id)
        old = head(tx.session, Mark, mark_id, "This mark is not in the job's control list.")
        if request.withdraw:
            mark = given_of(old)
        else:
            mark = typed_mark(job, request.values)
            _check_place(tx.session, job, mark, old)
        row = row_of(mark, tx.job_id, old.source, tx.now_s)
        row.replaces_id, row.reason, row.withdrawn = old.id, request.reason.strip()[:2000], request.withdraw
        tx.add(row)
        what = "taken out of the list" if request.withdraw else "brought back" if old.withdrawn else "corrected"
        tx.tell("mark-changed", f"Mark {old.name} {what}{_moved(job, old, row)}: {row.reason}.", mark=row.id, replaces=old.id)
        return row

    return _changed_mark(context, job_id, carry_out(context, job_id, work))


def _moved(job: JobNow, old: Mark, new: Mark) -> str:
    before, after = place_rows(job, [old, new])
    away_m = hypot(after.east_m - before.east_m, after.north_m - before.north_m)
    return f", moved by {away_m / METRES_PER_UNIT[job.length_unit]:.3f} {job.length_unit}" if away_m > 0.00005 else ""


def _changed_mark(context: Context, job_id: str, row: Mark) -> MarkView:
    context.changed(job_id)
    with context.database.read() as session:
        return _one_view(job_of(session, job_id), row)


def _one_view(job: JobNow, row: Mark) -> MarkView:
    return mark_view(place_rows(job, [row])[0], job.length_unit)


def mark_history(context: Context, job_id: str, mark_id: str) -> MarkVersions:
    """Return what a mark was, newest first: each row with the reason that it replaced the one before."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        mark_row_of(session, job_id, mark_id)
        ids = line_ids(session, mark_id)[::-1]
        rows = marks_by_id(session, ids)
        placed = {mark.id: mark_view(mark, job.length_unit) for mark in place_rows(job, list(rows.values()))}
    return MarkVersions(
        [
            MarkVersion(mark=placed[item], reason=rows[item].reason, withdrawn=rows[item].withdrawn, created_s=rows[item].created_s)
            for item in ids
        ]
    )


def between(context: Context, job_id: str, query: BetweenQuery) -> Between:
    """Return distance, grid bearing and difference in height from one mark to another, as the job counts them."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        start, end = place_rows(job, [mark_row_of(session, job_id, mark) for mark in (query.from_id, query.to_id)])
    east_m, north_m = end.east_m - start.east_m, end.north_m - start.north_m
    grid_m = hypot(east_m, north_m)
    ground_m = None
    if grid_m > 0.0 and job.frame.definition.ground is None and not job.frame.is_local:
        ground_m = grid_m / _mean_factor(job, start, end)
    kinds = ("ellipsoidal_height_m", "elevation_m")
    rise = next(
        (getattr(end, kind) - getattr(start, kind) for kind in kinds if None not in (getattr(end, kind), getattr(start, kind))), None
    )
    return Between(
        from_name=start.name,
        to_name=end.name,
        distance_m=grid_m,
        ground_distance_m=ground_m,
        bearing_deg=degrees(atan2(east_m, north_m)) % 360.0,
        rise_m=rise,
    )


def _mean_factor(job: JobNow, start: MarkNow, end: MarkNow) -> float:
    """Return the mean combined factor of a line's two ends, at their heights (the ellipsoid where none is known)."""
    factors = [
        grid_factors(job.frame, mark.latitude_deg or 0.0, mark.longitude_deg or 0.0, mark.ellipsoidal_height_m or 0.0)
        for mark in (start, end)
    ]
    return sum(factor.combined_factor for factor in factors) / 2.0
