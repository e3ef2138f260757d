"""Half an hour later, in one practice job and in no other; and a link that is cut for a while."""

import pytest

from openstake.app import build
from openstake.live.clock import VirtualClock
from openstake.live.network import outside_of
from tests.conftest import Crew, built

NETTLE, ALDER = "Nettle Brook Culvert", "Alder Ford Footbridge"
HALF_AN_HOUR_S = 1800.0
LOOKS_S = 1.0  # the virtual clock moves a microsecond a look


def time_of(crew, job):
    return crew.get(f"/jobs/{job}/practice")


def sentences(crew, job):
    return [line["sentence"] for line in crew.get(f"/jobs/{job}/book")["lines"]]


def fixed_base(crew):
    job = crew.job()
    crew.walk_to(job, "CS2")
    crew.start_base(job)
    crew.wait_fixed(job)
    return job


def test_time_passes_in_its_job_alone_and_its_book_says_so(own_program):
    job, other = own_program.job(), own_program.job(NETTLE)
    before, books = time_of(own_program, job), sentences(own_program, other)
    assert before["practice"] and before["passed_s"] == 0.0 and before["words"] == ""
    assert [item["words"] for item in before["waits"]] == ["10 min later", "30 min later", "2 h later"]

    own_program.later(job, HALF_AN_HOUR_S)
    after = time_of(own_program, job)

    assert after["now_s"] - before["now_s"] == pytest.approx(HALF_AN_HOUR_S, abs=LOOKS_S)
    assert (after["passed_s"], after["words"]) == (HALF_AN_HOUR_S, "30 min skipped here")
    line = own_program.get(f"/jobs/{job}/book")["lines"][0]
    assert line["sentence"] == "For practice, 30 min were skipped."
    assert line["at_s"] == pytest.approx(after["now_s"], abs=LOOKS_S), "what is written from now on is that much later"
    assert time_of(own_program, other)["now_s"] == pytest.approx(before["now_s"], abs=LOOKS_S)
    assert sentences(own_program, other) == books
    assert own_program.get(f"/jobs/{job}/book")["verification"]["whole"]


def test_what_was_let_pass_adds_up_and_is_there_after_a_new_start(demo_folder, tmp_path):
    crew = Crew(built(demo_folder, tmp_path / "data", practice=True))
    job = crew.job()
    crew.later(job, 600.0)
    crew.later(job, 7200.0)
    crew.program.close()
    again = Crew(built(tmp_path / "data", tmp_path / "moved", practice=True))
    try:
        assert time_of(again, job)["passed_s"] == 7800.0
        assert time_of(again, again.job(NETTLE))["passed_s"] == 0.0
    finally:
        again.program.close()


def test_a_job_that_counts_has_the_host_s_time_and_nothing_is_offered(own_program):
    job = own_program.job(ALDER)
    shown = time_of(own_program, job)
    assert (shown["practice"], shown["waits"], shown["cuts"]) == (False, [], [])
    for path, wish in (("wait", {"seconds": 600}), ("cut", {"seconds": 60})):
        refused = own_program.post(f"/jobs/{job}/practice/{path}", wish, 409)
        assert "This job has real devices" in refused["detail"]
    assert time_of(own_program, job)["passed_s"] == 0.0


def test_without_stand_ins_nothing_is_let_pass(shared_office):
    job = shared_office.job()
    assert time_of(shared_office, job)["practice"] is False
    shared_office.post(f"/jobs/{job}/practice/wait", {"seconds": 600}, 409)


@pytest.mark.parametrize(("path", "seconds"), [("wait", 59), ("wait", 86_401), ("wait", -600), ("cut", 9), ("cut", 601), ("cut", "long")])
def test_a_time_that_is_not_offered_is_a_sentence(shared_program, path, seconds):
    refused = shared_program.post(f"/jobs/{shared_program.job()}/practice/{path}", {"seconds": seconds}, 422)
    assert "seconds" in refused["detail"]


def test_nothing_is_torn_apart_by_a_leap(own_program):
    job = fixed_base(own_program)
    wish = {"mark_id": own_program.mark(job, "CS2"), "seconds": 60, "reading": "2 m", "feature": "rod"}
    own_program.post(f"/jobs/{job}/checks", wish)
    refused = own_program.post(f"/jobs/{job}/practice/wait", {"seconds": 600}, 409)
    assert "A shot is being recorded" in refused["detail"]
    own_program.send("DELETE", f"/jobs/{job}/checks/current")
    own_program.post(f"/jobs/{job}/base/average", {"seconds": 60})
    refused = own_program.post(f"/jobs/{job}/practice/wait", {"seconds": 600}, 409)
    assert "Wait for its end, or stop it first" in refused["detail"]


