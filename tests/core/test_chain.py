"""The chain: each state of each step and link, what goes out of date and what comes back, and the findings that are open.

The rules are facts of the trade (common practice, no source): a plan is not a check, a contradiction is one however mild
its finding is, and a check holds only as long as what it rests on.
"""

from dataclasses import replace

import pytest

from openstake.core.chain import (
    BaseRunning,
    Evidence,
    LinkPlanned,
    MarkChecked,
    Packed,
    PlanOfChecks,
    RoverHeard,
    State,
    SystemSaid,
    open_findings,
    out_of_date,
    state_of_check,
    steps,
    stops_open,
)
from openstake.core.chain_links import LINKS, links
from openstake.core.evidence import Status
from openstake.core.judge.finding import RULES, Severity, finding, ranked
from openstake.core.sigmas import Sigmas

BASE = BaseRunning(
    mark_name="CS1",
    source="Known mark",
    mark_sigma_m=0.005,
    height_text="'1.546 m' and '1.547 m'",
    height_sigma_m=0.0012,
    readings=2,
    station_id=17,
    heard=True,
    coordinate_ids=("b1",),
    height_ids=("h1", "h2"),
)
ROVER = RoverHeard(status=Status.FIXED, age_s=1.2, satellites=24, claim=Sigmas(east_m=0.006, north_m=0.005, up_m=0.011))
NEAR = MarkChecked(
    mark_name="CS2",
    agrees=True,
    stale=False,
    independent=True,
    words="rover 0.004 m high",
    pole_text="2.000 m",
    mark_sigma_m=0.005,
    findings=(),
    rests_on=("s", "m2", "b1", "h1"),
)
FAR = replace(NEAR, mark_name="CS5")
GOOD = Evidence(
    system=SystemSaid(system="ITM", marks=9, findings=(), settings_id="s"),
    kit=Packed(2, 0),
    link=LinkPlanned(base="Base", rovers=("Rover",), apart=(), fits=True),
    base=BASE,
    base_findings=(),
    rover=ROVER,
    checks=(FAR, NEAR),
    plan=PlanOfChecks(State.CHECKED, "2 marks agree, each time"),
)


def said(code, severity=Severity.NOTE):
    return finding(code, severity, f"{code} is said.", "Cause.", "Action.")


def step(evidence, name):
    return next(item for item in steps(evidence) if item.step == name)


def link(evidence, name):
    return next(item for item in links(evidence) if item.name == name)


NOTHING = Evidence(system=SystemSaid(system="ITM", marks=0), kit=Packed(0, 0), link=LinkPlanned(base=None))

STEP_STATES = [
    ("job", replace(GOOD, system=SystemSaid(system="ITM", marks=0)), State.MISSING, "no control list yet"),
    ("job", GOOD, State.ENTERED, "9 marks given"),
    (
        "job",
        replace(GOOD, system=SystemSaid(system="ITM", marks=9, findings=(said("system-outside-area", Severity.STOP),))),
        State.DISAGREES,
        "system-outside-area is said.",
    ),
    (
        "job",
        replace(GOOD, system=SystemSaid(system="ITM", marks=9, findings=(said("system-near-edge", Severity.LOOK),))),
        State.ENTERED,
        "9 marks given",
    ),
    ("kit", NOTHING, State.MISSING, "no profile chosen"),
    ("kit", replace(GOOD, kit=Packed(2, 3)), State.ENTERED, "3 things not ticked off yet"),
    ("kit", GOOD, State.CHECKED, "everything ticked off"),
    ("link", NOTHING, State.MISSING, "no base and rover profiles chosen"),
    ("link", replace(GOOD, link=LinkPlanned(base="Base", rovers=())), State.MISSING, "no base and rover profiles chosen"),
    (
        "link",
        replace(GOOD, link=LinkPlanned(base="Base", rovers=("A", "B"), apart=("B",), fits=True)),
        State.DISAGREES,
        "B: the two ends do not agree",
    ),
    (
        "link",
        replace(GOOD, link=LinkPlanned(base="Base", rovers=("A",), apart=(), fits=False)),
        State.DISAGREES,
        "the stream does not fit the link",
    ),
    ("link", replace(GOOD, link=LinkPlanned(base="Base", rovers=("A",), apart=(), fits=None)), State.ENTERED, "both ends planned alike"),
    ("base", NOTHING, State.MISSING, "no base running"),
    ("base", replace(GOOD, base=replace(BASE, heard=False)), State.ENTERED, "not heard on the air yet"),
    ("base", GOOD, State.CHECKED, "sends what is meant"),
    ("base", replace(GOOD, base_findings=(said("base-autonomous", Severity.LOOK),)), State.CHECKED, "sends what is meant"),
    ("watch", NOTHING, State.MISSING, "no rover position"),
    ("watch", replace(GOOD, rover=RoverHeard(status=Status.NONE)), State.MISSING, "no rover position"),
    ("watch", replace(GOOD, rover=RoverHeard(status=Status.FLOAT)), State.ENTERED, "the rover is float"),
    ("watch", GOOD, State.ENTERED, "fixed, by the receiver's own claim"),
    ("check", NOTHING, State.MISSING, "no mark checked from this base"),
    ("check", GOOD, State.CHECKED, "2 marks agree, each time"),
    ("book", NOTHING, State.ENTERED, "written as it happens"),
]


