"""Going to a mark: how far and which way, in the grid, by the sun, and by the way one walks."""

from __future__ import annotations

from dataclasses import dataclass
from math import atan2, degrees, hypot

from openstake.core.limits import ON_THE_MARK_M, STRAIGHT_DEG, WHOLE_METRES_FROM_M
from openstake.core.units import text_from_metres, whole_from_metres

_SIDES = ("north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west")


@dataclass(frozen=True, kw_only=True)
class Guidance:
    """From the pole to a mark: grid metres still to go (east, north, up; up is None where heights cannot be compared).

    `azimuth_deg` is from grid north; `turn_deg` from the way one walks, positive to the right, None while nobody can tell.
    """

    east_m: float
    north_m: float
    up_m: float | None
    distance_m: float
    azimuth_deg: float
    turn_deg: float | None
    sun_deg: float | None
    there: bool
    words: str
    turn_words: str
    sun_words: str


def guidance_to(
    east_m: float, north_m: float, up_m: float | None, course_deg: float | None, sun_deg: float | None, unit: str = "m", fixed: bool = True
) -> Guidance:
    """Return the way that is left; course and sun are azimuths from grid north, degrees, None where they are not known.

    A pole is only ever there on a fix.  On the mark there are no words to turn by.
    """
    distance, azimuth = hypot(east_m, north_m), degrees(atan2(east_m, north_m)) % 360.0
    there = fixed and distance <= ON_THE_MARK_M
    turn = None if course_deg is None or there else _turned(azimuth - course_deg)
    by_sun = None if sun_deg is None or there else _turned(azimuth - sun_deg)
    return Guidance(
        east_m=east_m,
        north_m=north_m,
        up_m=up_m,
        distance_m=distance,
        azimuth_deg=azimuth,
        turn_deg=turn,
        sun_deg=by_sun,
        there=there,
        words=in_words(east_m, north_m, unit),
        turn_words=_said(there, turn, "walk on to see it", "straight on", "behind you"),
        sun_words=_said(there, by_sun, "the sun is down", "towards the sun", "away from the sun", " of the sun"),
    )


def _said(there: bool, turn_deg: float | None, unknown: str, ahead: str, behind: str, of: str = "") -> str:
    if there:
        return ""
    return unknown if turn_deg is None else _turn_words(turn_deg, ahead, behind, of)


def _turned(angle_deg: float) -> float:
    return (angle_deg + 180.0) % 360.0 - 180.0


def in_words(east_m: float, north_m: float, unit: str = "m") -> str:
    """Return what is left in the grid as people say it: `0.40 m south, 1.20 m west`."""
    size = whole_from_metres if hypot(east_m, north_m) >= WHOLE_METRES_FROM_M else text_from_metres
    return (
        f"{size(abs(north_m), unit)} {'north' if north_m >= 0 else 'south'}, {size(abs(east_m), unit)} {'east' if east_m >= 0 else 'west'}"
    )


def _turn_words(turn_deg: float, ahead: str, behind: str, of: str = "") -> str:
    size = abs(turn_deg)
    if size <= STRAIGHT_DEG:
        return ahead
    if size >= 180.0 - STRAIGHT_DEG:
        return behind
    return f"{size:.0f}° to the {'right' if turn_deg > 0 else 'left'}{of}"


def side_of(azimuth_deg: float) -> str:
    """Return the side of the sky of an azimuth: north-east."""
    return _SIDES[round(azimuth_deg / 45.0) % 8]
