"""What surrounds a local fit: its reach, the next mark, exchanged names, means of shots, what to expect, slips, the schools."""

from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from pyproj import Proj
from scipy.optimize import least_squares

from openstake.core.causes import NamedUp
from openstake.core.describe import fields_shown
from openstake.core.errors import InputError
from openstake.core.geodesy.factors import grid_factors
from openstake.core.geodesy.frames import job_frame
from openstake.core.judge.fit import judge_checks, judge_geometry, judge_one_mark, judge_out_of_date, judge_rotation, judge_set_ups
from openstake.core.judge.slip import MarkOff, judge_slip, slip_of
from openstake.core.limits import POLE_TWICE_M
from openstake.core.localfit.choice import MODEL_CHOICES, FitModels, checked_models, choice_of, without_component
from openstake.core.localfit.exchange import exchanged_square_sums
from openstake.core.localfit.expected import expected_of
from openstake.core.localfit.geometry import best_next, effects_m, effects_up_m, farthest_apart, hull_of, reach_of, spread_ratio
from openstake.core.localfit.horizontal import fit_horizontal
from openstake.core.localfit.method import MarkStatus, SuspectMark, next_step
from openstake.core.localfit.pair import Pair
from openstake.core.localfit.parameters import parameters_of
from openstake.core.localfit.shot_means import ShotOnMark, mean_on_mark
from openstake.core.localfit.vertical import fit_vertical
from tests.core.test_localfit import EAST, NORTH, pairs_of
from tests.repeats import looser, repeats

SQUARE = [(0.0, 0.0), (100.0, 0.0), (100.0, 80.0), (0.0, 80.0)]


def without(pairs, n):
    return [*pairs[:n], *pairs[n + 1 :]]


# --- models ---


def test_a_shift_holds_north_and_scale_and_one_mark_solves_it():
    """By hand: turned by 90°, a grid vector to the east points north in the local system; scale 1.0001."""
    pair = Pair(name="A", local_e_m=5000.0, local_n_m=5000.0, local_h_m=10.0, gnss_e_m=EAST, gnss_n_m=NORTH, gnss_h_m=60.0)
    found = fit_horizontal([pair], "shift", 1.0001, 90.0)

    there = found.to_local(np.array([EAST, EAST + 100.0]), np.array([NORTH, NORTH]))
    assert there == pytest.approx(np.array([[5000.0, 5000.0], [5000.0, 5100.01]]), abs=1e-8)
    assert found.redundancy == 0 and np.isnan(found.residual_m).all()
    assert fit_vertical([pair], "constant").constant_m == -50.0


def test_a_shift_of_several_marks_is_that_of_scipys_least_squares():
    pairs = pairs_of(np.random.default_rng(2), 5, scale=1.0, turn=0.3, weighted="mixed")
    found = fit_horizontal(pairs, "shift", 1.0, np.degrees(0.3))
    gnss = np.array([(pair.gnss_e_m - EAST, pair.gnss_n_m - NORTH) for pair in pairs])
    local = np.array([(pair.local_e_m, pair.local_n_m) for pair in pairs])
    turned = gnss @ np.array([[np.cos(0.3), np.sin(0.3)], [-np.sin(0.3), np.cos(0.3)]])
    sigma = np.array([pair.sigma_h_m for pair in pairs])[:, None]

    theirs = least_squares(lambda shift: ((turned + shift - local) / sigma).ravel(), [5000.0, 5000.0], x_scale=1.0)

    assert found.square_sum == pytest.approx(2.0 * theirs.cost, rel=1e-9)
    assert found.to_local(np.array([EAST]), np.array([NORTH]))[0] == pytest.approx(theirs.x, abs=1e-7)


