"""A pole that stands for minutes: the means of its seconds, and a drift that no hand makes."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.evidence import Status
from openstake.core.limits import (
    DRIFT_FEWEST_PARTS,
    DRIFT_LEAST_M,
    DRIFT_LEAST_UP_M,
    DRIFT_PART_S,
    DRIFT_SIGMAS,
    DRIFT_STEP_SHARE,
    LONGEST_JUMP_STEP_S,
    STANDING_M,
    STANDING_SIGMAS,
    STANDING_UP_M,
    STANDS_BELOW_MPS,
    UNCLAIMED_HORIZONTAL_M,
    UNCLAIMED_UP_M,
)
from openstake.core.rtk.epoch_series import Fix

_MOST_PARTS = 360  # half an hour
_END = 3  # parts whose mean is an end of a drift, or a side of a step


@dataclass(frozen=True, kw_only=True)
class Drift:
    """A fixed position that wandered off while the pole stood: when it was seen, how far and over how long."""

    time_s: float
    horizontal_m: float
    up_m: float
    over_s: float


@dataclass(frozen=True)
class Part:
    """The mean of the epochs of a few seconds: when it begins, Earth-centred metres, and the mean claim in east, north, up."""

    time_s: float
    xyz_m: NDArray[np.float64]
    claim_m: tuple[float, float, float] | None


def smallest_drift_m(sigma_horizontal_m: float, sigma_up_m: float) -> tuple[float, float]:
    """Return the smallest drift that is told, horizontally and in height, at a claim; NaN: nothing is claimed."""
    flat = sigma_horizontal_m if np.isfinite(sigma_horizontal_m) else UNCLAIMED_HORIZONTAL_M
    up = sigma_up_m if np.isfinite(sigma_up_m) else UNCLAIMED_UP_M
    factor = DRIFT_SIGMAS * 2.0**0.5
    return max(DRIFT_LEAST_M, factor * flat), max(DRIFT_LEAST_UP_M, factor * up)


class StandLog:
    """Takes fixed epochs in order; keeps the parts of the present stand, and returns a drift where one shows.

    The stand ends with the fix, in a gap, where a speed is reported, and where a part lies beyond the one before or wanders within itself by
    more than a pole that stands.
    """

    def __init__(self) -> None:
        self.parts: deque[Part] = deque(maxlen=_MOST_PARTS)
        self._open: list[Fix] = []
        self._told_m = np.zeros(2)

    def clear(self) -> None:
        self.parts.clear()
        self._open = []
        self._told_m = np.zeros(2)

    @property
    def span_s(self) -> float:
        """How long the parts reach, from the beginning of the first to the end of the last."""
        return self.parts[-1].time_s - self.parts[0].time_s + DRIFT_PART_S if self.parts else 0.0

    def add(self, fix: Fix) -> Drift | None:
        moves = fix.speed_mps is not None and fix.speed_mps > STANDS_BELOW_MPS
        if fix.status is not Status.FIXED or not fix.has_place or moves:
            self.clear()
            return None
        if self._open and fix.time_s - self._open[-1].time_s > LONGEST_JUMP_STEP_S:
            self.clear()
        if not self._open or fix.time_s - self._open[0].time_s < DRIFT_PART_S:
            self._open.append(fix)
            return None
        part, self._open = self._open, [fix]
        return self._close(part)

    def _close(self, fixes: Sequence[Fix]) -> Drift | None:
        places = np.array([fix.xyz_m for fix in fixes])
        mean = places[0] + (places - places[0]).mean(axis=0)
        widest = np.maximum((STANDING_M, STANDING_UP_M), STANDING_SIGMAS * np.nan_to_num(_sigmas_m(fixes)))
        if (np.abs(_apart_m(places, mean)) > widest).any():
            self.clear()
            return None
        if self.parts and (_apart_m(mean[None], self.parts[-1].xyz_m)[0] > widest).any():
            self.clear()
        claims = [fix.claim_m for fix in fixes if fix.claim_m is not None]
        claim = tuple(np.sqrt(np.mean(np.square(claims), axis=0)).tolist()) if len(claims) == len(fixes) else None
        self.parts.append(Part(fixes[0].time_s, mean, claim))
        return self._drift(np.array(smallest_drift_m(*_sigmas_m(fixes))))

    def _drift(self, least_m: NDArray[np.float64]) -> Drift | None:
        count = len(self.parts)
        if count < DRIFT_FEWEST_PARTS:
            return None
        places = np.array([part.xyz_m for part in self.parts])
        sums = np.cumsum(places - places[0], axis=0)
        ends = places[0] + (sums[_END - 1 :] - np.vstack([np.zeros(3), sums[:-_END]])) / _END
        away = _apart_m(ends[: count - DRIFT_FEWEST_PARTS + 1], ends[-1])
        over = away / least_m
        if over.max() <= 1.0:
            return None
        start = int(np.argmax(over.max(axis=1)))
        if self._stepped(ends[start:], away[start], least_m):
            return None
        if (away[start] <= 1.5 * self._told_m).all():
            return None  # told already
        self._told_m = np.maximum(self._told_m, away[start])
        flat, up = (float(value) for value in away[start])
        return Drift(
            time_s=self.parts[-1].time_s + DRIFT_PART_S, horizontal_m=flat, up_m=up, over_s=self.parts[-1].time_s - self.parts[start].time_s
        )

    def _stepped(self, ends: NDArray[np.float64], whole_m: NDArray[np.float64], least_m: NDArray[np.float64]) -> bool:
        """Return whether most of the way was made in one step: the pole was moved a little, and the stand begins after it."""
        steps = np.array([_apart_m(before[None], after)[0] for before, after in zip(ends, ends[_END:], strict=False)])
        # In the direction that is beyond what is told.
        worst = int(np.argmax(whole_m / least_m))
        at = int(np.argmax(steps[:, worst]))
        if steps[at, worst] < DRIFT_STEP_SHARE * whole_m[worst]:
            return False
        kept = list(self.parts)[len(self.parts) - len(ends) + at + 1 :]
        self.parts.clear()
        self.parts.extend(kept)
        self._told_m = np.zeros(2)
        return True


def _sigmas_m(fixes: Sequence[Fix]) -> tuple[float, float]:
    """Return the largest claims of some epochs, horizontal and up, NaN where nothing is claimed at all."""
    table = np.array([(fix.sigma_horizontal_m, fix.sigma_up_m) for fix in fixes])
    known = np.isfinite(table).all(axis=1)
    flat, up = table[known].max(axis=0) if known.any() else (np.nan, np.nan)
    return float(flat), float(up)


def _apart_m(places_m: NDArray[np.float64], other_m: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how far places, (n, 3), lie from another, horizontally and in height, shape (n, 2).

    Straight up from the Earth's centre is within 0.2 degrees of the vertical: 0.7 mm of 20 cm.
    """
    away = places_m - other_m
    up = away @ (other_m / np.linalg.norm(other_m))
    return np.column_stack([np.sqrt(np.maximum(np.sum(away**2, axis=1) - up**2, 0.0)), np.abs(up)])
