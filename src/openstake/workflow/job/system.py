"""The job's coordinate system: found, described, tried out on the marks before it is taken."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

import numpy as np

from openstake.core.describe import FieldShown, fields_shown, typed
from openstake.core.errors import FrameError, InputError
from openstake.core.geodesy.datums import DatumKind
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.geodesy.factors import GridFactors, grid_factors, ppm
from openstake.core.geodesy.framechange import epoch_year
from openstake.core.geodesy.frames import LOCAL, Anchor, FrameDefinition, Ground, JobFrame, job_frame, may_be_gnss, reaches
from openstake.core.geodesy.systems import (
    POSITION_FRAMES,
    DatumShift,
    Operation,
    OwnProjection,
    find_operations,
    finer_with_grid,
    search_systems,
    search_verticals,
    unit_of_system,
)
from openstake.core.judge.finding import Finding
from openstake.core.judge.job import SystemEvidence, judge_system
from openstake.core.limits import LongText, ShortText
from openstake.core.mark import GivenMark
from openstake.core.units import UNIT_WORDS, LengthUnit, degrees_from_text
from openstake.derive.job import JobNow, job_of
from openstake.derive.marks import MarkNow, Places, current_marks, current_places, middle_of
from openstake.workflow.context import Context
from openstake.workflow.job.datum_grids import known_grids
from openstake.workflow.trial import prove_system

MOST_MARKS_TRIED = 50


@dataclass(frozen=True)
class SystemQuery:
    """Words of a name, a place or a code; a latitude and longitude that the area must hold."""

    text: ShortText = ""
    latitude: ShortText = ""
    longitude: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class SystemFound:
    """A system of the EPSG dataset, with the unit it is defined in."""

    code: int
    name: str
    area: str
    deprecated: bool
    unit: str


@dataclass(frozen=True)
class Systems:
    """Systems that match what was typed."""

    systems: list[SystemFound]


@dataclass(frozen=True)
class SystemForms:
    """The fields of what is typed for a system and for a mark, and the frames that positions come in."""

    forms: dict[str, tuple[FieldShown, ...]]
    position_frames: list[str]
    mark: tuple[FieldShown, ...]


@dataclass(frozen=True, kw_only=True)
class SystemRequest:
    """A coordinate system as chosen: by code, by WKT or PROJ text, by its parameters, or an assumed local one."""

    kind: Literal["code", "text", "own", "local"]
    code: int | None = None
    text: LongText = ""
    label: ShortText = ""
    own: dict[str, Any] | None = None
    anchor: dict[str, Any] | None = None


@dataclass(frozen=True, kw_only=True)
class TrySystem:
    """A system to try out, on the marks of a job where one is named; `operation` as it would be chosen, `source` the frame of positions
    from which operations are listed."""

    system: SystemRequest
    length_unit: LengthUnit = "m"
    job_id: ShortText | None = None
    latitude: ShortText = ""
    longitude: ShortText = ""
    operation: dict[str, Any] | None = None
    source: ShortText = ""
    frame_epoch: ShortText = ""


@dataclass(frozen=True)
class GridPlace:
    """A place in grid metres."""

    east_m: float
    north_m: float


@dataclass(frozen=True)
class Place:
    """A place in degrees."""

    latitude_deg: float
    longitude_deg: float


@dataclass(frozen=True, kw_only=True)
class TriedMark:
    """Where a mark of the job would lie in another system."""

    name: str
    latitude_deg: float | None
    longitude_deg: float | None
    inside: bool


@dataclass(frozen=True)
class OperationsQuery:
    """The frame that positions come in."""

    source: ShortText


@dataclass(frozen=True)
class OperationFound:
    """A datum operation of the EPSG dataset and what it is good to."""

    name: str
    accuracy_m: float | None


@dataclass(frozen=True)
class OperationLacking:
    """A datum operation whose grids are not here, and their names: they can be brought in."""

    name: str
    accuracy_m: float | None
    grids: list[str]


@dataclass(frozen=True)
class Operations:
    """Operations that can be computed here, and those whose grid is not; `hint` says why none can."""

    operations: list[OperationFound]
    without_grid: list[OperationLacking]
    hint: str = ""


@dataclass(frozen=True, kw_only=True)
class TriedSystem:
    """A system tried out: where a typed place (in the frame of positions) and the job's marks would fall.

    `place_words` say why a typed place has no grid coordinates; `operations` are there where a source of them was named.
    """

    label: str
    datum: str
    datum_kind: DatumKind
    datum_is_unsaid: bool
    may_be_gnss: bool
    area: str
    definition: str
    place: GridPlace | None
    place_words: str
    operations: Operations | None
    marks: list[TriedMark]
    findings: list[Finding]


@dataclass(frozen=True, kw_only=True)
class Factors:
    """Scale, convergence and factors at a place; each factor also in ppm from 1."""

    grid_scale: float
    conformal: bool
    convergence_deg: float
    elevation_factor: float
    combined_factor: float
    grid_scale_ppm: float
    elevation_ppm: float
    combined_ppm: float


@dataclass(frozen=True, kw_only=True)
class GroundView:
    """Ground distances as the job has them: about an origin, by a combined factor."""

    origin_name: str
    east_m: float
    north_m: float
    combined_factor: float
    combined_ppm: float


@dataclass(frozen=True, kw_only=True)
class SystemView:
    """The factors at the job's middle.  Grid distance = ground distance x combined factor."""

    place: Place | None
    height_m: float
    height_source: str
    factors: Factors | None
    ground: GroundView | None
    findings: list[Finding]


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


