"""Shots: how long each kind lasts, within which limits an epoch is taken, and what holds one back.

Kinds: *quick* (one epoch, to stake), *topo* (3 to 5 s), *control* (30 to 180 s), *track* (one epoch every so many seconds
or metres, while walking).  Source: common practice, no source.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from statistics import median
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.constants import DAY_S
from openstake.core.describe import described, one_line
from openstake.core.errors import InputError
from openstake.core.evidence import Epoch, Status
from openstake.core.limits import LEAST_GAP_S, LONGEST_SHOT_S, NAME_LENGTH, OLD_AGE_S, OUTLIER_FLOOR_M
from openstake.core.series import outliers
from openstake.core.sigmas import horizontal_95_m, vertical_95_m
from openstake.core.units import text_from_metres, text_from_seconds

KindName = Literal["quick", "topo", "control", "track"]
KIND_NAMES: tuple[KindName, ...] = ("quick", "topo", "control", "track")


@dataclass(frozen=True, kw_only=True)
class ShotKind:
    """How one kind of shot is taken; a limit that is None does not hold anything back."""

    name: str = described("Kind", "choice", options=KIND_NAMES)
    seconds: float = described("Seconds", "number", unit="s", least=0.0, most=LONGEST_SHOT_S, default=0.0, hint="0: one epoch.")
    every_s: float | None = described("A point every", "number", unit="s", optional=True, least=0.2, most=3600.0)
    every_m: float | None = described("or every", "length", optional=True, least=0.05, most=1000.0)
    most_age_s: float | None = described("Age at most", "number", unit="s", optional=True, least=0.5, most=60.0)
    most_pdop: float | None = described("PDOP limit", "number", optional=True, least=1.0, most=50.0)
    most_horizontal_95_m: float | None = described("95 % horizontal, most", "length", optional=True, least=0.002, most=10.0)
    most_vertical_95_m: float | None = described("95 % height, most", "length", optional=True, least=0.002, most=20.0)
    fewest_satellites: int | None = described("Satellites at least", "count", optional=True, least=4, most=60)
    least_elevation_deg: float | None = described(
        "Elevation limit", "number", unit="°", optional=True, least=0.0, most=60.0, hint="Of the lowest satellite used, as GSV and GSA say."
    )
    tilt_off: bool = described("Tilt must be off", "flag", default=False, hint="NMEA does not carry it: you say so.")

    @property
    def is_track(self) -> bool:
        """Whether it takes point after point until it is ended."""
        return self.name == "track"


@dataclass(frozen=True)
class Code:
    """A code of the crew's own list."""

    code: str = described("Code", "text")
    words: str = described("In words", "text", default="")


USUAL_KINDS: tuple[ShotKind, ...] = (
    ShotKind(name="quick", seconds=0.0, most_age_s=OLD_AGE_S),
    ShotKind(
        name="topo", seconds=4.0, most_age_s=5.0, most_pdop=4.0, most_horizontal_95_m=0.05, most_vertical_95_m=0.08, fewest_satellites=6
    ),
    ShotKind(
        name="control",
        seconds=60.0,
        most_age_s=3.0,
        most_pdop=3.0,
        most_horizontal_95_m=0.03,
        most_vertical_95_m=0.05,
        fewest_satellites=8,
        tilt_off=True,
    ),
    ShotKind(name="track", every_s=None, every_m=5.0, most_age_s=5.0, most_pdop=6.0),
)
USUAL_CODES: tuple[Code, ...] = (
    Code("GL", "ground level"),
    Code("EB", "edge of bank, top"),
    Code("TB", "toe of bank"),
    Code("FL", "fence line"),
    Code("WL", "water level"),
    Code("KB", "kerb"),
    Code("TR", "tree"),
    Code("MH", "manhole"),
)


@dataclass(frozen=True)
class ShotSettings:
    """How a job's shots are taken: its kinds and its codes."""

    kinds: tuple[ShotKind, ...] = described("Kinds of shot", "table", default=USUAL_KINDS)
    codes: tuple[Code, ...] = described("Codes", "table", default=USUAL_CODES)

    def kind(self, name: str) -> ShotKind:
        """Return a kind by its name; InputError where there is none."""
        found = next((item for item in self.kinds if item.name == name), None)
        if found is None:
            raise InputError(f"'{name[:20]}' is not a kind of shot: {', '.join(KIND_NAMES)}.", field="kind")
        return found


def checked_settings(settings: ShotSettings) -> ShotSettings:
    """Return settings that can be used: each kind once, a track with its step, each code once."""
    names = [item.name for item in settings.kinds]
    missing = [name for name in KIND_NAMES if names.count(name) != 1]
    if missing:
        raise InputError(f"Each kind of shot stands in the list once; look at {missing[0]}.", field="kinds")
    for place, item in enumerate(settings.kinds):
        if item.is_track and item.every_s is None and item.every_m is None:
            raise InputError(
                "A track takes a point every so many seconds, or every so many metres: give one.", field=f"kinds.{place}.every_s"
            )
    codes = [item.code for item in settings.codes]
    twice = next((code for code in codes if codes.count(code) > 1), None)
    if twice is not None:
        raise InputError(f"The code {twice} stands in the list twice.", field="codes")
    return settings


def not_within(epoch: Epoch, kind: ShotKind, fixed_only: bool, unit: str = "m", lowest_used_deg: float | None = None) -> str:
    """Return why an epoch is not taken, as the end of `waiting for ...`; empty where it is.

    `lowest_used_deg` is the elevation of the lowest satellite in the solution, None where the receiver does not say it.
    """
    if epoch.latitude_deg is None:
        return "a position"
    if epoch.height_m is None:
        return "a height: GGA comes without a geoid separation"
    if fixed_only and epoch.status is not Status.FIXED:
        return f"a fixed solution (now {epoch.status})"
    return next((item.beyond(unit) for item in _limits(epoch, kind, lowest_used_deg) if item.is_beyond), "")


