"""From what the tape or rod shows to the height of the antenna reference point (ARP)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import InputError
from openstake.core.limits import HIGHEST_ANTENNA_M, ONE_LOOK_S


@dataclass(frozen=True, kw_only=True)
class MeasuredTo:
    """A feature that a height is measured to, or a rod that gives it.  `feature_to_arp_m`: how far the ARP lies above it."""

    name: str
    label: str
    method: str  # vertical, slant or rod
    rim_radius_m: float = 0.0
    feature_to_arp_m: float = 0.0
    hint: str = ""
    fixed_height_m: float | None = None  # of a rod

    @property
    def in_a_sentence(self) -> str:
        """The label as it stands in the middle of a sentence."""
        return self.label[:1].lower() + self.label[1:]


def arp_height_from_slant(slant_m: ArrayLike, rim_radius_m: float, feature_to_arp_m: float = 0.0) -> NDArray[np.float64]:
    """Return the vertical height of the antenna reference point above the mark, in metres.

    `slant_m` is the tape from the mark to the antenna's rim, `rim_radius_m` the rim's horizontal
    distance from the antenna's axis, `feature_to_arp_m` how far the ARP lies above the rim
    (negative if below).  A tape shorter than the radius cannot be: NaN.

    Formula: right triangle mark - axis - rim.
    """
    slant = np.asarray(slant_m, dtype=float)
    # (s - r)(s + r) and not s² - r²: no cancellation on a very low tripod.
    squared = (slant - rim_radius_m) * (slant + rim_radius_m)
    return np.sqrt(np.where(squared >= 0.0, squared, np.nan)) + feature_to_arp_m


def arp_heights_m(reading_m: ArrayLike, to: MeasuredTo) -> NDArray[np.float64]:
    """Return the ARP heights above the mark of readings to one feature, in metres; NaN where a slant cannot be."""
    if to.method == "slant":
        return arp_height_from_slant(reading_m, to.rim_radius_m, to.feature_to_arp_m)
    return np.asarray(reading_m, dtype=float) + to.feature_to_arp_m


def check_reading(reading_m: float) -> None:
    """Raise InputError where a reading cannot be a height of an antenna over a mark, in whatever way it was measured."""
    if not 0.0 < reading_m <= HIGHEST_ANTENNA_M:
        raise InputError(
            f"A height of {reading_m:.3f} m is not one of an antenna over a mark (0 to 12 m). Check the unit.", field="reading"
        )


def arp_height_m(reading_m: float, to: MeasuredTo) -> float:
    """Return the ARP height above the mark of one reading, in metres; InputError if it cannot be."""
    check_reading(reading_m)
    if to.method == "slant" and reading_m <= to.rim_radius_m:
        raise InputError(
            f"A slant of {reading_m:.3f} m is not longer than the rim's radius of {to.rim_radius_m:.3f} m. Measure again.", field="reading"
        )
    return float(arp_heights_m(reading_m, to))


@dataclass(frozen=True, kw_only=True)
class TypedReading:
    """One reading as it was typed: its text, metres, what it was measured to, and the unit of a bare number.

    Who read it and when (host seconds), where that is known.
    """

    text: str
    reading_m: float
    to: MeasuredTo
    bare_unit: str = "m"
    who: str = ""
    read_s: float | None = None

    @property
    def arp_height_m(self) -> float:
        """Metres above the mark; NaN for a slant that cannot be."""
        return float(arp_heights_m(self.reading_m, self.to)) if self.is_possible else float("nan")

    @property
    def is_in_feet(self) -> bool:
        letters = re.sub(r"[\d\s.,/+-]", "", self.text.lower())
        return (letters or self.bare_unit)[:1] in ("f", "s", "'", '"', "i", "u")

    @property
    def is_possible(self) -> bool:
        return self.to.method != "slant" or self.reading_m > self.to.rim_radius_m


@dataclass(frozen=True)
class HeightSigmas:
    """One standard deviation of what makes a height, metres: one tape reading, the rim's radius, the feature's offset."""

    tape_m: float = 0.001
    radius_m: float = 0.0
    offset_m: float = 0.0


@dataclass(frozen=True, kw_only=True)
class MeanHeight:
    """The mean ARP height of several readings: metres, with its standard deviation and largest less smallest.

    `looks` is how many of the readings are looks of their own at the tape.
    """

    arp_height_m: float
    sigma_m: float
    spread_m: float
    count: int
    looks: int


def height_slopes(reading_m: float, to: MeasuredTo) -> tuple[float, float]:
    """Return how the ARP height changes with the tape reading and with the rim's radius, both without unit.

    Formula: h = √(s² − r²) + o, so ∂h/∂s = s/√(s² − r²) and ∂h/∂r = −r/√(s² − r²).
    """
    if to.method != "slant":
        return 1.0, 0.0
    up_m = float(np.sqrt((reading_m - to.rim_radius_m) * (reading_m + to.rim_radius_m)))
    return reading_m / up_m, -to.rim_radius_m / up_m


def looks_of(readings: Sequence[TypedReading]) -> list[int]:
    """Return which look at the tape each reading is of, counted from 0, shape (n,).

    Two readings by one person in one unit of one feature within a minute are one look: the eye repeats what it just saw.
    Readings of which nobody knows the time are looks of their own.
    """
    looks: list[int] = []
    for n, reading in enumerate(readings):
        before = [looks[m] for m in range(n) if _is_same_look(readings[m], reading)]
        looks.append(before[-1] if before else max(looks, default=-1) + 1)
    return looks


def _is_same_look(first: TypedReading, second: TypedReading) -> bool:
    if first.read_s is None or second.read_s is None or abs(second.read_s - first.read_s) > ONE_LOOK_S:
        return False
    return (first.who, first.is_in_feet, first.to.name) == (second.who, second.is_in_feet, second.to.name)


def mean_height(readings: Sequence[TypedReading], sigmas: HeightSigmas) -> MeanHeight:
    """Return the mean of readings, each of which must be possible, and its standard deviation.

    Tape errors of two looks are independent, those of one look are one.  An error of radius or offset is the same in all
    readings to one feature, and averaging does not lower it.

    Source: propagation of variances (JCGM 100:2008, section 5).
    """
    count = len(readings)
    heights = np.array([reading.arp_height_m for reading in readings])
    slopes = [height_slopes(reading.reading_m, reading.to) for reading in readings]
    looks = looks_of(readings)
    tapes = np.bincount(looks, weights=[tape for tape, _ in slopes])
    variance = float(np.sum((tapes * sigmas.tape_m / count) ** 2))
    for name in {reading.to.name for reading in readings}:
        of_feature = [slope for slope, reading in zip(slopes, readings, strict=True) if reading.to.name == name]
        rod = next(reading.to.method for reading in readings if reading.to.name == name) == "rod"
        variance += (sum(radius for _, radius in of_feature) * sigmas.radius_m / count) ** 2
        variance += 0.0 if rod else (len(of_feature) * sigmas.offset_m / count) ** 2
    return MeanHeight(
        arp_height_m=float(heights[0] + np.mean(heights - heights[0])),
        sigma_m=float(np.sqrt(variance)),
        spread_m=float(np.ptp(heights)),
        count=count,
        looks=len(tapes),
    )


def pole_words(typed: TypedReading) -> str:
    """Return a rover height as it was typed, to what."""
    return f"'{typed.text}' to {typed.to.in_a_sentence}"
