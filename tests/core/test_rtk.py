"""Jumps, stands, initialisations and ages, against tracks whose truth is made here."""

import numpy as np
import pytest

from openstake.core.evidence import Epoch, Status
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes
from openstake.core.judge.watch import Distances, judge_age, judge_watch
from openstake.core.rtk.age import age_trend, fix_goes_in_s
from openstake.core.rtk.drift import Drift, StandLog, smallest_drift_m
from openstake.core.rtk.epoch_series import Clock, Fix
from openstake.core.rtk.initialising import compared
from openstake.core.rtk.jumps import Jump
from openstake.core.rtk.rover import FixChange, Pair, RoverWatch, Switch
from openstake.core.rtk.still_pole import claim_held, epochs_of, longest_stood, stood
from openstake.core.time_correlation import Epochs
from tests.repeats import looser, repeats

ORIGIN = np.array([3_812_000.0, -420_000.0, 5_080_000.0])
LATITUDE, LONGITUDE, _ = (float(value) for value in geodetic_from_ecef(ORIGIN))
AXES = enu_axes(LATITUDE, LONGITUDE)
SIGMA_M, UP_M = 0.006, 0.010


def epoch(time_s, enu_m, quality=4, age_s=1.0, speed_mps=None, station=17, sigma_m=SIGMA_M, **more):
    """An epoch at an offset from the origin; times of day wrap at midnight."""
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(ORIGIN + np.asarray(enu_m) @ AXES))
    values = {
        "date": None,
        "latitude_text": "5300.0000000,N",
        "longitude_text": "00600.0000000,W",
        "separation_m": 50.0,
        "satellites": 20,
        "hdop": 0.8,
        "sigma_east_m": sigma_m,
        "sigma_north_m": sigma_m,
        "sigma_up_m": UP_M,
        "pdop": 1.5,
    } | more
    return Epoch(
        time_of_day_s=(43_200.0 + time_s) % 86_400.0,
        quality=quality,
        latitude_deg=latitude,
        longitude_deg=longitude,
        altitude_m=height - 50.0,
        age_s=age_s,
        station_id=station,
        speed_mps=speed_mps,
        **values,
    )


def noise(random, count, step_s, memory_s=30.0, sigma=(0.004, 0.004, 0.007)):
    """Errors that wander as those of a fix do (first-order Gauss-Markov), shape (count, 3)."""
    kept, state, rows = np.exp(-step_s / memory_s), random.normal(0.0, 1.0, 3), []
    for _ in range(count):
        state = kept * state + np.sqrt(1.0 - kept**2) * random.normal(0.0, 1.0, 3)
        rows.append(state * sigma)
    return np.array(rows)


def happened(epochs, kind, watch=None):
    watch = watch or RoverWatch()
    return [item for one in epochs for item in watch.add(one) if isinstance(item, kind)]


def walk(random, seconds, rate_hz):
    """A person who walks, turns, stops and goes on for so long: places and speeds; the pole's top sways by centimetres."""
    step = 1.0 / rate_hz
    place, velocity, heading, goal, turn = np.zeros(2), 0.0, 0.0, 1.3, 0.0
    places, speeds = [], []
    for n in range(int(seconds * rate_hz)):
        if n % int(15 * rate_hz) == 0:
            goal = float(random.choice([0.0, 0.0, 0.7, 1.3, 1.7]))
            turn = random.uniform(-2.5, 2.5)
        # ... and turns about within a second or two.
        heading += float(np.clip(turn, -2.0 * step, 2.0 * step))
        turn -= float(np.clip(turn, -2.0 * step, 2.0 * step))
        # A person reaches walking speed within a second or so.
        velocity += np.clip(goal - velocity, -1.5 * step, 1.5 * step)
        place = place + velocity * step * np.array([np.sin(heading), np.cos(heading)])
        # A heel strikes twice a second.
        sway = 0.03 * velocity * np.sin(2 * np.pi * 1.9 * n * step)
        places.append((place[0] + sway, place[1], 0.02 * velocity * np.cos(2 * np.pi * 1.9 * n * step)))
        speeds.append(velocity)
    return np.array(places), np.array(speeds)


