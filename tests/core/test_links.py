"""The links: what is due, which is weakest, what to do next, what goes out of date with what; and the morning.

The rules are facts of the trade (common practice, no source).
"""

from dataclasses import replace

import pytest

from openstake.core.budget import Circumstances, budget_of
from openstake.core.chain import FitSaid, PlanOfChecks, PoleSeen, RoverHeard, SkyHeld, State, steps
from openstake.core.chain_links import LINKS, TERM_LINKS, check_next, links, weakest
from openstake.core.evidence import Status
from openstake.core.judge.finding import Severity
from openstake.core.morning import LastTime, morning_of
from tests.core.test_chain import BASE, FAR, GOOD, NEAR, NOTHING, ROVER, link, said

AGREED = (said("initialisations-agree"),)
SEEN = SkyHeld(agrees=True, holds=True, words="25 of 26 satellites expected at both ends are sent and used.")
WHOLE = replace(
    GOOD,
    pole=PoleSeen(True, False, "The rod: no lean seen."),
    rover_findings=AGREED,
    sky=SEEN,
    fit=FitSaid(marks=6, measured=6, solved=True, applied=True, changed=False, proven=True, words="6 marks agree to 0.009 m"),
)


def test_with_every_kind_of_evidence_all_are_checked_and_nothing_is_due():
    made = links(WHOLE)
    assert {item.state for item in made} == {State.CHECKED} and not any(item.due for item in made)
    assert check_next(WHOLE, made) is None


def test_a_sky_is_checked_by_what_is_seen_and_out_of_date_where_it_is_another_one():
    unseen = replace(WHOLE, sky=None)
    assert link(unseen, "sky").state is State.ENTERED and check_next(unseen, links(unseen)).page == "sky?view=seen"
    assert link(replace(WHOLE, sky=replace(SEEN, holds=False)), "sky").state is State.OUT_OF_DATE
    less = replace(WHOLE, sky=replace(SEEN, agrees=False, findings=(said("sky-not-as-expected", Severity.LOOK),)))
    assert link(less, "sky").state is State.DISAGREES
    assert {item.step: item.state for item in steps(less)}["sky"] is State.DISAGREES
    assert {item.step: item.state for item in steps(NOTHING)}["sky"] is State.ENTERED


def test_a_base_whose_level_nobody_looked_at_is_entered_however_often_it_was_read():
    unlooked = link(replace(WHOLE, base=replace(BASE, level_left=2)), "base antenna")
    assert (unlooked.state, unlooked.due.page) == (State.ENTERED, "base")
    assert "level" in unlooked.why


def test_a_pole_is_checked_by_turning_it_and_by_the_heights_of_other_marks():
    assert link(replace(WHOLE, pole=PoleSeen()), "pole").state is State.ENTERED
    assert link(replace(WHOLE, checks=(replace(NEAR, stale=True),)), "pole").state is State.OUT_OF_DATE
    leaning = replace(WHOLE, plan=replace(WHOLE.plan, findings=(said("pole-leans", Severity.LOOK),)))
    assert link(leaning, "pole").state is State.DISAGREES


def test_two_initialisations_that_agree_check_a_fix_and_one_that_disagrees_contradicts_it():
    assert link(WHOLE, "rover").state is State.CHECKED
    assert link(replace(WHOLE, rover=RoverHeard(status=Status.FLOAT)), "rover").state is State.ENTERED
    apart = replace(WHOLE, rover_findings=(said("initialisations-disagree", Severity.LOOK),))
    assert link(apart, "rover").state is State.DISAGREES


def test_what_two_crews_replaced_is_settled_in_the_book_whatever_link_it_is_of():
    differ = replace(WHOLE, crews=(said("crews-differ-mark", Severity.STOP),))
    found = link(differ, "control")
    assert (found.state, found.due.press, found.due.page) == (State.DISAGREES, "Book", "book")
    assert found.seen[0].page == "book" and check_next(differ, links(differ)).page == "book"


def test_a_local_grid_half_measured_waits_for_what_proves_more():
    begun = replace(WHOLE, base=replace(BASE, readings=1), fit=FitSaid(marks=5, measured=1))
    made = links(begun)
    assert link(begun, "local grid").state is State.ENTERED
    assert check_next(begun, made).page == "base"


@pytest.mark.parametrize(
    ("evidence", "name", "page"),
    [
        (replace(NOTHING, system=replace(NOTHING.system, marks=9)), "base antenna", "base"),
        (replace(WHOLE, base=replace(BASE, readings=1)), "base antenna", "base"),
        (replace(WHOLE, base=replace(BASE, heard=False)), "broadcast", "base"),
        (replace(WHOLE, checks=(), plan=PlanOfChecks(State.MISSING, "no mark checked")), "control", "check?view=plan"),
        (replace(WHOLE, pole=PoleSeen()), "pole", "check?view=pole"),
        (replace(WHOLE, rover_findings=()), "rover", "watch"),
        (replace(WHOLE, base_findings=(said("digits-swapped", Severity.STOP),)), "base antenna", "base"),
    ],
)
def test_what_is_next_is_what_is_worst_and_proves_most(evidence, name, page):
    made = links(evidence)
    found = check_next(evidence, made)
    assert found.page == page
    assert found == next(item.due for item in made if item.name == name)


