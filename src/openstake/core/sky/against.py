"""The sky that is expected at a base and a rover held against what is sent, heard and used: every satellite that is missing has a cause.

What is expected: above the mask and the skyline of each end, healthy, of a constellation that both ends use.  What stands within a degree
of a mask or a skyline may be seen or not, and counts neither way.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from math import ceil
from typing import Literal

from openstake.core.evidence import InView
from openstake.core.limits import SKY_EDGE_DEG, SKY_SEEN_SHARE
from openstake.core.observation import CONSTELLATION_NAMES
from openstake.core.sky.skyline import NO_SKYLINE, Skyline
from openstake.core.units import counted

Standing = Literal["expected", "edge", "mask", "skyline", "health", "profile"]
Cause = Literal["", "edge", "mask", "skyline", "health", "profile", "not sent", "not heard", "not used"]
# Numbers by constellation; None where they are sent in messages whose satellites are not read (1001 to 1004, 1009 to 1012).
Sent = Mapping[str, Collection[int] | None]
_NAME_LETTERS = 3  # of `G05`; `R720` is a number of the catalogue
_LISTED = 8  # satellites named in a sentence


@dataclass(frozen=True, kw_only=True)
class SkyEnd:
    """What one end can see of the sky: its mask in degrees, its skyline, the letters of the constellations that it uses."""

    mask_deg: float
    skyline: Skyline = NO_SKYLINE
    constellations: frozenset[str] = frozenset(CONSTELLATION_NAMES)


@dataclass(frozen=True, kw_only=True)
class Overhead:
    """A satellite above the horizon, by its elements (`G05`): degrees, at one end."""

    satellite: str
    azimuth_deg: float
    elevation_deg: float
    healthy: bool = True


@dataclass(frozen=True, kw_only=True)
class SatelliteAgainst:
    """A satellite as it is expected and as it is seen; degrees at the rover.

    `sent`: by the base, None where that is not heard; `heard` and `used` by the rover, None where the rover is not heard.
    `is_odd`: it is not as it is expected.  `cause` says why it is not used: what is expected of it, or what is missing; `defies` what should hide it while it is seen, `unexpected` in words.
    """

    satellite: str
    constellation: str
    azimuth_deg: float
    elevation_deg: float
    expected: bool
    is_odd: bool
    sent: bool | None
    heard: bool | None
    used: bool | None
    cause: Cause
    words: str
    defies: Literal["", "mask", "skyline"]
    unexpected: str


@dataclass(frozen=True, kw_only=True)
class SkyUnder:
    """What an expected sky rested on: the marks of both ends, their skylines, masks and constellations."""

    base_mark_id: str
    rover_mark_id: str
    base_skyline: Skyline
    rover_skyline: Skyline
    base_mask_deg: float
    rover_mask_deg: float
    constellations: str


@dataclass(frozen=True, kw_only=True)
class SkyCompared:
    """An expected sky held against what was seen: how many were expected at both ends and how many of those were used.

    `missing` and `unexpected` are satellites; `words` say it in one line.
    """

    expected: int
    used: int
    missing: tuple[str, ...]
    unexpected: tuple[str, ...]
    agrees: bool
    words: str
    under: SkyUnder


def standing_of(seen: Overhead, end: SkyEnd) -> Standing:
    """Return what is to be expected of a satellite at one end."""
    if seen.satellite[0] not in end.constellations:
        return "profile"
    if not seen.healthy:
        return "health"
    above_mask = seen.elevation_deg - end.mask_deg
    if above_mask < -SKY_EDGE_DEG:
        return "mask"
    # A line rises and falls beside it too: what stands a degree to either side counts.
    around = [end.skyline.elevation_deg(seen.azimuth_deg + turned) for turned in (-SKY_EDGE_DEG, 0.0, SKY_EDGE_DEG)]
    above_line = [seen.elevation_deg - float(height) for height in around] if end.skyline.azimuths_deg else [90.0]
    if max(above_line) < -SKY_EDGE_DEG:
        return "skyline"
    return "edge" if min(above_mask, *above_line) < SKY_EDGE_DEG else "expected"


_WORDS: Mapping[Cause, str] = {
    "": "",
    "edge": "at the edge of the mask or the skyline",
    "mask": "below the mask",
    "skyline": "behind the skyline",
    "health": "not healthy by its own word",
    "profile": "of a constellation that one end does not use",
    "not sent": "not sent: something hides it from the base that its skyline does not have",
    "not heard": "not heard: something hides it from the rover that its skyline does not have",
    "not used": "heard and not used",
}


def against(
    at_base: Sequence[Overhead],
    at_rover: Sequence[Overhead],
    ends: tuple[SkyEnd, SkyEnd],
    sent: Sent | None,
    in_view: Sequence[InView] | None,
) -> tuple[SatelliteAgainst, ...]:
    """Return every satellite above the rover's horizon as it is expected and as it is seen, the highest first.

    `ends` are base and rover; `sent` None: the base is not heard; `in_view` what the rover lists, None where it is not heard.  Satellites
    whose number in their constellation is not known (GLONASS by mean elements) are left out.
    """
    from_base = {item.satellite: item for item in at_base}
    listed = {} if in_view is None else {item.key: item for item in in_view}
    found = [
        _one(item, from_base.get(item.satellite), ends, sent, None if in_view is None else listed)
        for item in at_rover
        if item.elevation_deg >= 0.0 and len(item.satellite) == _NAME_LETTERS
    ]
    return tuple(sorted(found, key=lambda item: -item.elevation_deg))


def _one(
    rover: Overhead, base: Overhead | None, ends: tuple[SkyEnd, SkyEnd], sent: Sent | None, listed: Mapping[tuple[str, int], InView] | None
) -> SatelliteAgainst:
    name, number = CONSTELLATION_NAMES[rover.satellite[0]], int(rover.satellite[1:])
    standings = (standing_of(base or rover, ends[0]), standing_of(rover, ends[1]))
    numbers = None if sent is None else sent.get(name, ())
    is_sent = None if numbers is None else number in numbers
    item = None if listed is None else listed.get((name, number))
    heard = None if listed is None else item is not None and item.cnr_dbhz is not None
    used = None if listed is None else bool(heard and item is not None and item.used is not False)
    cause = _cause(standings, is_sent, heard, used)
    expected = standings == ("expected", "expected")
    defies, unexpected = _unexpected(standings, is_sent, used)
    return SatelliteAgainst(
        satellite=rover.satellite,
        constellation=name,
        azimuth_deg=round(rover.azimuth_deg, 1),
        elevation_deg=round(rover.elevation_deg, 1),
        expected=expected,
        is_odd=bool(unexpected) or (expected and cause != ""),
        sent=is_sent,
        heard=heard,
        used=used,
        cause=cause,
        words=_words(standings, cause),
        defies=defies,
        unexpected=unexpected,
    )


def _cause(standings: tuple[Standing, Standing], sent: bool | None, heard: bool | None, used: bool | None) -> Cause:
    hidden = next((item for item in standings if item != "expected" and item != "edge"), None)
    if used and sent is not False:
        return ""
    if hidden is not None:
        return hidden
    if "edge" in standings:
        return "edge"
    if sent is False:
        return "not sent"
    if heard is False:
        return "not heard"
    return "not used" if used is False else ""


def _words(standings: tuple[Standing, Standing], cause: Cause) -> str:
    words = _WORDS[cause]
    if cause in ("mask", "skyline"):
        ends = [end for end, standing in zip(("the base", "the rover"), standings, strict=True) if standing == cause]
        words += f" of {' and '.join(ends)}"
    return words


def _unexpected(standings: tuple[Standing, Standing], sent: bool | None, used: bool | None) -> tuple[Literal["", "mask", "skyline"], str]:
    """Return what should hide a satellite that is seen, and in words: the skyline is too high there, or the mask is not kept."""
    for end, verb, standing, seen in (("base", "sent", standings[0], sent), ("rover", "used", standings[1], used)):
        if seen and (standing == "mask" or standing == "skyline"):
            return standing, f"{verb}, though {_WORDS[standing]} of the {end}"
    return "", ""


def compared(satellites: Sequence[SatelliteAgainst], under: SkyUnder) -> SkyCompared:
    """Return what comes of holding an expected sky against what is seen: it agrees where four in five of the expected are used, and no more
    than one in five is seen through a skyline.  A mask that is not kept is told by itself, and hides nothing."""
    expected = [item for item in satellites if item.expected]
    used = [item for item in expected if item.used and item.sent is not False]
    missing = tuple(item.satellite for item in expected if item not in used)
    unexpected = tuple(item.satellite for item in satellites if item.defies == "skyline")
    enough = len(used) >= ceil(SKY_SEEN_SHARE * len(expected)) and len(used) > 0
    agrees = enough and len(unexpected) <= (1.0 - SKY_SEEN_SHARE) * len(satellites)
    words = f"{len(used)} of {counted(len(expected), 'satellite')} expected at both ends are sent and used"
    causes = Counter(item.cause for item in expected if item.satellite in missing)
    if causes:
        words += "; " + ", ".join(f"{count} {cause}" for cause, count in causes.most_common())
    if unexpected:
        words += f"; seen through a skyline: {named(unexpected)}"
    return SkyCompared(
        expected=len(expected), used=len(used), missing=missing, unexpected=unexpected, agrees=agrees, words=f"{words}.", under=under
    )


def named(satellites: Sequence[str]) -> str:
    """Return satellites as a sentence names them, the first few."""
    more = len(satellites) - _LISTED
    return ", ".join(satellites[:_LISTED]) + (f" and {more} more" if more > 0 else "")


def under_of(ends: tuple[SkyEnd, SkyEnd], base_mark_id: str, rover_mark_id: str) -> SkyUnder:
    """Return what an expected sky rests on."""
    base, rover = ends
    return SkyUnder(
        base_mark_id=base_mark_id,
        rover_mark_id=rover_mark_id,
        base_skyline=base.skyline,
        rover_skyline=rover.skyline,
        base_mask_deg=base.mask_deg,
        rover_mask_deg=rover.mask_deg,
        constellations="".join(sorted(base.constellations & rover.constellations)),
    )
