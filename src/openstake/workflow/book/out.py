"""Points and vectors to take home, in open formats: derived at that moment, with what they are good for."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from openstake.core.budget import Budget
from openstake.core.errors import InputError
from openstake.core.exported_point import Doubt, ExportedPoint, with_doubts
from openstake.core.limits import Text
from openstake.core.progress import part_of_progress, with_progress
from openstake.core.units import METRES_PER_UNIT, LengthUnit
from openstake.core.vector import ecef_covariance_m2
from openstake.derive import points
from openstake.derive.applied import LocalPlace, local_of_points
from openstake.derive.budget import budget_of_shot, budgets_in_fit, pole_used, settings_of
from openstake.derive.claims import claim_of
from openstake.derive.fit import undulation_m
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.derive.marks import marks_of
from openstake.store.models import PointLabel, Shot
from openstake.store.records.labels import labels_of
from openstake.store.records.shots import OF_THE_JOB, shots_of_job
from openstake.wire.tables.cells import csv_text, utc_text
from openstake.wire.tables.drawings import drawn_point, write_dxf, write_kml
from openstake.wire.tables.geojson import write_points_geojson
from openstake.wire.tables.landxml import write_points_landxml
from openstake.workflow.context import Context, file_name
from openstake.workflow.work import Work

_MOST_DOUBTFUL = 50
PointFormat = Literal["csv", "geojson", "kml", "dxf", "landxml", "vectors"]
FORMATS: dict[PointFormat, tuple[str, str, str]] = {
    "csv": ("CSV", "text/csv", "points.csv"),
    "geojson": ("GeoJSON", "application/geo+json", "points.geojson"),
    "kml": ("KML", "application/vnd.google-earth.kml+xml", "points.kml"),
    "dxf": ("DXF", "image/vnd.dxf", "points.dxf"),
    "landxml": ("LandXML", "application/xml", "points.xml"),
    "vectors": ("Vectors as CSV", "text/csv", "vectors.csv"),
}


Doubtful = Literal["leave out", "take"]


@dataclass(frozen=True)
class TakeHome:
    """What is wished: a CSV's columns in order, by key, parted by commas, the unit of lengths (empty: the usual ones), and whether
    points that something speaks against are left out, or taken and marked."""

    columns: Text = ""
    unit: LengthUnit | Literal[""] = ""
    doubtful: Doubtful = "leave out"


@dataclass(frozen=True)
class TakenColumn:
    """A column of a CSV of points: its key and what it holds, in words."""

    key: str
    words: str


@dataclass(frozen=True)
class TakenFormat:
    """A format that points are taken home in; `path` where it is."""

    format: PointFormat
    words: str
    path: str


@dataclass(frozen=True, kw_only=True)
class TakeHomeView:
    """What can be taken home: formats, columns, the usual columns and ready orders of them by kind of coordinate."""

    formats: list[TakenFormat]
    columns: list[TakenColumn]
    usual: list[str]
    orders: list[TakenOrder]
    units: list[LengthUnit]


@dataclass(frozen=True)
class DoubtfulPoint:
    """A point of the list that something speaks against."""

    name: str
    doubt: Doubt
    recorded_s: float


@dataclass(frozen=True)
class DoubtfulPoints:
    """What is to be said before a list is saved: `words` in one line (empty: nothing speaks against any), and which points they are."""

    words: str
    points: list[DoubtfulPoint]
    more: int


@dataclass(frozen=True)
class TakenOrder:
    """A ready order of columns."""

    words: str
    columns: list[str]


Kind = Literal["text", "length", "metres", "degrees"]


@dataclass(frozen=True, kw_only=True)
class _Column:
    words: str
    header: str
    kind: Kind
    value: Callable[[ExportedPoint], object]


def _lengths(**columns: tuple[str, str]) -> dict[str, _Column]:
    """Return columns of lengths: key, then the field of a point and words."""

    def column(field: str, words: str, key: str) -> _Column:
        return _Column(words=words, header=_HEADERS.get(key, key), kind="length", value=lambda point: getattr(point, field))

    return {key: column(field, words, key) for key, (field, words) in columns.items()}


_HEADERS = {
    "height": "ellipsoidal_height",
    "sigma_east": "claimed_sigma_east",
    "sigma_north": "claimed_sigma_north",
    "sigma_up": "claimed_sigma_up",
}
COLUMNS: dict[str, _Column] = {
    "name": _Column(words="name", header="name", kind="text", value=lambda point: point.name),
    **_lengths(east=("east_m", "east"), north=("north_m", "north"), height=("height_m", "ellipsoidal height")),
    "epochs": _Column(words="epochs", header="epochs", kind="text", value=lambda point: point.epochs),
    "not_fixed": _Column(words="epochs not fixed", header="not_fixed", kind="text", value=lambda point: point.not_fixed),
    **_lengths(
        sigma_east=("sigma_east_m", "claimed sigma east"),
        sigma_north=("sigma_north_m", "claimed sigma north"),
        sigma_up=("sigma_up_m", "claimed sigma up"),
    ),
    "covariance_origin": _Column(
        words="where the sigmas come from", header="covariance_origin", kind="text", value=lambda point: point.covariance_origin
    ),
    "frame": _Column(words="frame", header="frame", kind="text", value=lambda point: point.frame),
    "frame_epoch": _Column(words="epoch of the frame", header="frame_epoch", kind="text", value=lambda point: point.frame_epoch),
    "base_height": _Column(words="base height, m", header="base_height_m", kind="metres", value=lambda point: point.base_height_m),
    "rover_height": _Column(words="rover height, m", header="rover_height_m", kind="metres", value=lambda point: point.rover_height_m),
    "recorded": _Column(
        words="recorded, Unix seconds", header="recorded_utc_s", kind="text", value=lambda point: f"{point.recorded_s:.3f}"
    ),
    "kind": _Column(words="kind", header="kind", kind="text", value=lambda point: point.kind),
    "code": _Column(words="code", header="code", kind="text", value=lambda point: point.code),
    "note": _Column(words="note", header="note", kind="text", value=lambda point: point.note),
    **_lengths(horizontal_95=("horizontal_95_m", "horizontal 95 %"), vertical_95=("vertical_95_m", "vertical 95 %")),
    **_lengths(
        local_east=("local_east_m", "local east"),
        local_north=("local_north_m", "local north"),
        local_height=("local_height_m", "local height"),
        local_horizontal_95=("local_horizontal_95_m", "local horizontal 95 %"),
        local_vertical_95=("local_vertical_95_m", "local vertical 95 %"),
        elevation=("elevation_m", "elevation"),
    ),
    "latitude": _Column(words="latitude, degrees", header="latitude_deg", kind="degrees", value=lambda point: point.latitude_deg),
    "longitude": _Column(words="longitude, degrees", header="longitude_deg", kind="degrees", value=lambda point: point.longitude_deg),
    "x": _Column(words="Earth-centred X, m", header="x_m", kind="metres", value=lambda point: point.x_m),
    "y": _Column(words="Earth-centred Y, m", header="y_m", kind="metres", value=lambda point: point.y_m),
    "z": _Column(words="Earth-centred Z, m", header="z_m", kind="metres", value=lambda point: point.z_m),
    "time": _Column(words="recorded, UTC", header="recorded_utc", kind="text", value=lambda point: utc_text(point.recorded_s)),
    "status": _Column(words="fixed or not", header="status", kind="text", value=lambda point: point.status),
    "base": _Column(words="base stood on", header="base", kind="text", value=lambda point: point.base),
    "kept": _Column(words="kept or taken out", header="kept", kind="text", value=lambda point: "taken out" if point.taken_out else "kept"),
    "named": _Column(words="how many have the name", header="with_this_name", kind="text", value=lambda point: point.named),
}
USUAL = (
    "name",
    "east",
    "north",
    "height",
    "epochs",
    "not_fixed",
    "sigma_east",
    "sigma_north",
    "sigma_up",
    "covariance_origin",
    "frame",
    "frame_epoch",
    "base_height",
    "rover_height",
    "recorded",
    "kind",
    "code",
    "note",
    "horizontal_95",
    "vertical_95",
    "status",
    "base",
    "kept",
    "named",
)
_LOCAL = ("local_east", "local_north", "local_height", "local_horizontal_95", "local_vertical_95")
_ORDERS = (
    TakenOrder("Name, east, north, height, code", ["name", "east", "north", "height", "code"]),
    TakenOrder("Name, north, east, elevation, code", ["name", "north", "east", "elevation", "code"]),
    TakenOrder("Latitude and longitude", ["name", "latitude", "longitude", "height", "code", "horizontal_95", "vertical_95"]),
    TakenOrder("Earth-centred", ["name", "x", "y", "z", "code", "frame", "frame_epoch"]),
    TakenOrder("Local", ["name", "local_east", "local_north", "local_height", "code", "local_horizontal_95", "local_vertical_95"]),
)


def view(context: Context, job_id: str) -> TakeHomeView:
    """Return what can be taken home of a job, and how."""
    with context.database.read() as session:
        job_of(session, job_id)
    return TakeHomeView(
        formats=[TakenFormat(key, words, f"/api/jobs/{job_id}/take-home/{key}") for key, (words, _, _) in FORMATS.items()],
        columns=[TakenColumn(key, column.words) for key, column in COLUMNS.items()],
        usual=list(USUAL),
        orders=list(_ORDERS),
        units=list(get_args(LengthUnit)),
    )


def take_home(context: Context, job_id: str, kind: str, request: TakeHome) -> tuple[bytes, str, str]:
    """Return a job's points, or its vectors, as a file: its content, its media type and its name."""
    form = next((item for item in FORMATS if item == kind), None)
    if form is None:
        raise InputError(f"'{kind[:20]}' is not a format of points; it is {', '.join(FORMATS)}.")
    with context.database.read() as session:
        job = job_of(session, job_id)
        content = _content(session, job, form, request)
    _, media_type, ending = FORMATS[form]
    return content if isinstance(content, bytes) else content.encode(), media_type, f"{file_name(job.name)}-{ending}"


