"""A point as it is taken home: where it lies in every way that is known, and how good it is."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.limits import EXPORT_DOUBT_ROOM

FixedStatus = Literal["fixed", "partly fixed", "not fixed"]
Doubt = Literal["", "not fixed", "taken out", "one name at two places"]


@dataclass(frozen=True, kw_only=True)
class ExportedPoint:
    """A point: grid metres and ellipsoidal height, degrees in the job's datum, Earth-centred metres; None where not known.

    Elevation by the job's geoid; local coordinates by the fit in use, 95 % of these too.  `horizontal_95_m` and `vertical_95_m` are
    relative to the base mark.  Sigmas are what the receiver claimed.  Times are Unix seconds, UTC.  `base` is the mark its base stood
    on, `taken_out` whether the crew took it out of the list, `named` how many of the list have its name, and `doubt` why it is left
    out unless somebody wishes it.
    """

    name: str
    code: str
    note: str
    kind: str
    east_m: float
    north_m: float
    height_m: float
    elevation_m: float | None
    latitude_deg: float | None
    longitude_deg: float | None
    x_m: float | None
    y_m: float | None
    z_m: float | None
    local_east_m: float | None
    local_north_m: float | None
    local_height_m: float | None
    horizontal_95_m: float
    vertical_95_m: float
    local_horizontal_95_m: float | None
    local_vertical_95_m: float | None
    sigma_east_m: float | None
    sigma_north_m: float | None
    sigma_up_m: float | None
    covariance_origin: str
    epochs: int
    not_fixed: int
    base_height_m: float
    rover_height_m: float
    frame: str
    frame_epoch: str
    recorded_s: float
    base: str
    taken_out: bool
    named: int = 1
    doubt: Doubt = ""

    @property
    def status(self) -> FixedStatus:
        if not self.not_fixed:
            return "fixed"
        return "not fixed" if self.not_fixed >= self.epochs else "partly fixed"

    @property
    def on_earth(self) -> tuple[float, float, float] | None:
        """Latitude, longitude (degrees) and ellipsoidal height (metres) of the frame that positions are in, whatever the job's datum.

        None where the job lies nowhere on Earth yet.
        """
        if self.x_m is None or self.y_m is None or self.z_m is None:
            return None
        latitude, longitude, height = geodetic_from_ecef((self.x_m, self.y_m, self.z_m))
        return float(latitude), float(longitude), float(height)


def with_doubts(points: Sequence[ExportedPoint]) -> list[ExportedPoint]:
    """Return the points of a list with how many share their name, and with what speaks against taking each home.

    One name is at two places where two fixed points that were not taken out lie further apart than both their 95 % together.
    """
    by_name: dict[str, list[ExportedPoint]] = defaultdict(list)
    for point in points:
        by_name[point.name].append(point)
    apart = {name for name, own in by_name.items() if _lie_apart([point for point in own if not _doubt(point)])}

    def doubt(point: ExportedPoint) -> Doubt:
        return _doubt(point) or ("one name at two places" if point.name in apart else "")

    return [replace(point, named=len(by_name[point.name]), doubt=doubt(point)) for point in points]


def _doubt(point: ExportedPoint) -> Doubt:
    if point.taken_out:
        return "taken out"
    return "not fixed" if point.not_fixed else ""


def _lie_apart(points: Sequence[ExportedPoint]) -> bool:
    """Return whether any two of some points of one name lie further apart than chance allows, horizontally or in height."""
    rows = np.array([(item.east_m, item.north_m, item.height_m, item.horizontal_95_m, item.vertical_95_m) for item in points])
    for n in range(1, len(rows)):
        away = np.abs(rows[:n, :3] - rows[n, :3])
        room = EXPORT_DOUBT_ROOM * np.hypot(rows[:n, 3:], rows[n, 3:])
        if (np.hypot(away[:, 0], away[:, 1]) > room[:, 0]).any() or (away[:, 2] > room[:, 1]).any():
            return True
    return False
