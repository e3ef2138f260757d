"""Projections of one's own, datum shifts, ground distances, factors, the search: against IOGP, GIGS and GeographicLib."""

import subprocess
from pathlib import Path

import numpy as np
import pyproj
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openstake.core.errors import FrameError
from openstake.core.geodesy.ellipsoid import WGS84, Ellipsoid, ecef_from_geodetic, gaussian_radius_m
from openstake.core.geodesy.factors import elevation_factor, grid_factors, ppm
from openstake.core.geodesy.frames import LOCAL, Anchor, FrameDefinition, Ground, job_frame
from openstake.core.geodesy.systems import DatumShift, OwnProjection, find_operations, search_systems, search_verticals
from tests import published
from tests.repeats import repeats

SURVEY_FOOT = 1200 / 3937
A_HUNDREDTH_OF_A_MILLIMETRE = 1e-5
GIGS = Path(__file__).parent.parent / "data" / "5101.1-jhs.gie"
TM = {"method": "transverse-mercator", "latitude_of_origin_deg": 49.0, "central_meridian_deg": -2.0}
GIGS_TM = OwnProjection(name="GIGS 5101", scale=0.9996012717, false_east_m=4e5, false_north_m=-1e5, ellipsoid="WGS 84", **TM)


def own(**parameters):
    return job_frame(OwnProjection(name="own", **parameters).definition())


def test_the_guidance_note_s_examples_by_parameters():
    osgb = own(scale=0.9996012717, false_east_m=4e5, false_north_m=-1e5, ellipsoid="Airy 1830", **TM)
    texas = own(
        method="lambert-2sp",
        latitude_of_origin_deg=27 + 50 / 60,
        central_meridian_deg=-99.0,
        parallel_1_deg=28 + 23 / 60,
        parallel_2_deg=30 + 17 / 60,
        false_east_m=2e6 * SURVEY_FOOT,
        ellipsoid="Clarke 1866",
    )
    jamaica = own(
        method="lambert-1sp",
        latitude_of_origin_deg=18.0,
        central_meridian_deg=-77.0,
        false_east_m=250_000.0,
        false_north_m=150_000.0,
        ellipsoid="Clarke 1866",
    )

    assert osgb.grid_from_geodetic(*published.OSGB_GEODETIC) == pytest.approx(published.OSGB_GRID, abs=published.ONE_CENTIMETRE)
    in_feet = texas.grid_from_geodetic(*published.TEXAS_GEODETIC) / SURVEY_FOOT
    assert in_feet == pytest.approx(published.TEXAS_GRID_SFT, abs=published.ONE_CENTIMETRE)
    grid = jamaica.grid_from_geodetic(*published.JAMAICA_GEODETIC)
    assert grid == pytest.approx(published.JAMAICA_GRID, abs=published.HALF_A_CENTIMETRE)
    assert jamaica.geodetic_from_grid(*grid) == pytest.approx(published.JAMAICA_GEODETIC, abs=1e-10)


def test_the_guidance_note_s_earth_centred_example():
    xyz = ecef_from_geodetic(*published.WGS84_GEODETIC)

    # Its latitude is printed to a thousandth of a second: 3 cm.
    assert xyz == pytest.approx(published.WGS84_XYZ, abs=0.02)


def moved(shift, figure, inverse_flattening, xyz):
    """Return WGS 84 Earth-centred coordinates moved into a datum by the job's frame, Earth-centred again."""
    plain = OwnProjection(
        name="own", ellipsoid="other", equatorial_radius_m=figure, inverse_flattening=inverse_flattening, **TM
    ).definition()
    ellipsoid = job_frame(plain).ellipsoid
    frame = job_frame(FrameDefinition(system=plain, operation=shift.operation(ellipsoid)))
    there = frame.datum_geodetic_from_ecef(xyz)
    assert frame.ecef_from_grid(*frame.grid_from_ecef(xyz)) == pytest.approx(xyz, abs=1e-4)
    return ecef_from_geodetic(*there, ellipsoid)


def test_three_parameters_lead_from_wgs_84_to_ed50():
    shift = DatumShift(**dict(zip(("x_m", "y_m", "z_m"), published.ED50_TO_WGS84, strict=True)))

    ed50 = moved(shift, 6378388.0, 297.0, published.WGS84_XYZ)

    assert ed50 == pytest.approx(published.ED50_XYZ, abs=published.HALF_A_CENTIMETRE)


