"""Gear, profiles and the packing list over the API."""

import json

import pytest
from sqlalchemy import select

from openstake.core.kit.profile import example
from openstake.store.models import Listening
from openstake.wire.profile import write_profile
from tests.conftest import as_file
from tests.wire.test_antex import HEADER, antenna


def of_kind(store, kind):
    return {item["name"]: item for item in store.get("/gear")["items"] if item["kind"] == kind}


def test_the_library_holds_every_kind_of_gear_with_its_form(shared_office):
    kit = shared_office.get("/gear")

    assert {form["kind"] for form in kit["forms"]} == {item["kind"] for item in kit["items"]}
    assert all(
        set(item["data"]) == {field["name"] for field in form["fields"]}
        for form in kit["forms"]
        for item in kit["items"]
        if item["kind"] == form["kind"]
    )


def test_lengths_of_gear_are_typed_in_any_unit_and_kept_in_metres(shared_office):
    pole = {"name": "Foot pole", "kind": "pole", "fixed_height_m": "6.562 ft", "bubble_arcmin": "8"}

    saved = shared_office.post("/gear", {"kind": "pole", "values": pole, "length_unit": "sft"})

    assert saved["data"]["fixed_height_m"] == pytest.approx(6.562 * 0.3048)
    bare = shared_office.post("/gear", {"kind": "pole", "values": pole | {"name": "Bare", "fixed_height_m": "6.5"}, "length_unit": "sft"})
    assert bare["data"]["fixed_height_m"] == pytest.approx(6.5 * 1200 / 3937)


@pytest.mark.parametrize(
    ("kind", "values", "field"),
    [
        ("pole", {"kind": "pole"}, "name"),
        ("pole", {"name": "x", "kind": "stick"}, "kind"),
        ("pole", {"name": "x", "kind": "pole", "fixed_height_m": "20 m"}, "fixed_height_m"),
        ("pole", {"name": "x", "kind": "pole", "fixed_height_m": "tall"}, "fixed_height_m"),
        ("caster", {"name": "x", "host": "h", "port": "70000"}, "port"),
        ("caster", {"name": "x", "host": "h", "password": "p"}, "password"),
        ("antenna", {"name": "x", "phase_centres": [{"frequency": "G01", "north_mm": "1", "east_mm": "x"}]}, "phase_centres.0.east_mm"),
        ("receiver", {"name": "Heron", "label_word": "H"}, "name"),
        ("boat", {"name": "x"}, "kind"),
    ],
)
def test_gear_that_cannot_be_is_a_sentence_at_its_field(shared_office, kind, values, field):
    before = shared_office.get("/gear")

    problem = shared_office.post("/gear", {"kind": kind, "values": values}, 409 if values.get("name") == "Heron" else 422)

    assert problem["field"] == field and problem["detail"].endswith(".")
    assert shared_office.get("/gear") == before


def test_a_password_is_written_and_never_read(own_office):
    account = {"name": "County caster", "host": "caster.example", "mountpoint": "NEAR", "user": "crew"}
    saved = own_office.post("/gear", {"kind": "caster", "values": account, "password": "s3cret-word"})

    assert saved["has_password"]
    changed = own_office.post("/gear", {"kind": "caster", "values": account | {"port": "2102"}, "replaces_id": saved["id"]})
    assert changed["has_password"], "it belongs to the account, not to one version of it"
    folder = own_office.program.context.data_dir
    assert (folder / "passwords.json").stat().st_mode & 0o777 == 0o600
    everything = json.dumps(own_office.get("/gear")) + json.dumps(own_office.get(f"/jobs/{own_office.job()}/book"))
    files = b"".join(path.read_bytes() for path in folder.rglob("*") if path.is_file() and path.name != "passwords.json")
    assert "s3cret-word" not in everything and b"s3cret-word" not in files


def test_a_thing_is_changed_by_adding_and_an_old_row_cannot_win(own_office):
    item = of_kind(own_office, "receiver")["Heron"]
    values = item["data"] | {"firmware": "3.3.0"}

    own_office.post("/gear", {"kind": "receiver", "values": values, "replaces_id": item["id"]})
    own_office.post("/gear", {"kind": "receiver", "values": values, "replaces_id": item["id"]}, 409)
    assert of_kind(own_office, "receiver")["Heron"]["data"]["firmware"] == "3.3.0"
    own_office.send("DELETE", f"/gear/{of_kind(own_office, 'receiver')['Heron']['id']}")
    assert "Heron" not in of_kind(own_office, "receiver")


