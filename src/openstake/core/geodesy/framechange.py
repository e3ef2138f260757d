"""A coordinate brought from one frame and epoch into another by an operation of the EPSG dataset that somebody named."""

from __future__ import annotations

import re
import warnings
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from typing import Any

import numpy as np
import pyproj
from numpy.typing import ArrayLike
from pyproj.aoi import AreaOfInterest
from pyproj.database import query_crs_info
from pyproj.enums import PJType
from pyproj.transformer import TransformerGroup

from openstake.core.errors import FrameError, InputError
from openstake.core.geodesy.ellipsoid import WGS84, geodetic_from_ecef

_SAME_YEAR = 0.05  # an epoch as a decimal year with one digit
# By which the dataset leads to the realisations of European countries: ETRS89.  WGS 84 is none of these: what leads to it and
# from it is good to metres.
_BETWEEN = ("4936",)


@dataclass(frozen=True)
class FrameChange:
    """An operation between two frames: its name in the EPSG dataset and how good that says it is, metres; None where it does not."""

    name: str
    accuracy_m: float | None


@dataclass(frozen=True)
class FrameStep:
    """What lies between a coordinate and the job: nothing (`same`), or operations of which one must be named; `words` say so."""

    same: bool
    changes: tuple[FrameChange, ...]
    words: str


def epoch_year(text: str, field: str = "frame_epoch") -> float | None:
    """Return the decimal year of an epoch as typed (`2010.0` or `2026-11-25`), None where it is empty."""
    text = text.strip()
    if not text:
        return None
    if re.fullmatch(r"\d{4}-\d{2}-\d{2}", text):
        try:
            day = date.fromisoformat(text)
        except ValueError:
            raise InputError(f"'{text}' is not a date.", field=field) from None
        start, end = date(day.year, 1, 1), date(day.year + 1, 1, 1)
        return day.year + (day - start).days / (end - start).days
    if re.fullmatch(r"\d{4}(\.\d+)?", text) and 1980.0 <= float(text) <= 2100.0:
        return float(text)
    raise InputError(
        f"'{text[:30]}' is not an epoch. Type a year such as 2010.0, or a date such as 2026-11-25.", field=field
    )


@lru_cache
def _frames() -> dict[str, tuple[str, str]]:
    """Return the Earth-centred frames of the EPSG dataset: plain name, then its name there and its code."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        found = query_crs_info("EPSG", pj_types=[PJType.GEOCENTRIC_CRS])
    return {_plain(item.name): (item.name, item.code) for item in found}


def _plain(name: str) -> str:
    return re.sub(r"[\s_/-]+", "", name).upper()


@lru_cache(maxsize=64)
def _moves(code: str) -> bool:
    """Whether a frame's coordinates change with time by themselves: it does not ride on a plate."""
    datum = pyproj.CRS.from_epsg(int(code)).datum
    return datum is not None and "Dynamic" in datum.type_name


