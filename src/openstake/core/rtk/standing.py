"""A pole that stands: the stretch in which it does, the scatter seen in it, and whether the receiver's claim allows that."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.limits import STANDING_M, STANDING_SIGMAS, STANDING_UP_M
from openstake.core.rtk.fixes import Fix
from openstake.core.special import chdtri
from openstake.core.vector import Scatter, mean_vector, scatter_of_vectors

CHANCE = 0.001  # a claim is called too small where the scatter seen has a smaller chance than this
_FEWEST = 3


@dataclass(frozen=True)
class Stood:
    """The stretch in which a pole stood still: when, its mean place (Earth-centred metres, shape (3,)) and its scatter."""

    from_s: float
    to_s: float
    epochs: int
    mean_m: NDArray[np.float64]
    scatter: Scatter | None
    claim_east_m: float
    claim_north_m: float
    claim_up_m: float

    @property
    def span_s(self) -> float:
        return self.to_s - self.from_s


@dataclass(frozen=True)
class ClaimHeld:
    """The scatter seen in one component against the claim, one sigma in metres; `too_small`: more than chance allows."""

    component: str
    claim_m: float
    seen_m: float
    effective_n: float
    too_small: bool


def _widest_m(fixes: Sequence[Fix]) -> NDArray[np.float64]:
    """Return how far epochs of a pole that stands may lie from the others, horizontal and up, metres, shape (n, 2)."""
    claimed = np.array([(fix.sigma_horizontal_m, fix.sigma_up_m) for fix in fixes])
    return np.asarray(np.maximum((STANDING_M, STANDING_UP_M), STANDING_SIGMAS * np.nan_to_num(claimed)))


def last_stood(fixes: Sequence[Fix]) -> list[Fix]:
    """Return the epochs at the end of a series in which the pole stands: none far from the mean of the newest three."""
    placed = [fix for fix in fixes if fix.has_place]
    if len(placed) < _FEWEST:
        return []
    places = np.array([fix.xyz_m for fix in placed])
    middle = places[-_FEWEST:].mean(axis=0)
    away = places - middle
    # Straight up from the Earth's centre is within 0.2 degrees of the vertical: 0.4 mm of 10 cm.
    up = away @ (middle / np.linalg.norm(middle))
    horizontal = np.sqrt(np.maximum(np.sum(away**2, axis=1) - up**2, 0.0))
    moved = np.flatnonzero((np.column_stack([horizontal, np.abs(up)]) > _widest_m(placed)).any(axis=1))
    start = int(moved[-1]) + 1 if moved.size else 0
    return placed[start:] if len(placed) - start >= _FEWEST else []


def longest_stood(fixes: Sequence[Fix]) -> list[Fix]:
    """Return the epochs of the longest stretch in which the pole stands; empty where it never does."""
    best: list[Fix] = []
    rest = [fix for fix in fixes if fix.has_place]
    while len(rest) >= max(_FEWEST, len(best)):
        stood = last_stood(rest)
        if len(stood) > len(best):
            best = stood
        rest = rest[: -max(len(stood), 1)]
    return best


def stood(fixes: Sequence[Fix], claims: Sequence[tuple[float, float, float]] = ()) -> Stood | None:
    """Return what a stretch in which a pole stands comes to; `claims` are its epochs' one sigma in east, north, up."""
    if len(fixes) < 1:
        return None
    places = np.array([fix.xyz_m for fix in fixes])
    mean = mean_vector(places)
    latitude, longitude, _ = geodetic_from_ecef(mean)
    scatter = scatter_of_vectors(places, float(latitude), float(longitude))
    claimed = np.sqrt(np.mean(np.array(claims) ** 2, axis=0)) if len(claims) else np.full(3, np.nan)
    return Stood(fixes[0].time_s, fixes[-1].time_s, len(fixes), mean, scatter, *(float(value) for value in claimed))


def claim_held(seen: Stood) -> list[ClaimHeld]:
    """Return each component's scatter against the claim; none where either is not known or too few epochs count.

    The ratio of variances times the degrees of freedom (effective n − 1) is chi-squared where the claim is right.

    Source: chi-squared test of a variance (any textbook of statistics; from memory).
    """
    scatter = seen.scatter
    if scatter is None or scatter.effective_n < _FEWEST:
        return []
    freedom = scatter.effective_n - 1.0
    limit = float(chdtri(freedom, CHANCE))
    pairs = (
        ("east", seen.claim_east_m, scatter.sigma_east_m),
        ("north", seen.claim_north_m, scatter.sigma_north_m),
        ("up", seen.claim_up_m, scatter.sigma_up_m),
    )
    return [
        ClaimHeld(name, claim, observed, scatter.effective_n, freedom * (observed / claim) ** 2 > limit)
        for name, claim, observed in pairs
        if np.isfinite(claim) and claim > 0.0
    ]
