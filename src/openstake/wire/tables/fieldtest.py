"""The table of a field test after ISO 17123-8: `series,set,point,east_m,north_m,height_m`, one measured position a line."""

from __future__ import annotations

import re

from openstake.core.errors import FileError
from openstake.core.iso17123 import Measured
from openstake.wire.tables.named_columns import FixedLine, fixed_table

MOST_BYTES = 1 << 20
COUNTED, LENGTHS = ("series", "set", "point"), ("east_m", "north_m", "height_m")


def read_field_test(content: bytes) -> list[Measured]:
    """Return the measured positions of a table; further columns are left aside.

    FileError names the line.  The lengths are metres, as the header says: another unit there is refused.
    """
    lines = fixed_table(content, (*COUNTED, *LENGTHS), MOST_BYTES, "a field test has 30 lines")
    return [_measured(line) for line in lines]


def _measured(line: FixedLine) -> Measured:
    series, number, point = (_count(line, name) for name in COUNTED)
    east, north, height = (line.metres(name) for name in LENGTHS)
    return Measured(series=series, set=number, point=point, east_m=east, north_m=north, height_m=height)


def _count(line: FixedLine, name: str) -> int:
    text = line.cells[name]
    if not re.fullmatch(r"[0-9]{1,3}", text):
        raise FileError(f"Line {line.number}: the {name} is '{text[:20]}', and it must be a whole number.")
    return int(text)
