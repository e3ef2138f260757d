"""The field test of ISO 17123-8 (from memory) against scipy's quantiles, its printed limits, and an example by hand."""

from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

from openstake.core.errors import InputError
from openstake.core.iso17123 import Independent, Measured, Predetermined, arranged, field_test, residuals_m
from openstake.core.judge.fieldtest import judge_field_test
from tests.repeats import looser, repeats


def rows(seed=1, series=3, sigma_xy=0.006, sigma_h=0.012, distance=12.0, height=0.5):
    """Return seeded positions of two points; `sigma_xy` is of east and north together."""
    rng = np.random.default_rng(seed)
    truth = ((5000.0, 3000.0, 40.0), (5000.0 + distance, 3000.0, 40.0 + height))
    return [
        Measured(
            series=s,
            set=n,
            point=p,
            **dict(
                zip(
                    ("east_m", "north_m", "height_m"),
                    np.array(truth[p - 1]) + rng.normal(0, (sigma_xy / 2**0.5, sigma_xy / 2**0.5, sigma_h)),
                    strict=True,
                )
            ),
        )
        for s in range(1, series + 1)
        for n in range(1, 6)
        for p in (1, 2)
    ]


def by_hand():
    """Each point 4 mm east and west of its place by turns of the sets (+ − + − 0), 5 mm up and down likewise."""
    signs = (1, -1, 1, -1, 0)
    return [
        Measured(series=s, set=n, point=p, east_m=10.0 * p + 0.004 * signs[n - 1], north_m=0.0, height_m=1.0 + 0.005 * signs[n - 1])
        for s in (1, 2, 3)
        for n in range(1, 6)
        for p in (1, 2)
    ]


def test_an_example_by_hand():
    """Σ east² = 3 series × 4 sets × 2 points × (4 mm)² = 384 mm²; s_xy = √(384/28) = 3.703 mm; s_h = √(600/28) = 4.629 mm."""
    found = field_test(by_hand())

    assert found.s_xy_m == pytest.approx(0.003_703_280)
    assert found.s_h_m == pytest.approx(0.004_629_100)
    assert (found.dof_xy, found.dof_h) == (56, 28)
    # Both points move together: distance and height difference stay.
    assert max(map(abs, found.distance_deviations + found.height_deviations)) < 1e-12
    assert len(found.distance_deviations) == len(found.height_deviations) == 15
    assert all(item.passed for item in found.tests)


def test_limits_are_scipys_quantiles_and_those_that_the_standard_prints():
    """√(χ²₀.₉₅(56)/56) = 1.15 and √(χ²₀.₉₅(28)/28) = 1.22; F₀.₉₇₅ = 1.70 and 2.13 (ISO 17123-8, from memory)."""
    limits = {item.name: item.limit for item in field_test(rows(), Predetermined(0.01, 0.01), earlier=rows(2)).tests}

    assert limits["s_xy against sigma_xy"] / 0.01 == pytest.approx((stats.chi2.ppf(0.95, 56) / 56) ** 0.5)
    assert limits["s_h against sigma_h"] / 0.01 == pytest.approx((stats.chi2.ppf(0.95, 28) / 28) ** 0.5)
    assert limits["s_xy against the earlier test"] == pytest.approx(stats.f.ppf(0.975, 56, 56))
    assert limits["s_h against the earlier test"] == pytest.approx(stats.f.ppf(0.975, 28, 28))
    assert [round(value, 2) for value in list(limits.values())[2:]] == [0.01, 0.01, 1.70, 2.13]
    assert (round(limits["s_xy against sigma_xy"], 4), round(limits["s_h against sigma_h"], 4)) == (0.0115, 0.0122)
    assert limits["gross error, distance"] == pytest.approx(2.5 * 2**0.5 * 0.01)


def test_residuals_are_from_each_points_mean_over_all_series():
    left = residuals_m(arranged(rows()))
    assert left.shape == (3, 5, 2, 3) and np.abs(left.mean(axis=(0, 1))).max() < 1e-9


@pytest.mark.parametrize(("sigma_xy", "sigma_h"), [(0.008, 0.015), (0.02, 0.03)])
def test_the_uncertainty_of_seeded_tests_is_the_one_put_in(sigma_xy, sigma_h):
    found = [field_test(rows(seed, sigma_xy=sigma_xy, sigma_h=sigma_h)) for seed in range(400)]
    assert np.mean([item.s_xy_m**2 for item in found]) ** 0.5 == pytest.approx(sigma_xy, rel=0.02)
    assert np.mean([item.s_h_m**2 for item in found]) ** 0.5 == pytest.approx(sigma_h, rel=0.03)


