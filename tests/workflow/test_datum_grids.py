"""The grid of a datum operation brought in as a file: what is here is offered, what has gone stops, what is no grid is refused."""

import struct

import pytest

from openstake.core.geodesy.grids import lacking_grids, with_paths
from openstake.wire.gridfiles import look_for_grids_in
from tests.conftest import as_file
from tests.filled import Filling
from tests.workflow.test_queries import LISTS

GRID = "uk_os_OSTN15_NTv2_OSGBtoETRS.tif"
PLACE = (52.5, -1.5)
# The shifts of the grid below, seconds of arc: NTv2 counts longitudes positive to the west.
NORTH_S, WEST_S = 3.0, 5.0


def ntv2(north_s=NORTH_S, west_s=WEST_S, south=49, north=61, west=-9, east=2):
    """Return a grid of one shift everywhere, a node a degree.  Source: the layout of NTv2 as PROJ documents it; from memory."""

    def record(name, value):
        kinds = {int: lambda: struct.pack("<i4x", value), float: lambda: struct.pack("<d", value), str: lambda: value.ljust(8).encode()}
        return name.ljust(8).encode() + kinds[type(value)]()

    nodes = (north - south + 1) * (east - west + 1)
    head = [
        ("NUM_OREC", 11),
        ("NUM_SREC", 11),
        ("NUM_FILE", 1),
        ("GS_TYPE", "SECONDS"),
        ("VERSION", "TEST"),
        ("SYSTEM_F", "OLD"),
        ("SYSTEM_T", "NEW"),
        ("MAJOR_F", 6377563.396),
        ("MINOR_F", 6356256.909),
        ("MAJOR_T", 6378137.0),
        ("MINOR_T", 6356752.314),
        ("SUB_NAME", "ALL"),
        ("PARENT", "NONE"),
        ("CREATED", "20261201"),
        ("UPDATED", "20261201"),
        ("S_LAT", south * 3600.0),
        ("N_LAT", north * 3600.0),
        ("E_LONG", -east * 3600.0),
        ("W_LONG", -west * 3600.0),
        ("LAT_INC", 3600.0),
        ("LONG_INC", 3600.0),
        ("GS_COUNT", nodes),
    ]
    return b"".join(record(*item) for item in head) + struct.pack("<4f", north_s, west_s, 0.0, 0.0) * nodes + b"END".ljust(16)


def bring_in(crew, content, name=GRID, status=200):
    return crew.upload("/datum-grids", content, status, name=name)


@pytest.fixture
def job(own_office):
    made = own_office.post("/jobs", {"name": "Old grid", "system": {"kind": "code", "code": 27700}, "length_unit": "m"})
    own_office.post(f"/jobs/{made['id']}/control/accept", as_file("name,east,north,ellipsoidal height\nA,434000,290000,100\n"))
    return made["id"]


def offered(crew, job):
    return crew.get(f"/jobs/{job}/operations?source=ETRS89")


def choose(crew, job, status=200):
    view = crew.get(f"/jobs/{job}")
    name = next(item["name"] for item in offered(crew, job)["operations"] if "OSGB36 to ETRS89 (2)" in item["name"])
    wish = {"operation": {"source": "ETRS89", "name": name}}
    return crew.post(f"/jobs/{job}/settings", {"replaces_id": view["settings_id"], "changes": wish}, status=status)


def codes(crew, job):
    return {item["code"]: item for item in crew.get(f"/jobs/{job}/system")["findings"]}


