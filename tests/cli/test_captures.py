"""`openstake stream` and `openstake log` on real frames, logs by an independent writer, garbage and large files."""

import json
import random
import subprocess
import sys
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from click.testing import CliRunner
from pynmeagps import GET, NMEAMessage

from openstake.cli import VERBS, main
from openstake.core.evidence import StationReference
from openstake.wire.rtcm3.station import encode_reference
from tests import published

REAL = json.loads((Path(__file__).parent.parent / "data" / "rtcm3_frames.json").read_text())
REAL_BYTES = b"".join(bytes.fromhex(entry["hex"]) for entry in REAL)


def run(*arguments):
    result = CliRunner().invoke(main, [str(item) for item in arguments])
    assert result.exception is None or isinstance(result.exception, SystemExit), result.exception
    return result


def of_file(tmp_path, verb, content):
    file = tmp_path / "capture"
    file.write_bytes(content)
    result = run(verb, file, "--json")
    return json.loads(result.stdout) if result.exit_code == 0 else result


def codes(result):
    return [finding["code"] for finding in result["findings"]]


def test_real_frames_are_counted_and_judged(tmp_path):
    result = of_file(tmp_path, "stream", b"noise" + REAL_BYTES + published.RTCM_1005_EXAMPLE[:-1] + b"\0")

    assert result["frames"] == len(REAL)
    assert {row["number"]: row["count"] for row in result["messages"]}[1005] == 3
    assert all(row["mean_interval_s"] is None for row in result["messages"])
    example = next(row for row in result["stations"] if row["station_id"] == 2003)
    assert (example["x_m"], example["y_m"], example["z_m"]) == published.RTCM_1005_STATION[1:]
    assert example["antenna_height_m"] is None
    assert {row["antenna_height_m"] for row in result["stations"]} == {None, published.RTCM_1006_ANTENNA_HEIGHT}
    assert {"legacy-only", "constellation-missing", "damaged-frames", "station-position-changed"} <= set(codes(result))
    assert result["observables"] == [{"constellation": "GLONASS", "form": "legacy", "satellites": 8, "cells": 8}]
    assert all({"severity", "sentence", "cause", "action", "source"} <= set(item) for item in result["findings"])


def test_a_moved_station_is_a_stop(tmp_path):
    one = encode_reference(StationReference(station_id=7, x_m=3.8e6, y_m=-4e5, z_m=5.0e6, antenna_height_m=1.6, virtual=False))
    two = encode_reference(StationReference(station_id=7, x_m=3.8e6 + 3, y_m=-4e5 + 4, z_m=5.0e6, antenna_height_m=1.6, virtual=False))

    result = of_file(tmp_path, "stream", one + two)

    moved = next(finding for finding in result["findings"] if finding["code"] == "station-position-changed")
    assert moved["severity"] == "stop" and "5.000 m" in moved["sentence"]  # 3-4-5


def gga(moment, quality, lat=53.45, lon=-2.24, alt=45.2, sep=50.1, age=1.0, satellites=12):
    return NMEAMessage(
        "GN",
        "GGA",
        GET,
        time=moment.time(),
        lat=lat,
        lon=lon,
        quality=quality,
        numSV=satellites,
        HDOP=0.9,
        alt=alt,
        altUnit="M",
        sep=sep,
        sepUnit="M",
        diffAge=age,
        diffStation=33,
        hpnmeamode=1,
    ).serialize()


def test_a_log_of_an_independent_writer_is_summed_up(tmp_path):
    start = datetime(2026, 1, 1, 23, 59, 55)
    qualities = [0, 1, 5, 4, 4, 4, 4, 2]
    lines = [
        gga(start + timedelta(seconds=n + (5 if n >= 6 else 0)), quality, alt=45.2 + 0.01 * (n % 2), age=float(n), satellites=10 + n)
        for n, quality in enumerate(qualities)
    ]

    result = of_file(tmp_path, "log", b"".join(lines) + b"$GNGGA,1,2*00\r\n")

    assert result["epochs"] == 8
    assert result["by_status"] == {"none": 1, "single": 1, "dgps": 1, "float": 1, "fixed": 4, "other": 0}
    assert (result["first"], result["last"]) == ("23:59:55.00", "00:00:07.00")
    # By hand: altitudes 45.21, 45.20, 45.21, 45.20 + 50.1; scatter of two pairs 0.01 apart, n - 1: 0.01 / sqrt(3).
    assert result["fixed"]["height_m"] == pytest.approx(95.305, abs=1e-6)
    assert result["fixed"]["sigma_up_m"] == pytest.approx(0.01 / 3**0.5, abs=1e-6)
    assert result["fixed"]["sigma_east_m"] == pytest.approx(0.0, abs=1e-6)
    assert (result["fixed"]["latitude_deg"], result["fixed"]["longitude_deg"]) == pytest.approx((53.45, -2.24), abs=2e-9)
    assert result["fixed"]["count"] == 4
    assert result["age_s"] == {"median": 3.5, "max": 7.0}
    assert result["satellites"] == {"min": 10, "median": 13.5}
    assert result["gaps"] == [{"from": "00:00:00.00", "to": "00:00:06.00"}]
    assert result["bad_checksum"] == 1
    assert {"epochs-missing", "damaged-sentences"} <= set(codes(result))


