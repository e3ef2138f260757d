"""The control list: read from files before anything is stored, written to files, and corrected mark by mark."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from math import atan2, degrees, hypot
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.describe import fields_shown, typed
from openstake.core.errors import InputError
from openstake.core.geodesy.factors import grid_factors
from openstake.core.geodesy.systems import unit_of_system
from openstake.core.judge.control import KnownMarks, Refusal, judge_list, judge_places, judge_unit
from openstake.core.judge.finding import Finding
from openstake.core.mark import HEIGHT_KINDS, GivenMark, HeightKind
from openstake.core.units import METRES_PER_UNIT, shortest_typed
from openstake.store.book import write_entry
from openstake.store.lines import head
from openstake.store.models import ImportedFile, Mark
from openstake.wire.tables.control import read_control
from openstake.wire.tables.csv_list import write_csv
from openstake.wire.tables.drawings import write_dxf, write_kml
from openstake.wire.tables.geojson import write_geojson
from openstake.wire.tables.given import Reading, refusal_of
from openstake.wire.tables.landxml import write_landxml
from openstake.workflow.context import Context, JobNow, file_name, job_of
from openstake.workflow.now.marks import MarkNow, current_marks, current_rows, given_of, mark_row_of, place_rows, row_of

MOST_BYTES = 5 << 20
MOST_ROWS_SHOWN = 300
MOST_MARKS_SHOWN = 300


def mark_form() -> list[dict[str, Any]]:
    """Return the fields of a mark."""
    return [asdict(field) for field in fields_shown(GivenMark)]


def mark_view(mark: MarkNow, unit: str) -> dict[str, Any]:
    """Return a mark for the pages; `typed` are its lengths as they would be typed in the job's unit, to the last digit."""
    lengths = {
        field.name: getattr(mark.given, field.name) for field in fields_shown(GivenMark) if field.kind == "length"
    }
    return asdict(mark.given) | {
        "id": mark.id, "given_as": "geodetic" if mark.given.is_geodetic else "grid", "east_m": mark.east_m,
        "north_m": mark.north_m, "latitude_deg": mark.latitude_deg, "longitude_deg": mark.longitude_deg,
        "ellipsoidal_height_m": mark.ellipsoidal_height_m, "elevation_m": mark.elevation_m,
        "sigma_horizontal_m": mark.sigma_horizontal_m, "sigma_vertical_m": mark.sigma_vertical_m,
        "typed": {name: shortest_typed(value, unit) for name, value in lengths.items() if value is not None},
    }  # fmt: skip


def list_marks(
    context: Context, job_id: str, text: str = "", withdrawn: bool = False, limit: int = MOST_MARKS_SHOWN
) -> dict[str, Any]:
    """Return the marks whose name, note or source holds the text, by name, and how many there are; or those taken out."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        rows = current_rows(session, job_id, withdrawn)
        sought = text.lower().strip()
        matching = [row for row in rows if sought in f"{row.name} {row.note} {row.source}".lower()] if sought else rows
        # An exact name first: what was typed is what is wanted.
        matching.sort(key=lambda row: row.name.lower() != sought)
        shown = [mark_view(mark, job.length_unit) for mark in place_rows(job, matching[:limit])]
    return {"marks": shown, "total": len(rows), "matching": len(matching)}


# Reading a file


def preview_control(
    context: Context, job_id: str, content: bytes, unit: str | None, roles: Sequence[str] | None,
    height_kind: str | None,
) -> dict[str, Any]:  # fmt: skip
    """Return how a control list would be read, line by line, and what a person must still say.  Stores nothing."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        reading, refusals, findings = _read(session, job, content, unit, roles, height_kind)
    rows = []
    for line in reading.lines:
        refusal = line.refusal or (refusals[line.number].sentence if line.number in refusals else "")
        mark = None if refusal else line.mark
        rows.append(
            {
                "line": line.number, "cells": list(line.cells), "accepted": mark is not None, "refusal": refusal,
                "mark": None if mark is None else asdict(mark),
            }
        )  # fmt: skip
    # Refused lines first: they are what a person must look at.
    shown = sorted(rows, key=lambda row: (row["accepted"], row["line"]))[:MOST_ROWS_SHOWN]
    return {
        "format": reading.format, "encoding": reading.encoding,
        "delimiter": {",": "comma", ";": "semicolon", "\t": "tab"}.get(reading.delimiter, ""),
        "unit": reading.unit, "unit_stated": reading.unit_stated, "height_kind": height_kind,
        "asks_height_kind": any(line.mark and line.mark.height_m is not None for line in reading.lines)
        and ("height" in reading.roles or reading.format == "GeoJSON"),
        "columns": [
            {"role": role, "header": reading.header[place] if reading.header else None}
            for place, role in enumerate(reading.roles)
        ],
        "rows": shown, "accepted": sum(row["accepted"] for row in rows),
        "refused": sum(not row["accepted"] for row in rows), "questions": list(reading.questions),
        "findings": [item.as_dict() for item in findings],
    }  # fmt: skip


