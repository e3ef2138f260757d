"""What every reader of control lists returns: line by line what is read or why it is refused, and what a person must say.

Nothing is decided silently: format, encoding, separator, columns, units and kinds of height come back with the reading.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Literal

from openstake.core.errors import FileError
from openstake.core.mark import GivenMark
from openstake.core.units import EXACT_METRES_PER_UNIT
from openstake.wire.jsontext import FORBIDDEN

MOST_LINES = 50_000
MOST_COLUMNS = 200
LONGEST_NUMBER = 400
FARTHEST_M = 1e9  # twenty-five times around the Earth
LONGEST_NAME = 80
LONGEST_TEXT = 2000

# What a column may be in.  `foot?` is a foot that does not say which one: a person must.
UNIT_FACTORS = EXACT_METRES_PER_UNIT | {"mm": Fraction(1, 1000)}
UNSAID_FOOT = "foot?"


@dataclass(frozen=True, kw_only=True)
class Line:
    """One line of the file: its number, its cells, and the mark it makes or the sentence that refuses it."""

    number: int
    cells: tuple[str, ...]
    mark: GivenMark | None
    refusal: str


FileFormat = Literal["CSV", "GeoJSON", "LandXML"]


@dataclass(frozen=True, kw_only=True)
class Reading:
    """A control list as read.  `unit` is what its lengths were read in, `unit_stated` whether the file says so.

    `header` and `roles` are those of a table; the other formats have fixed ones.  `system` is what the file says its grid
    coordinates are in.  `questions` must be answered before anything is stored.
    """

    format: FileFormat
    encoding: str
    delimiter: str
    header: tuple[str, ...] | None
    roles: tuple[str, ...]
    unit: str
    unit_stated: bool
    system: str | None = None
    questions: tuple[str, ...] = ()
    lines: list[Line] = field(default_factory=list)


HEIGHT_QUESTION = "The file does not say whether its heights are ellipsoidal or elevations. Choose one."
UNIT_QUESTION = "The file does not say which foot or metre its numbers are in. Choose the unit."
FOOT_QUESTION = "The file says feet, but not which: the international or the US survey foot. Choose one."


def decoded(content: bytes) -> tuple[str, str]:
    """Return a file's text and the encoding it was read in: UTF-16 by its mark, UTF-8 with or without, else Latin-1."""
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            return content.decode("utf-16"), "UTF-16"
        except UnicodeDecodeError:
            raise FileError("The file begins as UTF-16 text and does not go on as such. Export it again.") from None
    if b"\0" in content[:4096]:
        raise FileError("This is not a text file: it holds zero bytes. Export the control list as CSV.")
    try:
        return content.decode("utf-8-sig"), "UTF-8"
    except UnicodeDecodeError:
        return content.decode("latin-1"), "Latin-1"


def number_text(text: str) -> str | None:
    """Return a number with a decimal point, as it can be read exactly; None where it is no number."""
    if len(text) > LONGEST_NUMBER:
        return None
    cleaned = text.strip().replace(" ", "").replace("\u00a0", "").replace("−", "-")
    if not re.fullmatch(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d{1,2})?", cleaned):
        return None
    cleaned = cleaned.replace(",", ".")
    return cleaned if abs(float(cleaned)) < 1e12 else None


def metres(number: str, unit: str) -> float:
    """Return a number from `number_text` in metres, rounded once."""
    return float(Fraction(number) * UNIT_FACTORS[unit])


def refusal_of(mark: GivenMark) -> str:
    """Return why a mark cannot be one, whatever the format; empty where it can."""
    return refusal_of_name(mark) or _refusal_of_texts(mark) or _refusal_of_place(mark)


def refusal_of_name(mark: GivenMark) -> str:
    """Return why a mark's name is none; empty where it is one."""
    if not mark.name:
        return "The mark has no name."
    if len(mark.name) > LONGEST_NAME:
        return f"The name is longer than {LONGEST_NAME} characters."
    if re.search(r"[\t\r\n]", mark.name) or FORBIDDEN.search(mark.name):
        return "The name holds a line break or another character that no name may hold."
    return ""


def _refusal_of_texts(mark: GivenMark) -> str:
    if any(FORBIDDEN.search(text) for text in (mark.note, mark.source, mark.order)):
        return "A text holds a control character, or one that is no character."
    if max(len(mark.note), len(mark.source), len(mark.order)) > LONGEST_TEXT:
        return f"A text is longer than {LONGEST_TEXT} characters."
    return ""


def _refusal_of_place(mark: GivenMark) -> str:
    if mark.east_m is None and mark.latitude_deg is None:
        return "The line holds neither east and north nor latitude and longitude."
    if mark.latitude_deg is not None and not abs(mark.latitude_deg) <= 90.0:
        return f"A latitude lies between -90 and 90 degrees; {mark.latitude_deg:g} does not. Are the two exchanged?"
    if mark.longitude_deg is not None and not abs(mark.longitude_deg) <= 180.0:
        return f"A longitude lies between -180 and 180 degrees; {mark.longitude_deg:g} does not."
    if any(sigma is not None and not 0.0 < sigma <= 100.0 for sigma in (mark.sigma_horizontal_m, mark.sigma_vertical_m)):
        return "A standard deviation lies above 0 and up to 100 m."
    if any(length is not None and not abs(length) < FARTHEST_M for length in (mark.east_m, mark.north_m)):
        return "East and north are farther than anything on Earth. Is the unit right?"
    if mark.height_m is not None and not -12_000.0 <= mark.height_m <= 10_000.0:
        return f"A height of {mark.height_m:.0f} m is not found on Earth. Is the unit right?"
    return ""


def without_doubles(lines: list[Line]) -> list[Line]:
    """Return the lines with every later mark of a name refused; the same place says so, another place says how far off."""
    first: dict[str, Line] = {}
    kept = []
    for line in lines:
        earlier = first.setdefault(line.mark.name, line) if line.mark else line
        if line.mark is not None and earlier is not line and earlier.mark is not None:
            same = _place(line.mark) == _place(earlier.mark)
            end = "with the same coordinates" if same else "with other coordinates: which is right?"
            sentence = f"The name {line.mark.name} stands on line {earlier.number} already, {end}"
            kept.append(Line(number=line.number, cells=line.cells, mark=None, refusal=sentence.rstrip(".?") + ("." if same else "?")))
        else:
            kept.append(line)
    return kept


def _place(mark: GivenMark) -> tuple[float | None, ...]:
    return mark.east_m, mark.north_m, mark.latitude_deg, mark.longitude_deg, mark.height_m


def too_many(count: int) -> FileError:
    return FileError(f"The file has {count} lines; a control list of more than {MOST_LINES} is not read.")
