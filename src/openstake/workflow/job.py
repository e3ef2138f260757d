"""Jobs and their control lists."""

from __future__ import annotations

from collections.abc import Sequence
from math import hypot
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, InputError
from openstake.core.geodesy.frames import JobFrame, job_frame, search_systems, unit_of_system
from openstake.core.units import METRES_PER_UNIT, UNIT_WORDS
from openstake.store.book import write_entry
from openstake.store.models import ImportedFile, Job, Mark
from openstake.wire.tables.control import GivenMark, Reading, read_control
from openstake.workflow.context import Context, current_marks, job_of

# What a control list is worth where it does not say (common practice for a local control network).
DEFAULT_SIGMA_HORIZONTAL_M = 0.005
DEFAULT_SIGMA_VERTICAL_M = 0.008
MOST_BYTES = 5 << 20
# An RTK job with one base is much smaller: a mark farther out is a mistake in the list (common practice).
FARTHEST_M = 50_000.0
HEIGHT_KINDS = ("ellipsoidal", "elevation")


def find_systems(text: str) -> list[dict[str, Any]]:
    """Return coordinate systems that match what was typed, each with the unit it is defined in."""
    return [
        {
            "code": found.code, "name": found.name, "area": found.area, "deprecated": found.deprecated,
            "unit": UNIT_WORDS.get(unit_of_system(found.code) or "", "another unit"),
        }
        for found in search_systems(text)
    ]  # fmt: skip


def create_job(context: Context, name: str, system_code: int, unit: str, practice: bool = False) -> dict[str, Any]:
    """Make a job and return it; its name must be new, its system one we can project in."""
    name = " ".join(name.split())
    if not name:
        raise InputError("A job needs a name.", field="name")
    if len(name) > 200:
        raise InputError("A job's name has at most 200 letters.", field="name")
    if unit not in METRES_PER_UNIT:
        raise InputError(f"'{unit}' is not a length unit of a job; it is m, ft or sft.", field="length_unit")
    frame = job_frame(system_code)

    def work(session: Session) -> Job:
        if session.scalars(select(Job).where(Job.name == name)).first():
            raise ConflictError(f"A job named {name} exists already. Open it, or choose another name.", field="name")
        now = context.now()
        job = Job(name=name, system_code=system_code, length_unit=unit, practice=practice, created_s=now)
        session.add(job)
        session.flush()
        write_entry(
            session, now, "job-made", f"Job {name} made in {frame.name} (EPSG:{system_code}), {UNIT_WORDS[unit]}.", job.id,
            system_code=system_code, length_unit=unit,
        )  # fmt: skip
        return job

    return job_view(context.database.write(work))


def job_view(job: Job) -> dict[str, Any]:
    frame = job_frame(job.system_code)
    return {
        "id": job.id,
        "name": job.name,
        "system_code": job.system_code,
        "system_name": frame.name,
        "datum": frame.datum,
        "area": frame.area,
        "length_unit": job.length_unit,
        "length_unit_word": UNIT_WORDS[job.length_unit],
        "practice": job.practice,
        "created_s": job.created_s,
    }


def list_jobs(context: Context) -> list[dict[str, Any]]:
    with context.database.read() as session:
        jobs = session.scalars(select(Job).order_by(Job.created_s)).all()
        return [job_view(job) | {"marks": len(current_marks(session, job.id))} for job in jobs]


def one_job(context: Context, job_id: str) -> dict[str, Any]:
    with context.database.read() as session:
        return job_view(job_of(session, job_id)) | {"marks": len(current_marks(session, job_id))}


def mark_view(mark: Mark) -> dict[str, Any]:
    return {
        "id": mark.id, "name": mark.name, "east_m": mark.east_m, "north_m": mark.north_m, "height_m": mark.height_m,
        "height_kind": mark.height_kind, "sigma_horizontal_m": mark.sigma_horizontal_m,
        "sigma_vertical_m": mark.sigma_vertical_m, "source": mark.source, "note": mark.note,
    }  # fmt: skip