def test_a_log_without_a_fix_says_so_and_keeps_its_shape(tmp_path):
    result = of_file(tmp_path, "log", gga(datetime(2026, 1, 1), 1))

    assert result["fixed"]["count"] == 0 and result["fixed"]["latitude_deg"] is None
    assert "no-fixed-epochs" in codes(result)


@pytest.mark.parametrize("verb", ["stream", "log"])
@pytest.mark.parametrize(
    "content",
    [b"", b"\0" * 5000, b"hello\n" * 500, b"\xd3" * 5000, b"\xd3\0" * 3000, b"$" * 5000, random.Random(1).randbytes(200_000)],
    ids=["empty", "zeros", "text", "preambles", "headers", "dollars", "random"],
)
def test_garbage_is_a_sentence_and_exit_2(tmp_path, verb, content):
    result = of_file(tmp_path, verb, content)

    assert result.exit_code == 2
    assert result.stderr.strip().endswith((".", "?")) and len(result.stderr.splitlines()) == 1


@pytest.mark.parametrize("verb", ["stream", "log"])
def test_a_missing_file_and_a_folder_are_sentences(tmp_path, verb):
    for path in (tmp_path / "nothing", tmp_path):
        result = run(verb, path)
        assert result.exit_code == 2 and result.stderr.strip().endswith(".")


@pytest.mark.parametrize("cut", range(1, 25, 4))
def test_a_truncated_capture_gives_what_could_be_read(tmp_path, cut):
    result = of_file(tmp_path, "stream", published.RTCM_1005_EXAMPLE * 2 + published.RTCM_1005_EXAMPLE[:-cut])

    assert (result["frames"], result["bad_crc"]) == (2, 0)
    assert result["skipped_bytes"] == len(published.RTCM_1005_EXAMPLE) - cut


PEAK = """
import sys
from openstake.cli import main
try:
    main(sys.argv[1:])
finally:
    # VmHWM and not getrusage, which would count the parent's pages from before the exec.
    peak = next(line for line in open("/proc/self/status") if line.startswith("VmHWM"))
    print(int(peak.split()[1]) // 1024, file=sys.stderr)
"""


@pytest.mark.slow
@pytest.mark.parametrize(
    ("verb", "line"), [("stream", REAL_BYTES), ("log", b"".join(gga(datetime(2026, 1, 1, 0, 0, s), 4) for s in range(60)))]
)
def test_memory_stays_flat_on_large_files(tmp_path, verb, line):
    """Peak memory of a 12 MB file against a 2 MB one: an epoch costs 12 bytes of times and ages, a frame nothing."""
    peaks = []
    for megabytes in (2, 12):
        file = tmp_path / f"{megabytes}"
        file.write_bytes(line * (megabytes * 1_000_000 // len(line)))
        done = subprocess.run([sys.executable, "-c", PEAK, verb, file, "--json"], capture_output=True, text=True)
        assert done.returncode == 0, done.stderr
        peaks.append(int(done.stderr.split()[-1]))

    assert peaks[1] - peaks[0] < 7, "what was read is not kept: that would be 10 MB more"


def test_every_verb_has_its_help_and_its_line_in_the_readme():
    readme = (Path(__file__).parent.parent.parent / "README.md").read_text()
    for verb in VERBS:
        assert run(verb, "--help").exit_code == 0
        assert f"openstake {verb}" in readme


def test_version_and_help():
    assert run("--version").stdout.startswith("openstake, version 0.")
    assert run("stream").exit_code == 2
