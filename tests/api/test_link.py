"""The Link page's data: pair sheets, a difference mended, the load on the air."""

import io
from urllib.parse import urlencode

import pypdf
import pytest

from openstake.app import build
from tests.conftest import Crew, built


def profile(store, job, role):
    return next(item for item in store.get(f"/jobs/{job}/profiles")["profiles"] if item["role"] == role and item["chosen"])


def change(store, job, role, **link):
    before = profile(store, job, role)
    values = before["data"] | {"link": before["data"]["link"] | link}
    return store.post("/profiles", {"values": values, "replaces_id": before["id"]})


def step(store, job):
    return next(step for step in store.get(f"/jobs/{job}/steps")["steps"] if step["step"] == "link")


def test_a_difference_is_seen_on_the_sheet_and_mended_by_taking_one_value(own_office):
    job = own_office.job()
    assert own_office.get(f"/jobs/{job}/link")["pairs"][0]["agrees"] and step(own_office, job)["state"] == "entered"
    # After the base's channel is changed for interference, the rover's is forgotten (common practice, no source).
    change(own_office, job, "base", frequency_mhz=461.05)

    pair = own_office.get(f"/jobs/{job}/link")["pairs"][0]

    assert [row["field"] for row in pair["rows"] if row["state"] == "different"] == ["frequency_mhz"]
    assert "radio light stays dark" in pair["findings"][0]["sentence"] and step(own_office, job)["state"] == "disagrees"
    wish = {"field": "frequency_mhz", "take": "base", "base_id": pair["base_id"], "rover_id": pair["rover_id"]}
    assert own_office.post(f"/jobs/{job}/link/mend", wish)["pairs"][0]["agrees"]
    rover = profile(own_office, job, "rover")
    assert (rover["data"]["link"]["frequency_mhz"], rover["version"]) == (461.05, 2)
    own_office.post(f"/jobs/{job}/link/mend", wish, 409)
    own_office.post(f"/jobs/{job}/link/mend", wish | {"field": "colour"}, 422)


def test_every_rover_of_the_job_is_compared_with_its_base(own_office):
    job = own_office.job()
    network = next(item for item in own_office.get(f"/jobs/{job}/profiles")["profiles"] if item["role"] == "network-rover")
    own_office.post(f"/jobs/{job}/profiles", {"line_id": network["line_id"], "chosen": True})

    pairs = own_office.get(f"/jobs/{job}/link")["pairs"]

    assert [pair["agrees"] for pair in pairs] == [True, False]
    assert "kind" in [item["field"] for item in pairs[1]["findings"]]


def test_the_load_follows_the_profile_s_messages_and_the_satellites_asked_for(own_office):
    job = own_office.job()

    # By hand (RTCM 10403.3): 677 bytes an epoch for these satellites in MSM4, and 21.6 bit/s of 1006, of 9600 bit/s.
    air = own_office.get(f"/jobs/{job}/link?satellites=G10,R8,E9,C12")["air"]
    assert air["bytes_per_epoch"] == 677 and air["share"] == pytest.approx(5437.6 / 9600)
    chirp = "spreading_factor=7&bandwidth_khz=250&coding_denominator=6"
    # SF x BW / 2^SF x CR, and what a 10 % sub-band leaves of it (common practice, no source).
    limited = own_office.get(f"/jobs/{job}/link?{chirp}&duty_limit=10%25")["air"]
    assert limited["rate_bps"] == pytest.approx(9115, abs=0.5) and limited["findings"][0]["code"] == "duty-too-large"
    change(own_office, job, "base", air_rate_bps=4800)
    over = own_office.get(f"/jobs/{job}/link")["air"]
    assert not over["fits"] and over["remedies"][-1]["fits"]
    assert [item["code"] for item in over["findings"]] == ["air-load-too-large"]
    for query, field in (("satellites=ten", "satellites"), ("duty_limit=often", "duty_limit"), ("satellites=G99", "satellites")):
        assert own_office.get(f"/jobs/{job}/link?{query}", 422)["field"] == field


