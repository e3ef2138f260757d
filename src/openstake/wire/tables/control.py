"""A control list in any of the formats that are read: CSV, GeoJSON, LandXML.  The content decides, not the file's name."""

from __future__ import annotations

from collections.abc import Sequence

from openstake.core.mark import HeightKind
from openstake.wire.tables.csv_list import read_csv
from openstake.wire.tables.geojson import read_geojson
from openstake.wire.tables.given import Reading
from openstake.wire.tables.landxml import read_landxml


def read_control(
    content: bytes, unit: str | None, default_unit: str, roles: Sequence[str] | None = None,
    height_kind: HeightKind | None = None,
) -> Reading:  # fmt: skip
    """Return a control list as read; FileError where it is none.  The arguments are those of `read_csv`."""
    start = content[:200].lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith((b"{", b"[")):
        return read_geojson(content, unit, height_kind)
    if start.startswith(b"<"):
        return read_landxml(content, unit, default_unit)
    return read_csv(content, unit, default_unit, roles, height_kind)
