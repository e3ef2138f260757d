"""Tables with a fixed header: every column by its name, whatever their order; further columns are left aside."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass

from openstake.core.errors import FileError
from openstake.wire.tables.control_reading import FARTHEST_M, decoded, number_text


@dataclass(frozen=True)
class FixedLine:
    """One line of a table: its number in the file, and its cells by the names of their columns, without blanks around them."""

    number: int
    cells: dict[str, str]

    def metres(self, name: str) -> float:
        """Return a cell as metres; FileError where it is no number."""
        text = self.cells[name]
        value = number_text(text)
        if value is None or abs(float(value)) > FARTHEST_M:
            raise FileError(f"Line {self.number}: {name} is '{text[:20]}'; it must be a number of metres.")
        return float(value)

    def metres_or_none(self, name: str) -> float | None:
        """Return a cell as metres, None where it is empty or its column is not there."""
        return self.metres(name) if self.cells.get(name) else None


def fixed_table(content: bytes, wanted: Sequence[str], most_bytes: int, what: str, optional: Sequence[str] = ()) -> list[FixedLine]:
    """Return the lines of a table that has all columns `wanted` once; FileError says what lacks, or that the file is none.

    `what` says how large such a file is, for one that is too large.
    """
    if len(content) > most_bytes:
        raise FileError(f"The file has more than {most_bytes >> 20} MB; {what}.")
    text, _ = decoded(content)
    try:
        rows = [(number, row) for number, row in _numbered(text) if any(cell.strip() for cell in row)]
    except csv.Error as error:
        raise FileError(f"The file is not a table: {error}.") from None
    if not rows:
        raise FileError("The file is empty.")
    columns = _columns(rows[0][1], wanted, optional)
    return [
        FixedLine(number, {name: row[place].strip() if place < len(row) else "" for name, place in columns.items()})
        for number, row in rows[1:]
    ]


def _numbered(text: str) -> list[tuple[int, list[str]]]:
    first = text.partition("\n")[0]
    delimiter = next((mark for mark in (";", "\t") if first.count(mark) >= 2), ",")
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    return [(reader.line_num, row) for row in reader]


def _columns(header: Sequence[str], wanted: Sequence[str], optional: Sequence[str]) -> dict[str, int]:
    names = [cell.strip().lower() for cell in header]
    for name in (*wanted, *(name for name in optional if name in names)):
        if names.count(name) != 1:
            times = "no" if name not in names else "more than one"
            raise FileError(f"The file has {times} column {name}. Its header is {','.join(wanted)}.")
    return {name: names.index(name) for name in (*wanted, *optional) if name in names}
