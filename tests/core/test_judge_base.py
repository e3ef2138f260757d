"""Findings on the base: each contradiction made by exact geometry with PROJ; limits are common practice, no source."""

import numpy as np
import pyproj
import pytest

from openstake.core.control import Difference
from openstake.core.evidence import Epoch, HeardMessage, HeardStream, InView, StationReference
from openstake.core.geodesy.plates import frame_shifts_m
from openstake.core.geodesy.slips import elevation_slip, frame_slips, typing_slips
from openstake.core.judge.base import MeantBase, OtherMark, judge_base, on_air_difference
from openstake.core.judge.broadcast import judge_messages, judge_satellites
from openstake.core.judge.coordinate import Earlier, judge_average_place, judge_mark_check, judge_return, judge_solution
from openstake.core.judge.finding import Severity
from openstake.core.judge.receiver import judge_receiver
from openstake.core.kit.profile import Message
from openstake.core.limits import Tolerance

TO_ECEF = pyproj.Transformer.from_crs("EPSG:4979", "EPSG:4978", always_xy=True)
LATITUDE, LONGITUDE, HEIGHT, ARP_HEIGHT = 53.3, -6.2, 60.0, 1.6
PHASE_CENTRE = 0.0871
ELEVATION = 3.2  # the geoid lies 56.8 m above the ellipsoid there, roughly
METRES_PER_DEGREE = (111_310.0, 66_600.0)  # of latitude and longitude at 53.3 N, to 0.1 %


def ecef(latitude, longitude, height):
    return tuple(TO_ECEF.transform(longitude, latitude, height))


MARK = ecef(LATITUDE, LONGITUDE, HEIGHT)
ARP = ecef(LATITUDE, LONGITUDE, HEIGHT + ARP_HEIGHT)
OTHER = (LATITUDE + 0.002, LONGITUDE + 0.001, 61.5)
SHIFTS = frame_shifts_m(MARK, 2026.9)


def codes(findings):
    return [item.code for item in findings]


def meant(**more):
    slips = [*typing_slips(LATITUDE, LONGITUDE, HEIGHT), elevation_slip(LATITUDE, LONGITUDE, ELEVATION), *frame_slips(MARK, SHIFTS)]
    usual = {"phase_centre_up_m": PHASE_CENTRE, "other_marks": [OtherMark("CS4", ecef(*OTHER))], "slips": slips}
    return MeantBase(arp_m=ARP, arp_height_m=ARP_HEIGHT, station_id=17, **(usual | more))


def station(xyz, height=ARP_HEIGHT, station_id=17, virtual=False):
    return StationReference(
        station_id=station_id,
        antenna_height_m=height,
        virtual=virtual,
        **dict(zip(("x_m", "y_m", "z_m"), (float(value) for value in xyz), strict=True)),
    )


def lowered(by):
    return ecef(LATITUDE, LONGITUDE, HEIGHT + ARP_HEIGHT - by)


FRAME = next(iter(SHIFTS.values()))


