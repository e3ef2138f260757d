"""Marks as GeoJSON points.  Source: RFC 7946; the older named `crs` member is read as well (GeoJSON 2008, section 3)."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Sequence
from dataclasses import asdict, fields
from typing import Any

from openstake.core.errors import FileError
from openstake.core.exported_point import ExportedPoint
from openstake.core.mark import HEIGHT_KINDS, GivenMark, HeightKind, PlacedMark
from openstake.wire.jsontext import JsonError, read_json
from openstake.wire.tables.cells import utc_text
from openstake.wire.tables.control_reading import (
    HEIGHT_QUESTION,
    MOST_LINES,
    UNIT_QUESTION,
    Line,
    Reading,
    decoded,
    metres,
    refusal_of,
    too_many,
)

_OURS = tuple(field.name for field in fields(GivenMark))
_NAMES = ("name", "id", "Name", "point", "label")


def read_geojson(content: bytes, unit: str | None, height_kind: HeightKind | None = None) -> Reading:
    """Return the points of a FeatureCollection.  Coordinates are longitude and latitude unless a `crs` names a grid.

    Numbers in metres in the properties that we write ourselves (`east_m` ...) win over the geometry.
    """
    text, encoding = decoded(content)
    try:
        document = read_json(text)
    except JsonError as error:
        raise FileError(f"The file begins like JSON, but cannot be taken: it {error}.") from None
    if not isinstance(document, dict) or document.get("type") != "FeatureCollection":
        raise FileError("This JSON is not a GeoJSON FeatureCollection, so it holds no marks.")
    features = document.get("features")
    if not isinstance(features, list) or not features:
        raise FileError("The FeatureCollection holds no features.")
    if len(features) > MOST_LINES:
        raise too_many(len(features))
    grid = _grid_code(document)
    lines = [_line(number, feature, grid, unit, height_kind) for number, feature in enumerate(features, 1)]
    marks = [line.mark for line in lines if line.mark]
    questions = []
    if any(mark.height_m is not None and mark.height_kind is None for mark in marks):
        questions.append(HEIGHT_QUESTION)
    ours = any("east_m" in (_properties(feature)) for feature in features)
    if grid and unit is None and not ours:
        questions.append(UNIT_QUESTION)
    system = document.get("system")
    return Reading(
        format="GeoJSON",
        encoding=encoding,
        delimiter="",
        header=None,
        roles=(),
        unit=unit or "m",
        unit_stated=grid is None or ours,
        system=system if isinstance(system, str) else grid,
        questions=tuple(questions),
        lines=lines,
    )


def _grid_code(document: dict[str, Any]) -> str | None:
    """Return the grid that a `crs` member names; None for longitude and latitude."""
    crs = document.get("crs")
    if crs is None:
        return None
    name = crs.get("properties", {}).get("name", "") if isinstance(crs, dict) and isinstance(crs.get("properties"), dict) else ""
    if "CRS84" in str(name):
        return None
    code = re.search(r"EPSG:+(?:[\d.]*:)?(\d+)$", str(name))
    if code is None:
        raise FileError(f"The file's coordinate system '{str(name)[:60]}' is not known by an EPSG code.")
    return None if code[1] == "4326" else f"EPSG:{code[1]}"


def _properties(feature: Any) -> dict[str, Any]:
    properties = feature.get("properties") if isinstance(feature, dict) else None
    return properties if isinstance(properties, dict) else {}


def _line(number: int, feature: Any, grid: str | None, unit: str | None, height_kind: HeightKind | None) -> Line:
    properties = _properties(feature)
    name = next((properties[key] for key in _NAMES if properties.get(key) not in (None, "")), "")
    geometry = feature.get("geometry") if isinstance(feature, dict) else None
    point = geometry.get("coordinates") if isinstance(geometry, dict) else None
    cells = (str(name), json.dumps(point)[:60])

    def refused(sentence: str) -> Line:
        return Line(number=number, cells=cells, mark=None, refusal=sentence)

    ours = {key: properties[key] for key in _OURS if key in properties}
    if not ("east_m" in ours or "latitude_deg" in ours):
        if not isinstance(geometry, dict) or geometry.get("type") != "Point":
            return refused("The feature is not a point.")
        if not isinstance(point, list) or not 2 <= len(point) <= 3 or not all(map(_is_number, point)):
            return refused("The point's coordinates are not two or three numbers.")
        first, second = float(point[0]), float(point[1])
        factor = metres("1", unit or "m")
        ours |= {"east_m": first * factor, "north_m": second * factor} if grid else {"longitude_deg": first, "latitude_deg": second}
        if len(point) == 3 and "height_m" not in ours:
            ours |= {"height_m": float(point[2]) * (factor if grid else 1.0), "height_kind": height_kind}
    ours["name"] = str(name).strip()
    problem = _problem(ours)
    if problem:
        return refused(problem)
    mark = GivenMark(**ours)
    sentence = refusal_of(mark)
    return refused(sentence) if sentence else Line(number=number, cells=cells, mark=mark, refusal="")


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool) and math.isfinite(value)


def _problem(values: dict[str, Any]) -> str:
    """Return what is wrong with values under our own names; empty where each is of its type."""
    for key, value in values.items():
        if key.endswith(("_m", "_deg")) and not (value is None or _is_number(value)):
            return f"'{str(value)[:30]}' is not a number of {key}."
        if key in ("name", "order", "source", "note") and not isinstance(value, str):
            return f"The {key} is not a text."
    if values.get("height_kind") not in (None, *HEIGHT_KINDS):
        return f"'{str(values['height_kind'])[:30]}' is not a kind of height."
    if not isinstance(values.get("check_only", False), bool):
        return "check_only is neither true nor false."
    if (values.get("east_m") is None) != (values.get("north_m") is None):
        return "One of east and north is missing."
    if (values.get("latitude_deg") is None) != (values.get("longitude_deg") is None):
        return "One of latitude and longitude is missing."
    return ""


def write_geojson(marks: Sequence[PlacedMark], system: str) -> str:
    """Return marks as GeoJSON: longitude and latitude of the job's datum, what was given in the properties.

    RFC 7946 asks for WGS 84; the job's datum may lie some decimetres off, which `system` tells.  A job that lies nowhere on
    Earth yet has features without a place.
    """
    features = []
    for placed in marks:
        point: list[float] | None = None
        if placed.latitude_deg is not None and placed.longitude_deg is not None:
            point = [placed.longitude_deg, placed.latitude_deg]
            if placed.ellipsoidal_height_m is not None:
                point.append(placed.ellipsoidal_height_m)
        mark = placed.given
        values = {name: getattr(mark, name) for name in _OURS}
        features.append(
            {
                "type": "Feature",
                "geometry": None if point is None else {"type": "Point", "coordinates": point},
                "properties": {name: value for name, value in values.items() if value is not None},
            }
        )
    document = {"type": "FeatureCollection", "system": system, "features": features}
    return json.dumps(document, ensure_ascii=False, indent=1, allow_nan=False)


def write_points_geojson(points: Sequence[ExportedPoint], system: str) -> str:
    """Return measured points as GeoJSON: longitude, latitude and ellipsoidal height of the frame that positions are in (RFC 7946 knows
    no other datum than WGS 84); all else in the properties, latitude and longitude of the job's datum too.

    Lengths are metres; `recorded` is UTC.  A point of a job that lies nowhere on Earth yet has no geometry.
    """
    features = []
    for point in points:
        values = {name: value for name, value in asdict(point).items() if value is not None and name != "recorded_s"}
        there = point.on_earth
        features.append(
            {
                "type": "Feature",
                "geometry": {"type": "Point", "coordinates": [there[1], there[0], there[2]]} if there is not None else None,
                "properties": values | {"recorded": utc_text(point.recorded_s), "status": point.status},
            }
        )
    document = {"type": "FeatureCollection", "system": system, "features": features}
    return json.dumps(document, ensure_ascii=False, indent=1, allow_nan=False)
