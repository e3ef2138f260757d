"""A photo laid under the panorama: kept with the mark, aimed by its horizon and two directions, and warped to azimuth and elevation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from annotated_types import Ge, Le
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from openstake.core.errors import InputError
from openstake.core.limits import PHOTO_WIDTHS_DEG, ShortText
from openstake.core.sky.photo import PhotoAim, Sighted, aimed, places_in
from openstake.derive.job import JobNow
from openstake.derive.marks import head_of
from openstake.wire.pictures import pixels_of, size_of, webp_of
from openstake.workflow.context import Context
from openstake.workflow.photos import ONE_AT_A_TIME, keep_photo, photo_file

_PIXELS_A_DEGREE = 4
_SWEEP_ASPECT = 2.2  # wider than so many heights it is a telephone's panorama
_STRIP = 32  # rows of the panorama that are warped at once

Part = Annotated[float, Ge(0), Le(1)]


@dataclass(frozen=True, kw_only=True)
class SkyPhoto:
    """A photo of the sky over a mark; `sweep`: so wide that it must be a telephone's panorama."""

    id: str
    name: str
    sweep: bool


@dataclass(frozen=True)
class Clicked:
    """A place in a photo, parts of its width and height from left and top, and its azimuth as typed (degrees from true north)."""

    x: Part
    y: Part
    azimuth: ShortText


@dataclass(frozen=True, kw_only=True)
class AimRequest:
    """Two directions in a photo, in any order, and how far from its top the horizon lies."""

    photo_id: ShortText
    first: Clicked
    second: Clicked
    horizon_y: Part
    sweep: bool = False


@dataclass(frozen=True)
class AimFound:
    """Where a photo looks, and in words."""

    aim: PhotoAim
    words: str


@dataclass(frozen=True, kw_only=True)
class UnderQuery:
    """A photo and where it looks, as in `PhotoAim`."""

    photo_id: ShortText
    azimuth_deg: Annotated[float, Ge(0), Le(360)]
    pitch_deg: Annotated[float, Ge(-90), Le(90)]
    width_deg: Annotated[float, Ge(1), Le(360)]
    sweep: bool = False


def add_photo(context: Context, job_id: str, mark_id: str, name: str, content: bytes) -> SkyPhoto:
    """Attach a photo of the sky to a mark, as photos of set-ups and shots are kept."""

    def owner(session: Session, job: JobNow, now: float) -> tuple[str, str]:
        mark = head_of(session, job, mark_id)
        return mark.id, f"{mark.name}, of its sky"

    kept = keep_photo(context, job_id, name, content, owner)
    width, height = size_of(photo_file(context, job_id, kept.id)[0], kept.name)
    return SkyPhoto(id=kept.id, name=kept.name, sweep=width > _SWEEP_ASPECT * height)


def aim(context: Context, job_id: str, request: AimRequest) -> AimFound:
    """Return where a photo looks; InputError where its directions cannot be of one picture."""
    width, height = size_of(photo_file(context, job_id, request.photo_id)[0], "The photo")
    left, right = sorted((request.first, request.second), key=lambda item: item.x)
    found = aimed(request.photo_id, height / width, _sighted(left), _sighted(right), request.horizon_y, request.sweep)
    words = f"It looks to {found.azimuth_deg:.0f}°, {found.pitch_deg:+.0f}° from level, and is {found.width_deg:.0f}° wide."
    return AimFound(found, words)


def _sighted(clicked: Clicked) -> Sighted:
    text = clicked.azimuth.strip().rstrip("°").replace(",", ".")
    try:
        azimuth = float(text)
    except ValueError:
        raise InputError(f"'{clicked.azimuth.strip()[:20]}' is not an azimuth in degrees.", field="azimuth") from None
    if not 0.0 <= azimuth <= 360.0:
        raise InputError("An azimuth lies between 0 and 360°, from true north.", field="azimuth")
    return Sighted(clicked.x, clicked.y, azimuth)


def under(context: Context, job_id: str, query: UnderQuery) -> bytes:
    """Return a photo as a panorama of all azimuths, elevations 0 to 90° (WebP); clear where the photo does not reach."""
    if not query.sweep and query.width_deg > PHOTO_WIDTHS_DEG[1]:
        raise InputError(f"A photo is at most {PHOTO_WIDTHS_DEG[1]:.0f}° wide; a wider one is a sweep.", field="width_deg")
    with ONE_AT_A_TIME:
        return _warped(pixels_of(photo_file(context, job_id, query.photo_id)[0], "The photo"), query)


def _warped(pixels: NDArray[np.uint8], query: UnderQuery) -> bytes:
    height, width = pixels.shape[:2]
    looks = PhotoAim(
        photo_id=query.photo_id,
        azimuth_deg=query.azimuth_deg,
        pitch_deg=query.pitch_deg,
        width_deg=query.width_deg,
        aspect=height / width,
        sweep=query.sweep,
    )
    azimuths = (np.arange(360 * _PIXELS_A_DEGREE) + 0.5) / _PIXELS_A_DEGREE
    made = np.zeros((90 * _PIXELS_A_DEGREE, len(azimuths), 4), dtype=np.uint8)
    for top in range(0, len(made), _STRIP):
        rows = np.arange(top, min(top + _STRIP, len(made)))
        x, y = places_in(looks, azimuths[None, :], (90.0 - (rows + 0.5) / _PIXELS_A_DEGREE)[:, None])
        inside = np.isfinite(x)
        part = made[rows[0] : rows[-1] + 1]
        part[inside, :3] = pixels[(y[inside] * height).astype(int), (x[inside] * width).astype(int)]
        part[inside, 3] = 255
    return webp_of(made)
