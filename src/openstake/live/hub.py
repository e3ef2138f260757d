"""Events for browsers: the newest of each topic, with ids that only grow, at most five a second to each client."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from openstake.live.clock import HOST_CLOCK, Clock

COALESCE_S = 0.18  # five a second; a little less, or a stream of 5 Hz would fall behind by a whole step
# A page that hears nothing for three of these says that it is cut off.
HEARTBEAT_S = 2.0
# Each stream holds one of the server's threads: the others are for requests.
MOST_STREAMS = 40
MOST_OF_ONE = 16


@dataclass(frozen=True)
class Event:
    """One message; `id` grows over restarts, as it starts from the clock in milliseconds."""

    id: int
    topic: str
    payload: Any


@dataclass(eq=False)
class Client:
    """One open stream: whose browser it is, the session it came in by, and whether it must give way or has ended."""

    owner: str
    session_id: str = ""
    over: bool = False


class Hub:
    """Keeps one event a topic.  A slow client skips what has been replaced; nothing queues up."""

    def __init__(self, clock: Clock = HOST_CLOCK) -> None:
        # Browsers live in the host's time, whatever that of the session is.
        self._clock, self._changed = clock, clock.condition()
        self._newest: dict[str, Event] = {}
        self._id = int(clock.now() * 1000)
        self._stopped = False
        self._clients: list[Client] = []

    def enter(self, owner: str, session_id: str = "") -> Client:
        """Return a place for one more stream of a browser; where there are too many, the oldest gives way."""
        client = Client(owner, session_id)
        with self._changed:
            mine = [item for item in self._clients if item.owner == owner]
            if len(mine) >= MOST_OF_ONE:
                mine[0].over = True
                self._clients.remove(mine[0])
            elif len(self._clients) >= MOST_STREAMS:
                self._clients.pop(0).over = True
            self._clients.append(client)
            self._changed.notify_all()
        return client

    def leave(self, client: Client) -> None:
        """Give a stream's place back; calling twice does no harm."""
        with self._changed:
            if client in self._clients:
                self._clients.remove(client)

    def streams_of(self, session_id: str) -> int:
        """Return how many streams a session has open."""
        with self._changed:
            return sum(item.session_id == session_id for item in self._clients)

    def end_session(self, session_id: str) -> None:
        """End the streams of a session."""
        with self._changed:
            for client in [item for item in self._clients if item.session_id == session_id]:
                client.over = True
                self._clients.remove(client)
            self._changed.notify_all()

    def publish(self, topic: str, payload: Any) -> None:
        """Replace the topic's event and wake every client."""
        with self._changed:
            self._id += 1
            self._newest[topic] = Event(self._id, topic, payload)
            self._changed.notify_all()

    def stop(self) -> None:
        """End every stream."""
        with self._changed:
            self._stopped = True
            self._changed.notify_all()

    def stream(self, last_id: int, topics: tuple[str, ...], client: Client | None = None) -> Iterator[Event | None]:
        """Yield events newer than `last_id` whose topic begins with one of `topics`; None is a heartbeat.

        It ends where its client must give way.
        """
        client = client or Client("")
        seen = last_id
        while True:
            with self._changed:
                fresh = self._fresh(seen, topics)
                if not fresh and not self._stopped and not client.over:
                    self._changed.wait(HEARTBEAT_S)
                    fresh = self._fresh(seen, topics)
                if self._stopped or client.over:
                    return
            if not fresh:
                yield None
                continue
            yield from fresh
            seen = fresh[-1].id
            self._clock.sleep(COALESCE_S)

    def _fresh(self, seen: int, topics: tuple[str, ...]) -> list[Event]:
        found = [event for event in self._newest.values() if event.id > seen and event.topic.startswith(topics)]
        return sorted(found, key=lambda event: event.id)