def test_phase_centres_come_from_an_antex_file_into_the_form(shared_office):
    found = shared_office.post("/gear/antex", as_file(HEADER + antenna() + antenna("BLOCK IIA", "G01")))

    assert (len(found["antennas"]), found["satellites"]) == (1, 1)
    saved = shared_office.post("/gear", {"kind": "antenna", "values": found["antennas"][0]})
    assert saved["data"]["phase_centres"][0] == {"frequency": "G01", "north_mm": 0.44, "east_mm": -0.61, "up_mm": 62.1}
    assert "absolute" in saved["data"]["calibration"]
    assert "not an ANTEX file" in shared_office.post("/gear/antex", as_file("garbage"), 422)["detail"]


def test_a_profile_is_versioned_exported_and_comes_back_as_the_next_version(own_office):
    job = own_office.job()
    profile = next(item for item in own_office.get(f"/jobs/{job}/profiles")["profiles"] if item["role"] == "base")
    values = profile["data"] | {"link": profile["data"]["link"] | {"frequency_mhz": "461.05"}}

    second = own_office.post("/profiles", {"values": values, "replaces_id": profile["id"]})
    own_office.post("/profiles", {"values": values, "replaces_id": profile["id"]}, 409)

    assert (second["version"], second["data"]["link"]["frequency_mhz"]) == (2, 461.05)
    text = own_office.program.app.test_client().get(f"/api/profiles/{profile['id']}.json", base_url="http://127.0.0.1:8420").get_data()
    third = own_office.post("/profiles/import", as_file(text))
    assert (third["version"], third["data"]) == (3, profile["data"])
    versions = own_office.get(f"/profiles/{profile['line_id']}/versions")["profiles"]
    assert [item["data"]["link"]["frequency_mhz"] for item in versions] == [461.025, 461.05, 461.025]
    # The job goes on with the newest version of the profile it chose.
    assert next(item for item in own_office.get(f"/jobs/{job}/profiles")["profiles"] if item["role"] == "base")["version"] == 3


def test_a_profile_that_is_garbage_or_names_no_field_is_refused(shared_office):
    assert "not valid JSON" in shared_office.post("/profiles/import", as_file(b"\xff\xfe\x00garbage"), 422)["detail"]
    bad = write_profile(example("rover")).replace('"fec": true', '"fec": "yes"')
    assert shared_office.post("/profiles/import", as_file(bad), 422)["field"] == "link.fec"
    new = shared_office.get("/profiles/new?role=rover")["values"]
    assert shared_office.post("/profiles", {"values": new}, 422)["field"] == "name"
    shared_office.get("/profiles/new?role=boss", 422)


def test_the_packing_list_follows_the_profiles_and_keeps_its_ticks(own_office):
    job = own_office.job()
    packing = own_office.get(f"/jobs/{job}/packing")
    said = " ".join(f"{item['what']} {item['why']}" for item in packing["items"])
    # What people forget (common practice, no source).
    for word in ("Labels", "Bubble", "spare battery", "Radio antenna for 461.025 MHz", "Tape", "before the radio is powered"):
        assert word in said
    assert len({item["key"] for item in packing["items"]}) == len(packing["items"])

    key = packing["items"][0]["key"]
    ticked = own_office.post(f"/jobs/{job}/packing", {"key": key, "done": True})
    assert [item["done"] for item in ticked["items"]].count(True) == 1 and ticked["items"][0]["at_s"] is not None
    assert "Ticked off: Receiver Heron" in own_office.get(f"/jobs/{job}/book")["lines"][0]["sentence"]
    own_office.post(f"/jobs/{job}/packing", {"key": "charge:nothing", "done": True}, 404)
    for profile in own_office.get(f"/jobs/{job}/profiles")["profiles"]:
        own_office.post(f"/jobs/{job}/profiles", {"line_id": profile["line_id"], "chosen": False})
    assert own_office.get(f"/jobs/{job}/packing") == {"profiles": [], "items": []}
    step = next(step for step in own_office.get(f"/jobs/{job}/steps")["steps"] if step["step"] == "kit")
    assert step["state"] == "missing"


