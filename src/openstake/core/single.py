"""Single-point positions: one receiver, pseudoranges and broadcast orbits, nothing else.  Metres off, by its nature."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.constants import SPEED_OF_LIGHT_M_S
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.limits import SINGLE_LARGEST_PDOP, SINGLE_LARGEST_RESIDUAL_M, SINGLE_MASK_DEG
from openstake.core.observation import CARRIER_MHZ, ObservationEpoch, Observed
from openstake.core.sky.atmosphere import klobuchar_delay_m, troposphere_delay_m
from openstake.core.sky.broadcast import Ephemeris, best_ephemeris, distance_m, satellite_state, turned_during_travel
from openstake.core.sky.geometry import azimuth_elevation_deg

_FARTHEST_M = 1e9
_FEWEST = 4
_FIRST_BAND, _SECOND_BAND = ("C1W", "C1P", "C1C", "C1X", "C1L"), ("C2W", "C2P", "C2X", "C2L", "C2S", "C2C")


@dataclass(frozen=True)
class Ionosphere:
    """Klobuchar's broadcast coefficients."""

    alpha: tuple[float, ...]
    beta: tuple[float, ...]


@dataclass(frozen=True, kw_only=True)
class SinglePosition:
    """One epoch's position, Earth-centred WGS 84 metres, with its satellites, geometry and receiver clock (metres)."""

    gps_s: float
    xyz_m: tuple[float, float, float]
    satellites: int
    two_frequencies: bool
    pdop: float
    clock_m: float
    residual_m: float  # root mean square


@dataclass(frozen=True)
class _Ranged:
    """A satellite with its pseudorange cleared of its own clock, and where it was when it sent."""

    range_m: float
    position_m: NDArray[np.float64]
    two_frequencies: bool


def single_position(
    epoch: ObservationEpoch,
    ephemerides: Mapping[str, Sequence[Ephemeris]],
    ionosphere: Ionosphere | None = None,
    mask_deg: float = SINGLE_MASK_DEG,
) -> SinglePosition | None:
    """Return the position of one epoch from its GPS pseudoranges; None where fewer than four satellites can be used.

    Two frequencies are freed of the ionosphere; where any satellite has but one, all use one and the broadcast model.
    Weights go with sin² of the elevation; a residual above 25 m is taken out.

    Source: least squares of linearised ranges; IS-GPS-200, section 20.3.3.3.3.3 (ionosphere-free range).
    """
    seen = [_ranged(values, epoch.gps_s, ephemerides.get(name, ()), True) for name, values in epoch.satellites.items()]
    ranged = [item for item in seen if item is not None and item.two_frequencies]
    if len(ranged) < _FEWEST + 1:
        seen = [_ranged(values, epoch.gps_s, ephemerides.get(name, ()), False) for name, values in epoch.satellites.items()]
        ranged = [item for item in seen if item is not None]
    while len(ranged) >= _FEWEST:
        solved = _solve(epoch.gps_s, ranged, ionosphere, mask_deg)
        if solved is None:
            return None
        position, residuals, used = solved
        worst = int(np.argmax(np.abs(residuals)))
        if abs(residuals[worst]) <= SINGLE_LARGEST_RESIDUAL_M or len(used) <= _FEWEST:
            return position
        ranged = [item for item in ranged if item is not used[worst]]
    return None


def _ranged(values: Mapping[str, Observed], gps_s: float, ephemerides: Sequence[Ephemeris], two: bool) -> _Ranged | None:
    first = next((values[code].value for code in _FIRST_BAND if code in values), None)
    second = next((values[code].value for code in _SECOND_BAND if code in values), None)
    ephemeris = best_ephemeris(ephemerides, gps_s) if first is not None else None
    if first is None or ephemeris is None:
        return None
    both = two and second is not None
    range_m = _ionosphere_free_m(first, second) if both and second is not None else first
    sent_s = gps_s - range_m / SPEED_OF_LIGHT_M_S
    clock_s = satellite_state(ephemeris, sent_s).clock_s
    state = satellite_state(ephemeris, sent_s - clock_s)
    clock_s = state.clock_s - (0.0 if both else ephemeris.group_delay_s)
    return _Ranged(range_m + SPEED_OF_LIGHT_M_S * clock_s, state.xyz_m, both)


