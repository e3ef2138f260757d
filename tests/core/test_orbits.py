"""Orbits of every constellation against second computations: Kepler's by matrices, GLONASS's by another integrator, mean elements by skyfield."""

import gzip
from collections import defaultdict
from dataclasses import replace
from datetime import datetime, timedelta
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq
from sgp4.api import Satrec
from skyfield.api import EarthSatellite, load, wgs84
from skyfield.framelib import itrs

from openstake.core.budget import BudgetSettings, Circumstances, budget_of
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.single import single_position
from openstake.core.sky.broadcast import KeplerOrbit, is_geostationary, is_possible, nearest
from openstake.core.sky.expected import best_spans, directions_of, dops_of, expected_95, in_sight
from openstake.core.sky.glonass import GlonassOrbit
from openstake.core.sky.mean_elements import MeanElementsOrbit, satellite_named
from openstake.core.sky.precise import PreciseOrbit
from openstake.core.sky.skyline import NO_SKYLINE, skyline_of
from openstake.core.time_scales import gps_from_utc_s, gps_minus_utc_s, gps_seconds, utc_of_gps
from tests import published
from tests.texts import read_navigation, read_observations

DATA = Path(__file__).parent.parent / "data"
A_MILLIMETRE = 0.001
DAY = 2296 * 604_800 + 3 * 86_400  # 2024-01-10, GPS time


@cache
def text(name):
    return gzip.decompress((DATA / "rinex" / name).read_bytes()).decode()


@cache
def orbits():
    return read_navigation(text("mixed-six-hours.rnx.gz"))


# --- a second computation ---


def turned(axis, angle):
    """A rotation of axes about x (0), y (1) or z (2), as a matrix."""
    cos, sin = np.cos(angle), np.sin(angle)
    matrix = np.eye(3)
    one, two = [k for k in range(3) if k != axis]
    matrix[[one, two], [one, two]] = cos
    matrix[one, two], matrix[two, one] = (sin, -sin) if axis != 1 else (-sin, sin)
    return matrix


def second_computation(e, gps_s):
    """Where a satellite is, by rotations of axes and a root finder: IS-GPS-200 table 20-IV; Galileo OS SIS ICD 2.0, 5.1.1; BeiDou SIS ICD
    B1I 3.0, table 5-11; their constants typed anew from there."""
    gm, spin, behind = {"C": (3.986004418e14, 7.2921150e-5, 14.0), "E": (3.986004418e14, 7.2921151467e-5, 0.0)}.get(
        e.satellite[0], (3.986005e14, 7.2921151467e-5, 0.0)
    )
    axis = e.sqrt_semi_major_axis**2
    since = gps_s - e.orbit_time_s
    mean = e.mean_anomaly_rad + (np.sqrt(gm / axis**3) + e.motion_difference_rad_s) * since
    anomaly = brentq(lambda E: E - e.eccentricity * np.sin(E) - mean, mean - 1.0, mean + 1.0, xtol=1e-14, rtol=1e-15)
    true = 2.0 * np.arctan(np.sqrt((1.0 + e.eccentricity) / (1.0 - e.eccentricity)) * np.tan(anomaly / 2.0))
    phi = true + e.perigee_rad
    wave = np.array([np.sin(2.0 * phi), np.cos(2.0 * phi)])
    along = phi + wave @ (e.sin_latitude_rad, e.cos_latitude_rad)
    radius = axis * (1.0 - e.eccentricity * np.cos(anomaly)) + wave @ (e.sin_radius_m, e.cos_radius_m)
    tilt = e.inclination_rad + e.inclination_rate_rad_s * since + wave @ (e.sin_inclination_rad, e.cos_inclination_rad)
    week_second = (e.orbit_time_s - behind) % 604_800.0
    still = e.satellite in {f"C{n:02d}" for n in (1, 2, 3, 4, 5, 59, 60, 61, 62, 63)}
    node = e.node_rad + e.node_rate_rad_s * since - spin * week_second - (0.0 if still else spin * since)
    place = turned(2, -node) @ turned(0, -tilt) @ turned(2, -along) @ np.array([radius, 0.0, 0.0])
    return turned(2, spin * since) @ turned(0, np.radians(-5.0)) @ place if still else place


