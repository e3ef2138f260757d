"""JSON from outside: what is read quickly is what the standard library reads, and nothing in it was passed over (RFC 8259)."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openstake.wire.jsontext import FORBIDDEN, JsonError, read_json

TEXT = st.text(st.characters(exclude_categories=()), max_size=6)
VALUES = st.recursive(
    st.none() | st.booleans() | st.integers(-(10**20), 10**20) | st.floats() | TEXT,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(TEXT, inner, max_size=4),
    max_leaves=8,
)


def texts_in(value):
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict | list):
        for item in [*value, *value.values()] if isinstance(value, dict) else value:
            yield from texts_in(item)


def without_twins(pairs):
    assert len({name for name, _ in pairs}) == len(pairs), "a name was given twice and one was taken"
    return dict(pairs)


@given(VALUES, st.booleans(), st.sampled_from([(",", ":"), (", ", ": "), (",", " :")]), st.data())
def test_what_is_read_is_what_the_standard_library_reads_and_whole(value, ascii_only, separators, data):
    text = json.dumps(value, ensure_ascii=ascii_only, separators=separators)
    if data.draw(st.booleans()):  # a piece of it stands there twice: names given twice, brackets that do not match, longer numbers
        at, to = sorted((data.draw(st.integers(0, len(text))), data.draw(st.integers(0, len(text)))))
        text = text[:to] + text[at:]

    try:
        read = read_json(text)
    except JsonError:
        return
    assert read == json.loads(text, object_pairs_hook=without_twins)
    assert not any(FORBIDDEN.search(item) for item in texts_in(read))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ('{"a":1,"a" :2}', "names a twice"),
        ('{"a":1,"\\u0061":2}', "names a twice"),
        ('{"a":"\\u0008"}', r"U\+0008"),
        ('"\x7f"', r"U\+007F"),
        ("[1" + "0" * 18 + "]", "19 digits"),
        ("[" * 61 + "]" * 61, "60 deep"),
        ("[NaN]", "not a number of JSON"),
    ],
)
def test_what_is_written_otherwise_than_it_seems_is_refused(text, words):
    with pytest.raises(JsonError, match=words):
        read_json(text)


def test_what_is_as_we_write_it_is_read_to_the_bit():
    row = {"age_s": 0.1, "name": "Förde é 😀", "n": 2**53, "none": None, "deep": [{"x": -0.0}]}
    assert read_json(json.dumps(row, ensure_ascii=False, separators=(",", ":")).encode()) == row
