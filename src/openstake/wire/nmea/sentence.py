"""One sentence: checksum, fields, and the few readings that most sentences share."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date
from typing import Literal

import numpy as np
from numpy.typing import NDArray

LONGEST_SENTENCE = 1024  # NMEA says 82; devices exceed it, nothing sane exceeds this


def checksum(body: bytes) -> int:
    """Return the exclusive-or of all bytes between `$` and `*`."""
    # Folding one big integer in halves is far faster than a loop over bytes: its lowest byte collects all of them.
    value, bits = int.from_bytes(body, "big"), 512
    while bits < 4 * len(body):
        bits <<= 1
    while bits >= 8:
        value ^= value >> bits
        bits >>= 1
    return value & 0xFF


def sentence_bytes(body: str) -> bytes:
    """Return the sentence with `$`, checksum and line end around its body."""
    encoded = body.encode("ascii", "replace")
    return b"$%b*%02X\r\n" % (encoded, checksum(encoded))


class BadChecksum(ValueError):
    """A sentence whose checksum does not fit its text."""


class NoChecksum(ValueError):
    """A sentence without a checksum: it may be cut short, so it is not read."""


def fields_of(line: bytes) -> list[str] | None:
    """Return the comma-separated fields of the sentence in a line; None where the line holds none.

    Whatever stands before `$` (a logger's time stamp) is passed over.  Raises BadChecksum or NoChecksum.
    """
    start = line.find(b"$")
    if start < 0:
        return None
    star = line.find(b"*", start)
    if star >= 0:
        # A sentence that was cut short may stand before a whole one: a `$` is nothing but a beginning.
        start = line.rfind(b"$", start, star)
    body = line[start + 1 : star if star >= 0 else None]
    if len(body) < 6 or b"," not in body[:8]:
        return None
    if star < 0:
        raise NoChecksum
    try:
        stated = int(line[star + 1 : star + 3], 16)
    except ValueError:
        raise NoChecksum from None
    if stated != checksum(body):
        raise BadChecksum
    return body.decode("ascii", "replace").split(",")


_DECIMAL = re.compile(r"[+-]?(\d{1,18}(\.\d{0,18})?|\.\d{1,18})")


def number(text: str) -> float | None:
    """Return a decimal field, None where it is empty; ValueError where it is not a plain decimal number."""
    if not text:
        return None
    if not _DECIMAL.fullmatch(text.strip()):
        raise ValueError("not a number")
    return float(text)


def within(text: str, least: float, most: float) -> float | None:
    """Return a decimal field that lies within limits; what cannot be is unknown, as what is empty or no number."""
    try:
        value = number(text)
    except ValueError:
        return None
    return value if value is not None and least <= value <= most else None


def whole(text: str, most: int) -> int | None:
    """Return a count or an ID from 0 to `most`; None for anything else."""
    value = within(text, 0.0, most)
    return int(value) if value is not None and value == int(value) else None


_CLOCK = re.compile(r"(\d\d)(\d\d)(\d\d(?:\.\d{0,9})?)")


def time_of_day_s(text: str) -> float | None:
    """Return seconds of the UTC day of `hhmmss.ss`; a leap second is 86400 and more."""
    if not text:
        return None
    match = _CLOCK.fullmatch(text)
    if match is None:
        raise ValueError("no time of day")
    hours, minutes, seconds = int(match[1]), int(match[2]), float(match[3])
    if hours > 23 or minutes > 59 or seconds >= 61.0:
        raise ValueError("no time of day")
    return round(hours * 3600 + minutes * 60 + seconds, 4)


# Digits of whole degrees, by the letter of the hemisphere.
_WHOLE_DEGREES = {"N": 2, "S": 2, "E": 3, "W": 3}


def degrees(text: str, hemisphere: str) -> float | None:
    """Return degrees of `ddmm.mmmmmmm` (latitude) or `dddmm.mmmmmmm` and its letter; north and east are positive.

    ValueError for anything else, as decimal degrees: with too few digits they would be read as minutes.
    """
    if not text or not hemisphere:
        return None
    digits, (before, _, after) = _WHOLE_DEGREES.get(hemisphere, 0), text.partition(".")
    if len(before) != digits + 2 or not (before + after).isdecimal() or not text.isascii() or len(text) > 30:
        raise ValueError("no angle")
    minutes = float(text[digits:])
    value = int(before[:digits]) + minutes / 60.0
    if minutes >= 60.0 or value > (90.0 if digits == 2 else 180.0):
        raise ValueError("no angle")
    return -value if hemisphere in "SW" else value


# Many angles of one kind, a line each, by their letters.
_ANGLES = {
    letters: re.compile(rf"(?:[0-9]{{{_WHOLE_DEGREES[letters[0]]}}}[0-5][0-9]\.[0-9]{{0,20}},[{letters}]\n)*") for letters in ("NS", "EW")
}


def degrees_of(angles: Sequence[str], letters: Literal["NS", "EW"]) -> NDArray[np.float64]:
    """Return the degrees of latitudes ("NS") or longitudes with their letters (`ddmm.mmmmmmm,N`), shape (n,).

    To the bit what `degrees` makes of each, at a tenth of its cost; without digits or letter it is NaN, anything else a ValueError.
    """
    digits = _WHOLE_DEGREES[letters[0]]
    if not _ANGLES[letters].fullmatch("".join([f"{angle}\n" for angle in angles])):
        parts = [angle.partition(",") for angle in angles]
        if not {letter for _, _, letter in parts} <= {*letters, ""}:
            raise ValueError("no angle")
        return np.array([degrees(text, letter) for text, _, letter in parts], dtype=float)
    minutes = np.array([float(angle[digits:-2]) for angle in angles])
    value = np.array([int(angle[:digits]) for angle in angles], dtype=float) + minutes / 60.0
    if (value > (90.0 if letters == "NS" else 180.0)).any():
        raise ValueError("no angle")
    return np.where([angle[-1] in "SW" for angle in angles], -value, value)


def date_of(text: str) -> date | None:
    """Return the date of `ddmmyy`; the century is this one."""
    if not text:
        return None
    return date(2000 + int(text[4:6]), int(text[2:4]), int(text[0:2]))
