"""Marks and points as drawings for other programs: KML (longitude, latitude) and DXF (east, north in the job's unit).  Written only."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from openstake.core.exported_point import ExportedPoint
from openstake.core.mark import PlacedMark
from openstake.core.units import METRES_PER_UNIT, UNIT_WORDS
from openstake.wire.tables.cells import utc_text, xml_text

_DXF_UNITS = {"m": 6, "ft": 2, "sft": 21}  # DXF reference, header variable $INSUNITS
_NO_CODE = "NO CODE"
_CIRCLES = "95 PERCENT"
_COLOURS = {"CONTROL": 5, "CHECK": 3, "NAMES": 7, _CIRCLES: 8}
_NO_LAYER = re.compile(r'[<>/\\":;?*|=`,\x00-\x1f]')  # DXF reference, symbol table names


@dataclass(frozen=True, kw_only=True)
class Drawn:
    """A thing that is drawn: grid and height in metres, degrees where it lies on Earth; `circle_m` is drawn around it where it is known."""

    name: str
    layer: str
    east_m: float
    north_m: float
    height_m: float
    latitude_deg: float | None
    longitude_deg: float | None
    words: tuple[str, ...]
    circle_m: float | None = None


def drawn_mark(placed: PlacedMark) -> Drawn:
    """Return a mark as it is drawn; its height is the elevation, else the ellipsoidal height."""
    mark = placed.given
    height = placed.elevation_m if placed.elevation_m is not None else placed.ellipsoidal_height_m
    words = (mark.note, f"Source: {mark.source}" if mark.source else "", "Check point" if mark.check_only else "")
    return Drawn(
        name=mark.name,
        layer="CHECK" if mark.check_only else "CONTROL",
        east_m=placed.east_m,
        north_m=placed.north_m,
        height_m=height or 0.0,
        latitude_deg=placed.latitude_deg,
        longitude_deg=placed.longitude_deg,
        words=words,
    )


def drawn_point(point: ExportedPoint) -> Drawn:
    """Return a point as it is drawn: on the layer of its code, its horizontal 95 % as a circle."""
    words = (
        point.code,
        point.note,
        f"{point.status}, base on {point.base}{f', {point.doubt}' if point.doubt else ''}",
        f"95 %: {point.horizontal_95_m:.3f} m horizontally, {point.vertical_95_m:.3f} m in height, relative to the base mark",
        f"Ellipsoidal height {point.height_m:.3f} m",
        utc_text(point.recorded_s),
    )
    height = point.height_m if point.elevation_m is None else point.elevation_m
    latitude_deg, longitude_deg, _ = point.on_earth or (None, None, None)
    layer = _NO_LAYER.sub(" ", point.code).strip()[:200] or _NO_CODE
    return Drawn(
        name=point.name,
        layer=layer,
        east_m=point.east_m,
        north_m=point.north_m,
        height_m=height,
        latitude_deg=latitude_deg,
        longitude_deg=longitude_deg,
        words=words,
        circle_m=point.horizontal_95_m,
    )


def write_kml(items: Iterable[Drawn], title: str) -> str:
    """Return things as KML placemarks on the ground.  What lies nowhere on Earth yet is left out."""
    import simplekml

    document = simplekml.Kml(name=xml_text(title))
    for item in items:
        if item.latitude_deg is None or item.longitude_deg is None:
            continue
        document.newpoint(
            name=xml_text(item.name),
            coords=[(f"{item.longitude_deg:.10f}", f"{item.latitude_deg:.10f}")],
            description=xml_text("\n".join(word for word in item.words if word)),
        )
    return str(document.kml())


def write_dxf(items: Sequence[Drawn], unit: str, layers: Sequence[str] = ()) -> str:
    """Return things as DXF R2010 points with their names; `layers` are there whether anything lies on them or not.

    Names, and circles of 95 %, have layers of their own; each layer's description says which unit.
    """
    from ezdxf.filemanagement import new

    drawing = new("R2010")
    drawing.header["$INSUNITS"] = _DXF_UNITS[unit]
    circles = [_CIRCLES] if any(item.circle_m is not None for item in items) else []
    # Names of layers are the same in capitals and in small letters.
    named = {layer.casefold(): layer for layer in (*circles, "NAMES", *(item.layer for item in items), *layers)}
    for layer in named.values():
        drawing.layers.add(layer, color=_COLOURS.get(layer, 7)).description = f"lengths in {UNIT_WORDS[unit]}"
    space = drawing.modelspace()
    factor = METRES_PER_UNIT[unit]
    for item in items:
        place = (item.east_m / factor, item.north_m / factor, item.height_m / factor)
        space.add_point(place, dxfattribs={"layer": item.layer})
        space.add_text(xml_text(item.name), height=0.5 / factor, dxfattribs={"layer": "NAMES", "insert": place})
        if item.circle_m is not None:
            space.add_circle(place, item.circle_m / factor, dxfattribs={"layer": _CIRCLES})
    out = io.StringIO()
    drawing.write(out)
    return out.getvalue()