def test_heights_are_measured_to_what_the_chosen_antenna_and_pole_have(own_office):
    job = own_office.job()
    assert [feature["name"] for feature in own_office.get(f"/jobs/{job}/heights")["base_features"]] == ["bottom", "rim", "lug"]
    pole = of_kind(own_office, "pole")["Two-metre rod"]
    own_office.post("/gear", {"kind": "pole", "values": pole["data"] | {"fixed_height_m": "1.8 m"}, "replaces_id": pole["id"]})

    heights = own_office.get(f"/jobs/{job}/heights")

    assert heights["rover_height_text"] == "1.800 m" and "1.800 m" in heights["rover_features"][0]["label"]
    bare = own_office.post("/jobs", {"name": "Bare", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    assert [feature["name"] for feature in own_office.get(f"/jobs/{bare}/heights")["base_features"]] == ["bottom"]


def test_what_the_rover_s_receiver_refers_to_is_offered_and_its_phase_centre_is_taken_off(own_office):
    job = own_office.job()
    assert own_office.get(f"/jobs/{job}/base")["suggested"]["refers_to"] == "arp"
    rover = of_kind(own_office, "receiver")["Wagtail"]
    values = rover["data"] | {"nmea_refers_to": "APC"}
    own_office.post("/gear", {"kind": "receiver", "values": values, "replaces_id": rover["id"]})
    assert own_office.get(f"/jobs/{job}/base")["suggested"]["refers_to"] == "apc"

    listen = {"rover_url": "tcp://127.0.0.1:9", "refers_to": "apc"}
    wish = {
        "mark_id": own_office.mark(job, "CS1"),
        "reading": "1.5 m",
        "feature": "bottom",
        "source": "mark",
        "station_id": 1,
        "listen": listen,
    }
    bare = own_office.post("/jobs", {"name": "Bare", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    mark = own_office.post(
        f"/jobs/{bare}/marks",
        {"values": {"name": "M", "east_m": "703412", "north_m": "629805", "height_m": "60", "height_kind": "ellipsoidal"}},
    )
    refusal = own_office.post(f"/jobs/{bare}/base/start", wish | {"mark_id": mark["id"]}, 422)
    assert refusal["field"] == "refers_to" and "no rover antenna" in refusal["detail"]
    own_office.post(f"/jobs/{job}/base/start", wish)

    with own_office.program.context.database.read() as session:
        # The demo's pole antenna: 41.5 mm from its ARP up to its L1 phase centre.
        assert session.scalars(
            select(Listening).where(Listening.rover_url == wish["listen"]["rover_url"])
        ).one().arp_to_apc_m == pytest.approx(0.0415)


def test_what_a_receiver_s_position_refers_to_is_asked_once_and_kept_with_it(own_office):
    """A profile's receiver that nobody has said it of: the start asks, and the kit keeps the answer."""
    crew, job = own_office, own_office.job()
    rover = next(item for item in crew.get("/gear")["items"] if item["name"] == "Wagtail")
    crew.post("/gear", {"kind": "receiver", "values": rover["data"] | {"nmea_refers_to": "not said"}, "replaces_id": rover["id"]})
    assert crew.get(f"/jobs/{job}/base")["suggested"]["refers_to"] is None

    wish = {
        "mark_id": crew.mark(job, "CS1"),
        "source": "mark",
        "station_id": 17,
        "reading": "1.546 m",
        "accepted": True,
        "listen": {"rover_url": "tcp://127.0.0.1:1"},
    }
    refused = crew.post(f"/jobs/{job}/base/start", wish, status=422)
    assert refused["field"] == "refers_to" and "Wagtail" in refused["detail"]
    crew.post(f"/jobs/{job}/base/start", wish | {"listen": {"rover_url": "tcp://127.0.0.1:1", "refers_to": "mark"}})

    kept = next(item for item in crew.get("/gear")["items"] if item["name"] == "Wagtail")
    assert kept["data"]["nmea_refers_to"] == "mark"
    assert crew.get(f"/jobs/{job}/base")["suggested"]["refers_to"] == "mark"
    # Another answer for one session changes that session and not the kit.
    crew.post(f"/jobs/{job}/base/listen", {"rover_url": "tcp://127.0.0.1:1", "refers_to": "arp"})
    assert next(item for item in crew.get("/gear")["items"] if item["name"] == "Wagtail")["data"]["nmea_refers_to"] == "mark"
