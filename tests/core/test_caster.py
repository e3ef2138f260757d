"""A mountpoint judged by distance, silence and position."""

import pytest

from openstake.core.link.caster import MountpointEvidence, distance_km, judge_mountpoint


def test_a_distance_is_the_geodesic():
    # One degree of latitude on WGS 84 at the equator is 110.574 km (from memory).
    assert distance_km((0.0, 0.0), (1.0, 0.0)) == pytest.approx(110.574, abs=0.001)


def told(**more):
    usual = {
        "name": "M",
        "connected": True,
        "frames": 9,
        "received_bytes": 900,
        "gga_sent": 0,
        "needs_gga": False,
        "network": False,
        "distance_km": 5.0,
        "stations": (),
    }
    return [(item.code, item.severity.value) for item in judge_mountpoint(MountpointEvidence(**(usual | more)))]


def test_a_mountpoint_is_judged_by_distance_silence_and_position():
    assert told() == []
    # 30 to 40 km from a single base (common practice, no source); a network solution is made for the place.
    assert told(distance_km=35.0) == [("mountpoint-far", "look")]
    assert told(distance_km=45.0) == [("mountpoint-far", "stop")]
    assert told(distance_km=45.0, network=True) == []
    silent = {"frames": 0, "received_bytes": 0}
    assert told(**silent) == [("mountpoint-silent", "stop")]
    assert told(**silent, needs_gga=True) == [("position-not-sent", "stop")]
    assert told(**silent, needs_gga=True, gga_sent=2) == [("mountpoint-silent", "stop")]
