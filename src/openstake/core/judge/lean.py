"""Whether a pole leans, by shots with it turned; and that a pole was never turned."""

from __future__ import annotations

from collections.abc import Container, Sequence

from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.lean import Lean
from openstake.core.limits import LEAN_LARGE_M
from openstake.core.units import text_from_metres


def judge_lean(pole: str, lean: Lean, bubble_arcmin: float | None = None, unit: str = "m") -> Finding:
    """Return what turning a pole showed; `bubble_arcmin` is what its bubble moves for 2 mm, None where that is not known."""
    size, limit = text_from_metres(lean.lean_m, unit), text_from_metres(lean.limit_m, unit)
    numbers = {
        "lean_m": round(lean.lean_m, 4),
        "side_deg": round(lean.side_deg),
        "tilt_arcmin": round(lean.tilt_arcmin, 1),
        "limit_m": round(lean.limit_m, 4),
    }
    if not lean.is_seen:
        return finding(
            "pole-plumb",
            Severity.NOTE,
            f"{pole} shows no lean: {size} at its top, {limit} is what chance gives at 95 %.",
            "The bubble is right as far as these shots can tell.",
            "Turn it again when it has been dropped, and every few weeks.",
            **numbers,
        )
    side = lean.side_words
    marks = "" if bubble_arcmin is None else f", {lean.tilt_arcmin / bubble_arcmin:.1f} of its 2 mm divisions"
    return finding(
        "pole-leans",
        Severity.STOP if lean.lean_m > LEAN_LARGE_M else Severity.LOOK,
        f"{pole} leans {size} towards {side} when its bubble is centred ({limit} is what chance gives at 95 %).",
        f"Its bubble is out by {lean.tilt_arcmin:.0f}′{marks}, or the pole is bent.",
        "Adjust the bubble against a plumb line and turn it again. Until then measure twice, turned by 180°, and take the mean.",
        **numbers,
    )


def judge_turned(poles: Sequence[str], turned: Container[str]) -> list[Finding]:
    """Return which of a job's rover poles were never turned."""
    return [
        finding(
            "pole-never-turned",
            Severity.NOTE,
            f"{pole} has never been turned: nobody knows whether its bubble is right.",
            "A bubble that is out shows as a constant lean, and every check with it has the same error.",
            "Turn it on any firm point: two shots at 180° (Check, Pole).",
            pole=pole,
        )
        for pole in poles
        if pole not in turned
    ]