@pytest.mark.parametrize(
    ("kind", "letter", "least"),
    [("GPS", "G", 30), ("QZSS", "J", 4), ("Galileo", "E", 20), ("BeiDou GEO", "C", 4), ("BeiDou MEO and IGSO", "C", 25), ("NavIC", "I", 4)],
)
def test_kepler_orbits_are_those_of_a_second_computation(kind, letter, least):
    names = [name for name in orbits().ephemerides if name[0] == letter]
    if letter == "C":
        names = [name for name in names if is_geostationary(name) == (kind == "BeiDou GEO")]
    worst = 0.0
    for name in names:
        for message in orbits().ephemerides[name][::5]:
            moments = message.orbit_time_s + np.array([-7200.0, -1.5, 0.0, 3600.0, 7200.0])
            found = KeplerOrbit([message]).states(moments).xyz_m
            wanted = np.array([second_computation(message, moment) for moment in moments])
            worst = max(worst, float(np.linalg.norm(found - wanted, axis=1).max()))
    assert len(names) >= least and worst < A_MILLIMETRE


def test_a_geostationary_satellite_stands_still_and_the_others_do_not():
    moments = DAY + np.arange(0.0, 6 * 3600.0, 600.0)
    moved = {
        name: float(np.ptp(KeplerOrbit(listed).states(moments).xyz_m, axis=0).max())
        for name, listed in orbits().ephemerides.items()
        if name[0] == "C"
    }
    still = {name for name, by_m in moved.items() if by_m < 3e6}
    # The published list of the constellation in 2024: C01 to C05 and C59 to C61 over the equator (from memory).
    assert {"C01", "C02", "C03", "C04", "C05"} <= still <= {"C01", "C02", "C03", "C04", "C05", "C59", "C60", "C61", "C62"}


def meeting(limit_gap_s):
    """How far two messages of a satellite that follow each other are apart in the middle between them, by constellation."""
    apart = defaultdict(list)
    for name, listed in {**orbits().ephemerides, **orbits().glonass}.items():
        make = GlonassOrbit if name[0] == "R" else KeplerOrbit
        usable = {item.orbit_time_s: item for item in listed if item.health == 0.0 and getattr(item, "message", "") != "FNAV"}
        for first, second in zip(sorted(usable), sorted(usable)[1:], strict=False):
            if second - first <= limit_gap_s[name[0]]:
                middle = np.array([(first + second) / 2.0])
                one, other = (make([usable[moment]]).states(middle).xyz_m[0] for moment in (first, second))
                apart[name[0]].append((float(np.linalg.norm(one - other)), name, first))
    return apart


def test_messages_that_follow_each_other_agree_where_they_meet():
    """95 % of the pairs: GPS and Galileo 3 m, BeiDou 6 m, GLONASS 5 m; every larger one is listed here by name."""
    limits = {"G": 3.0, "E": 3.0, "C": 6.0, "R": 5.0}
    found = meeting({"G": 7200.0, "E": 7200.0, "C": 7200.0, "R": 1800.0, "J": 7200.0, "I": 7200.0})
    assert {letter: len(found[letter]) > 60 for letter in limits} == dict.fromkeys(limits, True)
    for letter, limit_m in limits.items():
        sizes = np.array([item[0] for item in found[letter]])
        assert np.percentile(sizes, 95) < limit_m, letter
    larger = {name for letter, limit_m in limits.items() for size, name, _ in found[letter] if size > limit_m}
    assert larger <= {"G32", "R20"}, "of these a reader should know"


