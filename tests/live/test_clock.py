"""The clocks: one waits for the host, one runs faster, and one stands while anybody works."""

import errno
import threading
import time

import numpy as np
import pytest

from openstake.live import clock as clocks
from openstake.live.clock import HOST_CLOCK, Lock, ScaledClock, ShiftedClock, VirtualClock
from openstake.live.network import HostNetwork, MemoryNetwork, faster, outside_of
from openstake.standin.clock import ticks

NOON_S = 1_795_521_600.0  # 2026-11-24 12:00 UTC
TWELVE_HOURS_S = 43_200.0


class Host:
    """The host's clock as a test sets it."""

    def __init__(self, monkeypatch):
        self.unix_s, self.passed_s = NOON_S, 0.0
        monkeypatch.setattr(clocks.time, "time", lambda: self.unix_s)
        monkeypatch.setattr(clocks.time, "monotonic", lambda: self.passed_s)

    def later(self, seconds):
        self.unix_s, self.passed_s = self.unix_s + seconds, self.passed_s + seconds


def test_a_patient_clock_waits_for_whoever_holds_it(monkeypatch):
    host = Host(monkeypatch)
    clock = ScaledClock(4.0)
    before = clock.now()
    assert before == NOON_S
    clock.hold("base", NOON_S + 2.0)
    clock.hold("rover", NOON_S + 1.0)
    for later_s, let_go, moved_s in ((0.1, None, 0.4), (3.0, "rover", 0.6), (3.0, "base", 1.0), (0.2, None, 0.8)):
        host.later(later_s)
        now = clock.now()
        assert now - before == pytest.approx(moved_s, abs=1e-6), "what was held up is not caught up with"
        before = now
        if let_go:
            clock.hold(let_go, None)
    host.unix_s -= 5.0
    assert clock.now() == before, "a host whose clock is put back moves nothing"


def test_stand_ins_that_are_slow_on_a_fast_clock_miss_no_epoch():
    clock = ScaledClock(50.0)
    taken = []
    stop = clock.event()
    for time_s in ticks(clock, 1.0, stop):
        time.sleep(0.05)  # by the host: two and a half epochs
        taken.append((time_s, clock.now()))
        if len(taken) == 8:
            stop.set()
    assert np.all(np.diff([time_s for time_s, _ in taken]) == 1.0)
    assert all(now_s <= time_s + 1.0 for time_s, now_s in taken), "time went on without its stand-in"
    clock.sleep(5.0)
    assert clock.now() > taken[-1][0] + 1.0, "whoever has ended holds nothing"


def test_clocks_of_several_processes_agree_on_a_time_since_midnight(monkeypatch):
    host = Host(monkeypatch)
    first = ScaledClock(4.0, NOON_S - TWELVE_HOURS_S, patient=False)
    host.later(100.0)
    second = ScaledClock(4.0, NOON_S - TWELVE_HOURS_S, patient=False)

    assert first.now() == pytest.approx(NOON_S - TWELVE_HOURS_S + 4 * (TWELVE_HOURS_S + 100.0), abs=1e-6)
    assert second.now() == pytest.approx(first.now(), abs=1e-6)


def test_a_scaled_wait_is_as_much_shorter():
    clock, begun = ScaledClock(20.0), time.monotonic()
    clock.sleep(4.0)
    assert not clock.event().wait(2.0)
    # 6 s, twenty times as fast: 0.3 s; a busy machine takes longer, never less.
    assert time.monotonic() - begun >= 0.28
    assert clock.host_s(10.0) == 0.5


def test_the_host_s_clock_sleeps_as_long_as_it_is_told_and_not_at_all_for_less_than_nothing():
    begun = time.monotonic()
    HOST_CLOCK.sleep(0.05)
    # Python's documentation of time.sleep: at least as long; a busy machine takes longer.
    assert time.monotonic() - begun >= 0.049
    HOST_CLOCK.sleep(-1.0)


def test_ticks_are_whole_seconds_in_order_and_follow_a_clock_that_is_put_on_or_back():
    clock, ahead = VirtualClock(NOON_S + 0.3), [0.0]
    shifted = ShiftedClock(clock, lambda: ahead[0])
    coming = ticks(shifted, 1.0, clock.event())

    assert [next(coming) - NOON_S for _ in range(3)] == [1.0, 2.0, 3.0]
    ahead[0] = 1800.0
    assert next(coming) - NOON_S == pytest.approx(1803.0, abs=1.0)
    ahead[0] = 0.0
    assert next(coming) - NOON_S == pytest.approx(4.0, abs=1.0)


def test_virtual_time_stands_while_somebody_works_and_goes_to_the_next_moment_when_all_wait():
    clock, seen = VirtualClock(NOON_S), []

    def rings(every_s, name):
        for _ in range(3):
            clock.sleep(every_s)
            seen.append((name, round(clock.monotonic(), 6)))

    threads = [clock.thread(rings, name, every_s, name) for name, every_s in (("slow", 3600.0), ("fast", 1.0))]
    for thread in threads:
        thread.start()
    time.sleep(0.05)
    assert seen == [] and clock.monotonic() == 0.0, "whoever made it works still"
    for thread in threads:
        thread.join()

    assert seen == [("fast", 1.0), ("fast", 2.0), ("fast", 3.0), ("slow", 3600.0), ("slow", 7200.0), ("slow", 10_800.0)]
    assert clock.now() - NOON_S == pytest.approx(10_800.0, abs=0.001)


