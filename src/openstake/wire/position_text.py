"""A place as it is pasted or typed: latitude, longitude and ellipsoidal height, or Earth-centred X, Y, Z."""

from __future__ import annotations

import re
from dataclasses import dataclass

from openstake.core.errors import InputError
from openstake.core.units import degrees_from_text, metres_from_text

_LABEL = re.compile(r"^\s*[A-Za-z][A-Za-z .()_/]*?\s*[:=]\s*")


@dataclass(frozen=True, kw_only=True)
class TypedPlace:
    """Degrees and metres, or `xyz_m` where Earth-centred numbers were pasted."""

    latitude_deg: float
    longitude_deg: float
    height_m: float
    xyz_m: tuple[float, float, float] | None = None


def place_from_text(pasted: str, latitude: str, longitude: str, height: str, bare_unit: str) -> TypedPlace:
    """Return a place from one pasted text, or from three fields where nothing was pasted; InputError names the field.

    Pasted parts stand on lines of their own, or between semicolons, tabs or commas with a space; a label before a colon
    is passed over.  Three lengths beyond 10 km are Earth-centred X, Y, Z in metres.
    """
    if pasted.strip():
        return _pasted(pasted, bare_unit)
    return TypedPlace(
        latitude_deg=_angle(latitude, "latitude"),
        longitude_deg=_angle(longitude, "longitude"),
        height_m=_height(height, bare_unit, "height"),
    )


def _angle(text: str, field: str) -> float:
    if not text.strip():
        raise InputError(f"The {field} is missing.", field=field)
    try:
        return float(degrees_from_text(text, field))
    except InputError as error:
        error.field = field
        raise


def _height(text: str, bare_unit: str, field: str) -> float:
    if not text.strip():
        raise InputError("The ellipsoidal height is missing.", field=field)
    try:
        metres = metres_from_text(text, bare_unit)
    except InputError as error:
        error.field = field
        raise
    if not -1000.0 <= metres <= 10_000.0:
        raise InputError(f"An ellipsoidal height lies between -1000 and 10 000 m; {metres:.3f} m does not.", field=field)
    return metres


def _pasted(text: str, bare_unit: str) -> TypedPlace:
    parts = [_LABEL.sub("", part).strip() for part in re.split(r"[\n;\t]|,\s", text) if part.strip()]
    if len(parts) != 3:
        raise InputError(
            f"The pasted text has {len(parts)} part{'' if len(parts) == 1 else 's'}; latitude, longitude and height are three, "
            "on lines of their own or with semicolons between.",
            field="pasted",
        )
    plain = [re.fullmatch(r"([+-]?\d+(?:\.\d+)?)(?:\s*m)?", part) for part in parts]
    if all(plain) and all(abs(float(match[1])) > 400.0 for match in plain if match):
        x, y, z = (float(match[1]) for match in plain if match)
        if not 6.3e6 < (x * x + y * y + z * z) ** 0.5 < 6.4e6:
            raise InputError("These are three lengths that lie nowhere near the Earth's surface.", field="pasted")
        return TypedPlace(latitude_deg=0.0, longitude_deg=0.0, height_m=0.0, xyz_m=(x, y, z))
    try:
        return TypedPlace(
            latitude_deg=degrees_from_text(parts[0], "latitude"),
            longitude_deg=degrees_from_text(parts[1], "longitude"),
            height_m=_height(parts[2], bare_unit, "pasted"),
        )
    except InputError as error:
        error.field = "pasted"
        raise