@pytest.mark.slow
@pytest.mark.parametrize("rate_hz", [1, 5])
@pytest.mark.parametrize("sends_speed", [True, False])
@pytest.mark.parametrize("seed", range(1, 1 + repeats(3)))
def test_ten_minutes_of_walking_are_no_jump(rate_hz, sends_speed, seed):
    random = np.random.default_rng(seed)
    places, speeds = walk(random, 600.0, rate_hz)
    places += noise(random, len(places), 1.0 / rate_hz)

    jumps = happened(
        (
            epoch(n / rate_hz, place, speed_mps=speed if sends_speed else None)
            for n, (place, speed) in enumerate(zip(places, speeds, strict=True))
        ),
        Jump,
    )

    assert jumps == []


@pytest.mark.parametrize("rate_hz", [1, 5])
@pytest.mark.parametrize("size_m", [0.12, 0.4, 2.0, 5.0])
@pytest.mark.parametrize("sends_speed", [True, False])
def test_a_false_fix_that_jumps_while_the_pole_stands_is_found_with_its_size(rate_hz, size_m, sends_speed):
    random = np.random.default_rng(5)
    places = noise(random, 60 * rate_hz, 1.0 / rate_hz)
    places[30 * rate_hz :] += np.array([0.6, -0.64, 0.48]) * size_m

    jumps = happened((epoch(n / rate_hz, place, speed_mps=0.01 if sends_speed else None) for n, place in enumerate(places)), Jump)

    assert len(jumps) == 1, "it is told once"
    assert jumps[0].size_m == pytest.approx(size_m, abs=0.02)
    assert jumps[0].time_s == pytest.approx(43_200.0 + 30.0, abs=1.0 / rate_hz + 0.01)


def test_a_false_fix_that_jumps_while_one_walks_is_found():
    random = np.random.default_rng(6)
    places, speeds = walk(random, 120.0, 5)
    places += noise(random, len(places), 0.2)
    places[300:] += [0.5, 0.4, 0.8]

    jumps = happened((epoch(n / 5, place, speed_mps=speeds[n]) for n, place in enumerate(places)), Jump)

    assert [jump.size_m for jump in jumps] == [pytest.approx(float(np.linalg.norm([0.5, 0.4, 0.8])), abs=0.3)]


def test_a_receiver_that_reports_the_speed_of_the_move_has_not_jumped():
    """A stand-in that is carried to the next mark within a second says so in RMC."""
    places = np.zeros((40, 3))
    places[20:] = [400.0, 300.0, 0.0]
    speeds = [500.0 if n == 20 else 0.0 for n in range(40)]

    assert happened((epoch(n, place, speed_mps=speeds[n]) for n, place in enumerate(places)), Jump) == []


def test_a_step_through_a_float_or_over_a_gap_is_no_jump_of_a_fix():
    floated = [epoch(n, (0.0 if n < 20 else 1.0, 0, 0), quality=5 if 18 <= n < 22 else 4) for n in range(40)]
    gap = [epoch(n if n < 20 else n + 30, (0.0 if n < 20 else 1.0, 0, 0)) for n in range(40)]

    assert happened(floated, Jump) == []
    assert happened(gap, Jump) == []


def test_two_initialisations_at_one_place_are_compared_by_themselves():
    random = np.random.default_rng(8)
    errors = noise(random, 80, 1.0)
    watch = RoverWatch()
    pairs = []
    for n in range(80):
        if n == 30:
            assert watch.ask_to_compare()
        away = np.array([0.25, 0.0, -0.18]) if n >= 45 else np.zeros(3)
        quality = 4 if n < 30 or n >= 45 else 1 if n < 35 else 5
        pairs += happened([epoch(n, errors[n] + away, quality)], Pair, watch)

    assert len(pairs) == 1 and pairs[0].asked
    assert pairs[0].agreement.horizontal_m == pytest.approx(0.25, abs=0.02)
    assert pairs[0].agreement.up_m == pytest.approx(-0.18, abs=0.03)
    assert not pairs[0].agreement.agrees