@pytest.mark.parametrize(("convention", "sign"), [("position-vector", 1.0), ("coordinate-frame", -1.0)])
def test_seven_parameters_mean_the_same_in_either_convention_with_the_other_sign(convention, sign):
    shift = DatumShift(z_m=4.5, rotation_z_arcsec=sign * 0.554, scale_ppm=0.219, convention=convention)

    wgs72 = moved(shift, 6378135.0, 298.26, published.WGS72_TO_WGS84_XYZ)

    assert wgs72 == pytest.approx(published.WGS72_XYZ, abs=published.ONE_CENTIMETRE)


def gigs_cases():
    """Return every case of the file: direction, tolerance, what goes in, what is expected or how many round trips."""
    cases, tolerance, accepted, into_degrees = [], 0.0, None, False
    for line in GIGS.read_text().splitlines():
        words = line.split()
        if line.startswith("operation"):
            into_degrees = None
        elif "+step" in words and into_degrees is None:
            into_degrees = "+proj=etmerc" in words
        elif words[:1] == ["tolerance"]:
            tolerance = float(words[1])
            assert words[2] == "m"
        elif words[:1] == ["accept"]:
            accepted = (float(words[1]), float(words[2]))
        elif words[:1] in (["expect"], ["roundtrip"]):
            cases.append((words[0], into_degrees, tolerance, accepted, tuple(float(word) for word in words[1:])))
    return cases


def test_the_gigs_file_runs_whole_through_our_frames():
    frame = job_frame(GIGS_TM.definition())
    cases = gigs_cases()
    assert len(cases) == sum(line.startswith(("expect", "roundtrip")) for line in GIGS.read_text().splitlines())  # none is passed over

    for kind, into_degrees, tolerance, accepted, expected in cases:
        if kind == "roundtrip":
            continue
        if into_degrees:
            latitude, longitude = frame.geodetic_from_grid(*accepted)
            metres = np.radians(1.0) * 6378137.0
            off = ((longitude - expected[0]) * metres * np.cos(np.radians(latitude)), (latitude - expected[1]) * metres)
        else:
            off = frame.grid_from_geodetic(accepted[1], accepted[0]) - expected
        assert np.hypot(*off) <= tolerance, (accepted, expected)
    there = np.array([case[3] for case in cases if case[0] == "roundtrip" and not case[1]])
    trips = {case[4] for case in cases if case[0] == "roundtrip"}
    assert trips == {(1000.0,)}
    longitude, latitude = there.T
    for _ in range(1000):
        latitude, longitude = frame.geodetic_from_grid(*frame.grid_from_geodetic(latitude, longitude).T).T
    first, last = frame.grid_from_geodetic(*there.T[::-1]), frame.grid_from_geodetic(latitude, longitude)
    assert np.hypot(*(last - first).T).max() <= 0.006


def tool(*arguments, text):
    try:
        return [float(word) for word in subprocess.run(arguments, input=text, capture_output=True, text=True, check=True).stdout.split()]
    except FileNotFoundError:
        pytest.skip("geographiclib-tools is not on this machine")


@pytest.mark.parametrize("place", [(53.45, -2.24), (54.9, 0.8), (50.1, -6.3), (-33.9, 1.0)])
def test_scale_and_convergence_of_transverse_mercator_agree_with_geographiclib(place):
    # The tool's defaults: WGS 84, scale 0.9996.
    east, north, convergence, scale = tool("TransverseMercatorProj", "-l", "-2", "-k", "0.9996", "-p", "9", text=f"{place[0]} {place[1]}")
    frame = own(central_meridian_deg=-2.0, scale=0.9996, ellipsoid="WGS 84")

    factors = grid_factors(frame, *place, 0.0)

    assert frame.grid_from_geodetic(*place) == pytest.approx((east, north), abs=1e-5)
    assert factors.grid_scale == pytest.approx(scale, abs=1e-9)
    assert factors.convergence_deg == pytest.approx(convergence, abs=1e-7)
    assert factors.conformal