def test_to_grid_is_the_way_back():
    fit = parameters_of(fit_horizontal(pairs_of(np.random.default_rng(3), 6)), None, False, None)
    places = np.array([(EAST + 10.0, NORTH - 20.0, 60.0), (EAST, NORTH, 60.0)])

    assert fit.to_grid(fit.to_local(places)[:, :2]) == pytest.approx(places[:, :2], abs=1e-7)


def test_expected_scale_and_rotation_are_those_of_the_projection():
    """PROJ's own factors of ITM (scale and meridian convergence), and 1 − h/R for the height (NOAA Manual NOS NGS 5)."""
    frame, latitude, longitude, height = job_frame(2157), 53.40, -6.45, 250.0
    theirs = Proj("EPSG:2157").get_factors(longitude, latitude)
    ours = grid_factors(frame, latitude, longitude, height)
    found = expected_of("ground", "true", ours.combined_factor, ours.convergence_deg)

    assert found.scale == pytest.approx(1.0 / (theirs.meridional_scale * (1.0 - height / 6_378_000.0)), abs=2e-7)
    assert found.rotation_deg == pytest.approx(-theirs.meridian_convergence, abs=1e-6)
    assert expected_of("grid", "eye", ours.combined_factor, 1.2).scale == 1.0
    # Coordinates that are ground distances by this very factor already: nothing is left to expect.
    assert expected_of("ground", "eye", 0.99994, 0.0, project_factor=0.99994).scale == 1.0


def test_a_local_system_on_true_north_is_turned_by_minus_the_convergence():
    """Three places laid out along the meridian and the parallel, true to the ellipsoid, come out turned by −γ."""
    frame, latitude, longitude = job_frame(2157), 53.40, -6.45
    step = 1e-3  # degrees: 111 m north; and 66.5 m east
    grid = frame.grid_from_geodetic(np.array([latitude, latitude + step, latitude]), np.array([longitude, longitude, longitude + step]))
    true_plane = job_frame(f"+proj=tmerc +lat_0={latitude} +lon_0={longitude} +ellps=GRS80 +type=crs")
    local = true_plane.grid_from_geodetic(
        np.array([latitude, latitude + step, latitude]), np.array([longitude, longitude, longitude + step])
    )
    pairs = [
        Pair(
            name=str(n),
            local_h_m=None,
            gnss_h_m=None,
            use="h",
            **dict(zip(("local_e_m", "local_n_m"), map(float, local[n]), strict=True)),
            **dict(zip(("gnss_e_m", "gnss_n_m"), map(float, grid[n]), strict=True)),
        )
        for n in range(3)
    ]

    assert fit_horizontal(pairs).rotation_deg == pytest.approx(-frame.convergence_deg(latitude, longitude), abs=2e-5)


def test_a_typed_scale_and_a_typed_north_are_asked_for():
    with pytest.raises(InputError, match="Type the scale"):
        checked_models(FitModels(horizontal="rotation", held_scale="typed"))
    with pytest.raises(InputError, match="Type by how many degrees"):
        checked_models(FitModels(north="typed"))
    assert checked_models(FitModels(horizontal="rotation", held_scale="typed", scale=1.0001)).scale == 1.0001
    assert choice_of({"models": {}, "school": "grow", "uses": {"x": "nonsense"}}).uses == {}


# --- several shots ---


def test_shots_of_one_fix_share_their_error_and_two_fixes_average_it():
    """By hand: the claim stays within a fix, the pole's 3 mm averages; two alike fixes halve the variance."""
    shot = ShotOnMark(east_m=10.0, north_m=20.0, height_m=5.0, sigma_h_m=0.008, sigma_v_m=0.015, fix="one")
    one = mean_on_mark([shot, replace(shot, east_m=10.004)])
    assert (one.east_m, one.fixes, one.shots) == (pytest.approx(10.002), 1, 2)
    assert one.sigma_h_m == pytest.approx((0.008**2 + POLE_TWICE_M**2 / 2) ** 0.5)
    assert one.sigma_v_m == pytest.approx(0.015)

    two = mean_on_mark([shot, replace(shot, east_m=10.006, fix="two")])
    assert two.east_m == pytest.approx(10.003)
    assert two.sigma_h_m == pytest.approx(((0.008**2 + POLE_TWICE_M**2) / 2) ** 0.5)