def begin(context: Context, job_id: str, kind: str, request: TakeHome) -> Work:
    """Begin to make a file of a job's points or vectors."""
    with context.database.read() as session:
        name = job_of(session, job_id).name
    return context.works.begin_file(f"Points of {name}", job_id, lambda: take_home(context, job_id, kind, request))


def _content(session: Session, job: JobNow, form: PointFormat, request: TakeHome) -> str | bytes:
    if form == "vectors":
        return _vectors_csv(session, job, request.doubtful)
    job.needs_datum()
    with part_of_progress(0.0, 0.8):
        found = _wished(taken_points(session, job), request.doubtful)
    with part_of_progress(0.8, 1.0):
        return _written(job, form, request, found)


def _written(job: JobNow, form: PointFormat, request: TakeHome, taken: Sequence[ExportedPoint]) -> str | bytes:
    unit = request.unit or job.length_unit
    if form == "csv":
        return _csv(taken, _columns(request.columns, taken), unit)
    if form == "geojson":
        return write_points_geojson(taken, job.system_statement)
    if form == "kml":
        return write_kml(map(drawn_point, with_progress(taken, len(taken))), job.name)
    if form == "dxf":
        return write_dxf([drawn_point(point) for point in with_progress(taken, len(taken))], unit)
    return write_points_landxml(taken, unit, job.settings.system_label or job.frame.name, job.system_statement)


