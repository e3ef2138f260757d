"""A job with real addresses: the program types nothing into receivers, and says what it cannot hear."""

import stat

import pytest

from openstake.workflow.practice.field import PASSWORD
from tests.conftest import as_file, start_wish

CONTROL = """name,east,north,ellipsoidal height
CS1,703412.361,629805.118,62.417
CS2,703478.902,629861.447,61.983
"""


def office_job(crew):
    job = crew.post("/jobs", {"name": "Real devices", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    crew.post(f"/jobs/{job}/control/accept", as_file(CONTROL))
    return job


def field_running(crew, reading="1.546 m"):
    """Let the stand-ins of the demo job run: for the real job they are somebody's receivers on the network."""
    demo = crew.job()
    crew.walk_to(demo, "CS2")
    crew.start_base(demo, reading=reading)
    return demo


def start(crew, job, status=200, **more):
    practice = crew.program.context.practice
    wish = {
        "mark_id": crew.mark(job, "CS1"),
        "reading": "1.546",
        "feature": "bottom",
        "source": "mark",
        "station_id": 17,
        "base_url": practice.base_stream_url,
        "base_password": PASSWORD,
        "rover_url": practice.rover_url,
    } | more
    return crew.post(f"/jobs/{job}/base/start", start_wish(**wish), status)


@pytest.mark.slow
def test_what_the_receiver_sends_is_compared_with_what_was_meant(own_program):
    field_running(own_program, reading="1.746 m")
    job = office_job(own_program)
    start(own_program, job)
    own_program.wait_for(lambda: own_program.get(f"/jobs/{job}/base")["on_air"], 30)

    base = own_program.get(f"/jobs/{job}/base")

    # Typed 1.746 into the receiver, 1.546 here: 0.200 m, exact to the tenth of a millimetre that 1006 carries.
    assert base["on_air"]["up_m"] == pytest.approx(0.2, abs=0.0002)
    assert [finding["code"] for finding in base["findings"]] == ["base-position-disagrees", "base-receiver-not-heard"]
    assert "1.746 m would fit" in base["findings"][0]["cause"]
    step = {item["step"]: item["state"] for item in own_program.get(f"/jobs/{job}/steps")["steps"]}
    assert step["base"] == "disagrees"
    secrets = own_program.program.context.data_dir / "passwords.json"
    assert stat.S_IMODE(secrets.stat().st_mode) == 0o600
    assert PASSWORD not in str(own_program.get(f"/jobs/{job}/book")) + str(base)


def test_a_rover_on_somebody_else_s_base_is_a_stop(own_program):
    field_running(own_program)
    job = office_job(own_program)
    start(own_program, job, station_id=44)
    own_program.wait_fixed(job)

    codes = [finding["code"] for finding in own_program.get(f"/jobs/{job}/base")["findings"]]

    assert codes == ["rover-hears-another-base", "station-id-disagrees", "base-receiver-not-heard"]


def test_on_radio_the_base_is_not_heard_and_the_reference_is_declared(own_program):
    field_running(own_program)
    job = office_job(own_program)
    start(own_program, job, base_url=None, base_password=None)
    own_program.wait_fixed(job)

    check = own_program.check(job, "CS2")

    found = [finding["code"] for finding in own_program.get(f"/jobs/{job}/base")["findings"]]
    assert found == ["base-not-heard", "base-receiver-not-heard"]
    assert check["agrees"], check["words"]
    steps = {item["step"]: item for item in own_program.get(f"/jobs/{job}/steps")["steps"]}
    # One mark alone fulfils no plan of checks.
    assert (steps["base"]["state"], steps["check"]["state"]) == ("entered", "entered"), steps["check"]["why"]


def test_a_wrong_caster_password_is_a_sentence_and_the_rover_is_heard_all_the_same(own_program):
    field_running(own_program)
    job = office_job(own_program)
    start(own_program, job, base_password="wrong")

    own_program.wait_for(lambda: "refuses user and password" in own_program.get(f"/jobs/{job}/watch")["live"]["base_feed"]["sentence"], 20)
    own_program.wait_for(lambda: own_program.get(f"/jobs/{job}/watch")["live"]["status"] != "none", 20)


@pytest.mark.slow
def test_a_wrong_address_is_mended_without_ending_the_base(own_program):
    field_running(own_program)
    job = office_job(own_program)
    practice = own_program.program.context.practice
    start(own_program, job, base_url="ntrip://own_program@127.0.0.1:9/X", rover_url="tcp://127.0.0.1:9")
    own_program.wait_for(lambda: own_program.get(f"/jobs/{job}/watch")["live"]["rover_feed"]["state"] == "broken", 20)
    occupation = own_program.get(f"/jobs/{job}/base")["occupation"]["id"]

    listen = {"base_url": practice.base_stream_url, "base_password": PASSWORD, "rover_url": practice.rover_url}
    own_program.post(f"/jobs/{job}/base/listen", listen)
    own_program.wait_fixed(job)
    assert own_program.check(job, "CS2")["agrees"]
    # The same address again needs no password again.
    own_program.post(f"/jobs/{job}/base/listen", listen | {"base_password": None, "refers_to": "mark"})
    own_program.wait_for(lambda: own_program.get(f"/jobs/{job}/watch")["live"]["base_feed"]["state"] == "receiving", 20)

    view = own_program.get(f"/jobs/{job}/base")["occupation"]
    assert (view["id"], view["refers_to"]) == (occupation, "mark")
    assert own_program.get(f"/jobs/{job}/checks")["checks"][0]["agrees"], "a shot keeps what its position referred to"


def test_a_position_that_refers_to_the_mark_is_not_lowered_again(own_program):
    field_running(own_program)
    job = office_job(own_program)
    start(own_program, job, refers_to="mark")
    own_program.wait_fixed(job)

    # The stand-in sends its ARP; declared as the mark, the pole of 2.000 m is left in: the classic 2 m.
    assert own_program.check(job, "CS2")["up_m"] == pytest.approx(2.0, abs=0.04)


@pytest.mark.slow
def test_a_job_in_survey_feet_on_another_continent_checks_as_well(own_program):
    job = own_program.job("Nettle Brook Culvert")
    own_program.walk_to(job, "NB2")
    own_program.start_base(job, reading="5 ft 0 7/8 in", mark="NB1")
    own_program.wait_fixed(job)

    check = own_program.check(job, "NB2", reading="6.5617 ft")

    # 5 ft 0 7/8 in = 1.5462 m, typed for a true 1.546 m.
    assert check["agrees"], check["words"]
    header, row = own_program.get(f"/jobs/{job}/points.csv").split("\r\n")[:2]
    assert header.split(",")[1] == "east_sft"
    assert float(row.split(",")[1]) == pytest.approx(1592498.13, abs=0.1)