def test_a_shot_that_claims_less_weighs_less():
    """By hand: sigmas of 10 and 20 mm (pole aside) weigh 4 : 1."""
    good, poor = (
        ShotOnMark(east_m=0.0, north_m=0.0, height_m=0.0, sigma_h_m=0.010, sigma_v_m=0.010, fix="a"),
        ShotOnMark(east_m=1.0, north_m=1.0, height_m=1.0, sigma_h_m=0.020, sigma_v_m=0.020, fix="b"),
    )
    assert mean_on_mark([good, poor]).height_m == pytest.approx(0.2)


# --- where ---


@pytest.mark.parametrize("seed", range(5))
def test_the_hull_holds_its_places_and_nothing_beyond_its_corners(seed):
    rng = np.random.default_rng(seed)
    places = np.array([703_000.0, 629_000.0]) + rng.normal(0.0, 100.0, (30, 2))
    hull = hull_of(places)

    assert hull.holds(places).all()
    middle = places.mean(axis=0)
    assert not hull.holds(middle + (hull.corners_m - middle) * 1.01).any()
    assert hull.holds(middle + (hull.corners_m - middle) * 0.99).all()


def test_a_line_and_a_point_hold_nothing():
    line = hull_of([(0.0, 0.0), (5.0, 5.0), (2.0, 2.0)])
    assert sorted(map(tuple, line.corners_m)) == [(0.0, 0.0), (5.0, 5.0)]
    assert not line.holds([(2.0, 2.0)]).any()
    assert not hull_of([(1.0, 1.0)]).holds([(1.0, 1.0)]).any()
    assert len(hull_of(np.empty((0, 2))).corners_m) == 0
    # 100 by 80: the spreads are as the sides.
    assert spread_ratio(SQUARE) == pytest.approx(0.8)
    assert spread_ratio([(0.0, 0.0), (5.0, 5.0), (2.0, 2.0)]) == pytest.approx(0.0, abs=1e-12)


@pytest.mark.parametrize("model", ["similarity", "rotation", "shift"])
def test_the_predicted_circle_is_that_of_the_covariance(model):
    pairs = pairs_of(np.random.default_rng(4), 6, weighted="mixed")
    fit = fit_horizontal(pairs, model)
    places = np.array([(EAST + 900.0, NORTH - 300.0), (EAST, NORTH)])

    for place, radius in zip(places, reach_of(pairs, fit, None).horizontal_95_m(places), strict=True):
        largest = np.linalg.eigvalsh(fit.covariance_m2(*place))[-1]
        # sqrt(-2 ln 0.05): the radius that holds 95 % of a circular normal distribution.
        assert radius == pytest.approx((-2.0 * np.log(0.05) * largest) ** 0.5, rel=1e-12)


def test_the_predicted_height_is_that_of_a_monte_carlo():
    rng = np.random.default_rng(5)
    pairs = pairs_of(rng, 6, weighted=True)
    there = np.array([[EAST + 700.0, NORTH + 100.0]])
    claimed = float(reach_of(pairs, fit_horizontal(pairs), fit_vertical(pairs, "plane")).vertical_95_m(there)[0]) / 1.959964
    tries = []
    count = repeats(3000)
    for _ in range(count):
        noisy = [replace(pair, local_h_m=pair.local_h_m + rng.normal(0.0, pair.sigma_v_m)) for pair in pairs]
        tries.append(float(fit_vertical(noisy, "plane").correction_m(there[:, 0], there[:, 1])[0]))

    assert np.std(tries) == pytest.approx(claimed, rel=0.05 * looser(count, 3000))


