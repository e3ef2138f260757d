"""Averages of what a receiver reports, and where the ARP is meant to be, against PROJ."""

import numpy as np
import pyproj
import pytest

from openstake.core.errors import InputError
from openstake.core.evidence import Epoch, Status
from openstake.core.occupation import average_of_epochs, meant_arp_ecef

TO_ECEF = pyproj.Transformer.from_crs("EPSG:4979", "EPSG:4978", always_xy=True)


def epoch(latitude, longitude, height, quality=1):
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


def test_an_average_is_the_middle_of_its_epochs_with_their_spread():
    # One metre is 1 / 111.3 km of a degree of latitude at 53.3 N (PROJ gives the exact figure below).
    step = 1e-5
    metres = np.linalg.norm(np.subtract(TO_ECEF.transform(-6.2, 53.3 + step, 60), TO_ECEF.transform(-6.2, 53.3, 60)))

    average = average_of_epochs([epoch(53.3 - step, -6.2, 59.0), epoch(53.3, -6.2, 60.0), epoch(53.3 + step, -6.2, 61.0)])

    assert average.xyz_m == pytest.approx(TO_ECEF.transform(-6.2, 53.3, 60.0), abs=1e-3)
    assert average.used == 3
    assert average.north.spread == pytest.approx(metres, rel=1e-5)  # of -1, 0, 1 with n - 1: exactly one step
    assert average.east.spread == pytest.approx(0.0, abs=1e-6)
    assert average.up.spread == pytest.approx(1.0, abs=1e-5)


def test_the_lowest_status_of_an_average_is_told_and_epochs_without_a_position_are_left_out():
    nothing = Epoch(
        time_of_day_s=0.0,
        date=None,
        quality=0,
        latitude_text="",
        longitude_text="",
        latitude_deg=None,
        longitude_deg=None,
        altitude_m=None,
        separation_m=None,
        satellites=0,
        hdop=None,
        age_s=None,
        station_id=None,
    )

    average = average_of_epochs([epoch(53.3, -6.2, 60.0, 4), nothing, epoch(53.3, -6.2, 60.0, 2)])

    assert (average.used, average.lowest_status) == (2, Status.DGPS)
    with pytest.raises(InputError, match="no position yet"):
        average_of_epochs([nothing])


def test_the_arp_is_meant_to_be_above_the_mark_along_its_normal():
    meant = meant_arp_ecef(TO_ECEF.transform(-6.2, 53.3, 60.0), 1.546)

    assert meant == pytest.approx(TO_ECEF.transform(-6.2, 53.3, 61.546), abs=1e-6)


def epochs_of(values_m, status=1, step_s=1.0):
    """Epochs of a receiver near Carrow whose latitude wanders by metres."""
    return [
        Epoch(
            time_of_day_s=n * step_s,
            date=None,
            quality=status,
            latitude_text="5306.0000000,N",
            longitude_text="00612.0000000,W",
            latitude_deg=53.1 + east_m / 111_000.0,
            longitude_deg=-6.2,
            altitude_m=60.0,
            separation_m=55.0,
            satellites=12,
            hdop=1.0,
            age_s=None,
            station_id=None,
        )
        for n, east_m in enumerate(values_m)
    ]


@pytest.mark.parametrize(
    ("seconds", "status", "short"), [(299, 1, True), (301, 1, False), (29, 4, True), (31, 4, False), (299, 5, True), (301, 2, False)]
)
def test_too_short_to_tell_goes_by_the_span_alone(seconds, status, short):
    """Under five minutes, fixed under 30 s (common practice, no source), however independent the epochs look."""
    random = np.random.default_rng(3)
    average = average_of_epochs(epochs_of(random.normal(0.0, 0.01, seconds + 1), status))

    assert average.is_short is short


def test_the_half_width_is_always_given_and_holds_a_mean_s_noise_in_all_directions():
    random = np.random.default_rng(4)
    for count in (2, 3, 30, 400):
        average = average_of_epochs(epochs_of(random.normal(0.0, 0.5, count)))
        for part in average.worth:
            assert part.half_95_m is not None and part.freedom >= 1.0
            assert part.precision_m <= part.half_95_m
        assert average.half_95_horizontal_m >= max(average.worth[0].half_95_m, average.worth[1].half_95_m) * 0.999
    assert average_of_epochs(epochs_of([0.0])).half_95_horizontal_m is None
