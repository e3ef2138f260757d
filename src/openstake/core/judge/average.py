"""Rules on averages of what a receiver reports: precision is not accuracy."""

from __future__ import annotations

from openstake.core.evidence import Status
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import COARSE_POSITIONS_M, MANY_LEFT_OUT, SHORTEST_AVERAGE_S
from openstake.core.occupation import PositionAverage
from openstake.core.units import METRES_PER_UNIT, text_from_metres


def judge_average(average: PositionAverage, unit: str = "m") -> list[Finding]:
    """Return what an average is worth, in words."""
    found = [*_status(average, unit)]
    if average.left_out:
        found.append(_left_out(average))
    if average.is_short and average.lowest_status is not Status.FIXED:
        found.append(
            finding(
                "average-short",
                Severity.NOTE,
                f"{average.used} epochs over {average.span_s:.0f} s are too short to tell the noise of their mean "
                f"(under {SHORTEST_AVERAGE_S / 60:.0f} minutes).",
                "Neighbouring epochs share the same errors, and a short record does not show for how long.",
                "Average longer if the precision matters.",
                span_s=round(average.span_s, 1),
            )
        )
    if average.lowest_status is Status.FIXED and average.resolution_m > COARSE_POSITIONS_M:
        found.append(
            finding(
                "positions-coarse",
                Severity.LOOK,
                f"The receiver writes positions in steps of {text_from_metres(average.resolution_m, unit)}.",
                "Its GGA has too few decimals of a minute.",
                "Switch on its high-precision NMEA: 7 decimals or more.",
                resolution_m=round(average.resolution_m, 5),
            )
        )
    return found


def _left_out(average: PositionAverage) -> Finding:
    total = average.left_out + average.used
    many = average.left_out > MANY_LEFT_OUT * total
    return finding(
        "epochs-left-out",
        Severity.LOOK if many else Severity.NOTE,
        f"{average.left_out} of {total} epochs stand far from the others and were left out.",
        "The position jumped: it stood in two places, and one of them is a false fix."
        if many
        else "False fixes, or a status that changed for a moment.",
        "Lose the fix on purpose and average again." if many else "Look at the plot of the wander.",
        left_out=average.left_out,
    )


def about(metres: float, unit: str = "m") -> str:
    """Return a length that is known roughly: `5 m`, `0.03 m`, `16 ft`."""
    value = metres / METRES_PER_UNIT[unit]
    return f"{value:.2g} {'ft' if unit == 'sft' else unit}"


def _status(average: PositionAverage, unit: str) -> list[Finding]:
    found = []
    statuses = [status for status in Status if average.by_status.get(status)]
    if len(statuses) > 1:
        counts = ", ".join(f"{average.by_status[status]} {status}" for status in statuses)
        found.append(
            finding(
                "average-mixed",
                Severity.LOOK,
                f"The epochs are of {len(statuses)} kinds ({counts}); the mean is judged by the lowest used, {average.lowest_status}.",
                "The solution came or went during the average.",
                "Average again once it holds.",
            )
        )
    expected = about(average.accuracy_95_m, unit)
    if average.lowest_status is Status.FIXED:
        if average.is_short:
            found.append(
                finding(
                    "average-brief",
                    Severity.LOOK,
                    f"A fixed average of {average.span_s:.0f} s is too short to tell its noise; control wants 30 to 180 s.",
                    "One initialisation, seen for a moment.",
                    "Average for at least 30 s, lose the fix on purpose, and average again.",
                    span_s=round(average.span_s, 1),
                )
            )
        return found
    cause = {Status.FLOAT: "Its ambiguities are not resolved.", Status.DGPS: "Code corrections leave decimetres to a metre."}.get(
        average.lowest_status, "Averaging lowers the noise and leaves what the atmosphere and the orbits do, which is metres."
    )
    found.append(
        finding(
            "average-not-fixed",
            Severity.LOOK,
            f"The mean of {average.used} {average.lowest_status} epochs is off by up to about {expected} (95 %), whatever its precision.",
            cause,
            "Good for relative work, or until the base is re-seated or a static solution replaces it.",
            expected_accuracy_m=round(average.accuracy_95_m, 3),
        )
    )
    return found
