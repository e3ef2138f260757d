"""The sky of a day: who sees what, good and poor hours, expected against seen, photos and skylines, sunrise; by second computations."""

from datetime import UTC, date, datetime, timedelta
from math import acos, atan2, cos, degrees, pi, radians, sin, sqrt, tan
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from openstake.core.budget import BudgetSettings
from openstake.core.errors import InputError
from openstake.core.evidence import InView
from openstake.core.judge.sky import judge_compared, judge_ionosphere, judge_masks
from openstake.core.link.airload import letters_of_messages
from openstake.core.sky.against import Overhead, SkyEnd, against, compared, standing_of, under_of
from openstake.core.sky.broadcast import OrbitStates
from openstake.core.sky.constellations import nominal_orbits
from openstake.core.sky.day import glance, kp_words, qualities, sky_day, spans_of
from openstake.core.sky.expected import Dops, directions_of
from openstake.core.sky.obstruction import Cell
from openstake.core.sky.photo import Sighted, aimed, places_in
from openstake.core.sky.skyline import Skyline, skyline_of_cells
from openstake.core.sky.sources import planned
from openstake.core.sky.sun import sun_times_s

WALL = Skyline((200.0, 200.0, 290.0, 290.0), (0.0, 35.0, 35.0, 0.0))
ENDS = (SkyEnd(mask_deg=10.0), SkyEnd(mask_deg=10.0, skyline=WALL))


# --- the sun ---


def almanac_sunrise_s(day, latitude_deg, longitude_deg, rises):
    """Sunrise and sunset by the low precision formulas of the Astronomical Almanac (page C5, from memory: 0.01° of the sun's place), at
    a depression of 50 minutes of arc: a quarter of a degree of the sun, and refraction.  Solved by going on from noon."""
    at_s = datetime(day.year, day.month, day.day, 12, tzinfo=UTC).timestamp() - longitude_deg / 15.0 * 3600.0
    for _ in range(6):
        n = (at_s - datetime(2000, 1, 1, 12, tzinfo=UTC).timestamp()) / 86_400.0
        mean, anomaly = radians(280.460 + 0.9856474 * n), radians(357.528 + 0.9856003 * n)
        ecliptic = mean + radians(1.915) * sin(anomaly) + radians(0.020) * sin(2 * anomaly)
        obliquity = radians(23.439 - 0.0000004 * n)
        ascension = atan2(cos(obliquity) * sin(ecliptic), cos(ecliptic))
        declination = np.arcsin(sin(obliquity) * sin(ecliptic))
        latitude = radians(latitude_deg)
        cosine = (sin(radians(-50.0 / 60.0)) - sin(latitude) * sin(declination)) / (cos(latitude) * cos(declination))
        if abs(cosine) > 1.0:
            return None
        hour_angle = -acos(cosine) if rises else acos(cosine)
        sidereal = radians(280.46062 + 360.98564736629 * n + longitude_deg)
        now = (sidereal - ascension + pi) % (2 * pi) - pi
        at_s += ((hour_angle - now + pi) % (2 * pi) - pi) / (2 * pi) * 86_164.1
    return at_s


@pytest.mark.parametrize(
    ("latitude", "longitude", "zone"),
    [(53.36, -6.7, "Europe/Dublin"), (43.9, -72.6, "America/New_York"), (-33.9, 151.2, "Australia/Sydney"), (0.0, 0.0, "UTC")],
)
@pytest.mark.parametrize("day", [date(2026, 3, 20), date(2026, 6, 21), date(2026, 12, 2)])
def test_sunrise_and_sunset_are_those_of_the_almanac_within_a_minute(latitude, longitude, zone, day):
    rise_s, set_s = sun_times_s(day, ZoneInfo(zone), latitude, longitude)
    assert rise_s == pytest.approx(almanac_sunrise_s(day, latitude, longitude, True), abs=60.0)
    assert set_s == pytest.approx(almanac_sunrise_s(day, latitude, longitude, False), abs=60.0)
    # Of that day in its zone, wherever that lies from UTC.
    for moment in (rise_s, set_s):
        assert datetime.fromtimestamp(moment, ZoneInfo(zone)).date() == day


