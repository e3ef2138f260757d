"""Where orbits come from, the best first, and how old elements may be: for planning, never for a position."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from openstake.core.limits import PLANNING_HOLDS_S
from openstake.core.sky.broadcast import Orbit, OrbitStates

SourceName = Literal["precise", "broadcast", "mean", "nominal"]
# The best first.
SOURCES: tuple[SourceName, ...] = get_args(SourceName)
SOURCE_WORDS: dict[SourceName, str] = {
    "precise": "precise orbits",
    "broadcast": "broadcast ephemerides",
    "mean": "mean elements",
    "nominal": "nominal, to practise",
}


def source_words(sources: Collection[SourceName]) -> str:
    """Return what orbits are by, in words, the best first."""
    return ", ".join(SOURCE_WORDS[name] for name in SOURCES if name in sources)


@dataclass(frozen=True)
class PlannedOrbit:
    """One satellite by every source that knows it: at each moment by the best whose elements are not too old, of several by the youngest."""

    satellite: str
    sources: tuple[tuple[SourceName, tuple[Orbit, ...]], ...]

    def states(self, gps_s: NDArray[np.float64]) -> OrbitStates:
        """Return the satellite at moments, (n,): NaN where no source holds."""
        xyz, clock = np.full((len(gps_s), 3), np.nan), np.full(len(gps_s), np.nan)
        age, healthy = np.full(len(gps_s), np.nan), np.ones(len(gps_s), dtype=bool)
        for name, orbits in self.sources:
            unknown = np.isnan(xyz[:, 0])
            if not unknown.any():
                break
            found = _youngest([orbit.states(gps_s[unknown]) for orbit in orbits])
            held = found.age_s <= PLANNING_HOLDS_S.get(name, np.inf)
            xyz[unknown] = np.where(held[:, None], found.xyz_m, np.nan)
            clock[unknown], age[unknown], healthy[unknown] = found.clock_s, found.age_s, found.healthy
        return OrbitStates(xyz_m=xyz, clock_s=clock, age_s=age, healthy=healthy)


def _youngest(several: Sequence[OrbitStates]) -> OrbitStates:
    """Return of each moment the states by the youngest elements that know it."""
    if len(several) == 1:
        return several[0]
    ages = np.array([np.where(np.isnan(item.xyz_m[:, 0]), np.inf, item.age_s) for item in several])
    which, moments = np.argmin(ages, axis=0), np.arange(ages.shape[1])
    return OrbitStates(
        **{item.name: np.array([getattr(one, item.name) for one in several])[which, moments] for item in fields(OrbitStates)}
    )


def oldest_s(by_source: Mapping[SourceName, Sequence[Orbit]], gps_s: NDArray[np.float64]) -> dict[SourceName, float]:
    """Return by source the largest age of the elements that are young enough to be used, at both ends of the time, seconds."""
    found: dict[SourceName, float] = {}
    for name, orbits in by_source.items():
        ages = np.array([orbit.states(gps_s[[0, -1]]).age_s for orbit in orbits])
        found[name] = float(np.max(ages[ages <= PLANNING_HOLDS_S.get(name, np.inf)], initial=0.0))
    return found


def planned(by_source: Mapping[SourceName, Sequence[Orbit]]) -> list[PlannedOrbit]:
    """Return every satellite that a source knows, by name.

    Mean elements name GLONASS satellites by their numbers: where another source has them by their slots, they are those.
    """
    known: dict[str, dict[SourceName, list[Orbit]]] = {}
    for name in SOURCES:
        slots = name == "mean" and any(satellite[0] == "R" for satellite in known)
        for orbit in by_source.get(name, ()):
            if slots and orbit.satellite[0] == "R":
                continue
            known.setdefault(orbit.satellite, {}).setdefault(name, []).append(orbit)
    return [
        PlannedOrbit(satellite, tuple((name, tuple(orbits)) for name, orbits in sources.items()))
        for satellite, sources in sorted(known.items())
    ]
