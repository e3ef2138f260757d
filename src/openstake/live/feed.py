"""A feed: connect, read, keep the bytes, hand them on; when it breaks, say why and try again until told to stop."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from math import inf

from openstake.core.errors import OpenStakeError
from openstake.live.flood import MOST_BYTES_PER_S, Throttle
from openstake.live.network import Outside
from openstake.live.rawfile import RawFile
from openstake.live.transport import SerialSource, Source, TcpListenSource, UdpSource, open_source

SILENT_AFTER_S = 3.0
_POLL_S = 0.25
_RETRY_S = (0.5, 1.0, 2.0, 5.0)


class FeedState(StrEnum):
    """`connected` and `receiving` are two different lights."""

    CONNECTING = "connecting"
    CONNECTED = "connected"
    RECEIVING = "receiving"
    SILENT = "silent"
    BROKEN = "broken"
    ENDED = "ended"


@dataclass(frozen=True, kw_only=True)
class FeedStatus:
    """What a feed is doing, since when (host seconds), and the sentence that says why if it is broken."""

    state: FeedState
    sentence: str
    since_s: float
    received_bytes: int = 0
    last_byte_s: float | None = None


def _connected(source: Source) -> str:
    """Return how a source is connected: a serial port by its rate, a port of ours by who waits for whom."""
    if isinstance(source, SerialSource):
        return f"Connected at {source.baud} baud"
    return "Waiting for the device" if isinstance(source, TcpListenSource | UdpSource) else "Connected"


class Feed:
    """Runs one source in a thread of its own; its bytes are kept where a raw file is given."""

    def __init__(
        self,
        url: str,
        password: str | None,
        raw: RawFile | None,
        on_bytes: Callable[[bytes, float], None],
        on_status: Callable[[FeedStatus], None],
        outside: Outside,
    ) -> None:
        self.url = url
        self._password, self._raw = password, raw
        self._on_bytes, self._on_status = on_bytes, on_status
        self._outside, self._clock = outside, outside.clock
        self._stop = self._clock.event()
        # A recording is as fast as it was asked to be.
        self.throttle = Throttle(self._clock, inf if url.startswith("replay:") else MOST_BYTES_PER_S)
        self.status = FeedStatus(state=FeedState.CONNECTING, sentence="Connecting.", since_s=self._clock.now())
        self._thread = self._clock.thread(self._run, f"feed {url}")

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()

    @property
    def trouble(self) -> str:
        """What is not as it should be with its bytes, as a sentence; empty where all is well."""
        if self._raw is not None and self._raw.problem:
            lost = f", {self._raw.lost_bytes} are lost" if self._raw.lost_bytes else ""
            return (
                f"What arrives cannot be written ({self._raw.problem}): {self._raw.waiting_bytes} bytes wait in memory{lost}. "
                "Make room on the disk."
            )
        if self._raw is not None and self._raw.lost_bytes:
            return f"{self._raw.lost_bytes} bytes of what arrived are lost: nothing could be written to the disk for too long."
        if self.throttle.held_back:
            return (
                f"More than {MOST_BYTES_PER_S >> 20} MB a second arrive, which no receiver sends: it is read more slowly than it "
                "comes. Look at what is connected."
            )
        return ""

    def join(self, timeout_s: float) -> None:
        self._thread.join(timeout_s)

    def _run(self) -> None:
        try:
            self._run_until_told()
        finally:
            if self._raw is not None:
                self._raw.close()

    def _say(self, state: FeedState, sentence: str) -> None:
        if (state, sentence) != (self.status.state, self.status.sentence):
            self.status = replace(self.status, state=state, sentence=sentence, since_s=self._clock.now())
            self._on_status(self.status)

    def _run_until_told(self) -> None:
        tries = 0
        while not self._stop.is_set():
            try:
                source = open_source(self.url, self._password, self._outside)
            except OpenStakeError as error:
                self._say(FeedState.BROKEN, error.sentence)
            else:
                self._say(FeedState.CONNECTED, f"{_connected(source)}; nothing received yet.")
                try:
                    if self._read(source):
                        tries = 0
                except Exception as error:  # the feed must say so and try again, not die unseen
                    self._say(FeedState.BROKEN, f"What arrived could not be read: {error}.")
                finally:
                    source.close()
                if self.url.startswith("replay:") and not self._stop.is_set():
                    self._say(FeedState.ENDED, self.status.sentence)
                    break
            self._stop.wait(_RETRY_S[min(tries, len(_RETRY_S) - 1)])
            tries += 1

    def _read(self, source: Source) -> bool:
        """Read until the source breaks; tell whether anything came."""
        received, heard_s = False, self._clock.monotonic()
        while not self._stop.is_set():
            try:
                data = source.read(_POLL_S)
            except OpenStakeError as error:
                self._say(FeedState.BROKEN, error.sentence)
                return received
            now = self._clock.now()
            if data:
                received, heard_s = True, self._clock.monotonic()
                if self._raw is not None:
                    self._raw.write(data)
                self.status = replace(self.status, received_bytes=self.status.received_bytes + len(data), last_byte_s=now)
                self._on_bytes(data, now)
                self._say(FeedState.RECEIVING, "Receiving.")
                self._stop.wait(self.throttle.wait_s(len(data)))
            elif self._clock.monotonic() - heard_s > SILENT_AFTER_S:
                self._say(FeedState.SILENT, f"{_connected(source)}, but nothing arrives.")
        return received
