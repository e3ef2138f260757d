"""The sky over a place, out of files: satellites, geometry, what a fix is expected to be worth, the best hours."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from itertools import chain
from pathlib import Path

import numpy as np

from openstake.core.budget import BudgetSettings
from openstake.core.constants import DAY_S
from openstake.core.errors import FileError, InputError
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.judge.finding import Finding
from openstake.core.judge.sky import judge_ages, judge_nominal, judge_unhealthy, judge_without_elements
from openstake.core.limits import MOST_SKY_MOMENTS
from openstake.core.sky.broadcast import LAST_S, Ephemeris, Orbit
from openstake.core.sky.constellations import nominal_orbits
from openstake.core.sky.expected import Directions, Dops, best_spans, directions_of, dops_of, expected_95, in_sight
from openstake.core.sky.glonass import GlonassEphemeris
from openstake.core.sky.skyline import NO_SKYLINE, Skyline
from openstake.core.sky.sources import SourceName, oldest_s, planned, source_words
from openstake.core.time_scales import gps_from_unix_s, utc_of_gps
from openstake.wire.elements import ElementKind, of_messages, orbits_by_source, read_elements
from openstake.wire.rtcm3.ephemeris import EPHEMERIS_NUMBERS, decode_ephemeris
from openstake.wire.rtcm3.frame import FrameReader
from openstake.workflow.captures import lines_of, pieces

Place = tuple[float, float, float]


@dataclass(frozen=True, kw_only=True)
class SkyFiles:
    """The files that orbits are taken from; `heard` are captures of a base's stream."""

    navigation: Sequence[Path] = ()
    heard: Sequence[Path] = ()
    precise: Sequence[Path] = ()
    mean_elements: Sequence[Path] = ()


@dataclass(frozen=True, kw_only=True)
class SkyQuestion:
    """A place (latitude and longitude in degrees, ellipsoidal metres), a time (UTC) and how long, the mask and the skyline there; `base` is
    the other end of a baseline, which sees its sky above the same mask."""

    place: Place
    begins: datetime
    hours: float
    step_s: float
    mask_deg: float
    skyline: Skyline
    base: Place | None = None


@dataclass(frozen=True, kw_only=True)
class SatelliteSeen:
    """A satellite above the mask: degrees, azimuth clockwise from true north; `hidden` by the skyline."""

    id: str
    azimuth_deg: float
    elevation_deg: float
    hidden: bool
    healthy: bool


@dataclass(frozen=True, kw_only=True)
class SkyEpoch:
    """The sky of a moment (UTC): its satellites, the geometry of those in common, and 95 % of a fix in metres; None where there is none."""

    time: str
    satellites: tuple[SatelliteSeen, ...]
    pdop: float | None
    hdop: float | None
    vdop: float | None
    expected_horizontal_95_m: float | None
    expected_vertical_95_m: float | None


@dataclass(frozen=True, kw_only=True)
class BestSpan:
    """A time with a good geometry, UTC, and its largest PDOP."""

    begins: str
    ends: str
    pdop: float


@dataclass(frozen=True, kw_only=True)
class ElementsUsed:
    """What the orbits are by, in words, how far the oldest elements used lie from their moment, and how many satellites they are of."""

    source: str
    oldest_age_s: float
    satellites: int


@dataclass(frozen=True, kw_only=True)
class SkyExpected:
    """The sky of some hours."""

    elements: ElementsUsed
    epochs: tuple[SkyEpoch, ...]
    best: tuple[BestSpan, ...]
    findings: tuple[Finding, ...]


def orbits_of(files: SkyFiles, near_gps_s: float) -> tuple[dict[SourceName, Sequence[Orbit]], list[Finding]]:
    """Return the orbits of files by their source, and what is to be said of the files; nominal ones where there is no file.

    What a capture holds says no year: it is taken as of about `near_gps_s`.
    """
    listed: tuple[tuple[ElementKind, Sequence[Path]], ...] = (
        ("navigation", files.navigation),
        ("precise", files.precise),
        ("mean", files.mean_elements),
    )
    parts = [read_elements(kind, lines_of(path), str(path)) for kind, paths in listed for path in paths]
    parts += [of_messages(_heard(path, near_gps_s)) for path in files.heard]
    by_source = orbits_by_source(parts)
    if not by_source:
        return {"nominal": nominal_orbits()}, judge_nominal()
    return by_source, [found for part in parts for found in part.findings]


