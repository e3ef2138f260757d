"""Where the marks of a list fall: swapped axes, the other foot, metres among feet, a longitude's sign, another zone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.geodesy.frames import JobFrame
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import (
    BELOW_SEA_M,
    FARTHEST_MARK_M,
    FEWEST_HEIGHTS,
    HEIGHT_APART,
    HEIGHTS_TOGETHER_M,
    KINDS_COMPARED_WITHIN_M,
    KINDS_TOLD_FROM_M,
    MOST_HEIGHTS_APART,
    OTHER_FOOT_FROM_M,
    PROJECTION_RETURNS_M,
    SAME_PLACE_M,
)
from openstake.core.mark import HEIGHT_KINDS, GivenMark, HeightKind
from openstake.core.units import METRES_PER_UNIT, UNIT_WORDS, counted, text_from_metres


@dataclass(frozen=True)
class Refusal:
    """Why a mark cannot be in this job: a code of the rules, and the sentence for its line."""

    code: str
    sentence: str


@dataclass(frozen=True)
class KnownMarks:
    """The marks that are in the job already: where each name stands (east, north in metres)."""

    places: dict[str, tuple[float, float]]


def judge_places(frame: JobFrame, marks: Sequence[GivenMark], known: KnownMarks, unit: str) -> list[Refusal | None]:
    """Return for each mark why it cannot be in the job, None where it can.  Geodetic marks are in the job's datum."""
    if not marks:
        return []
    places = _grid_places(frame, marks)
    geodetic = np.array([mark.is_geodetic for mark in marks])
    inside = _in_area(frame, places)
    near = np.array(list(known.places.values()), dtype=float).reshape(-1, 2)
    centre = _middle(near) if len(near) >= 3 else None
    if centre is None:
        centre = _middle(places[inside])
    result: list[Refusal | None] = []
    for at, mark in enumerate(marks):
        if mark.name in known.places:
            result.append(_known_already(mark, places[at], known.places[mark.name], unit))
        elif inside[at] and (centre is None or np.hypot(*(places[at] - centre)) < FARTHEST_MARK_M):
            result.append(None)
        elif geodetic[at]:
            result.append(_geodetic_elsewhere(frame, mark, centre))
        else:
            result.append(_elsewhere(frame, places[at], centre, bool(inside[at])))
    return result


def _grid_places(frame: JobFrame, marks: Sequence[GivenMark]) -> NDArray[np.float64]:
    """Return east and north of marks however they are given, shape (n, 2); NaN where an angle cannot be projected."""
    places = np.array([(np.nan, np.nan) if mark.east_m is None else (mark.east_m, mark.north_m) for mark in marks], dtype=float)
    if any(mark.is_geodetic for mark in marks) and not (frame.is_local and frame.definition.anchor is None):
        some = np.array([mark.is_geodetic for mark in marks])
        angles = np.array([(mark.latitude_deg, mark.longitude_deg) for mark in marks if mark.is_geodetic], dtype=float)
        places[some] = frame.grid_from_geodetic(angles[:, 0], angles[:, 1])
    return np.where(np.isfinite(places), places, np.nan)