@pytest.mark.parametrize("place", [(45.0, 4.0), (48.7, -3.9), (43.2, 9.0)])
def test_scale_and_convergence_of_lambert_agree_with_geographiclib(place):
    *_, convergence, scale = tool("ConicProj", "-c", "44", "49", "-l", "3", "-p", "9", text=f"{place[0]} {place[1]}")
    frame = own(
        method="lambert-2sp",
        latitude_of_origin_deg=46.5,
        central_meridian_deg=3.0,
        parallel_1_deg=44.0,
        parallel_2_deg=49.0,
        ellipsoid="WGS 84",
    )

    factors = grid_factors(frame, *place, 0.0)

    assert factors.grid_scale == pytest.approx(scale, abs=1e-8)
    assert factors.convergence_deg == pytest.approx(convergence, abs=1e-7)


def test_the_elevation_factor_by_hand():
    # GRS 80 at 45 degrees: M = a(1 - e2)/(1 - e2/2)^1.5 = 6367381.82, N = a/sqrt(1 - e2/2) = 6388838.29,
    # R = sqrt(M N) = 6378101.03; R / (R + 1000) = 0.99984324.
    assert gaussian_radius_m(45.0) == pytest.approx(6378101.0, abs=0.1)
    assert elevation_factor(1000.0, 45.0) == pytest.approx(0.99984324, abs=5e-9)
    # NOAA Manual NOS NGS 5 (from memory) uses one radius for all, 20 906 000 ft: 3000 ft give 0.9998565.
    assert elevation_factor(3000 * SURVEY_FOOT, 40.0) == pytest.approx(0.9998565, abs=5e-7)
    assert elevation_factor(0.0, 12.0) == 1.0


def test_the_combined_factor_is_scale_times_elevation_and_shortens_a_ground_distance():
    # Scale 0.99963126 at this point: GeographicLib and PROJ agree (published).  By hand at 200 m:
    # R = 6378 km there within 10 km, so the elevation factor is 1 - 31.35 ppm, within 0.05 ppm.
    factors = grid_factors(job_frame(32630), *published.UTM30_POINT, 200.0)

    assert factors.grid_scale == pytest.approx(0.99963126, abs=5e-9)
    assert ppm(factors.combined_factor) == pytest.approx(-368.74 - 31.35, abs=0.06)
    # By geometry: a true-to-ground step of 100 m east at that height, measured in the grid.
    latitude, longitude = published.UTM30_POINT
    start = ecef_from_geodetic(latitude, longitude, 200.0)
    east = np.array([-np.sin(np.radians(longitude)), np.cos(np.radians(longitude)), 0.0])
    frame = job_frame(32630)
    step = frame.grid_from_ecef(start + 100.0 * east)[:2] - frame.grid_from_ecef(start)[:2]
    assert np.hypot(*step) == pytest.approx(100.0 * factors.combined_factor, abs=1e-4)


def test_a_projection_that_takes_the_ellipsoid_for_a_sphere_is_said_not_to_keep_angles():
    # EPSG Guidance Note 7-2, method 1024: "it is not conformal".
    assert not grid_factors(job_frame(3857), 53.0, -7.0, 0.0).conformal


@settings(deadline=None)  # the first use of a frame reads the database
@given(st.floats(-3000, 3000), st.floats(-3000, 3000), st.floats(0.9990, 1.0010))
def test_ground_distances_are_grid_distances_over_the_factor_and_the_origin_stays(east, north, factor):
    origin = np.array([600_000.0, 700_000.0])
    frame = job_frame(
        FrameDefinition(
            system="EPSG:2157",
            ground=Ground(origin_name="CP", combined_factor=factor, **dict(zip(("east_m", "north_m"), origin, strict=True))),
        )
    )
    place = job_frame(2157).geodetic_from_grid(origin[0] + east, origin[1] + north)

    ground = frame.grid_from_geodetic(*place)

    assert ground - origin == pytest.approx(np.array([east, north]) / factor, abs=1e-6)
    assert frame.geodetic_from_grid(*ground) == pytest.approx(place, abs=1e-11)
    assert frame.grid_from_geodetic(*job_frame(2157).geodetic_from_grid(*origin)) == pytest.approx(origin, abs=1e-6)


def test_an_assumed_local_system_lies_on_the_ground_with_north_up_where_it_is_anchored():
    frame = job_frame(
        FrameDefinition(system=LOCAL, anchor=Anchor(latitude_deg=44.0, longitude_deg=-72.6, height_m=300.0, east_m=5000.0, north_m=5000.0))
    )
    start = ecef_from_geodetic(44.0, -72.6, 300.0)
    sin, cos = np.sin(np.radians(44.0)), np.cos(np.radians(44.0))
    longitude = np.radians(-72.6)
    north = np.array([-sin * np.cos(longitude), -sin * np.sin(longitude), cos])

    here, there = frame.grid_from_ecef(start), frame.grid_from_ecef(start + 100.0 * north)

    assert here == pytest.approx([5000.0, 5000.0, 300.0], abs=1e-6)
    # 100 m along the tangent end 0.8 mm above the ground; on the plane they are 100 m within a tenth of a millimetre.
    assert there[:2] == pytest.approx([5000.0, 5100.0], abs=1e-4)


