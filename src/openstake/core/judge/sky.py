"""Rules on orbits and on satellites: what a file of elements says, and which satellite is at fault."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import PLANNING_OLD_S
from openstake.core.sky.sources import SOURCE_WORDS, SourceName
from openstake.core.units import counted


def judge_excluded(excluded: Mapping[str, Sequence[float]], epochs: int) -> list[Finding]:
    """Return which satellites were taken out of single-point positions, by the residuals of each (metres), of how many epochs."""
    found = []
    for satellite, residuals_m in sorted(excluded.items(), key=lambda item: -len(item[1])):
        middle_m = sorted(residuals_m, key=abs)[len(residuals_m) // 2]
        found.append(
            finding(
                "satellite-excluded",
                Severity.NOTE,
                f"{satellite} was left out of {len(residuals_m)} of {counted(epochs, 'epoch')}: its range is {middle_m:+.0f} m off.",
                "The satellite's clock or orbit is wrong, or its signal was reflected.",
                "Nothing to do: the position is without it. Leave it out of RTK too if it stays so.",
                epochs=len(residuals_m),
                residual_m=round(middle_m, 1),
            )
        )
    return found


def judge_elements(impossible: Mapping[str, int], leap_seconds: int | None, leap_seconds_then: int | None) -> list[Finding]:
    """Return what is wrong with a file of elements: messages that no satellite can have sent, and leap seconds that did not hold."""
    found = []
    if impossible:
        names = ", ".join(sorted(impossible))
        found.append(
            finding(
                "elements-impossible",
                Severity.LOOK,
                f"{counted(sum(impossible.values()), 'message')} that no satellite can have sent, of {names}: left out.",
                "The file was damaged or merged from different ones.",
                "Take the file of another source where these satellites matter.",
                messages=sum(impossible.values()),
            )
        )
    if leap_seconds is not None and leap_seconds_then is not None:
        found.append(
            finding(
                "elements-leap-seconds",
                Severity.LOOK,
                f"The file says that GPS time was {leap_seconds} s ahead of UTC; it was {leap_seconds_then} s.",
                "Its program was not up to date when it was written.",
                "The leap seconds of IERS are used. Compare one satellite of GLONASS with another file before you trust it.",
                said_s=leap_seconds,
                held_s=leap_seconds_then,
            )
        )
    return found


def judge_nominal() -> list[Finding]:
    """Return what a sky without elements is."""
    return [
        finding(
            "sky-nominal",
            Severity.LOOK,
            "No orbits are loaded: these satellites are nominal, to practise.",
            "No navigation file, orbit file or element set was given.",
            "Load the elements of the day before you plan by this.",
        )
    ]


def judge_ages(oldest_s: Mapping[SourceName, float]) -> list[Finding]:
    """Return which elements are so old that directions are off, by source with the oldest, seconds."""
    return [
        finding(
            "elements-old",
            Severity.LOOK,
            f"The {SOURCE_WORDS[name]} used lie up to {age_s / 3600.0:.0f} h from the time asked for.",
            "The file is of another day.",
            "Good for a rough plan. Load newer elements before you go by its hours.",
            age_h=round(age_s / 3600.0, 1),
        )
        for name, age_s in oldest_s.items()
        if age_s > PLANNING_OLD_S.get(name, float("inf"))
    ]


def judge_without_elements(satellites: Sequence[str]) -> list[Finding]:
    """Return which satellites have no elements that hold for some of the time."""
    if not satellites:
        return []
    return [
        finding(
            "elements-missing",
            Severity.LOOK,
            f"No elements hold for {', '.join(satellites)} for all of the time: they are missing then.",
            "The file is too old, or has gaps.",
            "Load a file of this day.",
            satellites=len(satellites),
        )
    ]


def judge_unhealthy(satellites: Sequence[str]) -> list[Finding]:
    """Return which satellites above the mask say that they are not healthy."""
    if not satellites:
        return []
    return [
        finding(
            "satellite-unhealthy",
            Severity.NOTE,
            f"{', '.join(satellites)}: not healthy by their own word. They are shown, and count in no geometry.",
            "The operator has set them so.",
            "Receivers leave them out by themselves.",
            satellites=len(satellites),
        )
    ]
