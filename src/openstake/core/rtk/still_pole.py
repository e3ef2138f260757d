"""A pole that stands: the stretch in which it does, the scatter seen in it, and whether the receiver's claim allows that."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import InputError
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes
from openstake.core.limits import CLAIM_TOO_SMALL_CHANCE, FEWEST_INDEPENDENT, SHORTEST_SCATTER_S, STANDING_M, STANDING_SIGMAS, STANDING_UP_M
from openstake.core.rtk.epoch_series import Fix
from openstake.core.time_correlation import Epochs, chance_of_scatter, independent_epochs, time_correlations, weights
from openstake.core.vector import Scatter, mean_vector, scatter_of_vectors

_FEWEST = 3


@dataclass(frozen=True, kw_only=True)
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


@dataclass(frozen=True, kw_only=True)
class ClaimHeld:
    """The scatter seen in one component against the claim, one sigma in metres; `too_small`: more than chance allows.

    `takes_s` is how long the pole has to stand until a scatter of twice the claim shows.
    """

    component: str
    claim_m: float
    seen_m: float
    effective_n: float
    too_small: bool
    takes_s: float


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
    claim_east_m, claim_north_m, claim_up_m = np.sqrt(np.mean(np.array(claims) ** 2, axis=0)) if len(claims) else np.full(3, np.nan)
    return Stood(
        from_s=fixes[0].time_s,
        to_s=fixes[-1].time_s,
        epochs=len(fixes),
        mean_m=mean,
        scatter=scatter,
        claim_east_m=float(claim_east_m),
        claim_north_m=float(claim_north_m),
        claim_up_m=float(claim_up_m),
    )


def claim_held(epochs: Epochs, claims_m: tuple[float, float, float]) -> list[ClaimHeld]:
    """Return each component's scatter against the claim, one sigma in east, north, up; none where either is not known.

    `too_small`: whatever the epochs remember, a scatter as small as the claim has less than one chance in five thousand (`core/time_correlation.py`).
    A scatter of twice the claim is told in nine of ten once the stretch is worth three independent epochs: `takes_s`.
    """
    if not all(np.isfinite(claim) and claim > 0.0 for claim in claims_m):
        return []
    try:
        (seen,) = time_correlations(epochs)
    except InputError:
        return []  # too few, or all the same: nothing is seen
    chances = chance_of_scatter(seen, claims_m)
    spread = np.std(epochs.positions_m, axis=0, ddof=1)
    independent = independent_epochs(seen, weights(seen))
    takes_s = epochs.span_s * FEWEST_INDEPENDENT / independent
    return [
        ClaimHeld(
            component=name,
            claim_m=claim,
            seen_m=float(spread[n]),
            effective_n=independent,
            too_small=bool(chances[n] < CLAIM_TOO_SMALL_CHANCE),
            takes_s=max(takes_s, SHORTEST_SCATTER_S),
        )
        for n, (name, claim) in enumerate(zip(("east", "north", "up"), claims_m, strict=True))
    ]


def epochs_of(fixes: Sequence[Fix]) -> Epochs:
    """Return epochs in which a pole stands as a series in east, north, up about the first of them."""
    return series_of([fix.xyz_m for fix in fixes], fixes[-1].time_s - fixes[0].time_s)


def series_of(places_m: Sequence[NDArray[np.float64]], span_s: float) -> Epochs:
    """Return Earth-centred places, evenly spaced over a span, as a series in east, north, up about the first of them."""
    places = np.array(places_m)
    latitude, longitude, _ = geodetic_from_ecef(places[0])
    return Epochs((places - places[0]) @ enu_axes(float(latitude), float(longitude)).T, span_s)
