"""`openstake agree`, `airload`, `length` and `profile` from a terminal: exit 0 with a result, 2 with a sentence."""

import json

import pytest
from click.testing import CliRunner

from openstake.cli import main


def run(*arguments):
    return CliRunner().invoke(main, list(arguments))


def result(*arguments):
    answer = run(*arguments, "--json")
    assert answer.exit_code == 0, answer.output
    return json.loads(answer.stdout)


@pytest.fixture
def pair(tmp_path):
    files = []
    for role in ("base", "rover"):
        files.append(tmp_path / f"{role}.json")
        files[-1].write_text(run("profile", "example", role).stdout)
    return files


def changed(file, **link):
    document = json.loads(file.read_text())
    document["link"] |= link
    file.write_text(json.dumps(document))


def test_the_example_pair_agrees_and_a_changed_setting_is_named(pair):
    base, rover = pair
    assert result("agree", str(base), str(rover)) | {"rows": []} == {
        "agrees": True,
        "base": "Example base",
        "rover": "Example rover",
        "findings": [],
        "rows": [],
    }

    changed(rover, modulation="something new")
    found = result("agree", str(base), str(rover))

    assert not found["agrees"]
    assert [(item["field"], item["severity"]) for item in found["findings"]] == [("modulation", "stop")]
    assert "differs" in run("agree", str(base), str(rover)).stdout


def test_garbage_in_place_of_a_profile_is_a_sentence(pair, tmp_path):
    for content in (b"", b"garbage", b"[]", b"{}", b'{"link": 7}', b"\xff\x00"):
        bad = tmp_path / "bad.json"
        bad.write_bytes(content)
        answer = run("agree", str(pair[0]), str(bad))
        assert answer.exit_code == 2 and answer.stderr.strip().endswith(".")
    assert run("agree", str(pair[0]), str(tmp_path / "nothing.json")).exit_code == 2


def test_the_air_load_of_the_published_example():
    # RTCM 10403.3: 12 satellites x 2 signals in MSM4 are 202 bytes; at SF 7, 250 kHz, 4/6 the link carries 9.115 kbit/s.
    load = result("airload", "--form", "msm4", "--satellites", "C12", "--signals", "2", "--interval", "1", "--rate", "9.11kbps")
    assert load["bytes_per_epoch"] == 202 and load["bits_per_second"] == 1616 and load["fits"]
    chirp = ("--spreading-factor", "7", "--bandwidth", "250", "--coding", "4/6")
    load = result("airload", "--form", "msm4", "--satellites", "C12", *chirp)
    assert load["rate_bps"] == pytest.approx(9115, abs=0.5)
    # By hand: 202 bytes at SF 7: ceil((1616 - 28 + 44) / 28) = 59 blocks of 6 symbols of 0.512 ms, and 20.25 before them.
    assert (load["packet_bytes"], load["packet_time_on_air_s"]) == (202, pytest.approx((20.25 + 59 * 6) * 0.512e-3))
    limited = result("airload", "--form", "msm4", "--satellites", "G10,R8,E9,C12", "--rate", "9.11kbps", "--duty-limit", "10%")
    assert not limited["fits"] and limited["findings"][0]["code"] == "duty-too-large"


@pytest.mark.parametrize(
    "arguments",
    [
        ("--form", "legacy", "--satellites", "G10,E9", "--rate", "9600bps"),
        ("--form", "msm4", "--satellites", "G10", "--rate", "9.11kBps"),
        ("--form", "msm4", "--satellites", "ten", "--rate", "9600bps"),
        ("--form", "msm4", "--satellites", "G10"),
        ("--form", "msm4", "--satellites", "G10", "--rate", "9600bps", "--duty-limit", "200%"),
        ("--form", "msm4", "--satellites", "G10", "--rate", "9600bps", "--interval", "nan"),
    ],
)
def test_an_air_load_that_cannot_be_is_a_sentence(arguments):
    answer = run("airload", *arguments)

    assert answer.exit_code == 2 and answer.stderr.strip().endswith(".")


# NIST SP 811; the rest by hand.
@pytest.mark.parametrize(
    ("text", "metres"),
    [
        ("2m", 2.0),
        ("1532mm", 1.532),
        ("153.2 cm", 1.532),
        ("6.562ft", 6.562 * 0.3048),
        ("6.562sft", 6.562 * 1200 / 3937),
        ("5 ft 7 3/8 in", (5 + 7.375 / 12) * 0.3048),
        ("5' 0.5\"", (5 + 0.5 / 12) * 0.3048),
        ("1,532 m", 1.532),
        ("-0.03 m", -0.03),
    ],
)
def test_a_length_from_the_terminal(text, metres):
    assert result("length", text) == {"metres": pytest.approx(metres, abs=1e-12)}


@pytest.mark.parametrize("text", ["", "nonsense", "5 ft 12 in", "3 cubits", "1,532.5 m", "inf m", "nan", "1e999 m", "1.532"])
def test_a_length_that_cannot_be_read_is_refused(text):
    answer = run("length", text, "--json")

    assert answer.exit_code == 2 and answer.stderr.strip().endswith(".") and not answer.stdout


@pytest.mark.parametrize("role", ["base", "rover", "network-rover"])
def test_an_example_profile_is_valid_and_one_with_a_mistake_is_not(role, tmp_path):
    file = tmp_path / "profile.json"
    file.write_text(run("profile", "example", role).stdout)
    assert result("profile", "check", str(file))["valid"]

    changed(file, fec="yes")
    answer = run("profile", "check", str(file))
    assert answer.exit_code == 2 and "link.fec" in answer.stderr