def test_where_the_sun_stays_up_or_down_nothing_is_said():
    assert sun_times_s(date(2026, 6, 21), ZoneInfo("UTC"), 78.2, 15.6) == (None, None)
    assert almanac_sunrise_s(date(2026, 6, 21), 78.2, 15.6, True) is None


# --- good hours and poor ones ---


def dops(*pdop):
    values = np.array(pdop, dtype=float)
    return Dops(values, values, values)


def test_good_is_within_1_3_times_the_least_for_half_an_hour_and_poor_over_twice_for_ten_minutes():
    nan = float("nan")
    found = qualities(dops(1.0, 1.1, 1.3, 1.29, 1.4, 1.2, 1.5, 2.1, 2.2, nan, 1.9, 2.5, 1.35), 600.0)
    # The single 1.2 is too short to be good, the single 2.5 too short to be poor.
    assert found == ("good",) * 4 + ("fair",) * 3 + ("poor",) * 3 + ("fair",) * 3
    assert spans_of(found, "good") == [(0, 3)] and spans_of(found, "poor", 8) == [(8, 9)]
    clock = lambda n: str((datetime(2026, 1, 1, 7, 40) + timedelta(minutes=10 * n)).time())[:5]  # noqa: E731
    assert glance(found, clock) == "Good 07:40 to 08:10, poor 08:50 to 09:10."
    assert glance(found, clock, 8) == "Poor 09:00 to 09:10." and glance(found, clock, 99) == ""
    assert glance(("good",) * 5, clock) == "Good all the time."
    assert glance(("poor",) * 5, clock) == "Poor all the time."
    assert glance(("fair",) * 5, clock) == "No good hour and no poor one."
    assert qualities(dops(nan, nan, nan), 600.0) == ("poor",) * 3


def test_the_span_that_holds_now_is_said_however_short_it_is():
    quality = ("good",) * 4 + ("fair",) + ("good",) * 9 + ("fair",) + ("good",) * 8
    assert glance(quality, str) == "Good 0 to 3 and 5 to 13 and 15 to 22."


def test_a_day_counts_what_each_end_sees_by_a_second_look_at_every_satellite():
    moments = 1_450_000_000.0 + 600.0 * np.arange(30)
    place = (3_800_000.0, -450_000.0, 5_090_000.0)
    (seen,) = directions_of(nominal_orbits(), [place], moments)
    day = sky_day(
        seen,
        seen,
        (SkyEnd(mask_deg=12.0), SkyEnd(mask_deg=10.0, skyline=WALL, constellations=frozenset("GE"))),
        500.0,
        600.0,
        BudgetSettings(),
    )
    for s, name in enumerate(seen.satellites):
        for t in range(len(moments)):
            azimuth, elevation = seen.azimuth_deg[s, t], seen.elevation_deg[s, t]
            base = elevation >= 12.0
            rover = name[0] in "GE" and elevation >= 10.0 and not (200.0 < azimuth < 290.0 and elevation < 35.0)
            expected = "-" if elevation < 0 else {(True, True): "c", (True, False): "b", (False, True): "r"}.get((base, rover), "n")
            assert day.seen_by(s)[t] == expected, (name, t)
    assert set(day.counts()) == {"G", "E"}
    assert sum(count[3] for count in day.counts().values()) == sum(day.seen_by(s)[3] == "c" for s in range(len(seen.satellites)))
    # The geometry is that of the satellites in common: the whole inverse, a clock for each constellation.
    t = 3
    used = [s for s in range(len(seen.satellites)) if day.seen_by(s)[t] == "c"]
    azimuth, elevation = np.radians(seen.azimuth_deg[used, t]), np.radians(seen.elevation_deg[used, t])
    towards = np.column_stack([np.cos(elevation) * np.sin(azimuth), np.cos(elevation) * np.cos(azimuth), np.sin(elevation)])
    clocks = np.array([[seen.satellites[s][0] == letter for letter in "GE"] for s in used], dtype=float)
    design = np.hstack([towards, clocks])
    variances = np.diag(np.linalg.inv(design.T @ design))
    assert day.dops.pdop[t] == pytest.approx(sqrt(variances[:3].sum()), rel=1e-9)


def test_kp_is_said_by_the_scale_of_storms():
    # NOAA: G1 is Kp 5, G3 is Kp 7, G5 is Kp 9 (from memory).
    assert "G1" in kp_words(5.0) and "G3" in kp_words(7.3) and "G5" in kp_words(9.0)
    assert "quiet" in kp_words(3.9) and "unsettled" in kp_words(4.0)


