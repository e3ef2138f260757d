"""Control lists as people bring them, and files that come back as they went: CSV, GeoJSON, LandXML, KML, DXF."""

import io
import json
import unicodedata
from pathlib import Path
from xml.etree import ElementTree

import ezdxf
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openstake.core.errors import FileError
from openstake.core.mark import GivenMark, PlacedMark
from openstake.wire.tables.control import read_control
from openstake.wire.tables.csv_list import write_csv
from openstake.wire.tables.drawings import drawn_mark, write_dxf, write_kml
from openstake.wire.tables.geojson import write_geojson
from openstake.wire.tables.landxml import write_landxml

FOOT, SURVEY_FOOT = 0.3048, 1200 / 3937  # NIST SP 811
FOLDER = Path(__file__).parent.parent / "data" / "control"
EXPECTED = json.loads((FOLDER / "expected.json").read_text())


def read(content, unit=None, **more):
    return read_control(content if isinstance(content, bytes) else content.encode(), unit, "m", **more)


def marks_of(reading):
    return [line.mark for line in reading.lines if line.mark]


@pytest.mark.parametrize("name", sorted(path.name for path in FOLDER.glob("*.csv")))
def test_every_awkward_file_is_read_as_expected_or_refused_with_its_reason(name):
    expected, content = EXPECTED[name], (FOLDER / name).read_bytes()
    if words := expected.get("error"):
        with pytest.raises(FileError, match=words) as refusal:
            read(content)
        assert refusal.value.sentence.endswith(".")
        return

    reading = read(content)

    for mark, wanted in zip(marks_of(reading), expected["marks"], strict=True):
        for key, value in wanted.items():
            assert getattr(mark, key) == (pytest.approx(value, abs=1e-9) if isinstance(value, float) else value), key
    refused = {str(line.number): line.refusal for line in reading.lines if line.refusal}
    assert refused.keys() == expected.get("refused", {}).keys()
    assert all(words in refused[number] for number, words in expected.get("refused", {}).items())
    assert len(reading.questions) == len(expected.get("questions", []))
    assert all(words in asked for words, asked in zip(expected.get("questions", []), reading.questions, strict=True))
    assert reading.encoding == expected.get("encoding", "UTF-8")
    assert reading.unit == expected.get("unit", "m")


def test_no_file_of_the_folder_is_without_its_expectation():
    assert {path.name for path in FOLDER.glob("*.csv")} == EXPECTED.keys()


@pytest.mark.parametrize(("unit", "factor"), [("m", 1.0), ("ft", FOOT), ("sft", SURVEY_FOOT)])
def test_numbers_are_in_the_unit_that_a_person_says_whatever_the_header_has(unit, factor):
    mark = marks_of(read("name,east (ft),north (ft)\nA,1000,2000", unit))[0]

    assert (mark.east_m, mark.north_m) == pytest.approx((1000 * factor, 2000 * factor), abs=1e-12)


def test_a_person_s_word_settles_what_heights_are():
    reading = read("name,east,north,h\nA,1,2,3", height_kind="elevation")

    assert reading.questions == () and marks_of(reading)[0].height_kind == "elevation"


def test_columns_can_be_named_by_hand_and_not_twice():
    mark = marks_of(read("A,1,2", roles=["name", "north", "east"]))[0]

    assert (mark.east_m, mark.north_m) == (2.0, 1.0)
    with pytest.raises(FileError, match="Two columns"):
        read("A,1,2", roles=["name", "east", "east"])


def test_a_list_longer_than_the_limit_is_refused_and_not_cut():
    with pytest.raises(FileError, match="more than 50000"):
        read("name,east,north\n" + "".join(f"P{n},1,2\n" for n in range(50_002)))


