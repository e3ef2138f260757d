"""A rover height that was typed wrongly, corrected under stored shots: for one, for those after it, for all, and taken back.

A rover height typed too large makes a point too low by as much (rover mark = base mark + base height + vector − rover height,
common practice).
"""

import csv
import io

import pytest

from tests.conftest import as_file
from tests.filled import Filling

WRONG = "the clamp had slipped"


@pytest.fixture(scope="module")
def job(shared_office):
    """A job with six points and three checks from one set-up, and two points from another: all on a rod of 2 m."""
    crew = shared_office
    made = crew.post("/jobs", {"name": "Heights", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    rows = "name,east,north,ellipsoidal height\n" + "".join(f"M{n},{703412.4 + 90 * n:.3f},629805.1,62.4\n" for n in range(3))
    crew.post(f"/jobs/{made}/control/accept", as_file(rows))

    def work(session):
        filling = Filling(session, made)
        filling.shots(*filling.base(1, filling.marks[1], ends=True), 2, 4, as_points=True)
        base = filling.base(0, filling.marks[0], ends=False)
        filling.shots(*base, 6, 4, as_points=True)
        filling.shots(*base, 3, 4)

    crew.program.context.database.write(work)
    return made


class Poles:
    """The points and checks of the job, and their rover heights."""

    def __init__(self, crew, job):
        self.crew, self.job = crew, job

    def ids(self):
        points = {item["name"]: item["id"] for item in self.crew.get(f"/jobs/{self.job}/points")["points"]}
        return points | {item["mark_name"]: item["id"] for item in self.crew.get(f"/jobs/{self.job}/checks")["checks"]}

    def heights(self):
        points = {item["name"]: item["height_m"] for item in self.crew.get(f"/jobs/{self.job}/points")["points"]}
        checks = self.crew.get(f"/jobs/{self.job}/checks")["checks"]
        return points | {item["mark_name"]: item["point_height_m"] for item in checks}

    def view(self, name):
        return self.crew.get(f"/jobs/{self.job}/shots/{self.ids()[name]}/height")

    def correct(self, name, reading, scope="shot", status=200, **more):
        wish = {
            "replaces_id": self.view(name)["readings"][0]["id"],
            "reason": WRONG,
            "scope": scope,
            "reading": reading,
            "feature": "pole",
        } | more
        return self.crew.post(f"/jobs/{self.job}/shots/{self.ids()[name]}/height", wish, status)


@pytest.fixture
def poles(shared_office, job):
    made = Poles(shared_office, job)
    before = made.heights()
    yield made
    assert made.heights() == before, "to the same bits"


def moved(poles, before):
    return {name: round(now - before[name], 4) for name, now in poles.heights().items() if now != before[name]}


def test_one_point_alone_comes_up_by_what_its_pole_was_too_long_and_goes_back(poles):
    before = poles.heights()
    said = poles.correct("P4", "1.800 m")
    assert moved(poles, before) == {"P4": 0.2}
    assert [row["text"] for row in said["readings"]] == ["1.800 m", "2.000 m"] and said["readings"][0]["reason"] == WRONG
    point = next(item for item in poles.crew.get(f"/jobs/{poles.job}/points")["points"] if item["name"] == "P4")
    assert point["moved_words"] == "moved 0.200 m up since: the rover height was corrected"
    rows = csv.DictReader(io.StringIO(poles.crew.get(f"/jobs/{poles.job}/points.csv")))
    assert next(row for row in rows if row["name"] == "P4")["rover_height_m"] == "1.8000"

    back = poles.correct("P4", None)
    assert [row["text"] for row in back["readings"]] == ["2.000 m", "1.800 m", "2.000 m"]


def test_scopes_are_by_rover_and_set_up_and_say_how_many_they_are(poles):
    before = poles.heights()
    assert [(item["scope"], item["count"]) for item in poles.view("P5")["scopes"]] == [("shot", 1), ("later", 7), ("set-up", 9)]
    assert [item["scope"] for item in poles.view("P1")["scopes"]] == ["shot", "later"], "all are its later ones"

    poles.correct("P5", "1.900 m", "later")
    assert moved(poles, before) == dict.fromkeys(["P5", "P6", "P7", "P8", "M0", "M1", "M2"], 0.1)
    assert {check["stale"] for check in poles.crew.get(f"/jobs/{poles.job}/checks")["checks"]} == {True}
    # What is typed otherwise now is not corrected along with the rest.
    poles.correct("P3", "1.950 m", "set-up")
    assert moved(poles, before)["P8"] == 0.1 and moved(poles, before)["P4"] == 0.05 and "P1" not in moved(poles, before)
    line = poles.crew.get(f"/jobs/{poles.job}/book")["lines"][0]["sentence"]
    assert line == (
        "Rover height '2.000 m' (2.000 m) corrected to '1.950 m' (1.950 m) for 2 shots, P3 to P4: the clamp had slipped. "
        "What was measured lies 0.050 m higher."
    )

    poles.correct("P3", None, "together")
    assert "P3" not in moved(poles, before) and moved(poles, before)["M2"] == 0.1
    poles.correct("M2", None, "together")
    assert {check["stale"] for check in poles.crew.get(f"/jobs/{poles.job}/checks")["checks"]} == {False}, "as they were"


def test_a_correction_that_lost_the_race_and_one_that_says_nothing_new_change_nothing(poles):
    crew, path = poles.crew, f"/jobs/{poles.job}/shots/{poles.ids()['P6']}/height"
    seen = poles.view("P6")["readings"][0]["id"]
    wish = {"replaces_id": seen, "reason": WRONG, "reading": "1.700 m", "feature": "pole"}
    crew.post(path, wish)
    lost = crew.post(path, wish | {"reading": "1.600 m"}, 409)["detail"]
    assert "in the meantime" in lost and "corrected to '1.700 m'" in lost, "it says what holds now"
    assert "already" in poles.correct("P6", "1.700 m", status=422)["detail"]
    assert "few words" in poles.correct("P6", "1.500 m", status=422, reason=" ")["detail"]
    assert poles.correct("P6", "two metres", status=422)["field"] == "reading"
    assert "never corrected" in poles.correct("P2", None, status=409)["detail"]
    assert "never corrected" in poles.correct("P2", "1.5 m", "together", status=409)["detail"]
    other = poles.view("P5")["readings"][0]["id"]
    poles.correct("P6", "1.500 m", status=404, replaces_id=other)
    crew.get(f"/jobs/{crew.job()}/shots/{poles.ids()['P6']}/height", 404)
    poles.correct("P6", None)


def test_positions_that_refer_to_the_mark_do_not_move_and_the_book_says_so(shared_office):
    crew = shared_office
    made = crew.post("/jobs", {"name": "Applied", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    crew.post(f"/jobs/{made}/control/accept", as_file("name,east,north,ellipsoidal height\nM0,703412.4,629805.1,62.4\n"))

    def work(session):
        filling = Filling(session, made)
        filling.shots(*filling.base(0, filling.marks[0], refers_to="mark"), 2, 4, as_points=True)

    crew.program.context.database.write(work)
    poles = Poles(crew, made)
    before = poles.heights()
    poles.correct("P1", "1.800 m", "set-up")
    assert poles.heights() == before
    assert "refer to the mark, so nothing moves" in crew.get(f"/jobs/{made}/book")["lines"][0]["sentence"]