def test_a_job_without_profiles_has_no_pair_and_no_load(own_office):
    job = own_office.post("/jobs", {"name": "Bare", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]

    assert own_office.get(f"/jobs/{job}/link") == {
        "base": None,
        "other_bases": [],
        "pairs": [],
        "air": None,
        "satellites": "G10,R8,E9,C12",
        "satellites_words": "As on a usual day: no elements of today say what the base will see.",
        "signals": 2,
    }
    assert step(own_office, job)["state"] == "missing"


def pair_of(store, job):
    pair = store.get(f"/jobs/{job}/link")["pairs"][0]
    return {"base_id": pair["base_id"], "rover_id": pair["rover_id"]}


def pdf_text(store, job, pair):
    client = store.program.app.test_client()
    answer = client.get(f"/api/jobs/{job}/link/card.pdf?{urlencode(pair)}", base_url="http://127.0.0.1:8420")
    assert answer.mimetype == "application/pdf"
    pages = pypdf.PdfReader(io.BytesIO(answer.get_data())).pages
    assert len(pages) == 1
    return pages[0].extract_text()


def test_the_card_is_one_page_with_both_ends_cautions_and_no_password(own_office):
    job = own_office.job()
    account = {"name": "County", "host": "caster.example", "mountpoint": "NEAR", "user": "crew"}
    own_office.post("/gear", {"kind": "caster", "values": account, "password": "s3cret-word"})

    text = pdf_text(own_office, job, pair_of(own_office, job))

    for words in (
        "Carrow Sluice: setup card",
        "Creek base, UHF",
        "Creek rover, UHF",
        "461.025 MHz",
        "GMSK",
        "1006 every 10 s",
        "Never transmit without an antenna",
        "Licence and call sign",
        "38400 at both ends",
    ):
        assert words in text
    assert "s3cret-word" not in text
    # The antenna comes before the power (common practice, no source).
    assert text.index("Radio antenna screwed on") < text.index("Transmit power")
    own_office.get(f"/jobs/{job}/link/card?base_id=x&rover_id=y", 409)


def test_ticks_of_a_card_are_logged_and_belong_to_that_version_of_the_pair(own_office):
    job = own_office.job()
    pair = pair_of(own_office, job)

    ticked = own_office.post(f"/jobs/{job}/link/card", pair | {"key": "frequency_mhz", "done": True})

    assert [line["key"] for line in ticked["lines"] if line["done"]] == ["frequency_mhz"]
    assert "Ticked off: Frequency (setup card)" in own_office.get(f"/jobs/{job}/book")["lines"][0]["sentence"]
    own_office.post(f"/jobs/{job}/link/card", pair | {"key": "colour", "done": True}, 404)
    change(own_office, job, "base", frequency_mhz=461.05)
    fresh = own_office.get(f"/jobs/{job}/link/card?{urlencode(pair_of(own_office, job))}")
    assert not any(line["done"] for line in fresh["lines"]), "what was typed before is not what is to be typed now"


def test_reach_takes_the_powers_the_battery_and_the_site_from_the_kit_and_the_list(own_office):
    job = own_office.job()

    reach = own_office.get(f"/jobs/{job}/link/reach")

    assert [level["power_w"] for level in reach["levels"]] == [2.0, 10.0, 35.0]
    # CS8, 704951.667 E 631187.305 N, is the farthest from the middle of the list, CS4 or CS5 apart: about 1.1 to 1.6 km.
    assert 1.0 < reach["distance_km"] < 1.7
    assert reach["horizon_km"] == pytest.approx(14.07, abs=0.02)  # 4.12 x (sqrt 4 + sqrt 2)
    farther = own_office.get(f"/jobs/{job}/link/reach?distance_km=20")
    assert farther["lowest_power_w"] is None and farther["levels"][0]["margin_db"] is None
    for query, field in (("distance_km=far", "distance_km"), ("margin_db=-3", "margin_db"), ("rover_height=x", "rover_height")):
        assert own_office.get(f"/jobs/{job}/link/reach?{query}", 422)["field"] == field


def test_the_practice_caster_is_found_after_it_came_back_on_another_port(demo_folder, tmp_path):
    def account(crew):
        return next(item for item in crew.get("/gear")["items"] if item["kind"] == "caster")

    program = built(demo_folder, tmp_path / "data", practice=True)
    crew = Crew(program)
    before = account(crew)
    moved = {"kind": "caster", "values": before["data"] | {"port": 9}, "replaces_id": before["id"]}
    elsewhere = {"kind": "caster", "values": before["data"] | {"name": "Site office", "port": 9}, "password": "x"}
    crew.post("/gear", moved)
    crew.post("/gear", elsewhere)
    stored = crew.get(f"/jobs/{crew.job()}/profiles")["profiles"]
    rover = next(item for item in stored if item["role"] == "network-rover")
    link = rover["data"]["link"] | {"caster": rover["data"]["link"]["caster"] | {"port": 9}}
    crew.post("/profiles", {"values": rover["data"] | {"link": link}, "replaces_id": rover["id"]})
    program.close()
    program = build(tmp_path / "data", practice=True, demo=True, web_dir=None)
    crew = Crew(program)
    try:
        items = {item["name"]: item for item in crew.get("/gear")["items"] if item["kind"] == "caster"}
        port = program.context.practice.caster.port
        assert items["Practice caster"]["data"]["port"] == port and items["Practice caster"]["has_password"]
        assert items["Site office"]["data"]["port"] == 9, "what the crew typed stays"
        stored = crew.get(f"/jobs/{crew.job()}/profiles")["profiles"]
        assert [item["data"]["link"]["caster"]["port"] for item in stored if item["role"] == "network-rover"] == [port]
    finally:
        program.close()


def test_a_mountpoint_of_the_stand_in_is_listed_tested_and_taken_into_a_profile(own_program):
    job = own_program.job()
    own_program.start_base(job)
    account = next(item for item in own_program.get("/gear")["items"] if item["kind"] == "caster")
    caster = {"account_id": account["id"]}

    own_program.wait_for(lambda: own_program.post(f"/jobs/{job}/link/table", caster)["rows"], 20)
    rows = own_program.post(f"/jobs/{job}/link/table", caster)["rows"]
    assert rows[0]["mountpoint"] == "PRACTICE" and rows[0]["distance_km"] < 3.0
    heard = own_program.post(f"/jobs/{job}/link/try", {"caster": caster, "mountpoint": "PRACTICE", "seconds": 12, "push": True})
    assert heard["connected"] and heard["sending"] and heard["stations"][0]["station_id"] == 17
    assert heard["push"]["connected"] and "already" in heard["push"]["sentence"]
    unknown = own_program.post(f"/jobs/{job}/link/try", {"caster": caster, "mountpoint": "NOWHERE", "seconds": 1})
    assert (unknown["connected"], unknown["outcome"]) == (False, "mountpoint unknown")
    rover = profile(own_program, job, "rover")
    own_program.post(f"/jobs/{job}/link/mountpoint", {"caster": caster, "mountpoint": "PRACTICE", "profile_id": rover["id"]})
    link = profile(own_program, job, "rover")["data"]["link"]
    assert (link["kind"], link["caster"]["mountpoint"]) == ("internet", "PRACTICE")
    refused = {"host": "127.0.0.1", "port": 1}
    assert "refuses the connection" in own_program.post(f"/jobs/{job}/link/table", refused, 502)["detail"]
