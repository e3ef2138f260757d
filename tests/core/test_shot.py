"""Shots: what holds an epoch back, what is left out of a mean, how names count up; the way to a mark; closing."""

from dataclasses import replace

import numpy as np
import pytest

from openstake.core.advice import shot_advice
from openstake.core.closing import ClosingKnown, closing_list
from openstake.core.errors import InputError
from openstake.core.evidence import InView, Status
from openstake.core.guidance import guidance_to, in_words
from openstake.core.judge.bench import BenchSeen, judge_bench
from openstake.core.judge.device import judge_device
from openstake.core.judge.link_lost import LinkHeard, judge_lost
from openstake.core.judge.shots import ShotSeen, judge_gap, judge_pair_of_shots
from openstake.core.rtk.rover import DeviceSeen
from openstake.core.shot import (
    USUAL_KINDS,
    ShotKind,
    ShotSettings,
    checked_name,
    checked_settings,
    kept_epochs,
    longest_gap_s,
    moved_enough,
    next_name,
    not_within,
    unreported,
)
from openstake.core.sky.obstruction import SeenSky
from openstake.core.sky.satellites_used import lowest_used_deg, sky_use
from openstake.core.sky.sun import sun_azimuth_deg
from tests.core.test_rtk import epoch

CONTROL = next(kind for kind in USUAL_KINDS if kind.name == "control")
HALF_A_DEGREE = 0.5


@pytest.mark.parametrize(
    ("more", "fixed_only", "words"),
    [
        ({}, True, ""),
        ({"quality": 5}, True, "a fixed solution (now float)"),
        ({"quality": 5}, False, ""),
        ({"age_s": 4.2}, True, "an age of at most 3.0 s (now 4.2 s)"),
        ({"pdop": 3.4}, True, "a PDOP of at most 3.0 (now 3.4)"),
        ({"sigma_m": 0.015}, True, "a horizontal 95 % of at most 0.030 m (now 0.037 m)"),  # 2.4477 × 15 mm
        ({"satellites": 7}, True, "at least 8 satellites (now 7)"),
        ({"separation_m": None}, True, "a height: GGA comes without a geoid separation"),
    ],
)
def test_an_epoch_outside_its_limits_is_held_back_with_the_reason(more, fixed_only, words):
    assert not_within(epoch(0.0, (0, 0, 0), **more), CONTROL, fixed_only) == words


def test_an_epoch_without_a_number_is_not_held_back_by_its_limit():
    """A receiver that sends no GST and no GSA is told so once; its shots are not blocked for ever."""
    bare = replace(epoch(0.0, (0, 0, 0)), pdop=None, satellites=None, sigma_up_m=None, age_s=None)
    assert not_within(bare, CONTROL, True) == ""
    assert unreported(bare, CONTROL).endswith("an age, a PDOP, a horizontal 95 %, a height 95 %, satellites.")
    assert unreported(epoch(0.0, (0, 0, 0)), CONTROL) == ""


def test_a_low_satellite_in_the_solution_holds_a_shot_back_where_the_receiver_says_it():
    """A cut-off that the receiver does not keep: what is listed and not used counts nothing, and who says nothing is told so."""
    kind = replace(CONTROL, least_elevation_deg=15.0)
    listed = [
        InView(constellation="GPS", number=n, elevation_deg=e, azimuth_deg=0.0, used=u)
        for n, e, u in ((1, 8.0, True), (2, 40.0, True), (3, 3.0, False))
    ]
    good = epoch(0.0, (0, 0, 0))
    assert not_within(good, kind, True, "m", lowest_used_deg(listed)) == "at least 15° elevation of the lowest satellite used (now 8°)"
    assert not_within(good, kind, True, "m", lowest_used_deg(listed[1:])) == ""
    assert not_within(good, CONTROL, True, "m", 3.0) == ""
    silent = [replace(item, used=None) for item in listed]
    assert not_within(good, kind, True, "m", lowest_used_deg(silent)) == ""
    assert "lowest satellite used" in unreported(good, kind, lowest_used_deg(silent))


