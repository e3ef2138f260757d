"""Averages of what a receiver reports, and where the ARP is meant to be, against PROJ."""

import numpy as np
import pyproj
import pytest

from openstake.core.errors import InputError
from openstake.core.evidence import Epoch, Status
from openstake.core.occupation import average_of_epochs, meant_arp_ecef

TO_ECEF = pyproj.Transformer.from_crs("EPSG:4979", "EPSG:4978", always_xy=True)


def epoch(latitude, longitude, height, quality=1):
    return Epoch(0.0, None, quality, "", "", latitude, longitude, height - 57.0, 57.0, 12, 1.0, None, None)


def test_an_average_is_the_middle_of_its_epochs_with_their_spread():
    # One metre is 1 / 111.3 km of a degree of latitude at 53.3 N (PROJ gives the exact figure below).
    step = 1e-5
    metres = np.linalg.norm(np.subtract(TO_ECEF.transform(-6.2, 53.3 + step, 60), TO_ECEF.transform(-6.2, 53.3, 60)))

    average = average_of_epochs(
        [epoch(53.3 - step, -6.2, 59.0), epoch(53.3, -6.2, 60.0), epoch(53.3 + step, -6.2, 61.0)]
    )

    assert average.xyz_m == pytest.approx(TO_ECEF.transform(-6.2, 53.3, 60.0), abs=1e-3)
    assert average.used == 3
    assert average.north.spread == pytest.approx(metres, rel=1e-5)  # of -1, 0, 1 with n - 1: exactly one step
    assert average.east.spread == pytest.approx(0.0, abs=1e-6)
    assert average.up.spread == pytest.approx(1.0, abs=1e-5)


def test_the_lowest_status_of_an_average_is_told_and_epochs_without_a_position_are_left_out():
    nothing = Epoch(0.0, None, 0, "", "", None, None, None, None, 0, None, None, None)

    average = average_of_epochs([epoch(53.3, -6.2, 60.0, 4), nothing, epoch(53.3, -6.2, 60.0, 2)])

    assert (average.used, average.lowest_status) == (2, Status.DGPS)
    with pytest.raises(InputError, match="no position yet"):
        average_of_epochs([nothing])


def test_the_arp_is_meant_to_be_above_the_mark_along_its_normal():
    meant = meant_arp_ecef(TO_ECEF.transform(-6.2, 53.3, 60.0), 1.546)

    assert meant == pytest.approx(TO_ECEF.transform(-6.2, 53.3, 61.546), abs=1e-6)
