"""A coordinate as it would be after a slip of the hand: another sign, foot, height or frame."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.geodesy.frames import JobFrame
from openstake.core.limits import FRAME_FITS_M, SLIP_FITS_M
from openstake.core.units import METRES_PER_UNIT

_FOOT_M = METRES_PER_UNIT["ft"]


@dataclass(frozen=True, kw_only=True)
class Slip:
    """A slip: its kind (`sign`, `foot`, `height`, `frame`), its words, and where it puts a coordinate (Earth-centred metres)."""

    kind: str
    words: str
    xyz_m: NDArray[np.float64]
    within_m: float = SLIP_FITS_M


def typing_slips(latitude_deg: float, longitude_deg: float, height_m: float) -> Iterator[Slip]:
    """Yield where typing slips put a geodetic coordinate; `height_m` is ellipsoidal."""
    for words, latitude, longitude in (
        ("the sign of the longitude is wrong", latitude_deg, -longitude_deg),
        ("the sign of the latitude is wrong", -latitude_deg, longitude_deg),
        ("latitude and longitude are exchanged", longitude_deg, latitude_deg),
    ):
        if abs(latitude) <= 90.0:
            yield Slip(kind="sign", words=words, xyz_m=ecef_from_geodetic(latitude, longitude, height_m))
    for words, height in (
        ("the height is in feet and was taken as metres", height_m / _FOOT_M),
        ("the height is in metres and was taken as feet", height_m * _FOOT_M),
    ):
        yield Slip(kind="foot", words=words, xyz_m=ecef_from_geodetic(latitude_deg, longitude_deg, height))


def grid_slips(frame: JobFrame, east_m: float, north_m: float, height_m: float) -> Iterator[Slip]:
    """Yield where the other foot, or feet for metres, puts a grid coordinate of a job."""
    survey = METRES_PER_UNIT["sft"] / _FOOT_M
    for words, factor in (
        ("grid coordinates in US survey feet were taken as international feet", 1.0 / survey),
        ("grid coordinates in international feet were taken as US survey feet", survey),
        ("grid coordinates in feet were taken as metres", 1.0 / _FOOT_M),
        ("grid coordinates in metres were taken as feet", _FOOT_M),
    ):
        xyz = frame.ecef_from_grid(east_m * factor, north_m * factor, height_m)
        if np.isfinite(xyz).all():
            yield Slip(kind="foot", words=words, xyz_m=xyz)


def elevation_slip(latitude_deg: float, longitude_deg: float, elevation_m: float) -> Slip:
    """Return where an elevation puts a mark that is typed where the ellipsoidal height belongs."""
    words = "the elevation was typed where the ellipsoidal height belongs"
    return Slip(kind="height", words=words, xyz_m=ecef_from_geodetic(latitude_deg, longitude_deg, elevation_m))


def frame_slips(xyz_m: ArrayLike, shifts_m: Mapping[str, NDArray[np.float64]]) -> Iterator[Slip]:
    """Yield where the global frame for a plate-fixed one, or the reverse, puts a coordinate."""
    xyz = np.asarray(xyz_m, dtype=float)
    for name, shift in shifts_m.items():
        yield Slip(
            kind="frame", words=f"it is in a global frame (ITRF, WGS 84) and not in {name}", xyz_m=xyz - shift, within_m=FRAME_FITS_M
        )
        yield Slip(
            kind="frame", words=f"it is in {name} and not in a global frame (ITRF, WGS 84)", xyz_m=xyz + shift, within_m=FRAME_FITS_M
        )


def fitting(slips: Iterator[Slip], seen_m: ArrayLike) -> Slip | None:
    """Return the slip that puts a coordinate where it was seen, the nearest of them, None where none does."""
    seen = np.asarray(seen_m, dtype=float)
    found = [(float(np.linalg.norm(slip.xyz_m - seen)), slip) for slip in slips]
    close = [(distance, slip) for distance, slip in found if distance <= slip.within_m]
    return min(close, key=lambda item: item[0])[1] if close else None
