"""The lean of a pole from shots with the pole turned: what goes round with the pole is its lean, what stays is the mark."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import atan2, degrees, hypot

import numpy as np

from openstake.core.constants import CIRCLE_95
from openstake.core.errors import InputError
from openstake.core.limits import LEAN_TURN_DEG, POLE_TWICE_M

SIDES = {2: (0, 180), 4: (0, 90, 180, 270)}
_SIDE_WORDS = ("the side of its label", "the left as one looks at its label", "its back", "the right as one looks at its label")


@dataclass(frozen=True, kw_only=True)
class TurnedShot:
    """A shot with the pole's label facing so many degrees clockwise from grid north; grid metres, one sigma of a component."""

    turned_deg: float
    east_m: float
    north_m: float
    sigma_m: float


@dataclass(frozen=True, kw_only=True)
class Lean:
    """How far the top of a pole is off its foot, metres, and to which side, degrees clockwise from the side of its label.

    `tilt_arcmin` is the bubble's error; `sigma_m` one sigma of each component of the lean, `limit_m` what chance gives at 95 %;
    `left_m` is what the shots are off from a turning pole (root mean square, metres), 0 for two; `east_m` and `north_m` are the foot.
    """

    lean_m: float
    side_deg: float
    tilt_arcmin: float
    sigma_m: float
    limit_m: float
    left_m: float
    east_m: float
    north_m: float
    side_words: str

    @property
    def is_seen(self) -> bool:
        """Whether it is more than chance gives."""
        return self.lean_m > self.limit_m


def lean_of(shots: Sequence[TurnedShot], pole_height_m: float) -> Lean:
    """Return the lean that shots with the pole turned show.

    Each shot is the mark plus the lean turned with the pole, by least squares: of two at 180° half their difference.  InputError
    where the pole was turned by less than 90°.  Source: common practice, no source.
    """
    if pole_height_m <= 0.0:
        raise InputError("A pole has a height.", field="reading")
    turns = np.radians([shot.turned_deg for shot in shots])
    apart = max((abs(_apart_deg(a.turned_deg, b.turned_deg)) for a in shots for b in shots), default=0.0)
    if apart < LEAN_TURN_DEG:
        raise InputError(f"Turn the pole by {LEAN_TURN_DEG:.0f}° and more: these shots do not show a lean.", field="turned_deg")
    rows, seen = [], []
    for turn, shot in zip(turns, shots, strict=True):
        # The label faces the turn's azimuth; the lean lies along it (x) and a quarter to the right of it (y).
        sine, cosine = np.sin(turn), np.cos(turn)
        rows += [[1.0, 0.0, sine, cosine], [0.0, 1.0, cosine, -sine]]
        seen += [shot.east_m - shots[0].east_m, shot.north_m - shots[0].north_m]
    design, off = np.array(rows), np.array(seen)
    solved, *_ = np.linalg.lstsq(design, off, rcond=None)
    weights = np.linalg.inv(design.T @ design)
    sigma = float(np.sqrt(np.mean([shot.sigma_m**2 + POLE_TWICE_M**2 for shot in shots]) * weights[2, 2]))
    lean = hypot(solved[2], solved[3])
    side_deg = degrees(atan2(solved[3], solved[2])) % 360.0
    rest = off - design @ solved
    return Lean(
        lean_m=lean,
        side_deg=side_deg,
        tilt_arcmin=60.0 * degrees(atan2(lean, pole_height_m)),
        sigma_m=sigma,
        limit_m=CIRCLE_95 * sigma,
        left_m=float(np.sqrt(np.mean(rest**2))) if len(shots) > 2 else 0.0,
        east_m=float(shots[0].east_m + solved[0]),
        north_m=float(shots[0].north_m + solved[1]),
        side_words=_SIDE_WORDS[round(side_deg / 90.0) % 4],
    )


def _apart_deg(one: float, other: float) -> float:
    return (one - other + 180.0) % 360.0 - 180.0
