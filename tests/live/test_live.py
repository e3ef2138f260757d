import errno
import os
import socket
import threading
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np
import pytest

from openstake.core.errors import DeviceError, FileError, InputError
from openstake.core.evidence import StationReference
from openstake.core.shot import ShotKind
from openstake.live.clock import HostClock, VirtualClock
from openstake.live.feed import Feed
from openstake.live.hub import Hub
from openstake.live.network import HOST, outside_of
from openstake.live.rawfile import RawFile
from openstake.live.rover import Address, ShotRequest
from openstake.live.session import MOST_REFERENCES, Addresses, RunningSession
from openstake.live.transport import open_source
from openstake.standin.fanout import Fanout
from openstake.standin.observables import Observables
from openstake.standin.sky import visible
from openstake.wire.nmea.write import Fix, gga, gst
from openstake.wire.rtcm3.station import encode_reference
from openstake.workflow.moment import live_view

# Everything here runs in virtual time, over connections in memory.
VIRTUAL = outside_of(VirtualClock(1_795_564_790.0))
CLOCK = VIRTUAL.clock
START = datetime(2026, 11, 24, 23, 59, 50)


def line(second, quality=4, station=17):
    fix = Fix(
        moment=START + timedelta(seconds=second),
        quality=quality,
        latitude_deg=53.3,
        longitude_deg=-6.2,
        altitude_m=61.0,
        separation_m=57.0,
        satellites=20,
        hdop=0.6,
        age_s=1.0,
        station_id=station,
        sigma_east_m=0.01,
        sigma_north_m=0.01,
        sigma_up_m=0.02,
    )
    return gga(fix) + gst(fix)


def wait_for(what, seconds):
    end = CLOCK.monotonic() + 5 * seconds
    while not what():
        assert CLOCK.monotonic() < end, "it did not happen in time"
        CLOCK.sleep(0.05)


def read_all(source, seconds=3.0):
    data, end = b"", CLOCK.monotonic() + seconds
    while CLOCK.monotonic() < end:
        try:
            data += source.read(0.05)
        except DeviceError:
            break
    return data


@pytest.mark.parametrize(
    ("url", "error", "words"),
    [
        ("tcp://127.0.0.1:9", DeviceError, "refuses the connection"),
        ("tcp://no-such-host.invalid:1", DeviceError, "not known"),
        ("ntrip://127.0.0.1:9/M", DeviceError, "refuses"),
        ("serial:///dev/ttyX?baud=9", InputError, "300 to 4000000"),
        ("tcp://:5", InputError, "host"),
        ("replay:///no/such/file", FileError, "cannot be read"),
        ("replay:///etc/hostname", FileError, "neither RTCM 3 frames nor NMEA"),
        ("replay:///etc/hostname?speed=-1", InputError, "replay speed"),
    ],
)
def test_an_address_that_cannot_be_read_says_why(url, error, words):
    with pytest.raises(error, match=words):
        open_source(url, None, HOST)


def test_a_replay_gives_the_file_back_at_its_own_pace_over_midnight(tmp_path):
    file = tmp_path / "log.nmea"
    content = b"".join(line(second) for second in range(20))
    file.write_bytes(content)
    start = CLOCK.monotonic()

    assert read_all(open_source(f"replay://{file}?speed=20", None, VIRTUAL)) == content
    # 19 s between the first and the last epoch, twenty times as fast: not at once, and not in real time.
    assert 0.8 < CLOCK.monotonic() - start < 3.0


def test_a_dropped_stream_is_said_and_taken_up_again(tmp_path):
    said, received = [], []
    device = Fanout(0, VIRTUAL)
    port = device.port
    feed = Feed(f"tcp://127.0.0.1:{port}", None, RawFile(tmp_path / "x"), lambda data, _: received.append(data), said.append, VIRTUAL)
    feed.start()
    wait_for(lambda: (device.send(b"one"), received)[1], 5)
    device.close()
    wait_for(lambda: said[-1].state == "broken", 5)
    assert said[-1].sentence.endswith(".")

    device = Fanout(port, VIRTUAL)
    wait_for(lambda: (device.send(b"two"), b"two" in b"".join(received))[1], 10)
    wait_for(lambda: said[-1].state == "receiving", 5)
    wait_for(lambda: feed.status.state == "silent", 8)
    feed.stop()
    feed.join(2)
    device.close()
    kept = b"".join(path.read_bytes() for path in sorted(tmp_path.iterdir()))
    assert kept == b"".join(received)