def _read(
    session: Session,
    job: JobNow,
    content: bytes,
    unit: str | None,
    roles: Sequence[str] | None,
    height_kind: str | None,
) -> tuple[Reading, dict[int, Refusal], list[Finding]]:
    """Return the reading, the marks that cannot be in this job by line, and what is to be said of the list."""
    if len(content) > MOST_BYTES:
        raise InputError(f"The file has {len(content)} bytes; a control list of more than {MOST_BYTES} is not read.")
    if unit is not None and unit not in METRES_PER_UNIT:
        raise InputError(f"'{unit}' is not a length unit; it is m, ft or sft.", field="unit")
    reading = read_control(content, unit, job.length_unit, roles, _height_kind(height_kind))
    if reading.system is not None and reading.system != system_statement(job):
        raise InputError(
            f"The file says its coordinates are in {reading.system[:80]}, but this job is in "
            f"{system_statement(job)[:80]}. No datum shift is applied that nobody named: make a job in that system.",
            field="system",
        )
    lines = [line for line in reading.lines if line.mark]
    marks = [line.mark for line in lines if line.mark]
    present = current_marks(session, job)
    known = KnownMarks({mark.name: (mark.east_m, mark.north_m) for mark in present})
    verdicts = judge_places(job.frame, marks, known, job.length_unit)
    refusals = {line.number: found for line, found in zip(lines, verdicts, strict=True) if found is not None}
    findings = judge_list(refusals, len(reading.lines))
    own = None if job.frame.is_local else unit_of_system(job.frame.definition.system)
    return reading, refusals, findings + judge_unit(job.frame, reading.unit, own, marks)


def _height_kind(text: str | None) -> HeightKind | None:
    for kind in HEIGHT_KINDS:
        if text == kind:
            return kind
    if text is None:
        return None
    raise InputError(f"'{text}' is not a kind of height; it is ellipsoidal or elevation.", field="height_kind")


def system_statement(job: JobNow) -> str:
    """Return what the job's coordinates are in, as a file says it: ground distances are not those of the grid."""
    definition = job.frame.definition
    ground = definition.ground
    if ground is None:
        return definition.system
    factor = f"{ground.combined_factor!r} about {ground.east_m!r}, {ground.north_m!r}"
    return f"{definition.system} in ground distances, factor {factor}"


def accept_control(
    context: Context, job_id: str, file_name: str, content: bytes, unit: str | None, roles: Sequence[str] | None,
    height_kind: str | None,
) -> dict[str, Any]:  # fmt: skip
    """Store the accepted lines of a control list with the file itself; refused lines stay out and are counted."""

    def work(session: Session) -> tuple[int, int]:
        job = job_of(session, job_id)
        reading, refusals, _ = _read(session, job, content, unit, roles, height_kind)
        if reading.questions:
            raise InputError(reading.questions[0], field="questions")
        marks = [line.mark for line in reading.lines if line.mark and line.number not in refusals]
        if not marks:
            raise InputError(
                "No line of the file can be accepted, so nothing was stored. See the reasons line by line."
            )
        now, refused = context.now(), len(reading.lines) - len(marks)
        file = ImportedFile(job_id=job_id, name=file_name[:200], content=content, created_s=now)
        session.add(file)
        session.flush()
        session.add_all(row_of(mark, job_id, file_name[:200], now) for mark in marks)
        write_entry(
            session, now, "control-imported", f"{len(marks)} marks taken from {file_name}; {refused} lines refused.",
            job_id, file=file.id, accepted=len(marks), refused=refused, height_kind=height_kind, unit=reading.unit,
        )  # fmt: skip
        return len(marks), refused

    accepted, refused = context.database.write(work)
    context.changed(job_id)
    return {"accepted": accepted, "refused": refused}


