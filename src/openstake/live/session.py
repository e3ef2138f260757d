"""The running session: the base and its rovers decoded, the state of the moment, epochs on their way to the store."""

from __future__ import annotations

import shutil
import threading
import uuid
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Protocol

from openstake.core.evidence import Epoch, HeardStream, InView, ObservableSet, StationReference
from openstake.core.limits import LEAST_GAP_S
from openstake.core.rtk.rover import RoverEvent, RoverState
from openstake.core.sky.obstruction import Cell, SeenSky
from openstake.live.ephemerides import HeardEphemerides
from openstake.live.feed import Feed, FeedState, FeedStatus
from openstake.live.flood import MOST_EPOCHS_PER_S
from openstake.live.network import Outside
from openstake.live.rawfile import Place, RawFile
from openstake.live.rover import Address, Finisher, ListenedRover, ReceivedEpoch, ShotInHand, ShotRequest
from openstake.wire.nmea.epoch import EpochReader
from openstake.wire.nmea.sky import SkyReader
from openstake.wire.rtcm3.ephemeris import EPHEMERIS_NUMBERS
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.recent import RecentStream

FLUSH_S = 0.2
MOST_REFERENCES = 500  # of one session: a base has one
MOST_WAITING_EPOCHS = 200_000  # hours of a rover while nothing can be stored: some 100 MB
STORED_WITHIN_S = 5.0  # how long an end waits for a shot that is being stored
LEAST_FREE_BYTES = 300_000_000  # a day of two feeds at 5 Hz is about a third of it
_SIZES_FRESH_S = 15.0
RECEIVER_EPOCHS = 30  # of the base's own position, whose middle is judged


class Sink(Protocol):
    """Where evidence goes: the store, filled in by the composition root."""

    def epochs(self, rows: Sequence[tuple[str, ReceivedEpoch]]) -> None:
        """Keep epochs, each with its rover's id; returns when they are safe."""

    def reference(self, session_id: str, reference_id: str, station: StationReference, place: Place) -> None:
        """Keep a base reference under its id."""

    def ephemeris(self, session_id: str, number: int, payload: bytes) -> None:
        """Keep a broadcast ephemeris that the base sent, as it was heard."""

    def feed_changed(self, session_id: str, role: str, status: FeedStatus) -> None:
        """Log that a feed changed its state."""

    def happened(self, session_id: str, rover: str, item: RoverEvent) -> None:
        """Log what a rover's own epochs show."""

    def settle(self, session_id: str, final: bool) -> None:
        """Log what has been folded; all of it at the end."""


@dataclass(frozen=True, kw_only=True)
class Moment:
    """Everything a page needs of the moment, of one rover."""

    rover_id: str | None
    rover_name: str
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
    shot_silent_s: float
    reference_settled: bool
    storing_problem: str
    jumps: int

    @property
    def rover_is_heard(self) -> bool:
        """Whether the rover speaks now: its last epoch must not look like the present when it does not."""
        return self.rover_feed is not None and self.rover_feed.state is FeedState.RECEIVING


@dataclass(frozen=True, kw_only=True)
class Addresses:
    """Where a session listens: the base's stream, its rovers' NMEA, the base receiver's own NMEA.  Any may be absent."""

    base_url: str | None
    base_password: str | None = None
    rovers: tuple[Address, ...] = ()
    receiver_url: str | None = None
    receiver_password: str | None = None


def _role(rover_id: str) -> str:
    return f"rover {rover_id}"


@dataclass(frozen=True, kw_only=True)
class Watched:
    """What the instrument shows of a rover, and how whole the base's stream is at this listener."""

    id: str
    name: str
    url: str
    started_s: float
    state: RoverState | None
    in_view: tuple[InView, ...]
    obstructed: tuple[Cell, ...]
    frames: int
    bad_crc: int


