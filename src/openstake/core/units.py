"""Lengths and angles as people type them, read without guessing; metres and degrees inside."""

from __future__ import annotations

import re
from decimal import Decimal
from fractions import Fraction
from typing import Literal

from openstake.core.errors import AngleError, LengthError

# The units a job may work in, by the name stored with it; exact by definition.
LengthUnit = Literal["m", "ft", "sft"]
EXACT_METRES_PER_UNIT = {"m": Fraction(1), "ft": Fraction(3048, 10000), "sft": Fraction(1200, 3937)}
METRES_PER_UNIT = {unit: float(exact) for unit, exact in EXACT_METRES_PER_UNIT.items()}
UNIT_WORDS = {"m": "metre", "ft": "international foot", "sft": "US survey foot"}

_METRE, _FOOT, _SURVEY_FOOT = EXACT_METRES_PER_UNIT.values()
_SUFFIXES = {
    "m": _METRE,
    "metre": _METRE,
    "metres": _METRE,
    "meter": _METRE,
    "meters": _METRE,
    "mm": _METRE / 1000,
    "cm": _METRE / 100,
    "km": _METRE * 1000,
    "ft": _FOOT,
    "foot": _FOOT,
    "feet": _FOOT,
    "'": _FOOT,
    "ift": _FOOT,
    "sft": _SURVEY_FOOT,
    "usft": _SURVEY_FOOT,
    "ftus": _SURVEY_FOOT,
    "in": _FOOT / 12,
    "inch": _FOOT / 12,
    "inches": _FOOT / 12,
    '"': _FOOT / 12,
}

_NUMBER = r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d{1,3})?"
_PLAIN = re.compile(rf"^({_NUMBER})\s*([a-z'\"]*)$", re.IGNORECASE)
# Feet and inches, or inches with a fraction: the inches may be whole, decimal, or end in a fraction.
_FEET_INCHES = re.compile(
    r"^([+-]?)(?:(\d+)\s*(sft|usft|ft|feet|foot|')\s*)?"
    r"(?:(\d+(?:[.,]\d+)?)(?:(?:\s+|\s*-\s*)(\d+)\s*/\s*(\d+))?|(\d+)\s*/\s*(\d+))\s*(in|inch|inches|\")?$",
    re.IGNORECASE,
)
_PRIMES = str.maketrans({"′": "'", "’": "'", "″": '"', "”": '"', "−": "-", "\u00a0": " "})


def exact_number(text: str) -> Fraction:
    """Return a decimal number with a point or a comma as it stands, without rounding; LengthError if it has both marks."""
    if "," in text and "." in text:
        raise LengthError(f"'{text}' has both a comma and a point. Write one decimal mark and no thousands separator.")
    return Fraction(text.replace(",", "."))


def metres_in_field(text: str, unit: str, field: str) -> float | None:
    """Return the length typed in a field, metres, None where it is empty; a LengthError names the field."""
    try:
        return metres_from_text(text, unit) if text.strip() else None
    except LengthError as error:
        error.field = field
        raise


def metres_from_text(text: str, bare_unit: str | None = "m") -> float:
    """Return the length that was typed, in metres.

    Takes `2m`, `1532mm`, `6.562ft`, `6.562sft`, `5 ft 7 3/8 in`, `5' 0.5"` and a decimal comma.  A bare
    number is in `bare_unit` (`m`, `ft` or `sft`); where that is None it is refused.  Raises LengthError with a sentence.

    Source: NIST SP 811 for the two feet.
    """
    cleaned = text.translate(_PRIMES).strip()
    if not cleaned:
        raise LengthError("No length was typed. Type a number with its unit, such as 1.532 m.")
    if len(cleaned) > 60:
        raise LengthError("That is too long to be a length. Type a number and a unit, such as 1.532 m.")
    if re.search(r"\d[.,]\d*[.,]\d", cleaned):
        raise LengthError(f"'{text.strip()}' has more than one decimal mark. Write one, and no thousands separator.")
    feet = _FEET_INCHES.match(cleaned)
    # Without feet, a fraction or both, it is a plain number and a unit.
    if feet and (feet[2] or ((feet[5] or feet[7]) and feet[9])):
        return _feet_and_inches(feet, text)
    plain = _PLAIN.match(cleaned)
    if plain is None:
        raise LengthError(f"'{text.strip()}' is not a length. Type a number and a unit: 1.532 m, 5.026 ft or 5 ft 0 3/8 in.")
    suffix = plain[2].lower()
    _refuse_thousands(plain[1], suffix or bare_unit or "m", text)
    if suffix and suffix not in _SUFFIXES:
        raise LengthError(f"'{plain[2]}' is not a unit of length here. Use m, cm, mm, ft (international), sft (US survey) or in.")
    if not suffix and bare_unit is None:
        raise LengthError(f"'{text.strip()}' has no unit. Type it with one: m, mm, ft, sft or in.")
    exact = exact_number(plain[1]) * (_SUFFIXES[suffix] if suffix else EXACT_METRES_PER_UNIT[bare_unit or "m"])
    return _as_float(exact, text)