def test_the_stand_ins_go_on_in_the_job_s_new_time_and_stay_fixed(own_program):
    job = fixed_base(own_program)
    live = own_program.get(f"/jobs/{job}/watch")["live"]
    own_program.later(job, HALF_AN_HOUR_S)
    statuses = set()
    for _ in range(10):
        own_program.clock.sleep(0.5)
        statuses.add(own_program.get(f"/jobs/{job}/watch")["live"]["status"])
    later = own_program.get(f"/jobs/{job}/watch")["live"]
    messages = own_program.get(f"/jobs/{job}/instrument")["instrument"]["link"]

    assert statuses == {"fixed"}, "nothing was lost by it"
    assert messages["share"] is None or messages["share"] > 0.9, "frames of the half hour are not missed"
    assert later["status"] == "fixed" and later["age_s"] < 3.0
    moved_s = (later["time_of_day_s"] - live["time_of_day_s"]) % 86_400.0
    assert moved_s == pytest.approx(HALF_AN_HOUR_S + 5.0, abs=2.0)
    assert later["host_s"] - live["host_s"] == pytest.approx(HALF_AN_HOUR_S + 5.0, abs=2.0)
    # A mark that was measured before is due again by the job's own clock (common practice: half an hour).
    assert own_program.check(job, "CS2")["created_s"] == pytest.approx(time_of(own_program, job)["now_s"], abs=10.0)


def test_another_practice_job_works_with_the_stand_ins_in_its_own_time(own_program):
    job, other = own_program.job(), own_program.job(NETTLE)
    own_program.later(job, 7200.0)
    own_program.walk_to(other, "NB2")
    own_program.start_base(other, mark="NB1")
    own_program.wait_fixed(other)
    now_s = time_of(own_program, other)["now_s"]
    epoch_s = own_program.get(f"/jobs/{other}/watch")["live"]["time_of_day_s"]
    assert (epoch_s - now_s) % 86_400.0 == pytest.approx(0.0, abs=2.0) or (now_s - epoch_s) % 86_400.0 < 2.0


def test_a_cut_link_lets_the_age_climb_and_heals_by_itself(own_program):
    job = fixed_base(own_program)
    assert "no link to cut" in own_program.post(f"/jobs/{own_program.job(NETTLE)}/practice/cut", {"seconds": 10}, 409)["detail"]
    own_program.post(f"/jobs/{job}/practice/cut", {"seconds": 60})
    assert sentences(own_program, job)[0] == "For practice, the link was cut for 60 s."
    own_program.clock.sleep(30.0)
    cut = own_program.get(f"/jobs/{job}/watch")["live"]
    # Nothing has come for thirty seconds: the age says so, and at 10 s the fix is gone (common practice).
    assert 27.0 <= cut["age_s"] <= 33.0 and cut["status"] == "float"

    own_program.clock.sleep(60.0)
    healed = own_program.get(f"/jobs/{job}/watch")["live"]
    assert healed["status"] == "fixed" and healed["age_s"] < 3.0


def test_the_plan_of_checks_can_be_practised_to_its_end(own_program):
    """What takes a morning on site: near, far, both anew and both again later."""
    job = fixed_base(own_program)
    shown = own_program.get(f"/jobs/{job}/checks/settings")
    values = shown["settings"] | {"far": "CS3", "benchmarks": ["CS2", "CS3"], "come_back_min": 30.0}
    own_program.post(f"/jobs/{job}/checks/settings", {"values": values, "replaces_id": shown["id"]})
    own_program.check(job, "CS2", seconds=20)
    due = own_program.get(f"/jobs/{job}/checks/plan")["plan"]
    again = next(task for item in due["items"] if item["planned"]["mark_name"] == "CS2" for task in item["tasks"] if task["due_s"])
    assert again["due_s"] > time_of(own_program, job)["now_s"], "it is too early to come back"
    own_program.later(job, HALF_AN_HOUR_S)
    assert again["due_s"] <= time_of(own_program, job)["now_s"] + LOOKS_S
    own_program.check(job, "CS2", seconds=20)
    plan = own_program.get(f"/jobs/{job}/checks/plan")["plan"]
    done = {task["name"]: task["done"] for item in plan["items"] if item["planned"]["mark_name"] == "CS2" for task in item["tasks"]}
    assert done["come back"], done


def test_a_copy_of_a_job_is_made_in_the_host_s_time(own_program):
    job = own_program.job()
    own_program.later(job, 7200.0)
    copied = own_program.post(f"/jobs/{job}/copy", {"name": "Carrow again", "with_control": True})
    assert time_of(own_program, copied["id"])["passed_s"] == 0.0
    assert copied["created_s"] == pytest.approx(time_of(own_program, copied["id"])["now_s"], abs=LOOKS_S)


def test_a_package_takes_the_time_that_was_let_pass_with_it(own_program, demo_folder, tmp_path):
    job = own_program.job(NETTLE)
    own_program.later(job, 600.0)
    work = own_program.post(f"/jobs/{job}/packages")
    own_program.wait_for(lambda: own_program.get(f"/works/{work['id']}")["state"] != "running", 60)
    packed = own_program.file(f"/works/{work['id']}/file")
    folder = tmp_path / "there"
    there = Crew(build(folder, practice=False, demo=False, web_dir=None, outside=outside_of(VirtualClock(1_795_600_000.0))))
    try:
        unpacking = there.upload("/packages", packed)
        there.wait_for(lambda: there.get(f"/works/{unpacking['id']}")["state"] != "running", 60)
        assert time_of(there, job)["passed_s"] == 600.0
        assert "For practice, 10 min were skipped." in sentences(there, job)
    finally:
        there.program.close()
