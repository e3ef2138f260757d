"""Profiles as files: the published schema and the reader agree; two example ends are a pair."""

import copy
import json
import unicodedata
from dataclasses import asdict, replace
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from openstake.core.errors import InputError
from openstake.core.kit.profile import ROLES, Link, Message, Profile, Serial, Transmitter, example
from openstake.wire.profile import profile_as_json, profile_schema, read_profile, write_profile

SCHEMA = jsonschema.Draft202012Validator(profile_schema())
PUBLISHED = Path(__file__).parent.parent.parent / "docs" / "formats" / "profile.schema.json"


def test_the_published_schema_is_the_program_s_own():
    assert json.loads(PUBLISHED.read_text()) == profile_schema()
    jsonschema.Draft202012Validator.check_schema(profile_schema())


@pytest.mark.parametrize("role", list(ROLES))
def test_the_examples_are_valid_by_the_schema_and_come_back(role):
    profile = example(role)

    jsonschema.validate(profile_as_json(profile), profile_schema())
    assert read_profile(write_profile(profile).encode()) == profile
    assert profile.role == role


def test_the_example_base_and_rover_agree_in_all_that_two_ends_must_agree_in():
    base, rover = (profile_as_json(example(role))["link"] for role in ("base", "rover"))

    assert base == rover
    assert set(base) == {
        "kind",
        "frequency_mhz",
        "channel_spacing_khz",
        "modulation",
        "protocol",
        "fec",
        "air_rate_bps",
        "format",
        "station_id",
        "caster",
        "serial",
    }
    assert set(base["serial"]) == {"receiver_baud", "radio_baud"} and isinstance(base["fec"], bool)
    assert base["serial"]["receiver_baud"] == base["serial"]["radio_baud"]
    # Who sends chooses the power: it does not matter at the rover (common practice, no source).
    assert "power" not in json.dumps(base)
    caster = profile_as_json(example("network-rover"))["link"]["caster"]
    assert set(caster) == {"host", "port", "mountpoint"}


# Names are kept composed, and without what is not seen on a line.
_UNSEEN = "\u200b\u2028\u2029\u202a\u202b\u202c\u202d\u202e\u2060\u2066\u2067\u2068\u2069\ufeff"
_letters = st.characters(codec="utf-8", exclude_categories=("Cc", "Cn", "Cs"), exclude_characters=_UNSEEN)
texts = st.text(_letters, max_size=20).map(lambda text: unicodedata.normalize("NFC", text))
optional = lambda strategy: st.one_of(st.none(), strategy)  # noqa: E731
links = st.builds(
    Link,
    kind=st.sampled_from(["uhf", "internet"]),
    frequency_mhz=optional(st.floats(0, 6000)),
    fec=optional(st.booleans()),
    modulation=optional(texts),
    station_id=optional(st.integers(0, 4095)),
    serial=optional(st.builds(Serial, st.integers(300, 4_000_000), st.integers(300, 4_000_000))),
)
profiles = st.builds(
    Profile,
    name=texts.filter(lambda name: name.strip() == name and name),
    role=st.sampled_from(list(ROLES)),
    link=links,
    messages=st.lists(st.builds(Message, st.integers(1, 4095), st.floats(0.05, 3600)), max_size=3).map(tuple),
    transmitter=optional(st.builds(Transmitter, st.floats(0, 100))),
    elevation_mask_deg=st.floats(0, 60),
)


@given(profiles)
def test_any_profile_comes_back_from_its_file_and_fits_the_schema(profile):
    stripped = replace(profile, link=replace(profile.link, modulation=profile.link.modulation and profile.link.modulation.strip()))

    SCHEMA.validate(profile_as_json(profile))
    assert read_profile(write_profile(profile).encode()) == stripped


BAD = [
    (("link", "frequency_mhz"), "461.025", "link.frequency_mhz"),
    (("link", "fec"), "yes", "link.fec"),
    (("link", "station_id"), 4096, "link.station_id"),
    (("link", "station_id"), 17.5, "link.station_id"),
    (("link", "kind"), "pigeon", "link.kind"),
    (("link", "serial", "radio_baud"), None, "link.serial.radio_baud"),
    (("link", "speed"), 9600, "link.speed"),
    (("link",), None, "link"),
    (("role",), "boss", "role"),
    (("name",), " ", "name"),
    (("constellations",), "GPS", "constellations"),
    (("constellations",), ["Pluto"], "constellations"),
    (("messages",), [{"number": 1077}], "messages.0.interval_s"),
    (("elevation_mask_deg",), 95, "elevation_mask_deg"),
    (("rate_hz",), True, "rate_hz"),
    (("version",), 2, None),
    (("format",), "other", None),
]


@pytest.mark.parametrize(("path", "value", "field"), BAD)
def test_what_the_schema_refuses_the_reader_refuses_with_the_field(path, value, field):
    document = copy.deepcopy(profile_as_json(example("base")))
    place = document
    for key in path[:-1]:
        place = place[key]
    place[path[-1]] = value

    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(document, profile_schema())
    with pytest.raises(InputError) as refusal:
        read_profile(json.dumps(document).encode())
    assert refusal.value.field == field
    assert refusal.value.sentence.endswith(".")


@pytest.mark.parametrize("content", [b"", b"garbage", b"[]", b"\xff\xfe\x00", b'{"format": NaN}', b"[" * 100_000, b"x" * (2 << 20)])
def test_a_file_that_is_no_profile_is_a_sentence(content):
    with pytest.raises(InputError) as refusal:
        read_profile(content)

    assert refusal.value.sentence.endswith(".")


def test_an_unset_length_keeps_its_metres():
    document = profile_as_json(example("base"))

    assert document["transmitter"]["antenna_height_m"] == asdict(example("base"))["transmitter"]["antenna_height_m"]
