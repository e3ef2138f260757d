"""Broadcast orbits and clocks of GLONASS: a state every half hour, carried on by its equations of motion.

Places are in PZ-90.11, which agrees with ITRF within centimetres; what a satellite said before 2014 is in PZ-90.02, decimetres off.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from openstake.core.constants import PZ90_GM_M3_S2, PZ90_J2, PZ90_RADIUS_M, PZ90_ROTATION_RAD_S
from openstake.core.limits import GLONASS_CARRIED_S
from openstake.core.sky.broadcast import OrbitStates, nearest

_LEAST_RADIUS_M, _MOST_RADIUS_M = 24.0e6, 27.0e6
_MOST_PULL_M_S2 = 6.6e-6  # 6.2e-9 km/s² in the ICD, seven steps of 2^-30 km/s² as it is sent


@dataclass(frozen=True, kw_only=True)
class GlonassEphemeris:
    """One message of a GLONASS satellite (`R05`): Earth-fixed metres, m/s and m/s² (of sun and moon) at a GPS time, seconds since
    1980-01-06; its clock ahead by `clock_s`, seconds; `channel` is its frequency's."""

    satellite: str
    orbit_time_s: float
    clock_s: float
    frequency_offset: float
    position_m: tuple[float, float, float]
    velocity_m_s: tuple[float, float, float]
    acceleration_m_s2: tuple[float, float, float]
    health: float
    channel: int
    issue: int = 0


def is_possible_state(ephemeris: GlonassEphemeris) -> bool:
    """Tell whether a message can be one of a satellite: its distance, speed and the pull of sun and moon.

    Source: GLONASS ICD 5.1, table 4.5 (ranges of the numbers), and the radius of the orbit, 25 510 km.
    """
    e = ephemeris
    return (
        _LEAST_RADIUS_M <= float(np.linalg.norm(e.position_m)) <= _MOST_RADIUS_M
        and max(map(abs, e.velocity_m_s)) <= 4300.0
        and max(map(abs, e.acceleration_m_s2)) <= _MOST_PULL_M_S2
        and abs(e.clock_s) < 1.0
        and -7 <= e.channel <= 13
    )


@dataclass(frozen=True)
class _Grid:
    """So many steps of so many seconds to either side of a message."""

    steps: int
    step_s: float

    @property
    def reach_s(self) -> float:
        return self.steps * self.step_s


# A step of half a minute holds a tenth of a millimetre; one of five minutes some metres in half a day, which elements so old do not.
_NEAR, _FAR = _Grid(60, 30.0), _Grid(round(GLONASS_CARRIED_S / 300.0), 300.0)


class _Nodes:
    """States of messages at even steps before and after each: made once for all of them."""

    def __init__(self, listed: Sequence[GlonassEphemeris]) -> None:
        self._states = np.array([(*item.position_m, *item.velocity_m_s) for item in listed]).reshape(-1, 6)
        self._pulls = np.array([item.acceleration_m_s2 for item in listed]).reshape(-1, 3)

    @cached_property
    def near(self) -> NDArray[np.float64]:
        """The states within half an hour, under the pull of sun and moon that the message has, (messages, 121, 6)."""
        return self._table(_NEAR, self._pulls)

    @cached_property
    def far(self) -> NDArray[np.float64]:
        """The states within half a day, without that pull, (messages, 289, 6)."""
        return self._table(_FAR, np.zeros_like(self._pulls))

    def _table(self, grid: _Grid, pulls: NDArray[np.float64]) -> NDArray[np.float64]:
        step = np.repeat([grid.step_s, -grid.step_s], len(self._states))
        # A row for each of the six numbers: what is computed of many at once lies beside each other.
        both = np.concatenate([pulls, pulls]).T.copy()
        found = [np.concatenate([self._states, self._states]).T.copy()]
        for _ in range(grid.steps):
            found.append(_runge_kutta(lambda state: _motion(state, both), found[-1], step))
        after, before = np.split(np.stack(found).transpose(2, 0, 1), 2)
        return np.concatenate([before[:, :0:-1], after], axis=1)


