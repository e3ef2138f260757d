"""Grid files that were brought in for datum operations: which of those that an operation names are here, and where.

A pipeline keeps the plain names of its grids, so that a job means the same on every machine; paths are put in when it is computed.
"""

from __future__ import annotations

import re
import struct
import tempfile
from functools import lru_cache
from pathlib import Path
from typing import IO

from openstake.core.errors import FileError

GRID_NAME = re.compile(r"[A-Za-z0-9][\w.-]{2,80}")
_MOST_SUB_GRIDS = 1000
_NTV2_HEAD = 11 * 16  # bytes: eleven records
_GRIDS = re.compile(r"(grids=)([^\s\"]+)")
_folder: list[Path] = []  # the one of the data folder that is open


def look_for_grids_in(folder: Path) -> None:
    """Let operations find their grids in a folder; the program says so once, when it opens its data folder."""
    _folder[:] = [folder]


def grid_path(name: str) -> Path | None:
    """Return where a grid that an operation names lies, None where it is not here."""
    return next((folder / name for folder in _folder if (folder / name).is_file()), None)


def check_datum_grid(path: Path) -> None:
    """Raise FileError where a file is no grid of a datum operation: shifts of latitude and longitude, of three axes, or of heights."""
    import pyproj

    _check_whole(path)
    for kind in ("hgridshift", "gridshift", "vgridshift"):
        try:
            pyproj.Transformer.from_pipeline(f"+proj={kind} +grids={plain_path(str(path))}")
        except pyproj.exceptions.ProjError:
            continue
        return
    raise FileError(
        "PROJ cannot read the file as a grid of a datum operation: it is damaged, packed (take it out of its archive), or of another kind."
    )


def _check_whole(path: Path) -> None:
    """Raise FileError for a file that did not arrive whole: PROJ opens one by its header, and reads its values when they are asked for.

    Source: the layout of NTv2 (records of 16 bytes, nodes of four 32-bit floats) and of TIFF 6.0; the first from memory.
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        start = file.read(16)
        if start[:8] == b"NUM_OREC":
            due = _ntv2_bytes(file, "<" if start[8:9] == b"\x0b" else ">")
        elif start[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
            due = _tiff_bytes(path)
        else:
            return  # of another kind: its values are not promised by a header that is read here
    if size < due:
        raise FileError(f"The grid's header promises {due} bytes, and the file has {size}. It did not arrive whole.")


def _ntv2_bytes(file: IO[bytes], order: str) -> int:
    """Return how many bytes the headers of an NTv2 file promise, as far as there are headers."""
    file.seek(0)
    grids = _whole_number(file.read(_NTV2_HEAD), 40, order)
    due = _NTV2_HEAD
    for _ in range(min(grids, _MOST_SUB_GRIDS)):
        file.seek(due)
        head = file.read(_NTV2_HEAD)
        due += _NTV2_HEAD
        if len(head) < _NTV2_HEAD:
            return due
        due += 16 * _whole_number(head, 168, order)
    return due


def _whole_number(head: bytes, at: int, order: str) -> int:
    return max(int(struct.unpack(f"{order}i", head[at : at + 4].ljust(4, b"\0"))[0]), 0)


def _tiff_bytes(path: Path) -> int:
    """Return how far the pieces of a TIFF reach."""
    import tifffile

    try:
        with tifffile.TiffFile(path) as opened:
            ends = (start + length for page in opened.pages for start, length in zip(page.dataoffsets, page.databytecounts, strict=True))
            return max(ends, default=0)
    except (tifffile.TiffFileError, ValueError, OSError, struct.error, KeyError) as error:
        raise FileError(f"The file begins like a TIFF and cannot be read as one: {str(error)[:80]}.") from None


def lacking_grids(pipeline: str) -> tuple[str, ...]:
    """Return the grids that a pipeline names and that are not here; a path is none that was brought in."""
    names = [name for listed in _GRIDS.findall(pipeline) for name in listed[1].split(",")]
    return tuple(name for name in names if not GRID_NAME.fullmatch(name) or grid_path(name) is None)


def with_paths(pipeline: str) -> str:
    """Return a pipeline with the paths of its grids in place of their names; what is not here stays a name."""

    def path(name: str) -> str:
        found = grid_path(name.removeprefix("@"))
        return name if found is None else plain_path(str(found))

    return _GRIDS.sub(lambda found: found[1] + ",".join(path(name) for name in found[2].split(",")), pipeline)


@lru_cache(maxsize=16)
def plain_path(path: str) -> str:
    """Return a path that PROJ reads as one: a list of grids is parted by commas, and no sign keeps them together."""
    if re.fullmatch(r"[\w./-]+", path, re.ASCII):
        return path
    alias = Path(tempfile.mkdtemp(prefix="openstake-")) / f"grid{Path(path).suffix}"
    alias.symlink_to(Path(path).resolve())
    return str(alias)
