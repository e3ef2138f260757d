"""Points over the API: limits, names, labels by rows, filters, photos, and what a corrected height does to them."""

import pytest

from openstake.core.units import metres_from_text
from tests.conftest import as_file
from tests.filled import Filling
from tests.pictures import pixels_of

PNG = (
    b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08\x06\x00\x00\x00\x1f\x15\xc4\x89"
    b"\x00\x00\x00\rIDATx\x9cc\xf8\xcf\xc0\xf0\x1f\x00\x05\x00\x01\xff\x89\x99=\x1d\x00\x00\x00\x00IEND\xaeB`\x82"
)
WISH = {"kind": "topo", "reading": "2.000 m", "feature": "rod"}
HALF_A_MILLIMETRE = 0.0005


@pytest.fixture(scope="module")
def job(shared_program):
    """A job with 12 points from a base that has ended and is corrected below."""
    crew = shared_program
    made = crew.post("/jobs", {"name": "Points", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    rows = "name,east,north,ellipsoidal height\n" + "".join(f"M{n},{703412.361 + 90 * n:.3f},629805.118,62.4\n" for n in range(3))
    crew.post(f"/jobs/{made}/control/accept", as_file(rows))

    def work(session):
        filling = Filling(session, made)
        filling.shots(*filling.base(0, filling.marks[0], ends=True), 12, 6, as_points=True)

    crew.program.context.database.write(work)
    return made


def points(crew, job, query=""):
    return crew.get(f"/jobs/{job}/points{query}")["points"]


def named(crew, job, name):
    return next(item for item in points(crew, job) if item["name"] == name)


def label(point, **more):
    return {"replaces_id": point["label_id"], "name": point["name"], "code": point["code"], "note": point["note"]} | more


def test_points_are_listed_newest_first_and_found_by_words_and_kind(shared_program, job):
    crew = shared_program
    assert [item["name"] for item in points(crew, job)][:2] == ["P12", "P11"]
    assert {item["code"] for item in points(crew, job, "?text=gl")} == {"GL"}
    assert [item["name"] for item in points(crew, job, "?text=p11")] == ["P11"]
    assert points(crew, job, "?kind=control") == [] and len(points(crew, job, "?kind=topo")) == 12
    assert points(crew, job, "?text=%25") == [] and points(crew, job, "?text=_") == [], "signs of the query are letters"
    assert crew.get(f"/jobs/{job}/points")["next_name"] == "P13"


def test_a_point_is_renamed_and_recoded_by_a_new_row_and_two_who_do_it_do_not_both_win(shared_program, job):
    crew = shared_program
    point = named(crew, job, "P3")
    crew.post(f"/jobs/{job}/points/{point['id']}", label(point, name="TOP3", code="EB", note="by the gate"))

    now = named(crew, job, "TOP3")
    assert (now["code"], now["note"], now["id"]) == ("EB", "by the gate", point["id"])
    refused = crew.post(f"/jobs/{job}/points/{point['id']}", label(point, name="OTHER"), status=409)
    assert "changed in the meantime" in refused["detail"] and "Point P3 is called TOP3" in refused["detail"]
    book = [line["sentence"] for line in crew.get(f"/jobs/{job}/book")["lines"]]
    assert any("Point P3 is called TOP3, has the code EB" in sentence for sentence in book)


@pytest.mark.parametrize("taken", ["P5", "M1"])
def test_a_name_that_a_point_or_a_mark_has_is_refused_with_the_next_free_one(shared_program, job, taken):
    crew = shared_program
    point = named(crew, job, "P4")
    refused = crew.post(f"/jobs/{job}/points/{point['id']}", label(point, name=taken), status=409)

    assert refused["field"] == "name" and "is free" in refused["detail"]


def test_what_is_taken_out_is_kept_and_comes_back(shared_program, job):
    crew = shared_program
    point = named(crew, job, "P6")
    crew.post(f"/jobs/{job}/points/{point['id']}", label(point, taken_out=True, reason="wrong tree"))

    assert "P6" not in [item["name"] for item in points(crew, job)]
    assert "P6" not in crew.get(f"/jobs/{job}/points.csv")
    assert "P6" not in [item["name"] for item in crew.get(f"/jobs/{job}/plan")["points"]]
    out = points(crew, job, "?taken_out=true")
    assert [item["name"] for item in out] == ["P6"]
    crew.post(f"/jobs/{job}/points/{point['id']}", label(out[0]))
    assert named(crew, job, "P6")["east_m"] == point["east_m"]


def test_the_last_name_is_taken_back_and_given_again(shared_program, job):
    crew = shared_program
    last = crew.get(f"/jobs/{job}/points")["last_name"]
    crew.post(f"/jobs/{job}/points/back")

    listed = crew.get(f"/jobs/{job}/points")
    assert listed["next_name"] == last == "P12" and listed["last_name"] == "P11"


def test_a_photo_belongs_to_its_point_and_garbage_is_none(shared_program, job):
    crew = shared_program
    point = named(crew, job, "P7")
    crew.upload(f"/jobs/{job}/points/{point['id']}/photos", PNG, name="hedge.png")
    crew.upload(f"/jobs/{job}/points/{point['id']}/photos", b"garbage", status=422, name="x.png")
    crew.upload(f"/jobs/{job}/points/nothing/photos", PNG, status=404, name="x.png")

    kept = named(crew, job, "P7")["photos"]
    assert [item["name"] for item in kept] == ["hedge.png"]
    assert pixels_of(crew.file(f"/jobs/{job}/photos/{kept[0]['id']}")).tolist() == pixels_of(PNG).tolist()


def test_a_corrected_base_height_moves_every_point_and_says_so(shared_program, job):
    crew = shared_program
    before = named(crew, job, "P8")
    readings = crew.get(f"/jobs/{job}/base/earlier")["bases"][0]["heights"]["readings"]
    for reading in readings:
        fix = {"replaces_id": reading["id"], "reading": "1.600 m", "feature": "bottom", "reason": "misread by 10 cm"}
        crew.post(f"/jobs/{job}/base/height", fix)

    after = named(crew, job, "P8")
    typed = sum(metres_from_text(reading["text"], "m") for reading in readings) / len(readings)
    # A base height typed too small makes every point too low by as much (common practice, no source).
    assert after["height_m"] - before["height_m"] == pytest.approx(1.6 - typed, abs=HALF_A_MILLIMETRE)
    assert after["moved_words"] == "moved 0.100 m up since: the base's height was corrected"
    assert before["moved_words"] == ""
    assert (after["east_m"], after["north_m"]) == pytest.approx((before["east_m"], before["north_m"]), abs=1e-4)


def test_a_point_says_what_it_is_worth(shared_program, job):
    point = named(shared_program, job, "P9")
    # 2.4477 sigma of a circle, 1.96 sigma of a line (tables); the filling claims 6, 5 and 11 mm.
    assert 1.96 * 0.006 < point["horizontal_95_m"] < 2.4477 * 0.006
    assert point["vertical_95_m"] == pytest.approx(1.95996 * 0.011, abs=1e-6)
    assert (point["epochs"], point["left_out"], point["kind"]) == (6, 0, "topo")
    assert 0.002 < point["scatter_up_m"] < 0.015 and point["rover_height_m"] == 2.0


def test_kinds_and_codes_are_kept_by_rows(shared_program, job):
    crew = shared_program
    view = crew.get(f"/jobs/{job}/points/settings")
    assert view["id"] is None and [kind["name"] for kind in view["settings"]["kinds"]] == ["quick", "topo", "control", "track"]
    values = view["settings"]
    values["kinds"][1]["seconds"] = "3"
    values["kinds"][1]["most_horizontal_95_m"] = "30 mm"
    values["codes"] = [{"code": "HY", "words": "hydrant"}]
    crew.post(f"/jobs/{job}/points/settings", {"values": values, "replaces_id": None, "length_unit": "m"})

    kept = crew.get(f"/jobs/{job}/points/settings")
    assert kept["settings"]["kinds"][1]["most_horizontal_95_m"] == 0.03 and kept["settings"]["codes"][0]["code"] == "HY"
    late = crew.post(f"/jobs/{job}/points/settings", {"values": values, "replaces_id": None, "length_unit": "m"}, status=409)
    assert "changed in the meantime" in late["detail"]
    values["kinds"][3] = {"name": "track"}
    refused = crew.post(f"/jobs/{job}/points/settings", {"values": values, "replaces_id": kept["id"], "length_unit": "m"}, status=422)
    assert refused["field"] == "kinds.3.every_s"


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"kind": "quickly"}, "kind"),
        ({"reading": "two"}, "reading"),
        ({"name": "M1"}, "name"),
        ({"tilt": "maybe"}, "tilt"),
        ({"kind": "control"}, "tilt"),
        ({"seconds": 9000}, "seconds"),
    ],
)
def test_a_wish_that_cannot_be_is_refused_at_its_field(shared_program, job, change, field):
    refused = shared_program.send("POST", f"/jobs/{job}/points", WISH | change, 409 if field == "name" else 422)
    assert refused["field"] == field