@pytest.mark.parametrize(("name", "evidence", "state", "why"), STEP_STATES)
def test_each_step_has_the_state_that_its_evidence_gives(name, evidence, state, why):
    assert (step(evidence, name).state, step(evidence, name).why) == (state, why)


def test_a_base_with_another_station_id_on_the_air_is_not_checked():
    """2026-11-27: it said "sends what is meant" while station-id-disagrees stood, as that is no stop."""
    evidence = replace(GOOD, base_findings=(said("station-id-disagrees", Severity.LOOK),))

    assert step(evidence, "base").state is State.DISAGREES
    assert link(evidence, "broadcast").state is State.DISAGREES
    assert step(evidence, "base").why == "station-id-disagrees is said."


@pytest.mark.parametrize("severity", Severity)
@pytest.mark.parametrize("code", [code for code, rule in RULES.items() if rule.differs])
def test_what_is_observed_and_differs_disagrees_however_mild_it_is(code, severity):
    evidence = replace(GOOD, base_findings=(said(code, severity),))

    assert link(evidence, RULES[code].link).state is State.DISAGREES


def test_a_check_that_disagrees_and_is_stale_disagrees():
    assert state_of_check(agrees=False, stale=True) is State.DISAGREES
    assert state_of_check(agrees=True, stale=True) is State.OUT_OF_DATE
    assert state_of_check(agrees=True, stale=False) is State.CHECKED


def test_the_nine_links_stand_in_order_and_without_evidence_none_is_checked():
    assert tuple(item.name for item in links(NOTHING)) == LINKS
    states = {item.name: item.state for item in links(NOTHING)}
    assert states.pop("local grid") is State.ENTERED
    assert set(states.values()) == {State.MISSING}


def test_a_base_mark_is_checked_by_another_mark_and_by_nothing_less():
    assert link(GOOD, "base mark").state is State.CHECKED
    assert link(replace(GOOD, checks=()), "base mark").state is State.ENTERED
    on_itself = replace(NEAR, mark_name="CS1", independent=False)
    assert link(replace(GOOD, checks=(on_itself,)), "base mark").state is State.ENTERED
    assert link(replace(GOOD, checks=(replace(NEAR, stale=True),)), "base mark").state is State.OUT_OF_DATE


def test_a_height_read_once_is_entered_and_read_twice_is_checked():
    assert link(GOOD, "base antenna").state is State.CHECKED
    assert link(replace(GOOD, base=replace(BASE, readings=1)), "base antenna").state is State.ENTERED
    swapped = replace(GOOD, base_findings=(said("digits-swapped", Severity.STOP),))
    assert link(swapped, "base antenna").state is State.DISAGREES


def test_a_claim_is_entered_never_checked():
    for name in ("sky", "rover", "pole"):
        assert link(GOOD, name).state is State.ENTERED
    assert link(GOOD, "rover").sigma_m == 0.006
    assert link(GOOD, "base antenna").rests_on == ("h1", "h2")


def test_a_link_is_checked_by_fresh_corrections_at_the_rover():
    assert link(GOOD, "link").state is State.CHECKED
    assert link(replace(GOOD, rover=replace(ROVER, age_s=12.0)), "link").state is State.ENTERED
    assert link(replace(GOOD, rover=replace(ROVER, age_s=None)), "link").state is State.ENTERED


def test_open_findings_are_those_of_system_link_base_and_newest_checks_worst_first():
    system, planned = said("system-near-edge", Severity.NOTE), said("baud-rates-differ", Severity.LOOK)
    base, check = said("base-autonomous", Severity.LOOK), said("check-height-off", Severity.STOP)
    evidence = replace(
        GOOD,
        system=SystemSaid(system="ITM", marks=9, findings=(system,)),
        link=LinkPlanned(base="B", rovers=("R",), apart=(), fits=True, findings=(planned,)),
        base_findings=(base,),
        checks=(replace(NEAR, agrees=False, findings=(check,)),),
    )

    assert open_findings(evidence) == (check, planned, base, system)
    assert stops_open(evidence) == 1
    assert ranked([system, base, check]) == (check, base, system)


# --- out of date: by the values of what a result rests on ---

VALUES = {"s1": ("ITM",), "s2": ("ITM",), "h1": (1.546,), "h2": (1.646,), "h3": (1.546,), "b1": (1.0, 2.0), "b2": (1.0, 2.5)}


def test_nothing_has_changed():
    assert not out_of_date(["s1", "h1", "b1"], ["b1", "s1", "h1"], VALUES)


@pytest.mark.parametrize("now", [["s1", "h2", "b1"], ["s1", "h1", "b2"], ["s1", "h1", "h3", "b1"], ["s1", "b1"]])
def test_a_corrected_height_a_replaced_coordinate_and_one_reading_more_make_it_out_of_date(now):
    assert out_of_date(["s1", "h1", "b1"], now, VALUES)


def test_an_undo_that_brings_the_value_back_makes_it_right_again():
    assert out_of_date(["s1", "h1", "b1"], ["s1", "h2", "b1"], VALUES)
    assert not out_of_date(["s1", "h1", "b1"], ["s1", "h3", "b1"], VALUES), "h3 says what h1 said"


def test_settings_that_were_renamed_change_nothing():
    assert not out_of_date(["s1", "h1"], ["s2", "h1"], VALUES)


def test_a_row_that_nobody_knows_any_more_is_a_change():
    assert out_of_date(["s1", "gone"], ["s1", "h1"], VALUES)
