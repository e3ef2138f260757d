"""A skyline as text: an azimuth and an elevation a line, degrees, with or without a header; `#` begins a remark."""

from __future__ import annotations

import re
from collections.abc import Iterable

from openstake.core.errors import FileError, InputError
from openstake.core.sky.skyline import Skyline, skyline_of
from openstake.wire.rinex.observations import finite

_HEADER = ("azimuth_deg", "elevation_deg")


def read_skyline(lines: Iterable[str], name: str) -> Skyline:
    """Return a skyline of the lines of its file; FileError with the line where one is not of a skyline."""
    corners: list[tuple[float, float]] = []
    for number, line in enumerate(lines, 1):
        text = line.removeprefix("\ufeff").partition("#")[0].strip()
        if not text:
            continue
        cells = [cell.strip() for cell in re.split(r"[,;\t]", text)]
        if tuple(cell.lower() for cell in cells) == _HEADER and not corners:
            continue
        try:
            azimuth, elevation = (finite(cell) for cell in cells)
        except ValueError:
            raise FileError(f"{name}, line {number}: '{line.strip()[:60]}' is not an azimuth and an elevation in degrees.") from None
        corners.append((azimuth, elevation))
    if not corners:
        raise FileError(f"{name} holds no corner of a skyline.")
    try:
        return skyline_of(corners)
    except InputError as error:
        raise FileError(f"{name}: {error.sentence}") from None