def test_without_a_control_list_that_is_next():
    assert check_next(NOTHING, links(NOTHING)).page == "job"


def test_the_weakest_link_goes_by_its_state_and_then_by_its_share_of_the_budget():
    disagrees = replace(WHOLE, base_findings=(said("digits-swapped", Severity.STOP),))
    assert weakest(links(disagrees)).name == "base antenna"
    entered = replace(WHOLE, pole=PoleSeen(), rover_findings=())
    terms = budget_of(Circumstances(baseline_m=5000.0)).terms
    variances = [(TERM_LINKS[term.name], term.horizontal_m**2 + term.vertical_m**2) for term in terms]
    assert weakest(links(entered), variances).name == "rover", "vector and multipath are most of it"
    assert set(TERM_LINKS.values()) <= set(LINKS)


def test_what_disagrees_has_its_findings_as_evidence_and_their_action_as_next():
    found = said("digits-swapped", Severity.STOP)
    seen = link(replace(WHOLE, base_findings=(found,)), "base antenna")
    assert seen.seen[0].words == found.sentence and seen.due.words == found.action


# --- what goes out of date with what ---

# For every kind of correction the links that rest on it; a check of another mark proves base mark, pole and control at once.
RESTS = {
    "a check has gone stale": (
        {"base mark", "pole", "control"},
        replace(
            WHOLE,
            checks=tuple(replace(item, stale=True) for item in (FAR, NEAR)),
            plan=PlanOfChecks(State.OUT_OF_DATE, "the base's height was corrected"),
        ),
    ),
    "what the fit rests on has changed": ({"local grid"}, replace(WHOLE, fit=replace(WHOLE.fit, changed=True))),
}


@pytest.mark.parametrize("what", RESTS)
def test_exactly_the_links_that_depend_on_a_correction_go_out_of_date(what):
    expected, evidence = RESTS[what]
    before = {item.name: item.state for item in links(WHOLE)}
    after = {item.name: item.state for item in links(evidence)}

    assert {name for name in LINKS if after[name] is State.OUT_OF_DATE} == expected
    assert {name for name in LINKS if after[name] is not before[name]} == expected


# --- the morning ---

LAST = LastTime(
    mark="CS1",
    source="Known mark",
    autonomous=False,
    day="26 November",
    height_text="'1.546 m'",
    checked=(("CS2", State.CHECKED),),
    near="CS2",
    far="CS8",
)


def test_in_the_morning_the_coordinate_holds_and_the_height_does_not():
    found = morning_of(LAST, FitSaid())
    states = [(item.what.split(",")[0], item.state) for item in found.items]

    assert states[0] == ("Set up over CS1 again", State.CHECKED)
    assert states[1][1] is State.MISSING and "never stands as high again" in found.items[1].why
    assert [item.press for item in found.items][-2:] == ["Check CS2", "Check CS8"]
    assert found.items[-2].state is State.OUT_OF_DATE and found.items[-1].state is State.MISSING
    assert found.minutes == sum(item.minutes for item in found.items) > 20.0


def test_an_autonomous_base_comes_back_by_name_or_the_site_moves():
    found = morning_of(replace(LAST, autonomous=True, checked=()), WHOLE.fit)
    assert found.items[0].state is State.OUT_OF_DATE and "moves the site by metres" in found.items[0].why
    assert found.items[-1].state is State.OUT_OF_DATE, "so does the fit that took its metres up"
    assert morning_of(LAST, WHOLE.fit).items[-1].state is State.CHECKED


def test_what_disagreed_or_was_corrected_afterwards_is_not_told_as_never_checked():
    corrected = morning_of(replace(LAST, checked=(("CS2", State.OUT_OF_DATE), ("CS8", State.DISAGREES))), FitSaid())
    assert corrected.items[0].state is State.OUT_OF_DATE and "corrected after" in corrected.items[0].why
    assert [item.state for item in corrected.items[-2:]] == [State.OUT_OF_DATE, State.DISAGREES]
    against = morning_of(replace(LAST, checked=(("CS8", State.DISAGREES),)), FitSaid()).items[0]
    assert against.state is State.DISAGREES and "Find out why before work starts" in against.why


def test_a_rover_that_is_not_heard_leaves_its_links_missing_and_never_green():
    silent = replace(WHOLE, rover=None)
    assert [link(silent, name).state for name in ("sky", "rover")] == [State.MISSING, State.MISSING]
    assert link(replace(WHOLE, rover=replace(ROVER, age_s=None)), "link").state is State.ENTERED
