"""A place as it is pasted: the same place by every way of writing, and a sentence for what cannot be read."""

import pyproj
import pytest
from hypothesis import given
from hypothesis import strategies as st

from openstake.core.errors import InputError
from openstake.wire.position_text import place_from_text

# 53 20 14.52 N is 53.3373666..., by hand: 20/60 + 14.52/3600 = 0.3373666...
PLACE = (53 + 20 / 60 + 14.52 / 3600, -(6 + 15 / 60 + 36.12 / 3600), 61.234)


@pytest.mark.parametrize(
    "pasted",
    [
        "53 20 14.52 N\n6 15 36.12 W\n61.234 m",
        "53.33736666667\n-6.26003333333\n61.234",
        "53 20 14.52 N; 6 15 36.12 W; 61234mm",
        "Latitude: 53 20 14.52 N\nLongitude: 6 15 36.12 W\nEll. height: 61.234 m",
        "53.33736666667, -6.26003333333, 61.234 m",
        "53 20 14.52 N\t6 15 36.12 W\t61.234 m",
        "\n 53 20 14.52 N \n\n 6 15 36.12 W \n 61.234 m \n",
    ],
)
def test_one_place_pasted_in_many_ways(pasted):
    found = place_from_text(pasted, "", "", "", "m")
    assert (found.latitude_deg, found.longitude_deg) == pytest.approx(PLACE[:2], abs=1e-10)
    assert found.height_m == pytest.approx(PLACE[2], abs=1e-12)


def test_earth_centred_metres_are_taken_as_such_and_feet_by_their_unit():
    x, y, z = pyproj.Transformer.from_crs("EPSG:4979", "EPSG:4978").transform(*PLACE)
    found = place_from_text(f"X: {x:.4f}\nY: {y:.4f}\nZ: {z:.4f} m", "", "", "", "m")
    assert found.xyz_m == pytest.approx((x, y, z), abs=1e-4)
    # 200.9 international feet, by NIST's 0.3048 m exactly.
    assert place_from_text("", "53.3", "-6.26", "200.9 ft", "m").height_m == pytest.approx(200.9 * 0.3048, abs=1e-12)
    assert place_from_text("", "53.3", "-6.26", "200.9", "ft").height_m == pytest.approx(200.9 * 0.3048, abs=1e-12)


@pytest.mark.parametrize(
    ("pasted", "fields", "field", "words"),
    [
        ("53.3 -6.2 61", ("", "", ""), "pasted", "three"),
        ("53.3; -6.2", ("", "", ""), "pasted", "three"),
        ("1000.0\n2000.0\n3000.0", ("", "", ""), "pasted", "nowhere near"),
        ("53 61 00 N\n6 15 W\n61", ("", "", ""), "pasted", "61"),
        ("53.3 N\n6.2 W\n61 furlongs", ("", "", ""), "pasted", "furlongs"),
        ("", ("", "-6.2", "61"), "latitude", "missing"),
        ("", ("53.3", "six", "61"), "longitude", "six"),
        ("", ("53.3", "-6.2", ""), "height", "missing"),
        ("", ("53.3", "-6.2", "61000 m"), "height", "between -1000 and 10 000 m"),
        ("", ("91 N", "-6.2", "61"), "latitude", "90"),
    ],
)
def test_what_cannot_be_a_place_is_a_sentence_that_names_the_field(pasted, fields, field, words):
    with pytest.raises(InputError) as caught:
        place_from_text(pasted, *fields, "m")
    assert caught.value.field == field
    assert words in caught.value.sentence


@given(st.text(max_size=80))
def test_any_text_is_a_place_or_a_sentence(text):
    try:
        found = place_from_text(text, "", "", "", "m")
    except InputError as error:
        assert error.sentence.endswith(".") and error.field
    else:
        assert -90.0 <= found.latitude_deg <= 90.0
