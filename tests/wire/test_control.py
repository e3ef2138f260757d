"""Control lists as people bring them: each with its reading or its refusal."""

import pytest

from openstake.core.errors import FileError
from openstake.wire.tables.control import read_control

FOOT, SURVEY_FOOT = 0.3048, 1200 / 3937  # NIST SP 811


def first(content, unit="m", roles=None):
    reading = read_control(content if isinstance(content, bytes) else content.encode(), unit, roles)
    return reading, reading.lines[0]


@pytest.mark.parametrize(
    ("content", "expected"),
    [
        ("name,east,north,height\nA,1.5,2.5,3.5", ("A", 1.5, 2.5, 3.5)),
        ("Pt;Northing;Easting;Elev\nA;2,5;1,5;3,5", ("A", 1.5, 2.5, 3.5)),
        ("\ufeffname\tE\tN\nA\t1.5\t2.5", ("A", 1.5, 2.5, None)),
        ("A,1.5,2.5,3.5,nail in the wall", ("A", 1.5, 2.5, 3.5)),
        ("# our list\nname,east,north\nA,1.5,2.5", ("A", 1.5, 2.5, None)),
        ('name,east,north,note\n"A","1.5","2.5","a, b"', ("A", 1.5, 2.5, None)),
    ],
)
def test_columns_separators_and_decimal_marks_are_found(content, expected):
    _, line = first(content)

    mark = line.mark
    assert (mark.name, mark.east_m, mark.north_m, mark.height_m) == expected


def test_latin_1_is_read_and_said():
    reading, line = first("name,east,north,note\nA,1,2,Brücke".encode("latin-1"))

    assert reading.encoding == "Latin-1"
    assert line.mark.note == "Brücke"


@pytest.mark.parametrize(("unit", "factor"), [("m", 1.0), ("ft", FOOT), ("sft", SURVEY_FOOT)])
def test_numbers_are_in_the_unit_that_is_said(unit, factor):
    _, line = first("name,east,north\nA,1000,2000", unit)

    assert (line.mark.east_m, line.mark.north_m) == (1000 * factor, 2000 * factor)


@pytest.mark.parametrize(
    ("header", "kind"),
    [
        ("ellipsoidal height", "ellipsoidal"),
        ("elevation", "elevation"),
        ("RL", "elevation"),
        ("h", None),
        ("height", None),
    ],
)
def test_a_height_s_kind_is_taken_from_the_header_or_left_open(header, kind):
    reading, _ = first(f"name,east,north,{header}\nA,1,2,3")

    assert reading.height_kind == kind


@pytest.mark.parametrize(
    ("line", "words"),
    [
        (",1,2", "no name"),
        ("A,x,2", "not a number of east"),
        ("A,1,", "north is empty"),
        ("A,nan,2", "not a number"),
        ("A,1,2,3", "4 cells, not 3"),
        ("A,1", "2 cells, not 3"),
        ("A,1e99,2", "not a number"),
    ],
)
def test_a_bad_line_is_refused_with_its_reason_and_the_others_stay(line, words):
    reading, bad = first(f"name,east,north\n{line}\nB,3,4")

    assert words in bad.refusal and bad.mark is None
    assert reading.lines[1].mark.name == "B"


def test_a_name_given_twice_is_refused_the_second_time():
    reading, _ = first("name,east,north\nA,1,2\nA,3,4")

    assert "line 2 already" in reading.lines[1].refusal


@pytest.mark.parametrize(
    "content", [b"", b"   \n", b"\x00\x01\x02", b"hello", b"a b c\nd e f", b"# only\n# comments,,,"]
)
def test_what_is_no_table_is_a_sentence(content):
    with pytest.raises(FileError) as refusal:
        read_control(content, "m")

    assert refusal.value.sentence.endswith(".")


def test_columns_can_be_named_by_hand_and_not_twice():
    _, line = first("A,1,2", roles=["name", "north", "east"])
    assert (line.mark.east_m, line.mark.north_m) == (2.0, 1.0)
    with pytest.raises(FileError, match="Two columns"):
        read_control(b"A,1,2", "m", ["name", "east", "east"])
