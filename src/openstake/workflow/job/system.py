"""The job's coordinate system: found, described, tried out on the marks before it is taken; and the geoid grids."""

from __future__ import annotations

import hashlib
import re
import tempfile
from collections.abc import Mapping
from dataclasses import asdict
from datetime import date
from pathlib import Path
from typing import IO, Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.describe import fields_shown, typed
from openstake.core.errors import FileError, FrameError, InputError
from openstake.core.geodesy.factors import grid_factors, ppm
from openstake.core.geodesy.frames import LOCAL, Anchor, FrameDefinition, Ground, JobFrame, job_frame
from openstake.core.geodesy.geoid import grid_ending, read_geoid_grid
from openstake.core.geodesy.systems import (
    POSITION_FRAMES,
    DatumShift,
    Operation,
    OwnProjection,
    find_operations,
    search_systems,
    search_verticals,
    unit_of_system,
)
from openstake.core.judge.job import SystemEvidence, judge_system
from openstake.core.units import METRES_PER_UNIT, UNIT_WORDS, degrees_from_text
from openstake.store.book import write_entry
from openstake.store.models import GeoidGridFile
from openstake.workflow.context import TRAINING_GRID, Context, JobNow, grid_of_file, job_of
from openstake.workflow.now.marks import MarkNow, Places, current_marks, current_places

MOST_GRID_BYTES = 512 << 20
MOST_MARKS_TRIED = 50


def place_of(latitude: str, longitude: str) -> tuple[float, float] | None:
    """Return a typed place in degrees; None where both are empty."""
    if not latitude.strip() and not longitude.strip():
        return None
    result = []
    for axis, text in (("latitude", latitude), ("longitude", longitude)):
        if not text.strip():
            raise InputError(f"Type the {axis} too, or neither of the two.", field=axis)
        try:
            result.append(degrees_from_text(text, axis))
        except InputError as error:
            error.field = axis
            raise
    return result[0], result[1]


def find_systems(text: str, latitude: str = "", longitude: str = "") -> list[dict[str, Any]]:
    """Return coordinate systems that match what was typed, each with the unit it is defined in."""
    return [
        {
            "code": found.code, "name": found.name, "area": found.area_name, "deprecated": found.deprecated,
            "unit": UNIT_WORDS.get(unit_of_system(f"EPSG:{found.code}") or "", "another unit"),
        }
        for found in search_systems(text, place_of(latitude, longitude))
    ]  # fmt: skip


def find_verticals(text: str, latitude: str = "", longitude: str = "") -> list[dict[str, Any]]:
    """Return vertical systems that match what was typed."""
    return [
        {"code": found.code, "name": found.name, "area": found.area_name, "deprecated": found.deprecated, "unit": ""}
        for found in search_verticals(text, place_of(latitude, longitude))
    ]


def forms() -> dict[str, Any]:
    """Return the fields of what is typed for a system, and the frames that positions come in."""
    kinds = {"own": OwnProjection, "shift": DatumShift, "anchor": Anchor, "ground": Ground}
    shown = {name: [asdict(field) for field in fields_shown(kind)] for name, kind in kinds.items()}
    return {"forms": shown, "position_frames": list(POSITION_FRAMES)}


def definition_of(wish: Mapping[str, Any], unit: str) -> tuple[FrameDefinition, str]:
    """Return the frame's definition and the label of a system as a person chose it; a sentence where it cannot be."""
    kind = wish.get("kind")
    if kind == "code":
        definition = FrameDefinition(f"EPSG:{wish.get('code')}")
        label = ""
    elif kind == "text":
        definition, label = FrameDefinition(str(wish.get("text") or "").strip()), str(wish.get("label") or "").strip()
    elif kind == "own":
        own = typed(OwnProjection, wish.get("own") or {}, unit)
        definition, label = FrameDefinition(own.definition()), own.name
    elif kind == LOCAL:
        anchor = typed(Anchor, wish["anchor"], unit) if wish.get("anchor") else None
        definition, label = FrameDefinition(LOCAL, anchor=anchor), ""
    else:
        raise InputError("Choose a coordinate system, or an assumed local one.", field="system")
    job_frame(definition)
    return definition, label


def ground_of(values: Mapping[str, Any], unit: str) -> Ground:
    """Return ground distances as typed; the reciprocal of a factor is a usual mistake, so it lies near 1."""
    ground = typed(Ground, values, unit)
    if not 0.99 <= ground.combined_factor <= 1.01:
        raise InputError(
            f"A combined factor lies near 1 (0.99 to 1.01); {ground.combined_factor:g} does not.",
            field="combined_factor",
        )
    return ground


def epoch_year(text: str) -> float | None:
    """Return the decimal year of an epoch as typed (`2010.0` or `2026-11-25`), None where it is empty."""
    text = text.strip()
    if not text:
        return None
    if re.fullmatch(r"\d{4}-\d{2}-\d{2}", text):
        try:
            day = date.fromisoformat(text)
        except ValueError:
            raise InputError(f"'{text}' is not a date.", field="frame_epoch") from None
        start, end = date(day.year, 1, 1), date(day.year + 1, 1, 1)
        return day.year + (day - start).days / (end - start).days
    if re.fullmatch(r"\d{4}(\.\d+)?", text) and 1980.0 <= float(text) <= 2100.0:
        return float(text)
    raise InputError(
        f"'{text[:30]}' is not an epoch. Type a year such as 2010.0, or a date such as 2026-11-25.", field="frame_epoch"
    )