def test_a_local_system_that_lies_nowhere_yet_says_so_and_places_nothing():
    frame = job_frame(LOCAL)

    with pytest.raises(FrameError, match="where on Earth"):
        frame.grid_from_geodetic(53.0, -7.0)


def test_nothing_is_shifted_between_datums_unless_an_operation_is_chosen():
    place = (52.0, -1.0)
    found = find_operations("EPSG:27700", "WGS 84", place, None)
    chosen = next(operation for operation in found.usable if operation.name.endswith("OSGB36 to WGS 84 (6)"))
    plain, shifted = job_frame(27700), job_frame(FrameDefinition(system="EPSG:27700", operation=chosen))
    xyz = ecef_from_geodetic(*place, 100.0, WGS84)

    # The same seven parameters as PROJ text: EPSG operation 1314.
    towgs84 = "+towgs84=446.448,-125.157,542.06,0.15,0.247,0.842,-20.489"
    text = f"+proj=tmerc +lat_0=49 +lon_0=-2 +k=0.9996012717 +x_0=400000 +y_0=-100000 +ellps=airy {towgs84} +type=crs"
    expected = pyproj.Transformer.from_crs("EPSG:4326", text, always_xy=True).transform(place[1], place[0])

    assert shifted.grid_from_ecef(xyz)[:2] == pytest.approx(expected, abs=0.01)
    # Without it the same position is taken as one on the job's own datum: about a hundred metres away.
    own_datum = ecef_from_geodetic(*place, 100.0, plain.ellipsoid)
    assert plain.grid_from_ecef(own_datum)[:2] == pytest.approx(plain.grid_from_geodetic(*place), abs=1e-6)
    assert np.hypot(*(plain.grid_from_geodetic(*place) - expected)) > 50.0
    # The better operation needs a grid that is not here: it is named, not replaced in silence.
    assert found.without_grid


def test_a_shift_inside_pasted_text_is_left_out():
    plain = "+proj=tmerc +lat_0=49 +lon_0=-2 +k=0.9996012717 +x_0=400000 +y_0=-100000 +ellps=airy +units=m +type=crs"
    with_shift = plain.replace("+units", "+towgs84=446,-125,542 +units")

    assert job_frame(with_shift).grid_from_geodetic(52.0, -1.0) == pytest.approx(job_frame(plain).grid_from_geodetic(52.0, -1.0), abs=1e-9)


def test_wkt_of_a_published_system_is_that_system():
    wkt = pyproj.CRS.from_epsg(2157).to_wkt()

    assert job_frame(wkt).grid_from_geodetic(53.3, -7.9) == pytest.approx(job_frame(2157).grid_from_geodetic(53.3, -7.9), abs=1e-9)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "hello",
        "PROJCRS[",
        'PROJCRS["x"]',
        "+proj=longlat +ellps=WGS84",
        "+proj=tmerc +lat_0=north +ellps=WGS84",
        "+proj=nosuch +ellps=WGS84",
        "/etc/passwd",
        "EPSG:",
        "EPSG:2157; DROP TABLE job",
        "+proj=tmerc " + "x" * 30_000,
        "+proj=tmerc +lat_0=0 +lon_0=31 +ellps=WGS84 +axis=wsu +type=crs",
    ],
)
def test_a_text_that_is_no_projected_system_is_refused_with_a_sentence(text):
    with pytest.raises(FrameError) as refusal:
        job_frame(text)

    assert refusal.value.sentence.endswith(".")


