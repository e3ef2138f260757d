"""Geoid grids: NGA's points, what lies outside, and files that are none."""

import struct

import numpy as np
import pytest
import tifffile

from openstake.core.errors import FileError
from openstake.core.geodesy.geoid import elevation_from_ellipsoidal, ellipsoidal_from_elevation
from openstake.derive.job import TRAINING_GRID
from openstake.wire.gridfiles import read_geoid_grid
from tests import published

GEOGRAPHIC, PROJECTED, POINTS, AREAS = 2, 1, 2, 1  # GeoTIFF 1.1, keys 1024 and 1025
VALUES = np.tile(np.arange(11, dtype="f4"), (5, 1))  # 0 m in the west to 10 m in the east


def write_tiff(path, values=VALUES, model=GEOGRAPHIC, raster=POINTS):
    keys = (1, 1, 0, 3, 1024, 0, 1, model, 1025, 0, 1, raster, 2048, 0, 1, 4326)
    tags = [(33550, "d", 3, (0.5, 0.5, 0.0), True), (33922, "d", 6, (0, 0, 0, 10.0, 50.0, 0), True), (34735, "H", len(keys), keys, True)]
    tifffile.imwrite(path, values, extratags=tags)
    return path


def write_gtx(path, values, south=48.0, west=10.0, step=0.5):
    rows, columns = values.shape
    path.write_bytes(struct.pack(">ddddii", south, west, step, step, rows, columns) + values.astype(">f4").tobytes())
    return path


@pytest.mark.parametrize(("latitude", "longitude", "undulation"), published.EGM96_POINTS)
def test_the_grid_gives_the_agency_s_points(latitude, longitude, undulation):
    grid = read_geoid_grid(TRAINING_GRID)

    assert grid.undulation_m(latitude, longitude) == pytest.approx(undulation, abs=published.EGM96_15_MINUTES_M)
    assert (grid.latitude_step_min, grid.longitude_step_min) == (15.0, 15.0)


def test_an_elevation_is_the_height_less_the_undulation_and_back(tmp_path):
    grid = read_geoid_grid(write_tiff(tmp_path / "a grid, of ours.tif".replace(",", "")))

    # By hand: columns rise by 1 m in half a degree, so half way between the first two it is 0.5 m.
    assert elevation_from_ellipsoidal(grid, 49.0, 10.25, 100.0) == pytest.approx(99.5, abs=1e-6)
    assert ellipsoidal_from_elevation(grid, 49.0, 10.25, 99.5) == pytest.approx(100.0, abs=1e-6)
    area = grid.area
    assert (area.west_deg, area.south_deg, area.east_deg, area.north_deg) == pytest.approx((10.0, 48.0, 15.0, 50.0))


def test_outside_a_grid_or_without_one_there_is_no_elevation_and_neighbours_keep_theirs(tmp_path):
    grid = read_geoid_grid(write_gtx(tmp_path / "small.gtx", VALUES))

    rows = elevation_from_ellipsoidal(grid, [49.0, 47.9, 49.0, 51.0], [10.25, 10.25, 15.2, 12.0], 100.0)

    assert rows[0] == pytest.approx(99.5, abs=1e-6)
    assert np.isnan(rows[1:]).all()
    assert np.isnan(elevation_from_ellipsoidal(None, 49.0, 10.25, 100.0)).all()
    assert np.isnan(ellipsoidal_from_elevation(None, [49.0, 49.1], 10.25, 100.0)).all()


def test_a_grid_of_areas_has_its_nodes_in_the_middles(tmp_path):
    area = read_geoid_grid(write_tiff(tmp_path / "areas.tif", raster=AREAS)).area

    assert (area.west_deg, area.north_deg) == (10.25, 49.75)


def test_both_kinds_of_file_give_the_same_heights(tmp_path):
    sloping = (VALUES + np.arange(5, dtype="f4")[:, None]).astype("f4")  # rows from the south
    gtx = read_geoid_grid(write_gtx(tmp_path / "s.gtx", sloping))
    tiff = read_geoid_grid(write_tiff(tmp_path / "s.tif", sloping[::-1]))
    latitude, longitude = np.meshgrid(np.linspace(48.1, 49.9, 7), np.linspace(10.1, 14.9, 9))

    assert gtx.undulation_m(latitude, longitude) == pytest.approx(tiff.undulation_m(latitude, longitude), abs=1e-5)


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda path: path.write_bytes(b""), "too short"),
        (lambda path: path.write_bytes(b"\0" * 5000), "no sense"),
        (lambda path: path.write_bytes(bytes(range(256)) * 40), "no sense"),
        (lambda path: path.write_bytes(TRAINING_GRID.read_bytes()[:100_000]), "did not arrive whole"),
        (lambda path: path.write_bytes(b"II*\0" + bytes(range(200))), "cannot be read"),
        (lambda path: tifffile.imwrite(path, VALUES), "which part of the Earth"),
        (lambda path: write_tiff(path, model=PROJECTED), "latitude and longitude"),
        (lambda path: write_tiff(path, VALUES * 100), "looks like terrain"),
        (lambda path: write_gtx(path, np.full((5, 11), -88.8888, "f4")), "no values"),
    ],
)
def test_a_file_that_is_no_geoid_grid_is_refused_with_its_reason(tmp_path, make, words):
    path = tmp_path / f"grid.{'tif' if words == 'looks like terrain' else 'gtx'}"
    make(path)

    with pytest.raises(FileError, match=words):
        read_geoid_grid(path)