def test_a_base_that_is_elsewhere_on_the_air_makes_no_false_fix():
    """2026-11-27: a base height corrected by 0.1 m was told as two initialisations that differ."""
    watch, pairs = RoverWatch(), []
    for n in range(80):
        if n == 32:
            watch.base_moved()
        away = np.array([0.0, 0.0, -0.1]) if n >= 40 else np.zeros(3)
        pairs += happened([epoch(n, away, 4 if n < 30 or n >= 40 else 5)], Pair, watch)
        if n == 60:
            assert watch.ask_to_compare(), "from now on it is compared again"

    assert pairs == []
    pairs += happened([epoch(n, (0, 0, -0.1), 5 if n < 90 else 4) for n in range(80, 120)], Pair, watch)
    assert [pair.agreement.agrees for pair in pairs] == [True]


def test_nothing_is_compared_where_the_pole_was_carried_meanwhile():
    def run(speed_mps):
        rows = [epoch(n, (0, 0, 0), speed_mps=0.0) for n in range(20)]
        rows += [epoch(n, (0, 0, 0), quality=5, speed_mps=speed_mps) for n in range(20, 30)]
        return [*rows, *(epoch(n, (1.5, 0, 0), speed_mps=0.0) for n in range(30, 50))]

    assert happened(run(1.2), Pair) == [], "it was carried, as its speed says"
    assert happened(run(None), Pair) == [], "nobody knows"
    assert [pair.agreement.agrees for pair in happened(run(0.02), Pair)] == [False]


def test_a_switch_of_the_source_is_told_and_its_frame_compared():
    rows = [epoch(n, (0, 0, 0), station=900, speed_mps=0.0) for n in range(20)]
    rows += [epoch(n, (0, 0, 0), quality=5, station=17, speed_mps=0.0) for n in range(20, 28)]
    rows += [epoch(n, (0.3, 0, 0.1), station=17, speed_mps=0.0) for n in range(28, 45)]
    watch = RoverWatch()
    switches = happened(rows[:22], Switch, watch)
    pairs = happened(rows[22:], Pair, watch)

    assert [(item.from_station, item.to_station) for item in switches] == [(900, 17)]
    assert [(pair.kind, pair.from_station, pair.to_station) for pair in pairs] == [("source switched", 900, 17)]
    assert pairs[0].agreement.horizontal_m == pytest.approx(0.3, abs=1e-4) and not pairs[0].agreement.agrees
    assert "sources-disagree" in [item.code for item in judge_watch(watch.state(), Distances())]


def test_how_the_fix_came_and_went():
    qualities = [1] * 4 + [5] * 6 + [4] * 20 + [5] * 5 + [4] * 10 + [1] * 3
    watch = RoverWatch()
    changes = happened((epoch(n, (0, 0, 0), quality) for n, quality in enumerate(qualities)), FixChange, watch)
    state = watch.state()

    # By hand: 4 s single and 6 s float before the first fix; 30 of 48 epochs; lost at 30 s, back 5 s later, lost at 45 s.
    assert state.time_to_fix_s == 10.0
    assert state.fix_ratio == 30 / 48
    assert [loss.back_after_s for loss in state.losses] == [5.0, None]
    assert state.initialisations == 2 and state.fix_since_s is None
    assert [(change.status, change.after_s) for change in changes] == [(Status.FLOAT, None), (Status.FIXED, 5.0), (Status.SINGLE, None)]


def test_the_slope_of_the_age_is_that_of_its_longest_climb():
    times = np.arange(0.0, 60.0)
    # 20 s level at 1 s, a climb of 0.05 s a second for 30 s, then corrections again.
    ages = np.where(times < 20, 1.0, np.where(times < 50, 1.0 + 0.05 * (times - 20), 1.0))
    ages[:19] = np.where(np.arange(19) % 2, 1.0, 1.2)
    trend = age_trend(times, list(ages))

    # Independent: numpy's own polynomial fit over the same stretch (it begins with the last level epoch).
    stretch = slice(19, 50)
    assert trend.slope_per_s == pytest.approx(np.polyfit(times[stretch], ages[stretch], 1)[0], rel=1e-9)
    assert trend.slope_per_s == pytest.approx(0.05, abs=0.004)


@pytest.mark.parametrize(
    ("ages", "slope"),
    [([1.0] * 10, 0.0), ([3.0, 2.0, 1.0], None), ([1.0, None, 2.0, None], None), ([1.0, 2.0, None, 5.0, 5.5], 0.5), ([], None)],
)
def test_a_slope_needs_two_ages_that_do_not_fall(ages, slope):
    trend = age_trend(list(range(len(ages))), ages)
    assert (trend and trend.slope_per_s) == (slope if slope is None else pytest.approx(slope, abs=1e-12))


