"""What a broken device or a full disk may do: it is slowed, thinned, folded, kept while there is room, and said."""

import errno
import os

import pytest

from openstake.live.clock import VirtualClock
from openstake.live.flood import MOST_EPOCHS_PER_S, Thinning, Throttle
from openstake.live.hub import MOST_OF_ONE, MOST_STREAMS, Hub
from openstake.live.rawfile import Place, RawFile
from openstake.live.repeated_events import LONGEST_S, PLAIN, Folding


def test_a_feed_is_read_at_its_most_and_no_faster():
    clock = VirtualClock(1000.0)
    throttle = Throttle(clock, 1000.0)
    taken = 0
    for _ in range(100):
        clock.sleep(throttle.wait_s(500))
        taken += 500
    # The first second's bytes at once, then 1000 a second (by hand).
    assert taken / (clock.monotonic() + 1.0) == pytest.approx(1000.0, rel=0.02)
    assert throttle.held_back
    clock.sleep(60.0)
    assert throttle.wait_s(900) == 0.0 and not throttle.held_back


def test_epochs_beyond_the_rate_are_left_out_and_counted():
    thinning = Thinning()
    taken = sum(thinning.take(10.0 + n / 5000.0) for n in range(5000))
    assert (taken, thinning.left_out) == (MOST_EPOCHS_PER_S, 5000 - MOST_EPOCHS_PER_S)
    assert thinning.take(11.5)


def due(folding, now):
    """Return what is due and say that it was written."""
    found = folding.due(now)
    assert folding.due(now) == found, "until it is written it is asked for again"
    folding.written(found)
    return found


def test_a_feed_that_flaps_is_a_few_lines_with_count_first_and_last():
    """2026-11-27: 1 475 lines of the Book in 15 s."""
    folding, plain, folded = Folding(), 0, []
    for n in range(1475):
        now = 100.0 + n * 0.01
        plain += folding.is_plain("rover feed", f"change {n}", now)
        folded += due(folding, now)
    folded += due(folding, 300.0)

    assert plain == PLAIN and len(folded) == 1
    assert (folded[0].count, folded[0].last) == (1475 - PLAIN, "change 1474")
    assert folded[0].first_s == pytest.approx(100.04) and folded[0].last_s == pytest.approx(114.74)
    # Once it is quiet a change is a line again; what goes on for long is a line now and then.
    assert folding.is_plain("rover feed", "broken", 400.0)
    lines = sum(folding.is_plain("x", "y", now) + len(due(folding, now)) for now in range(0, 7200, 2))
    assert lines <= 4 + 7200 / LONGEST_S + 1


def test_what_the_disk_does_not_take_waits_and_is_counted_beyond_the_limit(tmp_path, monkeypatch):
    raw, full = RawFile(tmp_path / "s-rover", most_waiting_bytes=100), True
    real = os.write

    def write(file, data):
        if full:
            raise OSError(errno.ENOSPC, "No space left on device")
        return real(file, data[:7])  # a disk that takes a little at a time

    monkeypatch.setattr(os, "write", write)
    for n in range(15):
        raw.write(b"%010d" % n)
    assert (raw.waiting_bytes, raw.lost_bytes, raw.problem) == (100, 50, "No space left on device")

    full = False
    raw.write(b"after")
    # The 151st byte that came is the 101st that was kept.
    assert raw.place(150) == Place("s-rover-001.raw", 100)
    raw.close()
    raw.close()
    assert (raw.waiting_bytes, raw.problem) == (0, "")
    (file,) = tmp_path.iterdir()
    assert file.read_bytes() == b"".join(b"%010d" % n for n in range(10)) + b"after"
    assert file.stat().st_mode & 0o777 == 0o600


def test_streams_have_a_limit_and_the_oldest_of_a_browser_gives_way():
    hub = Hub()
    mine = [hub.enter("one browser") for _ in range(MOST_OF_ONE + 1)]
    assert [client.over for client in mine] == [True] + [False] * MOST_OF_ONE
    others = [hub.enter(f"browser {n}") for n in range(MOST_STREAMS)]
    assert sum(not client.over for client in mine + others) == MOST_STREAMS
    assert list(hub.stream(0, ("x",), mine[0])) == [], "its stream ends"
    hub.leave(others[-1])
    hub.leave(others[-1])
    assert not hub.enter("late").over
