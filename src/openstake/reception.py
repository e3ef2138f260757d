"""Receives connections for the web servers: a thread is given to a request that has come, and few wait from one address.

A stranger who opens sockets and says nothing, shakes hands halfway, or sends a head letter by letter holds a socket here for some
seconds, and no thread.  What has come is read without waiting, in the one thread that selects; a request whose head, and body
where that is small, is whole goes to the threads.
"""

from __future__ import annotations

import os
import re
import selectors
import socket
import ssl
import threading
from collections import Counter, deque
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from cheroot.connections import ConnectionManager
from cheroot.server import HTTPConnection

from openstake.live.clock import HOST_CLOCK

# A first request is here within this, over a bad radio link too; one that is kept alive begins its next within the server's timeout.
ARRIVES_WITHIN_S = 8.0
# Of one address, on the network: open at all, and in the threads.  A browser opens six, a page holds one for its stream.
MOST_OPEN_OF_ONE, MOST_SERVED_OF_ONE = 48, 32
MOST_OPEN = 512  # of all
# So long a body is waited for here: whoever has not signed in sends none that is longer.
_SMALL_BODY = 64 << 10
_LOOKS_EVERY_S = 0.25
_LENGTH = re.compile(rb"\r\ncontent-length:[ \t]*(\d{1,12})[ \t]*\r\n", re.IGNORECASE)
# Who asks first whether it may send, waits for an answer.
_WAITS = re.compile(rb"\r\nexpect:", re.IGNORECASE)
_SAID = b"This port speaks TLS only: write https:// before its name.\n"
_PLAIN = b"HTTP/1.1 400 Bad Request\r\nContent-Type: text/plain\r\nConnection: close\r\nContent-Length: %d\r\n\r\n%s" % (len(_SAID), _SAID)


class CountedConnection(HTTPConnection):
    """A connection that says when it has ended, once."""

    on_end: Callable[[], None] = staticmethod(lambda: None)
    in_thread = False
    idle_since_s = 0.0

    def close(self) -> None:
        """Close the socket."""
        ended, self.on_end = self.on_end, lambda: None
        try:
            super().close()
        finally:
            ended()


class _Arriving:
    """A connection whose request has not come whole."""

    def __init__(self, conn: CountedConnection, until_s: float) -> None:
        self.conn, self.until_s = conn, until_s
        self.is_shaken = not isinstance(conn.socket, ssl.SSLSocket)
        self.begun = bytearray()
        self._looked = 0

    @property
    def is_whole(self) -> bool:
        # Who sends a head letter by letter makes nobody read it from its beginning each time.
        end = self.begun.find(b"\r\n\r\n", max(self._looked - 3, 0))
        if end < 0:
            self._looked = len(self.begun)
            return False
        self._looked = end
        found = None if _WAITS.search(self.begun, 0, end + 2) else _LENGTH.search(self.begun, 0, end + 2)
        body = int(found[1]) if found else 0
        return body > _SMALL_BODY or len(self.begun) >= end + 4 + body


