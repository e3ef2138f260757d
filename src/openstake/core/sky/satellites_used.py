"""Which satellites a rover uses of those that it lists and that the base sends, and why not the others."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from openstake.core.evidence import InView
from openstake.core.limits import WEAK_DBHZ

Use = Literal["used", "not used", "no signal"]


@dataclass(frozen=True, kw_only=True)
class SatelliteUse:
    """A satellite in the rover's sky: degrees, C/N0 in dB-Hz; `sent`: by the base (None where the base is not heard).

    `why` says why it is not used; empty where it is.
    """

    constellation: str
    number: int
    azimuth_deg: float
    elevation_deg: float
    cnr_dbhz: float | None
    use: Use
    sent: bool | None
    why: str


@dataclass(frozen=True, kw_only=True)
class ConstellationUse:
    """How many satellites of a constellation the rover uses and hears; `sent` by the base, None where it is not heard."""

    constellation: str
    used: int
    sent: int | None
    heard: int


@dataclass(frozen=True)
class WhyNot:
    """Why satellites are not used, and how many."""

    count: int
    why: str


@dataclass(frozen=True, kw_only=True)
class SkyUse:
    """The sky of a rover beside what its base sends.  `unseen` are sent and not listed by the rover, by constellation.

    `reasons` why satellites are not used come the commonest first.
    """

    satellites: tuple[SatelliteUse, ...]
    constellations: tuple[ConstellationUse, ...]
    reasons: tuple[WhyNot, ...]
    used: int
    sent_not_used: int
    not_sent: int
    unseen: dict[str, tuple[int, ...]]


def lowest_used_deg(in_view: Iterable[InView]) -> float | None:
    """Return the elevation of the lowest satellite that a receiver uses; None where it does not say which it uses."""
    return min((item.elevation_deg for item in in_view if item.used), default=None)


def sky_use(
    in_view: Sequence[InView], sent: Mapping[str, Collection[int]] | None, mask_deg: float, constellations: Collection[str] | None
) -> SkyUse:
    """Return a rover's sky beside what the base sends: numbers by constellation, None where it is not heard.

    `mask_deg` and `constellations` are those of the rover's profile; None where it has none.
    """
    found = tuple(
        _use_of(item, None if sent is None else item.number in sent.get(item.constellation, ()), mask_deg, constellations)
        for item in sorted(in_view, key=lambda item: item.key)
    )
    listed: dict[str, set[int]] = {}
    for item in in_view:
        listed.setdefault(item.constellation, set()).add(item.number)
    unseen = {
        name: tuple(sorted(set(numbers) - listed.get(name, set())))
        for name, numbers in (sent or {}).items()
        if set(numbers) - listed.get(name, set())
    }
    return SkyUse(
        satellites=found,
        constellations=tuple(
            _of_constellation(name, found, sent is not None) for name in dict.fromkeys(item.constellation for item in found)
        ),
        reasons=tuple(WhyNot(count, why) for why, count in Counter(item.why for item in found if item.why).most_common()),
        used=sum(item.use == "used" for item in found),
        sent_not_used=sum(bool(item.sent) and item.use != "used" for item in found),
        not_sent=sum(item.sent is False for item in found),
        unseen=unseen,
    )


def _of_constellation(name: str, found: Sequence[SatelliteUse], base_is_heard: bool) -> ConstellationUse:
    mine = [item for item in found if item.constellation == name]
    return ConstellationUse(
        constellation=name,
        used=sum(item.use == "used" for item in mine),
        sent=sum(bool(item.sent) for item in mine) if base_is_heard else None,
        heard=sum(item.cnr_dbhz is not None for item in mine),
    )


def _use_of(item: InView, sent: bool | None, mask_deg: float, constellations: Collection[str] | None) -> SatelliteUse:
    use: Use = "used" if item.used else "no signal" if item.cnr_dbhz is None else "not used"
    why = "" if use == "used" else _why_not(item, sent, mask_deg, constellations)
    return SatelliteUse(
        constellation=item.constellation,
        number=item.number,
        azimuth_deg=item.azimuth_deg,
        elevation_deg=item.elevation_deg,
        cnr_dbhz=item.cnr_dbhz,
        use=use,
        sent=sent,
        why=why,
    )


def _why_not(item: InView, sent: bool | None, mask_deg: float, constellations: Collection[str] | None) -> str:
    if constellations is not None and item.constellation not in constellations:
        return f"{item.constellation} is not in the rover's profile"
    if item.elevation_deg < mask_deg:
        return f"below the mask of {mask_deg:g}°"
    if item.cnr_dbhz is None:
        return "no signal: something hides it"
    if sent is False:
        return "not sent by the base"
    if item.cnr_dbhz < WEAK_DBHZ:
        return f"weak: {item.cnr_dbhz:.0f} dB-Hz"
    if item.used is None:
        return "the receiver does not say what it uses"
    return "the receiver does not say why"
