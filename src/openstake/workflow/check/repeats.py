"""Two shots of one mark: are they equal, by their claims or by their scatter."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from openstake.core.control import Difference
from openstake.core.equality import Equality, equal_by_scatter, equal_by_sigmas
from openstake.core.errors import InputError
from openstake.core.judge.check import Repeat
from openstake.core.limits import POLE_TWICE_M
from openstake.core.sigmas import covariance_of, grid_axes, in_grid
from openstake.core.time_correlation import Epochs
from openstake.derive import points
from openstake.derive.claims import claim_of
from openstake.derive.job import JobNow
from openstake.workflow.check.measured import Measured

# A pole put on a mark a second time, in all three directions.
_POLE_TWICE_M2 = np.eye(3) * POLE_TWICE_M**2


def repeats_of(
    session: Session, job: JobNow, pairs: Mapping[str, tuple[Measured, Measured]], turns_deg: Mapping[str, float]
) -> dict[str, Repeat]:
    """Return how each shot compares with the one before it on its mark; `turns_deg` is the convergence at each set-up.

    Shots whose receiver claimed nothing are tested by the scatter of their epochs, all others by the claims.
    """
    by_scatter = {
        item.shot.id: item.shot
        for pair in pairs.values()
        if all(item.shot.covariance_origin == "scatter" for item in pair)
        for item in pair
    }
    epochs = points.epochs_enu_m(session, job.id, by_scatter.values()) if by_scatter else {}
    return {shot_id: _repeat(before, after, turns_deg[after.shot.occupation_id], epochs) for shot_id, (before, after) in pairs.items()}


def _repeat(before: Measured, after: Measured, turn_deg: float, epochs: Mapping[str, NDArray[np.float64]]) -> Repeat:
    first, second = before.point, after.point
    apart = Difference(second.east_m - first.east_m, second.north_m - first.north_m, second.height_m - first.height_m)
    since = (before.shot.initialised_s, after.shot.initialised_s)
    anew = None if None in since else since[0] != since[1]
    difference_m = [apart.east_m, apart.north_m, second.height_m - first.height_m]
    test: Equality | None
    if before.shot.id in epochs and after.shot.id in epochs:
        try:
            first_epochs, second_epochs = (_epochs(item, epochs[item.shot.id], turn_deg) for item in (before, after))
            test = equal_by_scatter(difference_m, first_epochs, second_epochs, _POLE_TWICE_M2)
        except InputError:
            test = None  # too few epochs, or all the same: their scatter says nothing
    else:
        total = sum((covariance_of(in_grid(claim_of(item.shot), turn_deg)) for item in (before, after)), _POLE_TWICE_M2)
        test = equal_by_sigmas(difference_m, total)
    fixed = not (first.not_fixed or second.not_fixed)
    return Repeat(difference=apart, apart_s=after.shot.created_s - before.shot.created_s, anew=anew, equality=test, fixed=fixed)


def _epochs(item: Measured, enu_m: NDArray[np.float64], turn_deg: float) -> Epochs:
    """Return a shot's epochs in the grid's axes."""
    return Epochs(enu_m @ grid_axes(turn_deg).T, item.shot.seconds)