def longest_gap_s(times_of_day_s: Sequence[float | None]) -> float:
    """Return the longest silence between epochs of one shot, seconds; 0 where none is longer than their rhythm allows.

    A step of twice the usual one is an epoch that was lost on the way; a silence is longer than that, and than a few seconds.
    """
    known = [time for time in times_of_day_s if time is not None]
    # A clock that goes back gives a step of nearly a day here: that is no silence.
    steps = [step for step in ((later - earlier) % DAY_S for earlier, later in pairwise(known)) if step < DAY_S / 2.0]
    if not steps:
        return 0.0
    longest = max(steps)
    return longest if longest > max(LEAST_GAP_S, 2.5 * median(steps)) else 0.0


def gap_words(gap_s: float) -> str:
    """Return a silence within a shot as a part of a sentence, empty where there was none."""
    return f" with a silence of {text_from_seconds(gap_s)}" if gap_s else ""


def unreported(epoch: Epoch, kind: ShotKind, lowest_used_deg: float | None = None) -> str:
    """Say which limits of a kind hold nothing back because the receiver does not report what they limit; empty where none."""
    names = [item.name for item in _limits(epoch, kind, lowest_used_deg) if item.limit is not None and item.value is None]
    return f"Not reported, so not held to its limit: {', '.join(names)}." if names else ""


@dataclass(frozen=True, kw_only=True)
class _Limit:
    """A limit of a kind beside the value of an epoch; `least`: what is below is beyond it."""

    name: str
    value: float | None
    limit: float | None
    form: str
    least: bool = False

    @property
    def is_beyond(self) -> bool:
        if self.value is None or self.limit is None:
            return False
        return self.value < self.limit if self.least else self.value > self.limit

    def beyond(self, unit: str) -> str:
        assert self.value is not None and self.limit is not None, "it is beyond"
        limit, now = (self._said(number, unit) for number in (self.limit, self.value))
        return f"at least {limit} {self.name} (now {now})" if self.least else f"{self.name} of at most {limit} (now {now})"

    def _said(self, number: float, unit: str) -> str:
        return text_from_metres(number, unit) if self.form == "length" else self.form.format(number)


def _limits(epoch: Epoch, kind: ShotKind, lowest_used_deg: float | None) -> tuple[_Limit, ...]:
    claim = epoch.claim
    flat = None if claim is None else horizontal_95_m(claim.east_m, claim.north_m, claim.covariance_en_m2)
    up = None if claim is None else vertical_95_m(claim.up_m)
    return (
        _Limit(name="an age", value=epoch.age_s, limit=kind.most_age_s, form="{:.1f} s"),
        _Limit(name="a PDOP", value=epoch.pdop, limit=kind.most_pdop, form="{:.1f}"),
        _Limit(name="a horizontal 95 %", value=flat, limit=kind.most_horizontal_95_m, form="length"),
        _Limit(name="a height 95 %", value=up, limit=kind.most_vertical_95_m, form="length"),
        _Limit(name="satellites", value=epoch.satellites, limit=kind.fewest_satellites, form="{:.0f}", least=True),
        _Limit(
            name="elevation of the lowest satellite used", value=lowest_used_deg, limit=kind.least_elevation_deg, form="{:.0f}°", least=True
        ),
    )


def kept_epochs(enu_m: ArrayLike) -> NDArray[np.bool_]:
    """Return which epochs of a shot are averaged, shape (n,), from their east, north, up (n, 3): outliers are left out.

    An outlier lies six robust sigmas from the median, at least 30 mm; the half of the epochs always stays.
    """
    enu = np.asarray(enu_m, dtype=float)
    if len(enu) < 5:
        return np.ones(len(enu), dtype=bool)
    out = np.zeros(len(enu), dtype=bool)
    for part in range(3):
        out |= outliers(enu[:, part], OUTLIER_FLOOR_M)
    return ~out if out.sum() * 2 < len(enu) else np.ones(len(enu), dtype=bool)


def moved_enough(kind: ShotKind, seconds: float, metres: float) -> bool:
    """Tell whether a track takes its next point: so long after the last one, or so far from it."""
    return (kind.every_s is not None and seconds >= kind.every_s - 1e-3) or (kind.every_m is not None and metres >= kind.every_m)


_COUNTED = re.compile(r"(.*?)(\d*)$", re.DOTALL)


def next_name(name: str, is_taken: Callable[[str], bool]) -> str:
    """Return a name, or the next one that counts up from it and is not taken: P9 gives P10, A07 gives A08, TOP gives TOP1."""
    while is_taken(name):
        match = _COUNTED.match(name)
        stem, digits = (match[1], match[2]) if match else (name, "")
        name = f"{stem}{int(digits or 0) + 1:0{len(digits)}d}"
    return name


def checked_name(name: str, field: str = "name") -> str:
    """Return a point's name without the blanks around it; InputError where it is none."""
    text = one_line(name, "A name", field)
    if not text:
        raise InputError("A point has a name.", field=field)
    if len(text) > NAME_LENGTH:
        raise InputError(f"A name is one line of at most {NAME_LENGTH} characters.", field=field)
    return text


def with_seconds(kind: ShotKind, seconds: float) -> ShotKind:
    """Return a kind that lasts as long as was asked."""
    if not 0.0 <= seconds <= LONGEST_SHOT_S:
        raise InputError(f"A shot lasts up to {LONGEST_SHOT_S:.0f} s; {seconds:g} s was asked.", field="seconds")
    return replace(kind, seconds=seconds)
