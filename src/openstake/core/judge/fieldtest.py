"""What a field test after ISO 17123-8 says of a pair."""

from __future__ import annotations

from collections.abc import Sequence

from openstake.core.iso17123 import FieldTest, Independent, PlannedSet, TestItem, too_soon_s
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import SERIES_APART_S
from openstake.core.units import text_from_seconds


def judge_field_test(found: FieldTest, independent: Independent, sigmas_given: bool) -> list[Finding]:
    """Return what failed, and what the test rests on."""
    failed = [item for item in found.tests if not item.passed]
    gross = [item for item in failed if item.name.startswith("gross")]
    said = [_gross(item, found.by_chance) for item in gross]
    said += [_uncertain(item, found.by_chance) for item in failed if item not in gross]
    lacking = [
        words
        for words, value in (("distance", independent.distance_m), ("height difference", independent.height_difference_m))
        if value is None
    ]
    if lacking:
        said.append(
            finding(
                "iso-not-independent",
                Severity.NOTE,
                f"No independent {' and '.join(lacking)} of the two points: deviations are from the mean of the test itself.",
                "What is wrong alike in every set does not show.",
                "Tape or level between the two points to 3 mm or better, and give the values.",
            )
        )
    if not sigmas_given:
        said.append(
            finding(
                "iso-sigma-usual",
                Severity.NOTE,
                "The predetermined sigmas are the usual 8 mm and 15 mm, not those of this pair.",
                "None was given.",
                "Give what the maker states for this pair, or what an earlier test gave.",
            )
        )
    return said


def judge_times(sets: Sequence[PlannedSet]) -> list[Finding]:
    """Return which series of a test began too soon after the one before."""
    return [
        finding(
            "iso-too-soon",
            Severity.LOOK,
            f"Series {series} began {text_from_seconds(after_s)} after series {series - 1}; {text_from_seconds(SERIES_APART_S)} are asked.",
            "The satellites have hardly moved: the series share their errors, and the test comes out too good.",
            "Measure the later series again, later in the day.",
            after_s=round(after_s),
        )
        for series, after_s in too_soon_s(sets)
    ]


def _gross(item: TestItem, by_chance: float) -> Finding:
    what = item.name.removeprefix("gross error, ")
    return finding(
        "iso-gross-error",
        Severity.LOOK if item.passed_corrected else Severity.STOP,
        f"A {what} deviates by {1000.0 * item.statistic:.1f} mm; {1000.0 * item.limit:.1f} mm are allowed (2.5·√2·σ).",
        _chance(by_chance)
        if item.passed_corrected
        else "A false fix, a pole that was not plumb, another point, or an independent value that is wrong.",
        "Re-initialise and measure that set again; measure the independent value again.",
        deviation_m=round(item.statistic, 5),
        limit_m=round(item.limit, 5),
        corrected_limit_m=round(item.corrected_limit, 5),
    )


def _uncertain(item: TestItem, by_chance: float) -> Finding:
    return finding(
        "iso-uncertainty-larger",
        Severity.LOOK,
        f"{item.name}: {item.statistic:.4g} is more than {item.limit:.4g}.",
        _chance(by_chance)
        if item.passed_corrected
        else "This pair, here and today, is not as good as was expected: multipath, few satellites, a worn pole, other settings.",
        "Repeat the test on open ground. If it fails again, do not rely on the stated precision.",
        statistic=round(item.statistic, 6),
        limit=round(item.limit, 6),
        corrected_limit=round(item.corrected_limit, 6),
    )


def chance_words(found: FieldTest) -> str:
    """Say what chance alone does to a test of the standard, and how this one stands with limits for all its comparisons together."""
    return (
        f"{_of_100(found.by_chance)} With limits for all comparisons together 5 do; with these this one is "
        f"{'passed' if found.passed_corrected else 'not passed'}."
    )


def _chance(by_chance: float) -> str:
    return f"It may be chance. {_of_100(by_chance)} With the limits for all comparisons together it passes."


def _of_100(by_chance: float) -> str:
    return f"Of 100 such tests of a pair as good as was assumed, {100.0 * by_chance:.0f} fail in one comparison or more."
