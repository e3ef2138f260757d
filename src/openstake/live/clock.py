"""One clock for what runs: the host's, a multiple of it, or a virtual one whose time goes on when everybody waits.

`app.py` gives one to the running session and to all that belongs to it.  Doors, sign-in sessions, certificates, locks and
backups keep the host's time (`HOST_CLOCK`).  A thread that waits does so by the clock, and is made by it: a virtual clock
knows that way when nobody has anything left to do.
"""

from __future__ import annotations

import heapq
import threading
import time
from collections.abc import Callable
from typing import Any, Protocol

_LOOKS_EVERY_S = 0.25
Thread = threading.Thread


class Condition(Protocol):
    """A `threading.Condition` whose timeouts are of its clock."""

    def __enter__(self) -> Any: ...
    def __exit__(self, *_: Any) -> Any: ...
    def wait(self, timeout: float | None = None) -> bool:
        """Wait until told or until the time is over; False where it was over."""

    def notify_all(self) -> None:
        """Wake all who wait; whoever calls it holds the condition."""


class Event:
    """A flag that threads wait for, as `threading.Event`, by its clock."""

    def __init__(self, changed: Condition) -> None:
        self._changed, self._is_set = changed, False

    def is_set(self) -> bool:
        return self._is_set

    def set(self) -> None:
        with self._changed:
            self._is_set = True
            self._changed.notify_all()

    def clear(self) -> None:
        with self._changed:
            self._is_set = False

    def wait(self, timeout_s: float | None = None) -> bool:
        """Return whether it is set, at the latest after so many seconds."""
        with self._changed:
            if not self._is_set:
                self._changed.wait(timeout_s)
            return self._is_set


class Lock:
    """A lock that its holder may take again, waited for by a clock: for what is held while time goes on."""

    def __init__(self, changed: Condition) -> None:
        self._changed = changed
        self._holder: int | None = None
        self._times = 0

    def __enter__(self) -> None:
        me = threading.get_ident()
        with self._changed:
            while self._holder not in (None, me):
                self._changed.wait()
            self._holder, self._times = me, self._times + 1

    def __exit__(self, *_: Any) -> None:
        with self._changed:
            self._times -= 1
            if not self._times:
                self._holder = None
                self._changed.notify_all()


class Clock(Protocol):
    """What time it is, and how to wait."""

    def now(self) -> float:
        """Return Unix seconds."""

    def monotonic(self) -> float:
        """Return seconds from any beginning, which never go back: what lasts is measured with these."""

    def host_s(self, seconds: float) -> float:
        """Return how long so many of its seconds last by the host's clock, for what only the host can wait for."""

    def sleep(self, seconds: float) -> None:
        """Return when so many seconds have gone by."""

    def hold(self, holder: object, until_s: float | None) -> None:
        """Keep a clock faster than the host's from passing a moment, Unix seconds, until its holder moves it or lets go (None)."""

    def condition(self) -> Condition:
        """Return a condition that is waited for by this clock."""

    def event(self) -> Event:
        """Return a flag that is waited for by this clock."""

    def thread(self, target: Callable[..., None], name: str, *args: Any) -> threading.Thread:
        """Return a thread, not yet started, that waits by this clock; it ends with the program."""


class HostClock:
    """The host's own time."""

    def now(self) -> float:
        return time.time()

    def monotonic(self) -> float:
        return time.monotonic()

    def host_s(self, seconds: float) -> float:
        return seconds

    def sleep(self, seconds: float) -> None:
        time.sleep(max(0.0, seconds))

    def hold(self, holder: object, until_s: float | None) -> None:
        """Do nothing: the host's time waits for nobody."""

    def condition(self) -> Condition:
        return threading.Condition()

    def event(self) -> Event:
        return Event(self.condition())

    def thread(self, target: Callable[..., None], name: str, *args: Any) -> threading.Thread:
        return threading.Thread(target=target, name=name, args=args, daemon=True)


HOST_CLOCK = HostClock()


class ScaledClock(HostClock):
    """Time that runs `speed` times as fast as the host's, from the moment it is made or from a moment given.

    A patient one waits for those who hold it, so that no epoch is lost on a busy machine.  One that is not patient agrees
    with the clocks of other processes.
    """

    def __init__(self, speed: float, since_s: float | None = None, patient: bool = True) -> None:
        self.speed, self._patient = speed, patient
        self._lock = threading.Lock()
        self._looked_s = time.monotonic()
        began_s = time.time()
        since_s = began_s if since_s is None else since_s
        self._passed_s = 0.0
        self._held: dict[object, float] = {}
        self._began_s = since_s + (began_s - since_s) * speed

    def now(self) -> float:
        return self._began_s + self.monotonic()

    def monotonic(self) -> float:
        with self._lock:
            host_s = time.monotonic()
            reached_s = self._passed_s + (host_s - self._looked_s) * self.speed
            if self._patient:
                reached_s = max(self._passed_s, min([reached_s, *self._held.values()]))
            self._passed_s, self._looked_s = reached_s, host_s
            return reached_s

    def hold(self, holder: object, until_s: float | None) -> None:
        with self._lock:
            if until_s is None:
                self._held.pop(holder, None)
            else:
                self._held[holder] = until_s - self._began_s

    def host_s(self, seconds: float) -> float:
        return seconds / self.speed

    def sleep(self, seconds: float) -> None:
        end_s = self.monotonic() + seconds
        while (left_s := end_s - self.monotonic()) > 0.0:
            time.sleep(min(self.host_s(left_s), _LOOKS_EVERY_S))

    def condition(self) -> Condition:
        return _ScaledCondition(self)


