"""A full field test is compared with the full one before it."""

import numpy as np
import pytest

from openstake.core.iso17123 import Measured
from openstake.store.models import Shot
from openstake.workflow.check import fieldtests


@pytest.mark.parametrize(("spread", "passes"), [(0.004, True), (0.012, False)])
def test_the_uncertainty_is_tested_against_that_of_the_earlier_full_test(spread, passes):
    # F of 56 degrees of freedom each at 97.5 %: 1.70 (from memory of the tables); (12/4)² = 9 is far beyond it.
    settled = fieldtests.FieldTestSettled(True, 0.008, 0.015, None, None)
    places = [(a, b, c) for a in (1, 2, 3) for b in range(1, 6) for c in (1, 2)]

    def rows(seed, sigma):
        noise = np.random.default_rng(seed).normal(0.0, sigma, (30, 3))
        return [Measured(*place, 10.0 * place[2] + e, n, h) for place, (e, n, h) in zip(places, noise, strict=True)]

    shots = {f"{a}.{b}.{c}": Shot(created_s=1000.0 + 5400.0 * a + 300.0 * b + 30.0 * c) for a, b, c in places}
    now = fieldtests.SeriesNow("t", "j", settled, 0.0, shots)
    view = fieldtests._view(now, rows(1, spread), rows(2, 0.004), "m", 1e6)

    tests = {item.name: item.passed for item in view.result.tests}
    assert tests["s_xy against the earlier test"] == passes
    assert view.quality.startswith("s of a position") and "56 degrees of freedom" in view.quality
    assert not view.open and view.passed == all(tests.values())
