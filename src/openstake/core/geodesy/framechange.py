"""A coordinate brought from one frame and epoch into another by an operation of the EPSG dataset that somebody named."""

from __future__ import annotations

import re
import warnings
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from itertools import islice, pairwise, product

import numpy as np
import pyproj
from numpy.typing import ArrayLike
from pyproj.database import query_crs_info
from pyproj.enums import PJType

from openstake.core.errors import FrameError, InputError
from openstake.core.geodesy.ellipsoid import WGS84, geodetic_from_ecef
from openstake.core.geodesy.systems import operations_between
from openstake.core.limits import IGS_FRAMES_AGREE_M, PLATE_RIDES_FOR_YEARS, SAME_EPOCH_YEARS

_MOST_WAYS = 20
# By which the dataset leads to the realisations of European countries: ETRS89, or ETRF2014 or ETRF2000 before it.  WGS 84 is
# none of these: what leads to it and from it is good to metres.
_BETWEEN = (("4936",), ("8401",), ("7930",), ("8401", "4936"), ("7930", "4936"))
# The frames of the International GNSS Service are their ITRF but for millimetres at single stations (IGS, from memory).
_IGS = {
    "IGS20": "ITRF2020",
    "IGB20": "ITRF2020",
    "IGS14": "ITRF2014",
    "IGB14": "ITRF2014",
    "IGS08": "ITRF2008",
    "IGB08": "ITRF2008",
    "IGS05": "ITRF2005",
    "IGS00": "ITRF2000",
    "IGB00": "ITRF2000",
}


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
    raise InputError(f"'{text[:30]}' is not an epoch. Type a year such as 2010.0, or a date such as 2026-11-25.", field=field)


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
    source: str, source_year: float | None, target: str, target_year: float | None, near_m: ArrayLike, what: str = "The solution"
) -> FrameStep:
    """Return what lies between a coordinate in one frame and epoch and a job in another; years are decimal, None: not said.

    `near_m` is a place of the job, Earth-centred metres: operations are offered that are made for it.  `what` is in that frame, in words.

    Within one frame that moves, another epoch cannot be reached: that needs the mark's own velocity.  A frame that the EPSG
    dataset does not know is the same only under the same name.
    """
    ours, theirs = _known(target), _known(source)
    apart = None not in (source_year, target_year) and abs((source_year or 0.0) - (target_year or 0.0)) >= SAME_EPOCH_YEARS
    same = _plain(source) == _plain(target) or (ours is not None and theirs is not None and ours[1] == theirs[1])
    if ours is not None and _moves(ours[1]) and apart:
        return FrameStep(
            False,
            (),
            f"{what} is of {source_year:.2f}, the job of {target_year:.2f}, in {target}: between them the mark has moved with its plate, "
            "and its velocity is not known here. Ask for it at the job's epoch, or in a frame that rides on the plate.",
        )
    if same and apart and abs((source_year or 0.0) - (target_year or 0.0)) >= PLATE_RIDES_FOR_YEARS:
        return FrameStep(
            False,
            (FrameChange(_rides(target), None),),
            f"{what} is of {source_year:.2f}, the job of {target_year:.2f}, in {target}. The frame rides on its plate: between the two only the "
            "ground's own movement lies, which is not known here. State that there is none, or ask for the job's epoch.",
        )
    if _plain(source) == _plain(target):
        return FrameStep(True, (), f"In {target}, as the job.")
    if theirs is None or ours is None:
        unknown = source if theirs is None else target
        return FrameStep(
            False,
            (),
            f"'{unknown[:40]}' is not a frame of the EPSG dataset, so nothing leads from {source[:40]} to {target[:40]}. Ask for it in {target[:40]}.",
        )
    if ours[1] == theirs[1]:
        return FrameStep(
            False,
            (FrameChange(_as_itrf(source, target, theirs[0]), IGS_FRAMES_AGREE_M),),
            f"{what} is in {source}, the job in {target}: the same but for some millimetres at single stations.",
        )
    ways = _ways(theirs[1], ours[1], near_m, source_year)
    changes = tuple(FrameChange(name, _accuracy_m(way)) for name, way in ways.items())
    if not changes:
        asked = " Say the epoch: operations between these frames move with time." if source_year is None else ""
        return FrameStep(False, (), f"No operation leads from {theirs[0]} to {ours[0]} here.{asked}")
    taken = f", taken as {theirs[0]}" if _plain(source) in _IGS else ""
    return FrameStep(
        False, changes, f"{what} is in {source}{taken}, the job in {ours[0]}: name the operation that leads from one to the other."
    )


