"""Rules on the coordinate of a base: a mark that was occupied before, a mark checked first, a solution typed later."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from openstake.core.control import Difference, in_words, within
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.geodesy.slips import Slip, fitting
from openstake.core.judge.base import OtherMark
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import (
    FARTHEST_FROM_CONTROL_M,
    METRE_LEVEL_M,
    PLAUSIBLE_FROM_AUTONOMOUS_M,
    PLAUSIBLE_FROM_KNOWN_M,
    SAME_COORDINATE_M,
    VERTICAL_TO_HORIZONTAL,
    Tolerance,
)
from openstake.core.units import text_from_metres


@dataclass(frozen=True, kw_only=True)
class Earlier:
    """A coordinate the mark was occupied with before: source, when in words, Earth-centred place of the mark, metres."""

    source: str
    when: str
    xyz_m: tuple[float, float, float]
    autonomous: bool


def moved_enu_m(from_m: tuple[float, float, float], to_m: tuple[float, float, float]) -> tuple[float, float, float]:
    """Return to − from in east, north, up at `from`, metres: what a change of the base coordinate does to every point."""
    latitude, longitude, _ = geodetic_from_ecef(from_m)
    east, north, up = enu_from_ecef_difference(np.subtract(to_m, from_m), float(latitude), float(longitude))
    return float(east), float(north), float(up)


def judge_return(
    mark: str, earlier: Sequence[Earlier], chosen_m: tuple[float, float, float], autonomous: bool, unit: str = "m"
) -> list[Finding]:
    """Return what a coordinate does to a job that knew this mark by another; `earlier` has the best one first."""
    if not earlier:
        return []
    best = earlier[0]
    east, north, up = moved_enu_m(best.xyz_m, chosen_m)
    distance = float(np.linalg.norm([east, north, up]))
    if distance <= SAME_COORDINATE_M:
        return []
    moved = f"{text_from_metres(float(np.hypot(east, north)), unit)} horizontally and {text_from_metres(up, unit)} in height"
    if autonomous:
        return [
            finding(
                "mark-moved",
                Severity.STOP,
                f"{mark} was occupied {best.when} with {best.source}. The fresh autonomous position would move the whole site by {moved}.",
                "Every autonomous average of one mark is another place.",
                "Use the earlier coordinate, so that the job comes back to the same numbers.",
                moved_m=round(distance, 3),
            )
        ]
    return [
        finding(
            "mark-differs-from-earlier",
            Severity.LOOK,
            f"{mark} was occupied {best.when} with {best.source}; this coordinate lies {moved} from that one.",
            "The list was corrected in the meantime, or one of the two is wrong.",
            "Find out which one the job's points rest on before starting.",
            moved_m=round(distance, 3),
        )
    ]


def judge_mark_check(mark: str, difference: Difference, tolerance: Tolerance, status: str, span_s: float, unit: str = "m") -> Finding:
    """Return what a network rover's shot on the mark says of its coordinate, before the base is started on it."""
    horizontal, vertical = within(difference, tolerance)
    words = in_words(difference, unit).removeprefix("rover ")
    shot = f"A {status} average of {span_s:.0f} s puts {mark} {words} of its coordinate"
    if status == "fixed" and horizontal and vertical:
        return finding(
            "mark-check-agrees",
            Severity.NOTE,
            f"{shot}: within {text_from_metres(tolerance.horizontal_m, unit)} and {text_from_metres(tolerance.vertical_m, unit)}.",
            "The mark is where the list has it, in the network's frame.",
            "Set the base over it.",
            east_m=round(difference.east_m, 4),
            north_m=round(difference.north_m, 4),
        )
    if status != "fixed":
        return finding(
            "mark-check-not-fixed",
            Severity.LOOK,
            f"{shot}, but it was not fixed throughout.",
            "No network corrections, or too poor a sky.",
            "Wait for fixed and average again.",
        )
    metre_level = difference.horizontal_m > METRE_LEVEL_M
    return finding(
        "mark-check-disagrees",
        Severity.STOP,
        f"{shot}; allowed are {text_from_metres(tolerance.horizontal_m, unit)} and {text_from_metres(tolerance.vertical_m, unit)}.",
        "Another mark, another frame or epoch than the network's, or a disturbed mark."
        if metre_level
        else "The rover height or the pole's bubble, a disturbed mark, or a network in another realisation of the frame.",
        "Shoot a second mark: if it is off alike, the frames differ; if not, this mark is wrong. Do not start on it before.",
        east_m=round(difference.east_m, 4),
        north_m=round(difference.north_m, 4),
    )