def frame_step(
    source: str, source_year: float | None, target: str, target_year: float | None, near_m: ArrayLike
) -> FrameStep:
    """Return what lies between a coordinate in one frame and epoch and a job in another; years are decimal, None: not said.

    `near_m` is a place of the job, Earth-centred metres: operations are offered that are made for it.

    Within one frame that moves, another epoch cannot be reached: that needs the mark's own velocity.  A frame that the EPSG
    dataset does not know is the same only under the same name.
    """
    ours, theirs = _frames().get(_plain(target)), _frames().get(_plain(source))
    apart = None not in (source_year, target_year) and abs((source_year or 0.0) - (target_year or 0.0)) >= _SAME_YEAR
    if ours is not None and _moves(ours[1]) and apart:
        return FrameStep(
            False, (),
            f"The solution is of {source_year:.2f}, the job of {target_year:.2f}, in {target}: between them the mark has moved with its plate, "
            "and its velocity is not known here. Ask for the solution at the job's epoch, or in a frame that rides on the plate.",
        )  # fmt: skip
    if _plain(source) == _plain(target):
        return FrameStep(True, (), f"In {target}, as the job.")
    if theirs is None or ours is None:
        unknown = source if theirs is None else target
        return FrameStep(
            False, (), f"'{unknown[:40]}' is no frame of the EPSG dataset, so nothing leads from {source[:40]} to {target[:40]}. Ask for the solution in {target[:40]}."
        )  # fmt: skip
    ways = _ways(theirs[1], ours[1], near_m, source_year)
    changes = tuple(FrameChange(name, _accuracy_m(way)) for name, way in ways.items())
    if not changes:
        asked = " Say the epoch: operations between these frames move with time." if source_year is None else ""
        return FrameStep(False, (), f"No operation leads from {theirs[0]} to {ours[0]} here.{asked}")
    return FrameStep(
        False, changes, f"The solution is in {theirs[0]}, the job in {ours[0]}: name the operation that leads from one to the other."
    )  # fmt: skip


def changed_frame(
    xyz_m: ArrayLike, source: str, source_year: float | None, target: str, name: str, near_m: ArrayLike
) -> tuple[float, float, float]:
    """Return a coordinate in the target frame, Earth-centred metres, by the operation of that name; InputError where it is not offered.

    Offered is what is made for the place `near_m`: a coordinate with a slip in it may lie anywhere.

    Source: EPSG dataset's operations through PROJ, ballpark ones refused.
    """
    theirs, ours = _frames().get(_plain(source)), _frames().get(_plain(target))
    if theirs is None or ours is None:
        raise FrameError("One of the two frames is not known here.", field="frame")
    way = _ways(theirs[1], ours[1], near_m, source_year).get(name)
    if way is not None:
        x, y, z = (float(value) for value in np.asarray(xyz_m, dtype=float))
        for operation in way:
            x, y, z, *_ = (float(value) for value in operation.transform(x, y, z, source_year, errcheck=True))
        return x, y, z
    raise InputError(
        "This operation is not offered between these frames here. Choose one of the list.", field="operation"
    )


def _ways(source: str, target: str, near_m: ArrayLike, year: float | None) -> dict[str, tuple[pyproj.Transformer, ...]]:
    """Return what leads from one frame to another, by name: one operation, or two with a frame of the plate between them."""
    found = {_named(item): (item,) for item in _operations(source, target, near_m, year)}
    if found:
        return dict(found)
    return {
        f"{_named(first)}, then {_named(then)}": (first, then)
        for between in _BETWEEN
        for first in _operations(source, between, near_m, year)
        for then in _operations(between, target, near_m, year)
    }


def _accuracy_m(way: tuple[pyproj.Transformer, ...]) -> float | None:
    """Return how good a way is by the dataset, metres; None where one of its operations does not say."""
    if any(item.accuracy < 0 for item in way):
        return None
    return float(np.hypot.reduce([item.accuracy for item in way]))


def _operations(source: str, target: str, near_m: ArrayLike, year: float | None) -> list[pyproj.Transformer]:
    latitude, longitude, _ = (float(value) for value in geodetic_from_ecef(near_m, WGS84))
    area: Any = AreaOfInterest(longitude, latitude, longitude, latitude)
    with warnings.catch_warnings():
        # "Best transformation is not available": only those that are here are offered.
        warnings.simplefilter("ignore")
        group = TransformerGroup(f"EPSG:{source}", f"EPSG:{target}", area_of_interest=area, allow_ballpark=False)
    return [item for item in group.transformers if year is not None or "t_epoch" not in item.definition]


def _named(item: pyproj.Transformer) -> str:
    """Return an operation's name without the steps that change the kind of coordinate alone."""
    steps = [step for step in item.description.split(" + ") if not step.startswith("Conversion from ")]
    return " + ".join(steps) or str(item.description)
