"""Rules on where a rover is, against the control list, before any shot: another place, system, unit, datum or kind of height."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.evidence import Status
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import (
    DATUM_SHIFT_FITS_M,
    DATUM_SHIFTS_WITHIN_M,
    FARTHEST_FROM_CONTROL_M,
    GROUND_VARIES_M,
    HEIGHTS_COMPARED_WITHIN_M,
    LEAST_DATUM_SHIFT_M,
    PLAUSIBLE_M,
    TALLEST_POLE_M,
    VERTICAL_TO_HORIZONTAL,
)
from openstake.core.sigmas import Sigmas, horizontal_95_m, vertical_95_m
from openstake.core.units import text_from_metres


@dataclass(frozen=True)
class Control:
    """The marks of a list as they are read: names, and east, north and ellipsoidal height in metres, shape (n, 3), NaN unknown."""

    names: tuple[str, ...]
    grid_m: NDArray[np.float64]


@dataclass(frozen=True, kw_only=True)
class RoverPlace:
    """Where a rover is in the job's system: metres, what it claims at 95 %, the geoid's height there, whether the pole stands."""

    east_m: float
    north_m: float
    height_m: float
    horizontal_95_m: float
    vertical_95_m: float
    undulation_m: float | None
    stands: bool


def place_95_m(status: Status, claim: Sigmas | None) -> tuple[float, float]:
    """Return what a position is good to at 95 %, horizontally and up, metres: its claim, and no less than what its kind may be off by."""
    usual = PLAUSIBLE_M.get(status, PLAUSIBLE_M[Status.SINGLE])
    if claim is None:
        return usual, VERTICAL_TO_HORIZONTAL * usual
    flat = horizontal_95_m(claim.east_m, claim.north_m, claim.covariance_en_m2)
    return max(usual, flat), max(VERTICAL_TO_HORIZONTAL * usual, vertical_95_m(claim.up_m))


# How else the list may be meant, and the distance of the nearest mark then.
Readings = Callable[[], Iterable[tuple[str, float]]]
# By how much east and north of another datum differ from the job's, by its name.
Shifts = Callable[[], Mapping[str, tuple[float, float]]]


def judge_place(rover: RoverPlace, control: Control, readings: Readings, shifts: Shifts, unit: str = "m") -> list[Finding]:
    """Return what the list is likely to be that a rover's place contradicts; `readings` and `shifts` are asked only where it does."""
    off = control.grid_m[:, :2] - (rover.east_m, rover.north_m)
    away = np.hypot(off[:, 0], off[:, 1])
    if not len(away) or not np.isfinite(away).any():
        return []
    nearest = int(np.nanargmin(away))
    if away[nearest] > FARTHEST_FROM_CONTROL_M:
        return [_elsewhere(control.names[nearest], float(away[nearest]), readings)]
    return [*_height(rover, control, away, unit), *_datum(rover, control, off, away, shifts, unit)]


def _elsewhere(name: str, away_m: float, readings: Readings) -> Finding:
    fits = min(((near, words) for words, near in readings() if near <= FARTHEST_FROM_CONTROL_M), default=None)
    cause = (
        "Another job is open, the list is of another place, or its system is another."
        if fits is None
        else f"If {fits[1]}, its nearest mark is {fits[0] / 1000.0:.1f} km away."
    )
    return finding(
        "rover-far-from-control",
        Severity.STOP,
        f"The rover is {away_m / 1000.0:.0f} km from {name}, the nearest mark of the control list.",
        cause,
        "Look at the job's name, its system and the list before anything is measured.",
        distance_m=round(away_m),
        **({} if fits is None else {"otherwise_m": round(fits[0])}),
    )


def _height(rover: RoverPlace, control: Control, away: NDArray[np.float64], unit: str) -> list[Finding]:
    """Return whether the rover is above or below the marks near it by what the geoid lies above the ellipsoid."""
    lift = rover.undulation_m
    near = (away <= HEIGHTS_COMPARED_WITHIN_M) & np.isfinite(control.grid_m[:, 2])
    if lift is None or abs(lift) < TALLEST_POLE_M or not near.any():
        return []
    above = rover.height_m - float(np.median(control.grid_m[near, 2]))
    slack = max(GROUND_VARIES_M, rover.vertical_95_m)
    if slack >= abs(lift) / 2.0 or min(abs(above - lift), abs(above + lift)) > slack:
        return []
    elevations = abs(above - lift) < abs(above + lift)
    side = "above" if above >= 0.0 else "below"
    return [
        finding(
            "rover-off-by-undulation",
            Severity.STOP,
            f"The rover is {text_from_metres(abs(above), unit)} {side} the marks near it, and the geoid lies "
            f"{text_from_metres(abs(lift), unit)} {'above' if lift > 0.0 else 'below'} the ellipsoid here.",
            "Elevations of the list were taken as ellipsoidal heights."
            if elevations
            else "Ellipsoidal heights of the list were taken as elevations, or the geoid is counted with the wrong sign.",
            "Ask what the heights of the list are, and read it again as that. If the ground really is so steep, accept it.",
            above_m=round(above, 2),
            undulation_m=round(lift, 2),
        )
    ]


def _datum(
    rover: RoverPlace, control: Control, off: NDArray[np.float64], away: NDArray[np.float64], shifts: Shifts, unit: str
) -> list[Finding]:
    """Return whether a standing rover is off a mark by what another datum lies off here."""
    accuracy = max(DATUM_SHIFT_FITS_M, rover.horizontal_95_m)
    candidates = np.flatnonzero((away <= DATUM_SHIFTS_WITHIN_M) & (away > max(LEAST_DATUM_SHIFT_M, 2.0 * accuracy)))
    # Who stands on a mark has no question.
    if not rover.stands or not len(candidates) or float(np.nanmin(away)) <= accuracy:
        return []
    fits = [
        (float(np.hypot(*(off[n] - shift))), int(n), name)
        for name, shift in shifts().items()
        if np.hypot(*shift) > max(LEAST_DATUM_SHIFT_M, 2.0 * accuracy)
        for n in candidates
    ]
    close = min((item for item in fits if item[0] <= accuracy), default=None)
    if close is None:
        return []
    _, n, name = close
    return [
        finding(
            "rover-off-by-datum",
            Severity.LOOK,
            f"The rover stands {text_from_metres(float(away[n]), unit)} from {control.names[n]}, where it would stand if the list were "
            f"in {name}.",
            f"The control is in {name}, and the job's system is on another datum.",
            "Ask on which datum the list was made. If the pole is on another point than this mark, go on.",
            east_m=round(float(-off[n, 0]), 2),
            north_m=round(float(-off[n, 1]), 2),
        )
    ]
