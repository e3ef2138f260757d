"""What lies outside of the program: the time, and the network with its sockets; the host's, or one in memory."""

from __future__ import annotations

import select
import socket
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from openstake.live.clock import HOST_CLOCK, Clock, Condition, ScaledClock, VirtualClock

CONNECT_TIMEOUT_S = 5.0
LOOPBACK = "127.0.0.1"
_MOST_WAITING_BYTES = 1 << 20


class Connection(Protocol):
    """One end of a connection: what is used of a `socket.socket`, with its errors."""

    def recv(self, most: int, /) -> bytes: ...
    def sendall(self, data: bytes, /) -> None: ...
    def settimeout(self, seconds: float | None, /) -> None: ...
    def setblocking(self, flag: bool, /) -> None: ...
    def shutdown(self, how: int, /) -> None: ...
    def close(self) -> None: ...


class Listener(Protocol):
    """A port that is listened to: what is used of a listening `socket.socket`."""

    def accept(self) -> tuple[Any, Any]: ...
    def getsockname(self) -> Any: ...
    def shutdown(self, how: int, /) -> None: ...
    def close(self) -> None: ...


class Network(Protocol):
    """Connects, listens, and waits for what comes.  Errors are those of sockets."""

    def connect(self, host: str, port: int) -> Any:
        """Return a connection, a `Connection`; OSError where nobody answers."""

    def listen(self, host: str, port: int) -> Any:
        """Return a `Listener` on an address of this machine; OSError where the port is taken."""

    def datagrams(self, host: str, port: int) -> socket.socket:
        """Return a port for datagrams; OSError where it is taken."""

    def ready(self, ends: Sequence[Any], wait_s: float) -> list[Any]:
        """Return which of some ends have something to be read, at the latest after so many seconds."""


