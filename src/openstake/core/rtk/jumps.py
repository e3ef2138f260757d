"""A position that jumps while it is fixed, beyond what the receiver's claim and the pole's movement allow: a false fix.

Two ways to tell.  *At once*: the next epoch is not where the velocity of the two before puts it, by more than a pole that is
carried can swing or turn, plus the speed that the receiver itself reports (VTG, RMC).  *Looking back*: the pole stood still, one interval
later it stands still somewhere else, and no speed was reported between.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt

import numpy as np

from openstake.core.evidence import Status
from openstake.core.limits import (
    JUMP_LEAST_M,
    JUMP_LOOKS_BACK_S,
    JUMP_SIGMAS,
    JUMP_STOOD_FOR_S,
    LONGEST_JUMP_STEP_S,
    PERSON_BRAKES_MPS2,
    PERSON_WALKS_MPS,
    POLE_STILL_M,
    POLE_STILL_SIGMAS,
    POLE_SWINGS_MPS2,
    STANDS_BELOW_MPS,
    UNCLAIMED_HORIZONTAL_M,
    UNCLAIMED_UP_M,
)
from openstake.core.rtk.epoch_series import Fix

_FEWEST = 3
_MOST_KEPT = 400  # at 50 Hz a jump is told within 6 s as well


@dataclass(frozen=True)
class Jump:
    """A jump while fixed: when it happened, how far (metres), and how far a person could have moved the pole meanwhile."""

    time_s: float
    size_m: float
    possible_m: float


def smallest_jump_m(sigma_m: float) -> float:
    """Return the smallest jump between two stands that is told, where one sigma of a position, in space, is claimed."""
    return max(JUMP_LEAST_M, JUMP_SIGMAS * sqrt(2.0) * sigma_m)


class JumpWatch:
    """Takes epochs in order and returns the jumps that each of them shows."""

    def __init__(self) -> None:
        self._recent: deque[Fix] = deque(maxlen=_MOST_KEPT)
        self._told_s = -np.inf

    def add(self, fix: Fix) -> list[Jump]:
        if fix.status is not Status.FIXED or not fix.has_place:
            # What comes after is another initialisation: it is compared elsewhere.
            self._recent.clear()
            return []
        if self._recent and fix.time_s - self._recent[-1].time_s > LONGEST_JUMP_STEP_S:
            self._recent.clear()  # in a gap one can walk away
        self._recent.append(fix)
        while self._recent[-1].time_s - self._recent[0].time_s > 2.0 * JUMP_LOOKS_BACK_S:
            self._recent.popleft()
        found = [jump for jump in (self._at_once(), self._looking_back()) if jump is not None]
        return found[:1]

    def _at_once(self) -> Jump | None:
        """Return the jump to the newest epoch."""
        rows = list(self._recent)
        if len(rows) < _FEWEST + 1:
            return None
        last, now = rows[-2], rows[-1]
        step_s = now.time_s - last.time_s
        velocity = (last.xyz_m - rows[-3].xyz_m) / (last.time_s - rows[-3].time_s)
        off = now.xyz_m - last.xyz_m - velocity * step_s
        # A pole swings, and a person turns about: in a short step the one is the limit, in a long one the other.
        walks = 2.0 * max(PERSON_WALKS_MPS, float(np.linalg.norm(velocity)))
        allowed = JUMP_SIGMAS * _sigma_m([last, now]) + min(POLE_SWINGS_MPS2 * step_s, walks) * step_s
        speeds = [row.speed_mps for row in (last, now) if row.speed_mps is not None]
        allowed += 1.2 * max(speeds, default=0.0) * step_s
        size = float(np.linalg.norm(off))
        return self._told(now.time_s, size, PERSON_BRAKES_MPS2 * step_s**2 / 4.0) if size > allowed else None

    def _looking_back(self) -> Jump | None:
        """Return a step between two stands: one interval, that the newest epochs have just come to prove."""
        rows = list(self._recent)
        newest_s = rows[-1].time_s
        at = next((n for n, row in enumerate(rows) if newest_s - row.time_s <= JUMP_STOOD_FOR_S + 1e-6), len(rows) - 1)
        # The stand behind begins where it has just become long enough; the one before it ends at the epoch before.
        if at < _FEWEST or len(rows) - at < _FEWEST or newest_s - rows[at].time_s < JUMP_STOOD_FOR_S - 0.05:
            return None
        after = rows[at:]
        before = [row for row in rows[:at] if rows[at - 1].time_s - row.time_s <= JUMP_STOOD_FOR_S + 1e-6]
        if len(before) < _FEWEST or before[-1].time_s - before[0].time_s < JUMP_STOOD_FOR_S - 0.05:
            return None
        if not _stands(before) or not _stands(after):
            return None
        speeds = [row.speed_mps for row in (before[-1], after[0]) if row.speed_mps is not None]
        if max(speeds, default=0.0) > STANDS_BELOW_MPS:
            return None
        size = float(np.linalg.norm(_middle(after) - _middle(before)))
        if size <= smallest_jump_m(_sigma_m([before[-1], after[0]])):
            return None
        step_s = after[0].time_s - before[-1].time_s
        return self._told(after[0].time_s, size, PERSON_BRAKES_MPS2 * step_s**2 / 4.0)

    def _told(self, time_s: float, size_m: float, possible_m: float) -> Jump | None:
        """Return a jump unless it is the one that has been told: both ways see the same."""
        if time_s - self._told_s <= JUMP_STOOD_FOR_S:
            return None
        self._told_s = time_s
        return Jump(time_s, round(size_m, 4), round(possible_m, 4))


def _sigma_m(rows: Sequence[Fix]) -> float:
    """Return one sigma of a position of some epochs, in space; 1 cm and 2 cm where nothing is claimed."""
    flat = [row.sigma_horizontal_m if np.isfinite(row.sigma_horizontal_m) else UNCLAIMED_HORIZONTAL_M for row in rows]
    up = [row.sigma_up_m if np.isfinite(row.sigma_up_m) else UNCLAIMED_UP_M for row in rows]
    return float(np.hypot(max(flat), max(up)))


def _middle(rows: Sequence[Fix]) -> np.ndarray:
    places = np.array([row.xyz_m for row in rows])
    return np.asarray(places[0] + np.median(places - places[0], axis=0))


def _stands(rows: Sequence[Fix]) -> bool:
    places = np.array([row.xyz_m for row in rows])
    return bool(np.linalg.norm(places - _middle(rows), axis=1).max() <= max(POLE_STILL_M, POLE_STILL_SIGMAS * _sigma_m(rows)))