@pytest.mark.parametrize(
    ("sent", "words"),
    [
        (lowered(ARP_HEIGHT), "mark's height was sent as the ARP"),
        (lowered(-ARP_HEIGHT), "antenna height was added twice"),
        (lowered(-PHASE_CENTRE), "The phase centre was sent in place of the ARP: it lies 0.087 m above it"),
        (lowered(-0.1), "1.700 m would fit"),
        (ecef(OTHER[0], OTHER[1], OTHER[2] + ARP_HEIGHT), "coordinate of CS4"),
        (ecef(*OTHER), "coordinate of CS4"),
        (ecef(OTHER[0], OTHER[1], OTHER[2] + 1.8), "coordinate of CS4 is in the receiver, with an ARP 1.800 m above it"),
        (lowered(ARP_HEIGHT - ARP_HEIGHT / 0.3048), "antenna height's feet were taken as metres: 5.249 m would fit"),
        (lowered(ARP_HEIGHT - ARP_HEIGHT * 0.3048), "antenna height's metres were taken as feet: 0.488 m would fit"),
        (ecef(LATITUDE, -LONGITUDE, HEIGHT + ARP_HEIGHT), "sign of the longitude"),
        (ecef(-LATITUDE, LONGITUDE, HEIGHT + ARP_HEIGHT), "sign of the latitude"),
        (ecef(LONGITUDE, LATITUDE, HEIGHT + ARP_HEIGHT), "exchanged"),
        (ecef(LATITUDE, LONGITUDE, HEIGHT / 0.3048 + ARP_HEIGHT), "height is in feet and was taken as metres"),
        (ecef(LATITUDE, LONGITUDE, HEIGHT * 0.3048 + ARP_HEIGHT), "height is in metres and was taken as feet"),
        (ecef(LATITUDE, LONGITUDE, ELEVATION + ARP_HEIGHT), "elevation was typed"),
        (np.add(ARP, FRAME), "not in a global frame"),
        (np.subtract(ARP, FRAME), "in a global frame"),
        (ecef(LATITUDE + 2e-5, LONGITUDE - 3e-5, HEIGHT + 4.0), "autonomous one"),
        (ecef(LATITUDE + 0.01, LONGITUDE, HEIGHT), "another mark"),
    ],
)
def test_a_base_that_sends_something_else_is_named(sent, words):
    (found,) = judge_base(meant(), station(sent))

    assert (found.code, found.severity) == ("base-position-disagrees", Severity.STOP)
    assert words in found.cause


def test_between_the_global_frame_and_the_plates_lies_what_the_trade_says():
    # Eurasia drifts 24 to 25 mm a year and ETRS89 left the global frame at 1989.0; North America 2 m (common practice,
    # and EPSG's operations through PROJ; the rate from memory of the ITRF velocities).
    assert np.linalg.norm(SHIFTS["ETRS89 (ETRF2014)"]) == pytest.approx(0.8, abs=0.15)
    assert list(SHIFTS) == ["ETRS89 (ETRF2014)"]
    vermont = frame_shifts_m(ecef(44.2, -72.7, 200.0), 2026.9)
    assert 1.0 < np.linalg.norm(vermont["NAD83(2011)"]) < 2.2
    # Australia's plate moves 7 cm a year and GDA2020 was fixed at 2020.0: the technical manual.
    assert np.linalg.norm(frame_shifts_m(ecef(-25.0, 134.0, 500.0), 2026.9)["GDA2020"]) == pytest.approx(0.48, abs=0.05)


def test_a_base_that_sends_what_is_meant_has_no_findings_and_zero_difference():
    assert judge_base(meant(), station(ARP)) == []
    # 1e-7 degrees of latitude are 11.1 mm there.
    difference = on_air_difference(ARP, station(ecef(LATITUDE + 1e-7, LONGITUDE, HEIGHT + ARP_HEIGHT + 0.005)))
    assert difference.north_m == pytest.approx(1e-7 * METRES_PER_DEGREE[0], rel=1e-3)
    assert (difference.east_m, difference.up_m) == pytest.approx((0.0, 0.005), abs=1e-6)
    assert not difference.agrees


def test_the_arp_decides_and_a_height_that_is_not_stated_is_a_note():
    # A 1005 has no height field, and many bases send a 1006 with 0: both send the ARP (RTCM 10403.3, DF028).
    for height in (None, 0.0):
        (found,) = judge_base(meant(), station(ARP, height))
        assert (found.code, found.severity) == ("base-height-not-stated", Severity.NOTE)
    (other,) = judge_base(meant(), station(ARP, 1.7))
    assert (other.code, other.severity) == ("base-height-field-differs", Severity.NOTE)


def test_other_things_the_base_should_say():
    base = MeantBase(arp_m=ARP, arp_height_m=ARP_HEIGHT, station_id=2000, autonomous=True)

    assert codes(judge_base(base, station(ARP, 0.0))) == [
        "base-autonomous",
        "station-id-disagrees",
        "base-height-not-stated",
        "station-id-hidden",
    ]
    assert codes(judge_base(meant(), None)) == ["base-not-heard"]
    assert codes(judge_base(meant(), station(ARP, virtual=True))) == ["virtual-station"]