class HostNetwork:
    """The host's sockets, waited for by a clock."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock

    def connect(self, host: str, port: int) -> socket.socket:
        return socket.create_connection((host, port), timeout=CONNECT_TIMEOUT_S)

    def listen(self, host: str, port: int) -> socket.socket:
        listener = _bound(host, port, socket.SOCK_STREAM)
        listener.listen(32)
        return listener

    def datagrams(self, host: str, port: int) -> socket.socket:
        opened = _bound(host, port, socket.SOCK_DGRAM)
        opened.setblocking(False)
        return opened

    def ready(self, ends: Sequence[Any], wait_s: float) -> list[Any]:
        return select.select(ends, [], [], self._clock.host_s(wait_s))[0]


def _bound(host: str, port: int, kind: socket.SocketKind) -> socket.socket:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    opened = socket.socket(family, kind)
    if kind is socket.SOCK_STREAM:
        opened.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        opened.bind((host, port))
    except BaseException:
        opened.close()
        raise
    return opened


class MemoryNetwork:
    """The loopback alone, in memory: nothing is ever under way, so that a virtual clock knows when all wait."""

    def __init__(self, clock: Clock) -> None:
        self.clock = clock
        self._listeners: dict[int, MemoryListener] = {}
        self._next = 40_000

    def connect(self, host: str, port: int) -> MemoryConnection:
        listener = self._listeners.get(port)
        if host not in (LOOPBACK, "localhost"):
            raise OSError(101, "Network is unreachable")
        if listener is None:
            raise ConnectionRefusedError(111, "Connection refused")
        near, far = MemoryConnection(self.clock), MemoryConnection(self.clock)
        near.other, far.other = far, near
        near.settimeout(CONNECT_TIMEOUT_S)
        listener.take(far)
        return near

    def listen(self, host: str, port: int) -> MemoryListener:
        if not port:
            self._next += 1
            port = self._next
        if port in self._listeners:
            raise OSError(98, "Address already in use")
        listener = self._listeners[port] = MemoryListener(self.clock, host, port, lambda: self._listeners.pop(port, None))
        return listener

    def datagrams(self, host: str, port: int) -> socket.socket:
        raise OSError(95, "Operation not supported")

    def ready(self, ends: Sequence[Any], wait_s: float) -> list[Any]:
        something = self.clock.event()
        for end in ends:
            end.inbox.watch(something)
        try:
            something.wait(wait_s)
        finally:
            for end in ends:
                end.inbox.leave(something)
        found = [end for end in ends if end.inbox.is_ready]
        if any(end.is_closed for end in ends):
            raise OSError(9, "Bad file descriptor")
        return found


class _Inbox:
    """What waits to be read at one end, and who waits for it."""

    def __init__(self, changed: Condition) -> None:
        self.changed = changed
        self.is_ready = False
        self._watchers: list[Any] = []

    def watch(self, something: Any) -> None:
        with self.changed:
            self._watchers.append(something)
            if self.is_ready:
                something.set()

    def leave(self, something: Any) -> None:
        with self.changed:
            self._watchers.remove(something)

    def tell(self, is_ready: bool) -> None:
        """Note whether something waits, and wake who waits for it; whoever calls it holds `changed`."""
        self.is_ready = is_ready
        if is_ready:
            self.changed.notify_all()
            for something in self._watchers:
                something.set()


class MemoryListener:
    """A port in memory."""

    def __init__(self, clock: Clock, host: str, port: int, on_close: Callable[[], object]) -> None:
        self.inbox = _Inbox(clock.condition())
        self._host, self._port, self._on_close = host, port, on_close
        self._waiting: list[MemoryConnection] = []
        self.is_closed = False

    def take(self, connection: MemoryConnection) -> None:
        with self.inbox.changed:
            self._waiting.append(connection)
            self.inbox.tell(True)

    def accept(self) -> tuple[MemoryConnection, tuple[str, int]]:
        with self.inbox.changed:
            while not self._waiting and not self.is_closed:
                self.inbox.changed.wait()
            if self.is_closed:
                raise OSError(9, "Bad file descriptor")
            connection = self._waiting.pop(0)
            self.inbox.tell(bool(self._waiting))
        return connection, (LOOPBACK, 0)

    def getsockname(self) -> tuple[str, int]:
        return self._host, self._port

    def shutdown(self, how: int) -> None:
        self.close()

    def close(self) -> None:
        with self.inbox.changed:
            if self.is_closed:
                return
            self.is_closed = True
            waiting, self._waiting = self._waiting, []
            self.inbox.tell(True)
        self._on_close()
        for connection in waiting:
            connection.close()


class MemoryConnection:
    """One end of a connection in memory."""

    other: MemoryConnection

    def __init__(self, clock: Clock) -> None:
        self.inbox = _Inbox(clock.condition())
        self._data = bytearray()
        self._timeout_s: float | None = None
        self.is_closed = self._ended = False

    def settimeout(self, seconds: float | None) -> None:
        self._timeout_s = seconds

    def setblocking(self, flag: bool) -> None:
        self._timeout_s = None if flag else 0.0

    def recv(self, most: int) -> bytes:
        with self.inbox.changed:
            if not self._data and not self._ended and not self.is_closed:
                if self._timeout_s == 0.0:
                    raise BlockingIOError(11, "Resource temporarily unavailable")
                self.inbox.changed.wait(self._timeout_s)
            if self.is_closed:
                raise OSError(9, "Bad file descriptor")
            if not self._data and not self._ended:
                raise TimeoutError("timed out")
            data = bytes(self._data[:most])
            del self._data[:most]
            self.inbox.tell(bool(self._data) or self._ended)
        return data

    def sendall(self, data: bytes) -> None:
        if self.is_closed or self.other.is_closed or self.other._ended:
            raise BrokenPipeError(32, "Broken pipe")
        if data:  # nothing sent is nothing to be read, and not the end
            self.other.take(data)

    def take(self, data: bytes) -> None:
        with self.inbox.changed:
            if len(self._data) > _MOST_WAITING_BYTES:
                raise TimeoutError("timed out")
            self._data += data
            self.inbox.tell(True)

    def end(self) -> None:
        """Take in that nothing more comes."""
        with self.inbox.changed:
            self._ended = True
            self.inbox.tell(True)

    def shutdown(self, how: int) -> None:
        self.end()
        self.other.end()

    def close(self) -> None:
        with self.inbox.changed:
            self.is_closed = True
            self.inbox.tell(True)
        self.other.end()


@dataclass(frozen=True)
class Outside:
    """What lies outside of the program, and is given to all that runs in it."""

    clock: Clock
    network: Network


HOST = Outside(HOST_CLOCK, HostNetwork(HOST_CLOCK))


def outside_of(clock: Clock) -> Outside:
    """Return what goes with a clock: a virtual one has a network in memory, all others the host's."""
    return Outside(clock, MemoryNetwork(clock) if isinstance(clock, VirtualClock) else HostNetwork(clock))


def faster(speed: float) -> Outside:
    """Return the host's network, and its time or one that runs faster."""
    return HOST if speed == 1.0 else outside_of(ScaledClock(speed))