def test_glonass_is_carried_on_as_another_integrator_does():
    """GLONASS ICD 5.1, A.3.1.2, written anew and integrated by DOP853; a quarter and half of an hour to both sides."""
    gm, j2, radius, spin = 3.986004418e14, 1.08262575e-3, 6_378_136.0, 7.292115e-5

    def motion(_, s, pull):
        x, y, z, vx, vy, vz = s
        r = np.sqrt(x * x + y * y + z * z)
        k, rho2, zeta2 = gm / r**2, (radius / r) ** 2, (z / r) ** 2
        side = -k / r - 1.5 * j2 * k / r * rho2 * (1.0 - 5.0 * zeta2)
        up = -k / r - 1.5 * j2 * k / r * rho2 * (3.0 - 5.0 * zeta2)
        return [
            vx,
            vy,
            vz,
            (side + spin**2) * x + 2 * spin * vy + pull[0],
            (side + spin**2) * y - 2 * spin * vx + pull[1],
            up * z + pull[2],
        ]

    worst = 0.0
    for listed in list(orbits().glonass.values())[::4]:
        message = listed[2]
        for until in (-1800.0, -900.0, 437.3, 900.0, 1800.0):
            state = (*message.position_m, *message.velocity_m_s)
            wanted = solve_ivp(motion, (0.0, until), state, args=(message.acceleration_m_s2,), method="DOP853", rtol=1e-12, atol=1e-6).y[
                :3, -1
            ]
            found = GlonassOrbit([message]).states(np.array([message.orbit_time_s + until])).xyz_m[0]
            worst = max(worst, float(np.linalg.norm(found - wanted)))
    assert worst < A_MILLIMETRE


def test_glonass_far_from_its_message_is_good_enough_to_plan_by():
    """Three hours on the next messages say the same to a hundredth of a degree, 3 km along the orbit."""
    worst = 0.0
    for name, listed in orbits().glonass.items():
        healthy = [item for item in listed if item.health == 0.0]
        if len(healthy) > 8 and name not in ("R10",):
            first, later = healthy[1], min(healthy, key=lambda item: abs(item.orbit_time_s - healthy[1].orbit_time_s - 10_800.0))
            found = GlonassOrbit([first]).states(np.array([later.orbit_time_s])).xyz_m[0]
            worst = max(worst, float(np.linalg.norm(found - later.position_m)))
    assert worst < 3000.0


def test_what_no_satellite_can_send_is_known():
    message = orbits().ephemerides["E02"][0]
    assert is_possible(message) and is_possible(replace(message, eccentricity=0.16))
    assert not is_possible(replace(orbits().ephemerides["G05"][0], eccentricity=0.16))
    assert not is_possible(replace(message, sqrt_semi_major_axis=100.0))


# --- other sources ---


def skyfield_time():
    """A time scale with UT1 = UTC, as the program takes it."""
    return load.timescale(delta_t=32.184 + 37.0)


def tles():
    lines = [line for line in (DATA / "gnss_tle_jan2018.txt").read_text().splitlines() if line.strip()]
    return [(lines[n].strip(), lines[n + 1], lines[n + 2]) for n in range(0, len(lines), 3)]


def test_mean_elements_are_where_skyfield_has_them():
    """Within a metre in Earth-fixed axes, over a day; skyfield's pole does not move either unless a table is loaded."""
    scale, start = skyfield_time(), datetime(2018, 1, 21)
    moments = np.arange(0.0, 86_400.0, 7200.0)
    gps_s = gps_from_utc_s(gps_seconds(start, 0.0)) + moments
    times = scale.utc(2018, 1, 21, 0, 0, moments)
    worst = 0.0
    for name, first, second in tles():
        wanted = EarthSatellite(first, second, name, scale).at(times).frame_xyz(itrs).m.T
        found = MeanElementsOrbit(satellite_named(name), Satrec.twoline2rv(first, second)).states(gps_s).xyz_m
        worst = max(worst, float(np.linalg.norm(found - wanted, axis=1).max()))
    assert worst < 1.0


@pytest.mark.parametrize(
    ("name", "satellite"),
    [
        ("GPS BIIR-2  (PRN 13)", "G13"),
        ("NAVSTAR 43 (PRN 05)", "G05"),
        ("GSAT0101 (PRN E11)", "E11"),
        ("BEIDOU-3 M1 (C19)", "C19"),
        ("QZS-2 (QZSS/PRN 194)", "J02"),
        ("COSMOS 2433 (720)", "R720"),
        ("COSMOS 2501 (702K)", "R702"),
        ("ISS (ZARYA)", None),
    ],
)
def test_satellites_are_known_by_their_names_in_catalogues(name, satellite):
    assert satellite_named(name) == satellite


