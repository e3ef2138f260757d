"""Geoid grids: from ellipsoidal heights to elevations and back.  Without a grid, or outside it, there is no elevation.

N, the height of the geoid above the ellipsoid, is bilinear between the grid's nodes.  h = H + N: ellipsoidal height,
elevation.  PROJ reads the grids and interpolates; it would pass the height on where there is no grid, this module does not.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import pyproj
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import FileError
from openstake.core.geodesy.grids import plain_path
from openstake.core.geodesy.systems import Area

# The geoid lies between -107 m (south of India) and +86 m (New Guinea).
MOST_UNDULATION_M = 150.0


@dataclass(frozen=True, kw_only=True)
class GeoidGrid:
    """A grid file with what it covers and how far apart its nodes are (minutes of arc)."""

    path: str
    area: Area
    latitude_step_min: float
    longitude_step_min: float

    def undulation_m(self, latitude_deg: ArrayLike, longitude_deg: ArrayLike) -> NDArray[np.float64]:
        """Return N in metres, broadcast; NaN outside the grid and where it holds nothing."""
        latitude, longitude = np.broadcast_arrays(np.asarray(latitude_deg, dtype=float), np.asarray(longitude_deg, dtype=float))
        _, _, value = _shift(self.path).transform(longitude, latitude, np.zeros(latitude.shape))
        return np.where(np.isfinite(value) & (np.abs(value) < MOST_UNDULATION_M), value, np.nan)


@lru_cache(maxsize=16)
def _shift(path: str) -> pyproj.Transformer:
    quoted = plain_path(path)
    return pyproj.Transformer.from_pipeline(f'+proj=vgridshift +grids="{quoted}" +multiplier=1')


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
    return GeoidGrid(path=str(path), area=area, latitude_step_min=step_lat * 60.0, longitude_step_min=step_lon * 60.0)


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
        _, _, values = _shift(grid.path).transform(longitude, latitude, np.zeros(latitude.shape))
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


def ellipsoidal_from_elevation(
    grid: GeoidGrid | None, latitude_deg: ArrayLike, longitude_deg: ArrayLike, elevation_m: ArrayLike
) -> NDArray[np.float64]:
    """Return h = H + N in metres; NaN without a grid and outside it, never the height as it came."""
    if grid is None:
        return np.full(np.broadcast(latitude_deg, longitude_deg, elevation_m).shape, np.nan)
    return np.asarray(elevation_m, dtype=float) + grid.undulation_m(latitude_deg, longitude_deg)


def elevation_from_ellipsoidal(
    grid: GeoidGrid | None, latitude_deg: ArrayLike, longitude_deg: ArrayLike, height_m: ArrayLike
) -> NDArray[np.float64]:
    """Return H = h - N in metres; NaN without a grid and outside it."""
    if grid is None:
        return np.full(np.broadcast(latitude_deg, longitude_deg, height_m).shape, np.nan)
    return np.asarray(height_m, dtype=float) - grid.undulation_m(latitude_deg, longitude_deg)
