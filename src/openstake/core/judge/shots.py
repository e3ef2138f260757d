"""Rules on two shots of one place: from two initialisations they must agree."""

from __future__ import annotations

from dataclasses import dataclass
from math import hypot

import numpy as np

from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import POLE_TWICE_M, UNCLAIMED_HORIZONTAL_M, UNCLAIMED_UP_M
from openstake.core.rtk.initialising import compared
from openstake.core.units import text_from_metres, text_from_seconds


@dataclass(frozen=True, kw_only=True)
class ShotSeen:
    """A shot as derived now: grid metres, its one sigma (None where nothing is claimed), since when its fix held."""

    id: str
    name: str
    east_m: float
    north_m: float
    height_m: float
    sigma_east_m: float | None
    sigma_north_m: float | None
    sigma_up_m: float | None
    initialised_s: float | None
    created_s: float
    unit: str = "m"

    def away_m(self, other: ShotSeen) -> float:
        return hypot(self.east_m - other.east_m, self.north_m - other.north_m)

    def is_independent_of(self, other: ShotSeen) -> bool:
        """Whether the fix was lost and regained between the two, as far as the epochs show it."""
        return None not in (self.initialised_s, other.initialised_s) and self.initialised_s != other.initialised_s

    @property
    def sigmas_m(self) -> tuple[float, float]:
        flat = max(self.sigma_east_m or 0.0, self.sigma_north_m or 0.0)
        return flat or UNCLAIMED_HORIZONTAL_M, self.sigma_up_m or UNCLAIMED_UP_M


def judge_pair_of_shots(before: ShotSeen, after: ShotSeen) -> Finding:
    """Return whether two shots of one place from two initialisations agree within both claims."""
    apart = np.array([after.east_m - before.east_m, after.north_m - before.north_m, after.height_m - before.height_m])
    found = compared(np.zeros(3), apart, before.sigmas_m, after.sigmas_m, POLE_TWICE_M)
    flat, up, limit, limit_up = (
        text_from_metres(abs(value), after.unit) for value in (found.horizontal_m, found.up_m, found.limit_horizontal_m, found.limit_up_m)
    )
    numbers = {"horizontal_m": round(found.horizontal_m, 4), "up_m": round(found.up_m, 4)}
    if found.agrees:
        return finding(
            "shots-agree",
            Severity.NOTE,
            f"{after.name} and {before.name}, two initialisations, agree to {flat} and {up} in height.",
            "Two independent fixes agree on the place.",
            "Go on; a mark that is known proves more.",
            **numbers,
        )
    return finding(
        "shots-disagree",
        Severity.LOOK,
        f"{after.name} and {before.name} are {flat} and {up} in height apart, from two initialisations; {limit} and {limit_up} are allowed.",
        "One of the two fixes is false, unless they are two places.",
        "Re-initialise and measure it a third time: two that agree show which one was false.",
        **numbers,
    )


def judge_gap(gap_s: float) -> list[Finding]:
    """Return what a silence within a shot says, seconds; nothing for 0."""
    if not gap_s:
        return []
    return [
        finding(
            "shot-has-gap",
            Severity.LOOK,
            f"No epoch arrived for {text_from_seconds(gap_s)} of this shot.",
            "The link from the rover was cut, or the receiver stopped sending: nobody saw whether the pole stood still and the fix held.",
            "Measure it once more without a gap.",
            gap_s=round(gap_s, 1),
        )
    ]
