"""Re-seating against pyproj's topocentric axes (EPSG 9837), and the ways in which a shift should not be applied."""

import json

import numpy as np
import pytest
from click.testing import CliRunner
from pyproj import Transformer

from openstake.cli import main
from openstake.core.errors import InputError
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.geodesy.local import enu_axes
from openstake.core.judge.reseat import judge_reseat
from openstake.core.reseat import ppm_of_coordinates, reseat

LATITUDE, LONGITUDE, HEIGHT = 52.41, -6.48, 60.0
BASE = ecef_from_geodetic(LATITUDE, LONGITUDE, HEIGHT)
KNOWN = ecef_from_geodetic(LATITUDE + 0.01, LONGITUDE + 0.02, HEIGHT + 12.0)
AXES = enu_axes(LATITUDE + 0.01, LONGITUDE + 0.02)


def off(east, north, up):
    """Return the known mark as a base sees it that is off by so much: observed = known + that error."""
    return KNOWN + np.array([east, north, up]) @ AXES


def codes(observed, **more):
    return [item.code for item in judge_reseat(reseat(BASE, KNOWN, observed), **more)]


def test_the_shift_is_known_minus_observed_in_the_axes_of_the_known_mark():
    observed = off(-1.2, 0.7, 2.5)
    found = reseat(BASE, KNOWN, observed)

    pipeline = f"+proj=topocentric +ellps=WGS84 +X_0={KNOWN[0]} +Y_0={KNOWN[1]} +Z_0={KNOWN[2]}"
    east, north, up = Transformer.from_pipeline(pipeline).transform(*observed)
    assert (found.east_m, found.north_m, found.up_m) == pytest.approx((-east, -north, -up), abs=1e-6)
    assert (found.east_m, found.north_m, found.up_m) == pytest.approx((1.2, -0.7, -2.5), abs=1e-6)


def test_a_base_that_is_off_comes_right_and_every_vector_stays():
    """The error put into a base comes out of it again, to the last micrometre."""
    error = np.array([3.1, -2.2, 4.4])
    wrong_base = BASE + error
    observed = wrong_base + (KNOWN - BASE)  # the rover's vector is right, whatever the base says

    found = reseat(wrong_base, KNOWN, observed)

    assert found.base_m == pytest.approx(tuple(BASE), abs=1e-6)
    assert np.array(found.base_m) + (observed - wrong_base) == pytest.approx(KNOWN, abs=1e-6)


def test_a_shift_undone_is_the_base_as_it_was():
    there = reseat(BASE, KNOWN, off(0.4, 0.3, 0.2))
    back = reseat(there.base_m, off(0.4, 0.3, 0.2), KNOWN)
    assert back.base_m == pytest.approx(tuple(BASE), abs=1e-9)


@pytest.mark.parametrize(
    ("error", "code"),
    [
        ((0.008, -0.005, 0.012), "reseat-small"),
        ((0.004, 0.006, 0.100), "reseat-only-up"),
        ((-1.8, 2.4, 3.9), "reseat-metre"),
        ((120.0, -40.0, 2.0), "reseat-far"),
        ((0.3, 0.2, 0.1), "reseat-prove"),
    ],
)
def test_what_a_shift_looks_like(error, code):
    assert codes(off(*error))[0] == code


def test_a_known_base_that_would_move_is_a_stop_and_a_small_shift_of_it_is_not():
    first = judge_reseat(reseat(BASE, KNOWN, off(0.3, 0.2, 0.1)), entered_as_known=True)[0]
    assert (first.code, first.is_stop) == ("reseat-of-known", True)
    assert codes(off(0.003, 0.002, 0.001), entered_as_known=True) == ["reseat-small"]


def test_one_foot_for_the_other_is_two_millionths_of_the_coordinates():
    """US survey foot ÷ international foot = (1200/3937) ÷ 0.3048 = 1.000 002 (NIST SP 811)."""
    factor = (1200 / 3937) / 0.3048
    assert codes(KNOWN * factor)[0] == "reseat-ppm"
    assert ppm_of_coordinates((703_000 * (factor - 1), 629_000 * (factor - 1)), (703_000, 629_000)) == pytest.approx(2.0, abs=1e-3)
    assert ppm_of_coordinates((1.4, -1.3), (703_000, 629_000)) is None


def test_the_base_own_mark_is_no_known_mark():
    assert [item.code for item in judge_reseat(reseat(KNOWN, KNOWN, off(0.1, 0, 0)))] == ["reseat-own-mark"]


@pytest.mark.parametrize("bad", [(52.4, -6.5, 60.0), (0.0, 0.0, 0.0), (np.nan, 1.0, 2.0), (6.5e6, 0.0, 0.0), (1.0, 2.0)])
def test_what_is_no_place_on_earth_is_refused(bad):
    with pytest.raises(InputError, match="known place is not near the Earth"):
        reseat(BASE, bad, KNOWN)


def test_the_terminal_says_the_same():
    said = lambda xyz: ",".join(f"{value:.4f}" for value in xyz)  # noqa: E731
    options = [f"--base={said(BASE)}", f"--known={said(KNOWN)}", f"--observed={said(off(-1.2, 0.7, 2.5))}"]

    answer = json.loads(CliRunner().invoke(main, ["reseat", *options, "--json"]).stdout)

    assert set(answer) == {
        "shift_x_m",
        "shift_y_m",
        "shift_z_m",
        "shift_east_m",
        "shift_north_m",
        "shift_up_m",
        "base_x_m",
        "base_y_m",
        "base_z_m",
        "findings",
    }
    assert (answer["shift_east_m"], answer["shift_north_m"], answer["shift_up_m"]) == pytest.approx((1.2, -0.7, -2.5), abs=2e-4)
    assert CliRunner().invoke(main, ["reseat", *options]).exit_code == 0
    for bad in ("1,2", "a,b,c", "52.4,-6.5,60"):
        refused = CliRunner().invoke(main, ["reseat", f"--base={bad}", *options[1:]])
        assert refused.exit_code == 2 and refused.output.strip()