def test_the_next_mark_is_the_one_that_real_refits_would_choose():
    rng = np.random.default_rng(6)
    pairs = pairs_of(rng, 3, weighted=True)
    candidates = np.array([(EAST + e, NORTH + n) for e, n in ((30.0, 0.0), (900.0, 700.0), (-400.0, 100.0))])
    site = np.array([(EAST + e, NORTH + n) for e in (-1000.0, 1000.0) for n in (-1000.0, 1000.0)])
    fit = fit_horizontal(pairs)
    reach = reach_of(pairs, fit, None)
    found = best_next(reach, candidates, np.full(3, pairs[0].sigma_h_m ** -2), site)

    worst = []
    for east, north in candidates:
        local = fit.to_local(np.array([east]), np.array([north]))[0]
        more = Pair(
            name="new",
            local_h_m=None,
            gnss_e_m=east,
            gnss_n_m=north,
            gnss_h_m=None,
            use="h",
            sigma_h_m=pairs[0].sigma_h_m,
            **dict(zip(("local_e_m", "local_n_m"), map(float, local), strict=True)),
        )
        again = [*pairs, more]
        worst.append(reach_of(again, fit_horizontal(again), None).horizontal_95_m(site).max())
    assert found.candidate == int(np.argmin(worst))
    assert found.after_m == pytest.approx(min(worst), rel=1e-6)
    assert found.before_m == pytest.approx(reach.horizontal_95_m(site).max())
    assert best_next(reach, np.empty((0, 2)), [], site) is None


def test_a_fit_begins_with_the_two_marks_farthest_apart():
    assert set(farthest_apart([*SQUARE, (50.0, 40.0)])) in ({0, 2}, {1, 3})


def test_the_effect_of_a_mark_is_that_of_a_real_refit_without_it():
    for model in ("similarity", "rotation", "shift"):
        pairs = pairs_of(np.random.default_rng(9), 6, weighted="mixed")
        fit = fit_horizontal(pairs, model, 1.00007, np.degrees(0.4))
        corners = hull_of([(pair.gnss_e_m, pair.gnss_n_m) for pair in pairs]).corners_m
        for n, effect in enumerate(effects_m(pairs, fit)):
            refit = fit_horizontal(without(pairs, n), model, 1.00007, np.degrees(0.4))
            moved = refit.to_local(*corners.T) - fit.to_local(*corners.T)
            assert effect == pytest.approx(np.hypot(*moved.T).max(), rel=1e-4)


def test_the_effect_of_a_mark_in_height_is_that_of_a_real_refit():
    for model in ("constant", "plane"):
        pairs = pairs_of(np.random.default_rng(10), 7, weighted="mixed")
        fit = fit_vertical(pairs, model)
        corners = hull_of([(pair.gnss_e_m, pair.gnss_n_m) for pair in pairs]).corners_m
        for n, effect in enumerate(effects_up_m(pairs, fit)):
            moved = fit_vertical(without(pairs, n), model).correction_m(*corners.T) - fit.correction_m(*corners.T)
            assert effect == pytest.approx(np.abs(moved).max(), rel=1e-6)


@pytest.mark.parametrize("model", ["similarity", "rotation", "shift"])
def test_exchanged_names_leave_what_real_refits_leave(model):
    pairs = pairs_of(np.random.default_rng(12), 5, weighted="mixed")
    sums = exchanged_square_sums(pairs, fit_horizontal(pairs, model, 1.00007, np.degrees(0.4)))

    for one, other in combinations(range(5), 2):
        again = list(pairs)
        for here, there in ((one, other), (other, one)):
            again[here] = replace(pairs[here], local_e_m=pairs[there].local_e_m, local_n_m=pairs[there].local_n_m)
        refit = fit_horizontal(again, model, 1.00007, np.degrees(0.4))
        assert sums[one, other] == pytest.approx(refit.square_sum, rel=1e-6)
        assert sums[other, one] == pytest.approx(sums[one, other], rel=1e-6)