def find_systems(query: SystemQuery) -> Systems:
    """Return coordinate systems that match what was typed, each with the unit it is defined in."""
    return Systems(
        [
            SystemFound(
                code=found.code,
                name=found.name,
                area=found.area_name,
                deprecated=found.deprecated,
                unit=UNIT_WORDS.get(unit_of_system(f"EPSG:{found.code}") or "", "another unit"),
            )
            for found in search_systems(query.text, place_of(query.latitude, query.longitude))
        ]
    )


def find_verticals(query: SystemQuery) -> Systems:
    """Return vertical systems that match what was typed."""
    found = search_verticals(query.text, place_of(query.latitude, query.longitude))
    return Systems(
        [SystemFound(code=item.code, name=item.name, area=item.area_name, deprecated=item.deprecated, unit="") for item in found]
    )


def forms() -> SystemForms:
    """Return the fields of what is typed for a system and for a mark, and the frames that positions come in."""
    kinds = {"own": OwnProjection, "shift": DatumShift, "anchor": Anchor, "ground": Ground}
    shown = {name: fields_shown(kind) for name, kind in kinds.items()}
    return SystemForms(shown, list(POSITION_FRAMES), fields_shown(GivenMark))


def definition_of(request: Mapping[str, Any], unit: str) -> tuple[FrameDefinition, str]:
    """Return the frame's definition and the label of a system as a person chose it; a sentence where it cannot be."""
    kind = request.get("kind")
    if kind == "code":
        definition = FrameDefinition(system=f"EPSG:{request.get('code')}")
        label = ""
    elif kind == "text":
        definition, label = FrameDefinition(system=str(request.get("text") or "").strip()), str(request.get("label") or "").strip()
        prove_system(definition.system)
    elif kind == "own":
        own = typed(OwnProjection, request.get("own") or {}, unit)
        definition, label = FrameDefinition(system=own.definition()), own.name
    elif kind == LOCAL:
        anchor = typed(Anchor, request["anchor"], unit) if request.get("anchor") else None
        definition, label = FrameDefinition(system=LOCAL, anchor=anchor), ""
    else:
        raise InputError("Choose a coordinate system, or an assumed local one.", field="system")
    job_frame(definition)
    return definition, label


def ground_of(values: Mapping[str, Any], unit: str) -> Ground:
    """Return ground distances as typed; the reciprocal of a factor is a usual mistake, so it lies near 1."""
    ground = typed(Ground, values, unit)
    if not 0.99 <= ground.combined_factor <= 1.01:
        raise InputError(f"A combined factor lies near 1 (0.99 to 1.01); {ground.combined_factor:g} does not.", field="combined_factor")
    return ground