def test_raw_files_are_capped_rotated_and_never_overwritten(tmp_path):
    raw = RawFile(tmp_path / "s-base", most_bytes=10)
    for piece in (b"123456", b"789012", b"345"):
        raw.write(piece)
    place = raw.place(raw.written_bytes - 1)
    raw.close()
    again = RawFile(tmp_path / "s-base")
    again.write(b"6")
    again.close()

    assert [path.read_bytes() for path in sorted(tmp_path.iterdir())] == [b"123456", b"789012345", b"6"]
    assert (place.file, place.offset) == ("s-base-002.raw", 8)


class Standing(HostClock):
    """The host's clock, but for the time of day, which stands."""

    def __init__(self, now_s):
        self._now_s = now_s

    def now(self):
        return self._now_s


def test_a_hub_gives_only_what_is_newer_and_only_the_newest(tmp_path):
    hub = Hub(Standing(1000.0))
    hub.publish("live:a", 1)
    hub.publish("live:a", 2)
    hub.publish("live:b", 9)
    stream = hub.stream(0, ("live:a", "job:a"))

    first = next(stream)
    assert (first.payload, first.id) == (2, 1_000_002)
    threading.Timer(0.05, lambda: hub.publish("job:a", "x")).start()
    assert next(stream).payload == "x"
    again = hub.stream(first.id, ("live:a",))
    threading.Timer(0.05, hub.stop).start()
    assert list(again) == []
    assert Hub(Standing(2000.0))._id > first.id, "ids grow over a restart"


def control(seconds):
    """A shot of so many seconds, without limits."""
    return ShotKind(name="control", seconds=seconds)


class Memory:
    """A Sink that remembers."""

    def __init__(self):
        self.rows, self.references, self.reference_ids, self.fail = [], [], [], False
        self.feeds, self.settled = [], []

    def epochs(self, rows):
        if self.fail:
            raise OSError("disk full")
        self.rows += [row for _, row in rows]

    def reference(self, session_id, reference_id, station, place):
        self.references.append((station, place))
        self.reference_ids.append(reference_id)

    def happened(self, session_id, rover, item):
        pass

    def settle(self, session_id, final):
        self.settled.append(final)

    def feed_changed(self, session_id, role, status):
        self.feeds.append((role, status.state))


@pytest.fixture
def session(tmp_path):
    base, rover, sink = Fanout(0, VIRTUAL), Fanout(0, VIRTUAL), Memory()
    running = RunningSession(
        "s",
        Addresses(
            base_url=f"tcp://127.0.0.1:{base.port}",
            base_password=None,
            rovers=(Address(id="s", name="", url=f"tcp://127.0.0.1:{rover.port}"),),
        ),
        tmp_path,
        sink,
        lambda _: None,
        VIRTUAL,
    )
    running.start()
    wait_for(lambda: base._clients and rover._clients, 5)
    yield running, base, rover, sink
    running.stop()
    base.close()
    rover.close()


STATION = StationReference(station_id=17, x_m=3.8e6, y_m=-4.1e5, z_m=5.09e6, antenna_height_m=1.6, virtual=False)
MOVED = StationReference(station_id=17, x_m=3.8e6 + 1, y_m=-4.1e5, z_m=5.09e6, antenna_height_m=1.6, virtual=False)


def test_epochs_next_to_a_change_of_the_base_are_not_averaged(session):
    running, base, rover, sink = session
    base.send(encode_reference(STATION))
    wait_for(lambda: running.moment().reference == STATION, 5)
    done = []
    running.begin_shot(ShotRequest(id="x", kind=control(5.0), fixed_only=True), done.append)
    for second in range(4):
        rover.send(line(second))
    wait_for(lambda: len(running.moment().shot.epochs) >= 2, 5)

    base.send(encode_reference(MOVED))
    wait_for(lambda: not running.moment().reference_settled, 5)
    assert running.moment().shot.epochs == [], "what was collected before the change is dropped"
    for second in range(4, 8):
        rover.send(line(second))
    wait_for(lambda: "station message" in running.moment().shot.waiting_for, 5)
    base.send(encode_reference(MOVED))
    wait_for(lambda: running.moment().reference_settled, 5)
    for second in range(8, 16):
        rover.send(line(second))
    wait_for(lambda: done, 5)

    assert {row.reference_id for row in done[0]} == {sink.reference_ids[1]}
    assert len(done[0]) == 6, "five seconds at 1 Hz span six epochs, over midnight"
    assert [station for station, _ in sink.references] == [STATION, MOVED]