def _wished(taken: Sequence[ExportedPoint], doubtful: Doubtful) -> list[ExportedPoint]:
    return [point for point in taken if doubtful == "take" or not point.doubt]


def doubtful_points(context: Context, job_id: str) -> DoubtfulPoints:
    """Return which points of a job something speaks against, oldest first: they are left out of a list unless they are wished."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        if job.frame.datum_is_unsaid:
            return DoubtfulPoints("", [], 0)
        found = [point for point in taken_points(session, job) if point.doubt]
    counts = Counter(point.doubt for point in found)
    words = ", ".join(f"{count} {doubt}" for doubt, count in counts.items())
    shown = [DoubtfulPoint(point.name, point.doubt, point.recorded_s) for point in found[:_MOST_DOUBTFUL]]
    return DoubtfulPoints(words, shown, len(found) - len(shown))


def _columns(said: str, taken: Sequence[ExportedPoint]) -> list[str]:
    """Return the columns that were asked for, the usual ones where none were; InputError where one is not there."""
    wished = [key.strip() for key in said.split(",") if key.strip()]
    unknown = [key for key in wished if key not in COLUMNS]
    if unknown:
        raise InputError(f"'{unknown[0][:30]}' is not a column; there are {', '.join(COLUMNS)}.", field="columns")
    fitted = any(point.local_east_m is not None for point in taken)
    return wished or [*USUAL, *(_LOCAL if fitted else ())]


def _csv(taken: Sequence[ExportedPoint], columns: Sequence[str], unit: LengthUnit) -> str:
    used, factor = [COLUMNS[key] for key in columns], METRES_PER_UNIT[unit]
    header = [f"{column.header}_{unit}" if column.kind == "length" else column.header for column in used]

    def cell(column: _Column, point: ExportedPoint) -> object:
        value = column.value(point)
        if value is None or isinstance(value, str) or column.kind == "text":
            return "" if value is None else value
        assert isinstance(value, float)
        scale, places = (factor, 4) if column.kind == "length" else (1.0, 10 if column.kind == "degrees" else 4)
        return f"{value / scale:.{places}f}"

    return csv_text([header, *([cell(column, point) for column in used] for point in with_progress(taken, len(taken)))])


def _listed(session: Session, job: JobNow) -> tuple[list[Shot], dict[str, PointLabel]]:
    """Return the shots of points and checks of a job, oldest first, and the points' labels."""
    return shots_of_job(session, job.id, OF_THE_JOB), labels_of(session, job.id)


