"""Files of orbits, written here by a second hand: RINEX 2, 3 and 4, SP3, TLE and OMM; and the same with something wrong."""

import gzip
import json
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from sgp4.api import Satrec
from sgp4.exporter import export_omm

from openstake.core.errors import FileError
from openstake.core.sky.mean_elements import MeanElementsOrbit
from openstake.core.time_scales import gps_from_utc_s, gps_seconds
from openstake.wire.orbits import read_mean_elements, read_sp3
from openstake.wire.tables.skyline import read_skyline
from tests.core.test_orbits import second_computation
from tests.texts import read_navigation

DATA = Path(__file__).parent.parent / "data"
MIXED = gzip.decompress((DATA / "rinex" / "mixed-six-hours.rnx.gz").read_bytes()).decode()
HEADER, BODY = MIXED[: MIXED.index("END OF HEADER") + 14], MIXED[MIXED.index("END OF HEADER") + 14 :].splitlines()
TLES = [line for line in (DATA / "gnss_tle_jan2018.txt").read_text().splitlines() if line.strip()]
GPS_START = datetime(1980, 1, 6)


def records():
    """The records of the mixed file: lists of lines."""
    at = 0
    while at < len(BODY):
        count = 4 if BODY[at][0] == "R" else 8
        yield BODY[at : at + count]
        at += count


def in_header(version, kind="N: GNSS NAV DATA    M: MIXED", *more):
    first = f"{version:9.2f}           {kind:40}RINEX VERSION / TYPE"
    return "\n".join([first, *more, f"{'':60}END OF HEADER"]) + "\n"


# --- navigation files ---


def test_every_message_of_a_mixed_file_is_read():
    found = read_navigation(MIXED)
    counts = {letter: sum(record[0][0] == letter for record in records()) for letter in "GRECJI"}
    read = {
        letter: sum(len(listed) for name, listed in {**found.ephemerides, **found.glonass}.items() if name[0] == letter)
        for letter in counts
    }
    assert read == counts and not found.impossible
    assert (found.leap_seconds, found.leap_seconds_then) == (18, None)
    kinds = {item.message for name, listed in found.ephemerides.items() if name[0] == "E" for item in listed}
    assert kinds == {"INAV", "FNAV"}


def test_times_are_those_of_gps():
    """BeiDou's clock was set 14 s behind, GLONASS keeps UTC: at midnight by their own time all messages are of 00:00 but for that."""
    found = read_navigation(MIXED)
    day = 2296 * 604_800 + 3 * 86_400
    assert {item.clock_time_s - day for item in found.ephemerides["C21"]} >= {14.0, 3614.0}
    assert {(item.orbit_time_s - day) % 1800.0 for item in found.glonass["R01"]} == {900.0 + 18.0}


def test_rinex_4_says_the_same_as_rinex_3():
    """Written from the same records by RINEX 4.00, section 5.4: a line of title before each, a line more for GLONASS (table A16)."""
    kinds = {"G": "LNAV", "J": "LNAV", "I": "LNAV", "R": "FDMA"}
    lines = []
    for record in records():
        satellite, letter = record[0][:3], record[0][0]
        kind = kinds.get(letter) or ("D2" if satellite in ("C01", "C02", "C03", "C04", "C05") else "D1")
        if letter == "E":
            kind = "FNAV" if int(float(record[5][23:42].replace("D", "E"))) & 2 else "INAV"
        lines += [f"> EPH {satellite} {kind}", *record]
        if letter == "R":
            lines.append("    " + f"{0.0:19.12E}" * 4)
    ionosphere = ["> ION G05 LNAV", "    2024 01 10 00 00 00" + "".join(f"{v:19.12E}" for v in (2.2352e-8, 0.0, -5.9605e-8))]
    ionosphere += ["    " + "".join(f"{v:19.12E}" for v in (1.1921e-7, 1.4541e5, -1.9661e5, 0.0)), "    " + f"{1.9661e5:19.12E}"]
    passed_over = [
        "> STO G05 LNAV",
        "    2024 01 10 00 00 00 GPUT",
        "    " + f"{0.0:19.12E}" * 4,
        "> EPH G05 CNAV",
        *next(records()),
        "    one more",
    ]
    four = read_navigation(in_header(4.0) + "\n".join([*passed_over, *ionosphere, *lines]) + "\n")
    three = read_navigation(MIXED)
    assert four.glonass == three.glonass and four.alpha == three.alpha and four.beta == three.beta
    for name, listed in three.ephemerides.items():
        messages = [item.__class__(**{**vars(item), "message": "x"}) for item in listed]
        assert [item.__class__(**{**vars(item), "message": "x"}) for item in four.ephemerides[name]] == messages