class Reception(ConnectionManager):
    """The connections of one server, from the socket to the threads and between two requests."""

    server: Any
    _selector: Any
    _stop_requested: bool
    _remove_invalid_sockets: Callable[[], None]
    _from_server_socket: Callable[[socket.socket], CountedConnection | None]

    def __init__(self, server: Any, limited: bool) -> None:
        super().__init__(server)
        self._limited = limited
        self._lock = threading.Lock()
        self._open: Counter[str] = Counter()
        self._served: Counter[str] = Counter()
        self._waiting: dict[str, deque[CountedConnection]] = {}

    def put(self, conn: CountedConnection) -> None:
        """Take a connection back between two requests."""
        self._left_thread(conn)
        conn.idle_since_s = HOST_CLOCK.monotonic()
        if conn.rfile.has_data():
            self._to_threads(conn)
        else:
            self._selector.register(conn.socket.fileno(), selectors.EVENT_READ, data=conn)

    def _run(self, expiration_interval: float) -> None:
        while not self._stop_requested:
            try:
                ready = list(self._selector.select(timeout=min(expiration_interval, _LOOKS_EVERY_S)))
            except OSError:
                self._remove_invalid_sockets()
                continue
            for number, who in ready:
                if who is self.server:
                    self._receive()
                elif isinstance(who, _Arriving):
                    self._go_on(number, who)
                else:  # kept alive, and its next request begins
                    self._selector.unregister(number)
                    self._begin(who)
            self._send_away_late()

    def _receive(self) -> None:
        conn = self._from_server_socket(self.server.socket)
        if conn is None:
            return
        address = conn.remote_addr or ""
        with self._lock:
            most = MOST_OPEN_OF_ONE if self._limited else MOST_OPEN
            refused = self._open[address] >= most or self._open.total() >= MOST_OPEN
            if not refused:
                self._open[address] += 1
                conn.on_end = lambda: self._ended(conn, address)
        if refused:
            conn.close()
        else:
            self._begin(conn)

    def _begin(self, conn: CountedConnection) -> None:
        conn.socket.settimeout(0.0)
        arriving = _Arriving(conn, HOST_CLOCK.monotonic() + ARRIVES_WITHIN_S)
        number = conn.socket.fileno()
        self._selector.register(number, selectors.EVENT_READ, data=arriving)
        self._go_on(number, arriving)

    def _go_on(self, number: int, arriving: _Arriving) -> None:
        """Read what is there, and hand over what is whole."""
        try:
            if not arriving.is_shaken:
                arriving.conn.socket.do_handshake()
                arriving.is_shaken = True
            while not arriving.is_whole:
                part = arriving.conn.socket.recv(1 << 14)
                arriving.begun += part
                if not part or len(arriving.begun) > self.server.max_request_header_size + _SMALL_BODY:
                    self._send_away(number, arriving)
                    return
        except (ssl.SSLWantReadError, ssl.SSLWantWriteError, BlockingIOError, InterruptedError):
            return
        except (OSError, ValueError) as error:
            if getattr(error, "reason", "") == "HTTP_REQUEST":
                _say_plainly(arriving.conn.socket)
            self._send_away(number, arriving)
            return
        self._selector.unregister(number)
        conn = arriving.conn
        conn.socket.settimeout(self.server.timeout)
        # What was read stands where the reader looks first.
        conn.rfile._read_buf, conn.rfile._read_pos = bytes(arriving.begun), 0
        self._to_threads(conn)

    def _to_threads(self, conn: CountedConnection) -> None:
        address = conn.remote_addr or ""
        with self._lock:
            if self._limited and self._served[address] >= MOST_SERVED_OF_ONE:
                self._waiting.setdefault(address, deque()).append(conn)
                return
            self._served[address] += 1
            conn.in_thread = True
        self.server.process_conn(conn)

    def _left_thread(self, conn: CountedConnection) -> None:
        """Count a connection out of the threads, and let the next of its address in."""
        address = conn.remote_addr or ""
        with self._lock:
            if not conn.in_thread:
                return
            conn.in_thread = False
            self._served[address] -= 1
            waiting = self._waiting.get(address)
            following = waiting.popleft() if waiting else None
            if not waiting:
                self._waiting.pop(address, None)
        if following is not None:
            self._to_threads(following)

    def _ended(self, conn: CountedConnection, address: str) -> None:
        self._left_thread(conn)
        with self._lock:
            self._open[address] -= 1
            for counted in (self._open, self._served):
                if counted[address] <= 0:
                    del counted[address]

    def _send_away(self, number: int, arriving: _Arriving) -> None:
        with suppress(KeyError, ValueError):
            self._selector.unregister(number)
        with suppress(OSError):
            arriving.conn.close()

    def _send_away_late(self) -> None:
        now_s = HOST_CLOCK.monotonic()
        for number, who in list(self._selector.connections):
            if isinstance(who, _Arriving):
                if who.until_s < now_s:
                    self._send_away(number, who)
            elif who is not self.server and who.idle_since_s < now_s - self.server.timeout:
                self._selector.unregister(number)
                with suppress(OSError):
                    who.close()


def _say_plainly(sock: socket.socket) -> None:
    """Tell who speaks plain HTTP to a port of TLS so, in plain HTTP."""
    with suppress(OSError), socket.socket(fileno=os.dup(sock.fileno())) as plain:
        plain.send(_PLAIN)