def taken_points(
    session: Session, job: JobNow, listed: tuple[list[Shot], dict[str, PointLabel]] | None = None, known: list[points.Point] | None = None
) -> list[ExportedPoint]:
    """Return the points and checks of a job as they are taken home, oldest first; as many queries whatever it holds."""
    shots, labels = listed or _listed(session, job)
    derived = points.derive_all(session, job, shots) if known is None else known
    local = local_of_points(session, job, derived)
    pole, usual = pole_used(kit_of(session, job.id)), settings_of(session, job.id)
    fitted = budgets_in_fit(session, job, shots, derived, pole, usual)
    grid = np.array([(point.east_m, point.north_m, point.height_m) for point in derived]).reshape(-1, 3)
    xyz, angles = _on_earth(job, grid)
    lifts = undulation_m(job, grid) if job.geoid_file is not None and len(grid) else np.full(len(grid), np.nan)
    under = marks_of(session, job, {point.base.occupation.mark_id for point in derived})
    taken = [
        _taken(
            job,
            shot,
            point,
            budget_of_shot(shot, point, pole, usual),
            local[n],
            fitted[n],
            labels.get(shot.id),
            lifts[n],
            angles[n],
            xyz[n],
            under[point.base.occupation.mark_id].name,
        )
        for n, (shot, point) in with_progress(enumerate(zip(shots, derived, strict=True)), len(shots))
    ]
    return with_doubts(taken)


