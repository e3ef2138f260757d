"""What will be seen of the sky from one place or from two, over some time, and how good its geometry is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.budget import BudgetSettings
from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.limits import BEST_PDOP_RATIO, LARGEST_DOP, SHORTEST_BEST_S, USUAL_HDOP, USUAL_VDOP
from openstake.core.observation import clock_of
from openstake.core.sky.broadcast import Orbit, OrbitStates, nearest
from openstake.core.sky.geometry import azimuth_elevation_deg
from openstake.core.sky.precise import NODES, lagrange
from openstake.core.sky.skyline import Skyline

_NODE_S, _THROUGH_M = 1800.0, 100.0


@dataclass(frozen=True, kw_only=True)
class Directions:
    """Where satellites stand from a place: (satellites, moments) each, degrees; NaN where no elements say it.  `age_s` and `healthy` are
    of the elements used."""

    satellites: tuple[str, ...]
    azimuth_deg: NDArray[np.float64]
    elevation_deg: NDArray[np.float64]
    age_s: NDArray[np.float64]
    healthy: NDArray[np.bool_]

    @property
    def without_elements(self) -> list[str]:
        """The satellites that no elements hold for at some moment."""
        return self._named(np.isnan(self.elevation_deg))

    def unhealthy_above(self, mask_deg: float) -> list[str]:
        """Return the satellites above a mask that say at some moment that they are not healthy."""
        return self._named((self.elevation_deg >= mask_deg) & ~self.healthy)

    def _named(self, some: NDArray[np.bool_]) -> list[str]:
        return [name for name, row in zip(self.satellites, some, strict=True) if row.any()]


def directions_of(orbits: Sequence[Orbit], places_m: Sequence[ArrayLike], gps_s: NDArray[np.float64]) -> list[Directions]:
    """Return where satellites stand at moments from each of some places (Earth-centred metres), without refraction.

    The place of a satellite is that of the same moment: until its signal arrives it moves by less than a thousandth of a degree.
    """
    names = tuple(orbit.satellite for orbit in orbits)
    states = states_of(orbits, gps_s)
    xyz, age, healthy = states.xyz_m, states.age_s, states.healthy
    found = []
    for place in places_m:
        azimuth, elevation = np.moveaxis(azimuth_elevation_deg(xyz, place), -1, 0)
        found.append(Directions(satellites=names, azimuth_deg=azimuth, elevation_deg=elevation, age_s=age, healthy=healthy))
    return found


def states_of(orbits: Sequence[Orbit], gps_s: NDArray[np.float64]) -> OrbitStates:
    """Return satellites at moments, (satellites, moments) each.

    Of many even moments close to each other only every half hour is computed, and a polynomial of ninth degree laid through those;
    half way between them it is held against the orbit, which is computed whole where it is more than 100 m off.
    """
    step_s = float(gps_s[1] - gps_s[0]) if len(gps_s) > 1 else 0.0
    span_s = step_s * (len(gps_s) - 1)
    count = int(np.ceil(span_s / _NODE_S)) + 1
    if count < NODES or len(gps_s) < 4 * count:
        return _stacked([orbit.states(gps_s) for orbit in orbits], len(gps_s))
    times = gps_s[0] + span_s * np.arange(2 * count - 1) / (2 * count - 2)  # the nodes, and half way between them
    rough = _stacked([orbit.states(times) for orbit in orbits], len(times))
    nodes, between = times[::2], times[1::2]
    node_s = float(nodes[1] - nodes[0])
    places = rough.xyz_m[:, ::2]

    def through(moments: NDArray[np.float64]) -> NDArray[np.float64]:
        window, weights = lagrange(nodes, node_s, moments)
        whole = np.zeros((len(moments), len(nodes)))
        np.put_along_axis(whole, window, weights, axis=1)
        return np.asarray(np.einsum("tn,snk->stk", whole, places, optimize=True))

    off = np.linalg.norm(through(between) - rough.xyz_m[:, 1::2], axis=-1)
    near = nearest(times, gps_s)
    found = OrbitStates(xyz_m=through(gps_s), clock_s=rough.clock_s[:, near], age_s=rough.age_s[:, near], healthy=rough.healthy[:, near])
    for n, ringing in enumerate(~(off < _THROUGH_M).all(axis=1)):
        if not ringing:
            continue
        own = orbits[n].states(gps_s)
        found.xyz_m[n], found.age_s[n], found.healthy[n] = own.xyz_m, own.age_s, own.healthy
    return found


def _stacked(states: Sequence[OrbitStates], count: int) -> OrbitStates:
    if not states:
        return OrbitStates(
            xyz_m=np.empty((0, count, 3)),
            clock_s=np.empty((0, count)),
            age_s=np.empty((0, count)),
            healthy=np.empty((0, count), dtype=bool),
        )
    return OrbitStates(**{item.name: np.array([getattr(state, item.name) for state in states]) for item in fields(OrbitStates)})


def in_sight(seen: Directions, mask_deg: float, skyline: Skyline) -> NDArray[np.bool_]:
    """Tell which satellites, (satellites, moments), stand above the mask and the skyline, and are healthy."""
    above = seen.elevation_deg >= mask_deg
    return np.asarray(above & ~skyline.hides(seen.azimuth_deg, seen.elevation_deg) & seen.healthy)


@dataclass(frozen=True)
class Dops:
    """Dilutions of precision by moment, (n,); NaN where the satellites tell no place."""

    pdop: NDArray[np.float64]
    hdop: NDArray[np.float64]
    vdop: NDArray[np.float64]


def dops_of(seen: Directions, used: NDArray[np.bool_]) -> Dops:
    """Return the dilutions of the satellites that are `used`, (satellites, moments): a clock for each constellation, GPS and QZSS share one.

    They are those of double differences too: what is differenced away is a clock each.  NaN where the geometry tells nothing, or dilutes a
    hundredfold.  Source: any text on GNSS; rows of the design are (−e, −n, −u, clocks).
    """
    letters = [clock_of(name) for name in seen.satellites]
    clocks = list(dict.fromkeys(letters))
    azimuth, elevation = np.radians(seen.azimuth_deg.T), np.radians(seen.elevation_deg.T)
    shown = used.T
    flat = np.where(shown, np.cos(elevation), 0.0)
    # (moments, satellites, 3): a row of zeros counts nothing.
    towards = np.stack([flat * np.sin(azimuth), flat * np.cos(azimuth), np.where(shown, np.sin(elevation), 0.0)], axis=-1)
    towards = np.nan_to_num(towards, nan=0.0)
    ones = np.array([[float(letter == clock) for clock in clocks] for letter in letters]).reshape(len(letters), len(clocks))
    # The clocks are taken out one by one: what is left is of the place alone.
    sums, counts = ones.T @ towards, shown.astype(float) @ ones
    weighted = sums / np.maximum(counts, 1.0)[..., None]
    normal = towards.transpose(0, 2, 1) @ towards - sums.transpose(0, 2, 1) @ weighted
    enough = used.sum(axis=0) >= 3 + (counts > 0).sum(axis=1)
    weakest = np.linalg.eigvalsh(normal)[:, 0]
    solvable = enough & (weakest > LARGEST_DOP**-2)
    inverse = np.full(normal.shape, np.nan)
    inverse[solvable] = np.linalg.inv(normal[solvable])
    east, north, up = (inverse[:, n, n] for n in range(3))
    return Dops(np.sqrt(east + north + up), np.sqrt(east + north), np.sqrt(up))


@dataclass(frozen=True)
class Expected95:
    """What a fixed position from a base is expected to be within, 95 %, metres, by moment: a circle and a half width."""

    horizontal_m: NDArray[np.float64]
    vertical_m: NDArray[np.float64]


def expected_95(dops: Dops, baseline_m: float, settings: BudgetSettings) -> Expected95:
    """Return what an epoch of a fix is worth under a sky: the budget's vector and multipath, in the measure of the geometry.

    Their sizes are those of a usual sky (HDOP 1.0, VDOP 1.6); what grows with the distance is the atmosphere's, and stays.
    """
    by_distance = baseline_m * 1e-6
    flat, up = dops.hdop / USUAL_HDOP, dops.vdop / USUAL_VDOP
    vector = settings.vector_horizontal_m * flat + settings.vector_horizontal_ppm * by_distance
    vector_up = settings.vector_vertical_m * up + settings.vector_vertical_ppm * by_distance
    return Expected95(
        CIRCLE_95 * np.hypot(vector, settings.multipath_horizontal_m * flat),
        LINE_95 * np.hypot(vector_up, settings.multipath_vertical_m * up),
    )


def runs(true: NDArray[np.bool_], shortest_s: float, step_s: float) -> list[tuple[int, int]]:
    """Return the runs of moments in which something is true for so long at least, first and last of each."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], true, [False]]).astype(np.int8))).reshape(-1, 2)
    return [(int(first), int(end) - 1) for first, end in edges if (end - 1 - first) * step_s >= shortest_s]


def best_spans(dops: Dops, step_s: float) -> list[tuple[int, int]]:
    """Return the runs of moments, first and last, of at least half an hour in which PDOP is at most 1.3 times the least of all."""
    known = np.isfinite(dops.pdop)
    if not known.any():
        return []
    return runs(np.nan_to_num(dops.pdop, nan=np.inf) <= BEST_PDOP_RATIO * np.nanmin(dops.pdop), SHORTEST_BEST_S, step_s)
