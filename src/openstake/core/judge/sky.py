"""Rules on orbits and on satellites: what a file of elements says, and which satellite is at fault."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import HIGH_IONOSPHERE_M, LONG_BASELINE_M, PLANNING_OLD_S, SKY_EDGE_DEG
from openstake.core.observation import CONSTELLATION_NAMES
from openstake.core.sky.against import SkyCompared, named
from openstake.core.sky.day import Loss
from openstake.core.sky.sources import SOURCE_WORDS, SourceName
from openstake.core.units import counted, text_from_metres


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


def judge_partial(messages: int, since: str) -> list[Finding]:
    """Return what is to be said of elements that a base alone has sent, since a time in words: what rises later is not known yet."""
    return [
        finding(
            "elements-partial",
            Severity.LOOK,
            f"Known are the satellites alone that the base has sent since {since} ({counted(messages, 'message')}): those that rise later are missing.",
            "A base sends the elements of what it sees.",
            "Load a file of the day to plan by. What is seen now can be compared all the same.",
            messages=messages,
        )
    ]


def judge_unreadable(files: Mapping[str, str]) -> list[Finding]:
    """Return which files of elements cannot be read, by name with why."""
    return [
        finding(
            "elements-unreadable",
            Severity.LOOK,
            f"{name} is not used: {why}",
            "The file came damaged, or with a package of somebody else.",
            "Take it out, and load another one.",
        )
        for name, why in files.items()
    ]


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
            f"No elements hold for {named(satellites)} for all of the time: they are missing then.",
            "The file is too old, or has gaps.",
            "Load a file of this day.",
            satellites=tuple(satellites),
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
            f"{named(satellites)}: not healthy by their own word. They are shown, and count in no geometry.",
            "The operator has set them so.",
            "Receivers leave them out by themselves.",
            satellites=len(satellites),
        )
    ]


def judge_masks(
    base_deg: float, rover_deg: float, limits_deg: Mapping[str, float], sent_deg: float | None, used_deg: float | None
) -> list[Finding]:
    """Return which elevation masks differ, and which is not kept: those of both profiles, the limits of shots by kind, and the lowest
    satellites that are sent and used."""
    found = []
    if abs(base_deg - rover_deg) >= SKY_EDGE_DEG:
        low, high = ("base", "rover") if base_deg < rover_deg else ("rover", "base")
        found.append(
            finding(
                "mask-differs",
                Severity.NOTE,
                f"The base's mask is {base_deg:g}° and the rover's {rover_deg:g}°: only what stands above the higher one is used.",
                "The profiles were made at different times.",
                f"Set both alike: a lower mask of the {low} costs air time, a higher one of the {high} satellites.",
                base_deg=base_deg,
                rover_deg=rover_deg,
            )
        )
    for end, verb, mask_deg, lowest_deg in (("base", "sends", base_deg, sent_deg), ("rover", "uses", rover_deg, used_deg)):
        if lowest_deg is not None and lowest_deg < mask_deg - SKY_EDGE_DEG:
            found.append(
                finding(
                    "mask-not-kept",
                    Severity.LOOK,
                    f"The {end} {verb} a satellite {lowest_deg:.0f}° up; the mask of its profile is {mask_deg:g}°.",
                    "The receiver was not set as its profile says.",
                    f"Set the mask at the {end}, or the profile to what is meant.",
                    mask_deg=mask_deg,
                    lowest_deg=round(lowest_deg, 1),
                )
            )
    above = {kind: limit for kind, limit in limits_deg.items() if limit > rover_deg + SKY_EDGE_DEG}
    if above:
        kinds = ", ".join(f"{kind} {limit:g}°" for kind, limit in above.items())
        found.append(
            finding(
                "mask-below-limit",
                Severity.NOTE,
                f"The rover's mask of {rover_deg:g}° is below the elevation limit of shots ({kinds}): a low satellite holds them back.",
                "The limit was typed without the mask of the profile.",
                "Set the rover's mask as high as the limit.",
                rover_deg=rover_deg,
            )
        )
    return found


def judge_compared(compared: SkyCompared) -> list[Finding]:
    """Return what is to be said where the sky is not as it is expected."""
    if compared.agrees:
        return []
    return [
        finding(
            "sky-not-as-expected",
            Severity.LOOK,
            compared.words[:1].upper() + compared.words[1:],
            "Something hides the sky that no skyline has, a mask or a constellation is set otherwise, or the place is another.",
            "Look at the causes on the Sky page; draw the skyline as it is.",
            expected=compared.expected,
            used=compared.used,
        )
    ]


def judge_lost_constellations(loss: Loss | None, unit: str) -> list[Finding]:
    """Return what one end costs that uses fewer constellations than the other."""
    if loss is None:
        return []
    names = ", ".join(CONSTELLATION_NAMES[letter] for letter in loss.letters)
    now, with_all = (
        "no position" if value is None else text_from_metres(value, unit) for value in (loss.horizontal_95_m, loss.horizontal_95_with_all_m)
    )
    return [
        finding(
            "constellations-lost",
            Severity.NOTE,
            f"One end does not use {names}: {loss.satellites:.0f} satellites in common in the middle of the day in place of "
            f"{loss.satellites_with_all:.0f}, 95 % horizontally {now} in place of {with_all}.",
            "An older receiver, or messages that its profile does not send.",
            "Send them if the link has room and both ends can; else plan by the hours of this sky.",
            now=round(loss.satellites, 1),
            with_all=round(loss.satellites_with_all, 1),
        )
    ]


def judge_ionosphere(overhead_m: float, between_m: float, baseline_m: float, at: str) -> list[Finding]:
    """Return what the ionosphere of a day asks of a long baseline: the delay overhead at its largest, and its difference between the ends."""
    if overhead_m < HIGH_IONOSPHERE_M or baseline_m < LONG_BASELINE_M:
        return []
    return [
        finding(
            "ionosphere-midday",
            Severity.NOTE,
            f"About {at} the ionosphere delays signals by {overhead_m:.1f} m overhead; over {baseline_m / 1000.0:.0f} km the ends differ by "
            f"{1000.0 * between_m:.0f} mm or more.",
            "High solar activity, and a long baseline.",
            "Measure control in the morning or the evening, or from a nearer base.",
            overhead_m=round(overhead_m, 2),
            baseline_m=round(baseline_m),
        )
    ]