# Writing files

FORMATS = {
    "csv": "text/csv", "geojson": "application/geo+json", "landxml": "application/xml",
    "kml": "application/vnd.google-earth.kml+xml", "dxf": "image/vnd.dxf",
}  # fmt: skip
ENDINGS = {"csv": "csv", "geojson": "geojson", "landxml": "xml", "kml": "kml", "dxf": "dxf"}


def export_control(context: Context, job_id: str, kind: str) -> tuple[bytes, str, str]:
    """Return the control list as a file: its content, its media type and its name."""
    if kind not in FORMATS:
        raise InputError(f"'{kind[:20]}' is no format of a control list; it is {', '.join(FORMATS)}.")
    with context.database.read() as session:
        job = job_of(session, job_id)
        marks = [mark.placed for mark in current_marks(session, job)]
    name = job.settings.system_label or job.frame.name
    if kind == "csv":
        content: str | bytes = write_csv(marks, job.length_unit)
    elif kind == "geojson":
        content = write_geojson(marks, system_statement(job))
    elif kind == "landxml":
        content = write_landxml(marks, job.length_unit, name, system_statement(job))
    elif kind == "kml":
        content = write_kml(marks, job.name)
    else:
        content = write_dxf(marks, job.length_unit)
    name = f"{file_name(job.name)}-control.{ENDINGS[kind]}"
    return content if isinstance(content, bytes) else content.encode(), FORMATS[kind], name


# One mark


def _typed_mark(job: JobNow, values: Mapping[str, Any]) -> GivenMark:
    mark = typed(GivenMark, values, job.length_unit)
    for one, other in (("east_m", "north_m"), ("latitude_deg", "longitude_deg")):
        if (getattr(mark, one) is None) != (getattr(mark, other) is None):
            empty = one if getattr(mark, one) is None else other
            raise InputError(f"The {empty.split('_')[0]} is empty.", field=empty)
    if mark.east_m is not None and mark.latitude_deg is not None:
        raise InputError("Give east and north, or latitude and longitude, not both: one follows from the other.", field="latitude_deg")  # fmt: skip
    if mark.height_m is not None and mark.height_kind is None:
        raise InputError("Say whether the height is ellipsoidal or an elevation.", field="height_kind")
    if sentence := refusal_of(mark):
        raise InputError(sentence, field="name" if "name" in sentence else None)
    return mark


def _check_place(session: Session, job: JobNow, mark: GivenMark, itself: Mark | None) -> None:
    present = [row for row in current_marks(session, job) if itself is None or row.id != itself.id]
    known = KnownMarks({row.name: (row.east_m, row.north_m) for row in present})
    verdict = judge_places(job.frame, [mark], known, job.length_unit)[0]
    if verdict is not None:
        raise InputError(verdict.sentence, field="name" if verdict.code == "control-duplicate-name" else "east_m")


def add_mark(context: Context, job_id: str, values: Mapping[str, Any]) -> dict[str, Any]:
    """Add a mark by hand."""

    def work(session: Session) -> Mark:
        job, now = job_of(session, job_id), context.now()
        mark = _typed_mark(job, values)
        _check_place(session, job, mark, None)
        row = row_of(mark, job_id, "typed by hand", now)
        session.add(row)
        session.flush()
        write_entry(session, now, "mark-added", f"Mark {mark.name} added by hand.", job_id, mark=row.id)
        return row

    return _changed_mark(context, job_id, context.database.write(work))


