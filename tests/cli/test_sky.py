"""`openstake sky`: what a person asks of a place and a day, with files of every kind, and with something wrong."""

import gzip
import json
from pathlib import Path

import pytest

from openstake.wire.rtcm3.frame import frame_bytes
from tests.cli.test_captures import run
from tests.wire.test_ephemeris import NAV, sent
from tests.wire.test_orbits import sp3

DATA = Path(__file__).parent.parent / "data"
MIXED = DATA / "rinex" / "mixed-six-hours.rnx.gz"
TLE = DATA / "gnss_tle_jan2018.txt"
PLACE = ("--at", "53.45,-2.24,50")
NIGHT = ("--from", "2024-01-10T00:00Z", "--hours", "4", "--step", "300")


def sky(*args):
    result = run("sky", *PLACE, *args, "--json")
    assert result.exit_code == 0, result.stderr
    return json.loads(result.stdout)


def codes(found):
    return {item["code"] for item in found["findings"]}


def test_a_night_by_a_navigation_file():
    found = sky(*NIGHT, "--nav", MIXED)
    assert found["elements"]["source"] == "broadcast ephemerides" and found["elements"]["oldest_age_s"] <= 6 * 3600.0
    assert len(found["epochs"]) == 49 and found["epochs"][1]["time"] == "2024-01-10T00:05:00Z"
    assert all(item["elevation_deg"] >= 10.0 for epoch in found["epochs"] for item in epoch["satellites"])
    assert all(epoch["pdop"] == pytest.approx((epoch["hdop"] ** 2 + epoch["vdop"] ** 2) ** 0.5) for epoch in found["epochs"])
    assert all(epoch["expected_horizontal_95_m"] is None for epoch in found["epochs"])
    # G01 said on that day that it was not healthy (63 in the file): shown, and in no geometry.
    assert "satellite-unhealthy" in codes(found)
    least = min(epoch["pdop"] for epoch in found["epochs"])
    assert found["best"] and all(span["pdop"] <= 1.3 * least and span["from"] < span["to"] for span in found["best"])


def test_what_both_ends_share_is_never_better_than_what_one_sees():
    alone = sky(*NIGHT, "--nav", MIXED)
    shared = sky(*NIGHT, "--nav", MIXED, "--base", "53.0,-9.0,0")
    assert all(both["pdop"] >= one["pdop"] for both, one in zip(shared["epochs"], alone["epochs"], strict=True))
    assert any(both["pdop"] > one["pdop"] for both, one in zip(shared["epochs"], alone["epochs"], strict=True))
    assert all(0.01 < epoch["expected_horizontal_95_m"] < 2.0 for epoch in shared["epochs"])


def test_a_skyline_hides_and_worsens(tmp_path):
    line = tmp_path / "wood.csv"
    line.write_text("azimuth_deg,elevation_deg\n0,40\n120,40\n121,5\n359,5\n")
    open_, hidden = sky(*NIGHT, "--nav", MIXED), sky(*NIGHT, "--nav", MIXED, "--skyline", line)
    for before, after in zip(open_["epochs"], hidden["epochs"], strict=True):
        assert [item["id"] for item in before["satellites"]] == [item["id"] for item in after["satellites"]]
        assert after["pdop"] >= before["pdop"]
        for item in after["satellites"]:
            if item["azimuth_deg"] <= 120.0:
                assert item["hidden"] == (item["elevation_deg"] < 40.0)


def test_precise_places_come_before_broadcast_ones(tmp_path):
    file = tmp_path / "a.sp3"
    file.write_text(sp3(["G05", "E02"])[0])
    found = sky("--from", "2024-01-10T02:00Z", "--hours", "0.5", "--step", "600", "--nav", MIXED, "--sp3", file)
    plain = sky("--from", "2024-01-10T02:00Z", "--hours", "0.5", "--step", "600", "--nav", MIXED)
    assert found["elements"]["source"] == "precise orbits, broadcast ephemerides"
    for one, other in zip(found["epochs"], plain["epochs"], strict=True):
        assert [item["id"] for item in one["satellites"]] == [item["id"] for item in other["satellites"]]
        for first, second in zip(one["satellites"], other["satellites"], strict=True):
            assert first["elevation_deg"] == pytest.approx(second["elevation_deg"], abs=0.001)


def test_a_base_s_stream_is_its_own_almanac(tmp_path):
    """What a base sends of its satellites says the same as the navigation file that it was made of."""
    file = tmp_path / "base.rtcm"
    messages = [listed[0] for name, listed in NAV.ephemerides.items() if name[0] in "GE"]
    file.write_bytes(b"".join(frame_bytes(sent(message)) for message in messages) + b"noise")
    heard = sky("--from", "2024-01-10T01:00Z", "--hours", "0", "--heard", file)
    assert heard["elements"]["source"] == "broadcast ephemerides"
    known = {item["id"]: item for item in sky("--from", "2024-01-10T01:00Z", "--hours", "0", "--nav", MIXED)["epochs"][0]["satellites"]}
    seen = heard["epochs"][0]["satellites"]
    assert len(seen) >= 15 and {item["id"] for item in seen} == {name for name in known if name[0] in "GE"}
    assert all(item["elevation_deg"] == pytest.approx(known[item["id"]]["elevation_deg"], abs=0.001) for item in seen)
    assert "no ephemeris of that time" in run("sky", *PLACE, "--from", "2025-01-10T01:00Z", "--heard", file).stderr


def test_without_files_the_sky_is_nominal_and_says_so():
    found = sky("--from", "2026-12-01T08:00Z", "--hours", "1")
    assert found["elements"]["source"] == "nominal, to practise" and codes(found) == {"sky-nominal"}
    assert "nominal, to practise" in run("sky", *PLACE, "--from", "2026-12-01T08:00Z", "--hours", "0").stdout