# --- expected against seen ---


def above(satellite, azimuth, elevation, healthy=True):
    return Overhead(satellite=satellite, azimuth_deg=azimuth, elevation_deg=elevation, healthy=healthy)


@pytest.mark.parametrize(
    ("seen", "standing"),
    [
        (above("G05", 100.0, 40.0), "expected"),
        (above("G05", 100.0, 8.9), "mask"),
        (above("G05", 100.0, 9.5), "edge"),
        (above("G05", 100.0, 10.9), "edge"),
        (above("G05", 240.0, 33.0), "skyline"),
        (above("G05", 240.0, 35.8), "edge"),
        (above("G05", 240.0, 36.2), "expected"),
        (above("G05", 199.4, 20.0), "edge"),  # a degree beside the wall
        (above("G05", 198.0, 20.0), "expected"),
        (above("G05", 100.0, 40.0, healthy=False), "health"),
        (above("J02", 100.0, 40.0), "profile"),
    ],
)
def test_what_is_expected_of_a_satellite_at_one_end(seen, standing):
    assert standing_of(seen, SkyEnd(mask_deg=10.0, skyline=WALL, constellations=frozenset("GREC"))) == standing


def listed(number, cnr=45.0, used=True, constellation="GPS"):
    return InView(constellation=constellation, number=number, elevation_deg=40.0, azimuth_deg=100.0, cnr_dbhz=cnr, used=used)


def test_every_missing_satellite_has_a_cause():
    sky = [above(f"G{n:02d}", 100.0, 40.0) for n in range(1, 9)] + [
        above("G09", 240.0, 20.0),
        above("G10", 100.0, 5.0),
        above("E01", 90.0, 50.0),
    ]
    sent = {"GPS": {1, 2, 3, 4, 6, 7, 8, 9, 10}, "Galileo": set()}
    view = [listed(n) for n in (1, 2, 3, 4, 9, 10)] + [listed(6, cnr=None, used=False), listed(7, used=False)]
    found = {item.satellite: item for item in against(sky, sky, ENDS, sent, view)}

    assert [found[f"G{n:02d}"].cause for n in range(1, 9)] == ["", "", "", "", "not sent", "not heard", "not used", "not heard"]
    assert {name for name, item in found.items() if item.is_odd} == {"G05", "G06", "G07", "G08", "E01", "G09", "G10"}
    assert (found["G09"].expected, found["G09"].defies, found["G09"].unexpected) == (
        False,
        "skyline",
        "used, though behind the skyline of the rover",
    )
    assert (found["G10"].defies, found["G10"].cause) == ("mask", "")
    assert found["E01"].cause == "not sent" and "base" in found["E01"].words

    said = compared(list(found.values()), under_of(ENDS, "a", "b"))
    assert (said.expected, said.used, set(said.missing)) == (9, 4, {"G05", "G06", "G07", "G08", "E01"})
    assert said.unexpected == ("G09",) and not said.agrees
    assert [item.code for item in judge_compared(said)] == ["sky-not-as-expected"]


def test_a_sky_agrees_from_four_in_five_on():
    sky = [above(f"G{n:02d}", 100.0, 40.0) for n in range(1, 11)]
    sent = {"GPS": set(range(1, 11))}

    def said(used):
        return compared(against(sky, sky, ENDS, sent, [listed(n) for n in range(1, used + 1)]), under_of(ENDS, "a", "b"))

    assert [said(n).agrees for n in (10, 8, 7, 0)] == [True, True, False, False]
    assert judge_compared(said(10)) == []
    # Where nobody hears, nothing is missing yet and nothing is used.
    unheard = against(sky, sky, ENDS, None, None)
    assert {item.cause for item in unheard} == {""} and not compared(unheard, under_of(ENDS, "a", "b")).agrees
    # A receiver that does not say what it uses is taken by what it hears.
    quiet = against(sky, sky, ENDS, sent, [listed(n, used=None) for n in range(1, 11)])
    assert compared(quiet, under_of(ENDS, "a", "b")).agrees