class GlonassOrbit:
    """One satellite by its messages: at each moment carried on from the one nearest in time.

    Orbits that are made together by `glonass_orbits` share the work.
    """

    def __init__(self, ephemerides: Sequence[GlonassEphemeris], nodes: _Nodes | None = None, first: int = 0) -> None:
        listed = sorted(ephemerides, key=lambda item: item.orbit_time_s)
        self.satellite = listed[0].satellite
        self._times = np.array([item.orbit_time_s for item in listed])
        self._clocks = np.array([(item.clock_s, item.frequency_offset, item.health) for item in listed])
        self._nodes, self._first = nodes or _Nodes(listed), first

    def states(self, gps_s: NDArray[np.float64]) -> OrbitStates:
        """Return the satellite at moments, (n,), by a Runge-Kutta integration of fourth order; NaN half a day and more from any message.

        The pull of sun and moon is that of the message for half an hour, then left out: it is meant for a quarter of one.
        Source: GLONASS ICD 5.1, section A.3.1.2.
        """
        which = nearest(self._times, gps_s)
        elapsed = gps_s - self._times[which]
        clock_s, offset, health = self._clocks[which].T
        xyz = np.full((len(gps_s), 3), np.nan)
        near = np.abs(elapsed) <= _NEAR.reach_s
        far = ~near & (np.abs(elapsed) <= _FAR.reach_s)
        if near.any():
            xyz[near] = _between(self._nodes.near, _NEAR, self._first + which[near], elapsed[near])
        if far.any():
            xyz[far] = _between(self._nodes.far, _FAR, self._first + which[far], elapsed[far])
        return OrbitStates(xyz_m=xyz, clock_s=clock_s + offset * elapsed, age_s=np.abs(elapsed), healthy=health == 0.0)


def glonass_orbits(by_satellite: Mapping[str, Sequence[GlonassEphemeris]]) -> list[GlonassOrbit]:
    """Return the orbits of several satellites, carried on in one integration."""
    lists = [sorted(listed, key=lambda item: item.orbit_time_s) for listed in by_satellite.values()]
    nodes, first, made = _Nodes([item for listed in lists for item in listed]), 0, []
    for listed in lists:
        made.append(GlonassOrbit(listed, nodes, first))
        first += len(listed)
    return made


def _between(nodes: NDArray[np.float64], grid: _Grid, which: NDArray[np.intp], elapsed_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return places between the states of a grid, (n, 3): Hermite's cubic, within a tenth of a millimetre over half a minute."""
    at = np.clip(np.floor(elapsed_s / grid.step_s).astype(int), -grid.steps, grid.steps - 1)
    part = (elapsed_s / grid.step_s - at)[:, None]
    first, second = nodes[which, at + grid.steps], nodes[which, at + grid.steps + 1]
    slopes = grid.step_s * (first[:, 3:] * (1.0 - part) ** 2 * part - second[:, 3:] * part**2 * (1.0 - part))
    share = part**2 * (3.0 - 2.0 * part)
    return np.asarray(first[:, :3] * (1.0 - share) + second[:, :3] * share + slopes)


def _runge_kutta(
    change: Callable[[NDArray[np.float64]], NDArray[np.float64]], state: NDArray[np.float64], h: NDArray[np.float64]
) -> NDArray[np.float64]:
    first = change(state)
    second = change(state + 0.5 * h * first)
    third = change(state + 0.5 * h * second)
    fourth = change(state + h * third)
    return np.asarray(state + h / 6.0 * (first + 2.0 * second + 2.0 * third + fourth))


def _motion(state: NDArray[np.float64], pull_m_s2: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how states (6, n) change, in axes that turn with the Earth.  Source: GLONASS ICD 5.1, A.3.1.2."""
    x, y, z, speed_x, speed_y, _ = state
    squared = x * x + y * y + z * z
    cubed = squared * np.sqrt(squared)
    central = -PZ90_GM_M3_S2 / cubed
    flattening = -1.5 * PZ90_J2 * PZ90_GM_M3_S2 * PZ90_RADIUS_M**2 / (squared * cubed)
    polar = 5.0 * z * z / squared
    rotation = 2.0 * PZ90_ROTATION_RAD_S
    across = central + flattening * (1.0 - polar) + PZ90_ROTATION_RAD_S**2
    changed = np.empty_like(state)
    changed[:3] = state[3:]
    changed[3] = across * x + rotation * speed_y + pull_m_s2[0]
    changed[4] = across * y - rotation * speed_x + pull_m_s2[1]
    changed[5] = (central + flattening * (3.0 - polar)) * z + pull_m_s2[2]
    return changed