def test_rinex_2_of_glonass_says_the_same_as_rinex_3():
    """RINEX 2.11, table A10: PRN, two digits of the year, and three columns less."""
    lines = []
    for record in records():
        if record[0][0] == "R":
            year, month, day, hour, minute, second = (int(part) for part in record[0][4:23].split())
            lines.append(f"{record[0][1:3]} {year % 100:02d} {month:2d} {day:2d} {hour:2d} {minute:2d} {second:4.1f}{record[0][23:80]}")
            lines += [f"   {line[4:80]}" for line in record[1:]]
    two = read_navigation(
        in_header(2.11, "GLONASS NAV DATA").replace("     2.11           ", "     2.11           ") + "\n".join(lines) + "\n"
    )
    assert two.glonass == read_navigation(MIXED).glonass


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (lambda text: text.replace("    18    18  1929     7", "    17    17  1929     7"), None),
        (lambda text: text[: len(text) // 2 + 30], "may be cut"),
        (lambda text: text.replace("     3.04 ", "     5.00 "), "versions 2 to 4"),
        (lambda text: text.replace("\nG0", "\nX0"), "may be cut"),
        (lambda text: in_header(3.04), "no orbit of a satellite"),
    ],
)
def test_a_navigation_file_with_something_wrong(change, sentence):
    if sentence is None:
        found = read_navigation(change(MIXED))
        assert (found.leap_seconds, found.leap_seconds_then) == (17, 18)
        assert found.glonass == read_navigation(MIXED).glonass
        return
    with pytest.raises(FileError, match=sentence):
        read_navigation(change(MIXED))


def test_impossible_elements_are_left_out_and_counted():
    record = next(record for record in records() if record[0].startswith("E02"))
    wide = [*record]
    wide[2] = record[2][:61] + f"{100.0:19.12E}"
    state = next(record for record in records() if record[0].startswith("R01"))
    far = [state[0], f"    {99_000.0:19.12E}" + state[1][23:], *state[2:]]
    found = read_navigation(in_header(3.04) + "\n".join([*record, *wide, *state, *far]) + "\n")
    assert found.impossible == {"E02": 1, "R01": 1}
    assert (len(found.ephemerides["E02"]), len(found.glonass["R01"])) == (1, 1)


# --- SP3 ---


def sp3(satellites, step_s=900.0, count=13, form="d", system="GPS", end="EOF"):
    """Places of broadcast messages by the second computation, as SP3 has them (S. Hilla, SP3-d, 2016)."""
    messages = {name: read_navigation(MIXED).ephemerides[name][2] for name in satellites}
    start = messages[satellites[0]].orbit_time_s - 5400.0
    lines = [
        f"#{form}P2024  1 10  0  0  0.00000000 {count:7d} ORBIT IGS20 FIT  TST",
        "## 2296 259200.00000000   900.00000000 60319 0.0000000000000",
    ]
    lines += [f"%c M  cc {system} ccc cccc cccc cccc cccc ccccc ccccc ccccc ccccc", "/* a remark"]
    for n in range(count):
        moment = GPS_START + timedelta(seconds=start + n * step_s)
        lines.append(
            f"*  {moment:%Y} {moment.month:2d} {moment.day:2d} {moment.hour:2d} {moment.minute:2d} {moment.second + moment.microsecond / 1e6:11.8f}"
        )
        for name, message in messages.items():
            x, y, z = second_computation(message, start + n * step_s) / 1000.0
            lines.append(f"P{name}{x:14.6f}{y:14.6f}{z:14.6f}{12.345678:14.6f}")
    return "\n".join([*lines, end]) + "\n", messages, start


