"""A mark's difference that has the size of a known slip: digits exchanged in the list, a foot for a foot, a rover height, a lean."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import hypot

import numpy as np

from openstake.core.causes import NamedUp
from openstake.core.errors import InputError
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.judge.height import swapped_texts
from openstake.core.limits import SHARE_UNEXPLAINED, SLIP_LEAST_M, SLIP_SIGMAS
from openstake.core.units import METRES_PER_UNIT, metres_from_text, shortest_number, text_from_metres

Difference = tuple[float, float, float | None]
_axes = ("east", "north", "height")


@dataclass(frozen=True, kw_only=True)
class MarkOff:
    """A mark that is off: its given local coordinates (metres), predicted by the others − given, one sigma of each of these.

    Differences are None where nothing predicts them; `heights` are known heights that would show as a constant up (observed −
    known), `leans` known leans of poles (name, metres).
    """

    name: str
    given_m: tuple[float, float, float | None]
    off_m: tuple[float | None, float | None, float | None]
    sigma_m: tuple[float, float, float]
    heights: Sequence[NamedUp] = ()
    leans: Sequence[tuple[str, float]] = ()


@dataclass(frozen=True)
class _Guess:
    """A slip: what it would make of the difference, metres, and its words."""

    off_m: Difference
    words: str


@dataclass(frozen=True)
class SlipFound:
    """The slip that a difference of so many metres has the size of, and what of it is left."""

    size_m: float
    left_m: float
    words: str


def slip_of(mark: MarkOff, horizontal: bool, unit: str) -> SlipFound | None:
    """Return the slip that a mark's horizontal or vertical difference has the size of, None where none leaves little of it."""
    places = (0, 1) if horizontal else (2,)
    off = [mark.off_m[n] for n in places]
    if any(value is None for value in off):
        return None
    seen = [float(value or 0.0) for value in off]
    size = hypot(*seen)
    # NaN where no sigma is known yet: then the size alone decides.
    most = float(np.fmin(SHARE_UNEXPLAINED * size, SLIP_SIGMAS * max(mark.sigma_m[n] for n in places)))
    if size < SLIP_LEAST_M:
        return None
    guesses = [_Guess(guess.off_m, guess.words) for guess in _guesses(mark, horizontal, unit)]
    left = [(hypot(*(value - (guess.off_m[n] or 0.0) for n, value in zip(places, seen, strict=True))), guess.words) for guess in guesses]
    if horizontal:
        left += [
            (
                abs(size - lean),
                f"{pole} leans by {text_from_metres(lean, unit)}: turned by half a circle it is as far off to the other side",
            )
            for pole, lean in mark.leans
        ]
    found = min((item for item in left if item[0] <= most), default=None)
    return None if found is None else SlipFound(size, *found)


def judge_slip(mark: str, slip: SlipFound | None, horizontal: bool, unit: str) -> list[Finding]:
    """Return what is said of a slip that explains a mark's difference."""
    if slip is None:
        return []
    side = "horizontally" if horizontal else "in height"
    return [
        finding(
            "fit-slip",
            Severity.LOOK,
            f"{mark} is off by {text_from_metres(slip.size_m, unit)} {side}, which is the size of a slip: {slip.words}.",
            "A typing slip has a size of its own.",
            f"Look {mark} up where its coordinate comes from, and at the height typed there.",
            mark=mark,
            left_m=round(slip.left_m, 4),
        )
    ]


def _guesses(mark: MarkOff, horizontal: bool, unit: str) -> Iterator[_Guess]:
    """Yield what slips would make of the difference: the right value − the given one, of all three coordinates."""
    for axis in (0, 1) if horizontal else (2,):
        given = mark.given_m[axis]
        if given is not None:
            yield from _digits(given, axis, unit)
    if horizontal:
        survey = METRES_PER_UNIT["sft"] / METRES_PER_UNIT["ft"] - 1.0
        east, north = mark.given_m[0], mark.given_m[1]
        for share, words in ((survey, "US survey feet were"), (-survey, "international feet were")):
            other = "international" if share > 0 else "US survey"
            yield _Guess((share * east, share * north, None), f"its coordinates in {words} read as {other} feet (2 ppm)")
    elif mark.given_m[2] is not None:
        height, foot = mark.given_m[2], METRES_PER_UNIT["ft"]
        yield _Guess((0.0, 0.0, height * foot - height), "its height in feet was taken as metres")
        yield _Guess((0.0, 0.0, height / foot - height), "its height in metres was taken as feet")
        # A height typed wrongly moves what is measured; what is given stays.
        yield from (_Guess((0.0, 0.0, item.up_m), item.words) for item in mark.heights)


def _digits(given_m: float, axis: int, unit: str) -> Iterator[_Guess]:
    """Yield each pair of neighbouring digits of a coordinate exchanged, as the list has it in the job's unit."""
    text = shortest_number(given_m, unit)
    for mended in swapped_texts(text):
        try:
            change = metres_from_text(mended, unit) - given_m
        except InputError:
            continue
        off = tuple(change if n == axis else 0.0 for n in range(3))
        yield _Guess((off[0], off[1], off[2]), f"its {_axes[axis]} is {text} in the list, and {mended} would fit")
