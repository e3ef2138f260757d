"""Several shots on one mark as one coordinate: weighted, and worth no more than their initialisations."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

import numpy as np

from openstake.core.limits import POLE_TWICE_M


@dataclass(frozen=True, kw_only=True)
class ShotOnMark:
    """A shot on a mark: grid metres and height, one sigma of a horizontal component and of the height as claimed.

    `fix` names its initialisation: shots of one fix share their error.
    """

    east_m: float
    north_m: float
    height_m: float
    sigma_h_m: float
    sigma_v_m: float
    fix: str


@dataclass(frozen=True, kw_only=True)
class MeanOnMark:
    """The weighted mean of a mark's shots with its sigmas; `fixes` is how many initialisations it rests on."""

    east_m: float
    north_m: float
    height_m: float
    sigma_h_m: float
    sigma_v_m: float
    shots: int
    fixes: int


def mean_on_mark(shots: Sequence[ShotOnMark]) -> MeanOnMark:
    """Return the mean of a mark's shots.

    Shots of one fix are averaged plainly: their common error stays, only putting the pole down anew averages out.  Fixes are
    averaged with 1/variance.  What all marks of a set-up share (the base's coordinate and height) is not in it.

    Source: weighted mean (any textbook); how far shots of one fix are alike: common practice, no source.
    """
    groups = [list(own) for _, own in groupby(sorted(shots, key=lambda shot: shot.fix), key=lambda shot: shot.fix)]
    places, variances = [], []
    for own in groups:
        table = np.array([(shot.east_m, shot.north_m, shot.height_m) for shot in own])
        claims = np.mean([(shot.sigma_h_m**2, shot.sigma_v_m**2) for shot in own], axis=0)
        places.append(table[0] + (table - table[0]).mean(axis=0))
        variances.append(claims + np.array([POLE_TWICE_M**2, 0.0]) / len(own))
    weights = 1.0 / np.array(variances)[:, [0, 0, 1]]
    first = places[0]
    mean = first + np.sum(weights * (np.array(places) - first), axis=0) / weights.sum(axis=0)
    sigma_h, _, sigma_v = (float(value) for value in weights.sum(axis=0) ** -0.5)
    return MeanOnMark(
        east_m=float(mean[0]),
        north_m=float(mean[1]),
        height_m=float(mean[2]),
        sigma_h_m=sigma_h,
        sigma_v_m=sigma_v,
        shots=len(shots),
        fixes=len(groups),
    )