def _taken(
    job: JobNow,
    shot: Shot,
    point: points.Point,
    budget: Budget,
    place: LocalPlace | None,
    in_fit: Budget | None,
    label: PointLabel | None,
    lift_m: float,
    angles_deg: NDArray[np.float64],
    xyz_m: NDArray[np.float64],
    base: str,
) -> ExportedPoint:
    """Return one point; NaN of a lift or a place is not known."""
    latitude, longitude, x, y, z = (_known(value) for value in (*angles_deg, *xyz_m))
    return ExportedPoint(
        name=label.name if label else shot.name,
        code=label.code if label else "",
        note=label.note if label else "",
        kind=shot.kind,
        east_m=point.east_m,
        north_m=point.north_m,
        height_m=point.height_m,
        elevation_m=_known(point.height_m - lift_m),
        latitude_deg=latitude,
        longitude_deg=longitude,
        x_m=x,
        y_m=y,
        z_m=z,
        local_east_m=place.east_m if place else None,
        local_north_m=place.north_m if place else None,
        local_height_m=place.height_m if place else None,
        horizontal_95_m=budget.horizontal_95_m,
        vertical_95_m=budget.vertical_95_m,
        local_horizontal_95_m=_known(in_fit.horizontal_95_m) if in_fit else None,
        local_vertical_95_m=_known(in_fit.vertical_95_m) if in_fit else None,
        sigma_east_m=shot.sigma_east_m,
        sigma_north_m=shot.sigma_north_m,
        sigma_up_m=shot.sigma_up_m,
        covariance_origin=shot.covariance_origin,
        epochs=point.epochs,
        not_fixed=point.not_fixed,
        base_height_m=point.base_height.arp_height_m,
        rover_height_m=point.rover_height.arp_height_m,
        frame=job.frame_of(shot.frame),
        frame_epoch=shot.frame_epoch,
        recorded_s=shot.created_s,
        base=base,
        taken_out=label.taken_out if label else False,
    )


def _known(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _on_earth(job: JobNow, grid_m: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return places of the grid Earth-centred in metres, (n, 3), and latitude and longitude of the job's datum, (n, 2); NaN where the
    job lies nowhere on Earth yet."""
    if job.lies_nowhere or not len(grid_m):
        return np.full((len(grid_m), 3), np.nan), np.full((len(grid_m), 2), np.nan)
    xyz = np.asarray(job.frame.ecef_from_grid(*grid_m.T))
    return xyz, np.asarray(job.frame.datum_geodetic_from_ecef(xyz))[:, :2]


def _vectors_csv(session: Session, job: JobNow, doubtful: Doubtful) -> str:
    """Return the vectors of a job with their covariances as CSV, Earth-centred, metres and m²: from the base reference to what the
    rover's position refers to, nothing reduced; those from a virtual base are positions and left out."""
    shots, labels = _listed(session, job)
    derived = points.derive_all(session, job, shots)
    doubts = [point.doubt for point in taken_points(session, job, (shots, labels), derived)]
    received = points.received_of(session, job.id, shots)
    header = [
        "name",
        "base_station",
        "from_x_m",
        "from_y_m",
        "from_z_m",
        "dx_m",
        "dy_m",
        "dz_m",
        "cov_xx_m2",
        "cov_xy_m2",
        "cov_xz_m2",
        "cov_yy_m2",
        "cov_yz_m2",
        "cov_zz_m2",
        "covariance_origin",
        "refers_to",
        "base_height_m",
        "rover_height_m",
        "epochs",
        "not_fixed",
        "recorded_utc",
        "doubt",
    ]
    rows: list[list[object]] = []
    for shot, point, doubt in zip(shots, derived, doubts, strict=True):
        if point.virtual or (doubt and doubtful == "leave out"):
            continue
        start = np.array([point.reference.x_m, point.reference.y_m, point.reference.z_m])
        covariance = ecef_covariance_m2(claim_of(shot), start)
        rows.append(
            [
                labels[shot.id].name if shot.id in labels else shot.name,
                point.reference.station_id,
                *(f"{value:.4f}" for value in start),
                *(f"{value:.4f}" for value in received[shot.id].vector_m),
                *(f"{covariance[row, column]:.6e}" for row in range(3) for column in range(row, 3)),
                shot.covariance_origin,
                shot.refers_to,
                f"{point.base_height.arp_height_m:.4f}",
                f"{point.rover_height.arp_height_m:.4f}",
                point.epochs,
                point.not_fixed,
                utc_text(shot.created_s),
                doubt,
            ]
        )
    return csv_text([header, *rows])