def _known(name: str) -> tuple[str, str] | None:
    """Return a frame's name in the EPSG dataset and its code; of one of the IGS that of its ITRF."""
    return _frames().get(_plain(_IGS.get(_plain(name), name)))


def _rides(frame: str) -> str:
    return f"as it stands: {frame} rides on its plate, and the ground does not move"


def _as_itrf(source: str, target: str, itrf: str) -> str:
    return f"as it stands: {source} and {target} are both {itrf}"


def changed_frame(
    xyz_m: ArrayLike, source: str, source_year: float | None, target: str, name: str, near_m: ArrayLike
) -> tuple[float, float, float]:
    """Return a coordinate in the target frame, Earth-centred metres, by the operation of that name; InputError where it is not offered.

    Offered is what is made for the place `near_m`: a coordinate with a slip in it may lie anywhere.

    Source: EPSG dataset's operations through PROJ, ballpark ones refused.
    """
    theirs, ours = _known(source), _known(target)
    if theirs is None or ours is None:
        raise FrameError("One of the two frames is not known here.", field="frame")
    if name in (_rides(target), _as_itrf(source, target, theirs[0])) and theirs[1] == ours[1]:
        x, y, z = (float(value) for value in np.asarray(xyz_m, dtype=float))
        return x, y, z
    way = _ways(theirs[1], ours[1], near_m, source_year).get(name)
    if way is not None:
        x, y, z = (float(value) for value in np.asarray(xyz_m, dtype=float))
        for operation in way:
            x, y, z, *_ = (float(value) for value in operation.transform(x, y, z, source_year, errcheck=True))
        return x, y, z
    raise InputError("This operation is not offered between these frames here. Choose one of the list.", field="operation")


def _ways(source: str, target: str, near_m: ArrayLike, year: float | None) -> dict[str, tuple[pyproj.Transformer, ...]]:
    """Return what leads from one frame to another, by name: one operation, or the first route by frames of the plate between them."""
    found = {_named(item): (item,) for item in _operations(source, target, near_m, year)}
    if found:
        return dict(found)
    for route in _BETWEEN:
        stops = [source, *route, target]
        if len(set(stops)) < len(stops):
            continue
        legs = [_operations(*ends, near_m, year) for ends in pairwise(stops)]
        ways = {", then ".join(map(_named, way)): way for way in product(*legs)}
        if ways:
            return dict(islice(ways.items(), _MOST_WAYS))
    return {}


def _accuracy_m(way: tuple[pyproj.Transformer, ...]) -> float | None:
    """Return how good a way is by the dataset, metres; None where one of its operations does not say."""
    if any(item.accuracy < 0 for item in way):
        return None
    return float(np.hypot.reduce([item.accuracy for item in way]))


def _operations(source: str, target: str, near_m: ArrayLike, year: float | None) -> list[pyproj.Transformer]:
    latitude, longitude, _ = (float(value) for value in geodetic_from_ecef(near_m, WGS84))
    ends = pyproj.CRS.from_epsg(int(source)), pyproj.CRS.from_epsg(int(target))
    group = operations_between(*ends, (latitude, longitude))
    return [item for item in group.transformers if year is not None or "t_epoch" not in item.definition]


def _named(item: pyproj.Transformer) -> str:
    """Return an operation's name without the steps that change the kind of coordinate alone."""
    steps = [step for step in item.description.split(" + ") if not step.startswith("Conversion from ")]
    return " + ".join(steps) or str(item.description)
