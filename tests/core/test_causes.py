"""The cause-finder: seeded days with one mistake each (truth known), and facts of the trade said in words with their numbers."""

import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from openstake.core.antenna import MeasuredTo, TypedReading, pole_words
from openstake.core.causes import CAUSES, LOOK_ALIKE, CheckSeen, Place, SiteSeen, causes_of
from openstake.core.judge.cause import HeightsSeen, judge_causes, named_heights, named_poles
from tests.core.cases import MISTAKES, day_of
from tests.repeats import PART, repeats

ROOT = Path(__file__).parents[2]
BASE = Place(name="CS1", east_m=703_412.361, north_m=629_805.118, height_m=21.484)
MARKS = (
    BASE,
    Place(name="CS2", east_m=703_478.902, north_m=629_861.447, height_m=22.911),
    Place(name="CS5", east_m=704_050.0, north_m=630_470.0, height_m=25.3),
    Place(name="CS7", east_m=703_100.0, north_m=631_200.0, height_m=19.8),
)
SITE = SiteSeen(base=BASE, base_sigma_m=(0.005, 0.008), heights=(), marks=MARKS)


def check(mark, off, at_h=1.0):
    return CheckSeen(
        mark=mark.name,
        east_m=mark.east_m,
        north_m=mark.north_m,
        off_m=off,
        sigma_m=(0.006, 0.006, 0.010),
        mark_sigma_m=(0.005, 0.008),
        at_h=at_h,
    )


def day(*offs):
    """One check on each of three marks, an hour apart, observed − known."""
    return [check(mark, off, 0.5 + n) for n, (mark, off) in enumerate(zip(MARKS[1:], offs, strict=True))]


def said(checks, site=SITE, **more):
    found = judge_causes(checks, site, **more)
    return found[0] if found else None


def test_the_right_cause_comes_first_in_95_of_100():
    """Of seeded days of each cause."""
    days = repeats(50)
    for cause in CAUSES:
        found = [causes_of(*day_of(cause, seed)) for seed in range(days)]
        judged = [item.first.cause == cause for item in found if not item.alike]
        # Of a handful one may be wrong.
        assert len(judged) - sum(judged) <= max(1.0, 0.05 * len(judged)), cause


@pytest.mark.skipif(PART <= 1.0, reason="two hundred days of each cause: `make prove`")
def test_the_page_says_what_the_cause_finder_does():
    sys.path.insert(0, str(ROOT / "scripts"))
    import causes as page  # scripts/causes.py

    def shares(text):
        rows = [line.split(" | ") for line in text.splitlines() if " % of " in line]
        return {row[0].strip("| "): float(row[1].split()[0]) for row in rows}

    now, written = shares(page.page()), shares((ROOT / "docs" / "causes.md").read_text())

    assert set(now) == set(CAUSES) == set(MISTAKES)
    assert min(now.values()) >= 95.0, now
    # Where a score is a tie, the last digits of another machine may decide it.
    assert now == pytest.approx(written, abs=2.0), "make it anew with scripts/causes.py"


@pytest.mark.slow
def test_a_day_of_each_mistake_is_told():
    """The quick half of the above: of ten days each, nine at least."""
    for cause in CAUSES:
        right = 0
        for seed in range(1000, 1010):
            found = causes_of(*day_of(cause, seed))
            right += cause in (found.first.cause, *(found.alike if found.alike else ()))
        assert right >= 9, cause


def test_pairs_that_look_alike_name_causes_that_there_are():
    assert all(len(pair) == 2 and pair <= set(CAUSES) and why.endswith(".") for pair, why in LOOK_ALIKE.items())


def test_checks_that_agree_say_nothing_and_one_mark_alone_says_nothing():
    assert said(day((0.004, -0.003, 0.006), (-0.006, 0.002, -0.011), (0.002, 0.007, 0.004))) is None
    assert said([check(MARKS[1], (0.0, 0.0, 0.3), hour) for hour in (1.0, 2.0)]) is None


