"""Marks and points as LandXML CgPoints: north, east and elevation in the file's own unit.  Source: LandXML-1.2 schema."""

from __future__ import annotations

import re
from collections.abc import Sequence
from xml.etree import ElementTree

from defusedxml import ElementTree as SafeTree
from defusedxml.common import DefusedXmlException

from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.errors import FileError
from openstake.core.exported_point import ExportedPoint
from openstake.core.mark import GivenMark, HeightKind, PlacedMark
from openstake.core.units import plain_number, shortest_number
from openstake.wire.tables.cells import utc_text, xml_text
from openstake.wire.tables.control_reading import MOST_LINES, UNIT_QUESTION, Line, Reading, metres, number_text, refusal_of, too_many

NAMESPACE = "http://www.landxml.org/schema/LandXML-1.2"
_UNITS = {"meter": "m", "millimeter": "mm", "foot": "ft", "USSurveyFoot": "sft"}
# One feature of ours on a point carries what the schema has no attribute for.
_FEATURE = "control"


def read_landxml(content: bytes, unit: str | None, default_unit: str) -> Reading:
    """Return the CgPoints of a file.  Its `Units` say the unit; where they do not, a person must."""
    try:
        root = SafeTree.fromstring(content)
    except (ElementTree.ParseError, DefusedXmlException, ValueError, LookupError) as error:
        raise FileError(f"The file begins like XML but is not XML, or is not safe to read: {str(error)[:120]}.") from None
    if not root.tag.endswith("LandXML"):
        raise FileError(f"The XML's first element is {root.tag.rpartition('}')[2][:40]}, not LandXML.")
    points = root.findall(".//{*}CgPoint")
    if not points:
        raise FileError("The LandXML holds no CgPoints.")
    if len(points) > MOST_LINES:
        raise too_many(len(points))
    stated = _stated_unit(root)
    used = unit or stated or default_unit
    lines = [_line(number, point, used) for number, point in enumerate(points, 1)]
    place = root.find("./{*}CoordinateSystem")
    code = place.get("epsgCode") if place is not None else None
    system = place.get("desc") if place is not None else None
    return Reading(
        format="LandXML",
        encoding="XML",
        delimiter="",
        header=None,
        roles=(),
        unit=used if used != "mm" else "m",
        unit_stated=stated is not None,
        system=f"EPSG:{code}" if code else system,
        questions=() if unit or stated else (UNIT_QUESTION,),
        lines=lines,
    )


def _stated_unit(root: ElementTree.Element) -> str | None:
    units = root.find("./{*}Units/*")
    name = units.get("linearUnit") if units is not None else None
    if name is None:
        return None
    if name not in _UNITS:
        raise FileError(f"The file's unit of length is '{name[:30]}', which is not read here: {', '.join(_UNITS)} are.")
    return _UNITS[name]


def _line(number: int, point: ElementTree.Element, unit: str) -> Line:
    name = (point.get("name") or point.get("oID") or "").strip()
    text = (point.text or "").strip()
    parts = text.split()
    cells = (name, *(part[:60] for part in parts[:5]))

    def refused(sentence: str) -> Line:
        return Line(number=number, cells=cells, mark=None, refusal=sentence)

    numbers = [number_text(part) for part in parts]
    if not 2 <= len(parts) <= 3 or None in numbers:
        return refused(f"'{text[:40]}' is not a north, an east and, if known, an elevation.")
    lengths = [metres(value, unit) for value in numbers if value is not None]
    attributes: dict[str, float | None] = {}
    for key in ("ellipsoidHeight", "northingStdError", "eastingStdError", "elevationStdError", "latitude", "longitude"):
        written = point.get(key)
        found = None if written is None else number_text(written)
        if written is not None and found is None:
            return refused(f"'{written[:30]}' is not a number of {key}.")
        is_angle = key in ("latitude", "longitude")
        attributes[key] = None if found is None else float(found) if is_angle else metres(found, unit)
    more = {item.get("label", ""): item.get("value", "") for item in point.findall("./{*}Feature[@code='" + _FEATURE + "']/{*}Property")}
    geodetic = more.get("given") == "geodetic"
    height: float | None = lengths[2] if len(lengths) == 3 else None
    kind: HeightKind | None = "elevation" if height is not None else None
    if attributes["ellipsoidHeight"] is not None and height is None:
        height, kind = attributes["ellipsoidHeight"], "ellipsoidal"
    sigmas = [value for key in ("northingStdError", "eastingStdError") if (value := attributes[key]) is not None]
    mark = GivenMark(
        name=name,
        east_m=None if geodetic else lengths[1],
        north_m=None if geodetic else lengths[0],
        latitude_deg=attributes["latitude"] if geodetic else None,
        longitude_deg=attributes["longitude"] if geodetic else None,
        height_m=height,
        height_kind=kind,
        sigma_horizontal_m=max(sigmas) if sigmas else None,
        sigma_vertical_m=attributes["elevationStdError"],
        order=more.get("order", ""),
        source=more.get("source", ""),
        note=point.get("desc", ""),
        check_only=more.get("check only") == "yes",
    )
    sentence = refusal_of(mark)
    return refused(sentence) if sentence else Line(number=number, cells=cells, mark=mark, refusal="")


