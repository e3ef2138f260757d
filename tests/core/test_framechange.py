"""Coordinates from one frame and epoch into another: by a named operation, or not at all."""

import numpy as np
import pytest

from openstake.core.errors import InputError
from openstake.core.geodesy.framechange import changed_frame, epoch_year, frame_step

IRELAND = (3_815_421.0, -433_001.0, 5_076_310.0)


def test_itrf2014_into_etrf2014_is_the_rotation_of_europe():
    """EUREF Technical Note 1, table for ETRF2014 (from memory): no translation; rotations of 0.085, 0.531 and -0.770 mas a year
    since 1989.0, the sense of X' = X + (R × X) with R as the rotation of Eurasia taken off."""
    year = 2026.9
    step = frame_step("ITRF2014", year, "ETRF2014", None, IRELAND)
    (change,) = [item for item in step.changes if item.name == "ITRF2014 to ETRF2014 (1)"]

    moved = changed_frame(IRELAND, "ITRF2014", year, "ETRF2014", change.name, IRELAND)

    mas = np.pi / 180.0 / 3_600_000.0
    turn = np.array([0.085, 0.531, -0.770]) * mas * (year - 1989.0)
    assert np.allclose(moved, np.array(IRELAND) + np.cross(turn, IRELAND), atol=0.002)
    assert 0.7 < np.linalg.norm(np.subtract(moved, IRELAND)) < 1.0


def test_one_frame_is_the_same_and_another_epoch_of_one_that_moves_cannot_be_reached():
    assert frame_step("ETRS 89", 2026.9, "ETRS89", None, IRELAND).same
    assert frame_step("ETRF2014", 2026.9, "ETRF2014", 2026.1, IRELAND).same, "it rides on the plate"
    assert frame_step("ITRF2020", 2026.9, "ITRF2020", 2026.92, IRELAND).same
    apart = frame_step("ITRF2020", 2026.9, "ITRF2020", 2015.0, IRELAND)
    assert not apart.same and not apart.changes and "velocity" in apart.words


def test_a_national_realisation_is_reached_by_way_of_the_frame_that_it_realises():
    """IRENET95 realises ETRS89 in Ireland (EPSG dataset, operation 1681: no shift), so both lead to the same place."""
    ways = frame_step("ITRF2020", 2026.9, "IRENET95", None, IRELAND).changes
    direct = frame_step("ITRF2020", 2026.9, "ETRS89", None, IRELAND).changes
    assert [item.name for item in ways] == [f"{item.name}, then Inverse of IRENET95 to ETRS89 (1)" for item in direct]
    one = changed_frame(IRELAND, "ITRF2020", 2026.9, "IRENET95", ways[0].name, IRELAND)
    assert np.allclose(one, changed_frame(IRELAND, "ITRF2020", 2026.9, "ETRS89", direct[0].name, IRELAND), atol=1e-6)


def test_another_frame_that_moves_is_reached_at_the_solution_s_own_epoch_alone():
    assert frame_step("ITRF2020", 2026.9, "ITRF2014", 2026.9, IRELAND).changes
    apart = frame_step("ITRF2020", 2026.9, "ITRF2014", 2010.0, IRELAND)
    assert not apart.changes and "velocity" in apart.words


def test_what_is_not_known_leads_nowhere_and_an_operation_must_be_one_of_those_offered():
    assert "not a frame of the EPSG dataset" in frame_step("my frame", None, "ETRS89", None, IRELAND).words
    assert frame_step("my frame", None, "My Frame", None, IRELAND).same
    no_epoch = frame_step("ITRF2014", None, "ETRF2014", None, IRELAND)
    assert not no_epoch.changes and "Say the epoch" in no_epoch.words
    with pytest.raises(InputError, match="not offered"):
        changed_frame(IRELAND, "ITRF2014", 2026.9, "ETRF2014", "ballpark", IRELAND)


@pytest.mark.parametrize(("text", "year"), [("", None), ("2010.0", 2010.0), ("2026-07-02", 2026 + 182 / 365)])
def test_an_epoch_is_a_year_or_a_date(text, year):
    assert epoch_year(text) == (None if year is None else pytest.approx(year))
    with pytest.raises(InputError):
        epoch_year(f"{text} about")


@pytest.mark.parametrize(
    ("source", "target"),
    [
        ("IGS14", "ETRS89"),
        ("IGb14", "IRENET95"),
        ("IGS20", "ETRF2000"),
        ("ITRF2014", "ETRS89"),
        ("ITRF2014", "IRENET95"),
        ("IGS08", "ETRF2014"),
    ],
)
def test_frames_of_the_igs_and_routes_of_several_steps_lead_into_europe_s(source, target):
    """2026-11: IGS frames were answered with a 500.  ETRS89 is some 0.8 m from any ITRF in Ireland in 2026 (EUREF Technical Note 1)."""
    step = frame_step(source, 2026.9, target, None, IRELAND)
    assert step.changes and not step.same
    moved = changed_frame(IRELAND, source, 2026.9, target, step.changes[0].name, IRELAND)
    assert 0.6 < np.linalg.norm(np.subtract(moved, IRELAND)) < 1.0


def test_an_igs_frame_is_its_itrf_where_somebody_says_so():
    step = frame_step("IGb14", 2026.9, "ITRF2014", 2026.9, IRELAND)
    (change,) = step.changes
    assert not step.same and change.accuracy_m == 0.01
    assert changed_frame(IRELAND, "IGb14", 2026.9, "ITRF2014", change.name, IRELAND) == IRELAND


def test_two_epochs_of_a_frame_that_rides_on_its_plate_are_told_apart():
    step = frame_step("NAD83(2011)", 2026.0, "NAD83(2011)", 2010.0, IRELAND)
    (change,) = step.changes
    assert not step.same and "2026.00" in step.words and "2010.00" in step.words
    assert changed_frame(IRELAND, "NAD83(2011)", 2026.0, "NAD83(2011)", change.name, IRELAND) == IRELAND
