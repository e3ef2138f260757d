"""Findings: each provoked by hand-made evidence, worked from the trade's rules; and the list of codes kept whole."""

import re
from pathlib import Path

import pytest

from openstake.core.antenna import MeasuredTo, TypedReading
from openstake.core.control import Difference, Expected, in_words
from openstake.core.equality import Equality
from openstake.core.evidence import Epoch, ObservableSet, StationReference
from openstake.core.judge.check import CheckEvidence, OtherCheck, Repeat, judge_check
from openstake.core.judge.finding import RULES, Severity, finding
from openstake.core.judge.rover import judge_rover
from openstake.core.judge.stream import judge_stream
from openstake.core.limits import Tolerance

ROOT = Path(__file__).parent.parent.parent
ARP = (3_800_000.0, -413_000.0, 5_090_000.0)


def codes(findings):
    return [item.code for item in findings]


def size(constellation, form="MSM4"):
    return ObservableSet(constellation=constellation, form=form, satellites=8, cells=16, time_s=0.0)


ALL_FOUR = [size(name) for name in ("GPS", "GLONASS", "Galileo", "BeiDou")]
STATION = StationReference(station_id=17, antenna_height_m=1.6, virtual=False, **dict(zip(("x_m", "y_m", "z_m"), ARP, strict=True)))


@pytest.mark.parametrize(
    ("observables", "numbers", "stations", "bad", "expected"),
    [
        (ALL_FOUR, {1074, 1230}, [STATION], 0, []),
        (ALL_FOUR, {1074}, [STATION], 0, ["no-glonass-biases"]),
        (ALL_FOUR[:1], {1074}, [STATION], 0, ["constellation-missing"]),
        (ALL_FOUR, {1230}, [], 0, ["no-station-position"]),
        (ALL_FOUR, {1230}, [STATION], 3, ["damaged-frames"]),
        ([size("GPS", "legacy")], {1004}, [STATION], 0, ["legacy-only", "constellation-missing"]),
        ([], {1006}, [STATION], 0, ["no-observables"]),
    ],
)
def test_a_stream_is_judged_by_what_it_lacks(observables, numbers, stations, bad, expected):
    assert codes(judge_stream(observables, numbers, stations, {17}, 100, bad)) == expected


def epoch(station_id, age_s):
    return Epoch(
        time_of_day_s=0.0,
        date=None,
        quality=4,
        latitude_text="",
        longitude_text="",
        latitude_deg=53.0,
        longitude_deg=-6.0,
        altitude_m=60.0,
        separation_m=0.0,
        satellites=20,
        hdop=1.0,
        age_s=age_s,
        station_id=station_id,
    )


@pytest.mark.parametrize(
    ("given", "meant", "expected"),
    [
        (epoch(17, 1.0), 17, []),
        (epoch(18, 1.0), 17, ["rover-hears-another-base"]),
        (epoch(None, 1.0), 17, []),
        (epoch(976, 1.0), 2000, []),
        (epoch(17, 11.0), 17, ["correction-age-high"]),
    ],
)
def test_a_rover_on_another_base_or_on_old_corrections_is_said(given, meant, expected):
    assert codes(judge_rover(given, meant)) == expected


BOTTOM = MeasuredTo(name="bottom", label="Bottom of mount", method="vertical")


def evidence(east=0.0, north=0.0, up=0.0, rover="rod", others=(), known=True, **more):
    usual = {"seconds": 60.0, "not_fixed": 0, "epochs": 60, "virtual": False, "mark": "CS2"} | more
    return CheckEvidence(
        base_mark="CS1",
        difference=Difference(east, north, up),
        tolerance=Tolerance(0.02, 0.03),
        expected=Expected(0.018, 0.024),
        base_readings=[TypedReading(text="1.646", reading_m=1.646, to=BOTTOM)],
        base_arp_height_m=1.646,
        rover_reading=TypedReading(text="2.000 m", reading_m=2.0, to=MeasuredTo(name="pole", label="Rod", method=rover)),
        base_known=known,
        others=others,
        **usual,
    )


def repeat(anew, chance, too_short=False):
    return Repeat(difference=Difference(0.01, 0.0, 0.01), apart_s=1200.0, anew=anew, equality=Equality(chance, too_short))


ROD = "'2.000 m' to rod"


def other(mark, up, within, pole=ROD):
    return OtherCheck(mark=mark, difference=Difference(0.0, 0.0, up), within=within, pole=pole)


