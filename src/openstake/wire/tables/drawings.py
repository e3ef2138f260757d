"""Marks as drawings for other programs: KML (longitude, latitude) and DXF (east, north in the job's unit).  Written only."""

from __future__ import annotations

import io
from collections.abc import Sequence

from openstake.core.mark import PlacedMark
from openstake.core.units import METRES_PER_UNIT, UNIT_WORDS
from openstake.wire.tables.cells import xml_text

_DXF_UNITS = {"m": 6, "ft": 2, "sft": 21}  # DXF reference, header variable $INSUNITS


def write_kml(marks: Sequence[PlacedMark], title: str) -> str:
    """Return marks as KML placemarks on the ground.  Marks of a job that lies nowhere on Earth yet are left out."""
    import simplekml

    document = simplekml.Kml(name=xml_text(title))
    for placed in marks:
        if placed.latitude_deg is None or placed.longitude_deg is None:
            continue
        mark = placed.given
        words = [mark.note, f"Source: {mark.source}" if mark.source else "", "Check point" if mark.check_only else ""]
        document.newpoint(
            name=xml_text(mark.name),
            coords=[(f"{placed.longitude_deg:.10f}", f"{placed.latitude_deg:.10f}")],
            description=xml_text("\n".join(word for word in words if word)),
        )
    return str(document.kml())


def write_dxf(marks: Sequence[PlacedMark], unit: str) -> str:
    """Return marks as DXF R2010 points with their names, control and check points on layers of their own.

    The third coordinate is the elevation, else the ellipsoidal height; the layer's description says which unit.
    """
    from ezdxf.filemanagement import new

    drawing = new("R2010")
    drawing.header["$INSUNITS"] = _DXF_UNITS[unit]
    for layer, colour in (("CONTROL", 5), ("CHECK", 3), ("NAMES", 7)):
        drawing.layers.add(layer, color=colour).description = f"lengths in {UNIT_WORDS[unit]}"
    space = drawing.modelspace()
    factor = METRES_PER_UNIT[unit]
    for placed in marks:
        mark = placed.given
        height = placed.elevation_m if placed.elevation_m is not None else placed.ellipsoidal_height_m
        place = (placed.east_m / factor, placed.north_m / factor, (height or 0.0) / factor)
        space.add_point(place, dxfattribs={"layer": "CHECK" if mark.check_only else "CONTROL"})
        space.add_text(xml_text(mark.name), height=0.5 / factor, dxfattribs={"layer": "NAMES", "insert": place})
    out = io.StringIO()
    drawing.write(out)
    return out.getvalue()