def _in_area(frame: JobFrame, places: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Tell which grid places lie in the area of the frame's system; an assumed system has none, and all are in it."""
    if frame.is_local:
        return np.asarray(np.isfinite(places).all(axis=-1))
    geodetic = frame.geodetic_from_grid(places[:, 0], places[:, 1])
    # Far from its meridian a projection folds back: only a point that returns to itself is there.
    with np.errstate(invalid="ignore"):
        back = frame.grid_from_geodetic(geodetic[:, 0], geodetic[:, 1])
        returns = np.abs(back - places).sum(axis=-1) < PROJECTION_RETURNS_M
    contained = np.array([bool(ok) and frame.contains(lat, lon) for ok, (lat, lon) in zip(returns, geodetic, strict=True)])
    return contained


def _middle(places: NDArray[np.float64]) -> NDArray[np.float64] | None:
    """Return the place with the most others near it; None where fewer than two are near, so that nobody is judged by few."""
    some = places[np.isfinite(places).all(axis=-1)][:500]
    if not len(some):
        return None
    near = np.hypot(*(some[:, None, :] - some[None, :, :]).transpose(2, 0, 1)) < FARTHEST_MARK_M
    if near.sum(axis=1).max() < 3:
        return None
    return np.asarray(some[int(near.sum(axis=1).argmax())])


def _known_already(mark: GivenMark, place: NDArray[np.float64], known: tuple[float, float], unit: str) -> Refusal:
    off = place - np.array(known)
    away_m = float(np.hypot(*off))
    if not np.isfinite(away_m):
        return Refusal("control-duplicate-name", f"{mark.name} is in the job already.")
    if away_m < SAME_PLACE_M:
        return Refusal("control-duplicate-name", f"{mark.name} is in the job already, at the same place.")
    # The other foot moves a mark by 2 ppm of its coordinates, along the line from the origin.
    two_ppm = np.abs(np.array(known)) * 2e-6
    if away_m > OTHER_FOOT_FROM_M and np.allclose(np.abs(off), two_ppm, atol=0.02, rtol=0.02):
        return Refusal(
            "control-foot-differs",
            f"{mark.name} is in the job already, {text_from_metres(away_m, unit)} away: 2 ppm of its coordinates. "
            "One of the two lists was read in the other foot.",
        )
    return Refusal("control-duplicate-name", f"{mark.name} is in the job already, {text_from_metres(away_m, unit)} away. Which is right?")


def _geodetic_elsewhere(frame: JobFrame, mark: GivenMark, centre: NDArray[np.float64] | None) -> Refusal:
    if frame.is_local and frame.definition.anchor is None:
        return Refusal(
            "system-lies-nowhere",
            "The job's system lies nowhere on Earth yet, so latitude and longitude cannot be placed. Give it a place first.",
        )
    latitude, longitude = mark.latitude_deg or 0.0, mark.longitude_deg or 0.0

    def fits(lat: float, lon: float) -> bool:
        if not abs(lat) <= 90.0:
            return False
        place = frame.grid_from_geodetic(lat, lon)
        near = centre is None or float(np.hypot(*(place - centre))) < FARTHEST_MARK_M
        return frame.contains(lat, lon) and near

    if fits(latitude, -longitude):
        return Refusal(
            "control-longitude-sign",
            f"Longitude {longitude:.6f} lies outside {frame.name}; {-longitude:.6f} lies inside: is the sign of the longitude wrong?",
        )
    if fits(longitude, latitude):
        return Refusal("control-axes-swapped", "With latitude and longitude exchanged it lies in the job: swap the two.")
    return Refusal("control-outside-area", f"Latitude {latitude:.5f}, longitude {longitude:.5f} lies outside the area of {frame.name}.")


def _elsewhere(frame: JobFrame, place: NDArray[np.float64], centre: NDArray[np.float64] | None, inside: bool) -> Refusal:
    def fits(east_m: float, north_m: float) -> bool:
        there = np.array([[east_m, north_m]])
        near = centre is None or float(np.hypot(*(there[0] - centre))) < FARTHEST_MARK_M
        return bool(_in_area(frame, there)[0]) and near

    east_m, north_m = float(place[0]), float(place[1])
    if fits(north_m, east_m):
        where = "lies among the others" if centre is not None else f"lies in the area of {frame.name}"
        return Refusal("control-axes-swapped", f"With east and north exchanged it {where}: swap the two columns.")
    # The US survey foot is 2 ppm from the international one: no coarse test tells the two apart.
    for word, factor in (("feet", METRES_PER_UNIT["ft"]), ("metres", 1.0 / METRES_PER_UNIT["ft"])):
        if fits(east_m * factor, north_m * factor):
            return Refusal(
                "control-unit-mixed",
                f"As read it lies elsewhere, but in the job if its numbers are {word}: choose the file's unit, or mend the line.",
            )
    if inside and centre is not None:
        away_km = float(np.hypot(*(place - centre))) / 1000.0
        return Refusal("control-outside-area", f"It lies {away_km:.0f} km from the middle of the other marks.")
    area = f" ({frame.area.name})" if frame.area else ""
    return Refusal("control-outside-area", f"Outside the area of {frame.name}{area}: another zone, unit or system?")


def judge_heights_of_list(marks: Sequence[GivenMark], unit: str) -> dict[int, str]:
    """Return, by place in the list, why a height stands out: one that fits among the others in feet, or in metres.

    Heights of one kind are compared; what is among at least three others to within their own spread is one of them.
    """
    found: dict[int, str] = {}
    for kind in {mark.height_kind for mark in marks}:
        of_kind = [(at, mark.height_m) for at, mark in enumerate(marks) if mark.height_kind == kind and mark.height_m is not None]
        if len(of_kind) < FEWEST_HEIGHTS:
            continue
        heights = np.array([height for _, height in of_kind])
        apart = np.abs(heights - np.median(heights))
        for place in np.argsort(-apart)[:MOST_HEIGHTS_APART]:
            at, height = of_kind[place]
            others = np.delete(heights, place)
            middle, spread = float(np.median(others)), float(np.subtract(*np.percentile(others, (75, 25))))
            slack = max(HEIGHTS_TOGETHER_M, 2.0 * spread)
            if abs(height - middle) <= HEIGHT_APART * slack:
                continue
            for word, factor in (("feet", METRES_PER_UNIT["ft"]), ("metres", 1.0 / METRES_PER_UNIT["ft"])):
                if abs(height * factor - middle) <= slack:
                    found[at] = (
                        f"The height stands {text_from_metres(abs(height - middle), unit)} from the others', and fits if it is in {word}."
                    )
    return found


def judge_height_units(remarks: dict[int, str]) -> list[Finding]:
    """Return one finding for the heights of a list that stand out (remarks by line number)."""
    if not remarks:
        return []
    numbers = sorted(remarks)
    which = f"Line {numbers[0]}" if len(numbers) == 1 else f"{len(numbers)} lines, the first is {numbers[0]}"
    return [
        finding(
            "control-height-unit",
            Severity.LOOK,
            f"{which}: {remarks[numbers[0]]}",
            "One height in feet among metres, or in metres among feet.",
            "Look at the list the height comes from. A mark on a hill is right as it is.",
            lines=len(numbers),
            first_line=numbers[0],
        )
    ]


@dataclass(frozen=True, kw_only=True)
class HeightGiven:
    """A height of a list: where it stands (grid metres), its value, the kind it is taken for, and the geoid's height there, metres."""

    east_m: float
    north_m: float
    height_m: float
    kind: HeightKind
    undulation_m: float

    def ellipsoidal_m(self, kind: HeightKind) -> float:
        return self.height_m + (self.undulation_m if kind == "elevation" else 0.0)


def judge_height_kinds(heights: Sequence[HeightGiven], known: Sequence[tuple[float, float, float]], unit: str) -> list[Finding]:
    """Return whether heights of a list are of the other kind than they were taken for.

    By the marks that are there (`known`: east, north, ellipsoidal height): the list's differ from those nearby by the geoid's height,
    and would agree as the other kind.  Without any: taken as ellipsoidal heights they lie below the sea, and as elevations above it.
    """
    found = []
    for kind in HEIGHT_KINDS:
        other: HeightKind = "elevation" if kind == "ellipsoidal" else "ellipsoidal"
        of_kind = [item for item in heights if item.kind == kind and abs(item.undulation_m) > KINDS_TOLD_FROM_M]
        if not of_kind:
            continue
        middle = float(np.median([item.undulation_m for item in of_kind]))
        reason = _by_neighbours(of_kind, known, kind, other, unit) if known else _below_the_sea(of_kind, kind, unit)
        if reason:
            found.append(
                finding(
                    "control-height-kind",
                    Severity.LOOK,
                    f"{counted(len(of_kind), 'height')} taken as {_KINDS[kind]}: {reason}",
                    f"They are {_KINDS[other]}: the geoid lies {text_from_metres(abs(middle), unit)} {'above' if middle > 0 else 'below'} the ellipsoid here.",
                    f"Look up what the list's heights are counted from, and choose {_KINDS[other]} if it says so.",
                    undulation_m=round(middle, 3),
                    heights=len(of_kind),
                )
            )
    return found


_KINDS: dict[HeightKind, str] = {"ellipsoidal": "ellipsoidal heights", "elevation": "elevations"}


def _by_neighbours(
    heights: Sequence[HeightGiven], known: Sequence[tuple[float, float, float]], kind: HeightKind, other: HeightKind, unit: str
) -> str:
    """Return how far a list's heights lie from those of the nearest marks that are there, where the other kind explains it."""
    there = np.array(known)
    apart = []
    for item in heights:
        away = np.hypot(there[:, 0] - item.east_m, there[:, 1] - item.north_m)
        nearest = int(away.argmin())
        if away[nearest] <= KINDS_COMPARED_WITHIN_M:
            apart.append([item.ellipsoidal_m(said) - there[nearest, 2] for said in (kind, other)])
    if not apart:
        return ""
    as_taken, as_other = (float(value) for value in np.median(np.array(apart), axis=0))
    middle = abs(float(np.median([item.undulation_m for item in heights])))
    if abs(as_taken) < 0.7 * middle or abs(as_other) > 0.3 * middle:
        return ""
    return (
        f"they lie {text_from_metres(abs(as_taken), unit)} {'above' if as_taken > 0 else 'below'} the marks nearby that are in the job, "
        f"and {text_from_metres(abs(as_other), unit)} as {_KINDS[other]}."
    )


def _below_the_sea(heights: Sequence[HeightGiven], kind: HeightKind, unit: str) -> str:
    """Return how far below the sea ellipsoidal heights would lie that are above it as elevations."""
    if kind != "ellipsoidal":
        return ""
    taken = np.array([item.height_m - item.undulation_m for item in heights])
    as_elevation = float(np.median([item.height_m for item in heights]))
    if float(np.median(taken)) > -BELOW_SEA_M or as_elevation < -BELOW_SEA_M:
        return ""
    return f"they would lie {text_from_metres(-float(np.median(taken)), unit)} below the sea."


_TELLING: dict[str, tuple[str, str]] = {
    "control-duplicate-name": (
        "A name used twice, or a list imported twice.",
        "Rename or leave out; to change a mark, correct it in the list.",
    ),
    "control-axes-swapped": ("The columns stand north, east and were read east, north.", "Exchange what the two columns are taken for."),
    "control-unit-mixed": ("Metres among feet, or the whole file read in the wrong unit.", "Choose the unit of the file."),
    "control-foot-differs": (
        "The international foot was taken for the US survey foot, or the other way.",
        "Choose the foot that the list was made in.",
    ),
    "control-longitude-sign": ("West longitudes are negative; the sign was dropped.", "Mend the sign in the file and import it again."),
    "control-outside-area": ("Another zone, another system or another unit.", "Check the job's system, then the file."),
    "system-lies-nowhere": ("The job's system is assumed.", "Give it a place under System."),
}


def judge_list(refusals: dict[int, Refusal], lines: int) -> list[Finding]:
    """Return one finding for each kind of refusal among the lines of a list (refusals by line number)."""
    by_code: dict[str, list[int]] = {}
    for number, refusal in sorted(refusals.items()):
        by_code.setdefault(refusal.code, []).append(number)
    found = []
    for code, numbers in by_code.items():
        cause, action = _TELLING[code]
        first = refusals[numbers[0]].sentence
        count = f"{len(numbers)} of {counted(lines, 'line')}" if len(numbers) > 1 else f"Line {numbers[0]}"
        found.append(finding(code, Severity.LOOK, f"{count}: {first}", cause, action, lines=len(numbers), first_line=numbers[0]))
    return found


def judge_unit(frame: JobFrame, unit: str, system_unit: str | None, marks: Sequence[GivenMark]) -> list[Finding]:
    """Say that a list is read in the other foot than its system's, and how far that moves it."""
    if system_unit is None or {unit, system_unit} != {"ft", "sft"}:
        return []
    farthest_m = max((max(abs(mark.east_m or 0.0), abs(mark.north_m or 0.0)) for mark in marks), default=0.0)
    return [
        finding(
            "control-foot-differs",
            Severity.LOOK,
            f"The numbers are read in the {UNIT_WORDS[unit]}, but {frame.name} is defined in the {UNIT_WORDS[system_unit]}: "
            f"that moves a mark by up to {farthest_m * 2e-6:.3f} m.",
            *_TELLING["control-foot-differs"],
            moves_m=round(farthest_m * 2e-6, 3),
        )
    ]