def test_elements_that_are_too_old_are_marked_and_then_missing():
    """A TLE of a week before is marked; of three weeks before it is not taken: each satellite is named."""
    week = sky("--from", "2018-01-26T12:00Z", "--hours", "0", "--tle", TLE)
    assert "elements-old" in codes(week) and week["epochs"][0]["pdop"] is not None
    late = sky("--from", "2018-03-15T12:00Z", "--hours", "0", "--tle", TLE)
    missing = next(item for item in late["findings"] if item["code"] == "elements-missing")
    assert late["epochs"][0]["satellites"] == [] and late["epochs"][0]["pdop"] is None and "G05" in missing["numbers"]["satellites"]


def test_no_satellite_is_counted_twice_by_two_of_its_names():
    """GLONASS by its slots (navigation file) and by its numbers (mean elements, of 2018: too old for 2024, and so of another week here)."""
    asked = ("--from", "2018-01-22T00:00Z", "--hours", "0", "--tle", TLE)
    alone, with_slots = sky(*asked), sky(*asked, "--nav", MIXED)
    seen = [[item["id"] for item in found["epochs"][0]["satellites"]] for found in (alone, with_slots)]
    assert any(name[0] == "R" and len(name) == 4 for name in seen[0])
    assert not any(name[0] == "R" and len(name) == 4 for name in seen[1])
    assert [name for name in seen[0] if name[0] != "R"] == seen[1]


def test_the_oldest_elements_that_are_used_are_said():
    """The file ends at six: two days on, what is used is two days old; of three days on nothing holds."""
    found = sky("--from", "2024-01-10T05:00Z", "--hours", "48", "--step", "3600", "--nav", MIXED)
    assert "elements-old" in codes(found)
    late = sky("--from", "2024-01-14T05:00Z", "--hours", "0", "--nav", MIXED)
    assert codes(late) == {"elements-missing"} and late["epochs"][0]["pdop"] is None


def test_a_file_of_another_system_s_editor_is_read(tmp_path):
    """A byte order mark and ends of line of two characters, as some editors leave them."""
    file = tmp_path / "a.tle"
    file.write_bytes(b"\xef\xbb\xbf" + TLE.read_bytes().replace(b"\n", b"\r\n"))
    asked = ("--from", "2018-01-21T12:00Z", "--hours", "0", "--tle")
    assert sky(*asked, file)["epochs"] == sky(*asked, TLE)["epochs"]


def test_a_file_with_wrong_leap_seconds_says_so(tmp_path):
    file = tmp_path / "a.rnx"
    file.write_text(gzip.decompress(MIXED.read_bytes()).decode().replace("    18    18  1929     7", "    16    16  1929     7"))
    found = sky("--from", "2024-01-10T02:00Z", "--hours", "0", "--nav", file)
    assert "elements-leap-seconds" in codes(found)
    assert found["epochs"] == sky("--from", "2024-01-10T02:00Z", "--hours", "0", "--nav", MIXED)["epochs"]


def test_a_sentence_that_quotes_a_file_steers_no_screen(tmp_path):
    """What a terminal would take for a command (ECMA-48) is shown as a question mark, whichever reader quotes it."""
    file = tmp_path / "a"
    file.write_bytes(b"\x1b[2J\x9b31mRED\x07\n1 \n2 \n")
    for option in ("--tle", "--skyline", "--nav", "--sp3"):
        result = run("sky", *PLACE, "--from", "2024-01-10T00:00Z", option, file)
        assert result.exit_code == 2 and not {"\x1b", "\x9b", "\x07"} & set(result.stderr)


@pytest.mark.parametrize(
    ("args", "words"),
    [
        (("--at", "53.45", "--from", "2024-01-10T00:00Z"), "is not a place"),
        (("--at", "95,0", "--from", "2024-01-10T00:00Z"), "latitude"),
        (("--at", "53,0,high", "--from", "2024-01-10T00:00Z"), "not a height"),
        ((*PLACE, "--from", "2024-01-10T00:00"), "zone"),
        ((*PLACE, "--from", "yesterday"), "is not a time"),
        ((*PLACE, "--from", "1970-01-01T00:00Z"), "1980"),
        ((*PLACE, "--from", "2024-01-10T00:00Z", "--step", "0"), "A step is"),
        ((*PLACE, "--from", "2024-01-10T00:00Z", "--hours", "-1"), "moments"),
        ((*PLACE, "--from", "2024-01-10T00:00Z", "--hours", "nan"), "moments"),
        ((*PLACE, "--from", "2024-01-10T00:00Z", "--step", "inf"), "A step is"),
        ((*PLACE, "--from", "9999-12-31T00:00Z"), "2171"),
        (("--at", "nan,nan", "--from", "2024-01-10T00:00Z"), "not an angle"),
        ((*PLACE, "--from", "2024-01-10T00:00Z", "--mask", "100"), "mask"),
        ((*PLACE, "--from", "2024-01-10T00:00Z", "--nav", TLE), "not a RINEX file"),
        ((*PLACE, "--from", "2024-01-10T00:00Z", "--tle", MIXED), "mean elements"),
        ((*PLACE, "--from", "2024-01-10T00:00Z", "--sp3", MIXED), "not an SP3 file"),
        ((*PLACE, "--from", "2024-01-10T00:00Z", "--skyline", TLE), "line 1"),
    ],
)
def test_what_cannot_be_answered_is_a_sentence(args, words):
    result = run("sky", *args)
    assert result.exit_code == 2 and words in result.stderr and "Traceback" not in result.stderr