def list_marks(context: Context, job_id: str) -> list[dict[str, Any]]:
    with context.database.read() as session:
        job_of(session, job_id)
        return [mark_view(mark) for mark in current_marks(session, job_id)]


def preview_control(
    context: Context, job_id: str, content: bytes, unit: str | None, roles: Sequence[str] | None,
    height_kind: str | None,
) -> dict[str, Any]:  # fmt: skip
    """Return how a control list would be read, line by line, and what a person must still say.  Stores nothing."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        reading, refusals, questions, kind = _read(session, job, content, unit, roles, height_kind)
    rows = []
    for line in reading.lines:
        refusal = refusals.get(line.number, "")
        mark = None if refusal else line.mark
        rows.append(
            {
                "line": line.number, "cells": list(line.cells), "accepted": mark is not None, "refusal": refusal,
                "name": mark.name if mark else None, "east_m": mark.east_m if mark else None,
                "north_m": mark.north_m if mark else None, "height_m": mark.height_m if mark else None,
            }
        )  # fmt: skip
    return {
        "encoding": reading.encoding,
        "delimiter": {",": "comma", ";": "semicolon", "\t": "tab"}[reading.delimiter],
        "unit": unit or job.length_unit,
        "height_kind": kind,
        "columns": [
            {"role": role, "header": reading.header[place] if reading.header else None}
            for place, role in enumerate(reading.roles)
        ],
        "rows": rows,
        "accepted": sum(row["accepted"] for row in rows),
        "refused": sum(not row["accepted"] for row in rows),
        "questions": questions,
    }


def _read(
    session: Session, job: Job, content: bytes, unit: str | None, roles: Sequence[str] | None, height_kind: str | None
) -> tuple[Reading, dict[int, str], list[str], str | None]:
    """Return the reading, the refused lines, the open questions and the kind of its heights."""
    if len(content) > MOST_BYTES:
        raise InputError(f"The file has {len(content)} bytes; a control list of more than {MOST_BYTES} is not read.")
    if unit is not None and unit not in METRES_PER_UNIT:
        raise InputError(f"'{unit}' is not a length unit; it is m, ft or sft.", field="unit")
    if height_kind is not None and height_kind not in HEIGHT_KINDS:
        raise InputError(
            f"'{height_kind}' is not a kind of height; it is ellipsoidal or elevation.", field="height_kind"
        )
    reading = read_control(content, unit or job.length_unit, roles)
    kind = height_kind or reading.height_kind
    questions = []
    if "height" in reading.roles and kind is None:
        questions.append("The file does not say whether its heights are ellipsoidal or elevations. Choose one.")
    missing = [role for role in ("name", "east", "north") if role not in reading.roles]
    if missing:
        questions.append(f"Say which column holds {' and '.join(missing)}.")
    frame, present = job_frame(job.system_code), current_marks(session, job.id)
    known = {mark.name for mark in present}
    centre = _middle([(mark.east_m, mark.north_m) for mark in present]) or _middle(
        [(line.mark.east_m, line.mark.north_m) for line in reading.lines if line.mark]
    )
    refusals = {}
    for line in reading.lines:
        refusal = line.refusal or (_place_refusal(line.mark, frame, known, centre) if line.mark else "")
        if refusal:
            refusals[line.number] = refusal
    return reading, refusals, questions, kind if "height" in reading.roles else None


def _middle(places: list[tuple[float, float]]) -> tuple[float, float] | None:
    """Return the place with the most others near it; None where fewer than two are near, so that nobody is judged by few."""
    some = np.array(places[:500]).reshape(-1, 2)
    near = np.hypot(*(some[:, None, :] - some[None, :, :]).transpose(2, 0, 1)) < FARTHEST_M
    if not len(some) or near.sum(axis=1).max() < 3:
        return None
    east, north = some[int(near.sum(axis=1).argmax())]
    return float(east), float(north)


def _place_refusal(mark: GivenMark, frame: JobFrame, known: set[str], centre: tuple[float, float] | None) -> str:
    """Return why a mark cannot be in this job: its name is taken, or it lies far from the others or the system's area."""
    if mark.name in known:
        return f"{mark.name} is in the job already."
    if _in_area(frame, mark.east_m, mark.north_m):
        if centre is None:
            return ""
        away_m = hypot(mark.east_m - centre[0], mark.north_m - centre[1])
        if away_m < FARTHEST_M:
            return ""
        exchanged_m = hypot(mark.north_m - centre[0], mark.east_m - centre[1])
        hint = " With east and north exchanged it lies among them: swap the two." if exchanged_m < FARTHEST_M else ""
        return f"It lies {away_m / 1000:.0f} km from the middle of the other marks.{hint}"
    if _in_area(frame, mark.north_m, mark.east_m):
        return f"Outside the area of {frame.name}, but inside with east and north exchanged: swap the two columns."
    for unit, metres in METRES_PER_UNIT.items():
        if unit != "m" and _in_area(frame, mark.east_m * metres, mark.north_m * metres):
            return f"Outside the area of {frame.name}, but inside if the numbers are feet: choose the file's unit."
    return f"Outside the area of {frame.name} ({frame.area}): another zone, unit or system?"


