"""`openstake single`, `occupation` and `rinex`: real raw data, logs of an independent writer, garbage."""

import json
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pynmea2
import pytest
from pynmeagps import NMEAReader

from tests.cli.test_captures import REAL_BYTES, codes, gga, of_file, run
from tests.wire.test_rinex import stream

RINEX = Path(__file__).parent.parent / "data" / "rinex"
ORBITS = RINEX / "brdc0100.24n.gz"
WITHIN_M = 3.0  # the headers hold approximate positions only


@pytest.mark.parametrize("name", ["one-hour-2.24o.gz", "one-hour-3.rnx.gz"])
@pytest.mark.slow
def test_an_hour_of_raw_data_becomes_positions_and_their_mean_is_still_metres_off(tmp_path, name):
    log = tmp_path / "single.nmea"
    result = run("single", RINEX / name, ORBITS, "--nmea", log, "--json")
    found = json.loads(result.stdout)

    assert len(found["positions"]) == found["epochs"] == 120
    assert max(abs(found["from_header_m"][f"{axis}_m"]) for axis in ("east", "north", "up")) < WITHIN_M
    # An independent reader finds the same places in the log, to the digits that were written.
    with log.open("rb") as opened:
        read = [message for _, message in NMEAReader(opened) if message.msgID == "GGA"]
    assert [(item.lat, item.lon) for item in read] == [
        (pytest.approx(place["latitude_deg"], abs=1e-8), pytest.approx(place["longitude_deg"], abs=1e-8)) for place in found["positions"]
    ]

    mean = of_file(tmp_path, "occupation", log.read_bytes())

    assert (mean["used"], mean["status"], mean["span_s"]) == (120, "single", found["span_s"])
    assert mean["latitude_deg"] == pytest.approx(found["latitude_deg"], abs=1e-7)
    # Decimetres of noise after an hour; the accuracy to expect stays at metres (common practice, no source).
    assert mean["precision_east_m"] < 0.5 and mean["expected_accuracy_m"] >= 5.0
    assert 2.0 < mean["effective_n"] <= 120.0
    assert "average-not-fixed" in codes(mean)


def test_the_average_of_an_independent_writer_s_log(tmp_path):
    start, random = datetime(2026, 1, 1, 9), np.random.default_rng(4)
    north = random.normal(0.0, 0.010, 400)  # metres, white: every epoch counts
    degrees = north / 111_293.0  # of latitude at 53.45 N: GRS 80, by pyproj.Geod
    lines = [gga(start + timedelta(seconds=n), 4, lat=53.45 + step) for n, step in enumerate(degrees)]

    found = of_file(tmp_path, "occupation", b"".join(lines))

    assert set(found) >= {
        "epochs",
        "used",
        "span_s",
        "latitude_deg",
        "longitude_deg",
        "height_m",
        "precision_east_m",
        "precision_north_m",
        "precision_up_m",
        "effective_n",
        "status",
        "expected_accuracy_m",
        "findings",
    }
    assert (found["epochs"], found["span_s"], found["status"]) == (400, 399.0, "fixed")
    assert found["latitude_deg"] == pytest.approx(53.45 + degrees.mean(), abs=3e-9)
    assert found["height_m"] == pytest.approx(45.2 + 50.1, abs=1e-6)
    assert found["precision_north_m"] == pytest.approx(north.std(ddof=1) / 20, rel=0.35)
    # Half a millimetre of noise; one fixed initialisation is centimetres all the same.
    assert 0.02 < found["expected_accuracy_m"] < 0.06


def test_a_log_that_jumps_between_two_places_is_told(tmp_path):
    start, random = datetime(2026, 1, 1, 9), np.random.default_rng(4)
    steps = random.normal(0.0, 5e-8, 120) + np.where(np.arange(120) < 90, 0.0, 2e-6)  # 0.22 m at the ninetieth
    lines = [gga(start + timedelta(seconds=n), 4, lat=53.45 + step) for n, step in enumerate(steps)]

    found = of_file(tmp_path, "occupation", b"".join(lines))

    assert found["used"] == 90
    told = next(item for item in found["findings"] if item["code"] == "epochs-left-out")
    assert told["severity"] == "look" and told["sentence"].startswith("30 of 120") and "jumped" in told["cause"]


def test_a_capture_becomes_rinex_that_georinex_reads(tmp_path):
    sent, data = stream(12)
    capture, out = tmp_path / "base.rtcm", tmp_path / "base.rnx"
    capture.write_bytes(b"noise" + data)

    result = json.loads(run("rinex", capture, out, "--date", "2026-11-25", "--marker", "CS1", "--json").stdout)

    import georinex

    found = georinex.load(out)
    assert found.sizes["time"] == len(sent) == result["epochs"]
    assert result["satellites"] == 4 and result["without_phase"] == []


@pytest.mark.parametrize(
    ("verb", "content", "words"),
    [
        ("single", b"not a RINEX file\n", "RINEX"),
        ("single", b"", "empty"),
        ("rinex", b"$GNGGA,123519*00\r\n", "no MSM observations"),
        ("occupation", bytes(range(256)) * 4, "holds no position sentence"),
    ],
)
def test_garbage_is_a_sentence(tmp_path, verb, content, words):
    file = tmp_path / "garbage"
    file.write_bytes(content)
    more = {"single": [ORBITS], "rinex": [tmp_path / "out", "--date", "2026-11-25"], "occupation": []}[verb]
    result = run(verb, file, *more)
    assert result.exit_code == 2
    assert words in result.stderr and "Traceback" not in result.stderr


@pytest.mark.parametrize("day", ["25.11.2026", "tomorrow"])
def test_a_date_that_cannot_be_read_is_refused_and_nothing_is_written(tmp_path, day):
    capture, out = tmp_path / "base.rtcm", tmp_path / "base.rnx"
    capture.write_bytes(REAL_BYTES)
    assert run("rinex", capture, out, "--date", day).exit_code == 2
    assert not out.exists()


@pytest.mark.slow
def test_the_log_that_single_writes_is_valid_nmea(tmp_path):
    log = tmp_path / "single.nmea"
    run("single", RINEX / "one-hour-2.24o.gz", ORBITS, "--nmea", log)
    first = pynmea2.parse(log.read_text().splitlines()[0], check=True)
    assert (first.sentence_type, first.gps_qual) == ("GGA", 1)