def operation_of(
    wish: Mapping[str, Any], definition: FrameDefinition, place: tuple[float, float] | None, epoch: str
) -> Operation:
    """Return the datum operation that a person chose: one of the database by its name, or a shift by its parameters."""
    if wish.get("shift"):
        return typed(DatumShift, wish["shift"], "m").operation(job_frame(definition).ellipsoid)
    found = find_operations(definition.system, str(wish.get("source")), place, epoch_year(epoch))
    for operation in found.usable:
        if operation.name == wish.get("name"):
            return operation
    raise InputError("This operation is not offered here for that frame and place. Choose one of the list.", field="operation")  # fmt: skip


def operations_view(context: Context, job_id: str, source: str) -> dict[str, Any]:
    """Return the operations from a frame of positions into the job's datum."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        places, _ = current_places(session, job)
    if job.frame.is_local:
        return {"operations": [], "without_grid": []}
    found = find_operations(
        job.frame.definition.system, source, middle_of(job, places), epoch_year(job.settings.frame_epoch)
    )
    return {
        "operations": [{"name": item.name, "accuracy_m": item.accuracy_m} for item in found.usable],
        "without_grid": found.without_grid,
    }


def middle_of(job: JobNow, places: Places | None) -> tuple[float, float] | None:
    """Return the job's middle: the place that was typed, else the median of its marks, else the anchor."""
    settings = job.settings
    if settings.place_latitude_deg is not None and settings.place_longitude_deg is not None:
        return settings.place_latitude_deg, settings.place_longitude_deg
    if places is not None:
        known = places.angles_deg[np.isfinite(places.angles_deg).all(axis=1)]
        if len(known):
            latitude, longitude = np.median(known, axis=0)
            return float(latitude), float(longitude)
    anchor = job.frame.definition.anchor
    return (anchor.latitude_deg, anchor.longitude_deg) if anchor else None


def _middle_height(job: JobNow, places: Places) -> tuple[float, str]:
    """Return the height that the elevation factor is for, and where it comes from."""
    if job.settings.project_height_m is not None:
        return job.settings.project_height_m, "the project height"
    heights = places.ellipsoidal_m[np.isfinite(places.ellipsoidal_m)]
    if len(heights):
        return float(np.median(heights)), "the middle height of the marks"
    return 0.0, "no height known: the ellipsoid"


def system_view(context: Context, job_id: str) -> dict[str, Any]:
    """Return the factors at the job's middle, and what its settings have to be told."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        places, elevations = current_places(session, job)
    frame, place = job.frame, middle_of(job, places)
    factors = None
    height_m, height_source = _middle_height(job, places)
    if place is not None and not (frame.is_local and frame.definition.anchor is None):
        factors = grid_factors(frame, *place, height_m)
    one_height = np.isfinite(places.ellipsoidal_m) != np.isfinite(places.elevation_m)
    evidence = SystemEvidence(
        frame, place, factors, job.length_unit, None if frame.is_local else unit_of_system(frame.definition.system),
        elevations, job.geoid is not None, bool(job.geoid_file and job.geoid_file.training_only),
        int(one_height.sum()) if place is not None else 0, job.practice,
    )  # fmt: skip
    ground = frame.definition.ground
    return {
        "place": None if place is None else {"latitude_deg": place[0], "longitude_deg": place[1]},
        "height_m": height_m, "height_source": height_source,
        "factors": None if factors is None else asdict(factors) | {
            "grid_scale_ppm": ppm(factors.grid_scale), "elevation_ppm": ppm(factors.elevation_factor),
            "combined_ppm": ppm(factors.combined_factor),
        },
        "ground": None if ground is None else asdict(ground) | {"combined_ppm": ppm(ground.combined_factor)},
        "findings": [item.as_dict() for item in judge_system(evidence)],
    }  # fmt: skip


def try_system(
    context: Context, job_id: str | None, wish: Mapping[str, Any], unit: str, latitude: str, longitude: str
) -> dict[str, Any]:
    """Return what a system is and where the job's marks, and a typed place, would fall in it.  Stores nothing."""
    if unit not in METRES_PER_UNIT:
        raise InputError(f"'{unit}' is not a length unit of a job; it is m, ft or sft.", field="length_unit")
    definition, label = definition_of(wish, unit)
    frame, place = job_frame(definition), place_of(latitude, longitude)
    marks: list[dict[str, Any]] = []
    if job_id is not None:
        with context.database.read() as session:
            job = job_of(session, job_id)
            rows = current_marks(session, job)
        place = place or (middle_of(job, None) if job.settings.place_latitude_deg is not None else None)
        marks = [_tried(frame, mark) for mark in rows[:MOST_MARKS_TRIED]]
    there = None
    if place is not None and not (frame.is_local and frame.definition.anchor is None):
        east, north = (float(value) for value in frame.grid_from_geodetic(*place))
        if np.isfinite(east) and np.isfinite(north):
            there = {"east_m": east, "north_m": north}
    evidence = SystemEvidence(
        frame, place, grid_factors(frame, *place, 0.0) if place and there else None, unit,
        None if frame.is_local else unit_of_system(definition.system), 0, False, False, 0, False,
    )  # fmt: skip
    return {
        "label": label or frame.name, "datum": frame.datum, "area": frame.area.name if frame.area else "",
        "definition": definition.system, "place": there, "marks": marks,
        "findings": [item.as_dict() for item in judge_system(evidence)],
    }  # fmt: skip