@pytest.mark.parametrize(
    ("parameters", "field"),
    [
        ({"scale": 400.0}, "scale"),
        ({"method": "lambert-2sp", "parallel_1_deg": 44.0}, "parallel_1_deg"),
        ({"method": "lambert-2sp", "parallel_1_deg": 44.0, "parallel_2_deg": -44.0}, "parallel_1_deg"),
        ({"method": "mercator"}, "method"),
        ({"ellipsoid": "other"}, "equatorial_radius_m"),
        ({"ellipsoid": "other", "equatorial_radius_m": 6378.137, "inverse_flattening": 298.26}, "equatorial_radius_m"),
        ({"ellipsoid": "other", "equatorial_radius_m": 6378137.0, "inverse_flattening": 0.00335}, "inverse_flattening"),
    ],
)
def test_parameters_that_cannot_be_name_their_field(parameters, field):
    with pytest.raises(FrameError) as refusal:
        own(**parameters)

    assert refusal.value.field == field


def test_a_place_finds_the_systems_whose_area_holds_it_the_smaller_first():
    found = search_systems("", (53.3, -7.9))

    assert 2157 in [system.code for system in found]
    assert all(system.area.contains(53.3, -7.9) for system in found)
    current = [system.area.size_deg2 for system in found if not system.deprecated]
    assert current == sorted(current)
    assert not {6590, 5655} & {system.code for system in search_systems("", (53.3, -7.9), limit=500)}
    assert [system.code for system in search_systems("irish transverse", (53.3, -7.9))] == [2157]
    assert 5731 in [system.code for system in search_verticals("malin")]  # EPSG dataset: Malin Head height


def test_the_edge_of_an_area_is_measured_in_kilometres():
    frame = job_frame(32630)  # EPSG dataset: 6 W to 0, 0 to 84 N

    # One degree of longitude at 60 N is 55.8 km (half of 111.3, the parallel's radius being a little larger).
    assert frame.edge_distance_km(60.0, -1.0) == pytest.approx(55.8, abs=0.3)
    assert frame.edge_distance_km(60.0, 1.0) == pytest.approx(-55.8, abs=0.3)


def test_a_radius_of_a_sphere_is_its_radius():
    assert gaussian_radius_m(37.0, Ellipsoid(6371000.0, 0.0)) == pytest.approx(6371000.0, abs=1e-6)


# MGI to WGS 84 (EPSG operation 1618, from memory), the parameters that EPSG:31256 is used with.
MGI = DatumShift(
    x_m=577.326, y_m=90.129, z_m=463.919, rotation_x_arcsec=5.137, rotation_y_arcsec=1.474, rotation_z_arcsec=5.297, scale_ppm=2.4232
)
AUSTRIA = "EPSG:31256"


def frame_with(shift, system=AUSTRIA):
    return job_frame(FrameDefinition(system=system, operation=shift.operation(job_frame(system).ellipsoid)))


def test_a_mark_comes_back_to_its_own_grid_coordinate_through_a_published_shift():
    """2026-11-27: PROJ's inverse is the transpose of a matrix of small angles: 4.2 mm north and 4.7 mm up were left."""
    frame, mark = frame_with(MGI), (2_500.0, 340_000.0, 160.0)

    there = frame.ecef_from_grid(*mark)

    assert frame.grid_from_ecef(there) == pytest.approx(mark, abs=A_HUNDREDTH_OF_A_MILLIMETRE)
    # The published direction, from the datum to WGS 84, is the small-angle formula itself (EPSG Guidance Note 7-2, 9606).
    own = ecef_from_geodetic(*frame.geodetic_from_grid(*mark[:2]), mark[2], frame.ellipsoid)
    rx, ry, rz = np.radians(np.array([5.137, 1.474, 5.297]) / 3600.0)
    rotated = np.array([[1.0, -rz, ry], [rz, 1.0, -rx], [-ry, rx, 1.0]]) @ own
    by_hand = np.array([577.326, 90.129, 463.919]) + (1.0 + 2.4232e-6) * rotated
    assert there == pytest.approx(by_hand, abs=A_HUNDREDTH_OF_A_MILLIMETRE)


shifts = st.builds(
    DatumShift,
    **{f"{axis}_m": st.floats(-1000.0, 1000.0) for axis in "xyz"},
    **{f"rotation_{axis}_arcsec": st.floats(-30.0, 30.0) for axis in "xyz"},
    scale_ppm=st.floats(-50.0, 50.0),
    convention=st.sampled_from(["position-vector", "coordinate-frame"]),
)