def correct_mark(
    context: Context, job_id: str, mark_id: str, values: Mapping[str, Any], reason: str, withdraw: bool = False
) -> dict[str, Any]:
    """Add a row that replaces a mark's present one: corrected, taken out, or brought back.  What rests on it follows."""
    if not reason.strip():
        raise InputError("Say in a few words why the mark is changed.", field="reason")

    def work(session: Session) -> Mark:
        job, now = job_of(session, job_id), context.now()
        mark_row_of(session, job_id, mark_id)
        old = head(session, Mark, mark_id, "This mark is not in the job's control list.")
        if withdraw:
            mark = given_of(old)
        else:
            mark = _typed_mark(job, values)
            _check_place(session, job, mark, old)
        row = row_of(mark, job_id, old.source, now)
        row.replaces_id, row.reason, row.withdrawn = old.id, reason.strip()[:2000], withdraw
        session.add(row)
        session.flush()
        what = "taken out of the list" if withdraw else "brought back" if old.withdrawn else "corrected"
        write_entry(
            session, now, "mark-changed", f"Mark {old.name} {what}{_moved(job, old, row)}: {row.reason}.", job_id,
            mark=row.id, replaces=old.id,
        )  # fmt: skip
        return row

    return _changed_mark(context, job_id, context.database.write(work))


def _moved(job: JobNow, old: Mark, new: Mark) -> str:
    before, after = place_rows(job, [old, new])
    away_m = hypot(after.east_m - before.east_m, after.north_m - before.north_m)
    return f", moved by {away_m / METRES_PER_UNIT[job.length_unit]:.3f} {job.length_unit}" if away_m > 0.00005 else ""


def _changed_mark(context: Context, job_id: str, row: Mark) -> dict[str, Any]:
    context.changed(job_id)
    with context.database.read() as session:
        return _one_view(job_of(session, job_id), row)


def _one_view(job: JobNow, row: Mark) -> dict[str, Any]:
    return mark_view(place_rows(job, [row])[0], job.length_unit)


def mark_history(context: Context, job_id: str, mark_id: str) -> list[dict[str, Any]]:
    """Return what a mark was, newest first: each row with the reason that it replaced the one before."""
    found = []
    with context.database.read() as session:
        job = job_of(session, job_id)
        row: Mark | None = mark_row_of(session, job_id, mark_id)
        while row is not None:
            view = _one_view(job, row)
            found.append({"mark": view, "reason": row.reason, "withdrawn": row.withdrawn, "created_s": row.created_s})
            row = session.get(Mark, row.replaces_id) if row.replaces_id else None
    return found


def between(context: Context, job_id: str, from_id: str, to_id: str) -> dict[str, Any]:
    """Return distance, grid bearing and difference in height from one mark to another, as the job counts them."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        start, end = place_rows(job, [mark_row_of(session, job_id, mark) for mark in (from_id, to_id)])
    east_m, north_m = end.east_m - start.east_m, end.north_m - start.north_m
    grid_m = hypot(east_m, north_m)
    ground_m = None
    if grid_m > 0.0 and job.frame.definition.ground is None and not job.frame.is_local:
        ground_m = grid_m / _mean_factor(job, start, end)
    kinds = ("ellipsoidal_height_m", "elevation_m")
    rise = next(
        (
            getattr(end, kind) - getattr(start, kind)
            for kind in kinds
            if None not in (getattr(end, kind), getattr(start, kind))
        ),
        None,
    )
    return {
        "from_name": start.name, "to_name": end.name, "distance_m": grid_m, "ground_distance_m": ground_m,
        "bearing_deg": degrees(atan2(east_m, north_m)) % 360.0, "rise_m": rise,
    }  # fmt: skip


def _mean_factor(job: JobNow, start: MarkNow, end: MarkNow) -> float:
    """Return the mean combined factor of a line's two ends, at their heights (the ellipsoid where none is known)."""
    factors = [
        grid_factors(job.frame, mark.latitude_deg or 0.0, mark.longitude_deg or 0.0, mark.ellipsoidal_height_m or 0.0)
        for mark in (start, end)
    ]
    return sum(factor.combined_factor for factor in factors) / 2.0
