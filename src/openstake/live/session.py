"""The running session: both streams decoded, the state of the moment, epochs on their way to the store, the shot in hand."""

from __future__ import annotations

import shutil
import threading
import time
import uuid
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import inf
from pathlib import Path
from typing import Protocol

from openstake.core.constants import DAY_S
from openstake.core.evidence import Epoch, HeardStream, InView, ObservableSet, StationReference, Status
from openstake.live.feed import Feed, FeedState, FeedStatus
from openstake.live.flood import MOST_EPOCHS_PER_S, Thinning
from openstake.live.rawfile import Place, RawFile
from openstake.wire.nmea.epoch import EpochReader
from openstake.wire.nmea.sky import SkyReader
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.recent import RecentStream

FLUSH_S = 0.2
MOST_REFERENCES = 500  # of one session: a base has one
MOST_WAITING_EPOCHS = 200_000  # hours of a rover while nothing can be stored: some 100 MB
STORED_WITHIN_S = 5.0  # how long an end waits for a shot that is being stored
LEAST_FREE_BYTES = 300_000_000  # a day of two feeds at 5 Hz is about a third of it
LONGEST_STEP_S = 5.0  # between two epochs of one shot: the slowest rate that people set
_SIZES_FRESH_S = 15.0
RECEIVER_EPOCHS = 30  # of the base's own position, whose middle is judged


@dataclass(frozen=True)
class ReceivedEpoch:
    """An epoch with the host's clock beside it and the base reference in force (its id in the store)."""

    epoch: Epoch
    host_s: float
    reference_id: str | None


class Sink(Protocol):
    """Where evidence goes: the store, filled in by the composition root."""

    def epochs(self, session_id: str, rows: Sequence[ReceivedEpoch]) -> None:
        """Keep epochs; returns when they are safe."""

    def reference(self, session_id: str, reference_id: str, station: StationReference, place: Place) -> None:
        """Keep a base reference under its id."""

    def feed_changed(self, session_id: str, role: str, status: FeedStatus) -> None:
        """Log that a feed changed its state."""

    def settle(self, session_id: str, final: bool) -> None:
        """Log what has been folded; all of it at the end."""


@dataclass(frozen=True)
class ShotWish:
    """What a shot needs: seconds of epochs, fixed only or any."""

    id: str
    seconds: float
    fixed_only: bool


@dataclass
class ShotInHand:
    """A shot being collected."""

    wish: ShotWish
    on_done: Callable[[list[ReceivedEpoch]], None]
    started_s: float
    epochs: list[ReceivedEpoch]
    waiting_for: str

    @property
    def collected_s(self) -> float:
        """Time covered by the epochs by their own clock, over midnight too; what lies in a gap does not count."""
        times = [row.epoch.time_of_day_s for row in self.epochs if row.epoch.time_of_day_s is not None]
        # A clock that goes back gives a step of nearly a day here: it does not count either.
        steps = ((later - earlier) % DAY_S for earlier, later in pairwise(times))
        return round(sum(step for step in steps if step <= LONGEST_STEP_S), 4)


@dataclass(frozen=True)
class Moment:
    """Everything a page needs of the moment."""

    epoch: ReceivedEpoch | None
    reference: StationReference | None
    observables: tuple[ObservableSet, ...]
    base_feed: FeedStatus | None
    rover_feed: FeedStatus | None
    receiver_feed: FeedStatus | None
    heard: HeardStream
    receiver_epochs: tuple[Epoch, ...]
    in_view: tuple[InView, ...]
    shot: ShotInHand | None
    reference_settled: bool
    storing_problem: str

    @property
    def rover_is_heard(self) -> bool:
        """Whether the rover speaks now: its last epoch must not look like the present when it does not."""
        return self.rover_feed is not None and self.rover_feed.state is FeedState.RECEIVING


@dataclass(frozen=True)
class Addresses:
    """Where a session listens: the base's stream, the rover's NMEA, the base receiver's own NMEA.  Any may be absent."""

    base_url: str | None
    base_password: str | None
    rover_url: str | None
    receiver_url: str | None = None
    rover_password: str | None = None
    receiver_password: str | None = None