def test_a_grid_that_is_brought_in_makes_its_operation_the_best_that_is_offered(own_office, job):
    lacking = next(item for item in offered(own_office, job)["without_grid"] if GRID in item["grids"])
    assert lacking["accuracy_m"] == pytest.approx(0.03)  # EPSG dataset, OSGB36 to ETRS89 (2)

    bring_in(own_office, ntv2())

    found = offered(own_office, job)
    assert found["operations"][0]["accuracy_m"] == pytest.approx(0.03) and not any(GRID in item["grids"] for item in found["without_grid"])
    choose(own_office, job)
    assert "datum-not-said" not in codes(own_office, job)
    tried = own_office.get(f"/jobs/{job}")
    frame = own_office.program.context
    with frame.database.read() as session:
        from openstake.derive.job import job_of

        moved = job_of(session, job).frame
    # By hand: the old latitude is 3″ smaller; longitudes count to the west in the grid, so the old one is 5″ farther east.
    xyz = moved.ecef_from_grid(*moved.grid_from_geodetic(PLACE[0] - NORTH_S / 3600.0, PLACE[1] + WEST_S / 3600.0), 100.0)
    from openstake.core.geodesy.ellipsoid import GRS80, geodetic_from_ecef

    assert geodetic_from_ecef(xyz, GRS80)[:2] == pytest.approx(PLACE, abs=1e-9)
    assert tried["operation"] and "A" in {mark["name"] for mark in own_office.get(f"/jobs/{job}/marks")["marks"]}


def test_a_grid_that_has_gone_is_a_stop_that_names_it_and_deletes_nothing(own_office, job):
    bring_in(own_office, ntv2())
    choose(own_office, job)

    def measure(session):
        filling = Filling(session, job)
        filling.shots(*filling.base(0, filling.marks[0]), 2, 6)
        filling.shots(*filling.base(1, filling.marks[0], ends=False), 2, 6, as_points=True)

    own_office.program.context.database.write(measure)
    file = own_office.program.context.data_dir / "datum" / GRID
    content = file.read_bytes()
    file.unlink()

    said = codes(own_office, job)["datum-not-said"]

    assert said["is_stop"] and GRID in said["sentence"]
    for page in LISTS:
        if page != "points.csv":
            own_office.get(f"/jobs/{job}/{page}")
    assert GRID in own_office.get(f"/jobs/{job}/points.csv", 422)["detail"]
    bring_in(own_office, content)
    assert "datum-not-said" not in codes(own_office, job)


@pytest.mark.parametrize(
    ("content", "name", "status", "words"),
    [
        (b"no grid at all " * 40, GRID, 422, "cannot read the file"),
        (ntv2()[:600], GRID, 422, ""),
        (b"", GRID, 422, ""),
        (ntv2(), "../../escape.tif", 422, "No operation of the EPSG dataset"),
        (ntv2(), "mine.tif", 422, "No operation of the EPSG dataset"),
    ],
)
def test_what_is_no_grid_of_an_operation_is_refused_and_nothing_stays(own_office, job, content, name, status, words):
    assert words in bring_in(own_office, content, name, status)["detail"]
    folder = own_office.program.context.data_dir / "datum"
    assert not folder.exists() or list(folder.iterdir()) == []


def test_a_path_in_a_pipeline_is_no_grid_that_was_brought_in(tmp_path):
    """What a package says its operation is: nothing beside the folder of grids is opened."""
    look_for_grids_in(tmp_path)
    (tmp_path / GRID).write_bytes(ntv2())
    step = "+proj=pipeline +step +proj=hgridshift +grids="
    assert lacking_grids(step + GRID) == () and with_paths(step + GRID) == step + str(tmp_path / GRID)
    for name in ("/etc/passwd", "../" + GRID, "@/dev/zero", f"{GRID},/etc/passwd", "missing.tif"):
        assert lacking_grids(step + name), name


def test_the_same_grid_twice_is_one_and_another_of_its_name_is_refused(own_office, job):
    bring_in(own_office, ntv2())
    bring_in(own_office, ntv2())
    assert "Another file is here" in bring_in(own_office, ntv2(4.0), status=409)["detail"]


def test_a_grid_that_does_not_cover_the_site_is_not_chosen(own_office, job):
    bring_in(own_office, ntv2(south=56, north=61))
    assert "does not cover the site" in choose(own_office, job, status=422)["detail"]
