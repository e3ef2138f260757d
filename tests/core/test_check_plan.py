"""The plan of checks and the verdicts.  What is asked of a crew is common practice, no source, where nothing else is named."""

from dataclasses import replace

import pytest

from openstake.core.chain import State
from openstake.core.check_plan import Candidate, Change, CheckDone, CheckSettings, checked_settings, plan_now, plan_of_marks
from openstake.core.errors import InputError
from openstake.core.judge.finding import Severity, finding
from openstake.core.judge.verdict import Verdict, Word, verdict_of_check, verdict_of_job

BASE = (1000.0, 1000.0)
MARKS = (
    Candidate(mark_id="a", name="A", east_m=1040.0, north_m=1000.0, has_height=True),
    Candidate(mark_id="b", name="B", east_m=1000.0, north_m=1600.0, has_height=False),
    Candidate(mark_id="c", name="C", east_m=2500.0, north_m=1000.0, has_height=True),
    Candidate(mark_id="d", name="D", east_m=1900.0, north_m=1900.0, has_height=True),
    Candidate(mark_id="x", name="X", east_m=40_000.0, north_m=1000.0, has_height=True),
)
USUAL = CheckSettings()
T0 = 1_000_000.0
HOUR = 3600.0


def names(planned, role):
    return {mark.mark_name for mark in planned if role in mark.roles}


def test_near_and_far_and_benchmarks_spread_over_the_site_are_proposed():
    planned = plan_of_marks(BASE, MARKS, USUAL)

    assert (names(planned, "near"), names(planned, "far")) == ({"A"}, {"C"}), "X lies on another site"
    # A, C and D have heights and surround the site; B has none.
    assert names(planned, "height") == {"A", "C", "D"}
    assert [mark.mark_name for mark in planned] == ["A", "D", "C"], "in the order of the walk"
    assert planned[-1].why == "1500 m from the base: far, height"


def test_a_crew_may_choose_other_marks_and_a_name_that_is_none_is_refused():
    planned = plan_of_marks(BASE, MARKS, replace(USUAL, near="B", far="D", benchmarks=("A",)))

    assert (names(planned, "near"), names(planned, "far"), names(planned, "height")) == ({"B"}, {"D"}, {"A"})
    with pytest.raises(InputError, match="Q cannot be checked"):
        plan_of_marks(BASE, MARKS, replace(USUAL, far="Q"))


def check(mark, at_s, initialised_s=0.0, **more):
    values = {"agrees": True, "stale": False, "counts": True, "height_compared": True} | more
    return CheckDone(shot_id=f"{mark}{at_s}", mark_id=mark, mark_name=mark.upper(), at_s=at_s, initialised_s=initialised_s, **values)


TWO = plan_of_marks(BASE, (MARKS[0], MARKS[2]), USUAL)
# Each mark measured, again after a new initialisation at once, and after half an hour.
ALL = [check(mark, T0 + n * 1900.0, initialised_s=float(n)) for n in (0, 1) for mark in ("a", "c")]


def now(done, changes=(), at_s=T0 + 2000.0, settings=USUAL, planned=TWO):
    return plan_now(planned, done, changes, settings, at_s)


def test_one_near_mark_does_not_fulfil_the_plan():
    plan = now([check("a", T0)])

    assert plan.state is State.ENTERED and not plan.fulfilled
    assert (plan.next.mark_name, plan.next.task) == ("C", "measure")


def test_every_mark_measured_anew_and_later_fulfils_the_plan():
    plan = now(ALL)

    assert (plan.state, plan.fulfilled, plan.next) == (State.CHECKED, True, None)
    assert plan.why == "2 marks agree, each time"


@pytest.mark.parametrize(
    ("done", "task"),
    [
        ([replace(one, initialised_s=None) for one in ALL], "initialise anew"),
        ([replace(one, initialised_s=5.0) for one in ALL], "initialise anew"),
        ([replace(one, at_s=T0 + n) for n, one in enumerate(ALL)], "come back"),
        ([replace(one, counts=False) for one in ALL], "measure"),
        ([replace(one, height_compared=False) for one in ALL], "measure"),
    ],
    ids=["the epochs do not show the loss", "the fix held", "too soon", "from a virtual base", "heights not compared"],
)
def test_what_does_not_count_leaves_the_plan_open(done, task):
    plan = now(done)

    assert not plan.fulfilled and plan.state is State.ENTERED
    assert plan.next.task == task


def test_coming_back_too_early_is_told_in_minutes():
    plan = now([check(mark, T0 + n, initialised_s=float(n)) for n in (0, 1) for mark in ("a", "c")], at_s=T0 + 600.0)

    assert plan.next.wait_s == pytest.approx(1200.0)
    assert "Come back to A in 20 min" in plan.next.words
    assert now(ALL[:2] + [check(m, T0 + 1, 9.0) for m in "ac"], settings=replace(USUAL, come_back_min=0.0)).fulfilled


@pytest.mark.parametrize(
    ("changes", "at_s", "words"),
    [
        ((), T0 + 1900.0 + 2.1 * HOUR, "due again: the last check is 2.1 h old"),
        ((Change(T0 + 1950.0, "a battery was changed"),), T0 + 2000.0, "due again: a battery was changed: no check since"),
        ((Change(T0 + 100.0, "a battery was changed"),), T0 + 2000.0, "2 marks agree, each time"),
    ],
)
def test_all_is_due_again_after_two_hours_and_after_a_change_at_the_base(changes, at_s, words):
    plan = now(ALL, changes, at_s)

    assert plan.why == words
    assert (plan.state is State.CHECKED) == (not words.startswith("due"))
    again = now([*ALL, check("a", at_s + 60.0, 7.0)], changes, at_s + 61.0)
    assert again.state is State.CHECKED, "one check of a mark makes it right again"