@pytest.mark.parametrize("form", ["c", "d"])
def test_an_sp3_file_of_a_second_computation_is_read_and_curved_through(form):
    text, messages, start = sp3(["G05", "E02", "C21"], form=form)
    found = {orbit.satellite: orbit for orbit in read_sp3(text.splitlines(), "a.sp3")}
    assert set(found) == set(messages)
    between = start + 5400.0 + np.array([-3000.0, 10.0, 450.0, 3333.0])
    for name, message in messages.items():
        states = found[name].states(between)
        wanted = np.array([second_computation(message, moment) for moment in between])
        assert np.abs(states.xyz_m - wanted).max() < 0.01
        assert states.clock_s == pytest.approx(12.345678e-6)


def test_sp3_in_utc_is_taken_as_utc():
    text, messages, start = sp3(["G05"], system="UTC")
    (orbit,) = read_sp3(text.splitlines(), "a.sp3")
    assert np.abs(orbit.states(np.array([start + 18.0 + 5400.0])).xyz_m - second_computation(messages["G05"], start + 5400.0)).max() < 0.01


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (lambda text: text.replace("EOF", ""), "may be cut"),
        (lambda text: text.replace("%c M  cc GPS", "%c M  cc XYZ"), "counts time in 'XYZ'"),
        (lambda text: "garbage\n", "not an SP3 file"),
        (lambda text: "\n".join(line for line in text.splitlines() if not line.startswith("P")), "no place"),
        (lambda text: text.replace("PG05 ", "PG05x"), "may be cut"),
    ],
)
def test_an_sp3_file_with_something_wrong_is_a_sentence(change, sentence):
    with pytest.raises(FileError, match=sentence):
        read_sp3(change(sp3(["G05"])[0]).splitlines(), "a.sp3")


# --- mean elements ---


def omms(count=3):
    """The messages of the first sets as sgp4 writes them, with what CCSDS 502.0 asks for besides."""
    for at in range(0, 3 * count, 3):
        satellite = Satrec.twoline2rv(TLES[at + 1], TLES[at + 2])
        yield {
            **export_omm(satellite, TLES[at].strip()),
            "CENTER_NAME": "EARTH",
            "REF_FRAME": "TEME",
            "TIME_SYSTEM": "UTC",
            "MEAN_ELEMENT_THEORY": "SGP4",
        }


def as_kvn(messages):
    return "\n".join(
        [
            "CCSDS_OMM_VERS = 2.0\nCREATION_DATE = 2018-01-21T00:00:00\nORIGINATOR = TEST",
            *(
                "\n".join(f"{key} = {value}{' [rev/day]' if key == 'MEAN_MOTION' else ''}" for key, value in item.items())
                for item in messages
            ),
        ]
    )


def as_xml(messages):
    metadata = ("OBJECT_NAME", "OBJECT_ID", "CENTER_NAME", "REF_FRAME", "TIME_SYSTEM", "MEAN_ELEMENT_THEORY")
    elements = ("EPOCH", "MEAN_MOTION", "ECCENTRICITY", "INCLINATION", "RA_OF_ASC_NODE", "ARG_OF_PERICENTER", "MEAN_ANOMALY")
    segments = ""
    for item in messages:
        parts = {
            name: "".join(f"<{key}>{item[key]}</{key}>" for key in keys)
            for name, keys in {"m": metadata, "e": elements, "t": [key for key in item if key not in (*metadata, *elements)]}.items()
        }
        segments += f"<segment><metadata>{parts['m']}</metadata><data><meanElements>{parts['e']}</meanElements>"
        segments += f"<tleParameters>{parts['t']}</tleParameters></data></segment>"
    return f'<?xml version="1.0" encoding="UTF-8"?><ndm><omm id="CCSDS_OMM_VERS" version="2.0"><body>{segments}</body></omm></ndm>'