@settings(max_examples=repeats(60, 5), deadline=None)
@given(shifts, st.floats(47.0, 48.5), st.floats(15.5, 17.0), st.floats(-100.0, 3000.0))
def test_grid_and_earth_centred_are_inverse_through_any_shift(shift, latitude, longitude, height):
    frame = frame_with(shift)
    mark = (*frame.grid_from_geodetic(latitude, longitude), height)

    assert frame.grid_from_ecef(frame.ecef_from_grid(*mark)) == pytest.approx(mark, abs=A_HUNDREDTH_OF_A_MILLIMETRE)


KINDS = {
    "ITM": ("EPSG:2157", (51.5, 55.4), (-10.4, -5.5)),
    "UTM, south": ("EPSG:32756", (-40.0, -10.0), (150.5, 155.5)),
    "Lambert, two parallels, survey feet": ("EPSG:2277", (29.8, 31.9), (-103.0, -94.0)),
    "oblique stereographic": ("EPSG:28992", (50.8, 53.5), (3.4, 7.2)),
    "oblique Mercator": ("EPSG:2056", (45.9, 47.8), (6.0, 10.4)),
    "stereographic": ("+proj=stere +lat_0=52 +lon_0=5 +k=0.9999 +ellps=bessel +type=crs", (50.0, 54.0), (3.0, 7.0)),
    "equal area": ("EPSG:3035", (36.0, 66.0), (-8.0, 30.0)),
    "PROJ text": ("+proj=tmerc +lat_0=53 +lon_0=-6 +k=1.0001 +x_0=5000 +y_0=9000 +ellps=WGS84 +type=crs", (52.0, 54.0), (-7.0, -5.0)),
}


@pytest.mark.parametrize("kind", KINDS)
@settings(max_examples=repeats(25, 5), deadline=None)
@given(across=st.floats(0.0, 1.0), up=st.floats(0.0, 1.0), height=st.floats(-100.0, 4000.0), ground=st.booleans())
def test_grid_and_earth_centred_are_inverse_in_frames_of_all_kinds(kind, across, up, height, ground):
    system, (south, north), (west, east) = KINDS[kind]
    middle = job_frame(system).grid_from_geodetic((south + north) / 2, (west + east) / 2)
    distances = Ground(origin_name="middle", east_m=float(middle[0]), north_m=float(middle[1]), combined_factor=0.99987) if ground else None
    frame = job_frame(FrameDefinition(system=system, ground=distances))
    mark = (*frame.grid_from_geodetic(south + up * (north - south), west + across * (east - west)), height)

    assert frame.grid_from_ecef(frame.ecef_from_grid(*mark)) == pytest.approx(mark, abs=A_HUNDREDTH_OF_A_MILLIMETRE)


@pytest.mark.parametrize("system, source", [("EPSG:31256", "WGS 84"), ("EPSG:28356", "GDA2020")])
def test_every_operation_that_can_be_chosen_brings_a_mark_back(system, source):
    plain = job_frame(system)
    area = plain.area
    place = ((area.south_deg + area.north_deg) / 2, (area.west_deg + area.east_deg) / 2)
    found = find_operations(system, source, place, 2020.5).usable

    assert found
    for operation in found:
        frame = job_frame(FrameDefinition(system=system, operation=operation))
        mark = (*plain.grid_from_geodetic(*place), 123.4)
        assert frame.grid_from_ecef(frame.ecef_from_grid(*mark)) == pytest.approx(mark, abs=A_HUNDREDTH_OF_A_MILLIMETRE)


def test_with_an_assumed_system_too():
    frame = job_frame(FrameDefinition(system=LOCAL, anchor=Anchor(latitude_deg=53.1, longitude_deg=-6.2, height_m=60.0)))
    mark = (5123.4, 4987.6, 61.5)
    assert frame.grid_from_ecef(frame.ecef_from_grid(*mark)) == pytest.approx(mark, abs=A_HUNDREDTH_OF_A_MILLIMETRE)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("+proj=tmerc +nadgrids=/etc/passwd", "names a file"),
        ("+proj=tmerc +geoidgrids=x.gtx", "names a file"),
        ("+proj=tmerc \ud800", r"U\+D800"),
        ("+proj=tmerc \ufffe", r"U\+FFFE"),
        ('PROJCRS["x"', "brackets"),
        ("PROJCRS" + "[" * 50 + "]" * 50, "brackets"),
        ("+proj=tmerc " + "x" * 30_000, "at most"),
    ],
)
def test_a_system_s_text_is_looked_at_before_a_library_reads_it(text, words):
    with pytest.raises(FrameError, match=words):
        job_frame(text)
