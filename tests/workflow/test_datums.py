"""A job on a classical datum, from its making to a check: nothing before an operation is named, the right numbers after it."""

import re
import warnings

import numpy as np
import pyproj
import pytest
from pyproj.transformer import TransformerGroup
from sqlalchemy import select

from openstake.core.geodesy.ellipsoid import ecef_from_geodetic, geodetic_from_ecef
from openstake.core.rtk.rover import RoverWatch
from openstake.core.vector import raised_along_normal
from openstake.derive.job import job_of
from openstake.derive.marks import control_of
from openstake.store.models import BaseCoordinate, Listening, Occupation, Reference
from openstake.workflow.watch.against import against_control
from tests.conftest import as_file, start_wish
from tests.core.test_rtk import ORIGIN, epoch
from tests.filled import REFUSED, Filling
from tests.repeats import repeats

# Projected systems of twenty classical datums and ten realised by GNSS; codes of the EPSG dataset.
CLASSICAL = (
    28992,
    27700,
    29903,
    31467,
    31287,
    21781,
    2100,
    2039,
    5514,
    23030,
    28406,
    31370,
    30169,
    22234,
    29193,
    24547,
    3405,
    20137,
    25932,
    2736,
)
GNSS = (2157, 3067, 25832, 6518, 2193, 7856, 31982, 6677, 32629, 20904)
ARP_M, ROD_M = 1.5, 2.0


class Site:
    """A site in a system by pyproj alone: two marks in the grid, and where positions are there, by an operation where one is needed.

    An operation is computed in the direction in which it is published: PROJ's other one is only near it.
    """

    def __init__(self, code, seed):
        random = np.random.default_rng(seed)
        self.system = pyproj.CRS.from_epsg(code)
        area = self.system.area_of_use
        middle = np.array([(area.south + area.north) / 2.0, (area.west + area.east) / 2.0])
        size = 0.2 * np.array([area.north - area.south, area.east - area.west])
        self.place = middle + random.uniform(-1.0, 1.0, 2) * size
        near = self.place + np.array([0.004, 0.006])
        heights = random.uniform(20.0, 200.0, 2)
        self.datum = np.column_stack([[self.place[0], near[0]], [self.place[1], near[1]], heights])  # latitude, longitude, height
        flat = pyproj.Transformer.from_crs(self.system.geodetic_crs, self.system, always_xy=True)
        factor = self.system.axis_info[0].unit_conversion_factor
        self.grid_m = np.column_stack(flat.transform(self.datum[:, 1], self.datum[:, 0])) * factor

    def positions(self, source, name):
        """Return latitude, longitude and height of both marks in the frame of positions, by the operation of that name."""
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # the best one may need a grid that is not here
            group = TransformerGroup(source, self.system.geodetic_crs.to_3d(), always_xy=True, allow_ballpark=False)
        by = next(item for item in group.transformers if name in plain(item.description))
        latitude, longitude, height = self.datum.T
        year = np.full(2, 2020.0)
        if re.search(r"\+inv \+proj=(helmert|molobadekas)", by.definition):
            east, north, up, _ = by.transform(longitude, latitude, height, year, direction="INVERSE")
        else:
            # Published from the positions' frame: the place whose image is the mark.
            east, north, up = longitude.copy(), latitude.copy(), height.copy()
            for _ in range(6):
                there = by.transform(east, north, up, year)
                east, north, up = east + longitude - there[0], north + latitude - there[1], up + height - there[2]
        return np.column_stack([north, east, up])


def plain(name):
    return " + ".join(step for step in name.split(" + ") if not step.startswith("axis order change"))


def chosen(crew, site, code):
    """Return an operation from WGS 84 into the system's datum as the page offers it; None where the dataset has none here."""
    latitude, longitude = (f"{value:.6f}" for value in site.place)
    wish = {"system": {"kind": "code", "code": code}, "source": "WGS 84", "latitude": latitude, "longitude": longitude}
    tried = crew.post("/systems/try", wish)
    assert tried["datum_is_unsaid"] and tried["place"] is None and "cannot be said before an operation" in tried["place_words"]
    return next((item["name"] for item in tried["operations"]["operations"]), None)