# What is no character (U+FDD0, of the category Cn) is refused, as are controls and what turns the direction of writing.
_TURNS = "\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069"
_letters = st.characters(codec="utf-8", exclude_categories=("Cc", "Cn", "Cs", "Zl", "Zp"), exclude_characters=_TURNS)
words = st.text(_letters, max_size=12).map(lambda text: unicodedata.normalize("NFC", text).strip())
# A tenth of a micrometre is finer than any mark.
lengths = st.one_of(st.floats(-9e6, 9e6).map(lambda metres: round(metres, 7)), st.decimals(-900_000, 900_000, places=3).map(float))
sigmas = st.one_of(st.none(), st.floats(1e-4, 1.0))


@st.composite
def given_marks(draw):
    geodetic = draw(st.booleans())
    height = draw(st.one_of(st.none(), lengths.filter(lambda height: abs(height) < 9000)))
    place = (
        (None, None, draw(st.floats(-89.0, 89.0)), draw(st.floats(-179.0, 179.0)))
        if geodetic
        else (draw(lengths), draw(lengths), None, None)
    )
    kind = None if height is None else draw(st.sampled_from(["ellipsoidal", "elevation"]))
    texts = [draw(words) for _ in range(3)]
    return GivenMark(
        name="",
        height_m=height,
        height_kind=kind,
        sigma_horizontal_m=draw(sigmas),
        sigma_vertical_m=draw(sigmas),
        check_only=draw(st.booleans()),
        **dict(zip(("east_m", "north_m", "latitude_deg", "longitude_deg"), place, strict=True)),
        **dict(zip(("order", "source", "note"), texts, strict=True)),
    )


named_marks = st.lists(
    st.tuples(words.filter(lambda name: name and not name.startswith("'")), given_marks()),
    min_size=1,
    max_size=5,
    unique_by=lambda pair: pair[0],
).map(lambda pairs: [GivenMark(**(vars(mark) | {"name": name})) for name, mark in pairs])


def placed(marks):
    """Return marks with some place: what is given comes back whatever it is."""
    return [
        PlacedMark(
            given=mark,
            latitude_deg=53.1,
            longitude_deg=-7.2,
            ellipsoidal_height_m=None,
            elevation_m=None,
            **dict(zip(("east_m", "north_m"), (1.5, 2.5) if mark.is_geodetic else (mark.east_m, mark.north_m), strict=True)),
        )
        for mark in marks
    ]


@settings(max_examples=50)
@given(named_marks, st.sampled_from(["m", "ft", "sft"]))
def test_csv_comes_back_as_it_went_in_any_unit(marks, unit):
    first = read(write_csv(placed(marks), unit))
    again = read(write_csv(placed(marks_of(first)), unit))

    assert marks_of(first) == [_as_csv_can(mark) for mark in marks]
    assert marks_of(again) == marks_of(first) and again.unit_stated and not again.questions


def _as_csv_can(mark):
    """Return a mark as CSV has it: a quote before =, +, -, @ is a guard and does not come back."""
    guarded = {key: value[1:] for key in ("note", "source", "order") if (value := vars(mark)[key])[:2] in ("'=", "'+", "'-", "'@")}
    return GivenMark(**(vars(mark) | guarded))


@settings(max_examples=50)
@given(named_marks)
def test_geojson_comes_back_as_it_went(marks):
    reading = read(write_geojson(placed(marks), "EPSG:2157"))

    assert marks_of(reading) == marks
    assert reading.system == "EPSG:2157" and not reading.questions


@settings(max_examples=50)
@given(named_marks, st.sampled_from(["m", "ft", "sft"]))
def test_landxml_comes_back_as_it_went_in_any_unit(marks, unit):
    reading = read(write_landxml(placed(marks), unit, "a system", "EPSG:2157"))

    assert marks_of(reading) == marks
    assert reading.unit == unit and reading.unit_stated and reading.system == "EPSG:2157"


