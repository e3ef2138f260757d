"""What a job's settings and its control list are told, rule by rule."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openstake.core.geodesy.factors import grid_factors
from openstake.core.geodesy.frames import LOCAL, FrameDefinition, Ground, job_frame
from openstake.core.judge.control import (
    HeightGiven,
    KnownMarks,
    judge_height_kinds,
    judge_height_units,
    judge_heights_of_list,
    judge_list,
    judge_places,
    judge_unit,
)
from openstake.core.judge.job import SystemEvidence, judge_system
from openstake.core.mark import GivenMark

ITM = job_frame(2157)
PLACE = (53.3, -7.9)
QUIET = SystemEvidence(
    frame=ITM,
    place=PLACE,
    factors=grid_factors(ITM, *PLACE, 60.0),
    job_unit="m",
    system_unit="m",
    elevations=0,
    has_geoid=True,
    geoid_training_only=False,
    marks_outside_geoid=0,
    practice=False,
)
SITE = [GivenMark(name=f"S{n}", east_m=606_000.0 + 100 * n, north_m=727_000.0 + 50 * n) for n in range(6)]
NOBODY = KnownMarks({})


def codes(**changes):
    return [item.code for item in judge_system(dataclasses.replace(QUIET, **changes))]


def test_a_job_without_faults_is_told_nothing():
    assert codes() == []


def test_every_fault_of_the_settings_is_told_once():
    factors = QUIET.factors
    ground = Ground(
        origin_name="CP", east_m=606_000.0, north_m=727_000.0, combined_factor=1.0 / factors.combined_factor
    )  # the reciprocal: 377 ppm off

    assert codes(frame=job_frame(FrameDefinition(system="EPSG:2157", ground=ground))) == ["ground-factor-differs"]
    assert codes(frame=job_frame(LOCAL), factors=None, place=None) == ["system-lies-nowhere"]
    assert codes(place=(53.3, -5.5)) == ["system-near-edge"]  # 11 km from 5.34 W, the edge in the EPSG dataset
    assert codes(place=(53.3, -4.0)) == ["system-outside-area"]
    assert codes(system_unit="sft", job_unit="ft") == ["foot-differs"]
    assert codes(elevations=4, has_geoid=False) == ["geoid-missing"]
    assert codes(marks_outside_geoid=2) == ["geoid-outside"]
    assert codes(geoid_training_only=True) == ["geoid-training-only"]


def test_a_factor_within_twenty_parts_per_million_is_not_told():
    ground = Ground(origin_name="CP", east_m=606_000.0, north_m=727_000.0, combined_factor=QUIET.factors.combined_factor + 19e-6)

    assert codes(frame=job_frame(FrameDefinition(system="EPSG:2157", ground=ground))) == []


def verdict(mark, frame=ITM, known=NOBODY):
    found = judge_places(frame, [*SITE, mark], known, "m")
    assert found[:-1] == [None] * len(SITE), "the others stay"
    return found[-1] and found[-1].code


@settings(deadline=None)
@given(st.floats(600_000, 612_000), st.floats(721_000, 733_000))
def test_a_mark_on_the_site_is_taken_and_its_mistakes_are_named(east, north):
    assert verdict(GivenMark(name="X", east_m=east, north_m=north)) is None
    assert verdict(GivenMark(name="X", east_m=north, north_m=east)) == "control-axes-swapped"
    assert verdict(GivenMark(name="X", east_m=east / 0.3048, north_m=north / 0.3048)) == "control-unit-mixed"
    latitude, longitude = ITM.geodetic_from_grid(east, north)
    assert verdict(GivenMark(name="X", latitude_deg=latitude, longitude_deg=longitude)) is None
    assert verdict(GivenMark(name="X", latitude_deg=latitude, longitude_deg=-longitude)) == "control-longitude-sign"
    assert verdict(GivenMark(name="X", latitude_deg=longitude, longitude_deg=latitude)) == "control-axes-swapped"


@settings(deadline=None)
@given(st.floats(-4e7, 4e7), st.floats(-4e7, 4e7))
def test_a_mark_anywhere_is_taken_or_refused_and_breaks_nothing(east, north):
    code = verdict(GivenMark(name="X", east_m=east, north_m=north))

    near = np.hypot(east - 606_250, north - 727_125) < 40_000
    assert (code is None) or not near


def test_marks_of_an_assumed_system_are_judged_by_each_other():
    local = job_frame(LOCAL)
    lot = [GivenMark(name=f"L{n}", east_m=5000.0 + n, north_m=5000.0 - n) for n in range(4)]

    found = judge_places(local, [*lot, GivenMark(name="far", east_m=605_000.0, north_m=5000.0)], NOBODY, "m")

    assert [item and item.code for item in found] == [None] * 4 + ["control-outside-area"]


@pytest.mark.parametrize(("offset_m", "code"), [(0.0, "control-duplicate-name"), (5.0, "control-duplicate-name")])
def test_a_name_that_is_there_already_is_refused_wherever_it_lies(offset_m, code):
    known = KnownMarks({"X": (606_000.0, 727_000.0)})

    assert verdict(GivenMark(name="X", east_m=606_000.0 + offset_m, north_m=727_000.0), known=known) == code


def test_two_parts_in_a_million_from_its_namesake_is_the_other_foot():
    # NIST SP 811: 1200/3937 m against 0.3048 m is 2 ppm; at 727 km it is 1.454 m.
    known = KnownMarks({"X": (606_000.0, 727_000.0)})
    ratio = (1200 / 3937) / 0.3048

    assert verdict(GivenMark(name="X", east_m=606_000.0 * ratio, north_m=727_000.0 * ratio), known=known) == "control-foot-differs"


def test_a_list_in_the_other_foot_says_how_far_it_moves_and_one_in_its_own_says_nothing():
    vermont = job_frame(6590)
    marks = [GivenMark(name="A", east_m=485_337.0, north_m=186_684.0)]

    told = judge_unit(vermont, "ft", "sft", marks)

    assert told[0].numbers["moves_m"] == pytest.approx(0.971, abs=0.001)  # 485 337 m x 2e-6
    assert judge_unit(vermont, "sft", "sft", marks) == [] == judge_unit(vermont, "m", "sft", marks)


def test_findings_count_their_lines_and_name_the_first():
    found = judge_places(
        ITM,
        [*SITE, GivenMark(name="X", east_m=727_000.0, north_m=606_000.0), GivenMark(name="Y", east_m=727_010.0, north_m=606_000.0)],
        NOBODY,
        "m",
    )
    refusals = {line: item for line, item in enumerate(found, 2) if item}

    told = judge_list(refusals, len(found))

    assert [(item.code, item.numbers) for item in told] == [("control-axes-swapped", {"lines": 2, "first_line": 8})]
    assert told[0].sentence.startswith("2 of 8 lines: ")


def heights_of(*metres, kind="ellipsoidal"):
    return [
        GivenMark(name=f"M{n}", east_m=700_000.0 + n, north_m=700_000.0, height_m=height, height_kind=kind)
        for n, height in enumerate(metres)
    ]


@pytest.mark.parametrize(
    ("marks", "told"),
    [
        (heights_of(60.2, 61.0, 204.5, 62.1), {2: "in feet"}),  # 2026-11-27: 204.5 ft is 62.33 m, and was taken without a word
        (heights_of(197.5, 200.1, 61.0, 203.7), {2: "in metres"}),  # metres among feet
        (heights_of(60.2, 61.0, 62.1, 63.0), {}),
        (heights_of(60.2, 61.0, 140.0, 62.1), {}),  # a hill: in feet it would be 42.7 m, and fit no better
        (heights_of(60.2, 204.5), {}),  # too few to say who stands out
        (heights_of(60.0, 110.0, 160.0, 204.5, 80.0), {}),  # a valley's side
        ([*heights_of(60.2, 61.0, 62.1), *heights_of(204.5, kind="elevation")], {}),  # of another kind
    ],
)
def test_a_height_that_fits_in_the_other_unit_is_told(marks, told):
    found = judge_heights_of_list(marks, "m")

    assert {at: unit for at, sentence in found.items() for unit in ("in feet", "in metres") if unit in sentence} == told
    findings = judge_height_units({at + 2: sentence for at, sentence in found.items()})
    assert [item.code for item in findings] == (["control-height-unit"] if told else [])


# The geoid lies some 57 m above the ellipsoid in the west of Europe, 29 m below it in the north-east of America (EGM96, rounded).
EUROPE_M, AMERICA_M = 57.0, -29.0


def given(heights, kind, undulation_m, start=0.0):
    return [
        HeightGiven(east_m=700_000.0 + 100.0 * n, north_m=600_000.0 + start, height_m=height, kind=kind, undulation_m=undulation_m)
        for n, height in enumerate(heights)
    ]


@pytest.mark.parametrize(
    ("heights", "kind", "undulation_m", "known", "told"),
    [
        # Elevations of a river bank taken as ellipsoidal heights: they would lie 36 m under the sea.
        ((20.4, 21.1, 19.8), "ellipsoidal", EUROPE_M, [], "below the sea"),
        ((77.4, 78.1, 76.8), "ellipsoidal", EUROPE_M, [], ""),
        # A geoid under the ellipsoid lifts them: by themselves nobody can tell.
        ((120.0, 121.0, 122.0), "ellipsoidal", AMERICA_M, [], ""),
        # Beside marks that are there: the geoid's height apart.
        ((20.4, 21.1, 19.8), "ellipsoidal", EUROPE_M, [(700_050.0, 600_000.0, 77.6)], "as elevations"),
        ((77.4, 78.1, 76.8), "elevation", EUROPE_M, [(700_050.0, 600_000.0, 77.6)], "as ellipsoidal heights"),
        ((120.0, 121.0, 122.0), "ellipsoidal", AMERICA_M, [(700_050.0, 600_000.0, 91.8)], "as elevations"),
        ((77.4, 78.1, 76.8), "ellipsoidal", EUROPE_M, [(700_050.0, 600_000.0, 77.6)], ""),
        # A hill of 30 m explains nothing, and marks 20 km away say nothing.
        ((107.0, 108.0, 106.0), "ellipsoidal", EUROPE_M, [(700_050.0, 600_000.0, 77.6)], ""),
        ((20.4, 21.1, 19.8), "elevation", EUROPE_M, [(720_000.0, 600_000.0, 20.0)], ""),
        # Where the geoid lies on the ellipsoid the two are nearly one.
        ((20.4, 21.1, 19.8), "ellipsoidal", 2.0, [(700_050.0, 600_000.0, 22.0)], ""),
    ],
)
def test_heights_of_the_other_kind_are_named(heights, kind, undulation_m, known, told):
    found = judge_height_kinds(given(heights, kind, undulation_m), known, "m")

    assert [item.code for item in found] == (["control-height-kind"] if told else [])
    assert not told or told in found[0].sentence
