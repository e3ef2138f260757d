"""Grid files: geoids (.gtx, GeoTIFF) and those of datum operations (NTv2, GeoTIFF), held to be whole before PROJ opens them."""

from __future__ import annotations

import re
import struct
import tempfile
from functools import lru_cache
from pathlib import Path
from typing import IO, Any

import numpy as np
import pyproj

from openstake.core.errors import FileError
from openstake.core.geodesy.geoid import GeoidGrid
from openstake.core.geodesy.grids import find_grids_by
from openstake.core.geodesy.systems import Area
from openstake.core.limits import MOST_UNDULATION_M

_MOST_SUB_GRIDS = 1000
_NTV2_HEAD = 11 * 16  # bytes: eleven records


def look_for_grids_in(folder: Path) -> None:
    """Let operations find their grids in a folder; the program says so once, when it opens its data folder."""
    find_grids_by(lambda name: plain_path(str(folder / name)) if (folder / name).is_file() else None)


def grid_ending(start: bytes) -> str:
    """Return the ending a grid's file must have, by its first bytes: PROJ knows a .gtx by its name alone."""
    return ".tif" if start[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+") else ".gtx"


def read_geoid_grid(path: Path) -> GeoidGrid:
    """Return a grid's area and resolution; FileError for what is no geoid grid.

    Takes `.gtx` (big-endian header of 40 bytes, then rows of 32-bit floats from the south) and GeoTIFF in latitude and
    longitude.  Source: PROJ documentation, `vgridshift`; OGC GeoTIFF 1.1.
    """
    grid = grid_by_header(path)
    _check_values(grid)
    return grid


def grid_by_header(path: Path) -> GeoidGrid:
    """Return what a grid's header says, before PROJ opens the file; FileError where it cannot be one."""
    with path.open("rb") as file:
        start = file.read(40)
    if len(start) < 40:
        raise FileError("The file is too short to be a geoid grid.")
    return _tiff_grid(path) if grid_ending(start) == ".tif" else _gtx_grid(path, start)


def _gtx_grid(path: Path, start: bytes) -> GeoidGrid:
    south, west, step_lat, step_lon, rows, columns = struct.unpack(">ddddii", start)
    _check_header(west, south, step_lat, step_lon, rows, columns)
    due = 40 + 4 * rows * columns
    if (size := path.stat().st_size) != due:
        raise FileError(
            f"The grid's header promises {rows} x {columns} values ({due} bytes), but the file has {size}. It did not arrive whole."
        )
    return _grid(path, west, south, step_lat, step_lon, rows, columns)


def _grid(path: Path, west: float, south: float, step_lat: float, step_lon: float, rows: int, columns: int) -> GeoidGrid:
    width = step_lon * (columns - 1)
    if width + step_lon > 359.999:
        west, east = -180.0, 180.0
    else:
        west = (west + 180.0) % 360.0 - 180.0
        east = (west + width + 180.0) % 360.0 - 180.0
    area = Area(name=path.stem, west_deg=west, south_deg=south, east_deg=east, north_deg=south + step_lat * (rows - 1))
    return GeoidGrid(path=plain_path(str(path)), area=area, latitude_step_min=step_lat * 60.0, longitude_step_min=step_lon * 60.0)


def _tiff_grid(path: Path) -> GeoidGrid:
    import tifffile

    # What it says of a damaged file is said as a sentence here.
    tifffile.logger().disabled = True
    try:
        with tifffile.TiffFile(path) as file:
            page = file.pages.first
            tags = {tag.code: tag.value for tag in page.tags.values()}
            rows, columns = int(page.imagelength), int(page.imagewidth)
    except Exception as error:  # the reader raises many kinds on damaged files; all mean the same here
        raise FileError(f"The GeoTIFF cannot be read: {str(error)[:120]}.") from None
    try:
        scale, tie, directory = tags[33550], tags[33922], tags[34735]
        keys = {directory[at]: directory[at + 3] for at in range(4, len(directory), 4)}
        step_lon, step_lat, west, north = float(scale[0]), float(scale[1]), float(tie[3]), float(tie[4])
    except (KeyError, IndexError, TypeError, ValueError):
        raise FileError("The TIFF says nowhere which part of the Earth it covers: it is not a geoid grid.") from None
    if keys.get(1024) != 2:
        raise FileError("The GeoTIFF is not in latitude and longitude. A geoid grid must be.")
    if keys.get(1025) != 2:  # pixels are areas: nodes lie in their middles
        west, north = west + step_lon / 2.0, north - step_lat / 2.0
    south = north - step_lat * (rows - 1)
    _check_header(west, south, step_lat, step_lon, rows, columns)
    _check_pieces(tags, rows, columns, path.stat().st_size)
    return _grid(path, west, south, step_lat, step_lon, rows, columns)


def _check_header(west: float, south: float, step_lat: float, step_lon: float, rows: int, columns: int) -> None:
    """Raise FileError for a header that cannot be a grid's: PROJ divides by its steps."""
    plausible = (
        all(np.isfinite(value) for value in (south, west, step_lat, step_lon))
        and -90.5 <= south <= 90.0
        and south + step_lat * (rows - 1) <= 90.5
        and -360.5 <= west <= 360.0
        and 0.0 < step_lat <= 10.0
        and 0.0 < step_lon <= 10.0
        and 2 <= rows < 100_000
        and 2 <= columns < 100_000
        and step_lon * (columns - 1) <= 361.0
    )
    if not plausible:
        raise FileError("This is neither a .gtx nor a GeoTIFF geoid grid: steps, corner or size of its header make no sense.")


def _check_pieces(tags: dict[int, Any], rows: int, columns: int, size: int) -> None:
    """Raise FileError where the tiles or strips of a TIFF do not lie in the file.  Source: TIFF 6.0, sections 3 and 15."""
    try:
        if 324 in tags:
            starts, lengths, across, down = tags[324], tags[325], int(tags[322]), int(tags[323])
        else:
            starts, lengths, across, down = tags[273], tags[279], columns, min(int(tags.get(278, rows)), rows)
        starts, lengths = np.atleast_1d(starts).astype(float), np.atleast_1d(lengths).astype(float)
        planes = int(tags.get(277, 1)) if tags.get(284) == 2 else 1
        due = planes * -(-columns // across) * -(-rows // down)
        inside = bool(np.all((starts > 0) & (lengths >= 0) & (starts + lengths <= size)))
    except (KeyError, TypeError, ValueError, ArithmeticError):
        raise FileError("The TIFF does not say where its values are: it is damaged.") from None
    if across > 1 << 16 or len(starts) != len(lengths) or len(starts) != due or not inside:
        raise FileError("The TIFF's values lie outside the file: it did not arrive whole, or is damaged.")


def _check_values(grid: GeoidGrid) -> None:
    """Refuse a grid that PROJ cannot read, or whose values are no heights of a geoid (a terrain model, say)."""
    area = grid.area
    width = area.east_deg - area.west_deg if area.east_deg > area.west_deg else area.east_deg - area.west_deg + 360.0
    latitude, longitude = np.meshgrid(
        area.south_deg + np.linspace(0.01, 0.99, 30) * (area.north_deg - area.south_deg),
        area.west_deg + np.linspace(0.01, 0.99, 30) * width,
        indexing="ij",
    )
    try:
        values = grid.values_m(latitude, longitude)
    except pyproj.exceptions.ProjError:
        raise FileError("PROJ cannot read the grid: it is damaged, or of a kind that is not a vertical grid.") from None
    finite = values[np.isfinite(values)]
    if not finite.size:
        raise FileError("The grid holds no values that PROJ can read: it is damaged or empty.")
    if np.abs(finite).max() > MOST_UNDULATION_M:
        worst = finite[np.abs(finite).argmax()]
        raise FileError(
            f"The grid holds a value of {worst:.0f} m. A geoid lies within {MOST_UNDULATION_M:.0f} m of the ellipsoid: "
            "this looks like terrain, or like another unit."
        )


def check_datum_grid(path: Path) -> None:
    """Raise FileError where a file is no grid of a datum operation: shifts of latitude and longitude, of three axes, or of heights."""
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


@lru_cache(maxsize=16)
def plain_path(path: str) -> str:
    """Return a path that PROJ reads as one: a list of grids is parted by commas, and no sign keeps them together."""
    if re.fullmatch(r"[\w./-]+", path, re.ASCII):
        return path
    alias = Path(tempfile.mkdtemp(prefix="openstake-")) / f"grid{Path(path).suffix}"
    alias.symlink_to(Path(path).resolve())
    return str(alias)
