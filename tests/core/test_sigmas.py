import numpy as np
import pytest
from scipy import integrate, stats

from openstake.core.constants import CIRCLE_95
from openstake.core.sigmas import Sigmas, added, ellipse_95, horizontal_95_m, in_grid, sigmas_of_ellipse, vertical_95_m


@pytest.mark.parametrize("ratio", [0.0, 0.2, 0.5, 0.8, 1.0])
def test_the_circle_holds_95_percent_by_integration(ratio):
    radius = horizontal_95_m(1.0, ratio)

    if ratio == 0.0:
        held = stats.norm.cdf(radius) - stats.norm.cdf(-radius)
    else:
        held, _ = integrate.quad(lambda x: stats.norm.pdf(x) * (2 * stats.norm.cdf(np.sqrt(radius**2 - x**2) / ratio) - 1), -radius, radius)
    assert held == pytest.approx(0.95, abs=1e-4)


def test_up_and_quadrature():
    assert vertical_95_m(1.0) == pytest.approx(stats.norm.ppf(0.975), abs=1e-12)
    total = added(Sigmas(east_m=3.0, north_m=0.0, up_m=1.0), Sigmas(east_m=4.0, north_m=0.0, up_m=1.0))
    assert (total.east_m, total.north_m) == (5.0, 0.0)  # 3-4-5


@pytest.mark.parametrize("correlation", [0.0, 0.5, 0.9, -0.9, 0.999])
@pytest.mark.parametrize("north", [0.0, 0.2, 0.7, 1.0, 3.0])
def test_the_circle_holds_95_percent_under_the_whole_covariance(north, correlation):
    """2026-11-27: the correlation was left out, 3 % at 0.5 and 10 % at 0.9.  By 400 000 seeded trials, to a quarter of a percent."""
    random = np.random.default_rng(11)
    covariance = np.array([[1.0, correlation * north], [correlation * north, north**2]])
    trials = random.multivariate_normal([0.0, 0.0], covariance, 400_000)

    radius = horizontal_95_m(1.0, north, correlation * north)

    held = float(np.mean(np.hypot(trials[:, 0], trials[:, 1]) <= radius))
    # Three sigmas of a share of 0.95 in 400 000 trials.
    assert held == pytest.approx(0.95, abs=3 * (0.95 * 0.05 / 400_000) ** 0.5)


def test_a_line_and_a_circle_are_those_of_the_tables():
    # χ² of one and of two degrees of freedom (scipy), whose square roots are 1.95996 and 2.44775.
    assert horizontal_95_m(0.01, 0.0) == pytest.approx(0.01 * stats.chi2.ppf(0.95, 1) ** 0.5, rel=1e-6)
    assert horizontal_95_m(0.01, 0.01) == pytest.approx(0.01 * stats.chi2.ppf(0.95, 2) ** 0.5, rel=1e-6)
    # A covariance of a line in any direction.
    assert horizontal_95_m(0.03, 0.04, 0.0012) == pytest.approx(0.05 * stats.chi2.ppf(0.95, 1) ** 0.5, rel=1e-4)


@pytest.mark.parametrize("orientation", [0.0, 30.0, 45.0, 90.0, 135.0, 350.0])
def test_an_ellipse_of_gst_is_the_covariance_it_is_drawn_from_and_back(orientation):
    sigmas = sigmas_of_ellipse(0.03, 0.01, orientation, 0.02)
    ellipse = ellipse_95(sigmas)

    # By rotation: R diag(M², m²) Rᵀ with the major axis at an azimuth from north.
    turn = np.radians(orientation)
    along, across = np.array([np.sin(turn), np.cos(turn)]), np.array([np.cos(turn), -np.sin(turn)])
    covariance = 0.03**2 * np.outer(along, along) + 0.01**2 * np.outer(across, across)
    assert (sigmas.east_m**2, sigmas.north_m**2) == pytest.approx(np.diag(covariance), abs=1e-15)
    assert sigmas.covariance_en_m2 == pytest.approx(covariance[0, 1], abs=1e-15)
    assert (ellipse.major_m, ellipse.minor_m) == pytest.approx((0.03 * CIRCLE_95, 0.01 * CIRCLE_95), rel=1e-9)
    assert (ellipse.orientation_deg - orientation + 90.0) % 180.0 == pytest.approx(90.0, abs=1e-6)


def test_on_a_grid_the_ellipse_is_turned_by_the_convergence():
    # Grid north 3 degrees east of true north: what points to true north has the grid azimuth 357 (by hand).
    turned = ellipse_95(in_grid(sigmas_of_ellipse(0.03, 0.01, 0.0, 0.02), 3.0))

    assert turned.orientation_deg == pytest.approx(177.0, abs=1e-9)
    assert in_grid(sigmas_of_ellipse(0.03, 0.03, 20.0, 0.02), 40.0).covariance_en_m2 == pytest.approx(0.0, abs=1e-18)
