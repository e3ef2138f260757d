"""Where a rover is, against the control list, before any shot."""

import numpy as np
import pytest

from openstake.core.evidence import Status
from openstake.core.geodesy.frames import job_frame
from openstake.core.geodesy.readings import datum_shifts_m, other_readings
from openstake.core.judge.finding import Severity
from openstake.core.judge.place import Control, RoverPlace, judge_place, place_95_m
from openstake.core.sigmas import Sigmas

LIST = Control(("A", "B"), np.array([[703_400.0, 629_800.0, 62.0], [703_900.0, 630_300.0, 64.0]]))


def rover(east=703_450.0, north=629_850.0, height=63.0, accuracy=(0.2, 0.4), lift=56.9, stands=True):
    return RoverPlace(
        east_m=east,
        north_m=north,
        height_m=height,
        undulation_m=lift,
        stands=stands,
        **dict(zip(("horizontal_95_m", "vertical_95_m"), accuracy, strict=True)),
    )


def judged(seen, control=LIST, readings=(), shifts=None):
    return judge_place(seen, control, lambda: readings, lambda: shifts or {})


def test_a_rover_among_its_marks_has_nothing_to_be_told():
    assert judged(rover(), shifts={"ED50": (109.7, 101.0)}) == []
    assert judged(rover(), Control((), np.zeros((0, 3)))) == []


def test_a_rover_far_away_is_a_stop_with_both_distances():
    (alone,) = judged(rover(east=400_000.0))
    assert alone.severity is Severity.STOP and "303 km from A" in alone.sentence and "another" in alone.cause.lower()
    (named,) = judged(rover(east=400_000.0), readings=[("far off", 2e6), ("the list is in another zone", 1200.0)])
    assert "the list is in another zone" in named.cause and "1.2 km" in named.cause
    assert (named.numbers["distance_m"], named.numbers["otherwise_m"]) == (303_400, 1200)


@pytest.mark.parametrize(("height", "words"), [(63.0 + 56.4, "Elevations of the list"), (63.0 - 57.5, "Ellipsoidal heights of the list")])
def test_a_height_off_by_the_geoid_is_told_with_both_numbers(height, words):
    (found,) = judged(rover(height=height))
    assert found.code == "rover-off-by-undulation" and words in found.cause and "56.900 m" in found.sentence


def test_where_the_geoid_lies_near_the_ellipsoid_or_nobody_knows_it_heights_say_nothing():
    assert judged(rover(height=63.0 + 6.0, lift=6.0)) == [] and judged(rover(height=120.0, lift=None)) == []
    assert judged(rover(height=120.0, accuracy=(20.0, 32.0))) == [], "an autonomous height is too coarse"


def test_a_pole_that_stands_off_a_mark_by_a_datum_s_shift_is_asked_for_that_datum():
    """ED50 lies about 110 m east and 101 m north of ITM's datum in Ireland (EPSG dataset, through PROJ)."""
    shifts = datum_shifts_m(job_frame(2157), 53.4, -6.95)
    east, north = shifts["ED50"]
    assert (east, north) == pytest.approx((110.0, 101.0), abs=2.0)
    seen = rover(east=703_400.0 - east + 0.4, north=629_800.0 - north - 0.3)
    (found,) = judged(seen, shifts=shifts)
    assert (found.code == "rover-off-by-datum" and "ED50" in found.sentence + found.cause) or "ED" in found.cause
    assert judged(rover(east=seen.east_m, north=seen.north_m, stands=False), shifts=shifts) == [], "who walks stands nowhere"
    assert judged(rover(east=seen.east_m, north=seen.north_m, accuracy=(80.0, 120.0)), shifts=shifts) == []


def test_axes_feet_and_zone_are_found_by_the_place_alone():
    frame, latitude, longitude = job_frame(25832), 50.0, 11.9
    here = frame.grid_from_geodetic(latitude, longitude)
    near = frame.grid_from_geodetic(latitude + 0.01, longitude + 0.01)
    zone_33 = job_frame(25833).grid_from_geodetic(latitude + 0.01, longitude + 0.01)
    for grid, words in ((near[::-1], "exchanged"), (near / 0.3048, "in feet"), (zone_33, "UTM zone 33N (EPSG:25833)")):
        found = min(other_readings(frame, latitude, longitude, here, np.array([grid])), key=lambda item: item[1])
        assert words in found[0] and found[1] < 2000.0


def test_a_claim_never_makes_a_position_better_than_its_kind():
    assert place_95_m(Status.FIXED, Sigmas(east_m=0.004, north_m=0.004, up_m=0.008, covariance_en_m2=0.0)) == pytest.approx((0.2, 0.32))
    assert place_95_m(Status.SINGLE, None) == pytest.approx((10.0, 16.0))
    assert place_95_m(Status.FLOAT, Sigmas(east_m=5.0, north_m=5.0, up_m=9.0, covariance_en_m2=0.0))[0] > 12.0