def test_a_table_of_places_gives_those_between_them():
    """Places of a quarter of an hour from a second computation: in between within a centimetre, and nothing outside or across a gap."""
    message = orbits().ephemerides["G05"][1]
    times = message.orbit_time_s + np.arange(-7200.0, 7201.0, 900.0)
    places = np.array([second_computation(message, moment) for moment in times])
    orbit = PreciseOrbit("G05", times, places, np.zeros(len(times)))
    between = times[:-1] + 431.0
    wanted = np.array([second_computation(message, moment) for moment in between])
    assert np.abs(orbit.states(between).xyz_m - wanted).max() < 0.01
    assert np.isnan(orbit.states(times[[0, -1]] + (-1.0, 1.0)).xyz_m).all()
    gap = np.delete(np.arange(len(times)), 8)
    holed = PreciseOrbit("G05", times[gap], places[gap], np.zeros(len(gap)))
    assert np.isnan(holed.states(times[[8]]).xyz_m).all()


def test_leap_seconds_are_those_of_skyfield_s_table():
    scale = load.timescale(builtin=True)
    for year in range(1981, 2027):
        for month in (1, 4, 7, 10):
            at = np.searchsorted(scale.leap_dates, scale.utc(year, month, 2).tt, side="right") - 1
            assert gps_minus_utc_s(gps_seconds(datetime(year, month, 2), 0.0)) == int(scale.leap_offsets[at]) - 19
    before, after = datetime(2016, 12, 31, 23, 59, 59), datetime(2017, 1, 1)
    seconds = [gps_from_utc_s(gps_seconds(moment, 0.0)) for moment in (before, after)]
    assert seconds[1] - seconds[0] == 2.0 and [utc_of_gps(value).replace(tzinfo=None) for value in seconds] == [before, after]


# --- what is seen ---


def test_directions_are_those_of_skyfield():
    scale, moments = skyfield_time(), np.arange(0.0, 86_400.0, 3600.0)
    gps_s = gps_from_utc_s(gps_seconds(datetime(2018, 1, 21), 0.0)) + moments
    times, site = scale.utc(2018, 1, 21, 0, 0, moments), wgs84.latlon(-37.8, 144.9, 120)
    listed = tles()[::6]
    orbits_ = [MeanElementsOrbit(satellite_named(name), Satrec.twoline2rv(first, second)) for name, first, second in listed]
    seen = directions_of(orbits_, [ecef_from_geodetic(-37.8, 144.9, 120)], gps_s)[0]
    for n, (name, first, second) in enumerate(listed):
        altitude, azimuth, _ = (EarthSatellite(first, second, name, scale) - site).at(times).altaz()
        assert np.abs(seen.elevation_deg[n] - altitude.degrees).max() < 0.01
        across = (seen.azimuth_deg[n] - azimuth.degrees + 180.0) % 360.0 - 180.0
        assert np.abs(across * np.cos(np.radians(altitude.degrees))).max() < 0.01


def test_the_dilutions_of_a_day_are_those_of_two_other_programs():
    """GPS over Manchester: skyfield and Orekit (tests/published.py)."""
    gps_s = np.array([gps_from_utc_s(gps_seconds(datetime(2018, 1, 21, 12), 0.0))])
    listed = [(satellite_named(name), first, second) for name, first, second in tles() if name.startswith("GPS")]
    seen = directions_of(
        [MeanElementsOrbit(name, Satrec.twoline2rv(first, second)) for name, first, second in listed],
        [ecef_from_geodetic(53.45, -2.24, 50)],
        gps_s,
    )[0]
    used = in_sight(seen, 10.0, NO_SKYLINE)
    found, expected = dops_of(seen, used), published.GPS_SKY_2018
    assert used.sum() == expected["satellites"]
    for name in ("pdop", "hdop", "vdop"):
        assert getattr(found, name)[0] == pytest.approx(expected[name], abs=0.001)