class _ScaledCondition(threading.Condition):
    def __init__(self, clock: ScaledClock) -> None:
        super().__init__()
        self._clock = clock

    def wait(self, timeout: float | None = None) -> bool:
        return super().wait(None if timeout is None else self._clock.host_s(timeout))


class ShiftedClock:
    """A clock that is ahead of another by what has been let pass; waits and what lasts are the other's."""

    def __init__(self, clock: Clock, ahead_s: Callable[[], float]) -> None:
        self._clock, self._ahead_s = clock, ahead_s
        self.monotonic, self.host_s, self.sleep = clock.monotonic, clock.host_s, clock.sleep
        self.condition, self.event, self.thread = clock.condition, clock.event, clock.thread

    def now(self) -> float:
        return self._clock.now() + self._ahead_s()

    def hold(self, holder: object, until_s: float | None) -> None:
        self._clock.hold(holder, None if until_s is None else until_s - self._ahead_s())


class VirtualClock:
    """Time that stands while anybody works, and goes on to the next moment somebody waits for when all wait.

    Whoever makes it takes part, and so do the threads it makes: each of them works, or waits by this clock.  A thread from
    elsewhere may wait too; time does not stand for it.
    """

    def __init__(self, start_s: float) -> None:
        self._start_s, self._passed_s = start_s, 0.0
        self._lock = threading.Lock()
        self._at_work, self._looks = 1, 0
        self._waiting: list[tuple[float, int, _Wait]] = []
        self._number = 0
        self._here = threading.local()
        self._here.takes_part = True

    def now(self) -> float:
        # As by the host's clock no two looks are at the same moment: rows keep the order in which they were made.
        self._looks += 1
        return self._start_s + self._passed_s + self._looks * 1e-6

    def monotonic(self) -> float:
        return self._passed_s

    def host_s(self, seconds: float) -> float:
        return seconds

    def hold(self, holder: object, until_s: float | None) -> None:
        """Do nothing: virtual time stands while its holder works."""

    def sleep(self, seconds: float) -> None:
        nobody_tells = self.condition()
        with nobody_tells:
            nobody_tells.wait(seconds)

    def condition(self) -> VirtualCondition:
        return VirtualCondition(self)

    def event(self) -> Event:
        return Event(self.condition())

    def thread(self, target: Callable[..., None], name: str, *args: Any) -> threading.Thread:
        return _CountedThread(self, target, name, args)

    def wait(self, wait: _Wait, timeout_s: float | None) -> None:
        """Block until the wait is ended; where nobody is left at work, time goes on first."""
        with self._lock:
            if wait.over:
                return
            wait.takes_part = getattr(self._here, "takes_part", False)
            wait.blocks = True
            if timeout_s is not None:
                self._number += 1
                heapq.heappush(self._waiting, (self._passed_s + max(0.0, timeout_s), self._number, wait))
            self._at_work -= wait.takes_part
            self._go_on()
        wait.gate.acquire()

    def end(self, wait: _Wait) -> None:
        """End a wait before its time."""
        with self._lock:
            self._end(wait)

    def begins_work(self) -> None:
        with self._lock:
            self._at_work += 1

    def ends_work(self) -> None:
        with self._lock:
            self._at_work -= 1
            self._go_on()

    def take_part(self) -> None:
        """Count the calling thread, which is at work, among those that time stands for."""
        self._here.takes_part = True

    def _go_on(self) -> None:
        while not self._at_work and self._waiting:
            due_s, _, wait = heapq.heappop(self._waiting)
            if not wait.over:
                self._passed_s = max(self._passed_s, due_s)
                wait.told = False
                self._end(wait)

    def _end(self, wait: _Wait) -> None:
        if not wait.over:
            wait.over = True
            # It is at work from here on: time must not go on before it runs.
            self._at_work += wait.blocks and wait.takes_part
            wait.gate.release()


class _Wait:
    """One thread that waits: `told` is False where its time was over first."""

    def __init__(self) -> None:
        self.gate = threading.Lock()
        self.gate.acquire()
        self.over = self.blocks = self.takes_part = False
        self.told = True


class VirtualCondition:
    """A condition by a virtual clock."""

    def __init__(self, clock: VirtualClock) -> None:
        self._clock, self._lock = clock, threading.Lock()
        self._waits: list[_Wait] = []

    def __enter__(self) -> VirtualCondition:
        self._lock.acquire()
        return self

    def __exit__(self, *_: Any) -> None:
        self._lock.release()

    def wait(self, timeout: float | None = None) -> bool:
        wait = _Wait()
        self._waits.append(wait)
        self._lock.release()
        try:
            self._clock.wait(wait, timeout)
        finally:
            self._lock.acquire()
            self._waits = [other for other in self._waits if other is not wait]
        return wait.told

    def notify_all(self) -> None:
        waits, self._waits = self._waits, []
        for wait in waits:
            self._clock.end(wait)


class _CountedThread(threading.Thread):
    """A thread that time stands for while it works."""

    def __init__(self, clock: VirtualClock, target: Callable[..., None], name: str, args: tuple[Any, ...]) -> None:
        super().__init__(target=target, name=name, args=args, daemon=True)
        self._clock, self._over = clock, clock.event()

    def start(self) -> None:
        self._clock.begins_work()
        super().start()

    def run(self) -> None:
        self._clock.take_part()
        try:
            super().run()
        finally:
            self._over.set()
            self._clock.ends_work()

    def join(self, timeout: float | None = None) -> None:
        self._over.wait(timeout)