def test_a_limit_is_said_in_the_feet_of_the_job():
    """0.030 m is 0.10 ft, and 2.4477 × 15 mm is 0.12 ft."""
    wide = epoch(0.0, (0, 0, 0), sigma_m=0.015)
    assert not_within(wide, CONTROL, True, "sft") == "a horizontal 95 % of at most 0.10 ft (now 0.12 ft)"


def test_a_shot_in_hand_says_what_it_waits_for_or_how_far_it_has_come():
    assert shot_advice("a position", None, 3.0, 60.0, 4) == "Held back: waiting for a position."
    assert shot_advice("", None, 12.4, 60.0, 13) == "12 of 60 s, 13 epochs. Keep the pole plumb."
    assert shot_advice("", 1, 0.0, 0.0, 1) == "The track runs: 1 point."


def test_epochs_far_from_the_others_are_left_out_and_the_half_stays():
    random = np.random.default_rng(3)
    enu = random.normal(0.0, 0.004, (40, 3))
    enu[7] += [0.0, 0.31, 0.0]
    enu[25] += [0.0, 0.0, -0.2]

    assert np.flatnonzero(~kept_epochs(enu)).tolist() == [7, 25]
    assert kept_epochs(enu[:4]).all(), "of four nobody knows which is out"
    two_places = np.vstack([random.normal(0.0, 0.002, (6, 3)), random.normal(0.5, 0.002, (6, 3))])
    assert kept_epochs(two_places).all(), "half against half: neither is called wrong"


@pytest.mark.parametrize(
    ("name", "taken", "free"),
    [
        ("P1", set(), "P1"),
        ("P1", {"P1"}, "P2"),
        ("P9", {"P9"}, "P10"),
        ("A07", {"A07", "A08"}, "A09"),
        ("A99", {"A99"}, "A100"),
        ("TOP", {"TOP"}, "TOP1"),
        ("3", {"3", "4"}, "5"),
        ("B-1a", {"B-1a"}, "B-1a1"),
    ],
)
def test_a_name_counts_up_and_never_collides(name, taken, free):
    assert next_name(name, taken.__contains__) == free


@pytest.mark.parametrize("name", ["", "   ", "x" * 41, "a\nb", "a\u2028b"])
def test_a_name_that_is_none_is_refused(name):
    with pytest.raises(InputError):
        checked_name(name)


def test_a_track_takes_a_point_by_time_or_by_distance():
    by_distance = ShotKind(name="track", every_m=5.0)
    by_either = ShotKind(name="track", every_m=5.0, every_s=2.0)

    assert not moved_enough(by_distance, 60.0, 4.9) and moved_enough(by_distance, 0.1, 5.0)
    assert moved_enough(by_either, 2.0, 0.0) and not moved_enough(by_either, 1.0, 1.0)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"kinds": USUAL_KINDS[:3]}, "kinds"),
        ({"kinds": (*USUAL_KINDS[:3], ShotKind(name="track"))}, "kinds.3.every_s"),
        ({"codes": ShotSettings().codes[:1] * 2}, "codes"),
    ],
)
def test_kinds_that_cannot_be_used_are_refused_at_their_field(change, field):
    with pytest.raises(InputError) as refused:
        checked_settings(replace(ShotSettings(), **change))
    assert refused.value.field == field


# --- two shots, the bench ---


def shot(name, east, up, since, at, sigma=0.006):
    return ShotSeen(
        id=name,
        name=name,
        east_m=east,
        north_m=0.0,
        height_m=up,
        sigma_east_m=sigma,
        sigma_north_m=sigma,
        sigma_up_m=0.010,
        initialised_s=since,
        created_s=at,
    )


def test_two_shots_of_one_place_from_two_initialisations_are_compared():
    before, same, after = (shot("P1", 0.0, 0.0, 100.0, 200.0), shot("P2", 0.0, 0.0, 100.0, 300.0), shot("P3", 0.2, 0.0, 400.0, 500.0))

    assert not same.is_independent_of(before) and after.is_independent_of(before)
    assert not shot("P4", 0.0, 0.0, None, 600.0).is_independent_of(before), "a fix that was there before it was heard"
    assert judge_pair_of_shots(before, after).code == "shots-disagree"
    assert judge_pair_of_shots(before, shot("P5", 0.015, 0.02, 400.0, 500.0)).code == "shots-agree"