def test_a_check_that_disagrees_is_told_first_and_takes_two_that_agree_to_go_away():
    bad = [*ALL, check("a", T0 + 1950.0, 3.0, agrees=False)]
    assert now(bad).state is State.DISAGREES
    assert now(bad).next.words == "Find out why A disagrees, then measure it again."

    once = now([*bad, check("a", T0 + 1960.0, 4.0)])
    assert once.state is State.ENTERED and once.next.task == "initialise anew"
    beside = now([*ALL, check("d", T0 + 1950.0, 3.0, agrees=False)])
    assert (beside.state, beside.why) == (State.DISAGREES, "D outside tolerance"), "a mark beside the plan counts as well"


def test_what_changed_since_a_check_puts_it_out_of_date():
    """2026-11-27: it said "2 marks within tolerance" until every check was stale."""
    plan = now([*ALL[:-1], replace(ALL[-1], stale=True)])

    assert (plan.state, plan.why) == (State.OUT_OF_DATE, "something changed since the check of C: measure again")
    reseated_on = check("d", T0 + 1.0, stale=True, counts=False)
    assert now([*ALL, reseated_on]).fulfilled, "a mark that proves nothing need not be measured again"


@pytest.mark.parametrize(
    ("candidates", "words"),
    [
        ((), "No mark of the list"),
        (MARKS[:1], "one mark to check"),
        ((replace(MARKS[0], has_height=False), MARKS[1]), "heights stay unproven"),
    ],
)
def test_a_list_that_cannot_prove_a_site_never_gives_a_go(candidates, words):
    planned = plan_of_marks(BASE, candidates, USUAL)
    done = [check(mark.mark_id, T0 + n * 1900.0, float(n)) for n in (0, 1) for mark in planned]
    plan = now(done, planned=planned)

    assert words in plan.lacks and not plan.fulfilled
    assert verdict_of_job(plan, [("A", Verdict(Word.GO, ()))] * len(planned)).word is not Word.GO


def test_a_mark_that_was_not_checked_is_a_stop_and_a_plan_that_is_open_asks_for_care():
    go = ("A", Verdict(Word.GO, ()))
    assert verdict_of_job(now([]), []).word is Word.STOP
    assert verdict_of_job(now([check("a", T0)]), [go]).word is Word.CARE
    assert verdict_of_job(now(ALL), [go, go]).word is Word.GO
    stop = Verdict(Word.STOP, ("It is off.",))
    assert verdict_of_job(now(ALL), [("B", stop), go]) == Verdict(Word.STOP, ("B: It is off.",))
    assert verdict_of_job(now(ALL), [go], [said("cause-sinking", Severity.STOP)]).word is Word.STOP


def said(code, severity):
    return finding(code, severity, f"{code} is said.", "Cause.", "Action.")


@pytest.mark.parametrize(
    ("found", "stale", "word"),
    [
        ([("check-within-tolerance", Severity.NOTE)], False, Word.GO),
        ([("check-within-tolerance", Severity.NOTE)], True, Word.CARE),
        ([("check-within-tolerance", Severity.NOTE), ("repeats-differ", Severity.LOOK)], False, Word.CARE),
        ([("check-within-tolerance", Severity.NOTE), ("shot-too-short", Severity.NOTE)], False, Word.CARE),
        ([("check-within-tolerance", Severity.NOTE), ("repeats-agree", Severity.NOTE)], False, Word.GO),
        ([("check-height-off", Severity.STOP)], True, Word.STOP),
    ],
)
def test_a_verdict_on_a_check_follows_its_findings(found, stale, word):
    verdict = verdict_of_check([said(*item) for item in found], stale)

    assert verdict.word is word and verdict.reasons


def test_settings_that_cannot_be_used_are_refused():
    with pytest.raises(InputError, match="at least one"):
        checked_settings(replace(USUAL, tolerances=()))
    with pytest.raises(InputError, match="twice"):
        checked_settings(replace(USUAL, tolerances=USUAL.tolerances * 2))
    with pytest.raises(InputError, match="not a tolerance of this job"):
        USUAL.tolerance_set("roads")
    # Limits of common practice: 10 to 20 mm and 20 to 30 mm for control, more for topography.
    control = USUAL.tolerance_set("control")
    assert 0.010 <= control.horizontal_m <= 0.020 and 0.020 <= control.vertical_m <= 0.030 and control.origin


def test_two_benchmarks_that_surround_the_site_need_no_third_beside_one_of_them():
    """Heights are spread over the site (common practice, no source): a neighbour of one that is planned adds nothing."""
    planned = plan_of_marks(
        BASE, (MARKS[0], MARKS[2], Candidate(mark_id="e", name="E", east_m=2480.0, north_m=1010.0, has_height=True)), USUAL
    )

    assert names(planned, "height") == {"A", "C"}


def test_a_plan_that_is_done_and_lacks_the_far_end_says_that():
    alone = plan_of_marks(BASE, MARKS[:1], USUAL)
    plan = now([check("a", T0 + n * 1900.0, initialised_s=float(n)) for n in (0, 1)], planned=alone)

    assert plan.state is State.ENTERED and not plan.fulfilled
    assert plan.why == "the list has one mark to check: nothing proves the far end of the job"
