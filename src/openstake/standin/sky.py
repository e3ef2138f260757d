"""The practice sky: which satellites a point sees, and how far they are."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.sky.constellations import CONSTELLATIONS, NOMINAL_ROTATION_RAD, NOMINAL_UNIX_S, Constellation
from openstake.core.sky.geometry import azimuth_elevation_deg, signal_range_m
from openstake.core.sky.orbits import earth_fixed_positions_m
from openstake.standin.world import Obstruction


@dataclass(frozen=True, kw_only=True)
class Seen:
    """One satellite above the horizon: `number` counts from 1 within its constellation."""

    constellation: Constellation
    number: int
    azimuth_deg: float
    elevation_deg: float
    range_m: float
    hidden: bool = False

    @property
    def key(self) -> tuple[str, int]:
        return self.constellation.name, self.number

    @property
    def cnr_dbhz(self) -> float:
        """Carrier to noise by elevation, 35 dB-Hz low and 51 overhead (common practice)."""
        return 35.0 + 16.0 * float(np.sin(np.radians(max(self.elevation_deg, 0.0))))


# Base and rover look at the same whole second.
@lru_cache(maxsize=16)
def _positions_m(name: str, unix_s: float) -> NDArray[np.float64]:
    """Return where a constellation's satellites are, Earth-fixed metres, shape (n, 3); not to be changed."""
    constellation = next(item for item in CONSTELLATIONS if item.name == name)
    return earth_fixed_positions_m(constellation.elements, unix_s - NOMINAL_UNIX_S, NOMINAL_ROTATION_RAD)


def visible(unix_s: float, receiver_m: ArrayLike, mask_deg: float, obstructions: tuple[Obstruction, ...] = ()) -> list[Seen]:
    """Return the satellites that a receiver at an Earth-centred point sees above its mask."""
    return [seen for seen in above(unix_s, receiver_m, mask_deg, obstructions) if not seen.hidden]


def above(unix_s: float, receiver_m: ArrayLike, mask_deg: float, obstructions: tuple[Obstruction, ...] = ()) -> list[Seen]:
    """Return the satellites above a mask, those that something hides among them."""
    found = []
    for constellation in CONSTELLATIONS:
        positions = _positions_m(constellation.name, unix_s)
        directions = azimuth_elevation_deg(positions, receiver_m)
        ranges = signal_range_m(positions, receiver_m)
        up = directions[:, 1] >= mask_deg
        hidden = np.zeros(len(up), dtype=bool)
        for obstruction in obstructions:
            hidden |= obstruction.hides(directions[:, 0], directions[:, 1])
        for place in np.flatnonzero(up):
            azimuth, elevation = directions[place]
            found.append(
                Seen(
                    constellation=constellation,
                    number=int(place) + 1,
                    azimuth_deg=float(azimuth),
                    elevation_deg=float(elevation),
                    range_m=float(ranges[place]),
                    hidden=bool(hidden[place]),
                )
            )
    return found