def test_two_satellites_of_one_number_are_told_apart_by_their_constellation():
    sky = [above("G05", 100.0, 40.0), above("E05", 100.0, 40.0)]
    found = {item.satellite: item for item in against(sky, sky, ENDS, {"GPS": {5}, "Galileo": {5}}, [listed(5, constellation="Galileo")])}
    assert (found["G05"].used, found["E05"].used) == (False, True)


def test_what_is_sent_without_its_numbers_being_read_and_numbers_of_no_slot_are_not_called_missing():
    sky = [above("G05", 100.0, 40.0), above("R720", 100.0, 40.0), above("E01", 100.0, 40.0)]
    found = {
        item.satellite: item
        for item in against(sky, sky, ENDS, {"GPS": None, "Galileo": {1}}, [listed(5), listed(1, constellation="Galileo")])
    }
    assert found.keys() == {"G05", "E01"} and found["G05"].sent is None and found["G05"].cause == ""
    assert compared(list(found.values()), under_of(ENDS, "a", "b")).agrees


def test_masks_that_differ_or_are_not_kept_are_told():
    codes = lambda *given: [item.code for item in judge_masks(*given)]  # noqa: E731
    assert codes(10.0, 10.0, {}, 10.4, 9.2) == []
    assert codes(10.0, 15.0, {}, None, None) == ["mask-differs"]
    assert codes(10.0, 10.0, {}, 4.0, 5.0) == ["mask-not-kept", "mask-not-kept"]
    assert codes(10.0, 10.0, {"control": 15.0}, None, None) == ["mask-below-limit"]


def test_midday_of_a_strong_ionosphere_is_named_on_a_long_baseline_alone():
    assert [item.code for item in judge_ionosphere(9.0, 0.03, 40_000.0, "14:20")] == ["ionosphere-midday"]
    assert judge_ionosphere(9.0, 0.001, 2_000.0, "14:20") == [] and judge_ionosphere(3.0, 0.03, 40_000.0, "14:20") == []


def test_messages_say_which_constellations_a_base_sends():
    # RTCM 10403.3: 1071 to 1077 GPS, 1081 to 1087 GLONASS, 1091 to 1097 Galileo, 1111 to 1117 QZSS, 1121 to 1127 BeiDou.
    assert letters_of_messages([1074, 1087, 1091, 1117, 1124, 1006, 1230, 1019]) == set("GREJC")
    assert letters_of_messages([1004, 1012]) == set("GR") and letters_of_messages([1005, 1033, 1070, 1078]) == set()


# --- skylines ---


def cell(azimuth, elevation):
    return Cell(azimuth_from_deg=azimuth, azimuth_to_deg=azimuth + 10.0, elevation_from_deg=elevation, elevation_to_deg=elevation + 5.0)


@given(st.lists(st.tuples(st.integers(0, 35), st.integers(0, 17)), max_size=60))
def test_the_line_over_what_was_not_heard_stands_as_high_as_the_highest_piece_of_each_direction(pieces):
    line = skyline_of_cells([cell(10.0 * azimuth, 5.0 * elevation) for azimuth, elevation in pieces])
    for azimuth in range(36):
        top = max((5.0 * elevation + 5.0 for at, elevation in pieces if at == azimuth), default=0.0)
        np.testing.assert_allclose(line.elevation_deg([10.0 * azimuth + 0.5, 10.0 * azimuth + 5.0, 10.0 * azimuth + 9.5]), top)


# --- elements of several files ---


class At:
    """A satellite that stands at a place known so long before and after a moment."""

    def __init__(self, x_m, at_s, reach_s=np.inf):
        self.satellite, self._x_m, self._at_s, self._reach_s = "G05", x_m, at_s, reach_s

    def states(self, gps_s):
        age = np.abs(gps_s - self._at_s)
        xyz = np.where((age <= self._reach_s)[:, None], [[self._x_m, 0.0, 0.0]], np.nan)
        return OrbitStates(xyz_m=xyz, clock_s=age, age_s=age, healthy=np.ones(len(gps_s), dtype=bool))


