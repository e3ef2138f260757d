"""Elements of satellites, whatever brought them: files of every kind that is read here, and what was heard on the air."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal, get_args

from openstake.core.judge.finding import Finding
from openstake.core.judge.sky import judge_elements
from openstake.core.sky.broadcast import Ephemeris, KeplerOrbit, Orbit
from openstake.core.sky.glonass import GlonassEphemeris, glonass_orbits
from openstake.core.sky.sources import SOURCE_WORDS, SourceName
from openstake.wire.orbits import read_mean_elements, read_sp3
from openstake.wire.rinex.navigation import read_navigation

ElementKind = Literal["navigation", "precise", "mean"]
ELEMENT_KINDS: tuple[ElementKind, ...] = get_args(ElementKind)
ELEMENT_WORDS: Mapping[ElementKind, str] = {
    "navigation": SOURCE_WORDS["broadcast"],
    "precise": SOURCE_WORDS["precise"],
    "mean": SOURCE_WORDS["mean"],
}


@dataclass(frozen=True, kw_only=True)
class Elements:
    """Elements by satellite (`G05`) and source; Klobuchar's alpha and beta where they are said; what is to be said of the file."""

    kepler: Mapping[str, Sequence[Ephemeris]] = field(default_factory=dict)
    glonass: Mapping[str, Sequence[GlonassEphemeris]] = field(default_factory=dict)
    precise: tuple[Orbit, ...] = ()
    mean: tuple[Orbit, ...] = ()
    alpha: tuple[float, ...] | None = None
    beta: tuple[float, ...] | None = None
    findings: tuple[Finding, ...] = ()

    @property
    def satellites(self) -> frozenset[str]:
        return frozenset((*self.kepler, *self.glonass, *(orbit.satellite for orbit in (*self.precise, *self.mean))))


def read_elements(kind: ElementKind, lines: Iterable[str], name: str) -> Elements:
    """Return the elements of a file; FileError with a sentence where it is none of its kind."""
    if kind == "precise":
        return Elements(precise=tuple(read_sp3(lines, name)))
    if kind == "mean":
        return Elements(mean=tuple(read_mean_elements("\n".join(lines), name).orbits))
    read = read_navigation(lines, name)
    return Elements(
        kepler=read.ephemerides,
        glonass=read.glonass,
        alpha=read.alpha,
        beta=read.beta,
        findings=tuple(judge_elements(read.impossible, read.leap_seconds, read.leap_seconds_then)),
    )


def kind_of(first_line: str) -> ElementKind:
    """Return what a file of elements is by its first line; mean elements have no mark of their own."""
    if first_line[:2] in ("#c", "#d", "#a", "#b"):
        return "precise"
    return "navigation" if "RINEX VERSION" in first_line else "mean"


def of_messages(messages: Iterable[Ephemeris | GlonassEphemeris]) -> Elements:
    """Return the elements of messages that were heard."""
    kepler: dict[str, list[Ephemeris]] = {}
    glonass: dict[str, list[GlonassEphemeris]] = {}
    for message in messages:
        if isinstance(message, GlonassEphemeris):
            glonass.setdefault(message.satellite, []).append(message)
        else:
            kepler.setdefault(message.satellite, []).append(message)
    return Elements(kepler=kepler, glonass=glonass)


def orbits_by_source(parts: Sequence[Elements]) -> dict[SourceName, Sequence[Orbit]]:
    """Return the orbits of all elements by their source; empty where there are none."""
    kepler: dict[str, list[Ephemeris]] = {}
    glonass: dict[str, list[GlonassEphemeris]] = {}
    for part in parts:
        for satellite, listed in part.kepler.items():
            kepler.setdefault(satellite, []).extend(listed)
        for satellite, states in part.glonass.items():
            glonass.setdefault(satellite, []).extend(states)
    found: dict[SourceName, Sequence[Orbit]] = {
        "precise": [orbit for part in parts for orbit in part.precise],
        "broadcast": [*map(KeplerOrbit, kepler.values()), *glonass_orbits(glonass)],
        "mean": [orbit for part in parts for orbit in part.mean],
    }
    return {name: orbits for name, orbits in found.items() if orbits}
