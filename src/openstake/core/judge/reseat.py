"""Whether a base may be shifted by what a known mark says, or something else is wrong."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.constants import CIRCLE_999, LINE_999
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import (
    FOOT_PPM,
    FOOT_PPM_WITHIN,
    RESEAT_AUTONOMOUS_M,
    RESEAT_METRE_M,
    RESEAT_SAME_MARK_M,
    RESEAT_SMALL_HORIZONTAL_M,
    RESEAT_SMALL_UP_M,
)
from openstake.core.reseat import Reseat, ppm_of_coordinates
from openstake.core.units import text_from_metres


@dataclass(frozen=True, kw_only=True)
class ShotsSeen:
    """The shots that a re-seat takes the mean of: their sigmas as claimed, and how they scatter (horizontal, up; metres)."""

    shots: int
    epochs: int
    sigma_east_m: float
    sigma_north_m: float
    sigma_up_m: float
    scatter_m: tuple[float, float] | None


def judge_reseat_shots(seen: ShotsSeen, unit: str = "m") -> list[Finding]:
    """Return what the shots of a re-seat are worth: one epoch, one initialisation, or shots that do not agree with each other."""
    if seen.epochs == 1:
        return [
            finding(
                "reseat-one-epoch",
                Severity.LOOK,
                "The base would be moved by one epoch: its scatter cannot be seen.",
                "One epoch has the noise of one epoch, and moves every point by it.",
                "Some crews take one; an average of half a minute or more is preferred.",
                epochs=1,
            )
        ]
    if seen.shots > 1 and seen.scatter_m is not None:
        flat, up = seen.scatter_m
        limit_flat = CIRCLE_999 * max(seen.sigma_east_m, seen.sigma_north_m)
        limit_up = LINE_999 * seen.sigma_up_m
        if flat > limit_flat or up > limit_up:
            return [
                finding(
                    "reseat-shots-differ",
                    Severity.STOP,
                    f"The {seen.shots} shots scatter by {text_from_metres(flat, unit)} and {text_from_metres(up, unit)} in height: "
                    f"more than {text_from_metres(limit_flat, unit)} and {text_from_metres(limit_up, unit)}.",
                    "One of the fixes is false, or the pole was not set up identically.",
                    "Do not apply their mean. Re-initialise, measure again, and leave out the one that does not agree.",
                    scatter_horizontal_m=round(flat, 4),
                    scatter_up_m=round(up, 4),
                )
            ]
    return []


def judge_reseat(found: Reseat, entered_as_known: bool | None = None, unit: str = "m") -> list[Finding]:
    """Return what a shift looks like before it is applied; `entered_as_known`: the base's coordinate was, None where not said."""
    flat, up = text_from_metres(found.horizontal_m, unit), text_from_metres(abs(found.up_m), unit)
    numbers = {"horizontal_m": round(found.horizontal_m, 4), "up_m": round(found.up_m, 4)}
    if found.away_m < RESEAT_SAME_MARK_M:
        return [
            finding(
                "reseat-own-mark",
                Severity.STOP,
                f"The known mark is {text_from_metres(found.away_m, unit)} from the base: it is the base's own.",
                "A base cannot be observed where it stands.",
                "Pick another known mark and measure it.",
                **numbers,
            )
        ]
    small_flat = found.horizontal_m <= RESEAT_SMALL_HORIZONTAL_M
    small_up = abs(found.up_m) <= RESEAT_SMALL_UP_M
    if small_flat and small_up:
        return [
            finding(
                "reseat-small",
                Severity.NOTE,
                f"The shift is {flat} and {up} in height: no more than one fix gives.",
                "The base is where it should be, as far as this mark can tell.",
                "Leave it as it is, or average longer on a second mark before it is moved.",
                **numbers,
            )
        ]
    said = []
    if entered_as_known:
        said.append(
            finding(
                "reseat-of-known",
                Severity.STOP,
                f"The base was entered as known, and it would move by {flat} and {up} in height.",
                "A known base needs no shift: a wrong mark, height, frame or coordinate at one of the two.",
                "Do not apply it. Look at the base's mark, coordinate and height, and at the mark that was observed.",
                **numbers,
            )
        )
    said += _what_it_looks_like(found, small_flat, unit, numbers)
    said.append(
        finding(
            "reseat-prove",
            Severity.NOTE,
            "One mark gives the shift; it proves nothing of itself.",
            "A mark that is disturbed or taken for another moves everything with it.",
            "After it is applied check a second known mark, before any work.",
        )
    )
    return said


def _what_it_looks_like(found: Reseat, small_flat: bool, unit: str, numbers: dict[str, float]) -> list[Finding]:
    flat, up = text_from_metres(found.horizontal_m, unit), text_from_metres(abs(found.up_m), unit)
    ppm = ppm_of_coordinates(found.shift_m, found.coordinates_m)
    if ppm is not None and abs(abs(ppm) - FOOT_PPM) <= FOOT_PPM_WITHIN:
        return [
            finding(
                "reseat-ppm",
                Severity.STOP,
                f"The shift is {abs(ppm):.2f} ppm of the coordinates themselves.",
                "The international foot was taken for the US survey foot, or the reverse (2 ppm).",
                "Do not apply it. Look at the unit of both coordinates.",
                ppm=round(ppm, 3),
                **numbers,
            )
        ]
    if max(found.horizontal_m, abs(found.up_m)) > RESEAT_AUTONOMOUS_M:
        return [
            finding(
                "reseat-far",
                Severity.STOP,
                f"The shift is {flat} and {up} in height: more than an autonomous base can be off.",
                "Another mark, a coordinate typed wrongly, or another frame, zone or unit.",
                "Do not apply it. Compare both coordinates digit by digit.",
                **numbers,
            )
        ]
    if small_flat:
        return [
            finding(
                "reseat-only-up",
                Severity.LOOK,
                f"Only the height is off, by {up}; horizontally {flat}.",
                "An antenna height at base or rover, the ARP for the mark, or a height of another kind.",
                "Measure both heights again first: a shift hides a height that is wrong, it does not mend it.",
                **numbers,
            )
        ]
    if found.horizontal_m >= RESEAT_METRE_M:
        return [
            finding(
                "reseat-metre",
                Severity.LOOK,
                f"The shift is {flat} and {up} in height: metres.",
                "The base's coordinate is autonomous, or the base stands on another mark than was entered.",
                "Apply it where the base is autonomous. Otherwise find out on which mark it stands.",
                **numbers,
            )
        ]
    return []