def test_of_several_files_the_youngest_elements_are_used_whatever_order_they_came_in():
    day = 86_400.0
    moments = np.array([0.0, 0.9, 1.1, 5.9, 20.0]) * day
    for order in ((At(1.0, 0.0), At(2.0, 2.0 * day)), (At(2.0, 2.0 * day), At(1.0, 0.0))):
        (orbit,) = planned({"mean": order, "broadcast": [At(3.0, 6.0 * day, 0.5 * day)]})
        found = orbit.states(moments)
        # A better source before a younger one; after fourteen days mean elements hold no more.
        np.testing.assert_array_equal(found.xyz_m[:, 0], [1.0, 1.0, 2.0, 3.0, np.nan])
        np.testing.assert_allclose(found.age_s[:4], np.array([0.0, 0.9, 0.9, 0.1]) * day)


# --- photos ---


def seen_in(azimuth_deg, elevation_deg, looks_deg, pitch_deg, width_deg, aspect):
    """Where a pinhole camera shows a direction: the axes turned one after the other, by matrices."""
    turn, up = radians(looks_deg), radians(pitch_deg)
    east, north, high = (
        cos(radians(elevation_deg)) * sin(radians(azimuth_deg)),
        cos(radians(elevation_deg)) * cos(radians(azimuth_deg)),
        sin(radians(elevation_deg)),
    )
    about_up = np.array([[cos(turn), -sin(turn), 0], [sin(turn), cos(turn), 0], [0, 0, 1]])
    about_right = np.array([[1, 0, 0], [0, cos(up), sin(up)], [0, -sin(up), cos(up)]])
    right, ahead, above_it = about_right @ about_up @ np.array([east, north, high])
    focal = 0.5 / tan(radians(width_deg) / 2)
    return 0.5 + focal * right / ahead, 0.5 - focal * above_it / ahead / aspect


@given(
    looks=st.floats(0, 359.9), pitch=st.floats(-15, 25), width=st.floats(40, 90), apart=st.floats(0.25, 0.45), elevation=st.floats(0, 25)
)
def test_two_directions_and_the_horizon_say_where_a_camera_looked(looks, pitch, width, apart, elevation):
    aspect = 0.75
    left, right = looks - apart * width, looks + apart * width
    places = [seen_in(azimuth, elevation, looks, pitch, width, aspect) for azimuth in (left, right)]
    _, horizon_y = seen_in(looks, 0.0, looks, pitch, width, aspect)
    found = aimed(
        "p", aspect, *(Sighted(*place, azimuth % 360.0) for place, azimuth in zip(places, (left, right), strict=True)), horizon_y, False
    )

    assert (found.azimuth_deg - looks + 180) % 360 - 180 == pytest.approx(0, abs=1e-4)
    assert (found.pitch_deg, found.width_deg) == pytest.approx((pitch, width), abs=1e-4)
    direction = (looks + 0.2 * width, pitch + 5.0)
    x, y = seen_in(*direction, looks, pitch, width, aspect)
    mine = places_in(found, *direction)
    if 0 <= x < 1 and 0 <= y < 1:
        assert (float(mine[0]), float(mine[1])) == pytest.approx((x, y), abs=1e-5)
    assert np.isnan(places_in(found, looks + 180.0, 10.0)[0]), "behind the camera there is nothing"


def test_a_sweep_is_a_cylinder_and_may_go_all_the_way_round():
    found = aimed("p", 0.2, Sighted(0.25, 0.3, 80.0), Sighted(0.75, 0.3, 240.0), 0.6, True)
    assert found.width_deg == pytest.approx(320.0) and found.azimuth_deg == pytest.approx(160.0)
    # A tenth of the height above the horizon, on a cylinder whose circumference is 360/320 of the picture's width.
    radius = 1.0 / radians(320.0)
    elevation = degrees(np.arctan(0.1 * 0.2 / radius))
    x, y = places_in(found, 160.0 + 32.0, elevation)
    assert (float(x), float(y)) == pytest.approx((0.6, 0.5), abs=1e-9)


@pytest.mark.parametrize(
    ("left", "right", "words"),
    [
        (Sighted(0.5, 0.5, 10.0), Sighted(0.505, 0.5, 20.0), "farther apart"),
        (Sighted(0.4, 0.5, 10.0), Sighted(0.6, 0.5, 170.0), "narrower than"),
        (Sighted(0.2, 0.5, 100.0), Sighted(0.8, 0.5, 60.0), "which is left"),
    ],
)
def test_directions_that_are_of_no_picture_are_refused(left, right, words):
    with pytest.raises(InputError, match=words):
        aimed("p", 0.75, left, right, 0.5, False)
