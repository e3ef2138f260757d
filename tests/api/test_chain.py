"""The chain of a job over the API: its page, its budget moved, findings answered, the morning of a new day."""

import csv
import io

import pytest

from tests.conftest import as_file
from tests.filled import Filling

CONTROL = "name,east,north,ellipsoidal height\n" + "".join(
    f"Q{n},{703412.361 + 431.7 * n:.3f},{629805.118 + 403.9 * n:.3f},{62.4 + 0.29 * n:.3f}\n" for n in range(4)
)


def job_of(crew, name, measured=True, ends=False, source="mark"):
    wish = {"name": name, "system": {"kind": "code", "code": 2157}, "length_unit": "m"}
    job = crew.post("/jobs", wish)["id"]
    crew.post(f"/jobs/{job}/control/accept", as_file(CONTROL))

    def work(session):
        filling = Filling(session, job)
        filling.shots(*filling.base(0, filling.marks[0], source=source, ends=ends), 4, 8)

    if measured:
        crew.program.context.database.write(work)
    return job


def link(page, name):
    return next(item for item in page["links"] if item["name"] == name)


def test_an_empty_job_asks_for_its_control_list_first(own_office):
    wish = {"name": "Empty", "system": {"kind": "code", "code": 2157}, "length_unit": "m"}
    job = own_office.post("/jobs", wish)["id"]
    page = own_office.get(f"/jobs/{job}/chain")

    assert len(page["links"]) == 9 and page["morning"] is None
    assert page["next"]["page"] == "job" and page["findings"] == []
    assert page["budget"]["where"] == "1 km from a base that is not set up yet"


def test_the_page_shows_what_is_meant_what_is_seen_and_where_it_stands(own_office):
    job = job_of(own_office, "Whole")
    page = own_office.get(f"/jobs/{job}/chain")

    mark = link(page, "base mark")
    assert mark["state"] == "checked" and mark["meant"].startswith("Q0")
    assert {seen["page"] for seen in mark["seen"]} == {"check?mark=Q1", "check?mark=Q2", "check?mark=Q3"}
    antenna = link(page, "base antenna")
    assert (antenna["state"], antenna["difference"]) == ("entered", "0.001 m apart"), "nobody has looked at its level"
    assert "level" in antenna["due"]["words"]
    assert page["weakest"]["words"].startswith(page["weakest"]["name"])
    # The farthest mark of the list: 3 times 431.7 and 403.9 m.
    assert page["budget"]["baseline_m"] == pytest.approx((1295.1**2 + 1211.7**2) ** 0.5, abs=0.5)
    assert sum(term["share_horizontal"] for term in page["budget"]["terms"]) == pytest.approx(1.0)


def test_over_the_plan_each_mark_has_the_budget_of_its_distance(own_office):
    job = job_of(own_office, "Over")

    def over(**wish):
        return own_office.post(f"/jobs/{job}/budget/over", wish)

    plain = over()
    assert (plain["base"], plain["against"]) == ("Q0", "relative to the base mark")
    far = next(mark for mark in plain["marks"] if mark["name"] == "Q3")
    by_distance = own_office.post(f"/jobs/{job}/budget/try", {"baseline": f"{(1295.1**2 + 1211.7**2) ** 0.5:.3f}"})
    assert far["horizontal_95_m"] == pytest.approx(by_distance["horizontal_95_m"], abs=1e-6)
    near = next(mark for mark in plain["marks"] if mark["name"] == "Q0")
    assert near["horizontal_95_m"] < far["horizontal_95_m"]
    wash = plain["wash"]
    assert len(wash["band"]) % wash["columns"] == 0 and wash["band"][0] <= wash["band"][-1], "Q0 is in the south-west"
    better = over(changes=["average", "nearer"])
    assert all(one["horizontal_95_m"] < other["horizontal_95_m"] for one, other in zip(better["marks"], plain["marks"], strict=True))
    own_office.post(f"/jobs/{job}/budget/over", {"changes": ["luck"]}, 422)
    unoccupied = job_of(own_office, "Nowhere", measured=False)
    assert own_office.post(f"/jobs/{unoccupied}/budget/over", {}) == {"base": "", "against": "", "marks": [], "wash": None}


