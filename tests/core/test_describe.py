"""Fields declared once: what is typed is read or refused at its field, whatever it is."""

from dataclasses import asdict, dataclass

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from openstake.core.describe import described, fields_shown, typed
from openstake.core.errors import InputError
from openstake.core.kit.gear import GEAR, Antenna, Pole
from openstake.core.kit.profile import ROLES, Link, Profile, example
from openstake.core.mark import GivenMark


@dataclass(frozen=True)
class Thing:
    name: str = described("Name", "text")
    rate: float = described("Rate", "number", unit="Hz", least=0.0, most=10.0)
    count: int | None = described("Count", "count", optional=True)
    latitude: float | None = described("Latitude", "latitude", optional=True)


def refused(values, cls=Thing, unit="m"):
    with pytest.raises(InputError) as refusal:
        typed(cls, values, unit)
    assert refusal.value.sentence.endswith(".")
    return refusal.value


def test_numbers_are_typed_with_a_point_a_comma_or_their_own_unit():
    for text in ("2.5", "2,5", " 2.5 Hz", "2.5hz", "25e-1"):
        assert typed(Thing, {"name": "x", "rate": text}, "m").rate == 2.5
    assert typed(Thing, {"name": "x", "rate": 2, "latitude": "53 30 S"}, "m").latitude == -53.5


@pytest.mark.parametrize(
    ("values", "field", "words"),
    [
        ({"rate": "1"}, "name", "missing"),
        ({"name": "x", "rate": "fast"}, "rate", "number in Hz"),
        ({"name": "x", "rate": "2 m"}, "rate", "number in Hz"),
        ({"name": "x", "rate": "1,000.5"}, "rate", "is not"),
        ({"name": "x", "rate": "11"}, "rate", "at most 10 Hz"),
        ({"name": "x", "rate": "-1"}, "rate", "at least 0 Hz"),
        ({"name": "x", "rate": float("nan")}, "rate", "finite"),
        ({"name": "x", "rate": "1", "count": "1.5"}, "count", "whole number"),
        ({"name": "x", "rate": "1", "latitude": "6 W"}, "latitude", "latitude is N or S"),
        ({"name": "x", "rate": "1", "colour": "red"}, "colour", "not a field"),
        ({"name": 7, "rate": "1"}, "name", "not a text"),
        ({"name": "x" * 3000, "rate": "1"}, "name", "longer"),
        ({"name": "x", "rate": [1]}, "rate", "not a number"),
    ],
)
def test_what_cannot_be_is_refused_at_its_field(values, field, words):
    error = refused(values)

    assert error.field == field and words in error.sentence


def test_a_field_deep_inside_is_named_by_its_path():
    features = [{"name": "rim", "label": "Rim", "method": "slant"}, {"name": "lug", "label": "Lug", "method": "guess"}]

    assert refused({"name": "x", "features": features}, Antenna).field == "features.1.method"
    assert refused({"kind": "uhf", "serial": {"receiver_baud": "9600"}}, Link).field == "serial.radio_baud"


def test_a_bare_length_is_in_the_unit_that_is_said_and_a_file_has_none_to_say():
    # NIST SP 811.
    assert typed(Pole, {"name": "x", "kind": "pole", "fixed_height_m": "6.5"}, "ft").fixed_height_m == pytest.approx(
        1.9812
    )
    assert typed(Pole, {"name": "x", "kind": "pole", "fixed_height_m": 6.5}, None).fixed_height_m == 6.5
    assert refused({"name": "x", "kind": "pole", "fixed_height_m": "6.5"}, Pole, None).field == "fixed_height_m"


@pytest.mark.parametrize("role", ROLES)
def test_a_profile_that_was_read_can_be_typed_again(role):
    assert typed(Profile, asdict(example(role)), None) == example(role)


def test_every_kind_of_field_is_described_for_a_form():
    for cls in (*GEAR.values(), Profile, GivenMark):
        for field in fields_shown(cls):
            assert field.label and (field.fields != ()) == (field.kind in ("group", "table"))


anything = st.recursive(
    st.one_of(st.none(), st.booleans(), st.floats(), st.integers(), st.text(max_size=20)),
    lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=8), inner, max_size=3)),
    max_leaves=8,
)
names = st.sampled_from([field.name for field in fields_shown(Profile)] + ["other"])


@settings(suppress_health_check=[HealthCheck.too_slow])
@given(st.dictionaries(names, anything, max_size=8), st.sampled_from(["m", "ft", None]))
def test_whatever_is_sent_is_a_profile_or_a_sentence(values, unit):
    try:
        assert isinstance(typed(Profile, values, unit), Profile)
    except InputError as refusal:
        assert refusal.sentence.endswith(".") and refusal.field
