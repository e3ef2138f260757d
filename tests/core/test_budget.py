import numpy as np
import pytest
from scipy import integrate, stats

from openstake.core.budget import Sigmas, added, horizontal_95_m, vertical_95_m


@pytest.mark.parametrize("ratio", [0.0, 0.2, 0.5, 0.8, 1.0])
def test_the_circle_holds_95_percent_by_integration(ratio):
    radius = horizontal_95_m(1.0, ratio)

    if ratio == 0.0:
        held = stats.norm.cdf(radius) - stats.norm.cdf(-radius)
    else:
        held, _ = integrate.quad(
            lambda x: stats.norm.pdf(x) * (2 * stats.norm.cdf(np.sqrt(radius**2 - x**2) / ratio) - 1), -radius, radius
        )
    assert held == pytest.approx(0.95, abs=0.001)


def test_up_and_quadrature():
    assert vertical_95_m(1.0) == pytest.approx(stats.norm.ppf(0.975), abs=1e-12)
    total = added(Sigmas(3.0, 0.0, 1.0), Sigmas(4.0, 0.0, 1.0))
    assert (total.east_m, total.north_m) == (5.0, 0.0)  # 3-4-5
