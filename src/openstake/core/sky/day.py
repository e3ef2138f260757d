"""The sky of a day over a base and a rover: what both see, how good it is hour by hour, and when to come."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from openstake.core.budget import BudgetSettings
from openstake.core.limits import POOR_PDOP_RATIO, SHORTEST_POOR_S
from openstake.core.observation import CONSTELLATION_NAMES
from openstake.core.sky.against import SkyEnd
from openstake.core.sky.atmosphere import klobuchar_delay_m
from openstake.core.sky.expected import Directions, Dops, Expected95, best_spans, dops_of, expected_95, in_sight, runs

Quality = Literal["good", "fair", "poor"]
_SPANS_SAID = 2


@dataclass(frozen=True, kw_only=True)
class SkyDay:
    """A day of moments: directions at both ends, and which satellites each sees, (satellites, moments); geometry of those in common.

    `expected` are 95 % of an epoch of a fix.  `quality` says of each moment whether it is one of the good or the poor hours.
    """

    base: Directions
    rover: Directions
    at_base: NDArray[np.bool_]
    at_rover: NDArray[np.bool_]
    dops: Dops
    expected: Expected95
    quality: tuple[Quality, ...]

    @property
    def common(self) -> NDArray[np.bool_]:
        return np.asarray(self.at_base & self.at_rover)

    def seen_by(self, satellite: int) -> str:
        """Return a letter for each moment of a satellite, by its place: `c` seen by both ends, `b` and `r` by the base or the rover alone,
        `n` by neither, `-` below the horizon."""
        up = np.nan_to_num(self.rover.elevation_deg[satellite], nan=-90.0) >= 0.0
        base, rover = self.at_base[satellite], self.at_rover[satellite]
        return "".join(np.select([~up, base & rover, base, rover], ["-", "c", "b", "r"], "n"))

    @property
    def is_known(self) -> bool:
        """Whether any elements hold for it."""
        return bool(np.isfinite(self.rover.elevation_deg).any())

    def glance(self, clock: Callable[[int], str], begin: int = 0) -> str:
        """Return it in a sentence, from a moment on; `clock` says a moment's time."""
        return glance(self.quality, clock, begin) if self.is_known else "No elements of this day: its sky is not known."

    def counts(self) -> dict[str, NDArray[np.int64]]:
        """Return how many satellites of each constellation (its letter) are in common, by moment; those that are never are left out."""
        letters = np.array([name[0] for name in self.rover.satellites])
        found = {letter: self.common[letters == letter].sum(axis=0) for letter in CONSTELLATION_NAMES}
        return {letter: np.asarray(count) for letter, count in found.items() if count.any()}


def sky_day(
    base: Directions, rover: Directions, ends: tuple[SkyEnd, SkyEnd], baseline_m: float, step_s: float, budget: BudgetSettings
) -> SkyDay:
    """Return the sky of a day for a base and a rover (`ends`), moments `step_s` apart."""
    at_base, at_rover = (seen_from(seen, end) for seen, end in zip((base, rover), ends, strict=True))
    dops = dops_of(rover, at_base & at_rover)
    # Where no elements hold, nothing is known: that is no poor hour.
    fair: Quality = "fair"
    return SkyDay(
        base=base,
        rover=rover,
        at_base=at_base,
        at_rover=at_rover,
        dops=dops,
        expected=expected_95(dops, baseline_m, budget),
        quality=qualities(dops, step_s) if np.isfinite(rover.elevation_deg).any() else (fair,) * len(dops.pdop),
    )


def seen_from(seen: Directions, end: SkyEnd) -> NDArray[np.bool_]:
    """Tell which satellites, (satellites, moments), one end sees and uses."""
    used = np.array([name[0] in end.constellations for name in seen.satellites], dtype=bool)
    return np.asarray(in_sight(seen, end.mask_deg, end.skyline) & used[:, None])


def qualities(dops: Dops, step_s: float) -> tuple[Quality, ...]:
    """Return of each moment whether it is good (PDOP within 1.3 times the least, for half an hour at least) or poor (over twice, or no
    geometry at all, for ten minutes)."""
    pdop = np.nan_to_num(dops.pdop, nan=np.inf)
    found: list[Quality] = ["fair"] * len(pdop)
    poor = runs(~(pdop <= POOR_PDOP_RATIO * pdop.min()) | np.isinf(pdop), SHORTEST_POOR_S, step_s)
    kinds: tuple[tuple[Quality, list[tuple[int, int]]], ...] = (("good", best_spans(dops, step_s)), ("poor", poor))
    for quality, spans in kinds:
        for first, last in spans:
            found[first : last + 1] = [quality] * (last + 1 - first)
    return tuple(found)