def _heard(path: Path, near_gps_s: float) -> list[Ephemeris | GlonassEphemeris]:
    """Return the ephemerides in a capture of corrections; FileError where there is none of this time."""
    reader, found = FrameReader(), dict[tuple[str, float], Ephemeris | GlonassEphemeris]()
    for frame in chain(chain.from_iterable(map(reader.feed, pieces(path))), reader.close()):
        if frame.number in EPHEMERIS_NUMBERS:
            with suppress(ValueError):
                message = decode_ephemeris(frame.payload, near_gps_s)
                if message is not None:
                    found[message.satellite, message.orbit_time_s] = message
    if not found:
        raise FileError(f"{path} holds no ephemeris of that time (RTCM 1019, 1020, 1041, 1042, 1044, 1045 or 1046).")
    return list(found.values())


def sky_expected(files: SkyFiles, question: SkyQuestion) -> SkyExpected:
    """Return the sky over a place; InputError where what is asked cannot be answered."""
    gps_s = _moments(question)
    by_source, findings = orbits_of(files, float(gps_s[0]))
    orbits = planned(by_source)
    places = [ecef_from_geodetic(*place) for place in (question.place, *([question.base] if question.base else []))]
    here, *base = directions_of(orbits, places, gps_s)
    used = in_sight(here, question.mask_deg, question.skyline)
    for other in base:
        used &= in_sight(other, question.mask_deg, NO_SKYLINE)
    dops = dops_of(here, used)
    findings += judge_without_elements(here.without_elements)
    findings += judge_unhealthy(here.unhealthy_above(question.mask_deg))
    findings += judge_ages(oldest_s(by_source, gps_s))
    return SkyExpected(
        elements=ElementsUsed(
            source=source_words(by_source),
            oldest_age_s=float(here.age_s[np.isfinite(here.elevation_deg)].max(initial=0.0)),
            satellites=int(np.isfinite(here.elevation_deg).any(axis=1).sum()),
        ),
        epochs=_epochs(gps_s, here, dops, question, places),
        best=tuple(
            BestSpan(begins=_utc(gps_s[first]), ends=_utc(gps_s[last]), pdop=float(dops.pdop[first : last + 1].max()))
            for first, last in best_spans(dops, question.step_s)
        ),
        findings=tuple(findings),
    )


def _moments(question: SkyQuestion) -> np.ndarray:
    if question.begins.tzinfo is None:
        raise InputError("Say the time with its zone: 2024-01-10T00:00Z.", field="from")
    if not 0.0 < question.step_s <= DAY_S:
        raise InputError("A step is more than 0 and at most 86 400 s.", field="step")
    if not 0.0 <= question.hours <= (MOST_SKY_MOMENTS - 1) * question.step_s / 3600.0:
        raise InputError(f"At most {MOST_SKY_MOMENTS} moments are computed at once. Take fewer hours, or a longer step.", field="hours")
    if not -90.0 <= question.mask_deg <= 90.0:
        raise InputError("A mask lies between -90 and 90°.", field="mask")
    count = int(question.hours * 3600.0 / question.step_s + 1e-9) + 1
    start = gps_from_unix_s(question.begins.timestamp())
    if not 0.0 <= start < LAST_S:
        raise InputError("A time lies between 1980, when GPS time begins, and 2171.", field="from")
    return start + question.step_s * np.arange(count)


def _epochs(gps_s: np.ndarray, seen: Directions, dops: Dops, question: SkyQuestion, places: Sequence[np.ndarray]) -> tuple[SkyEpoch, ...]:
    expected = None
    if question.base is not None:
        expected = expected_95(dops, float(np.linalg.norm(places[0] - places[1])), BudgetSettings())
    above = seen.elevation_deg >= question.mask_deg
    hidden = question.skyline.hides(seen.azimuth_deg, seen.elevation_deg)
    return tuple(
        SkyEpoch(
            time=_utc(moment),
            satellites=tuple(
                SatelliteSeen(
                    id=seen.satellites[s],
                    azimuth_deg=round(float(seen.azimuth_deg[s, t]), 4),
                    elevation_deg=round(float(seen.elevation_deg[s, t]), 4),
                    hidden=bool(hidden[s, t]),
                    healthy=bool(seen.healthy[s, t]),
                )
                for s in np.flatnonzero(above[:, t])
            ),
            pdop=_known(dops.pdop[t]),
            hdop=_known(dops.hdop[t]),
            vdop=_known(dops.vdop[t]),
            expected_horizontal_95_m=None if expected is None else _known(expected.horizontal_m[t]),
            expected_vertical_95_m=None if expected is None else _known(expected.vertical_m[t]),
        )
        for t, moment in enumerate(gps_s)
    )


def _known(value: float) -> float | None:
    return float(value) if np.isfinite(value) else None


def _utc(gps_s: float) -> str:
    return f"{utc_of_gps(float(gps_s)):%Y-%m-%dT%H:%M:%SZ}"