def _tried(frame: JobFrame, mark: MarkNow) -> dict[str, Any]:
    """Return where a mark that is given in grid coordinates would lie in another frame."""
    result: dict[str, Any] = {"name": mark.name, "latitude_deg": None, "longitude_deg": None, "inside": False}
    if mark.given.is_geodetic:
        return result | {"latitude_deg": mark.latitude_deg, "longitude_deg": mark.longitude_deg, "inside": True}
    try:
        latitude, longitude = (float(value) for value in frame.geodetic_from_grid(mark.east_m, mark.north_m))
    except FrameError:
        return result
    if not (np.isfinite(latitude) and np.isfinite(longitude)):
        return result
    return result | {
        "latitude_deg": latitude, "longitude_deg": longitude, "inside": frame.contains(latitude, longitude)
    }  # fmt: skip


# Geoid grids


def ensure_training_grid(context: Context) -> None:
    """List the coarse grid that comes with the program, once."""

    def work(session: Session) -> None:
        if not session.scalars(select(GeoidGridFile).where(GeoidGridFile.training_only)).first():
            session.add(
                GeoidGridFile(
                    name="EGM96, 15 minutes (training only)", file=TRAINING_GRID.name, training_only=True,
                    created_s=context.now(),
                )
            )  # fmt: skip

    context.database.write(work)


def training_grid_id(context: Context) -> str:
    with context.database.read() as session:
        return session.scalars(select(GeoidGridFile).where(GeoidGridFile.training_only)).one().id


def list_geoids(context: Context) -> list[dict[str, Any]]:
    """Return the grids of the data folder with area and resolution, or the problem of a file that has gone."""
    with context.database.read() as session:
        rows = session.scalars(select(GeoidGridFile).order_by(GeoidGridFile.created_s)).all()
    return [_geoid_view(row, context.data_dir) for row in rows]


def _geoid_view(row: GeoidGridFile, folder: Path) -> dict[str, Any]:
    view: dict[str, Any] = {
        "id": row.id, "name": row.name, "training_only": row.training_only, "west_deg": None, "south_deg": None,
        "east_deg": None, "north_deg": None, "latitude_step_min": None, "longitude_step_min": None, "problem": "",
    }  # fmt: skip
    try:
        grid = grid_of_file(row, folder)
    except InputError as error:
        return view | {"problem": error.sentence}
    area = grid.area
    return view | {
        "west_deg": area.west_deg, "south_deg": area.south_deg, "east_deg": area.east_deg, "north_deg": area.north_deg,
        "latitude_step_min": grid.latitude_step_min, "longitude_step_min": grid.longitude_step_min,
    }  # fmt: skip


def add_geoid(context: Context, name: str, stream: IO[bytes]) -> dict[str, Any]:
    """Keep a geoid grid that was sent, once it has been read; the same file twice is one grid."""
    name = " ".join(name.split())[:200] or "geoid grid"
    folder = context.data_dir / "geoid"
    folder.mkdir(parents=True, exist_ok=True)
    digest, size = hashlib.sha256(), 0
    chunk = stream.read(1 << 20)
    ending = grid_ending(chunk)
    with tempfile.NamedTemporaryFile(dir=folder, prefix="part-", suffix=ending, delete=False) as draft:
        path = Path(draft.name)
        try:
            while chunk:
                size += len(chunk)
                if size > MOST_GRID_BYTES:
                    raise FileError(
                        f"The file is larger than {MOST_GRID_BYTES >> 20} MB: cut the grid down to your region."
                    )
                digest.update(chunk)
                draft.write(chunk)
                chunk = stream.read(1 << 20)
            draft.close()
            read_geoid_grid(path)
        except BaseException:
            path.unlink(missing_ok=True)
            raise
    file = digest.hexdigest() + ending
    path.replace(folder / file)

    def work(session: Session) -> GeoidGridFile:
        if known := session.scalars(select(GeoidGridFile).where(GeoidGridFile.file == file)).first():
            return known
        row = GeoidGridFile(name=name, file=file, created_s=context.now())
        session.add(row)
        session.flush()
        write_entry(
            session, row.created_s, "geoid-added", f"Geoid grid {name} added ({size} bytes).", None, geoid=row.id
        )
        return row

    return _geoid_view(context.database.write(work), context.data_dir)
