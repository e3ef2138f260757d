"""One sentence: checksum, fields, and the few readings that most sentences share."""

from __future__ import annotations

from datetime import date

LONGEST_SENTENCE = 1024  # NMEA says 82; devices exceed it, nothing sane exceeds this


def checksum(body: bytes) -> int:
    """Return the exclusive-or of all bytes between `$` and `*`."""
    # Folding one big integer in halves is five times as fast as a loop over bytes.
    value, size = int.from_bytes(body, "big"), 1024
    while body and size >= len(body) * 2:
        size >>= 1
    while size >= 1:
        value = (value >> (8 * size)) ^ (value & ((1 << (8 * size)) - 1))
        size >>= 1
    return value


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


def number(text: str) -> float | None:
    """Return a decimal field, None where it is empty; ValueError where it is not a finite number."""
    if not text:
        return None
    value = float(text)
    if value - value != 0.0:
        raise ValueError("not a finite number")
    return value


def whole(text: str) -> int | None:
    return int(text) if text else None


def time_of_day_s(text: str) -> float | None:
    """Return seconds of the UTC day of `hhmmss.ss`; a leap second is 86400 and more."""
    if not text:
        return None
    hours, minutes, seconds = int(text[0:2]), int(text[2:4]), float(text[4:])
    if hours > 23 or minutes > 59 or not 0.0 <= seconds < 61.0:
        raise ValueError("no time of day")
    return round(hours * 3600 + minutes * 60 + seconds, 4)


def degrees(text: str, hemisphere: str) -> float | None:
    """Return degrees of `dddmm.mmmmmmm` and its letter; north and east are positive."""
    if not text or not hemisphere:
        return None
    point = text.find(".")
    split = (point if point >= 0 else len(text)) - 2
    value = float(text[:split] or "0") + float(text[split:]) / 60.0
    if value > 180.0 or hemisphere not in "NSEW":
        raise ValueError("no angle")
    return -value if hemisphere in "SW" else value


def date_of(text: str) -> date | None:
    """Return the date of `ddmmyy`; the century is this one."""
    if not text:
        return None
    return date(2000 + int(text[4:6]), int(text[2:4]), int(text[0:2]))