def _ionosphere_free_m(first_m: float, second_m: float) -> float:
    ratio = (CARRIER_MHZ["G"]["1"] / CARRIER_MHZ["G"]["2"]) ** 2
    return (ratio * first_m - second_m) / (ratio - 1.0)


@dataclass(frozen=True, kw_only=True)
class _Equations:
    """The ranges of one step as equations: who is used, slopes (n, 4), observed − computed (n,), weights' roots (n,)."""

    used: list[_Ranged]
    design: NDArray[np.float64]
    misfit: NDArray[np.float64]
    root: NDArray[np.float64]

    def change(self) -> NDArray[np.float64] | None:
        """Return what place and clock change by, shape (4,); None where the geometry does not tell."""
        try:
            found = np.linalg.lstsq(self.design * self.root[:, None], self.misfit * self.root, rcond=None)[0]
        except np.linalg.LinAlgError:
            return None
        return np.asarray(found) if np.isfinite(found).all() and float(np.abs(found).max()) < _FARTHEST_M else None

    def pdop(self) -> float | None:
        try:
            pdop = float(np.sqrt(np.trace(np.linalg.inv(self.design.T @ self.design)[:3, :3])))
        except np.linalg.LinAlgError:
            return None
        return pdop if pdop < SINGLE_LARGEST_PDOP else None


def _solve(
    gps_s: float, ranged: Sequence[_Ranged], ionosphere: Ionosphere | None, mask_deg: float
) -> tuple[SinglePosition, NDArray[np.float64], list[_Ranged]] | None:
    """Return the position, its residuals and the satellites used; None where it does not settle."""
    here, clock_m = np.zeros(3), 0.0
    for step in range(12):
        rough = step < 3  # from the centre of the Earth: no mask and no atmosphere until the place is known
        found = _equations(gps_s, ranged, ionosphere, mask_deg, here, clock_m, rough)
        moved = found.change() if found is not None else None
        if found is None or moved is None:
            return None
        equations, change = found, moved
        here, clock_m = here + change[:3], clock_m + float(change[3])
        if not rough and float(np.linalg.norm(change[:3])) < 1e-4:
            break
    residuals = equations.misfit - equations.design @ change
    pdop = equations.pdop()
    if pdop is None:
        return None
    x, y, z = (float(value) for value in here)
    position = SinglePosition(
        gps_s=gps_s,
        xyz_m=(x, y, z),
        satellites=len(equations.used),
        two_frequencies=all(item.two_frequencies for item in equations.used),
        pdop=pdop,
        clock_m=clock_m,
        residual_m=float(np.sqrt(np.mean(residuals**2))),
    )
    return position, residuals, equations.used


def _equations(
    gps_s: float,
    ranged: Sequence[_Ranged],
    ionosphere: Ionosphere | None,
    mask_deg: float,
    here: NDArray[np.float64],
    clock_m: float,
    rough: bool,
) -> _Equations | None:
    """Return the equations about a place; None where too few satellites stand above the mask."""
    used, rows, misfits, weights = [], [], [], []
    latitude, longitude, height = (0.0, 0.0, 0.0) if rough else (float(v) for v in geodetic_from_ecef(here))
    for item in ranged:
        travel_s = (item.range_m - clock_m) / SPEED_OF_LIGHT_M_S
        satellite = turned_during_travel(item.position_m, travel_s)
        length = max(distance_m(satellite, here), 1.0)
        delay_m, weight = 0.0, 1.0
        if not rough:
            azimuth, elevation = (float(v) for v in azimuth_elevation_deg(satellite[None, :], here)[0])
            if elevation < mask_deg:
                continue
            delay_m = troposphere_delay_m(latitude, height, elevation)
            if not item.two_frequencies and ionosphere is not None:
                delay_m += klobuchar_delay_m(ionosphere.alpha, ionosphere.beta, latitude, longitude, azimuth, elevation, gps_s)
            weight = float(np.sin(np.radians(elevation)))
        used.append(item)
        rows.append(np.append((here - satellite) / length, 1.0))
        misfits.append(item.range_m - (length + clock_m + delay_m))
        weights.append(weight)
    return None if len(used) < _FEWEST else _Equations(used=used, design=np.array(rows), misfit=np.array(misfits), root=np.array(weights))