def test_the_pole_that_was_changed_is_named_and_not_the_base():
    """Two checks with the rod agree, two with a pole typed 0.200 m too small show 0.200 m high (common practice, no source)."""
    offs = ((0.002, 0.001, 0.004), (-0.003, 0.004, 0.203), (0.001, -0.002, -0.005), (0.004, 0.002, 0.198))
    poles = ("'2.000 m' to the rod", "'1.800 m' to the pole") * 2
    marks = (MARKS[1], MARKS[2], MARKS[3], MARKS[1])
    checks = [replace(check(mark, off, 1.0 + n), pole=pole) for n, (mark, off, pole) in enumerate(zip(marks, offs, poles, strict=True))]

    found = said(checks)

    assert found.code == "cause-pole-height" and found.link == "pole" and found.is_stop
    assert "'1.800 m' to the pole" in found.sentence and "CS5, CS2" in found.sentence
    assert "not the base's" in found.cause and "Leave the base's height" in found.action


def test_one_pole_for_all_is_a_height_like_the_base_s():
    checks = [replace(one, pole="'2.000 m' to the rod") for one in day((0.002, 0.001, 0.2), (-0.003, 0.004, 0.203), (0.001, 0.0, 0.198))]
    found = said(checks)
    assert found.code == "cause-height" and "or the rover height" in found.cause


def test_swapped_digits_of_the_one_pole_among_two_are_named():
    """1.82 typed for 1.28: neighbours swapped differ by 9 × 0.06, 0.54 m, and too large a pole shows low (common practice)."""
    pole, rod = reading("1.820 m"), reading("2.000 m")
    offs = ((0.002, 0.001, -0.541), (-0.003, 0.004, 0.003), (0.001, -0.002, -0.538))
    checks = [replace(one, pole=pole_words(rod if n == 1 else pole)) for n, one in enumerate(day(*offs))]
    found = said(checks, replace(SITE, poles=named_poles([pole, rod])))
    assert found.code == "cause-pole-height" and "'1.820 m' was typed for '1.280 m'" in found.sentence


def reading(text):
    return TypedReading(
        text=text, reading_m=float(text.split()[0]), to=MeasuredTo(name="bottom", label="Bottom of mount", method="vertical")
    )


def test_a_base_height_with_swapped_digits_is_named():
    # Typed 1.645 for 1.465: neighbours swapped differ by 9 × 0.02, 0.180 m; too large at the base shows high (common practice).
    heights = named_heights(
        HeightsSeen(base_readings=[reading("1.645 m")], rover_readings=[reading("2.000 m")], base_arp_m=1.645, pole_m=2.0)
    )
    found = said(day((0.002, 0.001, 0.176), (-0.003, 0.004, 0.184), (0.001, -0.002, 0.181)), replace(SITE, heights=heights))

    assert found.code == "cause-height" and found.is_stop
    assert "'1.645 m' was typed for '1.465 m'" in found.sentence


@pytest.mark.parametrize(
    ("up_m", "words"),
    [
        (-2.0, "the pole was taken off twice"),  # the position refers to the mark already (common practice)
        (2.0, "the pole was never taken off"),
        (1.546, "the ARP's height was entered as the mark's"),
        (0.0612, "the phase centre of the base antenna"),
    ],
)
def test_a_constant_of_a_known_size_is_named(up_m, words):
    seen = HeightsSeen(
        base_readings=[reading("1.546 m")],
        rover_readings=[reading("2.000 m")],
        base_arp_m=1.546,
        pole_m=2.0,
        phase_centres_m=[("base antenna", 0.0612)],
    )
    noise = np.random.default_rng(3).normal(0.0, 0.006, (3, 3))
    found = said(day(*(tuple(map(float, row)) for row in noise + np.array([0.0, 0.0, up_m]))), replace(SITE, heights=named_heights(seen)))

    assert found.code == "cause-height" and words in found.sentence


def test_a_base_on_another_mark_is_named():
    # What is entered minus where it stands: CS1 typed, the tripod over CS2.
    shift = (BASE.east_m - MARKS[1].east_m, BASE.north_m - MARKS[1].north_m, BASE.height_m - MARKS[1].height_m)
    checks = [check(mark, shift, hour) for mark, hour in ((MARKS[2], 1.0), (MARKS[3], 2.0))]
    found = said(checks)

    assert found.code == "cause-base-on-another-mark"
    assert "the base stands on CS2" in found.sentence