_METRIC = {"m", "metre", "metres", "meter", "meters", "mm", "cm", "km"}


def _refuse_thousands(number: str, unit: str, text: str) -> None:
    """Raise LengthError for a comma before exactly three digits in feet or inches, where it stands for thousands."""
    grouped = re.fullmatch(r"[+-]?(\d{1,3}),(\d{3})", number)
    if grouped and unit not in _METRIC:
        raise LengthError(
            f"'{text.strip()}' may be {grouped[1]}.{grouped[2]} {unit} or {grouped[1]}{grouped[2]} {unit}: in feet a comma "
            f"before three digits stands for thousands. Type {grouped[1]}.{grouped[2]} {unit} or {grouped[1]}{grouped[2]} {unit}."
        )


def _as_float(exact: Fraction, text: str) -> float:
    # The circumference of the Earth is 4e7 m: what is longer was not meant.
    if abs(exact) > 10**9:
        raise LengthError(f"'{text.strip()}' is too large to be a length.")
    return float(exact)


def _feet_and_inches(match: re.Match[str], text: str) -> float:
    sign, feet, unit, whole_inches, top, bottom, top_alone, bottom_alone, _ = match.groups()
    numerator, denominator = (top, bottom) if top else (top_alone, bottom_alone)
    inches = exact_number(whole_inches) if whole_inches else Fraction(0)
    if numerator:
        if int(denominator) == 0 or int(numerator) >= int(denominator) or inches.denominator != 1:
            raise LengthError(f"The fraction {numerator}/{denominator} in '{text.strip()}' is not a part of an inch.")
        inches += Fraction(int(numerator), int(denominator))
    if feet and inches >= 12:
        raise LengthError(f"'{text.strip()}' has {float(inches):g} inches. A foot has 12: write it as feet and inches.")
    foot_m = _SURVEY_FOOT if (unit or "").lower() in ("sft", "usft") else _FOOT
    exact = (int(feet or 0) + inches / 12) * foot_m
    return _as_float(-exact if sign == "-" else exact, text)


def plain_number(value: float) -> str:
    """Return the shortest decimal number that is read as this value bit for bit, without an exponent."""
    return f"{Decimal(repr(value)):f}"


def shortest_number(metres: float, unit: str) -> str:
    """Return the shortest decimal number that, read exactly in `unit`, gives these metres bit for bit.

    612480.22 US survey feet come back as 612480.22, not as 612480.2200000001.
    """
    if unit == "m":
        return plain_number(metres)
    per_unit = EXACT_METRES_PER_UNIT[unit]
    exact = Fraction(metres) / per_unit
    for decimals in range(2, 25):
        scaled = round(exact * 10**decimals)
        if float(Fraction(scaled, 10**decimals) * per_unit) == metres:
            return f"{'-' if scaled < 0 else ''}{abs(scaled) // 10**decimals}.{abs(scaled) % 10**decimals:0{decimals}d}"
    return repr(float(exact))


def shortest_typed(metres: float, unit: str) -> str:
    """Return a length as it would be typed in a field of `unit`, to the last bit: a bare number, or in metres if that is shorter."""
    bare, in_metres = shortest_number(metres, unit), f"{plain_number(metres)} m"
    return bare if len(bare) <= len(in_metres) else in_metres