# --- what is said ---


def test_a_check_mark_is_held_against_the_fit_horizontally_and_in_height():
    pairs = pairs_of(np.random.default_rng(13), 6, weighted=True)
    pairs[0] = replace(pairs[0], use="check", local_h_m=pairs[0].local_h_m + 0.2)
    flat, up = fit_horizontal(pairs), fit_vertical(pairs, "plane")

    said = judge_checks(pairs, flat, up)
    assert [item.code for item in said] == ["fit-check-differs"]
    assert "in height" in said[0].sentence and "horizontally" not in said[0].sentence
    assert judge_checks(pairs, flat, up, left_out={"M0"}) == [], "known to be wrong, it judges nothing"


def test_a_rotation_is_held_against_the_local_north():
    fit = fit_horizontal(pairs_of(np.random.default_rng(14), 6, weighted=True))
    assert judge_rotation(fit, np.degrees(0.4)) == []
    assert judge_rotation(fit, None) == []
    assert judge_rotation(fit, np.degrees(0.4) - 0.1)[0].numbers["off_deg"] == pytest.approx(0.1, abs=0.002)
    assert judge_rotation(fit, np.degrees(0.4) - 360.0) == [], "a full turn is none"


def test_marks_in_a_line_one_mark_and_mixed_bases_are_told():
    assert [item.code for item in judge_geometry(0.05, 4, True, [])] == ["fit-near-line"]
    assert judge_geometry(0.5, 4, True, []) == []
    assert "A, B, C, D and 1 more lie outside" in judge_geometry(0.5, 4, False, list("ABCDE"))[0].sentence
    assert "taken, not measured" in judge_one_mark("A", 1.0, -1.2)[0].sentence
    assert judge_set_ups([], 3) == []
    assert [item.code for item in judge_set_ups(["A"], 1)] == ["fit-autonomous"]
    assert judge_set_ups(["A"], 2)[0].is_stop
    assert judge_out_of_date([]) == [] and "the base's coordinate" in judge_out_of_date(["the base's coordinate"])[0].sentence


@pytest.mark.parametrize(
    ("given", "off", "horizontal", "unit", "words"),
    [
        # 5062.302 became 5062.032: 9 × 3 hundredths (a swap of neighbours is 9 times their difference).
        ((5916.442, 5062.032, None), (0.004, 0.268, None), True, "m", "5062.302 would fit"),
        ((4780.317, 4913.245, 10.363), (0.0, 0.0, 0.278), False, "m", "10.633 would fit"),
        # 2 ppm of 1 592 310 ft is 3.2 ft: the other foot.
        ((485_337.3, 186_684.3, None), (0.9707, 0.3734, None), True, "sft", "2 ppm"),
        ((5000.0, 5000.0, 30.48), (0.0, 0.0, -21.190), False, "m", "in feet was taken as metres"),
        ((5000.0, 5000.0, 10.0), (0.0, 0.0, -0.2), False, "m", "the pole stood at '1.800 m'"),
        ((5000.0, 5000.0, None), (0.015, -0.014, None), True, "m", "rod leans"),
    ],
)
def test_a_difference_of_the_size_of_a_slip_is_named(given, off, horizontal, unit, words):
    heights = [NamedUp(-0.2, "the pole stood at '1.800 m', and '2.000 m' was typed")]
    mark = MarkOff(name="A", given_m=given, off_m=off, sigma_m=(0.010, 0.010, 0.015), heights=heights, leans=[("The rod", 0.0205)])
    found = slip_of(mark, horizontal, unit)

    assert found is not None and words in found.words
    assert words in judge_slip("A", found, horizontal, unit)[0].sentence