def direct_dops(seen, used, t):
    """The inverse of the whole normal matrix, a clock for each constellation."""
    rows, names = [], [seen.satellites[n] for n in np.flatnonzero(used[:, t])]
    clocks = sorted({"G" if name[0] == "J" else name[0] for name in names})
    for n in np.flatnonzero(used[:, t]):
        azimuth, elevation = np.radians([seen.azimuth_deg[n, t], seen.elevation_deg[n, t]])
        letter = "G" if seen.satellites[n][0] == "J" else seen.satellites[n][0]
        towards = [np.cos(elevation) * np.sin(azimuth), np.cos(elevation) * np.cos(azimuth), np.sin(elevation)]
        rows.append([*towards, *(float(letter == clock) for clock in clocks)])
    design = np.array(rows)
    if len(design) < design.shape[1]:
        return None
    return np.sqrt(np.diag(np.linalg.inv(design.T @ design)))


def test_the_dilutions_of_many_constellations_are_those_of_the_whole_inverse():
    made = [KeplerOrbit(listed) for listed in orbits().ephemerides.values()] + [
        GlonassOrbit(listed) for listed in orbits().glonass.values()
    ]
    gps_s = DAY + np.arange(0.0, 6 * 3600.0, 1800.0)
    seen = directions_of(made, [ecef_from_geodetic(35.0, 139.0, 50)], gps_s)[0]
    for mask, skyline in ((10.0, NO_SKYLINE), (25.0, NO_SKYLINE), (10.0, skyline_of([(0, 60), (180, 60), (200, 5), (340, 5)]))):
        used = in_sight(seen, mask, skyline)
        found = dops_of(seen, used)
        for t in range(len(gps_s)):
            sigmas = direct_dops(seen, used, t)
            if sigmas is None:
                assert np.isnan(found.pdop[t])
            else:
                assert found.hdop[t] == pytest.approx(np.hypot(*sigmas[:2]), rel=1e-6)
                assert found.pdop[t] == pytest.approx(np.sqrt((sigmas[:3] ** 2).sum()), rel=1e-6)
                assert found.vdop[t] == pytest.approx(sigmas[2], rel=1e-6)


def test_a_skyline_hides_what_stands_below_it_all_the_way_round():
    line = skyline_of([(350, 30), (10, 10), (180, 20)])
    assert line.elevation_deg([350, 0, 10, 95, 180, 265]) == pytest.approx([30, 20, 10, 15, 20, 25])
    assert line.hides([0.0, 0.0], [19.9, 20.1]).tolist() == [True, False]
    assert NO_SKYLINE.elevation_deg([5.0]).tolist() == [0.0]


def test_what_is_expected_of_a_fix_is_the_budget_s_under_a_usual_sky():
    settings, baseline_m = BudgetSettings(), 5000.0
    usual = type("", (), {"hdop": np.array([1.0, 2.0]), "vdop": np.array([1.6, 3.2]), "pdop": np.array([1.9, 3.8])})
    found = expected_95(usual, baseline_m, settings)
    terms = {term.name: term for term in budget_of(Circumstances(baseline_m=baseline_m, seconds=0.0), settings).terms}
    for name, found_m, factor in (("horizontal_m", found.horizontal_m, 2.4477468), ("vertical_m", found.vertical_m, 1.959964)):
        own = np.hypot(getattr(terms["vector"], name), getattr(terms["multipath"], name))
        assert found_m[0] == pytest.approx(factor * own, rel=1e-6)
    assert found.horizontal_m[1] > found.horizontal_m[0] and found.vertical_m[1] > found.vertical_m[0]


def test_the_best_hours_are_the_runs_of_half_an_hour_near_the_least():
    pdop = np.full(120, 3.0)
    pdop[10:45], pdop[60:80], pdop[90:121] = 1.2, 1.0, 1.29
    dops = type("", (), {"pdop": pdop})
    assert best_spans(dops, 60.0) == [(10, 44)]
    pdop[89] = 1.1
    assert best_spans(dops, 60.0) == [(10, 44), (89, 119)]
    assert best_spans(type("", (), {"pdop": np.full(5, np.nan)}), 60.0) == []


