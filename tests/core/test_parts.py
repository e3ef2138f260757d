"""The parts of the Base page and the one-line advice: every state of every part (common practice, no source)."""

import re
from dataclasses import replace
from pathlib import Path

import pytest

from openstake.core.advice import ADVICE, record_holds, watch_advice
from openstake.core.base_stages import HeightRead, Looked, RunsNow, SettledSoFar, compared_state, earlier_state, running_parts, setup_parts
from openstake.core.chain import State
from openstake.core.evidence import Status
from openstake.core.judge.base import OnAir
from openstake.core.judge.finding import Severity, finding

DOCS = Path(__file__).parents[2] / "docs"
STOP = finding("heights-disagree", Severity.STOP, "s", "c", "a")
MILD = finding("station-id-disagrees", Severity.LOOK, "s", "c", "a")
ONCE, TWICE = HeightRead("1.546 m", 1, ()), HeightRead("1.546 m", 2, ())
AGREES, OFF = OnAir(0.0, 0.0, 0.0004), OnAir(0.0, 0.0, -0.1)
SO_FAR = SettledSoFar(
    mark_name="CS1",
    mark_check_agrees=None,
    height=TWICE,
    coordinate="Known mark",
    coordinate_findings=(),
    site=Looked(5, 5),
    level=Looked(1, 3),
    station_id=17,
)
RUNS = RunsNow(
    on_air=AGREES,
    findings=(),
    opening=TWICE,
    closing=None,
    height_typed="'1.546 m'",
    coordinate="good to 0.012 m",
    logs=0,
    logging=False,
    listening=("base", "rover"),
    looked=Looked(8, 8),
)


def state(parts, key):
    return next(part.state for part in parts if part.key == key)


SETTING_UP = [
    ("site", {}, State.CHECKED),
    ("site", {"site": Looked(2, 5)}, State.ENTERED),
    ("site", {"site": Looked(0, 5)}, State.MISSING),
    ("mark", {}, State.ENTERED),
    ("mark", {"mark_name": ""}, State.MISSING),
    ("mark", {"mark_check_agrees": True}, State.CHECKED),
    ("mark", {"mark_check_agrees": False}, State.DISAGREES),
    ("height", {}, State.CHECKED),
    ("height", {"height": ONCE}, State.ENTERED),
    ("height", {"height": None}, State.MISSING),
    ("height", {"height": replace(TWICE, findings=(STOP,))}, State.DISAGREES),
    ("coordinate", {}, State.ENTERED),
    ("coordinate", {"coordinate": None}, State.MISSING),
    ("coordinate", {"coordinate_findings": (STOP,)}, State.DISAGREES),
    ("air", {}, State.MISSING),
]


@pytest.mark.parametrize(("key", "change", "expected"), SETTING_UP)
def test_each_part_of_a_set_up_has_its_state(key, change, expected):
    assert state(setup_parts(replace(SO_FAR, **change)), key) is expected


RUNNING = [
    ("air", {}, State.CHECKED),
    ("air", {"on_air": None}, State.MISSING),
    ("air", {"on_air": OFF}, State.DISAGREES),
    ("air", {"findings": (MILD,)}, State.DISAGREES),
    ("height", {"opening": ONCE}, State.ENTERED),
    ("log", {}, State.MISSING),
    ("log", {"logs": 1}, State.ENTERED),
    ("site", {}, State.CHECKED),
    ("end", {}, State.MISSING),
    ("end", {"closing": ONCE}, State.CHECKED),
    ("end", {"closing": replace(ONCE, findings=(STOP,))}, State.DISAGREES),
]


@pytest.mark.parametrize(("key", "change", "expected"), RUNNING)
def test_each_part_of_a_base_that_runs_has_its_state(key, change, expected):
    assert state(running_parts(replace(RUNS, **change)), key) is expected


def test_what_is_on_the_air_is_said_in_millimetres():
    assert running_parts(replace(RUNS, on_air=OFF))[0].summary == "−100.0 mm up"


def test_the_arp_alone_is_meant_heard_or_contradicted():
    assert [compared_state(meant, air) for meant, air in ((False, None), (True, None), (True, AGREES), (True, OFF))] == [
        State.MISSING,
        State.ENTERED,
        State.CHECKED,
        State.DISAGREES,
    ]


def test_a_base_that_ended_was_closed_left_open_or_contradicted():
    assert earlier_state((), None) is State.ENTERED
    assert earlier_state((), ONCE) is State.CHECKED
    assert earlier_state((STOP,), ONCE) is State.DISAGREES


def test_every_advice_is_said_somewhere_and_stands_in_the_documents():
    listed = re.findall(r"^\| `([a-z-]+)` \| [^|]+ \| ([^|]+) \|$", (DOCS / "rules.md").read_text(), flags=re.MULTILINE)

    assert dict(listed) == {code: advice.sentence for code, advice in ADVICE.items()}


def test_advice_follows_the_solution():
    said = [
        watch_advice(*case)
        for case in ((Status.NONE, None), (Status.SINGLE, None), (Status.DGPS, 1.0), (Status.FLOAT, 1.0), (Status.FIXED, 1.0))
    ]

    assert said == [
        ADVICE[code].sentence for code in ("wait-for-position", "no-corrections", "corrections-arrived", "wait-for-fixed", "prove-it")
    ]


def test_a_recording_waits_for_a_mark_and_for_fixed_and_for_nothing_else():
    floating, fixed, nobody = record_holds(Status.FLOAT), record_holds(Status.FIXED), record_holds(None)

    assert floating.without_mark == fixed.without_mark == ADVICE["hold-pick-mark"].sentence
    assert floating.fixed_only == "The rover is float: recording waits until it is fixed."
    assert floating.any_epoch == fixed.fixed_only == fixed.any_epoch == ADVICE["hold-nothing"].sentence
    assert {nobody.without_mark, nobody.fixed_only, nobody.any_epoch} == {ADVICE["hold-not-listening"].sentence}