def test_a_point_without_a_base_says_what_to_do(shared_program, job):
    assert "Base page" in shared_program.post(f"/jobs/{job}/points", WISH, status=404)["detail"]


@pytest.mark.slow
def test_kinds_of_shot_at_the_pole(own_program):
    """Quick, track, a limit that holds back, the guard off, two names at once."""
    crew, job = own_program, own_program.job()
    crew.walk_to(job, "CS2")
    crew.start_base(job)
    crew.post(f"/jobs/{job}/points", WISH | {"kind": "quick", "fixed_only": False, "name": "LOOSE"})
    crew.wait_for(lambda: points(crew, job), 40)
    loose = points(crew, job)[0]
    assert loose["not_fixed"] > 0 and not loose["fixed_only"]
    assert any("The guard was off" in line["sentence"] for line in crew.get(f"/jobs/{job}/book")["lines"])

    crew.wait_fixed(job)
    crew.post(f"/jobs/{job}/points", WISH | {"kind": "quick"})
    crew.wait_for(lambda: len(points(crew, job)) == 2, 20)
    assert points(crew, job)[0]["epochs"] == 1 and points(crew, job)[0]["name"] == "LOOSE1"

    values = crew.get(f"/jobs/{job}/points/settings")["settings"]
    values["kinds"][1]["fewest_satellites"] = 59
    values["kinds"][3] |= {"every_s": 1.0, "every_m": None}
    crew.post(f"/jobs/{job}/points/settings", {"values": values, "replaces_id": None, "length_unit": "m"})
    crew.post(f"/jobs/{job}/points", WISH)
    crew.wait_for(lambda: "at least 59 satellites (now" in crew.get(f"/jobs/{job}/watch")["live"]["shot"]["waiting_for"], 20)
    crew.post(f"/jobs/{job}/points", WISH, status=409)
    crew.post(f"/jobs/{job}/points/drop", {})
    assert crew.get(f"/jobs/{job}/watch")["live"]["shot"] is None

    settings = crew.get(f"/jobs/{job}/points/settings")
    values["kinds"][1] |= {"fewest_satellites": 4, "least_elevation_deg": 59.0}
    crew.post(f"/jobs/{job}/points/settings", {"values": values, "replaces_id": settings["id"], "length_unit": "m"})
    crew.post(f"/jobs/{job}/points", WISH)
    crew.wait_for(lambda: "at least 59° elevation of the lowest" in crew.get(f"/jobs/{job}/watch")["live"]["shot"]["waiting_for"], 20)
    crew.post(f"/jobs/{job}/points/drop", {})

    crew.post(f"/jobs/{job}/points", WISH | {"kind": "track", "name": "T1"})
    crew.wait_for(lambda: len(points(crew, job)) >= 6, 30)
    crew.post(f"/jobs/{job}/points/drop", {})
    track = [item["name"] for item in points(crew, job) if item["kind"] == "track"][::-1]
    assert track[:4] == ["T1", "T2", "T3", "T4"], "in the order in which they were walked"