LANDXML = """<?xml version="1.0"?><LandXML xmlns="http://www.landxml.org/schema/LandXML-1.2" version="1.2">
<Units><Imperial linearUnit="USSurveyFoot" areaUnit="squareFoot" volumeUnit="cubicFeet" temperatureUnit="fahrenheit"
 pressureUnit="inHG"/></Units><CgPoints><CgPoint name="A" desc="pin">2000.0 1000.0 300.0</CgPoint>
<CgPoint name="B">2001.0</CgPoint><CgPoint name="C" latitude="x">1 2</CgPoint><CgPoint>1 2</CgPoint></CgPoints></LandXML>"""


def test_landxml_has_north_before_east_in_its_own_unit_and_a_bad_point_stands_alone():
    reading = read(LANDXML)

    mark = marks_of(reading)[0]
    assert (mark.east_m, mark.north_m, mark.height_m) == pytest.approx((1000 * SURVEY_FOOT, 2000 * SURVEY_FOOT, 300 * SURVEY_FOOT))
    assert mark.height_kind == "elevation" and mark.note == "pin"
    assert [bool(line.refusal) for line in reading.lines] == [False, True, True, True]


@pytest.mark.parametrize(
    ("content", "words"),
    [
        ("<html><body/></html>", "not LandXML"),
        ("<LandXML", "is not"),
        ("<LandXML/>", "no CgPoints"),
        (LANDXML.replace("USSurveyFoot", "cubit"), "'cubit'"),
        ('<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><LandXML>&b;</LandXML>', "not safe"),
        ("{", "is not"),
        ('{"type": "Feature"}', "not a GeoJSON FeatureCollection"),
        ('{"type": "FeatureCollection", "features": []}', "no features"),
        ('{"type": "FeatureCollection", "features": [{"x": NaN}]}', "is not"),
        ("[" * 100_000, "cannot be taken: it is nested"),
        ('{"type": "FeatureCollection", "crs": {"type": "name", "properties": {"name": "local"}}, "features": [1]}', "EPSG code"),
    ],
)
def test_damaged_or_foreign_documents_are_refused_with_a_sentence(content, words):
    with pytest.raises(FileError, match=words):
        read(content)


def test_landxml_without_units_asks_for_them():
    reading = read(LANDXML[: LANDXML.index("<Units>")] + LANDXML[LANDXML.index("<CgPoints>") :])

    assert "Choose the unit" in reading.questions[0]


def feature(coordinates, **properties):
    return {"type": "Feature", "geometry": {"type": "Point", "coordinates": coordinates}, "properties": properties}


def test_foreign_geojson_is_longitude_and_latitude_and_its_height_is_asked_for():
    # RFC 7946, section 3.1.1: longitude, latitude, altitude.
    document = {"type": "FeatureCollection", "features": [feature([-6.2, 53.3, 60.0], name="A"), feature([999], name="B")]}

    reading = read(json.dumps(document))

    mark = marks_of(reading)[0]
    assert (mark.latitude_deg, mark.longitude_deg, mark.height_m) == (53.3, -6.2, 60.0)
    assert "ellipsoidal or elevations" in reading.questions[0]
    assert "two or three numbers" in reading.lines[1].refusal


def test_geojson_on_a_named_grid_keeps_the_grid_and_asks_for_the_unit():
    # GeoJSON 2008, section 3.1: a named coordinate reference system.
    crs = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::6590"}}
    document = {"type": "FeatureCollection", "crs": crs, "features": [feature([1000.0, 2000.0], name="A")]}

    asked, told = read(json.dumps(document)), read(json.dumps(document), "sft")

    assert asked.system == "EPSG:6590" and "Choose the unit" in asked.questions[0]
    assert marks_of(told)[0].east_m == pytest.approx(1000 * SURVEY_FOOT)


