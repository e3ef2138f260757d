"""Every reader and every door survives what nobody meant to send: an answer or a sentence, never a traceback or a 500."""

import json
import random
import warnings

import pytest
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st

from openstake.cli import VERBS, main
from tests.fuzz.doors import Dice, send
from tests.fuzz.targets import SLOW, TARGETS, any_bytes, mutated, run
from tests.repeats import repeats

ROUNDS = 150
SEED = 20_261_127


@pytest.mark.parametrize("name", TARGETS)
def test_a_reader_answers_good_input_with_a_few_things_wrong(name):
    target, good = TARGETS[name]
    dice = random.Random(f"{SEED} {name}")
    for whole in good:
        run(target, whole)
    for n in range(max(ROUNDS // SLOW.get(name, 1), 10)):
        run(target, any_bytes(dice) if n % 4 == 0 else mutated(dice.choice(good), dice))


@pytest.mark.parametrize("name", [name for name in TARGETS if SLOW.get(name, 1) < 50])
@settings(max_examples=repeats(60, 5), derandomize=True, deadline=None, database=None)
@given(data=st.binary(max_size=600))
def test_a_reader_answers_any_bytes(name, data):
    run(TARGETS[name][0], data)


FILES = {
    "stream": ("rtcm", ["--json"]),
    "log": ("nmea", ["--json"]),
    "occupation": ("nmea", ["--json"]),
    "profile check": ("profile", []),
    "single": ("observations", []),
    "rinex": ("rtcm", []),
    "agree": ("agree", ["--json"]),
    "iso17123": ("field test", ["--json"]),
    "fit": ("fit", ["--json"]),
    "unpack": ("package", ["--json"]),
    "sky": ("navigation", ["--json"]),
}
_SKY = ["--at", "53.3,-6.2", "--from", "2024-01-10T01:00Z", "--hours", "1", "--step", "600"]


@pytest.mark.parametrize("verb", FILES)
def test_a_verb_ends_with_a_sentence_whatever_its_file_holds(verb, tmp_path):
    name, more = FILES[verb]
    _, good = TARGETS[name]
    dice = random.Random(f"{SEED} {verb}")
    file, other = tmp_path / "in", tmp_path / "other"
    second = {"single": TARGETS["navigation"][1][0], "agree": TARGETS["agree"][1][0]}.get(verb)
    for n in range(30):
        file.write_bytes(any_bytes(dice) if n % 4 == 0 else mutated(dice.choice(good), dice))
        files = [str(file)]
        if second is not None:
            other.write_bytes(mutated(second, dice) if n % 2 else second)
            files.append(str(other))
        elif verb == "sky":
            files = [*_SKY, "--nav", str(file)]
        elif verb == "unpack":
            files += ["--data", str(tmp_path / "data")]
        elif verb == "rinex":
            files += [str(tmp_path / "out"), "--date", "2026-11-25"]
        with warnings.catch_warnings():
            warnings.simplefilter("error", RuntimeWarning)  # NumPy's: a number that is none is on its way
            result = CliRunner().invoke(main, [*verb.split(), *files, *(more if n % 3 else [])])
        assert result.exception is None or isinstance(result.exception, SystemExit), (result.exception, file.read_bytes()[:300])
        assert result.exit_code in (0, 2) and "cannot be worked with" not in result.output, result.output
        assert result.exit_code == 2 or "nan" not in result.output.lower()


def test_every_verb_that_reads_a_file_is_thrown_at():
    without = {
        "airload",
        "backup",
        "book",
        "budget",
        "demo",
        "height",
        "length",
        "listen",
        "package",
        "reseat",
        "report",
        "restore",
        "serve",
        "standin",
    }
    assert {verb.split()[0] for verb in FILES} == set(VERBS) - without


@pytest.mark.slow
def test_no_request_is_answered_by_a_500(shared_office):
    app = shared_office.program.app
    with app.app_context():
        document = app.extensions["spec"].spec
    job = shared_office.job()
    ids = {"job_id": job, "mark_id": shared_office.mark(job, "CS1"), "kind": "csv"}
    dice, client = Dice(document, SEED, ids), app.test_client()
    for _ in range(400):
        asked, status, said = send(client, document, dice)
        assert status < 500 or status in (502, 507), (asked, said)
        if said.startswith(("{", "[")):
            json.loads(said, parse_constant=pytest.fail)