def test_terms_are_moved_and_a_need_is_answered_with_the_cheapest_way(own_office):
    job = job_of(own_office, "What if")

    def tried(**wish):
        return own_office.post(f"/jobs/{job}/budget/try", wish)

    plain, near = tried(baseline="5000"), tried(baseline="5000", changes=["nearer"])
    assert near["horizontal_95_m"] < plain["horizontal_95_m"]
    assert next(item for item in near["changes"] if item["key"] == "nearer")["done"]
    asked = tried(baseline="5000", need_horizontal="20 mm")
    assert asked["reaches"] is False and asked["answer"].startswith("Cheapest: ")
    assert all(way["horizontal_95_m"] <= 0.020 for way in asked["ways"])
    assert "measure it otherwise" in tried(need_horizontal="0.1 mm")["answer"]
    assert tried(absolute=True)["horizontal_95_m"] > tried()["horizontal_95_m"]
    for wish, field in (({"baseline": "far"}, "baseline"), ({"changes": ["luck"]}, "changes"), ({"need_vertical": "-1"}, "need_vertical")):
        assert own_office.post(f"/jobs/{job}/budget/try", wish, 422)["field"] == field


def test_what_a_job_takes_for_its_budget_is_changed_by_a_row(own_office):
    job = job_of(own_office, "Own budget")
    before = own_office.get(f"/jobs/{job}/chain")["budget"]["vertical_95_m"]
    form = own_office.get(f"/jobs/{job}/budget/settings")
    wish = {"values": form["settings"] | {"multipath_vertical_m": 0.05}, "replaces_id": form["id"]}
    assert own_office.post(f"/jobs/{job}/budget/settings", wish)["settings"]["multipath_vertical_m"] == 0.05

    assert own_office.get(f"/jobs/{job}/chain")["budget"]["vertical_95_m"] > before + 0.05
    own_office.post(f"/jobs/{job}/budget/settings", wish, 409)
    own_office.post(f"/jobs/{job}/budget/settings", {"values": {"multipath_s": 0}, "replaces_id": None}, 422)


def test_checks_points_and_their_export_carry_the_budget(own_office):
    job = job_of(own_office, "Carried")
    check = own_office.get(f"/jobs/{job}/checks")["checks"][0]
    terms = {term["name"]: term for term in check["budget"]["terms"]}

    assert terms["vector"]["source"] == "the receiver's claim"
    # By hand: the claim of 6 and 5 mm as it is, all other terms in both axes, and the mark's own 5 mm.
    rest = sum(term["horizontal_m"] ** 2 for name, term in terms.items() if name != "vector") + 0.005**2
    axes = sorted(2.4477468 * (rest + claim**2) ** 0.5 for claim in (0.005, 0.006))
    assert (check["expected_ellipse"]["minor_m"], check["expected_ellipse"]["major_m"]) == pytest.approx(axes, rel=1e-3)
    rows = list(csv.DictReader(io.StringIO(own_office.get(f"/jobs/{job}/points.csv"))))
    assert all(0.01 < float(row["horizontal_95_m"]) < 0.05 < 0.06 for row in rows)


def test_a_finding_is_answered_with_a_name_and_stays(own_office):
    job = job_of(own_office, "Answered")
    asked = own_office.get(f"/jobs/{job}/chain")["findings"]
    finding = asked[0]["finding"]
    wish = {"code": finding["code"], "sentence": finding["sentence"], "words": "measured again, agrees", "who": "mk"}
    own_office.post(f"/jobs/{job}/findings/answer", wish)

    after = own_office.get(f"/jobs/{job}/chain")["findings"]
    assert [item["finding"] for item in after] == [item["finding"] for item in asked], "it hides nothing"
    assert [(said["words"], said["who"]) for said in after[0]["answers"]] == [("measured again, agrees", "mk")]
    assert any(line["kind"] == "finding-answered" for line in own_office.get(f"/jobs/{job}/book")["lines"])
    for more, field in (({"who": " "}, "who"), ({"words": ""}, "words"), ({"words": "accepted because"}, "words")):
        assert own_office.post(f"/jobs/{job}/findings/answer", wish | more, 422)["field"] == field
    own_office.post(f"/jobs/{job}/findings/answer", wish | {"code": "luck"}, 404)


def test_in_the_morning_the_page_says_what_holds_and_what_is_seen_anew(own_office):
    job = job_of(own_office, "Yesterday", ends=True)
    morning = own_office.get(f"/jobs/{job}/chain")["morning"]

    assert morning["items"][0]["state"] == "checked" and "Q1" in morning["items"][0]["why"]
    assert [item["page"] for item in morning["items"]] == ["base", "base", "link", "check?mark=Q1", "check?mark=Q3"]
    other = job_of(own_office, "Autonomous yesterday", ends=True, source="average")
    assert "by name" in own_office.get(f"/jobs/{other}/chain")["morning"]["items"][0]["why"]