def test_kml_places_marks_by_longitude_and_latitude():
    marks = [
        PlacedMark(
            given=GivenMark(name="A & B", east_m=1.0, north_m=2.0, note="nail"),
            east_m=1.0,
            north_m=2.0,
            latitude_deg=53.3,
            longitude_deg=-6.2,
            ellipsoidal_height_m=None,
            elevation_m=None,
        ),
        PlacedMark(
            given=GivenMark(name="nowhere", east_m=1.0, north_m=2.0),
            east_m=1.0,
            north_m=2.0,
            latitude_deg=None,
            longitude_deg=None,
            ellipsoidal_height_m=None,
            elevation_m=None,
        ),
    ]

    root = ElementTree.fromstring(write_kml(map(drawn_mark, marks), "job"))

    assert [item.text for item in root.findall(".//{*}Placemark/{*}name")] == ["A & B"]
    # KML 2.2, section 10.2: longitude, latitude, altitude.
    coordinates = root.find(".//{*}coordinates").text.split(",")
    assert [float(value) for value in coordinates[:2]] == [-6.2, 53.3]


@pytest.mark.parametrize(("unit", "code", "factor"), [("m", 6, 1.0), ("ft", 2, FOOT), ("sft", 21, SURVEY_FOOT)])
def test_dxf_is_in_the_job_s_unit_and_says_which(unit, code, factor):
    marks = [
        PlacedMark(
            given=GivenMark(name="A", east_m=305.0, north_m=610.0, check_only=True),
            east_m=305.0,
            north_m=610.0,
            latitude_deg=None,
            longitude_deg=None,
            ellipsoidal_height_m=31.0,
            elevation_m=None,
        )
    ]

    drawing = ezdxf.read(io.StringIO(write_dxf([drawn_mark(mark) for mark in marks], unit, ("CONTROL", "CHECK"))))

    assert drawing.header["$INSUNITS"] == code  # DXF reference: metres 6, feet 2, US survey feet 21
    assert not drawing.audit().errors
    point = drawing.modelspace().query("POINT")[0]
    assert tuple(point.dxf.location) == pytest.approx((305.0 / factor, 610.0 / factor, 31.0 / factor))
    assert point.dxf.layer == "CHECK" and drawing.modelspace().query("TEXT")[0].dxf.text == "A"


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"name," + b"x," * 1_000_000 + b"east,north\n", "more than 200 columns"),
        (b"name,east,north\nA," + b"1," * 5000 + b"2\n", "more than 200 columns"),
    ],
)
def test_a_table_of_a_million_columns_is_no_control_list(content, words):
    """2026-11-27: 901 MB of memory and an answer of 41 MB."""
    with pytest.raises(FileError, match=words):
        read_control(content, None, "m", None, None)


@pytest.mark.parametrize("number", ["0." + "1" * 4400, "9" * 401, "1e999", "NaN", "1_000"])
def test_a_number_that_is_none_refuses_its_line_and_keeps_the_others(number):
    found = read_control(f"name,east,north\nA,{number},5\nB,1,2\n".encode(), None, "m", None, None)

    assert [line.mark is not None for line in found.lines] == [False, True]
    assert len(found.lines[0].refusal) < 200


@pytest.mark.parametrize("letter", ["\ufffe", "\x07", "\u0086"])
def test_a_name_of_what_is_no_character_is_refused(letter):
    found = read_control(f"name,east,north\nA{letter},1,2\nB,1,2\n".encode(), None, "m", None, None)

    assert [line.mark is not None for line in found.lines] == [False, True]


def test_what_xml_cannot_hold_is_left_out_on_the_way_to_it():
    mark = PlacedMark(
        given=GivenMark(name="A\ufffe\ud800", east_m=1.0, north_m=2.0, note="x\x00y"),
        east_m=1.0,
        north_m=2.0,
        latitude_deg=53.0,
        longitude_deg=-6.0,
        ellipsoidal_height_m=None,
        elevation_m=None,
    )
    for content in (write_landxml([mark], "m", "sys\ud800", "local"), write_kml([drawn_mark(mark)], "title\ufffe").encode()):
        ElementTree.fromstring(content)