def test_a_gap_and_a_clock_that_goes_back_do_not_fill_a_shot(session):
    running, _, rover, _ = session
    done = []
    running.begin_shot(ShotRequest(id="x", kind=control(4.0), fixed_only=True), done.append)
    for second in (0, 1, 30, 31, 29, 30):
        rover.send(line(second))
    wait_for(lambda: running.moment().shot and len(running.moment().shot.epochs) >= 4, 5)

    # By hand: 0-1 and 30-31 and 29-30 count one second each, the gap and the step back nothing.
    assert not done
    assert running.moment().shot.collected_s <= 3.0


def test_a_rover_that_falls_silent_in_a_shot_is_waited_for_and_it_is_said_since_when(session):
    running, _, rover, _ = session
    running.begin_shot(ShotRequest(id="x", kind=control(60.0), fixed_only=True), lambda _: None)
    for second in range(3):
        rover.send(line(second))
    wait_for(lambda: len(running.moment().shot.epochs) == 3, 5)
    assert live_view(running.moment()).shot.waiting_for == ""

    wait_for(lambda: running.moment().shot_silent_s >= 4.0, 20)

    shown = live_view(running.moment()).shot
    assert shown.waiting_for.startswith("the rover since ") and shown.words.startswith("Held back: waiting for the rover since ")
    rover.send(line(9))
    wait_for(lambda: len(running.moment().shot.epochs) == 4, 5)
    assert live_view(running.moment()).shot.waiting_for == ""


def test_a_fixed_only_shot_waits_through_float(session):
    running, _, rover, _ = session
    done = []
    running.begin_shot(ShotRequest(id="x", kind=control(2.0), fixed_only=True), done.append)
    for second, quality in enumerate([5, 5, 4, 5, 4, 4, 4, 4]):
        rover.send(line(second, quality))
    wait_for(lambda: done, 5)

    assert {row.epoch.quality for row in done[0]} == {4}


def test_a_shot_begins_again_where_the_source_of_corrections_changes(session):
    """2026-11-27: a shot that began on the network and ended on the radio was the mean of two bases, 50 mm from either."""
    running, _, rover, _ = session
    done = []
    running.begin_shot(ShotRequest(id="x", kind=control(3.0), fixed_only=True), done.append)
    for second, station in enumerate([101, 101, 101, 17, 17, 17, 17, 17]):
        rover.send(line(second, station=station))
    wait_for(lambda: done, 5)

    assert {row.epoch.station_id for row in done[0]} == {17} and len(done[0]) == 4


def test_a_rover_that_comes_while_the_session_ends_is_stopped_with_it_or_never_heard(session):
    running, _, _, _ = session
    extra = Fanout(0, VIRTUAL)
    adding = [
        CLOCK.thread(running.add_rover, "adding", Address(id=f"r{n}", name=f"R{n}", url=f"tcp://127.0.0.1:{extra.port}")) for n in range(20)
    ]
    for thread in adding:
        thread.start()
    running.stop()
    for thread in adding:
        thread.join()
    wait_for(lambda: not [thread for thread in threading.enumerate() if thread.name.endswith(f":{extra.port}")], 10)
    extra.close()


def test_no_epoch_waits_for_a_shot_that_is_being_stored(session):
    """2026-11-27: a shot was stored on the thread of the rover's feed, 6.6 s in a job of 500."""
    running, _, rover, sink = session
    begun, go_on = CLOCK.event(), CLOCK.event()

    def store(_):
        begun.set()
        assert go_on.wait(10)

    running.begin_shot(ShotRequest(id="x", kind=control(1.0), fixed_only=True), store)
    for second in range(4):
        rover.send(line(second))
    assert begun.wait(5), "the shot is full"

    for second in range(10, 14):
        rover.send(line(second))

    late = (START + timedelta(seconds=12)).time()
    late_s = 3600.0 * late.hour + 60.0 * late.minute + late.second
    wait_for(lambda: running.moment().epoch.epoch.time_of_day_s >= late_s, 5)
    wait_for(lambda: any(row.epoch.time_of_day_s == late_s for row in sink.rows), 5)
    assert not go_on.is_set(), "it is being stored still"
    go_on.set()


