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

_STEP_S, _STEPS, _FAR_STEP_S = 30.0, 60, 300.0
_NEAR_S = _STEP_S * _STEPS
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


class _Nodes:
    """States of messages every half minute from half an hour before each to half an hour after: made once for all of them."""

    def __init__(self, listed: Sequence[GlonassEphemeris]) -> None:
        self.states = np.array([(*item.position_m, *item.velocity_m_s) for item in listed]).reshape(-1, 6)
        self._pulls = np.array([item.acceleration_m_s2 for item in listed]).reshape(-1, 3)

    @cached_property
    def table(self) -> NDArray[np.float64]:
        """The states, (messages, 121, 6)."""
        step = np.repeat([[_STEP_S], [-_STEP_S]], len(self.states), axis=0)
        pulls = np.concatenate([self._pulls, self._pulls])
        found = [np.concatenate([self.states, self.states])]
        for _ in range(_STEPS):
            found.append(_runge_kutta(lambda state: _motion(state, pulls), found[-1], step))
        after, before = np.split(np.stack(found, axis=1), 2)
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
        near, held = np.abs(elapsed) <= _NEAR_S, np.abs(elapsed) <= GLONASS_CARRIED_S
        if near.any():
            xyz[near] = _between(self._nodes.table, self._first + which[near], elapsed[near])
        for message in np.unique(which[held & ~near]):
            far = held & ~near & (which == message)
            xyz[far] = _carried_far(self._nodes.states[self._first + message], elapsed[far])
        return OrbitStates(xyz_m=xyz, clock_s=clock_s + offset * elapsed, age_s=np.abs(elapsed), healthy=health == 0.0)


def glonass_orbits(by_satellite: Mapping[str, Sequence[GlonassEphemeris]]) -> list[GlonassOrbit]:
    """Return the orbits of several satellites, carried on in one integration."""
    lists = [sorted(listed, key=lambda item: item.orbit_time_s) for listed in by_satellite.values()]
    nodes, first, made = _Nodes([item for listed in lists for item in listed]), 0, []
    for listed in lists:
        made.append(GlonassOrbit(listed, nodes, first))
        first += len(listed)
    return made


def _between(nodes: NDArray[np.float64], which: NDArray[np.intp], elapsed_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return places between states half a minute apart, (n, 3): Hermite's cubic, within a tenth of a millimetre."""
    at = np.clip(np.floor(elapsed_s / _STEP_S).astype(int), -_STEPS, _STEPS - 1)
    part = (elapsed_s / _STEP_S - at)[:, None]
    first, second = nodes[which, at + _STEPS], nodes[which, at + _STEPS + 1]
    slopes = _STEP_S * (first[:, 3:] * (1.0 - part) ** 2 * part - second[:, 3:] * part**2 * (1.0 - part))
    share = part**2 * (3.0 - 2.0 * part)
    return np.asarray(first[:, :3] * (1.0 - share) + second[:, :3] * share + slopes)


def _carried_far(state: NDArray[np.float64], elapsed_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return places, (n, 3), at moments far from a state, (6,), in order of their distance from it: for planning."""
    order = np.argsort(np.abs(elapsed_s))
    found = np.empty((len(elapsed_s), 3))
    for sign in (1.0, -1.0):
        present, reached = state[None, :], 0.0
        for place in order[sign * elapsed_s[order] > 0.0]:
            steps = max(int(np.ceil(abs(elapsed_s[place] - reached) / _FAR_STEP_S)), 1)
            step = np.array([[(elapsed_s[place] - reached) / steps]])
            for _ in range(steps):
                present = _runge_kutta(lambda one: _motion(one, np.zeros((1, 3))), present, step)
            reached = elapsed_s[place]
            found[place] = present[0, :3]
    return found


def _runge_kutta(
    change: Callable[[NDArray[np.float64]], NDArray[np.float64]], state: NDArray[np.float64], h: NDArray[np.float64]
) -> NDArray[np.float64]:
    first = change(state)
    second = change(state + 0.5 * h * first)
    third = change(state + 0.5 * h * second)
    fourth = change(state + h * third)
    return np.asarray(state + h / 6.0 * (first + 2.0 * second + 2.0 * third + fourth))


def _motion(state: NDArray[np.float64], pull_m_s2: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how states (n, 6) change, in axes that turn with the Earth.  Source: GLONASS ICD 5.1, A.3.1.2."""
    place, speed = state[:, :3], state[:, 3:]
    squared = np.einsum("ij,ij->i", place, place)
    distance = np.sqrt(squared)
    central = -PZ90_GM_M3_S2 / (squared * distance)
    flattening = -1.5 * PZ90_J2 * PZ90_GM_M3_S2 * PZ90_RADIUS_M**2 / (squared**2 * distance)
    polar = 5.0 * place[:, 2] ** 2 / squared
    turning, rotation = PZ90_ROTATION_RAD_S**2, 2.0 * PZ90_ROTATION_RAD_S
    across = central + flattening * (1.0 - polar)
    changed = np.empty_like(state)
    changed[:, :3] = speed
    changed[:, 3] = (across + turning) * place[:, 0] + rotation * speed[:, 1] + pull_m_s2[:, 0]
    changed[:, 4] = (across + turning) * place[:, 1] - rotation * speed[:, 0] + pull_m_s2[:, 1]
    changed[:, 5] = (central + flattening * (3.0 - polar)) * place[:, 2] + pull_m_s2[:, 2]
    return changed