def test_a_bench_test_says_what_tape_and_measurement_say():
    good, wrong, none = (
        BenchSeen(taped_m=1.8, measured_m=measured, claim_m=0.006, epochs=20, fix_after_s=12.0, listened_s=40.0)
        for measured in (1.812, 1.9, None)
    )

    assert [judge_bench(seen)[0].code for seen in (good, wrong, none)] == ["bench-agrees", "bench-differs", "bench-no-fix"]
    # By hand: hypot(3 × hypot(6 mm, 2 mm), 10 mm) = 21.4 mm.
    assert judge_bench(good)[0].numbers["limit_m"] == pytest.approx(0.0214, abs=5e-5)


# --- what a device lacks, a link that is lost ---

WHOLE = DeviceSeen(
    epochs=100, rate_hz=1.0, decimals=7, with_gst=100, with_ellipse=100, with_separation=100, with_position=100, clock_off_s=0.1
)


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({}, None),
        ({"with_gst": 0, "with_ellipse": 0}, "gst-missing"),
        ({"with_ellipse": 0}, "gst-without-ellipse"),
        ({"rate_hz": 0.2}, "rate-too-low"),
        ({"decimals": 5}, "positions-coarse"),
        ({"with_separation": 0}, "separation-missing"),
        ({"clock_off_s": -37.0}, "clock-off"),
        ({"epochs": 5, "with_gst": 0}, None),
        ({"epochs": 4, "apart_m": 5200.0}, "two-receivers"),
    ],
)
def test_what_a_device_does_not_send_is_told(change, code):
    found = judge_device(replace(WHOLE, **change))
    assert [item.code for item in found] == ([code] if code else [])


def test_five_decimals_of_a_minute_are_18_mm():
    # One minute of latitude is a nautical mile, 1852 m: 10⁻⁵ of it is 18.5 mm.
    assert "18.5 mm" in judge_device(replace(WHOLE, decimals=5))[0].sentence


@pytest.mark.parametrize(
    ("change", "code", "cause"),
    [
        ({"age_s": 1.0, "silent_s": 0.0}, None, ""),
        ({"heard_for_s": 5.0}, None, ""),
        ({}, "corrections-never-heard", "channel, spacing, modulation"),
        ({"radio": False}, "corrections-never-heard", "host, port, mountpoint"),
        ({"silent_s": 40.0}, "corrections-lost", "range or terrain, the base's battery"),
        ({"silent_s": 40.0, "frames": 100, "stream_silent_s": 39.0}, "corrections-lost", "base itself has stopped"),
        ({"silent_s": 40.0, "frames": 100, "bad_frames": 30, "stream_silent_s": 0.0}, "corrections-lost", "Interference"),
        ({"age_s": 1.0, "unused_for_s": 90.0}, "corrections-not-used", "a format it does not read"),
    ],
)
def test_a_lost_link_is_judged_by_the_evidence_there_is(change, code, cause):
    heard = LinkHeard(**({"status": Status.SINGLE, "age_s": None, "heard_for_s": 60.0, "silent_s": None} | change))
    found = judge_lost(heard)

    assert [item.code for item in found] == ([code] if code else [])
    assert all(cause in item.cause for item in found)


# --- the sky ---


