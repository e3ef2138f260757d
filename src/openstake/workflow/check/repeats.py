"""Two shots of one mark: are they equal, by their claims or by their scatter."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from openstake.core.budget import Sigmas, in_grid
from openstake.core.control import Difference
from openstake.core.equality import FEWEST_EPOCHS, Equality, Worth, equal_by_scatter, equal_by_sigmas, worth_of
from openstake.core.errors import InputError
from openstake.core.judge.check import Repeat
from openstake.core.limits import POLE_TWICE_M, UNCLAIMED_HORIZONTAL_M, UNCLAIMED_UP_M
from openstake.store.models import Shot
from openstake.workflow.check.measured import Measured
from openstake.workflow.now import points
from openstake.workflow.now.job import JobNow

# A pole put on a mark a second time, in all three directions.
_POLE_TWICE_M2 = np.eye(3) * POLE_TWICE_M**2


def repeats_of(
    session: Session, job: JobNow, pairs: Mapping[str, tuple[Measured, Measured]], turns_deg: Mapping[str, float]
) -> dict[str, Repeat]:  # fmt: skip
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
    return {
        shot_id: _repeat(before, after, turns_deg[after.shot.occupation_id], epochs)
        for shot_id, (before, after) in pairs.items()
    }


def _repeat(
    before: Measured, after: Measured, turn_deg: float, epochs: Mapping[str, NDArray[np.float64]]
) -> Repeat:  # fmt: skip
    first, second = before.point, after.point
    apart = Difference(second.east_m - first.east_m, second.north_m - first.north_m, second.height_m - first.height_m)
    since = (before.shot.initialised_s, after.shot.initialised_s)
    anew = None if None in since else since[0] != since[1]
    worth = [epochs.get(item.shot.id) for item in (before, after)]
    if (
        worth[0] is not None
        and worth[1] is not None
        and min(len(item) for item in worth if item is not None) >= FEWEST_EPOCHS
    ):
        try:
            test: Equality | None = equal_by_scatter(
                _worth(before, worth[0], turn_deg), _worth(after, worth[1], turn_deg), _POLE_TWICE_M2
            )
        except InputError:
            test = None  # epochs that are all the same say nothing
    else:
        total = sum((_covariance(item.shot, turn_deg) for item in (before, after)), _POLE_TWICE_M2)
        test = equal_by_sigmas([apart.east_m, apart.north_m, apart.up_m or 0.0], total)
    return Repeat(apart, after.shot.created_s - before.shot.created_s, anew, test)


def _worth(item: Measured, enu_m: NDArray[np.float64], turn_deg: float) -> Worth:
    """Return what a shot's epochs are worth about its derived place, in the grid's axes."""
    turn = np.radians(turn_deg)
    axes = np.array([[np.cos(turn), -np.sin(turn), 0.0], [np.sin(turn), np.cos(turn), 0.0], [0.0, 0.0, 1.0]])
    place = np.array([item.point.east_m, item.point.north_m, item.point.height_m])
    return replace(worth_of(enu_m @ axes.T), mean_m=place)


def _covariance(shot: Shot, turn_deg: float) -> NDArray[np.float64]:
    """Return the covariance of a shot in the grid's axes, (3, 3): its claim, or what is usual where nothing is claimed."""
    known = shot.sigma_east_m is not None and shot.sigma_up_m is not None
    sigmas = (
        Sigmas(
            shot.sigma_east_m or 0.0, shot.sigma_north_m or 0.0, shot.sigma_up_m or 0.0, shot.covariance_en_m2 or 0.0
        )
        if known
        else Sigmas(UNCLAIMED_HORIZONTAL_M, UNCLAIMED_HORIZONTAL_M, UNCLAIMED_UP_M)
    )
    turned = in_grid(sigmas, turn_deg)
    both = turned.covariance_en_m2
    return np.array([[turned.east_m**2, both, 0.0], [both, turned.north_m**2, 0.0], [0.0, 0.0, turned.up_m**2]])