_DMS = re.compile(
    r"^([+-]?)(\d+(?:\.\d+)?)(?:\s*[°:d\s]\s*(\d+(?:\.\d+)?)\s*['m:\s]?\s*(?:(\d+(?:\.\d+)?)\s*[\"s]?)?)?\s*°?\s*([NSEW]?)$", re.IGNORECASE
)


_LONGEST_ANGLE = 400  # every double written out without an exponent is shorter


def degrees_from_text(text: str, axis: str) -> float:
    """Return the angle that was typed, in degrees; `axis` is `latitude` or `longitude`.

    Takes `53.3374`, `-6.26`, `53 20 14.5 N`, `6°15'36"W`.  North and east are positive.  Raises AngleError
    where the hemisphere does not fit the axis, minutes or seconds reach 60, or the value is out of range.
    """
    cleaned = text.translate(_PRIMES).strip()
    if len(cleaned) > _LONGEST_ANGLE:
        raise AngleError("That is too long to be an angle. Type 53.3374 or 53 20 14.5 N.")
    if "," in cleaned:
        cleaned = cleaned.replace(",", ".") if cleaned.count(",") == 1 and "." not in cleaned else cleaned
    match = _DMS.match(cleaned)
    if match is None:
        raise AngleError(f"'{text.strip()}' is not an angle. Type 53.3374 or 53 20 14.5 N.")
    sign, degrees, minutes, seconds, hemisphere = match.groups()
    letters, limit = ("NS", 90.0) if axis == "latitude" else ("EW", 180.0)
    if hemisphere and hemisphere.upper() not in letters:
        raise AngleError(f"'{text.strip()}' ends in {hemisphere.upper()}, but a {axis} is {letters[0]} or {letters[1]}.")
    if sign == "-" and hemisphere:
        raise AngleError(f"'{text.strip()}' has a minus sign and a letter. Use one of them.")
    parts = [float(part or 0.0) for part in (degrees, minutes, seconds)]
    if parts[1] >= 60.0 or parts[2] >= 60.0:
        raise AngleError(f"'{text.strip()}' has minutes or seconds of 60 or more.")
    value = parts[0] + parts[1] / 60.0 + parts[2] / 3600.0
    if value > limit:
        raise AngleError(f"A {axis} lies between -{limit:g} and {limit:g} degrees; {value:g} does not.")
    return -value if sign == "-" or (hemisphere or "").upper() in ("S", "W") else value


def counted(count: int, noun: str) -> str:
    """Return a count with its noun: `1 line`, `2 lines`."""
    return f"{count} {noun}" if count == 1 else f"{count} {noun}s"


def _decimals(unit: str) -> int:
    return 3 if unit == "m" else 2


def text_from_metres(metres: float, unit: str = "m") -> str:
    """Return a length for people in the job's unit: `1.532 m`, `5.03 ft`."""
    return f"{metres / METRES_PER_UNIT[unit]:.{_decimals(unit)}f} {'ft' if unit == 'sft' else unit}"


def whole_from_metres(metres: float, unit: str = "m") -> str:
    """Return a distance for people in whole units: `1420 m`: what is walked, not staked."""
    return f"{metres / METRES_PER_UNIT[unit]:.0f} {'ft' if unit == 'sft' else unit}"


def text_from_seconds(seconds: float) -> str:
    """Return a stretch of time as people say it: 45 s, 12 min, 3.5 h."""
    if seconds < 120.0:
        return f"{seconds:.0f} s"
    hours = f"{seconds / 3600.0:.1f}".removesuffix(".0")
    return f"{seconds / 60.0:.0f} min" if seconds < 7200.0 else f"{hours} h"


def about_seconds(seconds: float) -> str:
    """Return a stretch of time that is not known well: 25 s, a minute, 4 minutes."""
    if seconds < 50.0:
        return f"{max(5, round(seconds / 5.0) * 5)} s"
    minutes = round(seconds / 60.0)
    return "a minute" if minutes <= 1 else f"{minutes} minutes"