def spans_of(quality: Sequence[Quality], wanted: Quality, begin: int = 0) -> list[tuple[int, int]]:
    """Return the runs of one quality from a moment on, first and last; those of one moment tell nothing."""
    true = np.array([n >= begin and item == wanted for n, item in enumerate(quality)], dtype=bool)
    return runs(true, 1.0, 1.0)


@dataclass(frozen=True, kw_only=True)
class Loss:
    """What one end costs that uses fewer constellations than the other: the letters lost; satellites in common and 95 % horizontally in the
    middle of the day's moments, as they are and with all constellations of either end.  None where those give no position."""

    letters: tuple[str, ...]
    satellites: float
    satellites_with_all: float
    horizontal_95_m: float | None
    horizontal_95_with_all_m: float | None


def loss_of(day: SkyDay, ends: tuple[SkyEnd, SkyEnd], baseline_m: float, budget: BudgetSettings) -> Loss | None:
    """Return what constellations cost that one end does not use; None where both use the same of those that are in the sky."""
    either = ends[0].constellations | ends[1].constellations
    lost = (either - (ends[0].constellations & ends[1].constellations)) & {name[0] for name in day.rover.satellites}
    if not lost:
        return None
    base, rover = (seen_from(seen, replace(end, constellations=either)) for seen, end in zip((day.base, day.rover), ends, strict=True))
    with_all = expected_95(dops_of(day.rover, base & rover), baseline_m, budget)
    return Loss(
        letters=tuple(letter for letter in CONSTELLATION_NAMES if letter in lost),
        satellites=float(np.median(day.common.sum(axis=0))),
        satellites_with_all=float(np.median((base & rover).sum(axis=0))),
        horizontal_95_m=_middle(day.expected.horizontal_m),
        horizontal_95_with_all_m=_middle(with_all.horizontal_m),
    )


def _middle(values: NDArray[np.float64]) -> float | None:
    known = values[np.isfinite(values)]
    return float(np.median(known)) if len(known) else None


@dataclass(frozen=True, kw_only=True)
class IonosphereDay:
    """The ionosphere overhead by the broadcast coefficients, metres on L1, by moment; `between_m` is how much of it two ends do not share."""

    overhead_m: NDArray[np.float64]
    between_m: NDArray[np.float64]

    @property
    def worst(self) -> int:
        """The moment of the largest delay overhead."""
        return int(np.argmax(self.overhead_m))


def ionosphere_day(
    alpha: Sequence[float], beta: Sequence[float], base_deg: tuple[float, float], rover_deg: tuple[float, float], gps_s: NDArray[np.float64]
) -> IonosphereDay:
    """Return Klobuchar's delay overhead at a rover, and its difference from that over the base (latitude, longitude).

    The model knows the day's bulge alone, not its waves: what is left between two ends is as a rule larger.
    """
    delays = np.array(
        [[klobuchar_delay_m(alpha, beta, *place, 0.0, 90.0, float(moment)) for moment in gps_s] for place in (base_deg, rover_deg)]
    )
    return IonosphereDay(overhead_m=delays[1], between_m=np.abs(delays[1] - delays[0]))


def kp_words(kp: float) -> str:
    """Return what a planetary index Kp means for RTK, in a line.

    Source: NOAA's scale of geomagnetic storms (G1 is Kp 5, G5 is Kp 9; from memory); what it does to fixes: common practice, no source.
    """
    if kp < 4.0:
        return "quiet: nothing to fear from the ionosphere"
    if kp < 5.0:
        return "unsettled: in high latitudes fixes may take longer"
    storm = f"a storm of class G{min(int(kp), 9) - 4}"
    if kp < 7.0:
        return f"{storm}: keep baselines short, re-initialise and check more often, above all in high latitudes and near the equator"
    return f"{storm}: fixes may be lost or false for hours, in middle latitudes too; put off control work"


def glance(quality: Sequence[Quality], clock: Callable[[int], str], begin: int = 0) -> str:
    """Return a day in a sentence, from a moment on; `clock` says a moment's time."""
    rest = quality[begin:]
    if not rest:
        return ""
    for quality_of_all, said in (("good", "Good"), ("poor", "Poor")):
        if all(item == quality_of_all for item in rest):
            return f"{said} all the time."
    words: tuple[Quality, ...] = ("good", "poor")
    parts = [
        f"{word} " + " and ".join(f"{clock(first)} to {clock(last)}" for first, last in longest)
        for word in words
        if (longest := _longest(spans_of(quality, word, begin), begin))
    ]
    said = ", ".join(parts) or "no good hour and no poor one"
    return f"{said[:1].upper()}{said[1:]}."


def _longest(spans: list[tuple[int, int]], begin: int) -> list[tuple[int, int]]:
    """Return the longest few spans in the order of time, and the one that begins now."""
    kept = sorted(spans, key=lambda item: item[0] - item[1])[:_SPANS_SAID]
    return sorted({*kept, *(item for item in spans if item[0] == begin)})
