"""What a crew writes into the Book in a few taps."""

import pytest

from openstake.core.book import GROUPS, KINDS, people_sentence, weather_sentence
from openstake.core.errors import InputError


def test_weather_and_people_are_sentences_and_nothing_is_no_sentence():
    assert weather_sentence("overcast", "rain", "", None) == "Weather: overcast, rain."
    assert weather_sentence("", "", "gusts", -2.5) == "Weather: gusts, -2.5 °C."
    assert people_sentence([" A.  B. ", "C. D.", "A. B.", ""]) == "On site: A. B., C. D."
    for wrong in (
        lambda: weather_sentence("", "", "", None),
        lambda: weather_sentence("hail", "", "", 1.0),
        lambda: people_sentence([" "]),
    ):
        with pytest.raises(InputError):
            wrong()


def test_every_group_has_words_and_no_kind_is_in_two():
    kinds = [kind for listed in KINDS.values() for kind in listed]
    assert len(kinds) == len(set(kinds))
    assert {group for group, _ in GROUPS} == {*KINDS, "corrections", "rover"}
