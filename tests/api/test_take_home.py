"""Points taken home in open formats, read back by other libraries; vectors with their covariances."""

import csv
import io
import json
from xml.etree import ElementTree

import ezdxf
import numpy as np
import pytest
from pyproj import Transformer
from sqlalchemy import select

from openstake.core.sigmas import Sigmas
from openstake.core.vector import ecef_covariance_m2
from openstake.store.models import PointLabel
from tests.conftest import as_file
from tests.filled import Filling

CODES = ("GL", "gl", "=cmd", "a/b:c")


@pytest.fixture(scope="module")
def home(shared_office):
    """A job with four points of awkward codes, and the way to a file of it."""
    crew = shared_office
    job = crew.post("/jobs", {"name": "Home", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    crew.post(f"/jobs/{job}/control/accept", as_file("name,east,north,ellipsoidal height\nM0,703412.4,629805.1,62.4\n"))

    def work(session):
        filling = Filling(session, job)
        filling.shots(*filling.base(0, filling.marks[0]), len(CODES), 6, as_points=True)

    crew.program.context.database.write(work)
    for point, code in zip(crew.get(f"/jobs/{job}/points")["points"][::-1], CODES, strict=True):
        wish = {"replaces_id": point["label_id"], "name": point["name"], "code": code}
        crew.post(f"/jobs/{job}/points/{point['id']}", wish)

    def get(kind, status=200, query=""):
        answer = crew.get(f"/jobs/{job}/take-home/{kind}{query}", status)
        return answer

    get.points = crew.get(f"/jobs/{job}/points")["points"][::-1]
    get.view = crew.get(f"/jobs/{job}/take-home")
    return get


@pytest.fixture(scope="module")
def home_of(shared_office):
    """A job with five points a metre apart: one good, one with an epoch of float, one taken out, and two of one name."""
    crew = shared_office
    job = crew.post("/jobs", {"name": "Doubts", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    crew.post(f"/jobs/{job}/control/accept", as_file("name,east,north,ellipsoidal height\nM0,703412.4,629805.1,62.4\n"))

    def work(session):
        filling = Filling(session, job)
        shots = filling.shots(*filling.base(0, filling.marks[0]), 5, 6, as_points=True, floats=(1,))
        for name, shot in zip(("G1", "F1", "O1", "T1", "T1"), shots, strict=True):
            old = session.scalars(select(PointLabel).where(PointLabel.shot_id == shot.id)).one()
            filling.add(PointLabel(shot_id=shot.id, job_id=job, name=name, taken_out=name == "O1", replaces_id=old.id))

    crew.program.context.database.write(work)
    return crew, job


def to_degrees(point):
    """Return longitude, latitude of a point by PROJ's own projection."""
    return Transformer.from_crs(2157, 4173, always_xy=True).transform(point["east_m"], point["north_m"])


def test_geojson_and_kml_lie_where_proj_puts_them(home):
    answer = home("geojson")
    features = (answer if isinstance(answer, dict) else json.loads(answer))["features"]
    marks = ElementTree.fromstring(home("kml").encode()).findall(".//{*}Placemark")
    assert len(features) == len(marks) == len(CODES)
    for feature, mark, point in zip(features, marks, home.points, strict=True):
        longitude, latitude = to_degrees(point)
        assert feature["geometry"]["coordinates"][:2] == pytest.approx([longitude, latitude], abs=1e-9)
        # GeoJSON knows WGS 84 alone: its ellipsoid lies up to 0.1 mm from GRS 80 (both flattenings as published).
        assert feature["geometry"]["coordinates"][2] == pytest.approx(point["height_m"], abs=1.1e-4)
        said = feature["properties"]
        assert said["horizontal_95_m"] == point["budget_horizontal_95_m"] and said["recorded"].endswith("Z")
        written = mark.findtext(".//{*}coordinates").split(",")[:2]
        assert [float(value) for value in written] == pytest.approx([longitude, latitude], abs=1e-9)
        assert f"{point['budget_horizontal_95_m']:.3f} m horizontally" in mark.findtext("{*}description")


def test_a_list_says_first_what_speaks_against_points_and_leaves_them_out(home_of):
    """A point with epochs that are not fixed, one that was taken out, and one name at two places 1.2 m apart."""
    crew, job = home_of
    said = crew.get(f"/jobs/{job}/doubtful-points")

    assert {(point["name"], point["doubt"]) for point in said["points"]} == {
        ("F1", "not fixed"),
        ("O1", "taken out"),
        ("T1", "one name at two places"),
    }
    assert len(said["points"]) == 4 and "1 not fixed" in said["words"] and "2 one name at two places" in said["words"]
    rows = list(csv.DictReader(io.StringIO(crew.get(f"/jobs/{job}/points.csv"))))
    assert [row["name"] for row in rows] == ["G1"]
    every = list(csv.DictReader(io.StringIO(crew.get(f"/jobs/{job}/take-home/csv?doubtful=take"))))
    marked = {(row["name"], row["status"], row["kept"], row["with_this_name"]) for row in every}
    assert marked == {
        ("G1", "fixed", "kept", "1"),
        ("F1", "partly fixed", "kept", "1"),
        ("O1", "fixed", "taken out", "1"),
        ("T1", "fixed", "kept", "2"),
    }
    assert {row["base"] for row in every} == {"M0"}
    vectors = list(csv.DictReader(io.StringIO(crew.get(f"/jobs/{job}/take-home/vectors"))))
    assert [row["name"] for row in vectors] == ["G1"]


def test_dxf_has_a_layer_for_each_code_and_a_circle_of_95_per_cent(home):
    drawing = ezdxf.read(io.StringIO(home("dxf", query="?unit=sft")))
    points = list(drawing.modelspace().query("POINT"))
    layers = {layer.dxf.name.casefold() for layer in drawing.layers}
    assert layers >= {"gl", "cmd", "a b c", "names", "95 percent"}, "what a name of a layer cannot hold is a space"
    assert len({entity.dxf.layer.casefold() for entity in points}) == 3, "capitals and small letters are one layer"
    foot = 1200 / 3937
    for entity, circle, point in zip(points, drawing.modelspace().query("CIRCLE"), home.points, strict=True):
        assert tuple(entity.dxf.location)[:2] == pytest.approx((point["east_m"] / foot, point["north_m"] / foot))
        assert circle.dxf.radius == pytest.approx(point["budget_horizontal_95_m"] / foot)


def test_landxml_has_codes_standard_errors_and_95_per_cent(home):
    points = ElementTree.fromstring(home("landxml").encode()).findall(".//{*}CgPoint")
    assert [point.get("code") for point in points] == list(CODES)
    for written, point in zip(points, home.points, strict=True):
        north, east = (float(value) for value in written.text.split()[:2])
        assert (north, east) == pytest.approx((point["north_m"], point["east_m"]), abs=1e-9)
        # 95 % of a circle is 2.4477 sigmas of an axis, of a line 1.9600 (from memory).
        assert float(written.get("northingStdError")) * 2.4477 == pytest.approx(point["budget_horizontal_95_m"], rel=1e-4)
        assert float(written.get("elevationStdError")) * 1.9600 == pytest.approx(point["budget_vertical_95_m"], rel=1e-4)


def test_a_csv_has_the_columns_in_the_order_and_the_unit_that_are_wished_and_no_formula(home):
    rows = list(csv.reader(io.StringIO(home("csv", query="?columns=code,north,east,latitude,x,horizontal_95&unit=ft"))))
    assert rows[0] == ["code", "north_ft", "east_ft", "latitude_deg", "x_m", "horizontal_95_ft"]
    assert rows[3][0] == "'=cmd", "a spreadsheet takes no cell for a formula"
    point = home.points[0]
    assert float(rows[1][1]) == pytest.approx(point["north_m"] / 0.3048, abs=1e-4)
    assert float(rows[1][3]) == pytest.approx(to_degrees(point)[1], abs=1e-9)
    usual = home("csv").split("\r\n")[0].split(",")
    assert usual[:4] == ["name", "east_m", "north_m", "ellipsoidal_height_m"] and usual[-5:] == [
        "vertical_95_m",
        "status",
        "base",
        "kept",
        "with_this_name",
    ]
    assert set(home.view["usual"]) < {column["key"] for column in home.view["columns"]}
    for query in ("?columns=name,nothing", "?unit=furlong"):
        home("csv", 422, query)
    home("shapefile", 422)


def test_vectors_lead_from_the_base_to_the_rover_with_their_covariance(home):
    rows = list(csv.DictReader(io.StringIO(home("vectors"))))
    to_earth = Transformer.from_crs("EPSG:4937", "EPSG:4936", always_xy=True)  # ETRS89 geographic to geocentric
    for row, point in zip(rows, home.points, strict=True):
        there = np.array([float(row[f"from_{axis}_m"]) + float(row[f"d{axis}_m"]) for axis in "xyz"])
        longitude, latitude = to_degrees(point)
        antenna = np.array(to_earth.transform(longitude, latitude, point["height_m"] + float(row["rover_height_m"])))
        # The base stands as it is meant but for the half millimetre between its two readings.
        assert np.linalg.norm(there - antenna) < 0.002


def test_a_covariance_is_turned_into_earth_centred_axes():
    """At latitude 0, longitude 0 east is Y, north is Z, up is X (by hand); a turn keeps the trace and the determinant."""
    sigmas = Sigmas(east_m=0.004, north_m=0.003, up_m=0.009, covariance_en_m2=5e-6)
    turned = ecef_covariance_m2(sigmas, np.array([6378137.0, 0.0, 0.0]))
    expected = [[0.009**2, 0.0, 0.0], [0.0, 0.004**2, 5e-6], [0.0, 5e-6, 0.003**2]]
    assert turned == pytest.approx(np.array(expected), abs=1e-12)
    elsewhere = ecef_covariance_m2(sigmas, np.array([3_800_000.0, -400_000.0, 5_085_000.0]))
    assert np.trace(elsewhere) == pytest.approx(np.trace(turned)) and np.linalg.det(elsewhere) == pytest.approx(np.linalg.det(turned))