def test_a_pole_on_another_mark_is_named():
    apart = (MARKS[3].east_m - MARKS[2].east_m, MARKS[3].north_m - MARKS[2].north_m, MARKS[3].height_m - MARKS[2].height_m)
    found = said(day((0.003, 0.002, -0.004), apart, (-0.002, 0.004, 0.008)))

    assert found.code == "cause-pole-on-another-mark" and "the pole stood on CS7" in found.sentence


def test_the_wrong_foot_shows_as_2_ppm_of_the_coordinates():
    # 1200/3937 against 0.3048 (NIST SP 811): 1.4 m at 700 km east.
    ppm = 1200.0 / 3937.0 / 0.3048 - 1.0
    found = said(day(*((ppm * mark.east_m, ppm * mark.north_m, 0.004) for mark in MARKS[1:])))

    assert found.code == "cause-foot" and found.is_stop


def test_a_base_that_sinks_5_mm_an_hour_shows_after_a_day():
    hours = (0.5, 2.5, 4.5, 6.5, 8.5)
    walk = (MARKS[1], MARKS[2], MARKS[3], MARKS[1], MARKS[2])
    checks = [check(mark, (0.002, -0.003, 0.005 * hour), hour) for mark, hour in zip(walk, hours, strict=True)]
    found = said([replace(one, sigma_m=(0.004, 0.004, 0.004)) for one in checks], replace(SITE, base_sigma_m=(0.003, 0.003)))

    assert found.code == "cause-sinking" and "0.005 m an hour" in found.sentence
    assert found.numbers["up_m_per_h"] == pytest.approx(0.005, rel=0.2)


def test_an_autonomous_base_is_told_as_one():
    found = said(day((1.804, -0.903, 2.41), (1.796, -0.898, 2.39), (1.803, -0.905, 2.40)), base_known=False)

    assert found.code == "cause-base-coordinate"
    assert "autonomous average" in found.cause and "re-seat" in found.action


def test_a_cause_inside_all_tolerances_asks_for_a_look_and_stops_nothing():
    checks = [replace(one, sigma_m=(0.002, 0.002, 0.002), mark_sigma_m=(0.002, 0.002)) for one in day(*[(0.001, -0.001, 0.021)] * 3)]
    site = replace(SITE, base_sigma_m=(0.002, 0.002))
    assert said(checks, site).is_stop
    found = said(checks, site, all_within=True)
    assert (found.code, found.severity, found.is_stop) == ("cause-height", "look", False)


def test_two_mistakes_at_once_are_not_forced_into_one():
    # Three marks off by three different large amounts in all directions.
    found = said([*day((0.31, 0.0, -0.2), (-0.12, 0.5, 0.3), (0.0, -0.4, 0.1)), check(MARKS[2], (0.3, 0.2, -0.3), 4.0)])

    assert found.code == "cause-none-fits"


def test_what_cannot_be_told_apart_is_said_with_what_would_tell():
    # Only the last check is off in height: the mark, a bump before it, or a sinking base.
    found = said(day((0.001, 0.002, 0.003), (0.002, -0.001, -0.004), (-0.001, 0.002, 0.095)))

    assert found.code == "cause-cannot-tell"
    assert "one mark" in found.numbers["causes"] and "bumped" in found.numbers["causes"]
    assert "measured early" in found.action


@pytest.mark.parametrize(("up_m", "way", "base", "rover"), [(0.093, "high", "large", "small"), (-0.093, "low", "small", "large")])
def test_a_constant_height_says_which_way_each_end_was_typed_wrongly(up_m, way, base, rover):
    """A fact of the trade (common practice, no source): a base height typed too large lifts the broadcast ARP, and with it every
    point; a rover height typed too large lowers them."""
    found = said(day(*[(0.0, 0.0, up_m)] * 3))
    assert f" {way}: a constant" in found.sentence
    assert f"too {base}, or the rover height as much too {rover}" in found.cause