def judge_average_place(
    mark: str,
    known_m: tuple[float, float, float] | None,
    others: Sequence[OtherMark],
    average_m: tuple[float, float, float],
    unit: str = "m",
) -> list[Finding]:
    """Return what the base receiver's own average says before the start of where the tripod stands.

    `known_m` is the mark's coordinate (Earth-centred), None for a new point, which only has to lie near the job's marks.
    """
    if known_m is not None:
        east, north, up = moved_enu_m(known_m, average_m)
        flat = float(np.hypot(east, north))
        if flat <= PLAUSIBLE_FROM_AUTONOMOUS_M and abs(up) <= VERTICAL_TO_HORIZONTAL * PLAUSIBLE_FROM_AUTONOMOUS_M:
            return []
        sentence = (
            f"The receiver's average lies {_rough(flat, unit)} beside and {text_from_metres(abs(up), unit)} "
            f"{'above' if up >= 0 else 'below'} {mark}; {text_from_metres(PLAUSIBLE_FROM_AUTONOMOUS_M, unit)} would be plausible."
        )
        away = [(mark, flat)]
    else:
        away = sorted(((item.name, _flat_m(average_m, item.xyz_m)) for item in others), key=lambda pair: pair[1])
        if not away or away[0][1] <= FARTHEST_FROM_CONTROL_M:
            return []
        sentence = f"The receiver's average lies {_rough(away[0][1], unit)} from {away[0][0]}, the nearest mark of the job."
    near = [item.name for item in others if _flat_m(average_m, item.xyz_m) <= PLAUSIBLE_FROM_AUTONOMOUS_M]
    if near:
        cause = f"The tripod stands at {' or '.join(near)}."
    elif away[0][1] > FARTHEST_FROM_CONTROL_M:
        cause = "It is a log of another place, or the job's system or control is of another place."
    else:
        cause = "The tripod stands over another point, or a wrong line was picked from the list."
    return [
        finding(
            "average-elsewhere",
            Severity.STOP,
            sentence,
            cause,
            "Look at which mark is under the tripod, and whether the log is today's.",
            distance_m=round(away[0][1], 2),
        )
    ]


def _rough(metres: float, unit: str) -> str:
    return text_from_metres(metres, unit) if metres < 10_000.0 else f"{metres / 1000:.0f} km"


def _flat_m(from_m: tuple[float, float, float], to_m: tuple[float, float, float]) -> float:
    east, north, _ = moved_enu_m(from_m, to_m)
    return float(np.hypot(east, north))


def judge_solution(
    present_m: tuple[float, float, float],
    typed_m: tuple[float, float, float],
    slips: Iterator[Slip],
    present_autonomous: bool,
    unit: str = "m",
) -> Finding:
    """Return what a typed static solution says against the present coordinate of the mark; `slips` mend the typed one."""
    east, north, up = moved_enu_m(present_m, typed_m)
    flat, distance = float(np.hypot(east, north)), float(np.linalg.norm([east, north, up]))
    plausible = PLAUSIBLE_FROM_AUTONOMOUS_M if present_autonomous else PLAUSIBLE_FROM_KNOWN_M
    moved = f"{text_from_metres(flat, unit)} horizontally and {text_from_metres(up, unit)} in height"
    if flat <= plausible and abs(up) <= VERTICAL_TO_HORIZONTAL * plausible:
        return finding(
            "solution-plausible",
            Severity.NOTE,
            f"The solution lies {moved} from the present coordinate: what {'an autonomous one' if present_autonomous else 'a known one'} may be off by.",
            "Sign, unit and frame fit.",
            "Look at what moves, then lock it in.",
            moved_m=round(distance, 3),
        )
    slip = fitting(_wide(slips, plausible), present_m)
    if slip is not None:
        code, cause = "solution-slip", f"Likely {slip.words}."
    else:
        code = "solution-far"
        cause = "Another mark's file was processed, the antenna height was left out, or it is in another frame."
    return finding(
        code,
        Severity.STOP,
        f"The solution lies {moved} from the present coordinate; {text_from_metres(plausible, unit)} would be plausible.",
        cause,
        "Look at the numbers as they were sent: sign of the longitude, metres or feet, frame and epoch.",
        moved_m=round(distance, 3),
    )


def _wide(slips: Iterator[Slip], plausible_m: float) -> Iterator[Slip]:
    """Widen slips to what the present coordinate may be off by."""
    for slip in slips:
        yield Slip(kind=slip.kind, words=slip.words, xyz_m=slip.xyz_m, within_m=max(slip.within_m, 1.9 * plausible_m))


def judge_taken(mark: str, taken_m: tuple[float, float, float], now_m: tuple[float, float, float] | None, unit: str = "m") -> list[Finding]:
    """Return what a base's coordinate is worth that was taken from a mark (or by its place) which is derived another way now.

    `now_m` is where the mark lies by the settings and the control list of now, None where that has no number of its own.
    """
    words = "" if now_m is None else f": {text_from_metres(float(np.linalg.norm(moved_enu_m(taken_m, now_m))), unit)} away"
    return [
        finding(
            "base-coordinate-of-before",
            Severity.STOP,
            f"The base's coordinate is that of {mark} before the job's settings or the control list were changed{words}.",
            "The system, the operation, the geoid or the mark has another value since.",
            "Take the coordinate again under Coordinate on the Base page, then type it into the receiver; or go back to the settings of before.",
        )
    ]


def judge_level(missing: Sequence[str]) -> list[Finding]:
    """Return what has not been confirmed before the start; asked, not blocked."""
    if not missing:
        return []
    return [
        finding(
            "level-not-confirmed",
            Severity.LOOK,
            f"Not confirmed before the start: {'; '.join(missing)}.",
            "Level and plumb shift when gear is hung on the legs.",
            "Look at bubble and plummet now, and tick it.",
        )
    ]