def test_an_age_that_climbs_says_when_the_fix_goes():
    # The issue's own example: 6.2 s and rising 0.05 s a second; 10 s is the end of a link (common practice): 76 s.
    trend = age_trend(np.arange(0.0, 30.0), list(6.2 - 0.05 * np.arange(29, -1, -1)))

    assert fix_goes_in_s(6.2, trend) == pytest.approx(76.0, abs=0.01)
    assert "the fix will be lost in about a minute" in judge_age(6.2, trend)[0].sentence
    assert judge_age(1.2, trend) == [], "1 to 2 s is good"


@pytest.mark.parametrize("level_s", [0, 5, 12])
def test_the_newest_climb_is_not_flattened_by_what_was_level_before(level_s):
    # A base that fell silent: the age rises by a second a second, whatever it was before.
    watch = RoverWatch()
    for n in range(level_s + 8):
        watch.add(epoch(n, (0.0, 0.0, 0.0), age_s=1.0 + max(0, n - level_s)))
    trend = watch.state().trend

    assert trend.slope_per_s == pytest.approx(1.0, abs=0.05)
    assert trend.span_s == pytest.approx(level_s + 7.0, abs=2.0), "how long it has not fallen"


def test_a_climb_that_began_in_steps_is_told_as_it_is_now():
    """2026-11-27: on a slow machine ages of 2 s stood before the climb and halved it."""
    watch = RoverWatch()
    for n, age in enumerate([1.0] * 4 + [2.0] * 6 + [float(age) for age in range(3, 11)]):
        watch.add(epoch(n, (0.0, 0.0, 0.0), age_s=age))
    assert watch.state().trend.slope_per_s > 0.8


@pytest.mark.parametrize(("scale", "too_small"), [(1.0, False), (4.0, True)])
def test_a_claim_is_named_where_the_scatter_is_larger_than_chance_allows(scale, too_small):
    random = np.random.default_rng(11)
    watch = RoverWatch()
    for n in range(170):
        watch.add(epoch(n, random.normal(0.0, 1.0, 3) * (SIGMA_M * scale, SIGMA_M * scale, UP_M * scale)))
    state = watch.state()

    assert [item.too_small for item in state.claims] == [too_small] * 3
    assert ("claim-too-small" in [item.code for item in judge_watch(state, Distances())]) is too_small


def test_a_right_claim_is_called_too_small_once_in_a_thousand():
    """The test keeps its level: independent epochs whose claim is right, 3 000 components."""
    random, count, wrong = np.random.default_rng(12), repeats(1000), 0
    for _ in range(count):
        rows = random.normal(0.0, 1.0, (60, 3)) * (SIGMA_M, SIGMA_M, UP_M) @ AXES + ORIGIN
        fixes = [
            Fix(time_s=float(n), status=Status.FIXED, xyz_m=row, sigma_horizontal_m=SIGMA_M, sigma_up_m=UP_M, speed_mps=None, age_s=1.0)
            for n, row in enumerate(rows)
        ]
        wrong += sum(item.too_small for item in claim_held(epochs_of(fixes), (SIGMA_M, SIGMA_M, UP_M)))

    # 3 expected of 3000.
    assert wrong <= max(3, 0.005 * 3 * count)


def wander(random, count, memory_s, scale=1.0, step_s=1.0):
    """Return a wander of a position that is forgotten to 1/e in so many seconds, one sigma `scale` times the claim, (n, 3)."""
    rows, kept = random.normal(0.0, 1.0, (count, 3)), np.exp(-step_s / memory_s)
    for n in range(1, count):
        rows[n] = kept * rows[n - 1] + (1.0 - kept**2) ** 0.5 * rows[n]
    return scale * rows * (SIGMA_M, SIGMA_M, UP_M)


def stand(rows, **more):
    """Return a watch that has seen a pole stand, an epoch a second, and the drifts it told."""
    watch, told = RoverWatch(), []
    for n, row in enumerate(rows):
        told += [item for item in watch.add(epoch(n, row, **more)) if isinstance(item, Drift)]
    return watch, told


