import pytest
from hypothesis import given
from hypothesis import strategies as st

from openstake.core.errors import AngleError, LengthError
from openstake.core.units import counted, degrees_from_text, metres_from_text, shortest_number, shortest_typed

# NIST SP 811: foot 0.3048 m exactly, US survey foot 1200/3937 m exactly; the rest worked by hand.
READINGS = [
    ("2m", 2.0),
    ("1532mm", 1.532),
    ("153.2 cm", 1.532),
    ("6.562ft", 6.562 * 0.3048),
    ("6.562sft", 6.562 * 1200 / 3937),
    ("5 ft 7 3/8 in", (5 + 7.375 / 12) * 0.3048),
    ("5ft 7 3/8in", (5 + 7.375 / 12) * 0.3048),
    ("5' 0.5\"", (5 + 0.5 / 12) * 0.3048),
    ("5′ 3/8″", (5 + 0.375 / 12) * 0.3048),
    ("1,532 m", 1.532),
    ("-0.030", -0.030),
    ("2", 2.0),
    (" .5 m ", 0.5),
    ("7 3/8 in", 7.375 / 12 * 0.3048),
    ("5 ft 7-3/8 in", (5 + 7.375 / 12) * 0.3048),
    ("62 in", 62 / 12 * 0.3048),
    ("5 sft 6 in", 5.5 * 1200 / 3937),
    ("1e3 mm", 1.0),
]
REFUSED = [
    "",
    "abc",
    "5 ft 12 in",
    "2 furlongs",
    "1,532.5 m",
    "1.532.5",
    "1e999",
    "nan",
    "inf",
    "5 ft 3/0 in",
    "5 ft 9/8 in",
    "m",
    "2 m 3",
    "5' 12.0\"",
    "5 ft 0.5 1/2 in",
    "12 1/2",
    "1 532 m",
    "∞ m",
    "9" * 100,
]


@pytest.mark.parametrize(("text", "metres"), READINGS)
def test_a_length_is_read_in_the_unit_that_was_typed(text, metres):
    assert metres_from_text(text) == pytest.approx(metres, abs=1e-12)


@pytest.mark.parametrize("text", REFUSED)
def test_nonsense_is_refused_with_a_sentence(text):
    with pytest.raises(LengthError) as refusal:
        metres_from_text(text)

    assert refusal.value.sentence.endswith(".")


def test_two_metres_in_a_foot_field_stay_two_metres():
    assert metres_from_text("2m", bare_unit="ft") == 2.0
    assert metres_from_text("6.5617", bare_unit="sft") == pytest.approx(2.0, abs=0.00002)  # 2 m = 6.5617 ft, NIST


@given(st.floats(0.001, 9000), st.sampled_from([("m", 1.0), ("mm", 0.001), ("ft", 0.3048), ("sft", 1200 / 3937)]))
def test_a_written_length_comes_back_in_any_unit(metres, unit):
    name, factor = unit

    assert metres_from_text(f"{metres / factor!r} {name}") == pytest.approx(metres, rel=1e-14)


def test_a_length_without_a_unit_is_refused_where_nothing_says_which():
    with pytest.raises(LengthError, match="no unit"):
        metres_from_text("1.532", bare_unit=None)


@given(st.integers(0, 40), st.integers(0, 11), st.integers(0, 15), st.sampled_from([("ft", 0.3048), ("sft", 1200 / 3937)]))
def test_feet_inches_and_sixteenths_add_up(feet, inches, sixteenths, unit):
    name, foot_m = unit
    text = f"{feet} {name} {inches} {sixteenths}/16 in"

    assert metres_from_text(text) == pytest.approx((feet + (inches + sixteenths / 16) / 12) * foot_m, abs=1e-12)


@given(st.decimals(-9_000_000, 9_000_000, places=4), st.sampled_from(["m", "ft", "sft"]))
def test_a_number_of_a_list_is_written_as_it_was_read(number, unit):
    metres = metres_from_text(f"{number:f} {unit}")

    written = shortest_number(metres, unit)

    assert metres_from_text(f"{written} {unit}") == metres
    assert float(written) == float(number)


@given(st.one_of(st.floats(1e-6, 1e8), st.floats(-1e8, -1e-6)), st.sampled_from(["m", "ft", "sft"]))
def test_any_length_survives_being_written_bit_for_bit(metres, unit):
    assert metres_from_text(f"{shortest_number(metres, unit)} {unit}") == metres


@pytest.mark.parametrize(("metres", "unit", "text"), [(0.005, "sft", "0.005 m"), (1.9812, "ft", "6.50"), (703412.361, "m", "703412.361")])
def test_a_stored_length_is_offered_for_typing_in_the_shorter_of_the_two_ways(metres, unit, text):
    # 6.5 ft x 0.3048 = 1.9812 m, NIST SP 811.
    assert shortest_typed(metres, unit) == text
    assert metres_from_text(shortest_typed(metres, unit), unit) == metres


@given(st.text(max_size=40))
def test_whatever_is_typed_is_a_finite_length_or_a_sentence(text):
    try:
        assert abs(metres_from_text(text)) <= 1e9
    except LengthError as refusal:
        assert refusal.sentence.endswith(".")


@pytest.mark.parametrize(
    ("text", "axis", "degrees"),
    [
        ("53 20 14.5 N", "latitude", 53 + 20 / 60 + 14.5 / 3600),
        ("53.3374", "latitude", 53.3374),
        ("-6.26", "longitude", -6.26),
        ("6°15'36\"W", "longitude", -6.26),
        ("6 15.6 W", "longitude", -6.26),
    ],
)
def test_an_angle_is_read_as_it_is_written(text, axis, degrees):
    assert degrees_from_text(text, axis) == pytest.approx(degrees, abs=1e-12)


@pytest.mark.parametrize(
    ("text", "axis"),
    [("53 60 0 N", "latitude"), ("91", "latitude"), ("6 W", "latitude"), ("-6 W", "longitude"), ("x", "latitude"), ("", "latitude")],
)
def test_an_angle_that_cannot_be_is_refused(text, axis):
    with pytest.raises(AngleError):
        degrees_from_text(text, axis)


@pytest.mark.parametrize("text", ["12,345 ft", "1,532ft", "1,532 in", "1,532'", "1,532 sft"])
def test_in_feet_a_comma_before_three_digits_is_refused_with_both_readings(text):
    """2026-11-27: it stood for thousands and was read as a decimal mark."""
    whole, part = text.split(",")[0], text.split(",")[1][:3]
    with pytest.raises(LengthError, match="stands for thousands") as refusal:
        metres_from_text(text)
    assert f"{whole}.{part}" in refusal.value.sentence and f"{whole}{part}" in refusal.value.sentence
    with pytest.raises(LengthError):
        metres_from_text("1,532", "ft")


@pytest.mark.parametrize(("text", "metres"), [("1,532 m", 1.532), ("1,5 ft", 0.4572), ("1,5321 ft", 0.46698408), ("0,1 in", 0.00254)])
def test_a_decimal_comma_that_cannot_be_thousands_is_one(text, metres):
    assert metres_from_text(text) == pytest.approx(metres, rel=1e-12)


def test_one_is_not_plural():
    assert (counted(1, "line"), counted(2, "line"), counted(0, "mark")) == ("1 line", "2 lines", "0 marks")


def test_what_is_too_long_to_be_an_angle_is_said_at_once():
    # 2026-11-27: 4 400 decimals took seconds.
    with pytest.raises(AngleError, match="too long"):
        degrees_from_text("53 0." + "1" * 4400, "latitude")
