"""The terminal on what nobody meant to give it: a sentence and exit 2, in flat memory, without waiting for the web."""

import gzip
import json
import subprocess
import sys
import tracemalloc

import pytest
from click.testing import CliRunner

from openstake.cli import main
from openstake.core.evidence import StationReference
from openstake.wire.nmea.sentence import sentence_bytes
from openstake.wire.rtcm3.station import encode_reference
from openstake.workflow.base.rawdata import lines_of
from tests.fuzz.targets import TARGETS

GGA = "GNGGA,12000{n}.00,5320.1234567,N,00615.7654321,W,4,18,0.7,{height},M,55.4,M,{age},0017"


def run(*arguments):
    result = CliRunner().invoke(main, [str(item) for item in arguments])
    assert result.exception is None or isinstance(result.exception, SystemExit), result.exception
    assert "Traceback" not in result.output and "cannot be worked with" not in result.output, result.output
    return result


@pytest.mark.parametrize(
    ("verb", "content", "code", "words"),
    [
        (
            "stream",
            encode_reference(StationReference(station_id=0, x_m=0.0, y_m=0.0, z_m=0.0, antenna_height_m=None, virtual=False)),
            0,
            "1005",
        ),
        (
            "stream",
            encode_reference(StationReference(station_id=0, x_m=1e-4, y_m=0.0, z_m=0.0, antenna_height_m=0.0, virtual=False)),
            0,
            "1006",
        ),
        (
            "log",
            b"".join(
                sentence_bytes(GGA.format(n=n, height=height, age=age))
                for n, (height, age) in enumerate([("1e308", "1"), ("58.1", "1e300"), ("58.2", "nan")])
            ),
            0,
            "2 epochs",
        ),
        (
            "profile check",
            b'{"format": "openstake-profile", "version": 1, "name": "x", "link": {"frequency_mhz": ' + b"9" * 401 + b"}}",
            2,
            "digits",
        ),
        ("profile check", b'{"format": "openstake-profile", "version": 1, "name": "\\ud800"}', 2, "U+D800"),
        ("profile check", b"[" * 5000, 2, "nested"),
        ("profile check", b'{"a": Infinity}', 2, "not a number of JSON"),
    ],
)
def test_a_file_of_anything_ends_in_a_result_or_a_sentence(tmp_path, verb, content, code, words):
    file = tmp_path / "in"
    file.write_bytes(content)
    result = run(*verb.split(), file)
    assert result.exit_code == code and words in result.output and "nan" not in result.output.lower()


@pytest.mark.parametrize("value", ["9" * 401, "1e999", "-Infinity", '"\\ud800"', "[" * 100 + "]" * 100])
def test_agree_takes_no_absurd_values(tmp_path, value):
    one, other = tmp_path / "a.json", tmp_path / "b.json"
    one.write_text('{"link": {"frequency_mhz": ' + value + "}}")
    other.write_bytes(TARGETS["agree"][1][0])
    assert run("agree", one, other).exit_code == 2


@pytest.mark.parametrize("day", ["0001-01-01", "9999-12-31", "1979-12-31", "x", "2026-13-01"])
def test_a_date_that_no_stream_has_is_refused(tmp_path, day):
    file = tmp_path / "in"
    file.write_bytes(TARGETS["rtcm"][1][0])
    assert run("rinex", file, tmp_path / "out", "--date", day).exit_code == 2
    assert not (tmp_path / "out").exists()


def test_a_name_that_is_no_text_is_written_all_the_same(tmp_path):
    assert run("stream", str(tmp_path / "\udcff\udc80")).exit_code == 2


def test_a_file_of_gigabytes_is_no_profile_after_a_megabyte(tmp_path):
    file = tmp_path / "large"
    with file.open("wb") as large:
        large.truncate(3 << 30)  # a hole: nothing is written
    tracemalloc.start()
    result = run("profile", "check", file)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert result.exit_code == 2 and "much smaller" in result.output
    assert peak < 20 << 20


@pytest.mark.slow
def test_a_packed_file_is_read_in_flat_memory(tmp_path):
    """2026-11-27: 0.63 MB of gzip took 1.9 GB."""
    file = tmp_path / "bomb.rnx.gz"
    with gzip.open(file, "wb") as packed:
        for _ in range(100):
            packed.write(b"> 2026 11 27 00 00  0.0000000  0  1\nG05  21000000.000\n" * 20_000)
    tracemalloc.start()
    count = sum(1 for _ in lines_of(file))
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert count == 4_000_000 and peak < 30 << 20
    assert run("single", file, file).exit_code == 2


def test_verbs_for_files_do_not_wait_for_the_web_application():
    """2026-11-27: `agree` took 4 s of imports."""
    code = (
        "import sys; sys.argv = ['openstake', 'agree', '--help']; from openstake.cli import main\n"
        "try: main()\nexcept SystemExit: pass\n"
        "import json; print(json.dumps([name for name in ('flask', 'sqlalchemy', 'scipy.optimize', 'pyproj', 'waitress') if name in sys.modules]))"
    )
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert json.loads(out.splitlines()[-1]) == []


@pytest.mark.slow
def test_the_help_and_the_start_of_the_program_import_nothing_that_they_do_not_need():
    code = "import sys, runpy; from openstake.cli import main\ntry: main(['--help'])\nexcept SystemExit: pass\n"
    code += "print([name for name in ('numpy', 'sqlalchemy', 'flask', 'pyproj') if name in sys.modules])\n"
    code += "import openstake.app; late = ('scipy', 'alembic', 'cryptography', 'reportlab', 'ezdxf', 'tifffile', 'simplekml', 'astral')\n"
    code += "print([name for name in late if name in sys.modules])"
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert out.splitlines()[-2:] == ["[]", "[]"]


def test_a_log_says_how_many_sentences_could_not_be_read(tmp_path):
    good = sentence_bytes(GGA.format(n=1, height="58.1", age="1"))
    decimal = sentence_bytes("GNGGA,120002.00,53.352387,N,6.262757,W,4,18,0.7,58.1,M,55.4,M,1.0,0017")
    file = tmp_path / "in"
    file.write_bytes(good + decimal * 3)
    found = json.loads(run("log", file, "--json").stdout)
    assert found["epochs"] == 1
    assert next(item for item in found["findings"] if item["code"] == "sentences-unreadable")["numbers"] == {"unreadable": 3}
    file.write_bytes(decimal)
    assert "1 of them with values that cannot be" in run("log", file).output