def logged(rows):
    """Return the drifts that the log of a stand tells, an epoch a second."""
    log, places = StandLog(), rows @ AXES + ORIGIN
    fixes = (
        Fix(time_s=float(n), status=Status.FIXED, xyz_m=place, sigma_horizontal_m=SIGMA_M, sigma_up_m=UP_M, speed_mps=None, age_s=1.0)
        for n, place in enumerate(places)
    )
    return [drift for drift in map(log.add, fixes) if drift is not None]


@pytest.mark.parametrize(("memory_s", "stretch_s"), [(5.0, 60), (20.0, 150), (50.0, 300), (100.0, 700)])
def test_a_scatter_of_twice_the_claim_is_told_within_the_stretch_it_says_it_takes(memory_s, stretch_s):
    """Nine of ten, at memories up to 100 s; a right claim over the same stretch is called too small in fewer than one of a hundred."""
    count, named = repeats(100, 20), {1.0: 0, 2.0: 0}
    for seed in range(count):
        for scale in named:
            rows = wander(np.random.default_rng([seed, 7]), stretch_s, memory_s, scale)
            held = claim_held(Epochs(rows, stretch_s - 1.0), (SIGMA_M, SIGMA_M, UP_M))
            named[scale] += any(item.too_small for item in held)

    assert named[2.0] >= 0.9 * count - 1.0 and named[1.0] <= 0.01 * count + 0.5


def test_a_stand_longer_than_three_minutes_is_judged_by_its_whole_log():
    """Twice the claim at a memory of 100 s, twelve minutes: the last three minutes alone would not tell."""
    rows = wander(np.random.default_rng(4), 720, 100.0, 2.0)
    watch, _ = stand(rows)
    assert any(item.too_small for item in watch.state().claims)


def test_the_stretch_it_takes_is_said_and_grows_with_the_memory():
    takes = [stand(wander(np.random.default_rng(3), 170, memory_s))[0].state().claims[0].takes_s for memory_s in (1.0, 15.0, 60.0)]
    assert takes[0] == 20.0 < takes[1] < takes[2]


@pytest.mark.parametrize("size_m", [0.05, 0.1, 0.2])
@pytest.mark.parametrize("over_s", [120, 300, 600])
def test_a_drift_while_the_pole_stands_is_told_with_its_size(size_m, over_s):
    """50 to 200 mm over minutes, in receivers' usual wander."""
    random = np.random.default_rng(int(size_m * 1000 + over_s))
    drift = np.outer(np.clip(np.arange(over_s + 120) / over_s, 0.0, 1.0), [0.6, 0.8, 0.0]) * size_m

    _, told = stand(wander(random, len(drift), 10.0, 0.7) + drift)

    assert told and abs(max(item.horizontal_m for item in told) - size_m) <= max(0.5 * size_m, 0.03)
    assert all(item.over_s >= 55.0 for item in told)


def test_a_right_claim_is_seldom_called_a_drift():
    """Half an hour of a pole that stands, wandering as it claims with a memory of 100 s: one stand in ten at most."""
    count = repeats(60, 12)
    told = [bool(logged(wander(np.random.default_rng([n, 8]), 1800, 100.0))) for n in range(count)]
    # Five of 60 were seen at 4·√2 sigmas; a share of 12 has a standard deviation of 8 %.
    assert np.mean(told) <= 0.1 + 0.03 * looser(count, 60)


def test_a_pole_that_is_moved_a_little_by_hand_has_not_drifted():
    """Staking out: 8 cm to the side in one go, and ten minutes on each side."""
    rows = wander(np.random.default_rng(5), 1200, 10.0, 0.7)
    rows[600:, 0] += 0.08
    assert stand(rows)[1] == []


def test_a_base_that_is_elsewhere_on_the_air_is_no_drift():
    rows, watch = wander(np.random.default_rng(6), 400, 10.0, 0.7), RoverWatch()
    found = []
    for n, row in enumerate(rows):
        if n == 200:
            watch.base_moved()
        found += watch.add(epoch(n, row + np.array([0.0, 0.09 if n >= 200 else 0.0, 0.0])))
    assert not any(isinstance(item, Drift) for item in found)


