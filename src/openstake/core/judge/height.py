"""Rules on height readings: what they say of each other, and which slip of the hand fits a difference."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations, pairwise

from openstake.core.antenna import MeasuredTo, TypedReading
from openstake.core.errors import InputError
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import HEIGHTS_AGREE_M, ODD_HEIGHTS_M, READING_ERROR_M, SAME_READING_M, SHARE_UNEXPLAINED, USUAL_HEIGHTS_M
from openstake.core.units import metres_from_text, text_from_metres


@dataclass(frozen=True)
class KnownAntenna:
    """What else a reading may have been: the features of the antenna, and its phase centre above the ARP in metres."""

    features: Sequence[MeasuredTo] = ()
    phase_centre_up_m: float | None = None


def judge_heights(
    readings: Sequence[TypedReading], antenna: KnownAntenna | None = None, limit_m: float = HEIGHTS_AGREE_M, unit: str = "m"
) -> list[Finding]:
    """Return what the readings of one set-up say of each other, worst first; `limit_m` is what two may differ by."""
    found = [_impossible(reading, unit) for reading in readings if not reading.is_possible]
    possible = [reading for reading in readings if reading.is_possible]
    found += [item for reading in possible if (item := _rod(reading, limit_m, unit))]
    apart = [pair for pair in combinations(possible, 2) if _differ_m(*pair) > limit_m]
    if apart:
        # One sentence: the widest pair holds the slip, and every other pair would say the same of it.
        widest = max(apart, key=lambda pair: (_differ_m(*pair), _in_order(pair)[0].text))
        found.append(_disagree(_in_order(widest), possible, antenna, limit_m, unit))
    elif len(possible) == 1 and (odd := _odd_unit(possible[0], unit)):
        found.append(odd)
    return found


def _in_order(pair: tuple[TypedReading, TypedReading]) -> tuple[TypedReading, TypedReading]:
    """Return a pair in an order of its own: what is said does not depend on which was typed first."""
    first, second = sorted(pair, key=lambda reading: (reading.arp_height_m, reading.text))
    return first, second


def _differ_m(first: TypedReading, second: TypedReading) -> float:
    # Rounded to a hundredth of a millimetre: 1.535 - 1.532 is 3 mm and not a little more.
    return round(abs(first.arp_height_m - second.arp_height_m), 5)


def _impossible(reading: TypedReading, unit: str) -> Finding:
    return finding(
        "impossible-slant",
        Severity.STOP,
        f"A slant of {text_from_metres(reading.reading_m, unit)} is not longer than the rim's radius of "
        f"{text_from_metres(reading.to.rim_radius_m, unit)}: no antenna stands so low.",
        "The unit, the feature or a digit is wrong.",
        "Measure again, mark to rim.",
        reading_m=round(reading.reading_m, 5),
        rim_radius_m=reading.to.rim_radius_m,
    )


def _rod(reading: TypedReading, limit_m: float, unit: str) -> Finding | None:
    fixed = reading.to.fixed_height_m
    if fixed is None or round(abs(reading.reading_m - fixed), 5) <= limit_m:
        return None
    return finding(
        "rod-contradicted",
        Severity.STOP,
        f"The {reading.to.in_a_sentence} is {text_from_metres(fixed, unit)}; '{reading.text}' was typed.",
        "It is another rod, it is not fully extended or locked, or something else was measured.",
        "Look at the rod's clamp, or choose the feature that was taped.",
        reading_m=round(reading.reading_m, 5),
        fixed_m=fixed,
    )


def _disagree(
    pair: tuple[TypedReading, TypedReading], readings: Sequence[TypedReading], antenna: KnownAntenna | None, limit_m: float, unit: str
) -> Finding:
    """Return the one finding for a pair that differs: by the slip that explains it, or without a cause."""
    first, second = pair
    apart = (
        f"'{first.text}' and '{second.text}' differ by {text_from_metres(_differ_m(*pair), unit)} at the ARP "
        f"(limit {text_from_metres(limit_m, unit)})"
    )
    others = [reading for reading in readings if reading not in pair]
    for explain in (_swapped, _unit, _as_another_feature, _phase_centre):
        guesses = [guess for a, b in (pair, pair[::-1]) for guess in explain(a, b, antenna)]
        # Where a third reading stands with one of the two, the slip is in the other.
        if decided := [guess for guess in guesses if _supported(guess.mended_m, others, limit_m)]:
            guesses = decided
        if guesses:
            return _explained(sorted(guesses, key=_unlikely), apart, abs(first.arp_height_m - second.arp_height_m))
    return finding(
        "heights-disagree",
        Severity.STOP,
        f"{apart}.",
        "One of them was misread or mistyped, or the tripod moved between them.",
        "Measure a third time, in the other unit.",
        difference_m=round(_differ_m(*pair), 5),
    )


def _supported(height_m: float, others: Sequence[TypedReading], limit_m: float) -> bool:
    return any(round(abs(other.arp_height_m - height_m), 5) <= limit_m for other in others)


@dataclass(frozen=True, kw_only=True)
class _Guess:
    """A slip that would explain a difference: its code, what was meant, in which reading, why, and what it leaves."""

    code: str
    text: str
    meant: str
    mended_m: float
    cause: str
    left_m: float


def _unlikely(guess: _Guess) -> tuple[float, str, str]:
    """Order guesses: by what they leave to a tenth of a millimetre, then by their own text, so that none depends on chance."""
    return round(guess.left_m, 4), guess.code, guess.meant


def _explained(guesses: Sequence[_Guess], apart: str, difference_m: float) -> Finding:
    meant = " or ".join(f"{guess.meant} in place of '{guess.text}'" for guess in guesses)
    cause = " ".join(dict.fromkeys(guess.cause for guess in guesses))
    return finding(
        guesses[0].code,
        Severity.STOP,
        f"{apart}: likely {meant}.",
        cause,
        "Read the tape once more and correct the reading that was wrong."
        if len(guesses) == 1
        else "The two cannot tell which of them is wrong: read the tape once more, in the other unit.",
        difference_m=round(difference_m, 5),
        likely=[guess.meant for guess in guesses],
        likely_arp_height_m=round(guesses[0].mended_m, 5),
    )


def _left_m(reading: TypedReading, other: TypedReading, mended_m: float) -> float | None:
    """Return what a slip leaves of a difference; None where it leaves more than reading errors, or too much of it."""
    left_m = round(abs(mended_m - other.arp_height_m), 5)
    most_m = min(READING_ERROR_M, SHARE_UNEXPLAINED * _differ_m(reading, other))
    return left_m if left_m <= most_m else None


def _mended(reading: TypedReading, text: str) -> TypedReading | None:
    """Return a reading with another text; None where that is no length."""
    try:
        return replace(reading, text=text, reading_m=metres_from_text(text, reading.bare_unit))
    except InputError:
        return None


def swapped_texts(text: str) -> list[str]:
    """Return a number's text with every pair of neighbouring digits exchanged, also across the decimal mark.

    The difference of a swap is always 9 × a power of ten × the difference of the two digits (common practice).
    """
    places = [match.start() for match in re.finditer(r"\d", text)]
    found = []
    for here, there in pairwise(places):
        if text[here] != text[there] and re.fullmatch(r"[.,]?", text[here + 1 : there]):
            letters = list(text)
            letters[here], letters[there] = letters[there], letters[here]
            found.append("".join(letters))
    return found


def mended_readings(reading: TypedReading) -> list[TypedReading]:
    """Return a reading with each pair of neighbouring digits exchanged that still makes a height."""
    return [mended for text in swapped_texts(reading.text) if (mended := _mended(reading, text))]


def _swapped(reading: TypedReading, other: TypedReading, _: KnownAntenna | None) -> list[_Guess]:
    candidates = mended_readings(reading)
    return [
        _Guess(
            code="digits-swapped",
            text=reading.text,
            meant=item.text,
            mended_m=item.arp_height_m,
            cause="Two neighbouring digits changed places while typing.",
            left_m=left_m,
        )
        for item in candidates
        if (left_m := _left_m(reading, other, item.arp_height_m)) is not None
    ]


_WORDS = {"m": "metres", "ft": "feet", "sft": "US survey feet", "cm": "centimetres", "in": "inches"}


def _unit(reading: TypedReading, other: TypedReading, _: KnownAntenna | None) -> list[_Guess]:
    number = re.match(r"\s*[\d.,]+", reading.text)
    if number is None:
        return []
    for unit in _WORDS:
        mended = _mended(reading, f"{number[0].strip()} {unit}")
        if mended is None or abs(mended.reading_m - reading.reading_m) < SAME_READING_M:
            continue
        left_m = _left_m(reading, other, mended.arp_height_m)
        if left_m is not None:
            # The two feet are micrometres apart at the height of a tripod: the first that fits speaks for both.
            return [
                _Guess(
                    code="unit-mixed",
                    text=reading.text,
                    meant=mended.text,
                    mended_m=mended.arp_height_m,
                    cause=f"'{reading.text}' was read in {_WORDS[unit]} and typed in another unit.",
                    left_m=left_m,
                )
            ]
    return []


def _as_another_feature(reading: TypedReading, other: TypedReading, antenna: KnownAntenna | None) -> list[_Guess]:
    found = []
    for feature in antenna.features if antenna else ():
        if feature.name == reading.to.name or feature.method == "rod":
            continue
        mended = replace(reading, to=feature)
        left_m = _left_m(reading, other, mended.arp_height_m)
        if left_m is None:
            continue
        slanted = feature.method == "slant" and reading.to.method == "vertical"
        found.append(
            _Guess(
                code="slant-as-vertical" if slanted else "wrong-feature",
                text=reading.text,
                meant=f"'{reading.text}' to: {feature.in_a_sentence}",
                mended_m=mended.arp_height_m,
                cause="A slant to the rim was taken for a vertical height."
                if slanted
                else "The difference is the known offset between two features of this antenna: it was measured to the other one.",
                left_m=left_m,
            )
        )
    return found


def _phase_centre(reading: TypedReading, other: TypedReading, antenna: KnownAntenna | None) -> list[_Guess]:
    up_m = antenna.phase_centre_up_m if antenna else None
    left_m = _left_m(reading, other, reading.arp_height_m - up_m) if up_m else None
    if not up_m or left_m is None:
        return []
    return [
        _Guess(
            code="wrong-feature",
            text=reading.text,
            meant=f"'{reading.text}' to the phase centre",
            mended_m=reading.arp_height_m - up_m,
            cause="The difference is the height of the phase centre above the ARP: it is already in the reading.",
            left_m=left_m,
        )
    ]


def _odd_unit(reading: TypedReading, unit: str) -> Finding | None:
    """Ask about the unit of a lone reading that is no usual height, where its number is one in the other unit."""
    height, (low_m, high_m) = reading.arp_height_m, USUAL_HEIGHTS_M
    number = re.match(r"\s*[\d.,]+", reading.text)
    if number is None or ODD_HEIGHTS_M[0] <= height <= ODD_HEIGHTS_M[1] or reading.to.method == "rod":
        return None
    for other in ("m", "ft"):
        mended = _mended(reading, f"{number[0].strip()} {other}")
        if mended and low_m <= mended.arp_height_m <= high_m:
            return finding(
                "unit-mixed",
                Severity.LOOK,
                f"'{reading.text}' puts the ARP {text_from_metres(height, unit)} above the mark; {mended.text} would put it "
                f"at {mended.arp_height_m:.3f} m.",
                "Metres and feet were confused.",
                "Look at the tape's unit. A mast or a very low tripod is right as it is.",
                likely=[mended.text],
                likely_arp_height_m=round(mended.arp_height_m, 5),
            )
    return None


def judge_opening_and_closing(opening_m: float, closing_m: float, limit_m: float = HEIGHTS_AGREE_M, unit: str = "m") -> Finding:
    """Return what the height after the session says of the one before it, both to the ARP in metres."""
    moved_m = round(closing_m - opening_m, 5)
    if abs(moved_m) <= limit_m:
        return finding(
            "closing-height-agrees",
            Severity.NOTE,
            f"Opening and closing height agree within {text_from_metres(abs(moved_m), unit)} (limit {text_from_metres(limit_m, unit)}).",
            "The tripod stood still, and the height was read rightly twice.",
            "Nothing to do.",
            difference_m=moved_m,
        )
    return finding(
        "closing-height-differs",
        Severity.STOP,
        f"The closing height is {text_from_metres(abs(moved_m), unit)} {'larger' if moved_m > 0 else 'smaller'} than the "
        f"opening one (limit {text_from_metres(limit_m, unit)}).",
        "The tripod sank or was knocked, or one of the two was misread.",
        "Measure again before anything is taken down. If the opening one was wrong, correct it: every point follows. "
        "If the tripod moved, find the checks before and after it.",
        difference_m=moved_m,
    )


def units_of(readings: Sequence[TypedReading]) -> set[str]:
    """Return the units in which readings were typed: `metric` and `feet`."""
    return {"feet" if reading.is_in_feet else "metric" for reading in readings}


def judge_completeness(readings: Sequence[TypedReading], unit: str = "m") -> list[Finding]:
    """Return what is missing for heights that control each other; a rod needs no second reading."""
    if not readings or any(reading.to.method == "rod" for reading in readings):
        return []
    if len(readings) > 1 and len(units_of(readings)) > 1:
        return []
    other = "feet" if units_of(readings) == {"metric"} else "metres"
    count = f"{len(readings)} reading{'s' if len(readings) > 1 else ''}"
    return [
        finding(
            "height-one-unit",
            Severity.NOTE,
            f"The height rests on {count} in one unit.",
            "A misread or mistyped tape does not show by itself.",
            f"Read the tape once more, in {other}: a slip in one unit does not come out in the other.",
            readings=len(readings),
        )
    ]
