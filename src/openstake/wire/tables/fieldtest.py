"""The table of a field test after ISO 17123-8: `series,set,point,east_m,north_m,height_m`, one measured position a line."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence

from openstake.core.errors import FileError
from openstake.core.iso17123 import Measured
from openstake.wire.tables.given import FARTHEST_M, decoded, number_text

MOST_BYTES = 1 << 20
COUNTED, LENGTHS = ("series", "set", "point"), ("east_m", "north_m", "height_m")


def read_field_test(content: bytes) -> list[Measured]:
    """Return the measured positions of a table; further columns are left aside.

    FileError names the line.  The lengths are metres, as the header says: another unit there is refused.
    """
    if len(content) > MOST_BYTES:
        raise FileError(f"The file has more than {MOST_BYTES >> 20} MB; a field test has 30 lines.")
    text, _ = decoded(content)
    try:
        rows = [(number, row) for number, row in _numbered(text) if any(cell.strip() for cell in row)]
    except csv.Error as error:
        raise FileError(f"The file is not a table: {error}.") from None
    if not rows:
        raise FileError("The file is empty.")
    columns = _columns(rows[0][1])
    return [_measured(number, row, columns) for number, row in rows[1:]]


def _numbered(text: str) -> list[tuple[int, list[str]]]:
    first = text.partition("\n")[0]
    delimiter = next((mark for mark in (";", "\t") if first.count(mark) >= 2), ",")
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    return [(reader.line_num, row) for row in reader]


def _columns(header: Sequence[str]) -> dict[str, int]:
    names = [cell.strip().lower() for cell in header]
    for name in (*COUNTED, *LENGTHS):
        if names.count(name) != 1:
            times = "no" if name not in names else "more than one"
            raise FileError(f"The file has {times} column {name}. Its header is {','.join((*COUNTED, *LENGTHS))}.")
    return {name: names.index(name) for name in (*COUNTED, *LENGTHS)}


def _measured(number: int, row: Sequence[str], columns: dict[str, int]) -> Measured:
    def cell(name: str) -> str:
        return row[columns[name]].strip() if columns[name] < len(row) else ""

    counted = [_count(number, name, cell(name)) for name in COUNTED]
    lengths = [_length(number, name, cell(name)) for name in LENGTHS]
    return Measured(counted[0], counted[1], counted[2], lengths[0], lengths[1], lengths[2])


def _count(number: int, name: str, text: str) -> int:
    if not re.fullmatch(r"[0-9]{1,3}", text):
        raise FileError(f"Line {number}: the {name} is '{text[:20]}', and a whole number is wanted.")
    return int(text)


def _length(number: int, name: str, text: str) -> float:
    value = number_text(text)
    if value is None or abs(float(value)) > FARTHEST_M:
        raise FileError(f"Line {number}: {name} is '{text[:20]}', and a number of metres is wanted.")
    return float(value)