def test_a_session_that_ends_waits_for_the_shot_that_is_being_stored(session):
    running, _, rover, _ = session
    stored = []

    def store(epochs):
        CLOCK.sleep(0.5)
        stored.append(epochs)

    running.begin_shot(ShotRequest(id="x", kind=control(1.0), fixed_only=True), store)
    for second in range(4):
        rover.send(line(second))
    wait_for(lambda: running.moment().shot is None, 5)
    running.stop()

    assert len(stored) == 1


def test_a_full_disk_is_said_and_its_epochs_are_kept_until_it_is_mended(session):
    running, _, rover, sink = session
    sink.fail = True
    for second in range(5):
        rover.send(line(second))
    wait_for(lambda: "disk full" in running.moment().storing_problem, 5)

    sink.fail = False
    wait_for(lambda: len(sink.rows) >= 4, 5)
    wait_for(lambda: running.moment().storing_problem == "", 5)


def test_a_shot_that_could_not_be_stored_is_said_until_the_next_one_begins(session):
    running, _, rover, sink = session

    def fail(epochs):
        raise OSError("disk full")

    running.begin_shot(ShotRequest(id="x", kind=control(1.0), fixed_only=True), fail)
    for second in range(4):
        rover.send(line(second))
    wait_for(lambda: "Record it again" in running.moment().storing_problem, 5)
    rover.send(line(5))
    wait_for(lambda: len(sink.rows) >= 4, 5)
    assert "Record it again" in running.moment().storing_problem

    running.begin_shot(ShotRequest(id="y", kind=control(1.0), fixed_only=True), fail)
    assert running.moment().storing_problem == ""


def test_a_disk_that_runs_full_is_said_before_it_is(session, monkeypatch):
    running, _, _, _ = session
    monkeypatch.setattr("openstake.live.session.LEAST_FREE_BYTES", 10**18)

    wait_for(lambda: "left on the disk" in running.moment().storing_problem, 5)


def test_garbage_on_both_lines_stops_nothing(session):
    running, base, rover, _ = session
    noise = bytes(range(256)) * 20
    base.send(noise + encode_reference(STATION) + noise)
    rover.send(noise + b"\n" + line(1) + noise + b"\n" + line(2) + line(3))

    wait_for(lambda: running.moment().reference == STATION and running.moment().epoch is not None, 5)


def test_a_caster_that_is_none_is_a_sentence():
    with socket.create_server(("127.0.0.1", 0)) as listener:
        port = listener.getsockname()[1]

        def answer():
            connection, _ = listener.accept()
            connection.sendall(b"220 mail ready\r\n\r\n")
            connection.close()

        threading.Thread(target=answer, daemon=True).start()
        with pytest.raises(DeviceError, match="not a reply of a caster"):
            open_source(f"ntrip://u@127.0.0.1:{port}/M", "p", HOST)


def test_a_base_that_sends_1005_and_1006_has_not_changed(session):
    """2026-11-27: each of the two was a change of the other, and no epoch beside them could be averaged."""
    running, base, _, sink = session
    without = replace(STATION, antenna_height_m=None)
    for n in range(6):
        base.send(encode_reference(without if n % 2 == 0 else STATION))
    wait_for(lambda: running.moment().reference == STATION, 5)
    base.send(encode_reference(without))
    base.send(encode_reference(MOVED))
    wait_for(lambda: not running.moment().reference_settled, 5)
    # 1005, the fuller 1006, and then the one that moved: back again is the reference it was.
    wait_for(lambda: [station for station, _ in sink.references] == [without, STATION, MOVED], 5)
    base.send(encode_reference(STATION))
    wait_for(lambda: running.moment().reference == STATION, 5)
    assert len(sink.references) == 3


def test_a_base_that_never_stands_still_is_not_kept_for_ever(session):
    running, base, _, sink = session
    for n in range(MOST_REFERENCES + 50):
        base.send(encode_reference(replace(STATION, x_m=3.8e6 + n)))
    wait_for(lambda: "different positions" in running.moment().storing_problem, 10)
    wait_for(lambda: len(sink.references) == MOST_REFERENCES, 10)
    assert not running.moment().reference_settled


