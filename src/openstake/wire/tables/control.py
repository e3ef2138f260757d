"""A control list in any of the formats that are read: CSV, GeoJSON, LandXML.  The content decides, not the file's name."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from openstake.core.mark import HeightKind
from openstake.wire.tables.control_reading import Line, Reading, without_doubles
from openstake.wire.tables.csv_list import read_csv
from openstake.wire.tables.geojson import read_geojson
from openstake.wire.tables.landxml import read_landxml


def read_control(
    content: bytes,
    unit: str | None,
    default_unit: str,
    roles: Sequence[str] | None = None,
    height_kind: HeightKind | None = None,
    mended: Callable[[list[Line]], list[Line]] = lambda lines: lines,
) -> Reading:
    """Return a control list as read; FileError where it is none.  The arguments are those of `read_csv`.

    `mended` is what a person has said of single lines: it takes the lines as read, and names are compared in what it returns.
    """
    reading = _read(content, unit, default_unit, roles, height_kind)
    return replace(reading, lines=without_doubles(mended(reading.lines)))


def _read(content: bytes, unit: str | None, default_unit: str, roles: Sequence[str] | None, height_kind: HeightKind | None) -> Reading:
    start = content[:200].lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith((b"{", b"[")):
        return read_geojson(content, unit, height_kind)
    if start.startswith(b"<"):
        return read_landxml(content, unit, default_unit)
    return read_csv(content, unit, default_unit, roles, height_kind)