class RunningSession:
    """Listens to the base's stream, the rover's NMEA and the base's own: a radio rover hears NMEA alone.

    The feeds' threads only decode.  What must be kept is noted and written by the recorder's thread, in order; a shot that
    is full is stored in a thread of its own, so no epoch waits for it.
    """

    def __init__(
        self,
        session_id: str,
        addresses: Addresses,
        raw_dir: Path,
        sink: Sink,
        on_change: Callable[[RunningSession], None],
    ) -> None:
        self.id = session_id
        self._sink, self._on_change, self._raw_dir = sink, on_change, raw_dir
        self._lock = threading.RLock()
        raw_dir.mkdir(parents=True, exist_ok=True)
        self._frames, self._epochs = FrameReader(), EpochReader()
        self._recent, self._own_epochs, self._own_sky = RecentStream(), EpochReader(), SkyReader()
        self._own: deque[Epoch] = deque(maxlen=RECEIVER_EPOCHS)
        self._latest: ReceivedEpoch | None = None
        self._reference: StationReference | None = None
        self._reference_id: str | None = None
        self._references: dict[StationReference, str] = {}
        self._settled = True
        self._sizes: dict[str, tuple[float, ObservableSet]] = {}
        self._pending: deque[ReceivedEpoch] = deque()
        self._lost = 0
        replayed = (addresses.rover_url or "").startswith("replay:")
        self._thinning = Thinning(inf) if replayed else Thinning()
        self._noted: deque[Callable[[], None]] = deque()
        self._finishing: list[threading.Thread] = []
        self._shot: ShotInHand | None = None
        self._flushing = threading.Lock()
        self._problems: dict[str, str] = {}  # by what cannot be kept
        self._stop = threading.Event()
        self._feeds: dict[str, Feed] = {}
        if addresses.base_url:
            self._base_raw = RawFile(raw_dir / f"{session_id}-base")
            self._feeds["base"] = Feed(
                addresses.base_url, addresses.base_password, self._base_raw, self._base_bytes, self._status("base")
            )
        for role, url, password, take in (
            ("rover", addresses.rover_url, addresses.rover_password, self._rover_bytes),
            ("receiver", addresses.receiver_url, addresses.receiver_password, self._receiver_bytes),
        ):
            if url:
                raw = RawFile(raw_dir / f"{session_id}-{role}")
                self._feeds[role] = Feed(url, password, raw, take, self._status(role))
        self._recorder = threading.Thread(target=self._record, name=f"recorder {session_id}", daemon=True)

    def start(self) -> None:
        for feed in self._feeds.values():
            feed.start()
        self._recorder.start()

    def stop(self) -> None:
        """Stop the feeds and write what is still in hand."""
        self._stop.set()
        for feed in self._feeds.values():
            feed.stop()
        for feed in self._feeds.values():
            feed.join(1.0)
        self._recorder.join(1.0)
        for thread in self._finishing:
            thread.join(STORED_WITHIN_S)
        self._flush(final=True)

    def moment(self) -> Moment:
        """Return the state of this moment."""
        with self._lock:
            now = time.time()
            feeds = {role: feed.status for role, feed in self._feeds.items()}
            receiver = feeds.get("receiver")
            speaks = receiver is not None and receiver.state is FeedState.RECEIVING
            return Moment(
                self._latest,
                self._reference,
                tuple(size for seen_s, size in self._sizes.values() if now - seen_s < _SIZES_FRESH_S),
                feeds.get("base"),
                feeds.get("rover"),
                receiver,
                self._recent.heard(),
                tuple(self._own) if speaks else (),
                self._own_sky.in_view() if speaks else (),
                self._shot,
                self._settled,
                next(filter(None, self._problems.values()), ""),
            )

    def begin_shot(self, wish: ShotWish, on_done: Callable[[list[ReceivedEpoch]], None]) -> bool:
        """Begin to collect a shot; False while another is in hand."""
        with self._lock:
            if self._shot is not None:
                return False
            self._shot = ShotInHand(wish, on_done, time.time(), [], "the next epoch")
        self._problems.pop("shot", None)
        self._on_change(self)
        return True

    def cancel_shot(self) -> bool:
        """Drop the shot in hand; False if there is none."""
        with self._lock:
            had, self._shot = self._shot is not None, None
        self._on_change(self)
        return had

    def _status(self, role: str) -> Callable[[FeedStatus], None]:
        def changed(status: FeedStatus) -> None:
            self._noted.append(lambda: self._sink.feed_changed(self.id, role, status))
            self._on_change(self)

        return changed

    def base_stream_place(self) -> Place | None:
        """Return where in the raw files the base's stream stands now; None where none is listened to."""
        return self._base_raw.place(self._base_raw.written_bytes) if "base" in self._feeds else None

    def _receiver_bytes(self, data: bytes, host_s: float) -> None:
        fresh = list(self._own_epochs.feed(data))
        with self._lock:
            self._own_sky.feed(data)
            self._own.extend(fresh)
        if fresh:
            self._on_change(self)

    def _base_bytes(self, data: bytes, host_s: float) -> None:
        for frame in self._frames.feed(data):
            with self._lock:
                held = self._recent.add(frame)
            if isinstance(held, ObservableSet):
                self._sizes[held.constellation] = (host_s, held)
            elif isinstance(held, StationReference):
                self._take_reference(held, self._base_raw.place(frame.offset))

    def _take_reference(self, station: StationReference, place: Place) -> None:
        """Take a station message: the first, a repeated or a changed one.

        Epochs within one station message of a change are not averaged: nobody can tell which base they used.
        """
        known = self._reference
        same = known is not None and not station.contradicts(known)
        if known is not None and same and (known.antenna_height_m is not None or station.antenna_height_m is None):
            self._settled = True
            return
        # A station that was heard before, in this session, is the same reference again.
        reference_id = self._references.get(station)
        if reference_id is None and len(self._references) >= MOST_REFERENCES:
            self._settled = False
            self._tell(
                "references",
                f"The base has sent more than {MOST_REFERENCES} different positions: nothing is measured from it any more. "
                "Look at what is connected, and start it again.",
            )
            return
        if reference_id is None:
            reference_id = new_id = str(uuid.uuid4())
            self._references[station] = new_id
            self._noted.append(lambda: self._sink.reference(self.id, new_id, station, place))
        with self._lock:
            self._settled = known is None or same
            self._reference, self._reference_id = station, reference_id
            if self._shot is not None and not self._settled:
                self._shot.epochs.clear()
        self._on_change(self)

    def _rover_bytes(self, data: bytes, host_s: float) -> None:
        finished = None
        fresh = False
        for epoch in self._epochs.feed(data):
            if not self._thinning.take(host_s):
                continue
            fresh = True
            with self._lock:
                row = ReceivedEpoch(epoch, host_s, self._reference_id)
                self._latest = row
                if len(self._pending) < MOST_WAITING_EPOCHS:
                    self._pending.append(row)
                else:
                    self._lost += 1
                if self._shot is not None and self._grow(self._shot, row):
                    finished, self._shot = self._shot, None
        if finished is not None:
            self._finish(finished)
        if fresh:
            self._on_change(self)

    def _finish(self, shot: ShotInHand) -> None:
        """Store a shot that is full, in a thread of its own; what was received before it is written first."""

        def store() -> None:
            self._flush()
            try:
                shot.on_done(shot.epochs)
            except Exception as error:  # the feeds go on, and the crew is told
                self._tell("shot", f"The shot could not be stored: {error}. Record it again.")

        self._finishing = [thread for thread in self._finishing if thread.is_alive()]
        self._finishing.append(threading.Thread(target=store, name=f"shot {shot.wish.id}", daemon=True))
        self._finishing[-1].start()

    def _grow(self, shot: ShotInHand, row: ReceivedEpoch) -> bool:
        """Add an epoch to the shot if it may be averaged; tell whether the shot is complete."""
        epoch = row.epoch
        if epoch.latitude_deg is None or epoch.height_m is None:
            shot.waiting_for = "a position"
        elif shot.wish.fixed_only and epoch.status is not Status.FIXED:
            shot.waiting_for = f"a fixed solution (now {epoch.status})"
        elif not self._settled:
            shot.waiting_for = "the base's next station message: its position has just changed"
        else:
            shot.waiting_for = ""
            shot.epochs.append(row)
        return len(shot.epochs) > 0 and shot.collected_s >= shot.wish.seconds - 1e-6

    def _record(self) -> None:
        due_s = time.monotonic()
        while not self._stop.wait(max(0.0, due_s - time.monotonic())):
            # By the clock, not after the last write: what a loaded machine delays does not add up.
            due_s = time.monotonic() + FLUSH_S
            self._flush()
            self._tell("feeds", next(filter(None, (feed.trouble for feed in self._feeds.values())), ""))
            if self._thinning.left_out:
                self._tell(
                    "flood",
                    f"More than {MOST_EPOCHS_PER_S} positions a second arrive: {self._thinning.left_out} were left out. "
                    "Look at what is connected.",
                )
            free = shutil.disk_usage(self._raw_dir).free
            low = f"Only {free / 1e6:.0f} MB are left on the disk: make room before recording goes on."
            self._tell("disk", low if free < LEAST_FREE_BYTES else "")

    def _tell(self, what: str, sentence: str) -> None:
        """Say what cannot be kept, or with an empty sentence that it can again; a shot's stays until the next one begins."""
        with self._lock:
            same = self._problems.get(what, "") == sentence
            self._problems[what] = sentence
        if not same:
            self._on_change(self)

    def _flush(self, final: bool = False) -> None:
        """Write the epochs, then what was noted, in order; what cannot be written stays in hand and is said on the page."""
        with self._flushing:
            try:
                self._flush_epochs()
                while self._noted:
                    self._noted[0]()
                    self._noted.popleft()
                self._sink.settle(self.id, final)
            except Exception as error:
                lost = f", {self._lost} are lost" if self._lost else ""
                waiting = len(self._pending)
                self._tell(
                    "store",
                    f"What was received cannot be stored: {str(error).rstrip('.')}. {waiting} epochs wait in memory{lost}.",
                )
            else:
                self._tell(
                    "store",
                    f"{self._lost} epochs are lost: nothing could be stored for too long." if self._lost else "",
                )

    def _flush_epochs(self) -> None:
        rows = [self._pending.popleft() for _ in range(len(self._pending))]
        if not rows:
            return
        try:
            self._sink.epochs(self.id, rows)
        except Exception:
            self._pending.extendleft(reversed(rows))
            raise