def test_chance_alone_is_said_and_the_limits_for_all_comparisons_let_95_percent_pass():
    """Right pairs, 12 m apart as levelled and taped: the standard's tests fail about one in four, the corrected ones one in twenty."""
    count = repeats(2000, 800)
    known = Independent(12.0, 0.5)
    found = [field_test(rows(seed, sigma_xy=0.008, sigma_h=0.015), independent=known) for seed in range(count)]

    room = looser(count, 2000)
    failed = np.mean([not item.passed for item in found])
    assert abs(failed - found[0].by_chance) <= 0.025 * room and 0.2 <= failed <= 0.32
    assert abs(np.mean([not item.passed_corrected for item in found]) - 0.05) <= 0.015 * room


def test_corrected_limits_share_5_percent_among_32_comparisons():
    """Šidák: 1 - 0.95^(1/32) = 0.1602 % each; two-sided normal 3.1557 of one sigma of the difference, by scipy."""
    each = 1.0 - 0.95 ** (1.0 / 32.0)
    limits = {item.name: item.corrected_limit for item in field_test(rows(), Predetermined(0.01, 0.01)).tests}

    assert limits["gross error, distance"] == pytest.approx(0.01 * stats.norm.isf(each / 2.0))
    assert limits["gross error, height difference"] == pytest.approx(0.01 * 2**0.5 * stats.norm.isf(each / 2.0))
    assert limits["s_h against sigma_h"] == pytest.approx(0.01 * (stats.chi2.isf(each, 28) / 28) ** 0.5)


def test_what_only_the_standard_calls_a_gross_error_is_no_stop():
    table = rows(sigma_xy=0.001, sigma_h=0.001)
    known = Independent(12.0, 0.5)

    def said(up):
        off = [replace(row, height_m=row.height_m + up) if (row.series, row.set, row.point) == (2, 3, 2) else row for row in table]
        found = judge_field_test(field_test(off, Predetermined(0.008, 0.015), known), known, True)
        return next(item for item in found if item.code == "iso-gross-error")

    # 2.5·√2·15 mm = 53 mm; for all comparisons 67 mm.
    assert said(0.06).severity == "look" and "may be chance" in said(0.06).cause
    assert said(0.09).severity == "stop" and "false fix" in said(0.09).cause


def test_a_right_pair_fails_the_test_of_its_sigma_in_one_of_twenty():
    count = repeats(2000, 800)
    passed = [{item.name: item.passed for item in field_test(rows(seed, sigma_xy=0.008, sigma_h=0.015)).tests} for seed in range(count)]
    for name in ("s_xy against sigma_xy", "s_h against sigma_h"):
        failed = 1.0 - np.mean([item[name] for item in passed])
        assert abs(failed - 0.05) <= 0.015 * looser(count, 2000)


def test_the_simplified_test_has_deviations_and_gross_limits_alone():
    found = field_test(rows(series=1), independent=Independent(12.0, 0.5))
    assert (found.s_xy_m, found.s_h_m, found.dof_xy, found.dof_h) == (None,) * 4
    assert [item.name for item in found.tests] == ["gross error, distance", "gross error, height difference"]
    assert len(found.distance_deviations) == 5


def test_a_gross_error_and_a_distance_that_was_measured_otherwise_show():
    good = rows()
    bad = [replace(row, east_m=row.east_m + 0.05) if (row.series, row.set, row.point) == (2, 3, 2) else row for row in good]
    failed = lambda found: [item.name for item in found.tests if not item.passed]  # noqa: E731

    assert failed(field_test(good, independent=Independent(12.0, 0.5))) == []
    assert "gross error, distance" in failed(field_test(bad))
    # A distance that is 40 mm off by the tape shows only against the tape: the scatter is as it was.
    assert failed(field_test(good, independent=Independent(12.04, 0.5))) == ["gross error, distance"]


@pytest.mark.parametrize(
    ("spoiled", "words"),
    [
        (lambda all_rows: all_rows[:-1], "Series 3, set 5 lacks point 2"),
        (lambda all_rows: [*all_rows, all_rows[0]], "Series 1, set 1, point 1 is there 2 times"),
        (lambda all_rows: all_rows[:20], "there are 2"),
        (lambda all_rows: [replace(all_rows[0], point=3), *all_rows[1:]], "is not part of this test"),
        (lambda all_rows: [replace(all_rows[0], east_m=float("nan")), *all_rows[1:]], "not a finite number"),
        (lambda all_rows: [], "there are 0"),
    ],
)
def test_a_test_that_is_not_whole_says_what_lacks(spoiled, words):
    with pytest.raises(InputError, match=words):
        field_test(spoiled(rows()))


def test_a_simplified_test_is_not_compared_with_an_earlier_one():
    with pytest.raises(InputError, match="both need 3 series"):
        field_test(rows(series=1), earlier=rows())
