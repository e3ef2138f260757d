"""Lengths and angles as people type them, read without guessing; metres and degrees inside."""

from __future__ import annotations

import math
import re
from fractions import Fraction

from openstake.core.constants import INTERNATIONAL_FOOT_M, US_SURVEY_FOOT_M
from openstake.core.errors import AngleError, LengthError

# The units a job may work in, by the name stored with it.
METRES_PER_UNIT = {
    "m": 1.0,
    "ft": INTERNATIONAL_FOOT_M,
    "sft": US_SURVEY_FOOT_M,
}
UNIT_WORDS = {"m": "metre", "ft": "international foot", "sft": "US survey foot"}

_SUFFIXES = {
    "m": 1.0, "metre": 1.0, "metres": 1.0, "meter": 1.0, "meters": 1.0,
    "mm": 0.001, "cm": 0.01, "km": 1000.0,
    "ft": INTERNATIONAL_FOOT_M, "foot": INTERNATIONAL_FOOT_M, "feet": INTERNATIONAL_FOOT_M,
    "'": INTERNATIONAL_FOOT_M, "sft": US_SURVEY_FOOT_M, "usft": US_SURVEY_FOOT_M, "ftus": US_SURVEY_FOOT_M,
    "in": INTERNATIONAL_FOOT_M / 12, "inch": INTERNATIONAL_FOOT_M / 12, "inches": INTERNATIONAL_FOOT_M / 12,
    '"': INTERNATIONAL_FOOT_M / 12,
}  # fmt: skip

_NUMBER = r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?"
_PLAIN = re.compile(rf"^({_NUMBER})\s*([a-z'\"]*)$", re.IGNORECASE)
_FEET_INCHES = re.compile(
    r"^([+-]?\d+)\s*(sft|ft|feet|foot|')\s*(?:(\d+(?:[.,]\d+)?)(?:\s+(\d+)\s*/\s*(\d+))?|(\d+)\s*/\s*(\d+))"
    r"\s*(?:in|inch|inches|\")?$",
    re.IGNORECASE,
)
_PRIMES = str.maketrans({"′": "'", "’": "'", "″": '"', "”": '"', "−": "-", "\u00a0": " "})


def _number(text: str, whole: str) -> float:
    if "," in text and "." in text:
        raise LengthError(f"'{whole}' has both a comma and a point. Write one decimal mark and no thousands separator.")
    return float(text.replace(",", "."))


def metres_from_text(text: str, bare_unit: str = "m") -> float:
    """Return the length that was typed, in metres.

    Takes `2m`, `1532mm`, `6.562ft`, `6.562sft`, `5 ft 7 3/8 in`, `5' 0.5"` and a decimal comma.  A bare
    number is in `bare_unit` (`m`, `ft` or `sft`).  Raises LengthError with a sentence otherwise.

    Source: NIST SP 811 for the two feet.
    """
    cleaned = text.translate(_PRIMES).strip()
    if not cleaned:
        raise LengthError("No length was typed. Type a number with its unit, such as 1.532 m.")
    if re.search(r"\d[.,]\d*[.,]\d", cleaned):
        raise LengthError(f"'{text.strip()}' has more than one decimal mark. Write one, and no thousands separator.")
    if feet := _FEET_INCHES.match(cleaned):
        return _feet_and_inches(feet, text)
    plain = _PLAIN.match(cleaned)
    if plain is None:
        raise LengthError(
            f"'{text.strip()}' is not a length. Type a number and a unit: 1.532 m, 5.026 ft or 5 ft 0 3/8 in."
        )
    suffix = plain[2].lower()
    if suffix and suffix not in _SUFFIXES:
        raise LengthError(
            f"'{plain[2]}' is not a unit of length here. Use m, cm, mm, ft (international), sft (US survey) or in."
        )
    metres = _number(plain[1], text.strip()) * (_SUFFIXES[suffix] if suffix else METRES_PER_UNIT[bare_unit])
    if not math.isfinite(metres):
        raise LengthError(f"'{text.strip()}' is too large to be a length.")
    return metres


def _feet_and_inches(match: re.Match[str], text: str) -> float:
    feet, unit, whole_inches, top, bottom, top_alone, bottom_alone = match.groups()
    numerator, denominator = (top, bottom) if top else (top_alone, bottom_alone)
    inches = _number(whole_inches, text) if whole_inches else 0.0
    if numerator:
        if int(denominator) == 0 or int(numerator) >= int(denominator):
            raise LengthError(f"The fraction {numerator}/{denominator} in '{text.strip()}' is not a part of an inch.")
        inches += float(Fraction(int(numerator), int(denominator)))
    if inches >= 12.0:
        raise LengthError(f"'{text.strip()}' has {inches:g} inches. A foot has 12: write it as feet and inches.")
    foot_m = US_SURVEY_FOOT_M if unit.lower() == "sft" else INTERNATIONAL_FOOT_M
    sign = -1.0 if feet.startswith("-") else 1.0
    return sign * (abs(int(feet)) + inches / 12.0) * foot_m


_DMS = re.compile(
    r"^([+-]?)(\d+(?:\.\d+)?)(?:\s*[°:d\s]\s*(\d+(?:\.\d+)?)\s*['m:\s]?\s*(?:(\d+(?:\.\d+)?)\s*[\"s]?)?)?\s*°?\s*([NSEW]?)$",
    re.IGNORECASE,
)


def degrees_from_text(text: str, axis: str) -> float:
    """Return the angle that was typed, in degrees; `axis` is `latitude` or `longitude`.

    Takes `53.3374`, `-6.26`, `53 20 14.5 N`, `6°15'36"W`.  North and east are positive.  Raises AngleError
    where the hemisphere does not fit the axis, minutes or seconds reach 60, or the value is out of range.
    """
    cleaned = text.translate(_PRIMES).strip()
    if "," in cleaned:
        cleaned = cleaned.replace(",", ".") if cleaned.count(",") == 1 and "." not in cleaned else cleaned
    match = _DMS.match(cleaned)
    if match is None:
        raise AngleError(f"'{text.strip()}' is not an angle. Type 53.3374 or 53 20 14.5 N.")
    sign, degrees, minutes, seconds, hemisphere = match.groups()
    letters, limit = ("NS", 90.0) if axis == "latitude" else ("EW", 180.0)
    if hemisphere and hemisphere.upper() not in letters:
        raise AngleError(
            f"'{text.strip()}' ends in {hemisphere.upper()}, but a {axis} is {letters[0]} or {letters[1]}."
        )
    if sign == "-" and hemisphere:
        raise AngleError(f"'{text.strip()}' has a minus sign and a letter. Use one of them.")
    parts = [float(part or 0.0) for part in (degrees, minutes, seconds)]
    if parts[1] >= 60.0 or parts[2] >= 60.0:
        raise AngleError(f"'{text.strip()}' has minutes or seconds of 60 or more.")
    value = parts[0] + parts[1] / 60.0 + parts[2] / 3600.0
    if value > limit:
        raise AngleError(f"A {axis} lies between -{limit:g} and {limit:g} degrees; {value:g} does not.")
    return -value if sign == "-" or (hemisphere or "").upper() in ("S", "W") else value


def _decimals(unit: str) -> int:
    return 3 if unit == "m" else 2


def text_from_metres(metres: float, unit: str = "m") -> str:
    """Return a length for people in the job's unit: `1.532 m`, `5.03 ft`."""
    return f"{metres / METRES_PER_UNIT[unit]:.{_decimals(unit)}f} {'ft' if unit == 'sft' else unit}"
