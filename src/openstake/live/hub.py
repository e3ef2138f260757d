"""Events for browsers: the newest of each topic, with ids that only grow, at most five a second to each client."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

COALESCE_S = 0.2
HEARTBEAT_S = 10.0


@dataclass(frozen=True)
class Event:
    """One message; `id` grows over restarts, as it starts from the clock in milliseconds."""

    id: int
    topic: str
    payload: Any


class Hub:
    """Keeps one event a topic.  A slow client skips what has been replaced; nothing queues up."""

    def __init__(self, clock: Callable[[], float] = time.time) -> None:
        self._changed = threading.Condition()
        self._newest: dict[str, Event] = {}
        self._id = int(clock() * 1000)
        self._stopped = False

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

    def stream(self, last_id: int, topics: tuple[str, ...]) -> Iterator[Event | None]:
        """Yield events newer than `last_id` whose topic begins with one of `topics`; None is a heartbeat."""
        seen = last_id
        while True:
            with self._changed:
                fresh = self._fresh(seen, topics)
                if not fresh and not self._stopped:
                    self._changed.wait(HEARTBEAT_S)
                    fresh = self._fresh(seen, topics)
                if self._stopped:
                    return
            if not fresh:
                yield None
                continue
            yield from fresh
            seen = fresh[-1].id
            time.sleep(COALESCE_S)

    def _fresh(self, seen: int, topics: tuple[str, ...]) -> list[Event]:
        found = [event for event in self._newest.values() if event.id > seen and event.topic.startswith(topics)]
        return sorted(found, key=lambda event: event.id)
