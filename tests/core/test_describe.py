"""Fields declared once: what is typed is read or refused at its field, whatever it is."""

import dataclasses
from dataclasses import asdict, dataclass

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from openstake.core.describe import described, fields_shown, typed
from openstake.core.errors import InputError
from openstake.core.geodesy.systems import OwnProjection
from openstake.core.kit.gear import GEAR, Antenna, Pole
from openstake.core.kit.profile import ROLES, Link, Profile, example
from openstake.core.mark import GivenMark


@dataclass(frozen=True, kw_only=True)
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
        ({"name": "x", "rate": "11"}, "rate", "must be 10 Hz or less"),
        ({"name": "x", "rate": "-1"}, "rate", "must be 0 Hz or more"),
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


def shown(cls, **values):
    """Return the fields that a form shows with choices."""
    fields = fields_shown(cls)
    usual = {field.name: field.options[0] for field in fields if field.options}
    return [
        field.name for field in fields if field.used_with is None or (usual | values)[field.used_with.choice] in field.used_with.options
    ]


def test_a_form_asks_for_what_the_projection_uses():
    """EPSG Guidance Note 7-2: methods 9807 and 9801 have a scale, 9802 two standard parallels."""
    for method, scale, parallels in (("transverse-mercator", True, False), ("lambert-1sp", True, False), ("lambert-2sp", False, True)):
        fields = shown(OwnProjection, method=method)
        assert ("scale" in fields, "parallel_1_deg" in fields, "parallel_2_deg" in fields) == (scale, parallels, parallels)
    assert "equatorial_radius_m" not in shown(OwnProjection)
    assert "equatorial_radius_m" in shown(OwnProjection, ellipsoid="other")


def test_a_form_asks_for_what_the_kind_of_link_has():
    assert {"frequency_mhz", "fec", "serial"} <= set(shown(Link, kind="uhf"))
    assert {"frequency_mhz", "air_rate_bps", "serial"}.isdisjoint(shown(Link, kind="internet"))
    assert "caster" in shown(Link, kind="internet") and "caster" not in shown(Link, kind="uhf")
    assert {"frequency_mhz", "caster", "protocol"}.isdisjoint(shown(Link, kind="cable"))


def test_what_a_choice_does_not_use_is_left_empty_and_never_read_where_nobody_sees_it():
    values = {"name": "x", "method": "transverse-mercator", "parallel_1_deg": "not an angle", "equatorial_radius_m": "99"}

    made = typed(OwnProjection, values, "m")

    assert (made.parallel_1_deg, made.equatorial_radius_m) == (None, None)
    assert refused(values | {"method": "lambert-2sp"}, OwnProjection).field == "parallel_1_deg"
    # A file is read as it is: it hides nothing.
    link = {"kind": "cable", "frequency_mhz": 461.025}
    assert typed(Link, link, None).frequency_mhz == 461.025


def test_every_choice_has_words_and_none_is_a_code():
    def choices(fields):
        for field in fields:
            yield from choices(field.fields)
            if field.kind == "choice":
                yield field

    for cls in (Profile, OwnProjection, *GEAR.values()):
        for field in choices(fields_shown(cls)):
            assert len(field.option_words) == len(field.options)
            assert [word for word in field.option_words if "_" in word or "-" in word or word == "uhf"] == [], field.name


def test_what_is_used_with_a_choice_may_be_empty():
    """Else a form could not be sent without what it does not show."""

    def check(cls):
        for item in dataclasses.fields(cls):
            if item.metadata["used_with"] is not None:
                left = item.metadata["optional"] or item.default is not dataclasses.MISSING
                assert left or item.default_factory is not dataclasses.MISSING, item.name
                assert item.metadata["used_with"][0] in {other.name for other in dataclasses.fields(cls)}

    for cls in (Profile, Link, OwnProjection, *GEAR.values()):
        check(cls)


def test_a_bare_length_is_in_the_unit_that_is_said_and_a_file_has_none_to_say():
    # NIST SP 811.
    assert typed(Pole, {"name": "x", "kind": "pole", "fixed_height_m": "6.5"}, "ft").fixed_height_m == pytest.approx(1.9812)
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
