"""What a stream holds now: intervals by the observables' own clock, messages that stop, satellites that are sent."""

from openstake.core.evidence import StationReference
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.msm import Observation, encode_msm4
from openstake.wire.rtcm3.recent import RecentStream
from openstake.wire.rtcm3.station import encode_reference

STATION = StationReference(station_id=17, x_m=3.8e6, y_m=-4e5, z_m=5.1e6, antenna_height_m=1.5, virtual=False)
CELLS = {(prn, 2): Observation(pseudorange_m=21e6, phase_range_m=21e6, lock_s=10.0, cnr_dbhz=45.0) for prn in (5, 12, 31)}


def heard(seconds, sends_reference):
    """Return what is held after so many seconds of GPS once a second and the reference when asked."""
    recent, reader = RecentStream(), FrameReader()
    for second in range(seconds):
        data = encode_msm4(1074, 17, 1000.0 + second, CELLS, False)
        if sends_reference(second):
            data += encode_reference(STATION)
        for frame in reader.feed(data):
            recent.add(frame)
    return recent.heard()


def intervals(found):
    return {item.number: item.interval_s for item in found.messages}


def test_intervals_are_those_that_were_sent_though_one_was_lost():
    found = heard(60, lambda second: second % 10 == 0 and second != 30)
    assert intervals(found) == {1074: 1.0, 1006: 10.0}
    assert found.span_s == 59.0 and found.satellites == {"GPS": frozenset({5, 12, 31})}


def test_too_few_say_no_interval_and_a_message_that_stopped_is_no_longer_sent():
    assert intervals(heard(25, lambda second: second % 10 == 0)) == {1074: 1.0, 1006: None}
    assert intervals(heard(95, lambda second: second < 50 and second % 10 == 0)) == {1074: 1.0, 1006: 10.0}
    assert intervals(heard(115, lambda second: second < 50 and second % 10 == 0)) == {1074: 1.0}


def test_nothing_is_said_of_a_stream_without_observations():
    recent = RecentStream()
    for frame in FrameReader().feed(encode_reference(STATION)):
        recent.add(frame)
    assert recent.heard().span_s == 0.0 and recent.heard().messages == ()