# --- messages and satellites ---


def stream(intervals, span_s=60.0, satellites=None):
    messages = tuple(HeardMessage(number=number, interval_s=interval, count=10) for number, interval in intervals.items())
    return HeardStream(span_s, messages, {name: frozenset(range(n)) for name, n in (satellites or {}).items()})


PLANNED = [Message(1074, 1.0), Message(1006, 10.0), Message(1230, 10.0)]


@pytest.mark.parametrize(
    ("heard", "expected"),
    [
        (stream({1074: 1.0, 1006: 10.0, 1230: 10.0}), []),
        (stream({1074: 1.0, 1006: 10.0}), ["message-missing"]),
        (stream({1074: 1.0}, span_s=5.0), []),  # nothing can be said after five seconds
        (stream({1074: 2.0, 1006: 10.0, 1230: 10.0}), ["message-interval-differs"]),
        (stream({1074: 1.0, 1006: None, 1230: 10.0}), []),
        (stream({1074: 1.0, 1006: 10.0, 1230: 10.0, 1094: 1.0}), ["message-unplanned"]),
    ],
)
def test_the_message_set_is_compared_with_the_profile(heard, expected):
    assert codes(judge_messages(PLANNED, heard)) == expected


def seen(constellation, count, elevation=40.0):
    return [InView(constellation=constellation, number=number, elevation_deg=elevation, azimuth_deg=90.0) for number in range(count)]


def test_what_is_sent_is_compared_with_the_sky_that_is_seen():
    heard = stream({}, satellites={"GPS": 4, "Galileo": 8})
    view = [*seen("GPS", 9), *seen("Galileo", 8), *seen("GLONASS", 6)]

    found = judge_satellites(["GPS", "GLONASS", "Galileo"], heard, view, 10.0)

    assert codes(found) == ["constellation-not-sent", "satellites-not-sent"]
    assert "sees 6 of GLONASS" in found[0].sentence and "4 of 9 GPS" in found[1].sentence
    # Below the mask nobody expects them.
    assert judge_satellites(["GPS"], heard, seen("GPS", 9, 5.0), 10.0) == []


# --- the base's own position ---


def position(latitude, longitude, height, quality=1):
    return Epoch(
        time_of_day_s=0.0,
        date=None,
        quality=quality,
        latitude_text="",
        longitude_text="",
        latitude_deg=latitude,
        longitude_deg=longitude,
        altitude_m=height - 57.0,
        separation_m=57.0,
        satellites=12,
        hdop=1.0,
        age_s=None,
        station_id=None,
    )


def test_a_base_that_sees_itself_elsewhere_stops_the_work():
    here = judge_receiver(meant(), [position(LATITUDE + 3e-5, LONGITUDE, HEIGHT + 6.0)], True)
    moved = judge_receiver(meant(), [position(LATITUDE + 3e-4, LONGITUDE, HEIGHT)], True)
    at_other = judge_receiver(meant(), [position(OTHER[0], OTHER[1] + 2e-5, OTHER[2])], True)

    assert codes(here) == ["base-status-normal"]  # 3 m and 4 m off: what a single position may be
    assert codes(moved) == ["base-receiver-far", "base-status-normal"]
    assert moved[0].severity is Severity.STOP and "remembers" in moved[0].cause
    assert moved[0].numbers["horizontal_m"] == pytest.approx(3e-4 * METRES_PER_DEGREE[0], rel=1e-3)
    assert "CS4" in at_other[0].cause


@pytest.mark.parametrize(
    ("quality", "words"),
    [(1, "does not show fixed"), (2, "dgps: right for a base"), (7, "typed position (quality 7)"), (4, "fed corrections")],
)
def test_a_base_that_is_not_fixed_is_explained_as_right(quality, words):
    (found,) = judge_receiver(meant(), [position(LATITUDE, LONGITUDE, HEIGHT + ARP_HEIGHT, quality)], True)

    assert (found.code, found.severity) == ("base-status-normal", Severity.NOTE)
    assert words in found.sentence


