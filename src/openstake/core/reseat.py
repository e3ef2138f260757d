"""Re-seating a base: known − observed at one mark, and where it puts the base."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import InputError
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.limits import EARTH_RADIUS_LEAST_M, EARTH_RADIUS_MOST_M


@dataclass(frozen=True, kw_only=True)
class Reseat:
    """A shift of a base, metres: Earth-centred, and in the local axes at the known mark (east, north, up).

    The shift is known − observed; `base_m` is where it puts the base, `away_m` how far the base was from the known mark,
    `coordinates_m` the known mark.
    """

    shift_m: tuple[float, float, float]
    east_m: float
    north_m: float
    up_m: float
    base_m: tuple[float, float, float]
    away_m: float
    coordinates_m: tuple[float, float, float]

    @property
    def horizontal_m(self) -> float:
        return float(np.hypot(self.east_m, self.north_m))


def reseat(base_m: Sequence[float], known_m: Sequence[float], observed_m: Sequence[float]) -> Reseat:
    """Return the shift that brings an observed mark to its known place, and the base with it; all Earth-centred metres.

    A vector from the base is not changed by it: base and observed mark move together.  InputError where a place is not near the
    Earth's surface.  Source: common practice, no source.
    """
    base, known, observed = (_place(name, xyz) for name, xyz in (("base", base_m), ("known", known_m), ("observed", observed_m)))
    shift = known - observed
    latitude, longitude, _ = (float(value) for value in geodetic_from_ecef(known))
    east, north, up = (float(value) for value in enu_from_ecef_difference(shift, latitude, longitude))
    return Reseat(
        shift_m=_triple(shift),
        east_m=east,
        north_m=north,
        up_m=up,
        base_m=_triple(base + shift),
        away_m=float(np.linalg.norm(known - base)),
        coordinates_m=_triple(known),
    )


def ppm_of_coordinates(shift_m: Sequence[float], coordinates_m: Sequence[float]) -> float | None:
    """Return a shift as parts per million of the coordinates where it lies along them to a tenth; None where it does not.

    One foot taken for the other is 2 ppm of the coordinates, whatever system they are in (NIST SP 811).
    """
    shift, place = np.asarray(shift_m, dtype=float), np.asarray(coordinates_m, dtype=float)
    along = float(shift @ place) / float(place @ place)
    across = shift - along * place
    return 1e6 * along if np.linalg.norm(across) <= 0.1 * np.linalg.norm(shift) else None


def _place(name: str, xyz_m: Sequence[float]) -> NDArray[np.float64]:
    place = np.asarray(xyz_m, dtype=float)
    radius = float(np.linalg.norm(place)) if place.shape == (3,) and np.isfinite(place).all() else np.nan
    if not EARTH_RADIUS_LEAST_M <= radius <= EARTH_RADIUS_MOST_M:
        raise InputError(f"The {name} place is not near the Earth's surface: give Earth-centred X, Y and Z in metres.", field=name)
    return place


def _triple(values: NDArray[np.float64]) -> tuple[float, float, float]:
    x, y, z = (float(value) for value in values)
    return x, y, z