def test_the_reason_why_a_satellite_is_not_used():
    def sat(number, elevation=40.0, cnr=45.0, used=False, name="GPS"):
        return InView(constellation=name, number=number, elevation_deg=elevation, azimuth_deg=100.0, cnr_dbhz=cnr, used=used)

    rows = [sat(1, used=True), sat(2, elevation=8.0), sat(3, cnr=None), sat(4), sat(5, cnr=27.0), sat(6, name="NavIC"), sat(7)]
    sky = sky_use(rows, {"GPS": {1, 2, 3, 5, 7, 9}}, 10.0, ("GPS", "GLONASS"))
    found = {item.number: item for item in sky.satellites}

    assert found[1].use == "used" and found[1].why == ""
    assert "mask of 10" in found[2].why and "no signal" in found[3].why and "not sent" in found[4].why
    assert "27 dB-Hz" in found[5].why and "profile" in found[6].why and "does not say why" in found[7].why
    counts = {item.constellation: (item.used, item.sent, item.heard) for item in sky.constellations}
    assert counts == {"GPS": (1, 5, 5), "NavIC": (0, 0, 1)}
    assert sum(item.count for item in sky.reasons) == 6 and {item.why for item in sky.reasons} == {
        item.why for item in sky.satellites if item.why
    }
    assert sky_use(rows, None, 10.0, None).constellations[0].sent is None
    assert sky_use(rows, {"GPS": {1, 9}}, 10.0, None).unseen == {"GPS": (9,)}
    assert sky_use(rows, None, 10.0, None).not_sent == 0, "a base that is not heard has not failed to send"


@pytest.mark.parametrize(
    ("times", "gap_s"),
    [
        ([*range(10)], 0.0),
        ([0.0, 1.0, 2.0, 60.0, 61.0], 58.0),
        ([0.0, 1.0, 3.0, 4.0], 0.0),  # one epoch that was lost on the way
        ([86_398.0, 86_399.0, 20.0, 21.0], 21.0),  # over midnight
        ([5.0, 4.0, 5.0, 6.0], 0.0),  # a clock that goes back
        ([0.0, 5.0, 10.0, 15.0], 0.0),  # every five seconds is a rhythm
        ([None, None], 0.0),
        ([3.0], 0.0),
    ],
)
def test_a_silence_within_a_shot_is_measured(times, gap_s):
    assert longest_gap_s(times) == gap_s
    assert [item.code for item in judge_gap(gap_s)] == (["shot-has-gap"] if gap_s else [])


def test_an_obstruction_is_where_satellites_are_listed_and_never_heard():
    seen = SeenSky()
    for _ in range(40):
        seen.add(
            [
                InView(constellation="GPS", number=1, elevation_deg=22.0, azimuth_deg=45.0, cnr_dbhz=None),
                InView(constellation="GPS", number=2, elevation_deg=22.0, azimuth_deg=145.0, cnr_dbhz=44.0),
            ]
        )
    for second in range(40):
        seen.add([InView(constellation="GPS", number=3, elevation_deg=61.0, azimuth_deg=200.0, cnr_dbhz=None if second % 2 else 40.0)])

    cells = seen.obstructed()
    assert [(cell.azimuth_from_deg, cell.elevation_from_deg) for cell in cells] == [(40.0, 20.0)]
    # Towards the pole no satellite ever stands (inclination 55 degrees, GPS ICD): nothing is known of it.
    assert not any(cell.azimuth_from_deg >= 340.0 or cell.azimuth_to_deg <= 20.0 for cell in cells)


def test_the_sun_stands_where_the_almanac_has_it():
    # At an equinox it rises due east and sets due west everywhere (facts of the sky); 2026-03-20 14:46 UTC (from memory).
    equator_noon_s = 1_774_008_000.0  # 2026-03-20 12:00 UTC
    east = sun_azimuth_deg(equator_noon_s - 5 * 3600, 0.0, 0.0)
    west = sun_azimuth_deg(equator_noon_s + 5 * 3600, 0.0, 0.0)
    assert east == pytest.approx(90.0, abs=HALF_A_DEGREE) and west == pytest.approx(270.0, abs=HALF_A_DEGREE)
    # Apparent noon at Greenwich on 3 November comes 16.4 min before 12:00 (equation of time, Astronomical Almanac, from memory).
    noon_s = 1_793_707_200.0 - 16.4 * 60  # 2026-11-03
    assert sun_azimuth_deg(noon_s, 51.48, 0.0) == pytest.approx(180.0, abs=HALF_A_DEGREE)
    assert sun_azimuth_deg(noon_s + 12 * 3600, 51.48, 0.0) is None, "at midnight it is down"


# --- the way to a mark ---


