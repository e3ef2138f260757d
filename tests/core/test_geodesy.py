import subprocess

import numpy as np
import pyproj
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyproj.enums import PJType

from openstake.core.errors import FrameError
from openstake.core.geodesy.ellipsoid import GRS80, WGS84, ecef_from_geodetic, geodetic_from_ecef
from openstake.core.geodesy.frames import job_frame
from openstake.core.geodesy.local import enu_from_ecef_difference, normal
from openstake.core.geodesy.systems import search_systems, systems, unit_of_system
from tests import published

A_MICROMETRE = 1e-6


def test_the_manual_s_station_comes_out_to_its_printed_digits():
    xyz = ecef_from_geodetic(*published.ALIC_GEODETIC, GRS80)

    assert xyz == pytest.approx(published.ALIC_XYZ, abs=published.HALF_A_MILLIMETRE)


@given(st.floats(-90, 90), st.floats(-180, 180), st.floats(-500, 9000))
def test_earth_centred_agrees_with_proj_both_ways(latitude, longitude, height):
    to_proj = pyproj.Transformer.from_crs("EPSG:4979", "EPSG:4978", always_xy=True)

    xyz = ecef_from_geodetic(latitude, longitude, height, WGS84)

    assert xyz == pytest.approx(to_proj.transform(longitude, latitude, height), abs=A_MICROMETRE)
    back = ecef_from_geodetic(*geodetic_from_ecef(xyz), WGS84)
    assert back == pytest.approx(xyz, abs=A_MICROMETRE)


def test_the_centre_of_the_earth_has_no_latitude_and_its_neighbours_keep_theirs():
    rows = geodetic_from_ecef([[0.0, 0.0, 0.0], published.ALIC_XYZ])

    assert np.isnan(rows[0]).all()
    assert rows[1, 2] == pytest.approx(published.ALIC_GEODETIC[2], abs=0.001)


def test_up_is_the_normal_and_north_has_no_east():
    latitude, longitude = 53.3, -6.2

    up = enu_from_ecef_difference(normal(latitude, longitude) * 2.0, latitude, longitude)

    assert up == pytest.approx([0.0, 0.0, 2.0], abs=1e-12)


def test_the_guidance_note_s_transverse_mercator_example():
    grid = job_frame(27700).grid_from_geodetic(*published.OSGB_GEODETIC)

    assert grid == pytest.approx(published.OSGB_GRID, abs=published.ONE_CENTIMETRE)


def test_convergence_is_positive_where_grid_north_lies_east_of_true_north():
    frame = job_frame(32630)

    assert frame.convergence_deg(*published.UTM30_POINT) == pytest.approx(published.UTM30_CONVERGENCE_DEG, abs=5e-9)
    # By geometry: a step along the meridian goes west on the grid where grid north lies east.
    lower, upper = frame.grid_from_geodetic([53.45, 53.46], [-2.24, -2.24])
    assert np.degrees(np.arctan2(lower[0] - upper[0], upper[1] - lower[1])) == pytest.approx(0.6105, abs=0.001)


def test_the_grid_agrees_with_geographiclib_and_comes_back():
    try:
        text = subprocess.run(
            ["GeoConvert", "-u", "-p", "9"], input="53.45 -2.24", capture_output=True, text=True, check=True
        ).stdout.split()
    except FileNotFoundError:
        pytest.skip("geographiclib-tools is not on this machine")

    grid = job_frame(32630).grid_from_geodetic(53.45, -2.24)

    assert grid == pytest.approx([float(text[1]), float(text[2])], abs=1e-6)
    assert job_frame(32630).geodetic_from_grid(*grid) == pytest.approx([53.45, -2.24], abs=1e-11)


def test_a_grid_in_survey_feet_is_worked_in_metres():
    frame = job_frame(5655)  # Vermont, US survey foot

    east_m, north_m = frame.grid_from_geodetic(44.0, -72.6)

    assert unit_of_system("EPSG:5655") == "sft"
    feet = pyproj.Transformer.from_crs(frame_geodetic(5655), 5655, always_xy=True).transform(-72.6, 44.0)
    assert (east_m, north_m) == pytest.approx(np.multiply(feet, 1200 / 3937), abs=1e-6)


def frame_geodetic(code):
    return pyproj.CRS.from_epsg(code).geodetic_crs


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("epsg 27700", 27700),
        ("irish transverse", 2157),
        ("2157", 2157),
        ("EPSG:2157", 2157),
        ("IRENET95 / Irish", 2157),
        ("vermont ftUS", 5655),
    ],
)
def test_a_system_is_found_by_part_of_its_name_or_code(text, code):
    assert code in [system.code for system in search_systems(text)]


# A geographic system, no system, a height, one that counts grads from Paris, one with three axes,
# one that counts west and south.
@pytest.mark.parametrize("code", [4326, 999999, 5703, 27572, 9895, 2053])
def test_a_code_that_is_no_projected_system_is_refused(code):
    with pytest.raises(FrameError):
        job_frame(code)


def test_a_sphere_is_an_ellipsoid_without_flattening():
    # PROJ itself, from the sphere's geographic system to its Earth-centred coordinates.
    frame = job_frame(3410)
    to_ecef = pyproj.Transformer.from_pipeline("+proj=pipeline +step +proj=unitconvert +xy_in=deg +xy_out=rad +step +proj=cart +R=6371228")

    assert ecef_from_geodetic(53.3, -6.2, 60.0, frame.ellipsoid) == pytest.approx(to_ecef.transform(-6.2, 53.3, 60.0), abs=A_MICROMETRE)


@pytest.mark.slow
def test_every_system_that_is_offered_projects_its_own_area_and_comes_back():
    """Every projected code of PROJ's database: the middle of its area comes back, or the code is refused with a sentence."""
    refused, astray = 0, []
    for system in systems(PJType.PROJECTED_CRS):
        try:
            frame = job_frame(system.code)
        except FrameError:
            refused += 1
            continue
        area = frame.area
        if area is None:
            continue
        west, east = area.west_deg, area.east_deg
        place = ((area.south_deg + area.north_deg) / 2, (west + east) / 2 if west <= east else west)
        grid = frame.grid_from_geodetic(*place)
        if not np.isfinite(grid).all():
            continue  # the projection itself is not defined in the middle of its area
        back = frame.geodetic_from_grid(*grid)
        east_off = (back[1] - place[1] + 180.0) % 360.0 - 180.0
        if abs(back[0] - place[0]) > 1e-6 or abs(east_off * np.cos(np.radians(place[0]))) > 1e-6:
            astray.append(system.code)

    # 41 count in degrees, minutes and seconds, 60 from another meridian, 105 on axes that are not east and north.
    assert refused < 230
    assert len(astray) < 20, astray