def with_operation(
    request: Mapping[str, Any] | None, definition: FrameDefinition, place: tuple[float, float] | None, epoch: str
) -> FrameDefinition:
    """Return a definition with what a person chose: an operation, none, or the word that GNSS realises a datum of their own."""
    plain = replace(definition, operation=None, datum_is="")
    if not request:
        return plain
    if request.get("shift") is not None:
        shift = typed(DatumShift, request["shift"], "m")
        if shift == DatumShift(convention=shift.convention):
            raise InputError("All parameters are 0: that would say that the two datums are one. Type those of the control.", field="x_m")
        return replace(plain, operation=shift.operation(job_frame(plain).ellipsoid))
    if request.get("datum_is"):
        return replace(plain, datum_is="gnss")
    return replace(plain, operation=_operation_of(request, plain, place, epoch))


def _operation_of(request: Mapping[str, Any], definition: FrameDefinition, place: tuple[float, float] | None, epoch: str) -> Operation:
    """Return the datum operation of the database that a person chose by its name."""
    found = find_operations(definition.system, str(request.get("source")), place, epoch_year(epoch))
    for operation in found.usable:
        if operation.name == request.get("name"):
            if place is not None and "grids=" in operation.pipeline and not reaches(operation, place):
                raise InputError(
                    f"The grid of this operation does not cover the site ({place[0]:.3f}, {place[1]:.3f}). Choose another.",
                    field="operation",
                )
            return operation
    raise InputError("This operation is not offered here for that frame and place. Choose one of the list.", field="operation")


def operations_view(context: Context, job_id: str, source: str) -> Operations:
    """Return the operations from a frame of positions into the job's datum."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        places, _ = current_places(session, job)
    return _operations(job.frame, source, middle_of(job, places), job.settings.frame_epoch)


_EACH_NEEDS_A_GRID = "Each needs a grid that is not here: bring one in below."
_NONE_IS_OFFERED = "None is offered: the frames are the same, need the epoch, or are known only as a ballpark."


def _operations(frame: JobFrame, source: str, place: tuple[float, float] | None, epoch: str) -> Operations:
    if frame.is_local:
        return Operations([], [])
    found = find_operations(frame.definition.system, source, place, epoch_year(epoch))
    lacking = [
        OperationLacking(item.name, item.accuracy_m, [name for name in item.lacking if name in known_grids()])
        for item in found.without_grid
    ]
    hint = "" if found.usable else _EACH_NEEDS_A_GRID if lacking else _NONE_IS_OFFERED
    return Operations([OperationFound(item.name, item.accuracy_m) for item in found.usable], lacking, hint)


def _finer(frame: JobFrame, place: tuple[float, float] | None) -> tuple[str, float] | None:
    operation = frame.definition.operation
    rough = None if place is None else (round(place[0], 1), round(place[1], 1))
    return None if operation is None else finer_with_grid(frame.definition.system, operation, rough)


def _middle_height(job: JobNow, places: Places) -> tuple[float, str]:
    """Return the height that the elevation factor is for, and where it comes from."""
    if job.settings.project_height_m is not None:
        return job.settings.project_height_m, "the project height"
    heights = places.ellipsoidal_m[np.isfinite(places.ellipsoidal_m)]
    if len(heights):
        return float(np.median(heights)), "the middle height of the marks"
    return 0.0, "no height known: the ellipsoid"


def system_view(context: Context, job_id: str) -> SystemView:
    """Return the factors at the job's middle, and what its settings have to be told."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        places, elevations = current_places(session, job)
    return system_of(job, places, elevations)


def system_of(job: JobNow, places: Places, elevations: int) -> SystemView:
    """Return what a job's system is to its marks; `elevations` of them are given by one."""
    frame, place = job.frame, middle_of(job, places)
    factors = None
    height_m, height_source = _middle_height(job, places)
    if place is not None and not job.lies_nowhere:
        factors = grid_factors(frame, *place, height_m)
    one_height = np.isfinite(places.ellipsoidal_m) != np.isfinite(places.elevation_m)
    evidence = SystemEvidence(
        frame=frame,
        place=place,
        factors=factors,
        job_unit=job.length_unit,
        system_unit=None if frame.is_local else unit_of_system(frame.definition.system),
        elevations=elevations,
        has_geoid=job.geoid is not None,
        geoid_training_only=bool(job.geoid_file and job.geoid_file.training_only),
        marks_outside_geoid=int(one_height.sum()) if place is not None else 0,
        practice=job.practice,
        finer_operation=_finer(frame, place),
    )
    ground = frame.definition.ground
    return SystemView(
        place=None if place is None else Place(*place),
        height_m=height_m,
        height_source=height_source,
        factors=None if factors is None else _factors_view(factors),
        ground=None if ground is None else GroundView(**asdict(ground), combined_ppm=ppm(ground.combined_factor)),
        findings=judge_system(evidence),
    )