def _in_area(frame: JobFrame, east_m: float, north_m: float) -> bool:
    latitude, longitude = frame.geodetic_from_grid(east_m, north_m)
    if not (abs(latitude) <= 90.0 and abs(longitude) <= 180.0):
        return False
    # Far from its meridian a projection folds back: only a point that returns to itself is there.
    back = frame.grid_from_geodetic(latitude, longitude)
    if abs(back[0] - east_m) + abs(back[1] - north_m) > 0.01:
        return False
    return frame.contains(float(latitude), float(longitude))


def accept_control(
    context: Context, job_id: str, file_name: str, content: bytes, unit: str | None, roles: Sequence[str] | None,
    height_kind: str | None,
) -> dict[str, Any]:  # fmt: skip
    """Store the accepted lines of a control list with the file itself; refused lines stay out and are counted."""

    def work(session: Session) -> tuple[int, int]:
        job = job_of(session, job_id)
        reading, refusals, questions, kind = _read(session, job, content, unit, roles, height_kind)
        if questions:
            raise InputError(questions[0], field="height_kind")
        marks = [line.mark for line in reading.lines if line.mark and line.number not in refusals]
        if not marks:
            raise InputError(
                "No line of the file can be accepted, so nothing was stored. See the reasons line by line."
            )
        now = context.now()
        file = ImportedFile(job_id=job_id, name=file_name[:200], content=content, created_s=now)
        session.add(file)
        session.flush()
        for mark in marks:
            session.add(_mark_row(mark, job_id, kind, f"{file_name[:200]}", now))
        write_entry(
            session, now, "control-imported",
            f"{len(marks)} marks taken from {file_name}; {len(refusals)} lines refused.", job_id,
            file=file.id, accepted=len(marks), refused=len(refusals), height_kind=kind,
        )  # fmt: skip
        return len(marks), len(refusals)

    accepted, refused = context.database.write(work)
    context.changed(job_id)
    return {"accepted": accepted, "refused": refused}


def _mark_row(mark: GivenMark, job_id: str, kind: str | None, source: str, now: float) -> Mark:
    return Mark(
        job_id=job_id, name=mark.name, east_m=mark.east_m, north_m=mark.north_m, height_m=mark.height_m,
        height_kind=kind if mark.height_m is not None else None,
        sigma_horizontal_m=mark.sigma_horizontal_m or DEFAULT_SIGMA_HORIZONTAL_M,
        sigma_vertical_m=mark.sigma_vertical_m or DEFAULT_SIGMA_VERTICAL_M,
        source=source, note=mark.note, created_s=now,
    )  # fmt: skip
