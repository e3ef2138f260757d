"""Initialisations: when the fix came, went and came again; two of them at one place must agree."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.constants import CIRCLE_999, LINE_999
from openstake.core.evidence import Status
from openstake.core.limits import LOST_BY_SILENCE_S
from openstake.core.rtk.epoch_series import Fix

_MOST_LOSSES = 200


@dataclass(frozen=True)
class Loss:
    """A fix that was lost, and how long it took to come back; None while it has not."""

    time_s: float
    back_after_s: float | None


class Initialisations:
    """Takes epochs in order; says since when this fix holds, how it was lost, and how large a part of the epochs is fixed."""

    def __init__(self) -> None:
        self.epochs = self.fixed = 0
        self.first_s: float | None = None
        self.first_fix_s: float | None = None
        self.losses: list[Loss] = []
        self.count = 0
        self.seen_unfixed = False
        self.since_s: float | None = None
        self._last_s: float | None = None

    def add(self, fix: Fix) -> bool:
        """Take an epoch in; tell whether a new initialisation begins with it."""
        self.epochs += 1
        self.first_s = fix.time_s if self.first_s is None else self.first_s
        silent = self._last_s is not None and fix.time_s - self._last_s > LOST_BY_SILENCE_S
        self._last_s = fix.time_s
        if fix.status is not Status.FIXED:
            self.seen_unfixed = True
            if self.since_s is not None:
                self._lost(fix.time_s)
            return False
        self.fixed += 1
        self.first_fix_s = fix.time_s if self.first_fix_s is None else self.first_fix_s
        if self.since_s is not None and not silent:
            return False
        began = self.since_s is None
        self.since_s = fix.time_s
        self.count += 1
        if began and self.losses and self.losses[-1].back_after_s is None:
            lost = self.losses[-1]
            self.losses[-1] = Loss(lost.time_s, fix.time_s - lost.time_s)
        return True

    def _lost(self, time_s: float) -> None:
        self.since_s = None
        if len(self.losses) < _MOST_LOSSES:
            self.losses.append(Loss(time_s, None))

    @property
    def time_to_fix_s(self) -> float | None:
        """From the first epoch to the first fixed one."""
        if self.first_s is None or self.first_fix_s is None:
            return None
        return self.first_fix_s - self.first_s

    @property
    def fix_ratio(self) -> float | None:
        """Fixed epochs ÷ epochs heard."""
        return self.fixed / self.epochs if self.epochs else None


@dataclass(frozen=True, kw_only=True)
class Agreement:
    """Two fixes of one place compared: how far apart (metres, horizontal and up) and the limit from both claims at 99.9 %."""

    horizontal_m: float
    up_m: float
    limit_horizontal_m: float
    limit_up_m: float

    @property
    def agrees(self) -> bool:
        return self.horizontal_m <= self.limit_horizontal_m and abs(self.up_m) <= self.limit_up_m


def compared(
    before_enu_m: NDArray[np.float64],
    after_enu_m: NDArray[np.float64],
    before_sigma_m: Sequence[float],
    after_sigma_m: Sequence[float],
    least_m: float,
) -> Agreement:
    """Compare two fixes of one place, each east, north, up in metres with its one sigma (horizontal, up).

    `least_m` is what a pole put down twice differs by, added to both sigmas.

    Source: test of two means with known sigmas (any textbook of statistics; from memory).
    """
    east, north, up = (float(value) for value in after_enu_m - before_enu_m)
    flat = float(np.sqrt(before_sigma_m[0] ** 2 + after_sigma_m[0] ** 2 + least_m**2))
    high = float(np.sqrt(before_sigma_m[1] ** 2 + after_sigma_m[1] ** 2 + least_m**2))
    return Agreement(horizontal_m=float(np.hypot(east, north)), up_m=up, limit_horizontal_m=CIRCLE_999 * flat, limit_up_m=LINE_999 * high)