def test_the_way_is_said_as_people_say_it():
    assert in_words(-1.2, -0.4) == "0.400 m south, 1.200 m west"
    way = guidance_to(-3.0, -4.0, 0.5, course_deg=270.0, sun_deg=180.0)

    # 3-4-5: 5 m, azimuth 180 + atan(3/4) = 216.87; to the left of west by 53.13, to the right of the sun by 36.87.
    assert (way.distance_m, way.azimuth_deg) == pytest.approx((5.0, 216.8699), abs=1e-4)
    assert (way.turn_words, way.sun_words) == ("53° to the left", "37° to the right of the sun")
    assert guidance_to(0.0, 9.0, None, 0.0, None).turn_words == "straight on"
    assert guidance_to(0.0, -9.0, None, 0.0, 0.0).sun_words == "away from the sun"
    unknown = guidance_to(0.0, 9.0, None, None, None)
    assert (unknown.turn_words, unknown.sun_words) == ("walk on to see it", "the sun is down")
    assert guidance_to(0.01, 0.02, 0.0, None, None).there and guidance_to(0.01, 0.02, 0.0, None, None).turn_words == ""
    assert not guidance_to(0.01, 0.02, 0.0, None, None, fixed=False).there, "a float position is nowhere to a centimetre"


# --- closing ---

QUIET = ClosingKnown(
    now_s=10_000.0,
    recording=False,
    base_runs=False,
    last_point_s=5000.0,
    last_check_s=9000.0,
    last_check_agrees=True,
    last_check_mark="CS2",
    closing_readings=1,
    opening_readings=1,
    logs_running=0,
    raw_files=2,
)


@pytest.mark.parametrize(
    ("change", "due"),
    [
        ({}, []),
        ({"last_check_s": None}, ["check-out"]),
        ({"last_point_s": 9500.0}, ["check-out"]),
        ({"last_check_agrees": False}, ["check-out"]),
        ({"now_s": 12_000.0}, ["check-out"]),
        ({"closing_readings": 0}, ["height"]),
        ({"closing_readings": 0, "opening_readings": 0}, []),
        ({"base_runs": True, "recording": True, "logs_running": 1}, ["recording", "raw", "base"]),
        ({"unchecked": ("base mark",)}, ["links"]),
    ],
)
def test_closing_says_what_is_due_in_order(change, due):
    items = closing_list(replace(QUIET, **change), ("power", "files"))
    assert [item.key for item in items if item.state == "due"] == due


def test_what_is_charged_is_ticked_off_one_by_one():
    items = closing_list(replace(QUIET, charge=("Receiver A", "Radio")), ("power", "files", "charge Radio"))
    assert [(item.key, item.state) for item in items[-2:]] == [("charge Receiver A", "due"), ("charge Radio", "done")]


def test_pieces_of_the_sky_go_round_by_ten_degrees_and_up_by_five_and_none_lies_below_the_horizon():
    seen = SeenSky()
    for _ in range(30):
        seen.add(
            [
                InView(constellation="GPS", number=1, elevation_deg=-3.0, azimuth_deg=370.0),
                InView(constellation="GPS", number=2, elevation_deg=5.0, azimuth_deg=359.9),
                InView(constellation="GPS", number=3, elevation_deg=89.9, azimuth_deg=0.0),
            ]
        )
    found = [(cell.azimuth_from_deg, cell.azimuth_to_deg, cell.elevation_from_deg, cell.elevation_to_deg) for cell in seen.obstructed()]
    assert found == [(0.0, 10.0, 85.0, 90.0), (10.0, 20.0, 0.0, 5.0), (350.0, 360.0, 5.0, 10.0)]


@pytest.mark.parametrize(("heard", "obstructed"), [(0, True), (6, True), (7, False), (30, False)])
def test_a_satellite_that_is_heard_in_a_fifth_of_the_looks_is_a_weak_signal(heard, obstructed):
    seen = SeenSky()
    for look in range(30):
        assert not seen.obstructed(), "half a minute of looks first"
        seen.add([InView(constellation="GPS", number=1, elevation_deg=40.0, azimuth_deg=100.0, cnr_dbhz=30.0 if look < heard else None)])
    assert bool(seen.obstructed()) is obstructed