def made(crew, name, code, site, **more):
    latitude, longitude = (f"{value:.6f}" for value in site.place)
    wish = {"name": name, "system": {"kind": "code", "code": code}, "length_unit": "m", "latitude": latitude, "longitude": longitude}
    job = crew.post("/jobs", wish | more)["id"]
    lines = [f"M{n},{east!r},{north!r},{float(site.datum[n, 2])!r}" for n, (east, north) in enumerate(site.grid_m.tolist())]
    crew.post(f"/jobs/{job}/control/accept", as_file("name,east,north,ellipsoidal height\n" + "\n".join(lines) + "\n"))
    return job


def started(crew, job, status=200):
    wish = {
        "mark_id": crew.mark(job, "M0"),
        "reading": f"{ARP_M} m",
        "feature": "bottom",
        "source": "mark",
        "station_id": 17,
        "rover_url": REFUSED,
        "refers_to": "arp",
    }
    return crew.post(f"/jobs/{job}/base/start", start_wish(**wish) | {"accepted": True}, status)


def measured(crew, job, places):
    """The base is heard where it is meant to be, and the rover stands on both marks: rows as the recorder writes them."""

    def write(session):
        filling = Filling(session, job)
        base = session.scalars(select(Occupation).where(Occupation.job_id == job)).one()
        listening = session.scalars(select(Listening).where(Listening.occupation_id == base.id)).one()
        coordinate = session.scalars(select(BaseCoordinate).where(BaseCoordinate.occupation_id == base.id)).one()
        filling.now = coordinate.created_s
        x, y, z = (float(value) for value in raised_along_normal(places[0], ARP_M))
        reference = Reference(
            listening_id=listening.id,
            origin="decoded",
            station_id=17,
            x_m=x,
            y_m=y,
            z_m=z,
            antenna_height_m=ARP_M,
            virtual=False,
            heard_s=coordinate.created_s,
        )
        session.add(reference)
        session.flush()
        filling.shots(base, listening, reference, coordinate, 2, 3, places=places, noise_m=0.0)

    crew.program.context.database.write(write)


def carried(crew, code, seed, ask):
    """Carry a job from its making to a check on the second mark; return its site, or None where no operation is here."""
    site = Site(code, seed)
    name = chosen(crew, site, code) if ask else ""
    if name is None:
        return None
    more = {"operation": {"source": "WGS 84", "name": name}} if ask else {}
    job = made(crew, f"{code} {seed} {ask}", code, site, **more)
    places = [ecef_from_geodetic(*place) for place in (site.positions("EPSG:4979", name) if ask else site.datum)]
    base = started(crew, job)["occupation"]
    there = ecef_from_geodetic(base["latitude_deg"], base["longitude_deg"], base["arp_ellipsoidal_height_m"])
    assert np.linalg.norm(there - raised_along_normal(places[0], ARP_M)) < 0.001, (code, name, "what the base is to send")
    measured(crew, job, places)
    check = next(item for item in crew.get(f"/jobs/{job}/checks")["checks"] if item["mark_name"] == "M1")
    assert max(abs(check["east_m"]), abs(check["north_m"]), abs(check["up_m"])) < 0.001, (code, name)
    assert check["point_east_m"] == pytest.approx(site.grid_m[1, 0], abs=0.001)
    assert not [item for item in check["findings"] if item["code"] == "datum-not-said"]
    crew.post(f"/jobs/{job}/base/end", {})
    return site


@pytest.mark.parametrize("seed", range(1, 1 + repeats(4)))
def test_from_the_job_to_a_check_within_a_millimetre_of_pyproj(own_office, seed):
    """Twenty classical and ten GNSS datums, a site inside each drawn by a seed; the truth is pyproj's, computed apart."""
    some = slice(None) if repeats(10) >= 10 else slice(seed % 3, None, 4)
    went = [carried(own_office, code, seed, True) for code in CLASSICAL[some]]
    assert sum(site is not None for site in went) >= 0.7 * len(went), "the rest needs a grid or has no operation from WGS 84"
    for code in GNSS[some]:
        carried(own_office, code, seed, False)


