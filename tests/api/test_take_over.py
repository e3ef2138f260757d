"""Control and points of another job taken over: the same numbers to the bit, in the same system only, no name twice."""

import re
from pathlib import Path

import pytest

from openstake.core.book import KINDS
from tests.conftest import as_file
from tests.filled import Filling

LIST = "name,east,north,ellipsoidal height,order\nM0,703412.361,629805.118,62.417,first\nM1,703502.4,629805.1,62.4,\n"
# What is told of rovers and points, beside the codes of findings: it is in no group of its own.
ROVER = {"point", "point-relabelled", "rover-added", "rover-dropped", "rover-height-corrected", "initialise-anew", "restored"}


def made(crew, name, code=2157, **more):
    return crew.post("/jobs", {"name": name, "system": {"kind": "code", "code": code}, "length_unit": "m", **more})["id"]


@pytest.fixture
def site(own_office):
    """A job with two marks and three points, one of which was taken out."""
    crew, job = own_office, made(own_office, "Old site")
    crew.post(f"/jobs/{job}/control/accept", as_file(LIST))

    def work(session):
        filling = Filling(session, job)
        filling.shots(*filling.base(0, filling.marks[0]), 3, 6, as_points=True)

    crew.program.context.database.write(work)
    crew.post(f"/jobs/{job}/points/back", {})
    return crew, job


def marks(crew, job):
    return {mark["name"]: mark for mark in crew.get(f"/jobs/{job}/marks")["marks"]}


def test_the_list_comes_over_to_the_bit_and_what_is_there_stays(site):
    crew, old = site
    new = made(crew, "New site")
    crew.post(f"/jobs/{new}/control/accept", as_file("name,east,north,ellipsoidal height\nM1,703600.0,629900.0,60.0\n"))
    assert crew.post(f"/jobs/{new}/control/take-over", {"job_id": old}) == {"accepted": 1, "refused": 1}
    came, was = marks(crew, new)["M0"], marks(crew, old)["M0"]
    for key in ("east_m", "north_m", "ellipsoidal_height_m", "sigma_horizontal_m", "sigma_vertical_m", "order"):
        assert came[key] == was[key], key
    assert marks(crew, new)["M1"]["east_m"] == 703600.0 and "Old site" in came["source"]
    assert "already" in crew.post(f"/jobs/{new}/control/take-over", {"job_id": old}, 422)["detail"]


def test_points_come_over_as_provisional_marks_with_what_their_budget_gives(site):
    crew, old = site
    new = made(crew, "Next site")
    assert crew.post(f"/jobs/{new}/control/take-over", {"job_id": old, "what": "points"})["accepted"] == 2
    points = {point["name"]: point for point in crew.get(f"/jobs/{old}/points")["points"]}
    for name, mark in marks(crew, new).items():
        assert (mark["east_m"], mark["north_m"]) == pytest.approx((points[name]["east_m"], points[name]["north_m"]), abs=1e-9)
        assert mark["order"] == "provisional"
        # Absolute: never better than relative to the base mark.  2.4477 sigmas of an axis are 95 % of a circle (from memory).
        assert mark["sigma_horizontal_m"] * 2.4477 > points[name]["budget_horizontal_95_m"]


def test_another_system_frame_epoch_or_vertical_system_is_refused_with_both_named(site):
    crew, old = site
    for n, more in enumerate(({"code": 25832}, {"frame_epoch": "2015.5"}, {"vertical_system": "Malin Head height (EPSG:5731)"})):
        job = made(crew, f"Elsewhere {n}", **more)
        refused = crew.post(f"/jobs/{job}/control/take-over", {"job_id": old}, 422)
        assert "No shift is applied that nobody named" in refused["detail"] and "Old site" in refused["detail"]
        assert marks(crew, job) == {}
    bare = made(crew, "Bare")
    for wish, status in (({"job_id": bare}, 422), ({"job_id": "nothing"}, 404), ({"job_id": old, "what": "secrets"}, 422)):
        crew.post(f"/jobs/{bare}/control/take-over", wish, status)
    assert "has no points" in crew.post(f"/jobs/{old}/control/take-over", {"job_id": bare, "what": "points"}, 422)["detail"]


def test_every_kind_of_line_that_the_program_writes_is_about_something():
    sources = Path(__file__).parents[2] / "src" / "openstake"
    written = set()
    for path in sources.rglob("*.py"):
        written |= set(re.findall(r'(?:\.tell\(|write_entry\(\s*session,\s*[\w.()]+,)\s*"([a-z0-9-]+)"', path.read_text()))
    assert len(written) > 30 and written - {kind for kinds in KINDS.values() for kind in kinds} <= ROVER