def test_the_smallest_drift_goes_with_the_claim():
    """4·√2 = 5.657 sigmas of one end; at least 30 and 50 mm (common practice, no source)."""
    assert smallest_drift_m(0.01, 0.02) == pytest.approx((0.05657, 0.11314), abs=1e-5)
    assert smallest_drift_m(0.002, 0.004) == (0.03, 0.05)


def test_a_drift_is_a_finding_of_its_fix():
    watch, told = stand(wander(np.random.default_rng(9), 400, 10.0, 0.5) + np.outer(np.arange(400) / 400.0, [0.15, 0.0, 0.0]))
    (said,) = [item for item in judge_watch(watch.state(), Distances()) if item.code == "position-drifted"]
    assert told and "while it was fixed and the pole stood" in said.sentence and said.severity == "look"


def test_the_longest_stand_is_found_between_walks():
    random = np.random.default_rng(13)
    places = np.concatenate(
        [
            noise(random, 20, 1.0),
            np.cumsum(np.full((15, 3), [1.2, 0.3, 0.0]), axis=0),
            noise(random, 60, 1.0) + np.array([40.0, 9.0, 0.0]),
            np.cumsum(np.full((10, 3), [1.2, 0.3, 0.0]), axis=0) + np.array([40.0, 9.0, 0.0]),
        ]
    )
    watch = RoverWatch()
    fixes = []
    for n, place in enumerate(places):
        watch.add(epoch(n, place))
        fixes.append(watch.newest)
    longest = longest_stood(fixes)

    assert (longest[0].time_s - 43_200.0, longest[-1].time_s - 43_200.0) == pytest.approx((35.0, 94.0), abs=1.0)
    assert stood(longest).scatter.sigma_east_m < 0.008


def test_a_clock_grows_over_midnight_and_over_a_leap():
    clock = Clock()
    assert [clock.seconds(value) for value in (86_398.0, 86_399.0, 0.0, 1.0)] == [86_398.0, 86_399.0, 86_400.0, 86_401.0]

    clock = Clock()
    times = [clock.seconds(at, host) for at, host in ((100.0, 0.0), (101.0, 1.0), (3_701.0, 2.0), (3_702.0, 3.0), (102.0, 4.0))]
    assert np.diff(times) == pytest.approx([1.0] * 4), "a clock that is set is no gap of an hour"
    assert clock.leaps == 1 and clock.went_back == 1


def test_a_clock_that_leaps_makes_no_jump_and_loses_no_fix():
    watch = RoverWatch()
    found = []
    for n in range(60):
        found += watch.add(epoch(n + (3600 if n >= 30 else 0), (0, 0, 0)), host_s=1000.0 + n)

    assert found == [] and watch.state().initialisations == 1


def test_two_places_agree_within_both_claims_at_99_9_percent():
    # By hand: sigma sqrt(3² + 4²) = 5 mm; sqrt(chi-squared 0.999, 2) = 3.717, normal 0.9995 = 3.291 (tables, from memory).
    found = compared(np.zeros(3), np.array([0.018, 0.0, 0.0]), (0.003, 0.003), (0.004, 0.004), 0.0)
    assert (found.limit_horizontal_m, found.limit_up_m) == pytest.approx((0.018585, 0.016453), abs=2e-6)
    assert found.agrees
    assert not compared(np.zeros(3), np.array([0.0, 0.019, 0.0]), (0.003, 0.003), (0.004, 0.004), 0.0).agrees


@pytest.mark.parametrize(
    ("more", "distances", "code"),
    [
        ({"pdop": 7.0}, Distances(), "fix-weak"),
        ({"satellites": 5}, Distances(), "fix-weak"),
        ({}, Distances(vector_m=45_000.0, meant_m=45_000.0), "fix-far"),
        ({}, Distances(vector_m=100.0, meant_m=100.2), "distance-differs"),
        ({}, Distances(vector_m=3000.0, planned_m=2000.0), "distance-beyond-plan"),
    ],
)
def test_a_fix_that_is_not_to_be_believed_is_named(more, distances, code):
    watch = RoverWatch()
    watch.add(epoch(0.0, (0, 0, 0), **more))
    assert [item.code for item in judge_watch(watch.state(), distances)] == [code]