class RunningSession:
    """Listens to the base's stream, its rovers' NMEA and the base's own: a radio rover hears NMEA alone.

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
        outside: Outside,
    ) -> None:
        self.id = session_id
        self._sink, self._on_change, self._raw_dir = sink, on_change, raw_dir
        self._outside, self._clock = outside, outside.clock
        self._lock = threading.RLock()
        raw_dir.mkdir(parents=True, exist_ok=True)
        self._frames = FrameReader()
        self._recent, self._own_epochs, self._own_sky = RecentStream(), EpochReader(), SkyReader()
        self._own_seen = SeenSky()
        self._own: deque[Epoch] = deque(maxlen=RECEIVER_EPOCHS)
        self._reference: StationReference | None = None
        self._reference_id: str | None = None
        self._references: dict[StationReference, str] = {}
        self._settled = True
        self._sizes: dict[str, tuple[float, ObservableSet]] = {}
        self._ephemerides = HeardEphemerides()
        self._pending: deque[tuple[str, ReceivedEpoch]] = deque()
        self._lost = 0
        self._noted: deque[Callable[[], None]] = deque()
        self._finisher = Finisher(f"shots {session_id}", self._clock)
        self._flushing = threading.Lock()
        self._problems: dict[str, str] = {}  # by what cannot be kept
        self._stop = self._clock.event()
        self._feeds: dict[str, Feed] = {}
        if addresses.base_url:
            self._base_raw = RawFile(raw_dir / f"{session_id}-base")
            self._feeds["base"] = Feed(
                addresses.base_url, addresses.base_password, self._base_raw, self._base_bytes, self._status("base"), outside
            )
        if addresses.receiver_url:
            raw = RawFile(raw_dir / f"{session_id}-receiver")
            self._feeds["receiver"] = Feed(
                addresses.receiver_url, addresses.receiver_password, raw, self._receiver_bytes, self._status("receiver"), outside
            )
        self._rovers: dict[str, ListenedRover] = {}
        for address in addresses.rovers:
            self._take_up(address)
        self._recorder = self._clock.thread(self._record, f"recorder {session_id}")

    def _take_up(self, address: Address) -> Feed:
        """Make a rover's ear and its feed."""
        rover = ListenedRover(address, self._clock.now())
        self._rovers[address.id] = rover
        role = _role(address.id)
        feed = Feed(
            address.url,
            address.password,
            RawFile(self._raw_dir / f"{address.id}-rover"),
            lambda data, host_s: self._rover_bytes(rover, data, host_s),
            self._status(role, address.name),
            self._outside,
        )
        self._feeds[role] = feed
        return feed

    def add_rover(self, address: Address) -> None:
        """Listen to one more rover."""
        with self._lock:
            if self._stop.is_set():
                return
            self._take_up(address).start()
        self._on_change(self)

    def drop_rover(self, rover_id: str) -> None:
        """Listen to a rover no more; what it brought is kept."""
        with self._lock:
            feed, _ = self._feeds.pop(_role(rover_id), None), self._rovers.pop(rover_id, None)
        if feed is not None:
            feed.stop()
            feed.join(1.0)
        self._on_change(self)

    @property
    def rover_ids(self) -> tuple[str, ...]:
        """The rovers that are listened to, the first one first."""
        with self._lock:
            return tuple(self._rovers)

    def rover(self, rover_id: str | None = None) -> ListenedRover | None:
        """Return a rover by its id, the first one where none is named."""
        with self._lock:
            return next(iter(self._rovers.values()), None) if rover_id is None else self._rovers.get(rover_id)

    def watched(self, rover_id: str | None = None) -> Watched | None:
        """Return what is known of a rover and of the base's stream: more than a page needs five times a second."""
        with self._lock:
            rover = self.rover(rover_id)
            if rover is None:
                return None
            return Watched(
                id=rover.id,
                name=rover.name,
                url=rover.url,
                started_s=rover.started_s,
                state=rover.state(),
                in_view=rover.in_view(),
                obstructed=rover.seen.obstructed(),
                frames=self._frames.frames,
                bad_crc=self._frames.bad_crc,
            )

    def obstructed(self, base: bool) -> tuple[Cell, ...]:
        """Return the pieces of the sky in which the base's own receiver, or the first rover, listed satellites and heard nothing."""
        with self._lock:
            rover = self.rover()
            seen = self._own_seen if base else rover.seen if rover is not None else None
            return () if seen is None else seen.obstructed()

    def in_view(self, rover_id: str | None = None) -> tuple[InView, ...] | None:
        """Return what a rover lists now; None where it is not heard."""
        with self._lock:
            rover = self.rover(rover_id)
            return None if rover is None or not self.moment(rover.id).rover_is_heard else rover.in_view()

    def time_was_let_pass(self) -> None:
        """Begin anew to count what of the base's stream arrives: nobody listened in between."""
        with self._lock:
            self._recent = RecentStream()

    def initialise_anew(self, rover_id: str | None = None) -> bool:
        """Compare where the pole stands now with where the next initialisation puts it; False where it stands on no fix."""
        with self._lock:
            rover = self.rover(rover_id)
            return rover is not None and rover.watch.ask_to_compare()

    def start(self) -> None:
        for feed in self._feeds.values():
            feed.start()
        self._recorder.start()

    def stop(self) -> None:
        """Stop the feeds and write what is still in hand."""
        with self._lock:  # a rover that is added meanwhile is among the feeds, or is not listened to
            self._stop.set()
            feeds = list(self._feeds.values())
        for feed in feeds:
            feed.stop()
        for feed in feeds:
            feed.join(1.0)
        self._recorder.join(1.0)
        self._finisher.join(STORED_WITHIN_S)
        self._flush(final=True)

    def moment(self, rover_id: str | None = None) -> Moment:
        """Return the state of this moment, of one of its rovers, the first where none is named."""
        with self._lock:
            rover = self.rover(rover_id)
            now = self._clock.now()
            feeds = {role: feed.status for role, feed in self._feeds.items()}
            receiver = feeds.get("receiver")
            speaks = receiver is not None and receiver.state is FeedState.RECEIVING
            return Moment(
                rover_id=rover.id if rover else None,
                rover_name=rover.name if rover else "",
                epoch=rover.latest if rover else None,
                reference=self._reference,
                observables=tuple(size for seen_s, size in self._sizes.values() if now - seen_s < _SIZES_FRESH_S),
                base_feed=feeds.get("base"),
                rover_feed=feeds.get(_role(rover.id)) if rover else None,
                receiver_feed=receiver,
                heard=self._recent.heard(),
                receiver_epochs=tuple(self._own) if speaks else (),
                in_view=self._own_sky.in_view() if speaks else (),
                shot=rover.shot if rover else None,
                shot_silent_s=rover.silent_in_shot_s(now) if rover else 0.0,
                reference_settled=self._settled,
                storing_problem=next(filter(None, self._problems.values()), ""),
                jumps=rover.jumps if rover else 0,
            )

    def begin_shot(self, request: ShotRequest, on_done: Callable[[list[ReceivedEpoch]], None], rover_id: str | None = None) -> bool:
        """Begin to collect a shot of a rover; False while another of it is in hand."""
        with self._lock:
            rover = self.rover(rover_id)
            if rover is None or rover.shot is not None:
                return False
            rover.shot = ShotInHand(request=request, on_done=on_done, started_s=self._clock.now(), epochs=[], waiting_for="the next epoch")
        self._problems.pop("shot", None)
        self._on_change(self)
        return True

    def cancel_shot(self, rover_id: str | None = None) -> bool:
        """Drop the shot in hand of a rover, or end its track; False if there is none."""
        with self._lock:
            rover = self.rover(rover_id)
            had = rover is not None and rover.shot is not None
            if rover is not None:
                rover.shot = None
        self._on_change(self)
        return had

    @property
    def is_recording(self) -> bool:
        """Whether any rover has a shot in hand."""
        with self._lock:
            return any(rover.shot is not None for rover in self._rovers.values())

    def _status(self, role: str, name: str = "") -> Callable[[FeedStatus], None]:
        said = f"rover {name}".strip() if name or role.startswith("rover") else role

        def changed(status: FeedStatus) -> None:
            self._noted.append(lambda: self._sink.feed_changed(self.id, said, status))
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
            self._own_seen.look(self._own_sky.in_view(), host_s)
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
            elif frame.number in EPHEMERIS_NUMBERS and self._ephemerides.is_new(frame.payload, host_s):
                number, payload = frame.number, bytes(frame.payload)
                self._noted.append(partial(self._sink.ephemeris, self.id, number, payload))

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
            if not self._settled:
                for rover in self._rovers.values():
                    if rover.shot is not None:
                        rover.shot.epochs.clear()
        self._on_change(self)

    def _rover_bytes(self, rover: ListenedRover, data: bytes, host_s: float) -> None:
        with self._lock:
            rows, full, happened = rover.take(data, host_s, self._reference_id, self._settled)
            room = max(0, MOST_WAITING_EPOCHS - len(self._pending))
            self._pending.extend((rover.id, row) for row in rows[:room])
            self._lost += max(0, len(rows) - room)
        for shot in full:
            self._finish(shot)
        for item in happened:
            self._note(rover.name, item)
        if rows:
            self._on_change(self)

    def _note(self, rover: str, item: RoverEvent) -> None:
        self._noted.append(lambda: self._sink.happened(self.id, rover, item))

    def _finish(self, shot: ShotInHand) -> None:
        """Store a shot that is full; what was received before it is written first."""

        def store() -> None:
            self._flush()
            try:
                shot.on_done(shot.epochs)
            except Exception as error:  # the feeds go on, and the crew is told
                self._tell("shot", f"The shot could not be stored: {error}. Record it again.")

        self._finisher.add(store)

    def _record(self) -> None:
        due_s = self._clock.monotonic()
        while not self._stop.wait(max(0.0, due_s - self._clock.monotonic())):
            # By the clock, not after the last write: what a loaded machine delays does not add up.
            due_s = self._clock.monotonic() + FLUSH_S
            self._flush()
            if self._shot_waits():
                self._on_change(self)
            self._tell("feeds", next(filter(None, (feed.trouble for feed in list(self._feeds.values()))), ""))
            left_out = sum(rover.thinning.left_out for rover in list(self._rovers.values()))
            if left_out:
                self._tell(
                    "flood",
                    f"More than {MOST_EPOCHS_PER_S} positions a second arrive: {left_out} were left out. Look at what is connected.",
                )
            free = shutil.disk_usage(self._raw_dir).free
            low = f"Only {free / 1e6:.0f} MB are left on the disk: make room before recording goes on."
            self._tell("disk", low if free < LEAST_FREE_BYTES else "")

    def _shot_waits(self) -> bool:
        """Whether a shot is in hand and its rover is silent: nothing else would tell the pages how long."""
        with self._lock:
            now = self._clock.now()
            return any(rover.silent_in_shot_s(now) >= LEAST_GAP_S for rover in self._rovers.values())

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
                self._tell("store", f"What was received cannot be stored: {str(error).rstrip('.')}. {waiting} epochs wait in memory{lost}.")
            else:
                self._tell("store", f"{self._lost} epochs are lost: nothing could be stored for too long." if self._lost else "")

    def _flush_epochs(self) -> None:
        rows = [self._pending.popleft() for _ in range(len(self._pending))]
        if not rows:
            return
        try:
            self._sink.epochs(rows)
        except Exception:
            self._pending.extendleft(reversed(rows))
            raise