@pytest.mark.parametrize("write", [as_kvn, as_xml, lambda messages: json.dumps(list(messages), default=str)])
def test_an_omm_of_any_form_is_the_tle_that_it_was_made_from(write):
    found = read_mean_elements(write(omms()), "a.omm")
    gps_s = gps_from_utc_s(gps_seconds(datetime(2018, 1, 21), 0.0)) + np.arange(0.0, 86_400.0, 21_600.0)
    assert len(found.orbits) == 3
    for orbit, at in zip(found.orbits, range(0, 9, 3), strict=True):
        wanted = MeanElementsOrbit(orbit.satellite, Satrec.twoline2rv(TLES[at + 1], TLES[at + 2])).states(gps_s)
        # A message writes its epoch to a microsecond, a TLE to a tenth of a millisecond: 4 km/s of it.
        assert np.abs(orbit.states(gps_s).xyz_m - wanted.xyz_m).max() < 1.0


def test_a_tle_file_names_its_navigation_satellites_and_counts_the_others():
    other = [
        "ISS (ZARYA)",
        "1 25544U 98067A   08264.51782528 -.00002182  00000-0 -11606-4 0  2927",
        "2 25544  51.6416 247.4627 0006703 130.5360 325.0288 15.72125391563537",
    ]
    found = read_mean_elements("\n".join([*TLES, *other]), "a.tle")
    assert (len(found.orbits), found.others) == (78, 1)


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("\n".join([TLES[0], TLES[1][:-1] + str((int(TLES[1][-1]) + 1) % 10), TLES[2]]), "check digit"),
        ("\n".join([TLES[0], TLES[1], TLES[5]]), "two satellites"),
        ("\n".join(TLES[:2]), "no element set"),
        ("garbage\n" * 5, "do not follow"),
        ("", "no element set"),
        ("{}", "mean elements"),
        ("[]", "mean elements"),
        ('<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>', "mean elements"),
        (as_kvn(omms(1)).replace("REF_FRAME = TEME", "REF_FRAME = GCRF"), "not in TEME"),
        (as_kvn(omms(1)).replace("MEAN_MOTION = ", "MEAN_MOTION = 9"), "not of an orbit"),
        (as_kvn(omms(1)).replace("EPOCH = ", "EPOCH = x"), "mean elements"),
    ],
)
def test_mean_elements_with_something_wrong_are_a_sentence(text, sentence):
    with pytest.raises(FileError, match=sentence):
        read_mean_elements(text, "a.tle")


# --- skylines ---


def test_a_skyline_is_read_with_or_without_header_and_remarks():
    for text in ("azimuth_deg,elevation_deg\n0,10\n90,20.5\n", "# trees\n90;20.5\n\n0\t10  # oak\n"):
        assert read_skyline(text.splitlines(), "a.csv").elevation_deg([0.0, 90.0]).tolist() == [10.0, 20.5]


@pytest.mark.parametrize(
    ("text", "sentence"),
    [("", "no corner"), ("1,2,3", "line 1"), ("0,10\nnorth,5", "line 2"), ("400,5", "400"), ("0,95", "90°"), ("0,nan", "line 1")],
)
def test_a_skyline_with_something_wrong_is_a_sentence_with_its_line(text, sentence):
    with pytest.raises(FileError, match=sentence):
        read_skyline(text.splitlines(), "a.csv")