def test_a_difference_of_no_known_size_is_not_named():
    mark = MarkOff(name="A", given_m=(5000.0, 5000.0, 10.0), off_m=(0.0617, 0.0411, 0.0331), sigma_m=(0.003, 0.003, 0.003))
    assert slip_of(mark, True, "m") is None and slip_of(mark, False, "m") is None
    assert slip_of(replace(mark, off_m=(None, None, None)), True, "m") is None
    assert judge_slip("A", None, True, "m") == []


# --- schools ---


def stands(name, measured=True, used=False, chosen=False):
    return MarkStatus(
        line_id=name.lower(),
        name=name,
        measured=measured,
        used=used,
        chosen=chosen,
        off_words="0.012 m horizontally from where the fit puts it",
    )


def test_the_school_that_grows_takes_two_then_asks_of_each():
    nothing = next_step("grow", [], None, None, "", 2, False)
    assert nothing.kind == "list"
    one = next_step("grow", [stands("A"), stands("B", False)], None, stands("B", False), "", 2, False)
    assert (one.kind, one.line_id, one.use) == ("take-in", "a", "hv")
    third = next_step("grow", [stands("A", used=True), stands("B", used=True), stands("C")], None, None, "", 2, False)
    assert third.kind == "decide" and "0.012 m horizontally" in third.words
    assert (third.use, third.other_use) == ("hv", "check")
    off = replace(stands("C"), differs=("horizontal", "vertical"), slip="its north would fit with two digits exchanged")
    two = [stands("A", used=True), stands("B", used=True)]
    bad = next_step("grow", [*two, off], None, None, "", 2, False)
    assert (bad.use, bad.other_use) == ("out", "hv") and "Look it up: its north" in bad.words
    low = next_step("grow", [*two, replace(off, differs=("vertical",))], None, None, "", 2, False)
    assert (low.press, low.use) == ("Take C in without height", "h")
    # Two heights that contradict each other: the third tells, and its own mistake horizontally stays out.
    doubt = SuspectMark(line_id="a", name="A", use="hv", component="vertical", can_tell=False)
    third = next_step("grow", [*two, off], doubt, stands("D", False), "", 2, False)
    assert (third.press, third.use) == ("Take the height of C in", "v")
    assert next_step("grow", [*two, stands("C")], doubt, None, "", 2, False).use == "hv"
    kept = [stands("A", used=True), stands("B", used=True), stands("C", chosen=True)]
    assert next_step("grow", kept, None, None, "", 2, False).kind == "apply"
    assert next_step("grow", kept, None, None, "", 2, True).kind == "none"


def test_the_school_that_drops_names_the_bad_one_or_asks_for_one_more():
    marks = [stands(name, used=True) for name in "ABCD"]
    bad = next_step("all", marks, SuspectMark(line_id="b", name="B", use="hv", component="vertical", can_tell=True), None, "", 2, False)
    assert (bad.kind, bad.use) == ("leave-out", "h")
    unsure = SuspectMark(line_id="b", name="B", use="hv", component="horizontal", can_tell=False)
    assert next_step("all", marks, unsure, stands("E", False), ": x", 2, False).words == "Measure E: x."
    assert "cannot tell" in next_step("all", marks, unsure, None, "", 2, False).words
    assert [without_component(use, "horizontal") for use in ("hv", "h", "v")] == ["v", "out", "out"]


def test_every_choice_of_the_models_has_its_words_and_says_how_few_marks_solve_it():
    """Fewest marks by counting (common practice, no source): two coordinates a mark, one height."""
    said = {(item.field, item.value): item.gives for item in MODEL_CHOICES}
    offered = {(item.name, value) for item in fields_shown(FitModels) for value in item.options}
    assert set(said) == offered
    unknowns = {("horizontal", "similarity"): 4 / 2, ("horizontal", "shift"): 2 / 2, ("vertical", "constant"): 1, ("vertical", "plane"): 3}
    for choice, fewest in unknowns.items():
        assert said[choice].startswith(f"{fewest:.0f} mark")
