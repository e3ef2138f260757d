"""A control list in CSV: what each column is taken for, and line by line what is read or why it is refused.

Nothing is decided silently: separator, header, columns, decimal mark and encoding come back with the reading, and a height
whose kind the file does not say must be named by a person.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass, field

from openstake.core.errors import FileError
from openstake.core.units import METRES_PER_UNIT

ROLES = ("name", "east", "north", "height", "sigma_horizontal", "sigma_vertical", "note", "ignored")
MOST_LINES = 50_000

_HEADERS = {
    "name": ("name", "point", "pt", "id", "mark", "station", "no", "nr", "number", "pointname", "pointid", "label"),
    "east": ("east", "easting", "e", "x", "eastm", "eastingm", "eastingft", "eastft"),
    "north": ("north", "northing", "n", "y", "northm", "northingm", "northingft", "northft"),
    "height": (
        "height", "h", "z", "elevation", "elev", "rl", "level", "ellipsoidalheight", "heightellipsoidal", "hell", "ellh",
        "ellheight", "heightm", "elevationm", "ellipsoidalheightm",
    ),
    "sigma_horizontal": ("sigmah", "sigmahorizontal", "sdh", "stdh", "sigmahorizontalm"),
    "sigma_vertical": ("sigmav", "sigmavertical", "sdv", "stdv", "sigmaverticalm"),
    "note": ("note", "notes", "description", "desc", "code", "remark", "remarks", "comment"),
}  # fmt: skip


@dataclass(frozen=True)
class GivenMark:
    """One mark as a line gives it, in metres."""

    name: str
    east_m: float
    north_m: float
    height_m: float | None
    sigma_horizontal_m: float | None
    sigma_vertical_m: float | None
    note: str


@dataclass(frozen=True)
class Line:
    """One line of the file: its number, its cells, and the mark it makes or the sentence that refuses it."""

    number: int
    cells: tuple[str, ...]
    mark: GivenMark | None
    refusal: str


@dataclass(frozen=True)
class Reading:
    """A control list as read.  `height_kind` is what the header says of heights, None where it does not."""

    encoding: str
    delimiter: str
    header: tuple[str, ...] | None
    roles: tuple[str, ...]
    height_kind: str | None
    lines: list[Line] = field(default_factory=list)


def decoded(content: bytes) -> tuple[str, str]:
    """Return a file's text and the encoding it was read in: UTF-8 with or without mark, else Latin-1."""
    if b"\0" in content[:4096]:
        raise FileError("This is not a text file: it holds zero bytes. Export the control list as CSV.")
    try:
        return content.decode("utf-8-sig"), "UTF-8"
    except UnicodeDecodeError:
        return content.decode("latin-1"), "Latin-1"


def _delimiter(text: str) -> str:
    """Return the separator that gives most of the first lines three cells; a decimal comma does not win over a semicolon."""
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")][:20]
    for mark in (";", "\t", ","):
        if 2 * sum(line.count(mark) >= 2 for line in lines) > len(lines):
            return mark
    raise FileError(
        "No separator splits most lines into a name, an east and a north: commas, semicolons and tabs were tried."
    )


def _plain(text: str) -> str:
    return re.sub(r"[^a-z]", "", text.lower().replace("σ", "sigma"))


def _is_number(text: str) -> bool:
    return _number_or_none(text) is not None


