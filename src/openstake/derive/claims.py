"""What a shot's receiver claimed, or what is usual where it claimed nothing."""

from __future__ import annotations

from openstake.core.limits import UNCLAIMED_HORIZONTAL_M, UNCLAIMED_UP_M
from openstake.core.sigmas import Sigmas
from openstake.store.models import Shot


def claim_of(shot: Shot) -> Sigmas:
    """Return the sigmas of a shot about true north, metres: its claim or its scatter, the usual ones where it has neither."""
    east, north, up = shot.sigma_east_m, shot.sigma_north_m, shot.sigma_up_m
    if not east or not north or not up:
        return Sigmas(east_m=UNCLAIMED_HORIZONTAL_M, north_m=UNCLAIMED_HORIZONTAL_M, up_m=UNCLAIMED_UP_M)
    return Sigmas(east_m=east, north_m=north, up_m=up, covariance_en_m2=shot.covariance_en_m2 or 0.0)


def horizontal_sigma_m(shot: Shot) -> float:
    """Return the larger of a shot's horizontal sigmas, metres."""
    claim = claim_of(shot)
    return max(claim.east_m, claim.north_m)