@pytest.mark.parametrize(
    ("given", "code", "words"),
    [
        (evidence(up=0.02), "check-within-tolerance", "chain from base to pole holds"),
        (evidence(up=0.1), "check-height-off", "base height was typed 0.100 m too large"),
        (evidence(up=-0.1), "check-height-off", "base height was typed 0.100 m too small"),
        # A swap of neighbours is 9 × a power of ten × a digit: 1.646 for 1.466 is 0.180 m (common practice).
        (evidence(up=0.172), "check-height-off", "1.474 m would fit; '1.466' does, two digits exchanged"),
        (evidence(up=0.14), "check-height-off", "1.506 m would fit);"),
        (evidence(up=0.1, rover="vertical"), "check-height-off", "so the rover height '2.000 m' is 0.100 m too small"),
        (evidence(up=0.1, others=[other("CS3", 0.1, False)]), "check-height-off", "the same on CS3"),
        # What changed is the pole: two that agree were measured with another one, and obeying "base" would move every point.
        (
            evidence(up=0.2, others=[other("CS3", 0.2, False), other("CS4", 0.0, True, "'1.800 m' to pole")]),
            "check-height-off",
            "CS2, CS3 were measured with '2.000 m'",
        ),
        (evidence(up=0.2, others=[other("CS4", 0.0, True, "'1.800 m' to pole")]), "check-height-off", "and not the base's"),
        (evidence(up=0.1, others=[other("CS3", 0.0, True)]), "check-height-off", "height of CS2 in the control list"),
        (evidence(east=0.05), "check-horizontal-off", "leans"),
        (evidence(east=9.0), "check-horizontal-off", "another mark"),
        (evidence(east=3.0, known=False), "check-horizontal-off", "autonomous"),
        (evidence(east=60.0, up=1.0), "check-outside-tolerance", "does not stand on CS1"),
        (evidence(east=2.0, up=3.0, known=False), "check-outside-tolerance", "autonomous"),
        (evidence(east=0.1, up=0.1), "check-outside-tolerance", "false fix"),
    ],
)
def test_a_check_names_its_likely_cause(given, code, words):
    found = judge_check(given)[0]

    assert found.code == code
    assert words in found.cause


@pytest.mark.parametrize(
    ("given", "code"),
    [
        (evidence(up=None), "check-height-not-compared"),
        (evidence(mark="CS1"), "check-on-base-mark"),
        (evidence(seated_on=True), "check-on-seat-mark"),
        (evidence(before=repeat(True, 0.0002)), "repeats-differ"),
        (evidence(before=repeat(True, 0.6)), "repeats-agree"),
        (evidence(before=repeat(True, 0.6, too_short=True)), "repeats-too-short"),
        (evidence(before=repeat(True, 0.0002, too_short=True)), "repeats-differ"),
        (evidence(before=repeat(False, 0.6)), "repeat-not-independent"),
        (evidence(before=repeat(None, 0.6)), "repeat-not-independent"),
        (evidence(beyond_expected=(False, True), up=0.028), "check-beyond-expected"),
        (evidence(not_fixed=3), "check-not-fixed"),
        (evidence(seconds=5.0), "shot-too-short"),
        (evidence(virtual=True), "virtual-base-shot"),
    ],
)
def test_what_weakens_a_check_is_said(given, code):
    assert code in codes(judge_check(given)[1:])


def test_a_foot_job_is_told_in_feet():
    # 0.1 m = 0.33 ft, 0.03 m = 0.10 ft in both feet (NIST SP 811).
    found = judge_check(evidence(up=0.1, unit="sft"))[0]

    assert "0.33 ft high (limit 0.10 ft)" in found.sentence and " m " not in found.sentence
    assert in_words(Difference(0.0, -0.1, 0.1), "ft") == "rover 0.33 ft high, 0.00 ft east, 0.33 ft south"


def test_differences_are_said_in_words():
    assert in_words(Difference(0.004, -0.002, 0.1)) == "rover 0.100 m high, 0.004 m east, 0.002 m south"
    assert in_words(Difference(-0.004, 0.002, None)) == "rover 0.004 m west, 0.002 m north"


def test_every_rule_is_in_the_list_and_every_listed_rule_is_used():
    """docs/rules.md names every code once; no code is listed that nothing says."""
    text = (ROOT / "docs" / "rules.md").read_text().partition("## Advice")[0]
    listed = re.findall(r"^\| `([a-z0-9-]+)` \|", text, re.MULTILINE)
    folders = (ROOT / "src/openstake/core/judge", ROOT / "src/openstake/core/link")
    sources = "".join(path.read_text() for folder in folders for path in folder.glob("*.py") if path.name != "finding.py")

    assert sorted(listed) == sorted(RULES)
    assert [code for code in RULES if f'"{code}"' not in sources] == []


def test_an_unknown_code_is_a_broken_program():
    with pytest.raises(KeyError):
        finding("no-such-code", Severity.NOTE, "", "", "")
