"""The Link page's data: pair sheets, a difference mended, the load on the air."""

import pytest

from openstake.app import build
from tests.conftest import Crew


@pytest.fixture
def store(tmp_path):
    program = build(tmp_path / "data", practice=False, demo=True, web_dir=None)
    yield Crew(program)
    program.close()


def profile(store, job, role):
    return next(
        item for item in store.get(f"/jobs/{job}/profiles")["profiles"] if item["role"] == role and item["chosen"]
    )


def change(store, job, role, **link):
    before = profile(store, job, role)
    values = before["data"] | {"link": before["data"]["link"] | link}
    return store.post("/profiles", {"values": values, "replaces_id": before["id"]})


def step(store, job):
    return next(step for step in store.get(f"/jobs/{job}/steps")["steps"] if step["step"] == "link")


def test_a_difference_is_seen_on_the_sheet_and_mended_by_taking_one_value(store):
    job = store.job()
    assert store.get(f"/jobs/{job}/link")["pairs"][0]["agrees"] and step(store, job)["state"] == "entered"
    # After the base's channel is changed for interference, the rover's is forgotten (common practice, no source).
    change(store, job, "base", frequency_mhz=461.05)

    pair = store.get(f"/jobs/{job}/link")["pairs"][0]

    assert [row["field"] for row in pair["rows"] if row["state"] == "different"] == ["frequency_mhz"]
    assert "radio light stays dark" in pair["findings"][0]["sentence"] and step(store, job)["state"] == "disagrees"
    wish = {"field": "frequency_mhz", "take": "base", "base_id": pair["base_id"], "rover_id": pair["rover_id"]}
    assert store.post(f"/jobs/{job}/link/mend", wish)["pairs"][0]["agrees"]
    rover = profile(store, job, "rover")
    assert (rover["data"]["link"]["frequency_mhz"], rover["version"]) == (461.05, 2)
    store.post(f"/jobs/{job}/link/mend", wish, 409)
    store.post(f"/jobs/{job}/link/mend", wish | {"field": "colour"}, 422)


def test_every_rover_of_the_job_is_compared_with_its_base(store):
    job = store.job()
    network = next(item for item in store.get(f"/jobs/{job}/profiles")["profiles"] if item["role"] == "network-rover")
    store.post(f"/jobs/{job}/profiles", {"line_id": network["line_id"], "chosen": True})

    pairs = store.get(f"/jobs/{job}/link")["pairs"]

    assert [pair["agrees"] for pair in pairs] == [True, False]
    assert "kind" in [item["field"] for item in pairs[1]["findings"]]


def test_the_load_follows_the_profile_s_messages_and_the_satellites_asked_for(store):
    job = store.job()

    # By hand (RTCM 10403.3): 677 bytes an epoch for these satellites in MSM4, and 21.6 bit/s of 1006, of 9600 bit/s.
    air = store.get(f"/jobs/{job}/link?satellites=G10,R8,E9,C12")["air"]
    assert air["bytes_per_epoch"] == 677 and air["share"] == pytest.approx(5437.6 / 9600)
    change(store, job, "base", air_rate_bps=4800)
    over = store.get(f"/jobs/{job}/link")["air"]
    assert not over["fits"] and over["remedies"][-1]["fits"]
    assert [item["code"] for item in over["findings"]] == ["air-load-too-large"]
    for query, field in (
        ("satellites=ten", "satellites"),
        ("duty_limit=often", "duty_limit"),
        ("satellites=G99", "satellites"),
    ):
        assert store.get(f"/jobs/{job}/link?{query}", 422)["field"] == field


def test_a_job_without_profiles_has_no_pair_and_no_load(store):
    job = store.post("/jobs", {"name": "Bare", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]

    assert store.get(f"/jobs/{job}/link") == {
        "base": None, "other_bases": [], "pairs": [], "air": None, "satellites": "G10,R8,E9,C12", "signals": 2,
    }  # fmt: skip
    assert step(store, job)["state"] == "missing"
