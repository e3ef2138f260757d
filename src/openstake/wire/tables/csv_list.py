"""A control list in CSV: any order of columns, with a header or without, point or comma, comma, semicolon or tab."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass

from openstake.core.errors import AngleError, FileError
from openstake.core.mark import GivenMark, HeightKind, PlacedMark
from openstake.core.units import degrees_from_text, plain_number, shortest_number
from openstake.wire.tables.cells import csv_text
from openstake.wire.tables.control_reading import (
    FOOT_QUESTION,
    HEIGHT_QUESTION,
    MOST_COLUMNS,
    MOST_LINES,
    UNSAID_FOOT,
    Line,
    Reading,
    decoded,
    metres,
    number_text,
    refusal_of,
    too_many,
)

ROLES = (
    "name",
    "east",
    "north",
    "latitude",
    "longitude",
    "height",
    "elevation",
    "ellipsoidal_height",
    "sigma_horizontal",
    "sigma_vertical",
    "order",
    "source",
    "note",
    "check_only",
    "ignored",
)
LENGTHS = ("east", "north", "height", "elevation", "ellipsoidal_height", "sigma_horizontal", "sigma_vertical")

_HEADERS = {
    "name": ("name", "point", "pt", "id", "mark", "station", "no", "nr", "number", "pointname", "pointid", "label"),
    "east": ("east", "easting", "e", "x"),
    "north": ("north", "northing", "n", "y"),
    "latitude": ("latitude", "lat", "phi"),
    "longitude": ("longitude", "lon", "long", "lng", "lambda"),
    "ellipsoidal_height": ("ellipsoidalheight", "heightellipsoidal", "hell", "ellh", "ellheight", "ellipsoidheight"),
    "elevation": ("elevation", "elev", "rl", "level", "reducedlevel", "orthometricheight"),
    "height": ("height", "h", "z", "ht"),
    "sigma_horizontal": ("sigmah", "sigmahorizontal", "sdh", "stdh"),
    "sigma_vertical": ("sigmav", "sigmavertical", "sdv", "stdv"),
    "order": ("order", "class"),
    "source": ("source", "origin", "from"),
    "check_only": ("checkonly", "checkpoint", "check"),
    "note": ("note", "notes", "description", "desc", "code", "remark", "remarks", "comment"),
}
_UNIT_WORDS = {
    "m": "m",
    "metre": "m",
    "metres": "m",
    "meter": "m",
    "meters": "m",
    "mm": "mm",
    "ift": "ft",
    "sft": "sft",
    "usft": "sft",
    "ftus": "sft",
    "ft": UNSAID_FOOT,
    "feet": UNSAID_FOOT,
    "foot": UNSAID_FOOT,
}
_YES = {"yes", "y", "true", "1", "x", "check"}
_NO = {"", "no", "n", "false", "0"}


def _delimiter(text: str) -> str:
    """Return the separator that gives most of the first lines three cells; a decimal comma does not win over a semicolon."""
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")][:20]
    if not lines:
        raise FileError("The file holds no lines but comments.")
    for mark in (";", "\t", ","):
        if 2 * sum(line.count(mark) >= 2 for line in lines) > len(lines):
            return mark
    raise FileError("No separator splits most lines into a name, an east and a north: commas, semicolons and tabs were tried.")


@dataclass(frozen=True)
class _Column:
    """What a column holds and what its header says it is in."""

    role: str
    unit: str | None


def _columns_of_header(header: Sequence[str]) -> list[_Column]:
    taken: set[str] = set()
    columns = []
    for cell in header:
        words = re.findall(r"[a-z]+", cell.lower().replace("σ", "sigma "))
        unit = None
        if len(words) > 1 and words[-1] in _UNIT_WORDS:
            unit = _UNIT_WORDS[words.pop()]
            if unit == UNSAID_FOOT and words[-1:] == ["survey"]:
                words.pop()
            if unit == UNSAID_FOOT and len(words) > 1 and words[-1] == "us":
                unit = "sft"
                words.pop()
        word = "".join(words)
        role = next((role for role, known in _HEADERS.items() if word in known and role not in taken), "ignored")
        taken.add(role)
        columns.append(_Column(role, unit))
    return columns


def _columns_of_numbers(row: Sequence[str]) -> list[_Column]:
    """Return what columns without a header are usually: name, east, north, height, note."""
    order = iter(("east", "north", "height"))
    columns: list[_Column] = []
    for place, cell in enumerate(row):
        if place == 0:
            role = "name"
        elif number_text(cell) is not None:
            role = next(order, "ignored")
        else:
            role = "ignored" if any(column.role == "note" for column in columns) else "note"
        columns.append(_Column(role, None))
    return columns


def _rows(text: str, delimiter: str) -> list[tuple[int, tuple[str, ...]]]:
    """Return the lines that are no comments, each with the number of the line it begins on."""
    if any(line.count(delimiter) >= MOST_COLUMNS for line in text.splitlines()):
        raise FileError(f"A line of the file has more than {MOST_COLUMNS} columns: it is not a control list.")
    found = []
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    begins = 1
    try:
        for row in reader:
            cells = tuple(_bare(cell) for cell in row)
            if any(cells) and not (cells[0].startswith("#") and sum(map(_is_number, cells)) < 2 and len(cells) < 3):
                found.append((begins, cells))
            begins = reader.line_num + 1
            if len(found) > MOST_LINES + 1:
                raise too_many(text.count("\n"))
    except csv.Error as error:
        raise FileError(f"The file is not a table: {error}.") from None
    return found


def _bare(cell: str) -> str:
    """Return a cell without blanks, and without the quote that keeps spreadsheets from taking it for a formula."""
    cell = cell.strip()
    return cell[1:] if re.match(r"'[=+\-@\t]", cell) else cell


def _is_number(text: str) -> bool:
    return number_text(text) is not None


def read_csv(
    content: bytes, unit: str | None, default_unit: str, roles: Sequence[str] | None = None, height_kind: HeightKind | None = None
) -> Reading:
    """Return a control list as read.  `unit` is what a person says its numbers are in, else its header, else `default_unit`.

    `roles` overrules what the columns are taken for, `height_kind` says what a plain height is counted from.  FileError
    where the file is no table.
    """
    text, encoding = decoded(content)
    if not text.strip():
        raise FileError("The file is empty.")
    delimiter = _delimiter(text)
    rows = _rows(text, delimiter)
    first = rows[0][1]
    header = None if sum(map(_is_number, first)) >= 2 else (first[0].lstrip("# "), *first[1:])
    columns = _columns_of_header(header) if header else _columns_of_numbers(first)
    columns = _overruled(columns, roles)
    used = unit or next((column.unit for column in columns if column.role in ("east", "height") and column.unit), None)
    questions = _questions(columns, unit, height_kind)
    lines = [_line(number, cells, columns, unit, default_unit, height_kind) for number, cells in (rows if header is None else rows[1:])]
    if not lines:
        raise FileError("The file holds a header and no lines under it.")
    return Reading(
        format="CSV",
        encoding=encoding,
        delimiter=delimiter,
        header=header,
        roles=tuple(column.role for column in columns),
        unit=default_unit if used in (None, UNSAID_FOOT) else str(used),
        unit_stated=used not in (None, UNSAID_FOOT),
        system=None,
        questions=questions,
        lines=lines,
    )


def _overruled(columns: list[_Column], roles: Sequence[str] | None) -> list[_Column]:
    if roles is not None:
        if bad := [role for role in roles if role not in ROLES]:
            raise FileError(f"'{bad[0]}' is not something a column can be; it is one of {', '.join(ROLES)}.")
        if len(roles) != len(columns):
            raise FileError(f"The file has {len(columns)} columns, and {len(roles)} were named.")
        columns = [_Column(role, column.unit) for role, column in zip(roles, columns, strict=True)]
    taken = [column.role for column in columns]
    if doubled := [role for role in ROLES[:-1] if taken.count(role) > 1]:
        raise FileError(f"Two columns are taken for {doubled[0]}. Choose one.")
    return columns


def _questions(columns: list[_Column], unit: str | None, height_kind: HeightKind | None) -> tuple[str, ...]:
    roles = {column.role for column in columns}
    questions = []
    if "height" in roles and height_kind is None:
        questions.append(HEIGHT_QUESTION)
    if unit is None and any(column.unit == UNSAID_FOOT for column in columns):
        questions.append(FOOT_QUESTION)
    geodetic = {"latitude", "longitude"} & roles
    needed = ("name", "latitude", "longitude") if geodetic and not {"east", "north"} & roles else ("name", "east", "north")
    if missing := [role for role in needed if role not in roles]:
        questions.append(f"Say which column holds {' and '.join(missing)}.")
    return tuple(questions)


def _line(
    number: int, cells: tuple[str, ...], columns: list[_Column], unit: str | None, default_unit: str, height_kind: HeightKind | None
) -> Line:
    try:
        return Line(number=number, cells=cells, mark=_mark(cells, columns, unit, default_unit, height_kind), refusal="")
    except (_RefusedError, AngleError) as error:
        return Line(number=number, cells=cells, mark=None, refusal=str(error))


class _RefusedError(Exception):
    """Why a line makes no mark: a sentence."""


def _mark(cells: tuple[str, ...], columns: list[_Column], unit: str | None, default_unit: str, height_kind: HeightKind | None) -> GivenMark:
    _check_cells(cells, columns)
    values = {column.role: cell for column, cell in zip(columns, cells, strict=False) if column.role != "ignored"}
    lengths = _lengths(values, columns, unit, default_unit)
    angles = {axis: degrees_from_text(values[axis], axis) for axis in ("latitude", "longitude") if values.get(axis)}
    grid = _is_grid(lengths, angles)
    check_only = values.get("check_only", "").lower()
    if check_only not in _YES | _NO:
        raise _RefusedError(f"'{values['check_only'][:30]}' is neither yes nor no for a check point.")
    given = [role for role in ("ellipsoidal_height", "elevation", "height") if role in lengths]
    if len(given) > 1:
        raise _RefusedError("The line has two heights. Leave one of the columns out.")
    kinds: dict[str, HeightKind | None] = {"ellipsoidal_height": "ellipsoidal", "elevation": "elevation"}
    mark = GivenMark(
        name=values.get("name", ""),
        east_m=lengths.get("east"),
        north_m=lengths.get("north"),
        latitude_deg=None if grid else angles.get("latitude"),
        longitude_deg=None if grid else angles.get("longitude"),
        height_m=lengths[given[0]] if given else None,
        height_kind=kinds.get(given[0], height_kind) if given else None,
        sigma_horizontal_m=lengths.get("sigma_horizontal"),
        sigma_vertical_m=lengths.get("sigma_vertical"),
        order=values.get("order", ""),
        source=values.get("source", ""),
        note=values.get("note", ""),
        check_only=check_only in _YES,
    )
    if refusal := refusal_of(mark):
        raise _RefusedError(refusal)
    return mark


def _check_cells(cells: tuple[str, ...], columns: list[_Column]) -> None:
    if len(cells) < len(columns):
        raise _RefusedError(f"The line has {len(cells)} cells, not {len(columns)}.")
    if len(cells) > len(columns) and any(cells[len(columns) :]):
        raise _RefusedError(f"The line has {len(cells)} cells, not {len(columns)}: is a comma inside a number?")


def _lengths(values: dict[str, str], columns: list[_Column], unit: str | None, default_unit: str) -> dict[str, float]:
    """Return the lengths of a line in metres, by role; those that are empty are left out."""
    lengths: dict[str, float] = {}
    for column in columns:
        text = values.get(column.role, "")
        if column.role not in LENGTHS or not text:
            continue
        found = number_text(text)
        if found is None:
            raise _RefusedError(f"'{text[:30]}' is not a number of {column.role.replace('_', ' ')}.")
        lengths[column.role] = metres(found, _unit_for(column, unit, default_unit))
    return lengths


def _is_grid(lengths: dict[str, float], angles: dict[str, float]) -> bool:
    """Tell whether a line gives grid coordinates; a sentence where it gives only one of two."""
    grid = "east" in lengths and "north" in lengths
    if not grid and ("east" in lengths) != ("north" in lengths):
        raise _RefusedError(f"The {'north' if 'east' in lengths else 'east'} is empty.")
    if not grid and len(angles) == 1:
        raise _RefusedError(f"The {'longitude' if 'latitude' in angles else 'latitude'} is empty.")
    return grid


def _unit_for(column: _Column, unit: str | None, default_unit: str) -> str:
    if column.unit == "mm":
        return "mm"
    stated = None if column.unit == UNSAID_FOOT else column.unit
    return unit or stated or default_unit


_EXPORT_UNIT = {"m": "m", "ft": "ift", "sft": "sft"}


def write_csv(marks: Sequence[PlacedMark], unit: str) -> str:
    """Return marks as CSV in the job's unit, which the header names; read again it gives the same marks bit for bit."""
    sign = _EXPORT_UNIT[unit]
    header = [
        "name",
        f"east_{sign}",
        f"north_{sign}",
        "latitude",
        "longitude",
        f"elevation_{sign}",
        f"ellipsoidal_height_{sign}",
        f"sigma_horizontal_{sign}",
        f"sigma_vertical_{sign}",
        "order",
        "source",
        "note",
        "check_only",
    ]
    return csv_text([header, *(_exported(placed.given, unit) for placed in marks)])


def _exported(mark: GivenMark, unit: str) -> list[str]:
    def length(value: float | None) -> str:
        return "" if value is None else shortest_number(value, unit)

    return [
        mark.name,
        length(mark.east_m),
        length(mark.north_m),
        "" if mark.latitude_deg is None else plain_number(mark.latitude_deg),
        "" if mark.longitude_deg is None else plain_number(mark.longitude_deg),
        length(mark.height_m) if mark.height_kind == "elevation" else "",
        length(mark.height_m) if mark.height_kind == "ellipsoidal" else "",
        length(mark.sigma_horizontal_m),
        length(mark.sigma_vertical_m),
        mark.order,
        mark.source,
        mark.note,
        "yes" if mark.check_only else "no",
    ]
