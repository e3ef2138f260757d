"""A point as it is taken home: where it lies in every way that is known, and how good it is."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class TakenPoint:
    """A point: grid metres and ellipsoidal height, degrees in the job's datum, Earth-centred metres; None where not known.

    Elevation by the job's geoid; local coordinates by the fit in use, 95 % of these too.  `horizontal_95_m` and `vertical_95_m` are
    relative to the base mark.  Sigmas are what the receiver claimed.  Times are Unix seconds, UTC.
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