@pytest.mark.slow
def test_closing_walks_from_due_to_done(own_program):
    crew, job = own_program, own_program.job()
    crew.walk_to(job, "CS2")
    crew.start_base(job)
    crew.wait_fixed(job)
    crew.post(f"/jobs/{job}/points", WISH)
    crew.wait_for(lambda: points(crew, job), 30)

    def due():
        return [item["key"] for item in crew.get(f"/jobs/{job}/closing")["items"] if item["state"] == "due"]

    assert due()[:3] == ["check-out", "links", "height"]
    crew.check(job, "CS2")
    assert "check-out" not in due()
    crew.post(f"/jobs/{job}/base/readings", {"reading": "1.547 m", "feature": "bottom", "moment": "after"})
    crew.post(f"/jobs/{job}/base/end")
    assert not {"height", "base", "raw", "recording"} & set(due())
    crew.post(f"/jobs/{job}/closing", {"key": "power", "done": True})
    crew.post(f"/jobs/{job}/closing", {"key": "base", "done": True}, status=404)
    assert "power" not in due() and "files" in due()


def test_a_check_of_an_earlier_base_is_not_this_base_s(shared_office):
    crew = shared_office
    job = crew.post("/jobs", {"name": "Two bases", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    marks = "name,east,north,ellipsoidal height\nM0,703412.4,629805.1,62.4\nM1,703478.9,629861.4,63.1\n"
    crew.post(f"/jobs/{job}/control/accept", as_file(marks))

    def work(session):
        filling = Filling(session, job)
        first = filling.base(0, filling.marks[0])
        filling.shots(*first, 2, 6)
        filling.base(1, filling.marks[1], ends=False)

    crew.program.context.database.write(work)

    checks = crew.get(f"/jobs/{job}/checks")["checks"]

    assert len(checks) == 2 and not any(check["of_this_base"] for check in checks)
    assert all("earlier base, on M0" in check["base_words"] for check in checks)