def test_before_an_operation_is_named_nothing_is_settled_sent_compared_or_taken_home(own_office):
    site = Site(28992, 7)
    job = made(own_office, "Unsaid", 28992, site)
    stop = next(item for item in own_office.get(f"/jobs/{job}/system")["findings"] if item["code"] == "datum-not-said")
    assert stop["severity"] == "stop" and "operation" in stop["sentence"] and "Amersfoort" in stop["sentence"]
    steps = own_office.get(f"/jobs/{job}/steps")
    assert "no operation is chosen" in next(step["why"] for step in steps["steps"] if step["step"] == "job")
    chain = own_office.get(f"/jobs/{job}/chain")
    assert "no operation is chosen" in next(link["why"] for link in chain["links"] if link["name"] == "base mark")
    assert (chain["next"]["page"], "operation" in chain["next"]["words"]) == ("job?view=system", True)

    refused = started(own_office, job, 422)
    assert refused["field"] == "operation" and "Choose the operation" in refused["detail"]
    assert own_office.get(f"/jobs/{job}/base")["occupation"] is None
    assert "classical datum" in own_office.get(f"/jobs/{job}/take-home/csv", 422)["detail"]


def test_a_job_of_before_opens_as_datum_not_said_and_its_base_follows_the_operation_at_a_press(own_office):
    """2026-11: such a job was projected to the wrong ellipsoid, and an operation chosen later left the base 650 m low."""
    site = Site(28992, 7)
    name = chosen(own_office, site, 28992)
    job = made(own_office, "Of before", 28992, site, operation={"source": "WGS 84", "name": name})
    places = [ecef_from_geodetic(*place) for place in site.positions("EPSG:4979", name)]
    started(own_office, job)
    measured(own_office, job, places)
    before = own_office.get(f"/jobs/{job}/checks")["checks"]

    def change(operation):
        view = own_office.get(f"/jobs/{job}")
        own_office.post(f"/jobs/{job}/settings", {"replaces_id": view["settings_id"], "changes": {"operation": operation}})

    change(None)
    for check in own_office.get(f"/jobs/{job}/checks")["checks"]:
        assert check["verdict"]["word"] == "stop" and not check["agrees"]
        assert check["findings"][0]["code"] == "datum-not-said"
    chain = own_office.get(f"/jobs/{job}/chain")
    assert next(link["state"] for link in chain["links"] if link["name"] == "base mark") == "disagrees"

    # Seven parameters of one's own, a metre from the dataset's: the base that stands has the coordinate of before.
    shift = {"x_m": "566.4", "y_m": "49.2", "z_m": "465.0", "convention": "position-vector"}
    change({"shift": shift})
    found = next(item for item in own_office.get(f"/jobs/{job}/base")["findings"] if item["code"] == "base-coordinate-of-before")
    assert found["severity"] == "stop"
    base = own_office.get(f"/jobs/{job}/base")["occupation"]
    assert base["anew"] == "Take M0 as it is now"
    own_office.post(f"/jobs/{job}/base/coordinate/anew", {"occupation_id": base["id"]})
    after = own_office.get(f"/jobs/{job}/base")
    assert after["occupation"]["anew"] == "" and not [item for item in after["findings"] if item["code"] == "base-coordinate-of-before"]
    own_office.post(f"/jobs/{job}/base/coordinate/anew", {"occupation_id": base["id"]}, 409)

    change({"source": "WGS 84", "name": name})
    own_office.post(f"/jobs/{job}/base/coordinate/anew", {"occupation_id": base["id"]})
    again = own_office.get(f"/jobs/{job}/checks")["checks"]
    assert [(item["east_m"], item["north_m"], item["up_m"]) for item in again] == [
        (item["east_m"], item["north_m"], item["up_m"]) for item in before
    ], "back to the same bits"


def test_of_a_projection_of_one_s_own_a_person_says_that_gnss_realises_its_datum(own_office):
    own = {"name": "Quay", "central_meridian_deg": "9", "latitude_of_origin_deg": "53", "false_east_m": "1000 m"}
    wish = {"name": "Own datum", "system": {"kind": "own", "own": own}, "length_unit": "m"}
    job = own_office.post("/jobs", wish)
    assert (job["datum_kind"], job["datum_is_unsaid"], job["may_be_gnss"]) == ("classical", True, True)
    said = {"replaces_id": job["settings_id"], "changes": {"operation": {"datum_is": "gnss"}}}
    job = own_office.post(f"/jobs/{job['id']}/settings", said)
    assert (job["datum_kind"], job["datum_is_unsaid"], job["operation"]) == ("gnss", False, None)

    bessel = wish | {"name": "Old", "system": {"kind": "own", "own": own | {"ellipsoid": "Bessel 1841"}}}
    assert "Choose an operation" in own_office.post("/jobs", bessel | {"operation": {"datum_is": "gnss"}}, 422)["detail"]


