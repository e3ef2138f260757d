"""A photo laid under the panorama of a sky: where the camera looked, out of its horizon and two directions in it.

A photo is taken as a pinhole camera's held level sideways; a sweep (a telephone's panorama) as a cylinder's.  No lens distortion.
Places in a picture are fractions of its width from its left and of its height from its top.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import atan2, cos, degrees, radians, sin, tan
from typing import Annotated

import numpy as np
from annotated_types import Ge, Le
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import InputError
from openstake.core.limits import PHOTO_WIDTHS_DEG, SWEEP_WIDTHS_DEG, ShortText


@dataclass(frozen=True, kw_only=True)
class PhotoAim:
    """Where a photo's middle looks (azimuth, pitch) and how wide the picture is, degrees; `aspect` is its height over its width."""

    photo_id: ShortText
    azimuth_deg: Annotated[float, Ge(0), Le(360)]
    pitch_deg: Annotated[float, Ge(-90), Le(90)]
    width_deg: Annotated[float, Ge(1), Le(360)]
    aspect: Annotated[float, Ge(0.001), Le(1000)]
    sweep: bool


@dataclass(frozen=True)
class Sighted:
    """A place in a picture whose azimuth is known, degrees clockwise from true north."""

    x: float
    y: float
    azimuth_deg: float


def aimed(photo_id: str, aspect: float, left: Sighted, right: Sighted, horizon_y: float, sweep: bool) -> PhotoAim:
    """Return where a photo looks, from two directions in it, `left` one first, and how far from its top its horizon lies: a straight line, as
    the camera is held level sideways.

    InputError where they cannot be of one picture.
    """
    # It takes a tenth of a second to import, and most starts see no photo.
    from scipy.optimize import brentq

    if not right.x - left.x > 0.02:
        raise InputError("Choose two directions farther apart, the left one first.", field="right")
    apart_deg = (right.azimuth_deg - left.azimuth_deg) % 360.0
    widths = SWEEP_WIDTHS_DEG if sweep else PHOTO_WIDTHS_DEG

    def between(width_deg: float) -> float:
        aim = _aim(photo_id, aspect, width_deg, horizon_y, sweep)
        return (_azimuth_deg(aim, right.x, right.y) - _azimuth_deg(aim, left.x, left.y)) % 360.0 - apart_deg

    try:
        width_deg = float(brentq(between, *widths))
    except ValueError:
        raise InputError(
            f"{apart_deg:.0f}° between these places would make the picture narrower than {widths[0]:.0f}° or wider than {widths[1]:.0f}°. "
            "Look at the two azimuths, and which is left.",
            field="right",
        ) from None
    aim = _aim(photo_id, aspect, width_deg, horizon_y, sweep)
    turned_deg = (left.azimuth_deg - _azimuth_deg(aim, left.x, left.y)) % 360.0
    return PhotoAim(photo_id=photo_id, azimuth_deg=turned_deg, pitch_deg=aim.pitch_deg, width_deg=width_deg, aspect=aspect, sweep=sweep)


def _focal(aim_width_deg: float, sweep: bool) -> float:
    """Return the focal length in widths of the picture."""
    return 1.0 / radians(aim_width_deg) if sweep else 0.5 / tan(radians(aim_width_deg) / 2.0)


def _aim(photo_id: str, aspect: float, width_deg: float, horizon_y: float, sweep: bool) -> PhotoAim:
    """Return the aim of a picture so wide that looks north: its horizon says how it is pitched."""
    up = aspect * (0.5 - horizon_y)
    pitch_deg = degrees(atan2(-up, _focal(width_deg, sweep)))
    return PhotoAim(photo_id=photo_id, azimuth_deg=0.0, pitch_deg=pitch_deg, width_deg=width_deg, aspect=aspect, sweep=sweep)


def _azimuth_deg(aim: PhotoAim, x: float, y: float) -> float:
    right, up, focal = x - 0.5, aim.aspect * (0.5 - y), _focal(aim.width_deg, aim.sweep)
    if aim.sweep:
        return aim.azimuth_deg + degrees(right / focal)
    pitch = radians(aim.pitch_deg)
    return aim.azimuth_deg + degrees(atan2(right, focal * cos(pitch) - up * sin(pitch)))


def places_in(aim: PhotoAim, azimuth_deg: ArrayLike, elevation_deg: ArrayLike) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return where directions lie in a picture, fractions from left and top, broadcast; NaN outside it."""
    turned = (np.asarray(azimuth_deg, dtype=float) - aim.azimuth_deg + 180.0) % 360.0 - 180.0
    azimuth, elevation = np.broadcast_arrays(np.radians(turned), np.radians(np.asarray(elevation_deg, dtype=float)))
    focal, pitch = _focal(aim.width_deg, aim.sweep), radians(aim.pitch_deg)
    if aim.sweep:
        right, up = azimuth * focal, (np.tan(np.clip(elevation, -1.5, 1.5)) - np.tan(pitch)) * focal
        ahead = np.ones(azimuth.shape, dtype=bool)
    else:
        forward = np.cos(elevation) * np.cos(azimuth) * np.cos(pitch) + np.sin(elevation) * np.sin(pitch)
        ahead = forward > 1e-3
        safe = np.where(ahead, forward, 1.0)
        right = np.cos(elevation) * np.sin(azimuth) / safe * focal
        up = (np.sin(elevation) * np.cos(pitch) - np.cos(elevation) * np.cos(azimuth) * np.sin(pitch)) / safe * focal
    x, y = 0.5 + right, 0.5 - up / aim.aspect
    inside = ahead & (x >= 0.0) & (x < 1.0) & (y >= 0.0) & (y < 1.0)
    return np.where(inside, x, np.nan), np.where(inside, y, np.nan)