def _number_or_none(text: str) -> float | None:
    cleaned = text.strip().replace(" ", "")
    if not re.fullmatch(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?", cleaned):
        return None
    value = float(cleaned.replace(",", "."))
    return value if abs(value) < 1e12 else None


def _roles_of_header(header: Sequence[str]) -> tuple[str, ...]:
    taken: set[str] = set()
    roles = []
    for cell in header:
        word = _plain(cell)
        role = next((role for role, words in _HEADERS.items() if word in words and role not in taken), "ignored")
        taken.add(role)
        roles.append(role)
    return tuple(roles)


def _roles_of_numbers(row: Sequence[str]) -> tuple[str, ...]:
    """Return what columns without a header are usually: name, east, north, height, note."""
    order = iter(("east", "north", "height"))
    roles: list[str] = []
    for place, cell in enumerate(row):
        if place == 0:
            roles.append("name")
        elif _is_number(cell):
            roles.append(next(order, "ignored"))
        else:
            roles.append("note" if "note" not in roles else "ignored")
    return tuple(roles)


def _kind_in(header: Sequence[str], roles: Sequence[str]) -> str | None:
    for cell, role in zip(header, roles, strict=False):
        if role == "height":
            word = _plain(cell)
            if "ell" in word:
                return "ellipsoidal"
            if word.startswith(("elev", "rl", "level")):
                return "elevation"
    return None


def read_control(content: bytes, unit: str, roles: Sequence[str] | None = None) -> Reading:
    """Return a control list as read in `unit`; `roles` overrules what the columns are taken for.

    FileError where the file is no table, or where no columns are taken for name, east and north.
    """
    text, encoding = decoded(content)
    if not text.strip():
        raise FileError("The file is empty.")
    delimiter = _delimiter(text)
    try:
        rows = [
            (number, tuple(cell.strip() for cell in row))
            for number, row in enumerate(csv.reader(io.StringIO(text), delimiter=delimiter), 1)
            if any(cell.strip() for cell in row) and not row[0].lstrip().startswith("#")
        ]
    except csv.Error as error:
        raise FileError(f"The file is not a table: {error}.") from None
    if not rows:
        raise FileError("The file holds no lines but comments.")
    if len(rows) > MOST_LINES:
        raise FileError(f"The file has {len(rows)} lines; a control list of more than {MOST_LINES} is not read.")
    first = rows[0][1]
    header = None if sum(map(_is_number, first)) >= 2 else first
    body = rows if header is None else rows[1:]
    proposed = _roles_of_header(header) if header else _roles_of_numbers(first)
    chosen = tuple(roles) if roles is not None else proposed
    if bad := [role for role in chosen if role not in ROLES]:
        raise FileError(f"'{bad[0]}' is not something a column can be; it is one of {', '.join(ROLES)}.")
    if len(chosen) != len(first):
        raise FileError(f"The file has {len(first)} columns, and {len(chosen)} were named.")
    doubled = [role for role in ROLES[:-1] if chosen.count(role) > 1]
    if doubled:
        raise FileError(f"Two columns are taken for {doubled[0]}. Choose one.")
    reading = Reading(encoding, delimiter, header, chosen, _kind_in(header or (), chosen))
    seen: dict[str, int] = {}
    for number, cells in body:
        mark, refusal = _mark_of(cells, chosen, unit)
        if mark is not None:
            first_line = seen.setdefault(mark.name, number)
            if first_line != number:
                mark, refusal = None, f"The name {cells[chosen.index('name')]} stands on line {first_line} already."
        reading.lines.append(Line(number, cells, mark, refusal))
    return reading


def _mark_of(cells: tuple[str, ...], roles: tuple[str, ...], unit: str) -> tuple[GivenMark | None, str]:
    if missing := [role for role in ("name", "east", "north") if role not in roles]:
        return None, f"No column is taken for {' and '.join(missing)}."
    if len(cells) < len(roles):
        return None, f"The line has {len(cells)} cells, not {len(roles)}."
    if len(cells) > len(roles) and any(cells[len(roles) :]):
        return None, f"The line has {len(cells)} cells, not {len(roles)}: is a comma inside a number?"
    values = {role: cell for role, cell in zip(roles, cells, strict=False) if role != "ignored"}
    if not values["name"]:
        return None, "The mark has no name."
    if len(values["name"]) > 80:
        return None, "The name is longer than 80 letters."
    lengths: dict[str, float | None] = {}
    for role in ("east", "north", "height", "sigma_horizontal", "sigma_vertical"):
        text = values.get(role, "")
        number = _number_or_none(text)
        if text and number is None:
            return None, f"'{text[:30]}' is not a number of {role.replace('_', ' ')}."
        lengths[role] = None if number is None else number * METRES_PER_UNIT[unit]
    east, north = lengths["east"], lengths["north"]
    if east is None or north is None:
        return None, f"The {'east' if east is None else 'north'} is empty."
    sigmas = (lengths["sigma_horizontal"], lengths["sigma_vertical"])
    if any(sigma is not None and not 0.0 < sigma <= 100.0 for sigma in sigmas):
        return None, "A standard deviation lies above 0 and up to 100 m."
    return GivenMark(values["name"], east, north, lengths["height"], *sigmas, values.get("note", "")), ""