def test_a_flood_is_thinned_and_said_and_ends_at_once(session):
    running, _, rover, sink = session
    burst = b"".join(line(second) for second in range(400))
    for _ in range(4):
        rover.send(burst)
    wait_for(lambda: "positions a second" in running.moment().storing_problem, 10)
    begun = CLOCK.monotonic()
    running.stop()
    # A promise of the program to its user, not a measurement.
    assert CLOCK.monotonic() - begun < 4.0
    assert len(sink.rows) <= 1600


def test_raw_bytes_that_cannot_be_written_are_said_and_epochs_go_on(session, monkeypatch):
    running, _, rover, sink = session
    real = os.write

    def write(file, data):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "write", write)
    for second in range(5):
        rover.send(line(second))
    wait_for(lambda: "wait in memory" in running.moment().storing_problem, 5)
    wait_for(lambda: len(sink.rows) >= 4, 5)
    monkeypatch.setattr(os, "write", real)
    rover.send(line(6))
    wait_for(lambda: running.moment().storing_problem == "", 5)


GSV = b"$GPGSV,1,1,02,05,45,120,,07,60,200,44*%02X\r\n"


def sky():
    """Two satellites, of which the one at 120° is not heard."""
    body = GSV[1 : GSV.index(b"*")]
    check = 0
    for byte in body:
        check ^= byte
    return GSV % check


@pytest.fixture
def pair(tmp_path):
    """A session with a base, a named rover and the base receiver's own position; `told` counts what its page was told."""
    base, rover, receiver, sink, told = Fanout(0, VIRTUAL), Fanout(0, VIRTUAL), Fanout(0, VIRTUAL), Memory(), []
    addresses = Addresses(
        base_url=f"tcp://127.0.0.1:{base.port}",
        base_password=None,
        rovers=(Address(id="r1", name="Wagtail", url=f"tcp://127.0.0.1:{rover.port}"),),
        receiver_url=f"tcp://127.0.0.1:{receiver.port}",
    )
    running = RunningSession("s", addresses, tmp_path, sink, lambda _: told.append(CLOCK.now()), VIRTUAL)
    running.start()
    wait_for(lambda: base._clients and rover._clients and receiver._clients, 5)
    yield running, (base, rover, receiver), sink, told
    running.stop()
    for device in (base, rover, receiver):
        device.close()


def test_each_feed_is_noted_under_its_name_and_told_to_the_page(pair):
    running, devices, sink, told = pair
    wait_for(lambda: len(sink.feeds) >= 3, 5)
    assert {role for role, _ in sink.feeds} == {"base", "rover Wagtail", "receiver"}
    before = len(told)
    for device in devices:
        device.send(line(0))
    wait_for(lambda: sum(state == "receiving" for _, state in sink.feeds) == 3, 5)
    assert len(told) >= before + 3
    assert sink.settled and not any(sink.settled)
    running.stop()
    assert sink.settled[-1], "what was folded is written at the end"


def test_the_base_s_own_position_counts_while_it_speaks_and_its_signals_for_a_quarter_of_a_minute(pair):
    running, (base, _, receiver), _, _ = pair
    for second in range(40):
        receiver.send(line(second, 1) + sky())
    wait_for(lambda: len(running.moment().receiver_epochs) == 30, 5)
    assert {seen.azimuth_deg for seen in running.moment().in_view} == {120.0, 200.0}
    wait_for(lambda: running.moment().receiver_feed.state == "silent", 10)
    assert running.moment().receiver_epochs == () and running.moment().in_view == ()

    base.send(Observables(7).frames(CLOCK.now(), 17, visible(CLOCK.now(), ARP, 10.0))[0])
    wait_for(lambda: running.moment().observables, 5)
    CLOCK.sleep(14.0)
    assert running.moment().observables
    CLOCK.sleep(2.0)
    assert running.moment().observables == ()


ARP = np.array([3_803_000.0, -411_000.0, 5_085_000.0])


def test_a_rover_that_is_dropped_is_heard_no_more_and_its_port_is_free(pair):
    running, (_, rover, _), sink, told = pair
    rover.send(line(0) + line(1))
    wait_for(lambda: sink.rows, 5)
    before = len(told)
    running.drop_rover("r1")
    assert len(told) == before + 1 and running.rover_ids == () and running.moment().rover_id is None
    wait_for(lambda: (rover.send(b"x"), not rover._clients)[1], 5)
    kept = len(sink.rows)
    running.drop_rover("r1")
    assert len(sink.rows) == kept