def _factors_view(factors: GridFactors) -> Factors:
    return Factors(
        **asdict(factors),
        grid_scale_ppm=ppm(factors.grid_scale),
        elevation_ppm=ppm(factors.elevation_factor),
        combined_ppm=ppm(factors.combined_factor),
    )


def try_system(context: Context, request: TrySystem) -> TriedSystem:
    """Return what a system is and where the job's marks, and a typed place, would fall in it.  Stores nothing."""
    definition, label = definition_of(asdict(request.system), request.length_unit)
    frame, place = job_frame(definition), place_of(request.latitude, request.longitude)
    marks: list[TriedMark] = []
    if request.job_id is not None:
        with context.database.read() as session:
            job = job_of(session, request.job_id)
            rows = current_marks(session, job)
        place = place or (middle_of(job, None) if job.settings.place_latitude_deg is not None else None)
        marks = [_tried(frame, mark) for mark in rows[:MOST_MARKS_TRIED]]
    if request.operation is not None:
        frame = job_frame(with_operation(request.operation, definition, place, request.frame_epoch))
    there, why = _grid_place(frame, place)
    evidence = SystemEvidence(
        frame=frame,
        place=place,
        factors=grid_factors(frame, *place, 0.0) if place and there else None,
        job_unit=request.length_unit,
        system_unit=None if frame.is_local else unit_of_system(definition.system),
        elevations=0,
        has_geoid=False,
        geoid_training_only=False,
        marks_outside_geoid=0,
        practice=False,
        finer_operation=_finer(frame, place),
    )
    return TriedSystem(
        label=label or frame.name,
        datum=frame.datum,
        datum_kind=frame.datum_kind,
        datum_is_unsaid=frame.datum_is_unsaid,
        may_be_gnss=may_be_gnss(definition.system),
        area=frame.area.name if frame.area else "",
        definition=definition.system,
        place=there,
        place_words=why,
        operations=_operations(frame, request.source, place, request.frame_epoch) if request.source else None,
        marks=marks,
        findings=judge_system(evidence),
    )


def _grid_place(frame: JobFrame, place: tuple[float, float] | None) -> tuple[GridPlace | None, str]:
    """Return where a place of positions lies in a system, or why that cannot be said."""
    if place is None or (frame.is_local and frame.definition.anchor is None):
        return None, ""
    if frame.datum_is_unsaid:
        return (None, f"Where the place lies in {frame.name} cannot be said before an operation into its datum is chosen.")
    east, north, _ = (float(value) for value in frame.grid_from_ecef(ecef_from_geodetic(*place, 0.0, frame.positions_ellipsoid)))
    return (GridPlace(east, north), "") if np.isfinite(east) and np.isfinite(north) else (None, "The place lies outside the system.")


def _tried(frame: JobFrame, mark: MarkNow) -> TriedMark:
    """Return where a mark that is given in grid coordinates would lie in another frame."""
    if mark.given.is_geodetic:
        return TriedMark(name=mark.name, latitude_deg=mark.latitude_deg, longitude_deg=mark.longitude_deg, inside=True)
    try:
        latitude, longitude = (float(value) for value in frame.geodetic_from_grid(mark.east_m, mark.north_m))
    except FrameError:
        return TriedMark(name=mark.name, latitude_deg=None, longitude_deg=None, inside=False)
    if not (np.isfinite(latitude) and np.isfinite(longitude)):
        return TriedMark(name=mark.name, latitude_deg=None, longitude_deg=None, inside=False)
    return TriedMark(name=mark.name, latitude_deg=latitude, longitude_deg=longitude, inside=frame.contains(latitude, longitude))