def write_landxml(marks: Sequence[PlacedMark], unit: str, system_name: str, system: str) -> bytes:
    """Return marks as LandXML-1.2 in the job's unit; read again it gives the same marks bit for bit.

    A mark with an elevation has three coordinates, one with an ellipsoidal height two and the attribute for it.
    """
    root, group = _document(unit, system_name, system)
    for placed in marks:
        _write_point(group, placed, unit)
    return _written(root)


def write_points_landxml(points: Sequence[ExportedPoint], unit: str, system_name: str, system: str) -> bytes:
    """Return measured points as LandXML-1.2 CgPoints in the job's unit: code, standard errors, and 95 % as properties.

    The standard errors are 95 % over 2.4477 (an axis of a circle) and 1.9600.
    """
    root, group = _document(unit, system_name, system)
    for point in points:
        flat, up = (shortest_number(value, unit) for value in (point.horizontal_95_m / CIRCLE_95, point.vertical_95_m / LINE_95))
        attributes = {
            "name": point.name,
            "code": point.code,
            "desc": point.note,
            "timeStamp": utc_text(point.recorded_s),
            "ellipsoidHeight": shortest_number(point.height_m, unit),
            "northingStdError": flat,
            "eastingStdError": flat,
            "elevationStdError": up,
        }
        if point.latitude_deg is not None and point.longitude_deg is not None:
            attributes |= {"latitude": plain_number(point.latitude_deg), "longitude": plain_number(point.longitude_deg)}
        written = ElementTree.SubElement(group, "CgPoint", {key: xml_text(value) for key, value in attributes.items() if value})
        lengths = [point.north_m, point.east_m, *([] if point.elevation_m is None else [point.elevation_m])]
        written.text = " ".join(shortest_number(value, unit) for value in lengths)
        feature = ElementTree.SubElement(written, "Feature", {"code": _FEATURE})
        for label, value in (("horizontal 95 %", point.horizontal_95_m), ("vertical 95 %", point.vertical_95_m)):
            ElementTree.SubElement(feature, "Property", {"label": label, "value": shortest_number(value, unit)})
        for label, said in (("status", point.status), ("base", point.base), ("doubt", point.doubt)):
            if said:
                ElementTree.SubElement(feature, "Property", {"label": label, "value": xml_text(said)})
    return _written(root)


def _document(unit: str, system_name: str, system: str) -> tuple[ElementTree.Element, ElementTree.Element]:
    """Return an empty document in a unit, and its group of points."""
    root = ElementTree.Element("LandXML", {"xmlns": NAMESPACE, "version": "1.2"})
    units = ElementTree.SubElement(root, "Units")
    linear = next(name for name, short in _UNITS.items() if short == unit)
    shared = {"linearUnit": linear, "temperatureUnit": "celsius", "pressureUnit": "HPA"}
    if unit == "m":
        ElementTree.SubElement(units, "Metric", shared | {"areaUnit": "squareMeter", "volumeUnit": "cubicMeter"})
    else:
        ElementTree.SubElement(units, "Imperial", shared | {"areaUnit": "squareFoot", "volumeUnit": "cubicFeet"})
    code = re.fullmatch(r"EPSG:(\d+)", system)
    place = {"name": xml_text(system_name)} | ({"epsgCode": code[1]} if code else {"desc": xml_text(system)})
    ElementTree.SubElement(root, "CoordinateSystem", place)
    return root, ElementTree.SubElement(root, "CgPoints")


def _written(root: ElementTree.Element) -> bytes:
    ElementTree.indent(root)
    return bytes(ElementTree.tostring(root, encoding="utf-8", xml_declaration=True))


def _write_point(group: ElementTree.Element, placed: PlacedMark, unit: str) -> None:
    mark = placed.given
    point = ElementTree.SubElement(group, "CgPoint", _attributes(mark, unit))
    lengths = [placed.north_m, placed.east_m]
    if mark.height_kind == "elevation" and mark.height_m is not None:
        lengths.append(mark.height_m)
    point.text = " ".join(shortest_number(value, unit) for value in lengths)
    more = {
        "order": mark.order,
        "source": mark.source,
        "check only": "yes" if mark.check_only else "",
        "given": "geodetic" if mark.is_geodetic else "",
    }
    said = {label: xml_text(value) for label, value in more.items() if value}
    if said:
        feature = ElementTree.SubElement(point, "Feature", {"code": _FEATURE})
        for label, value in said.items():
            ElementTree.SubElement(feature, "Property", {"label": label, "value": value})


def _attributes(mark: GivenMark, unit: str) -> dict[str, str]:
    """Return what stands at a point beside its coordinates, in the unit of the file."""
    attributes = {"name": xml_text(mark.name)}
    if mark.note:
        attributes["desc"] = xml_text(mark.note)
    if mark.height_kind == "ellipsoidal" and mark.height_m is not None:
        attributes["ellipsoidHeight"] = shortest_number(mark.height_m, unit)
    if mark.latitude_deg is not None and mark.longitude_deg is not None:
        attributes |= {"latitude": plain_number(mark.latitude_deg), "longitude": plain_number(mark.longitude_deg)}
    if mark.sigma_horizontal_m is not None:
        sigma = shortest_number(mark.sigma_horizontal_m, unit)
        attributes |= {"northingStdError": sigma, "eastingStdError": sigma}
    if mark.sigma_vertical_m is not None:
        attributes["elevationStdError"] = shortest_number(mark.sigma_vertical_m, unit)
    return attributes