def test_a_base_whose_own_position_is_not_heard_is_said_to_be_missing():
    for has_feed in (True, False):
        assert codes(judge_receiver(meant(), [], has_feed)) == ["base-receiver-not-heard"]


# --- coordinates: coming back, checked first, solved later ---


def earlier(autonomous=False):
    return [Earlier(source="known mark", when="on 3 Nov 2026 at 09:10", xyz_m=MARK, autonomous=autonomous)]


def test_coming_back_with_a_fresh_autonomous_position_is_a_stop_with_its_metres():
    fresh = ecef(LATITUDE + 3e-5, LONGITUDE, HEIGHT + 4.0)

    (found,) = judge_return("CS1", earlier(), fresh, True)

    assert (found.code, found.severity) == ("mark-moved", Severity.STOP)
    # 3.34 m north and 4 m up: 5.21 m.
    assert found.numbers["moved_m"] == pytest.approx(np.hypot(3e-5 * METRES_PER_DEGREE[0], 4.0), abs=0.01)
    assert codes(judge_return("CS1", earlier(), fresh, False)) == ["mark-differs-from-earlier"]
    assert judge_return("CS1", earlier(), MARK, False) == []
    assert judge_return("CS1", [], fresh, True) == []


@pytest.mark.parametrize(
    ("known", "average", "cause"),
    [
        (MARK, ecef(LATITUDE + 3e-5, LONGITUDE, HEIGHT + 6.0), None),  # 3 m and 6 m: what a single average may be off by
        (MARK, ecef(OTHER[0], OTHER[1] + 2e-5, OTHER[2]), "stands at CS4"),
        (MARK, ecef(LATITUDE + 0.001, LONGITUDE, HEIGHT), "another point"),
        (MARK, ecef(-1.4, -48.5, 10.0), "log of another place"),
        (None, ecef(LATITUDE + 0.2, LONGITUDE, HEIGHT), None),  # 22 km from the control: a new point may be
        (None, ecef(LATITUDE + 0.3, LONGITUDE, HEIGHT), "log of another place"),  # 33 km
    ],
)
def test_an_average_that_lies_elsewhere_stops_before_anything_is_sent(known, average, cause):
    found = judge_average_place("CS1", known, [OtherMark("CS4", ecef(*OTHER))], average)
    assert [(item.code, item.severity) for item in found] == ([] if cause is None else [("average-elsewhere", Severity.STOP)])
    assert all(cause in item.cause for item in found)


@pytest.mark.parametrize(
    ("east", "status", "code"),
    [(0.01, "fixed", "mark-check-agrees"), (0.05, "fixed", "mark-check-disagrees"), (0.01, "float", "mark-check-not-fixed")],
)
def test_a_mark_is_checked_before_the_base_stands_on_it(east, status, code):
    assert judge_mark_check("CS1", Difference(east, 0.0, 0.0), Tolerance(0.02, 0.03), status, 60.0).code == code


@pytest.mark.parametrize(
    ("typed", "code", "words"),
    [
        (ecef(LATITUDE + 1e-5, LONGITUDE, HEIGHT + 3.0), "solution-plausible", "Sign, unit and frame fit"),
        (ecef(LATITUDE, -LONGITUDE, HEIGHT), "solution-slip", "sign of the longitude"),
        (ecef(LATITUDE, LONGITUDE, HEIGHT / 0.3048), "solution-slip", "feet"),
        (ecef(LATITUDE + 0.01, LONGITUDE, HEIGHT), "solution-far", "Another mark's file"),
    ],
)
def test_a_typed_solution_is_held_against_the_present_place(typed, code, words):
    latitude, longitude, height = pyproj.Transformer.from_crs("EPSG:4978", "EPSG:4979").transform(*typed)

    found = judge_solution(MARK, typed, typing_slips(latitude, longitude, height), True)

    assert found.code == code
    assert words in found.cause
