"""Whether what was measured without GNSS agrees with the shots, and whether two set-ups agree on a point."""

from __future__ import annotations

from openstake.core.equality import Equality
from openstake.core.ground import Between, Compared, MeasureKind
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.units import text_from_metres

_WORDS: dict[MeasureKind, str] = {
    "slope": "slope distance",
    "horizontal": "horizontal distance on the ground",
    "levelled": "height difference",
}


def judge_measure(names: tuple[str, str], kind: MeasureKind, found: Compared, seen: Between, geoid: bool, unit: str = "m") -> list[Finding]:
    """Return what a measure says of two shots; `geoid`: a levelled height is compared with elevations."""
    first, second = names

    def size(metres: float) -> str:
        return text_from_metres(metres, unit)

    apart = abs(found.difference_m)
    longer = ("larger" if kind == "levelled" else "longer") if found.difference_m > 0 else ("smaller" if kind == "levelled" else "shorter")
    head = (
        f"From {first} to {second} the {_WORDS[kind]} is {size(found.observed_m)} by the shots and {size(found.measured_m)} measured: "
        f"{size(apart)} {longer} ({size(found.limit_95_m)} is what chance gives at 95 %)."
    )
    numbers = {"difference_m": round(found.difference_m, 4), "limit_95_m": round(found.limit_95_m, 4), "grid_ppm": round(seen.grid_ppm, 1)}
    if apart <= found.limit_95_m:
        said = finding(
            "ground-agrees",
            Severity.NOTE,
            head,
            "The shots hold against a measure that is free of GNSS.",
            "Go on. A distance does not show a shift of everything, a height difference no constant.",
            **numbers,
        )
    else:
        stop = apart > found.limit_999_m
        on_grid = kind == "horizontal" and abs(seen.grid_m - found.measured_m) <= found.limit_95_m
        cause = (
            f"The measured value is the grid's ({seen.grid_ppm:+.0f} ppm): grid and ground distances were confused."
            if on_grid
            else "A false fix or a leaning pole at one of the two, or the tape: sag, slope taken for level, a miscount."
            if kind != "levelled"
            else "A false fix or another rover height at one of the two, the level's lines, or the geoid between them."
        )
        said = finding(
            "ground-differs",
            Severity.STOP if stop else Severity.LOOK,
            head,
            cause,
            "Measure it once more without GNSS; then shoot both points again after a new initialisation.",
            **numbers,
        )
    if kind == "levelled" and not geoid:
        without = finding(
            "level-without-geoid",
            Severity.NOTE,
            "A level measures elevations, and this job has no geoid grid: ellipsoidal heights are compared.",
            "The geoid may slope by some millimetres in a hundred metres.",
            "Add a geoid grid (Job, System) where the points lie far apart.",
        )
        return [said, without]
    return [said]


def judge_double(name: str, apart_m: tuple[float, float, float], test: Equality, unit: str = "m") -> Finding:
    """Return whether two base set-ups agree on a point: their difference in east, north, up and its test."""
    flat = text_from_metres(float((apart_m[0] ** 2 + apart_m[1] ** 2) ** 0.5), unit)
    up = text_from_metres(abs(apart_m[2]), unit)
    numbers = {
        "east_m": round(apart_m[0], 4),
        "north_m": round(apart_m[1], 4),
        "up_m": round(apart_m[2], 4),
        "chance": round(test.chance, 4),
    }
    if test.equal:
        return finding(
            "set-ups-agree",
            Severity.NOTE,
            f"Two base set-ups agree on {name} to {flat} and {up} in height ({test.words}).",
            "Two independent occupations agree on the place.",
            "Their mean may be used as new control.",
            **numbers,
        )
    return finding(
        "set-ups-differ",
        Severity.STOP,
        f"Two base set-ups differ on {name} by {flat} and {up} in height ({test.words}).",
        "A height or a coordinate of one of the bases, its centring, or a false fix.",
        "Do not use it as control. Check both set-ups on a known mark; occupy the point a third time.",
        **numbers,
    )