@pytest.mark.parametrize(
    "operation", [{"shift": {}}, {"shift": {"x_m": "0 m"}}, {"datum_is": "gnss"}, {"source": "WGS 84", "name": "none"}]
)
def test_what_is_no_operation_never_makes_a_classical_datum_one_of_gnss(shared_office, operation):
    wish = {"name": f"No {operation}", "system": {"kind": "code", "code": 28992}, "length_unit": "m", "operation": operation}
    assert shared_office.post("/jobs", wish, 422)["detail"]


def test_an_operation_far_coarser_than_one_whose_grid_is_not_here_says_so(shared_office):
    """EPSG dataset: Amersfoort from ETRS89 by parameters is good to 0.25 m, by its grid to a centimetre or better."""
    site = Site(28992, 5)
    latitude, longitude = (f"{value:.6f}" for value in site.place)
    wish = {"system": {"kind": "code", "code": 28992}, "source": "ETRS89", "latitude": latitude, "longitude": longitude}
    name = shared_office.post("/systems/try", wish)["operations"]["operations"][0]["name"]
    job = made(shared_office, "Coarse", 28992, site, operation={"source": "ETRS89", "name": name})
    found = next(item for item in shared_office.get(f"/jobs/{job}/system")["findings"] if item["code"] == "operation-coarse")
    assert found["severity"] == "look" and "0.25 m" in found["sentence"] and "0.01 m" in found["sentence"]


@pytest.mark.parametrize(
    ("code", "list_in", "off_m", "found"),
    [(2157, 2157, 0.0, []), (2157, 2157, -50.0, ["rover-off-by-undulation"]), (25830, 25829, 0.0, ["rover-far-from-control"])],
)
def test_the_rover_is_held_against_the_control_before_any_shot(shared_office, code, list_in, off_m, found):
    """The rover's GGA says that the geoid lies 50 m above the ellipsoid; elevations typed as ellipsoidal heights lie 50 m below it."""
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(ORIGIN))
    east, north = pyproj.Transformer.from_crs(4326, list_in, always_xy=True).transform(longitude, latitude)
    wish = {"name": f"Held {code} {off_m}", "system": {"kind": "code", "code": code}, "length_unit": "m"}
    job_id = shared_office.post("/jobs", wish)["id"]
    lines = (
        f"name,east,north,ellipsoidal height\nA,{east + 30.0},{north},{height + off_m}\nB,{east},{north + 40.0},{height + off_m + 1.0}\n"
    )
    shared_office.post(f"/jobs/{job_id}/control/accept", as_file(lines))
    watch = RoverWatch()
    watch.add(epoch(0.0, (0.0, 0.0, 0.0)))
    with shared_office.program.context.database.read() as session:
        job = job_of(session, job_id)
        said = against_control(job, control_of(session, job), watch.state())
    assert [item.code for item in said] == found
    if code != list_in:
        assert "UTM zone 29N (EPSG:25829)" in said[0].cause


def test_geojson_of_a_job_on_a_classical_datum_lies_where_positions_are(shared_office):
    """RFC 7946 knows WGS 84 alone: a viewer puts the points where pyproj does, not a hundred metres beside."""
    site = Site(28992, 5)
    name = chosen(shared_office, site, 28992)
    job = made(shared_office, "Old polder, viewed", 28992, site, operation={"source": "WGS 84", "name": name})
    there = site.positions("EPSG:4979", name)
    started(shared_office, job)
    measured(shared_office, job, [ecef_from_geodetic(*place) for place in there])

    features = shared_office.get(f"/jobs/{job}/take-home/geojson")["features"]

    for feature, (latitude, longitude, height) in zip(features, there, strict=True):
        # A hundred-millionth of a degree is a millimetre.
        assert feature["geometry"]["coordinates"] == pytest.approx([longitude, latitude, height], abs=1e-3)
        assert feature["geometry"]["coordinates"][:2] == pytest.approx([longitude, latitude], abs=2e-8)
    shared_office.post(f"/jobs/{job}/base/end", {})