def test_the_nearest_of_some_times():
    assert nearest(np.array([0.0, 10.0, 30.0]), [-5.0, 4.0, 6.0, 19.0, 21.0, 99.0]).tolist() == [0, 0, 1, 1, 2, 2]
    assert nearest(np.array([7.0]), [1.0, 9.0]).tolist() == [0, 0]


# --- against what receivers saw ---


@pytest.mark.parametrize("name", ["one-hour-2.24o.gz", "one-hour-3.rnx.gz"])
def test_every_satellite_that_a_receiver_lists_is_expected_above_its_horizon(name):
    """But SBAS, which is listed and not computed.  Refraction lifts what stands up to 34' below the horizon (common knowledge)."""
    observed = read_observations(text(name))
    gps_s = np.array([epoch.gps_s for epoch in observed.epochs])
    made = [KeplerOrbit(listed) for listed in orbits().ephemerides.values()] + [
        GlonassOrbit(listed) for listed in orbits().glonass.values()
    ]
    seen = directions_of(made, [observed.approximate_xyz_m], gps_s)[0]
    row = {satellite: n for n, satellite in enumerate(seen.satellites)}
    lowest, unknown = [], set()
    for t, epoch in enumerate(observed.epochs):
        for satellite in epoch.satellites:
            if satellite in row:
                lowest.append((float(seen.elevation_deg[row[satellite], t]), satellite))
            else:
                unknown.add(satellite)
    assert len(lowest) > 2000 and min(lowest)[0] > -34 / 60
    assert {satellite[0] for satellite in unknown} <= {"S"}


@pytest.mark.parametrize("name", ["one-hour-2.24o.gz", "one-hour-3.rnx.gz"])
def test_all_constellations_scatter_less_than_gps_alone_and_lie_within_3_metres(name):
    observed = read_observations(text(name))
    messages = {**orbits().ephemerides, **orbits().glonass}
    of_gps = {satellite: listed for satellite, listed in messages.items() if satellite[0] == "G"}
    scatter = {}
    for kind, known in (("GPS", of_gps), ("all", messages)):
        found = [single_position(epoch, known) for epoch in observed.epochs[::4]]
        assert all(found)
        places = np.array([item.xyz_m for item in found])
        middle = np.median(places, axis=0)
        scatter[kind] = float(np.sqrt(((places - middle) ** 2).sum(axis=1).mean()))
        assert np.linalg.norm(middle - observed.approximate_xyz_m) < 3.0
    assert scatter["all"] < scatter["GPS"]
    assert {"G", "R", "E"} <= set(found[0].constellations)


def test_a_satellite_at_fault_is_taken_out_and_named():
    observed = read_observations(text("one-hour-2.24o.gz"))
    epoch = observed.epochs[0]
    victim = next(name for name in epoch.satellites if name[0] == "G" and {"C1C", "C2W"} <= epoch.satellites[name].keys())
    wrong = {
        code: replace(value, value=value.value + (400.0 if code[0] == "C" else 0.0)) for code, value in epoch.satellites[victim].items()
    }
    messages = {**orbits().ephemerides, **orbits().glonass}
    right, found = (single_position(item, messages) for item in (epoch, replace(epoch, satellites=epoch.satellites | {victim: wrong})))
    ((name, residual_m),) = [item for item in found.excluded if item[0] == victim]
    assert name == victim and 300.0 < residual_m < 420.0
    assert np.linalg.norm(np.subtract(right.xyz_m, found.xyz_m)) < 3.0


def test_a_day_later_than_all_messages_is_not_for_positions():
    observed = read_observations(text("one-hour-3.rnx.gz"))
    late = replace(observed.epochs[0], gps_s=observed.epochs[0].gps_s + timedelta(days=1).total_seconds())
    assert single_position(late, {**orbits().ephemerides, **orbits().glonass}) is None