def test_one_shot_of_a_rover_at_a_time_and_a_cancelled_one_is_gone(pair):
    running, _, _, told = pair
    done = []
    assert running.begin_shot(ShotRequest(id="x", kind=control(60.0), fixed_only=True), done.append, "r1")
    assert running.is_recording and running.moment().shot.waiting_for == "the next epoch"
    assert not running.begin_shot(ShotRequest(id="y", kind=control(1.0), fixed_only=True), done.append, "r1"), "the first one is in hand"
    assert running.moment().shot.request.id == "x"
    assert not running.begin_shot(ShotRequest(id="z", kind=control(1.0), fixed_only=True), done.append, "nobody")
    before = len(told)
    assert running.cancel_shot("r1") and len(told) == before + 1
    assert not running.is_recording and running.moment().shot is None and not running.cancel_shot("r1")


@pytest.mark.parametrize(("step_s", "fills"), [(5, True), (6, False)])
def test_epochs_as_slow_as_people_set_them_fill_a_shot_and_a_gap_does_not(session, step_s, fills):
    running, _, rover, _ = session
    done = []
    running.begin_shot(ShotRequest(id="x", kind=control(10.0), fixed_only=True), done.append)
    for second in range(0, 6 * step_s, step_s):
        rover.send(line(second))
    CLOCK.sleep(2.0)
    assert bool(done) is fills


def test_the_sky_is_looked_at_once_a_second(pair):
    """A satellite that is listed for half a minute and not heard is an obstruction: not before, whatever the rover's rate."""
    running, (_, rover, _), _, _ = pair
    for tenth in range(250):
        rover.send(line(tenth / 10.0) + sky())
        CLOCK.sleep(0.1)
    assert not running.watched().obstructed
    for tenth in range(250, 350):
        rover.send(line(tenth / 10.0) + sky())
        CLOCK.sleep(0.1)
    (hidden,) = running.watched().obstructed
    # Its azimuth is 120° and its elevation 45°: the piece that begins there.
    assert (hidden.azimuth_from_deg, hidden.azimuth_to_deg) == (120.0, 130.0)
    assert (hidden.elevation_from_deg, hidden.elevation_to_deg) == (45.0, 50.0)


def test_a_track_takes_a_point_after_so_long_or_so_far_and_goes_on(pair):
    running, (_, rover, _), _, _ = pair
    taken = []
    every = ShotKind(name="track", every_s=3.0)
    running.begin_shot(ShotRequest(id="walk", kind=every, fixed_only=False), lambda epochs: taken.append(epochs), "r1")
    for second in range(11):
        rover.send(line(second, 5))
        CLOCK.sleep(1.0)
    # The first at once, then every three seconds by the rover's own clock; an epoch is known once the next one begins.
    times = [epochs[0].epoch.time_of_day_s for epochs in taken]
    assert [len(epochs) for epochs in taken] == [1] * len(taken)
    assert np.diff(times).tolist() == [3.0] * (len(times) - 1) and len(times) == 4
    assert running.moment().shot.points == 4 and running.is_recording, "a track ends when somebody ends it"
    assert running.cancel_shot("r1")


def test_a_replay_of_rtcm_plays_whole_epochs_at_their_pace_over_the_week_s_end(tmp_path):
    saturday_s = 1_795_910_382.0  # 2026-11-28 23:59:42 UTC: GPS's week ends 18 leap seconds before the day does
    # A station's message has no time: it goes with the epoch that it stands before.
    base, frames = Observables(3), [encode_reference(STATION)]
    for second in range(8):
        time_s = saturday_s - 4.0 + second
        frames += base.frames(time_s, 17, visible(time_s, ARP, 10.0))
    file = tmp_path / "base.rtcm3"
    file.write_bytes(b"noise" + b"".join(frames) + b"more noise")
    begun, source = CLOCK.monotonic(), open_source(f"replay://{file}", None, VIRTUAL)
    pieces = [(piece, CLOCK.monotonic() - begun) for _ in range(400) if (piece := read_one(source))]
    assert b"".join(piece for piece, _ in pieces) == b"".join(frames), "frames as they were, and no noise"
    assert [round(at_s) for _, at_s in pieces] == list(range(8)), "one piece an epoch, a second apart"


def read_one(source):
    try:
        return source.read(0.05)
    except DeviceError:
        return b""