def test_a_wait_that_is_told_ends_before_its_time_and_one_that_is_not_at_its_time():
    clock = VirtualClock(NOON_S)
    told, never, ends = clock.event(), clock.event(), []

    def waits():
        ends.append((told.wait(1000.0), clock.monotonic()))
        ends.append((never.wait(5.0), clock.monotonic()))

    thread = clock.thread(waits, "waits")
    thread.start()
    clock.sleep(2.0)
    told.set()
    thread.join()

    assert ends == [(True, 2.0), (False, 7.0)]


def test_no_two_looks_are_at_the_same_moment():
    clock = VirtualClock(NOON_S)
    looks = [clock.now() for _ in range(1000)]
    assert looks == sorted(set(looks)) and looks[-1] - looks[0] < 0.01


def test_a_thread_from_elsewhere_may_wait_and_time_does_not_stand_for_it():
    clock, ended = VirtualClock(NOON_S), threading.Event()

    def foreign():
        clock.sleep(10.0)
        ended.set()

    threading.Thread(target=foreign, daemon=True).start()
    while not ended.is_set():
        clock.sleep(1.0)
    assert clock.monotonic() >= 10.0


def test_a_lock_is_waited_for_by_the_clock_and_its_holder_may_take_it_again():
    clock, order = VirtualClock(NOON_S), []
    lock = Lock(clock.condition())

    def holds(name):
        with lock, lock:
            order.append(name)
            clock.sleep(10.0)
            order.append(name)

    threads = [clock.thread(holds, name, name) for name in "ab"]
    for thread in threads:
        thread.start()
        clock.sleep(1.0)
    for thread in threads:
        thread.join()

    assert order == ["a", "a", "b", "b"], "one after the other, though the holder waits for time to pass"


def test_a_clock_of_a_job_is_ahead_by_what_was_let_pass_and_waits_like_the_other():
    clock = VirtualClock(NOON_S)
    shifted = ShiftedClock(clock, lambda: 1800.0)
    shifted.sleep(5.0)
    assert shifted.now() - NOON_S == pytest.approx(1805.0, abs=0.001) and shifted.monotonic() == 5.0


def test_a_virtual_clock_has_a_network_in_memory_and_all_others_the_host_s():
    assert isinstance(outside_of(VirtualClock(NOON_S)).network, MemoryNetwork)
    assert isinstance(outside_of(ScaledClock(2.0)).network, HostNetwork)
    assert faster(1.0).clock is HOST_CLOCK and faster(3.0).clock.speed == 3.0


def test_a_connection_in_memory_behaves_as_one_of_sockets():
    clock = VirtualClock(NOON_S)
    network = MemoryNetwork(clock)
    with pytest.raises(ConnectionRefusedError):
        network.connect("127.0.0.1", 5016)
    with pytest.raises(OSError, match="unreachable"):
        network.connect("192.0.2.1", 5016)
    listener = network.listen("127.0.0.1", 5016)
    with pytest.raises(OSError, match="in use"):
        network.listen("127.0.0.1", 5016)
    near = network.connect("127.0.0.1", 5016)
    far, _ = listener.accept()

    near.sendall(b"one")
    near.sendall(b"")
    assert network.ready([far], 0.0) == [far] and far.recv(2) == b"on" and far.recv(9) == b"e"
    assert network.ready([far], 5.0) == [] and clock.monotonic() == 5.0
    far.settimeout(2.0)
    with pytest.raises(TimeoutError):
        far.recv(1)
    assert clock.monotonic() == 7.0
    far.setblocking(False)
    with pytest.raises(BlockingIOError):
        far.recv(1)
    near.close()
    assert far.recv(1) == b"", "the other end is gone"
    with pytest.raises(BrokenPipeError):
        far.sendall(b"x")
    with pytest.raises(OSError, match="Bad file"):
        near.recv(1)
    listener.close()
    with pytest.raises(ConnectionRefusedError):
        network.connect("127.0.0.1", 5016)


def test_one_who_does_not_read_is_not_waited_for_for_ever():
    network = MemoryNetwork(VirtualClock(NOON_S))
    listener = network.listen("127.0.0.1", 0)
    near = network.connect("127.0.0.1", listener.getsockname()[1])
    with pytest.raises(TimeoutError):
        for _ in range(100):
            near.sendall(bytes(1 << 16))


def test_a_listener_that_ends_lets_go_of_who_waits_at_it():
    network = MemoryNetwork(VirtualClock(NOON_S))
    listener = network.listen("127.0.0.1", 5016)
    near = network.connect("127.0.0.1", 5016)
    listener.shutdown(2)

    assert near.recv(1) == b"", "nobody took the connection"
    with pytest.raises(OSError) as refused:
        listener.accept()
    assert refused.value.errno == errno.EBADF
