"""A mark as it is given: by a control list, or by hand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from openstake.core.describe import described

HeightKind = Literal["ellipsoidal", "elevation"]
HEIGHT_KINDS: tuple[HeightKind, ...] = ("ellipsoidal", "elevation")


@dataclass(frozen=True, kw_only=True)
class GivenMark:
    """One mark as given, in metres and degrees: by east and north of the job's system, or by latitude and longitude.

    `height_kind` is None where there is no height, or where nobody has said yet what it is counted from.  Sigmas are one
    standard deviation of one axis, None where they are not given.
    """

    name: str = described("Name", "text")
    east_m: float | None = described("East", "length", optional=True)
    north_m: float | None = described("North", "length", optional=True)
    latitude_deg: float | None = described("Latitude", "latitude", optional=True)
    longitude_deg: float | None = described("Longitude", "longitude", optional=True)
    height_m: float | None = described("Height", "length", optional=True)
    height_kind: HeightKind | None = described("The height is", "choice", options=HEIGHT_KINDS, optional=True)
    sigma_horizontal_m: float | None = described("± horizontal", "length", optional=True, hint="One standard deviation.")
    sigma_vertical_m: float | None = described("± vertical", "length", optional=True)
    order: str = described("Order", "text", default="")
    source: str = described("Source", "text", default="")
    note: str = described("Note", "text", default="")
    check_only: bool = described("Check only", "flag", default=False, hint="Kept out of every fit, to judge it.")

    @property
    def is_geodetic(self) -> bool:
        return self.east_m is None


@dataclass(frozen=True, kw_only=True)
class PlacedMark:
    """A given mark and where it lies in the job: grid metres, and degrees where the job's system lies on Earth."""

    given: GivenMark
    east_m: float
    north_m: float
    latitude_deg: float | None
    longitude_deg: float | None
    ellipsoidal_height_m: float | None
    elevation_m: float | None
