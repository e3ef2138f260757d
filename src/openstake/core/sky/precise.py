"""Precise orbits: places at regular times, with a curve through them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from openstake.core.sky.broadcast import OrbitStates, nearest

NODES = 10


class PreciseOrbit:
    """One satellite by a table of places, (n, 3), Earth-fixed metres, and clocks, seconds, at GPS times in order; NaN where one is missing.

    The places are those of the centre of mass, metres from the antenna that broadcast orbits are of.
    """

    def __init__(self, satellite: str, times_s: NDArray[np.float64], xyz_m: NDArray[np.float64], clock_s: NDArray[np.float64]) -> None:
        self.satellite = satellite
        self._times, self._xyz, self._clock = times_s, xyz_m, clock_s
        self._step_s = float(np.median(np.diff(times_s))) if len(times_s) > 1 else 0.0

    def states(self, gps_s: NDArray[np.float64]) -> OrbitStates:
        """Return the satellite at moments, (n,), by Lagrange's polynomial of ninth degree through the ten nearest places; its clock by a line.

        NaN outside of the table, and where a place or a time of the ten is missing.  Source: SP3-d, with the usual interpolation (M. Schenewerk,
        A brief review of basic GPS orbit interpolation strategies, 2003; from memory).
        """
        count = len(gps_s)
        places, clocks = np.full((count, 3), np.nan), np.full(count, np.nan)
        inside = (gps_s >= self._times[0]) & (gps_s <= self._times[-1])
        if len(self._times) >= NODES and inside.any():
            places[inside] = self._polynomial(gps_s[inside])
            clocks[inside] = np.interp(gps_s[inside], self._times, self._clock)
        away = np.abs(self._times[nearest(self._times, gps_s)] - gps_s)
        return OrbitStates(xyz_m=places, clock_s=clocks, age_s=away, healthy=np.ones(count, dtype=bool))

    def _polynomial(self, gps_s: NDArray[np.float64]) -> NDArray[np.float64]:
        window, weights = lagrange(self._times, self._step_s, gps_s)
        even = np.ptp(self._times[window], axis=1) < (NODES - 0.5) * self._step_s
        found = np.einsum("tn,tnk->tk", weights, self._xyz[window])
        return np.asarray(np.where(even[:, None], found, np.nan))


def lagrange(times_s: NDArray[np.float64], step_s: float, gps_s: NDArray[np.float64]) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
    """Return for moments, (n,), which ten of at least ten even times lie nearest, (n, 10), and what each counts."""
    start = np.clip(np.searchsorted(times_s, gps_s) - NODES // 2, 0, len(times_s) - NODES)
    window = start[:, None] + np.arange(NODES)
    at = (gps_s[:, None] - times_s[window]) / step_s
    weights = np.ones_like(at)
    for node in range(NODES):
        for other in range(NODES):
            if other != node:
                weights[:, node] *= at[:, other] / (node - other)
    return window, weights
