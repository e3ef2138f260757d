"""One protocol for everything that sends bytes: serial, TCP in and out, UDP, a mountpoint on a caster, a recorded file.

Addresses are those of `wire/address.py`.
"""

from __future__ import annotations

import contextlib
import errno
import os
import socket
import ssl
from collections.abc import Callable
from enum import StrEnum
from pathlib import Path
from typing import Protocol
from urllib.parse import unquote

import serial

from openstake.core.errors import DeviceError
from openstake.live.clock import Clock
from openstake.live.network import CONNECT_TIMEOUT_S, LOOPBACK, Network, Outside
from openstake.live.replay import replay_pieces
from openstake.wire.address import replay_speed, serial_baud, serial_name, split_url, without_password
from openstake.wire.ntrip.http import LONGEST_HEAD, ChunkReader, Reply, get_request, parse_reply

SENDER_GONE_S = 30.0
_PIECE_BYTES = 1 << 16


class Source(Protocol):
    """A connected device."""

    def read(self, wait_s: float) -> bytes:
        """Return what has arrived, b'' if nothing did within `wait_s`; DeviceError when the other end has gone."""

    def close(self) -> None:
        """Let go of it; calling twice does no harm."""


def open_source(url: str, password: str | None, outside: Outside) -> Source:
    """Return a connected source; InputError for an address that cannot be read, DeviceError if nobody answers."""
    url, typed = without_password(url)
    parts, password = split_url(url), password or typed
    clock, network = outside.clock, outside.network
    if parts.scheme == "replay":
        return ReplaySource(Path(unquote(parts.path)), replay_speed(parts), clock)
    if parts.scheme == "serial":
        return SerialSource(serial_name(parts), serial_baud(parts))
    host, port = parts.hostname or "", parts.port or 0
    if parts.scheme == "tcp":
        return TcpSource(connect(host, port, network), network)
    if parts.scheme == "tcp-listen":
        return TcpListenSource(listening_socket(port, network, host or LOOPBACK), outside)
    if parts.scheme == "udp":
        return UdpSource(host or LOOPBACK, port, outside)
    return NtripSource(host, port, parts.path.strip("/"), unquote(parts.username or "") or None, password, network)


class Outcome(StrEnum):
    """The ways in which a caster or a device can fail to answer."""

    NAME_NOT_FOUND = "name not found"
    TIMED_OUT = "timed out"
    REFUSED = "refused"
    UNREACHABLE = "unreachable"
    TLS_TROUBLE = "TLS trouble"
    NOT_A_CASTER = "not a caster"
    UNAUTHORISED = "user or password refused"
    UNKNOWN_MOUNTPOINT = "mountpoint unknown"
    OTHER_ANSWER = "another answer"


def connect(host: str, port: int, network: Network, tls: ssl.SSLContext | None = None) -> socket.socket:
    """Return a connection, encrypted where a context is given; DeviceError says which way it failed (`outcome`)."""
    where = f"{host}:{port}"
    try:
        connection: socket.socket = network.connect(host, port)
    except socket.gaierror:
        raise DeviceError(f"The name {host} is not known. Check its spelling and the network.", outcome=Outcome.NAME_NOT_FOUND) from None
    except TimeoutError:
        raise DeviceError(
            f"{where} did not answer within {CONNECT_TIMEOUT_S:g} s. Check address and network.", outcome=Outcome.TIMED_OUT
        ) from None
    except ConnectionRefusedError:
        raise DeviceError(f"{where} refuses the connection: nothing listens there. Is the device on?", outcome=Outcome.REFUSED) from None
    except (OSError, UnicodeError) as error:
        reason = getattr(error, "strerror", None) or error
        raise DeviceError(f"{where} cannot be reached: {reason}.", outcome=Outcome.UNREACHABLE) from None
    if tls is None:
        return connection
    try:
        return tls.wrap_socket(connection, server_hostname=host)
    except (OSError, ValueError) as error:
        connection.close()
        reason = getattr(error, "verify_message", "") or getattr(error, "reason", "") or error
        raise DeviceError(
            f"{where} answers, but not encrypted as it should ({reason}). Is this the encrypted port, and its certificate valid?",
            outcome=Outcome.TLS_TROUBLE,
        ) from None


def listening_socket(port: int, network: Network, host: str = LOOPBACK) -> socket.socket:
    """Return a socket that listens on an address of this machine, the loopback; DeviceError where the port is taken."""
    return _bound(network.listen, host, port)


def _bound(open_port: Callable[[str, int], socket.socket], host: str, port: int) -> socket.socket:
    try:
        return open_port(host, port)
    except (OSError, OverflowError, UnicodeError) as error:
        where = f"Port {port}" if host == LOOPBACK else f"Port {port} of {host}"
        raise DeviceError(f"{where} cannot be opened: {getattr(error, 'strerror', None) or error}. Choose another.") from None


class TcpSource:
    """A receiver's TCP port."""

    def __init__(self, connection: socket.socket, network: Network) -> None:
        self._socket, self._network = connection, network
        self._socket.setblocking(False)

    @property
    def socket(self) -> socket.socket:
        return self._socket

    def read(self, wait_s: float) -> bytes:
        try:
            # Bytes that TLS has decrypted already do not wake `select`.
            held = self._socket.pending() if isinstance(self._socket, ssl.SSLSocket) else 0
            if not held and not self._network.ready([self._socket], wait_s):
                return b""
            data = self._socket.recv(_PIECE_BYTES)
        except (BlockingIOError, ssl.SSLWantReadError):
            return b""
        except (OSError, ValueError):
            raise DeviceError("The connection broke.") from None
        if not data:
            raise DeviceError("The other end closed the connection.")
        return data

    def send(self, data: bytes) -> None:
        """Send a little the other way, as a position to a caster; DeviceError where the connection is gone."""
        try:
            self._socket.sendall(data)
        except OSError:
            raise DeviceError("The connection broke.") from None

    def close(self) -> None:
        with contextlib.suppress(OSError):
            self._socket.close()


class TcpListenSource:
    """A port that a device connects to: one at a time is heard, and the next one when it has gone or has long been silent.

    A device that was switched off or left the network closes nothing: it is known by its silence alone.
    """

    def __init__(self, listener: socket.socket, outside: Outside) -> None:
        self._listener, self._network, self._clock = listener, outside.network, outside.clock
        self._device: TcpSource | None = None
        self._heard_s = 0.0

    def read(self, wait_s: float) -> bytes:
        watched = [self._listener, *([self._device.socket] if self._device else [])]
        try:
            ready = self._network.ready(watched, wait_s)
        except (OSError, ValueError):
            raise DeviceError("The port was closed.") from None
        if self._listener in ready:
            self._welcome()
        if self._device is None or self._device.socket not in ready:
            return b""
        try:
            data = self._device.read(0.0)
        except DeviceError:
            self._device.close()
            self._device = None
            return b""
        self._heard_s = self._clock.monotonic()
        return data

    def _welcome(self) -> None:
        try:
            connection, _ = self._listener.accept()
        except OSError:
            return
        if self._device is not None and self._clock.monotonic() - self._heard_s < SENDER_GONE_S:
            connection.close()
            return
        if self._device is not None:
            self._device.close()
        self._device, self._heard_s = TcpSource(connection, self._network), self._clock.monotonic()

    def close(self) -> None:
        if self._device is not None:
            self._device.close()
        with contextlib.suppress(OSError):
            self._listener.close()


class UdpSource:
    """A port that a device sends datagrams to: the first sender alone is heard, until it has been silent for a while."""

    def __init__(self, host: str, port: int, outside: Outside) -> None:
        self._network, self._clock = outside.network, outside.clock
        self._socket = _bound(self._network.datagrams, host, port)
        self._sender: object = None
        self._heard_s = 0.0

    def read(self, wait_s: float) -> bytes:
        try:
            if not self._network.ready([self._socket], wait_s):
                return b""
            data, sender = self._socket.recvfrom(_PIECE_BYTES)
        except BlockingIOError:
            return b""
        except (OSError, ValueError):
            raise DeviceError("The port was closed.") from None
        now_s = self._clock.monotonic()
        if self._sender not in (None, sender) and now_s - self._heard_s < SENDER_GONE_S:
            return b""
        self._sender, self._heard_s = sender, now_s
        return data

    def close(self) -> None:
        with contextlib.suppress(OSError):
            self._socket.close()


class SerialSource:
    """A serial port, as a cable or Bluetooth makes one.  It is ours alone while it is open."""

    def __init__(self, name: str, baud: int) -> None:
        try:
            self._port = serial.Serial(name, baud, timeout=0.25, exclusive=True if os.name == "posix" else None)
        except (OSError, ValueError) as error:  # SerialException is an OSError
            raise DeviceError(f"{name} cannot be opened: {_reason(error)}. Is the device plugged in and switched on?") from None
        self.baud = baud

    def read(self, wait_s: float) -> bytes:
        try:
            self._port.timeout = wait_s
            first = self._port.read(1)
            return bytes(first + self._port.read(self._port.in_waiting)) if first else b""
        except (OSError, TypeError, ValueError):  # TypeError: pyserial, of a port that was closed meanwhile
            raise DeviceError(f"{self._port.name} is gone: unplugged, switched off or out of range.") from None

    def close(self) -> None:
        with contextlib.suppress(OSError):
            self._port.close()


def _reason(error: Exception) -> str:
    """Return why a port does not open, in the operating system's words where it has some."""
    number = getattr(error, "errno", None)
    if number in (errno.EAGAIN, errno.EBUSY, errno.EACCES):
        return "another program uses it" if number != errno.EACCES else "this user may not open it"
    return os.strerror(number) if number else str(error)


class NtripSource:
    """One mountpoint of a caster, version 2 asked for, version 1 understood."""

    def __init__(
        self, host: str, port: int, mount: str, user: str | None, password: str | None, network: Network, tls: ssl.SSLContext | None = None
    ) -> None:
        request = get_request(host, mount, 2, user, password)
        connection, reply, rest = ask_caster(host, port, request, network, tls)
        if reply.source_table or reply.status == 404:
            connection.close()
            raise DeviceError(
                f"The caster has no mountpoint {mount} at the moment. Is the base sending?", outcome=Outcome.UNKNOWN_MOUNTPOINT
            )
        self._tcp = TcpSource(connection, network)
        self._chunks = ChunkReader() if reply.chunked else None
        self._rest = rest

    def read(self, wait_s: float) -> bytes:
        data, self._rest = (self._rest, b"") if self._rest else (self._tcp.read(wait_s), b"")
        if self._chunks is None or not data:
            return data
        try:
            content = b"".join(self._chunks.feed(data))
        except ValueError as error:
            raise DeviceError(
                f"The caster's stream is garbled: {error}. Nothing of it is taken. Connect again; if it stays, the caster or something between "
                "changes the stream."
            ) from None
        if self._chunks.ended:
            raise DeviceError("The caster ended the stream.")
        return content

    def send(self, data: bytes) -> None:
        """Send a line to the caster, as the position that a virtual mountpoint needs."""
        self._tcp.send(data)

    def close(self) -> None:
        self._tcp.close()


def ask_caster(
    host: str, port: int, request: bytes, network: Network, tls: ssl.SSLContext | None = None
) -> tuple[socket.socket, Reply, bytes]:
    """Return a caster's connection, the head of its reply and what came behind it; DeviceError where it refuses."""
    connection = connect(host, port, network, tls)
    try:
        connection.sendall(request)
        head, rest = _head_of(connection)
        reply = parse_reply(head)
    except TimeoutError:
        connection.close()
        raise DeviceError(
            f"{host}:{port} accepts the connection but does not answer within {CONNECT_TIMEOUT_S:g} s.", outcome=Outcome.TIMED_OUT
        ) from None
    except (OSError, ValueError) as error:
        connection.close()
        raise DeviceError(f"{host}:{port} does not answer like a caster: {error}.", outcome=Outcome.NOT_A_CASTER) from None
    if reply.is_page or rest.lstrip()[:1] == b"<":
        connection.close()
        raise DeviceError(
            f"{host}:{port} answers with a web page ('{reply.line[:60]}'), not with a stream: a network's sign-in page stands in front of the "
            "caster, or this is the port of a web site. Sign in to the network with a browser, or look at the port.",
            outcome=Outcome.NOT_A_CASTER,
        )
    if reply.status in (401, 403):
        connection.close()
        raise DeviceError("The caster refuses user and password.", outcome=Outcome.UNAUTHORISED)
    if reply.status not in (200, 404):
        connection.close()
        raise DeviceError(f"The caster answers '{reply.line[:80]}'.", outcome=Outcome.OTHER_ANSWER, status=reply.status)
    return connection, reply, rest


def _head_of(connection: socket.socket) -> tuple[bytes, bytes]:
    """Return a reply's head and what came behind it; `ICY 200 OK` may end after one line."""
    data = b""
    while b"\r\n\r\n" not in data:
        if data.startswith(b"ICY ") and b"\r\n" in data:
            head, _, rest = data.partition(b"\r\n")
            return head, rest
        piece = connection.recv(_PIECE_BYTES)
        if not piece:
            break
        data += piece
        if len(data) > LONGEST_HEAD and b"\r\n\r\n" not in data:
            raise ValueError("its answer has no end")
    if not data:
        raise ValueError("it closed the connection without a word")
    head, _, rest = data.partition(b"\r\n\r\n")
    return head, rest


class ReplaySource:
    """A recorded file, paced by its own epochs; `speed` multiplies the pace."""

    def __init__(self, path: Path, speed: float, clock: Clock) -> None:
        self._speed, self._clock = speed, clock
        self._pieces = replay_pieces(path)
        self._start_s: float | None = None
        self._first_s: float | None = None
        self._next: tuple[float | None, bytes] | None = None

    def read(self, wait_s: float) -> bytes:
        if self._next is None:
            self._next = next(self._pieces, None)
            if self._next is None:
                raise DeviceError("The replay has reached the end of its file.")
        time_s, data = self._next
        now = self._clock.monotonic()
        if time_s is not None:
            if self._start_s is None or self._first_s is None:
                self._start_s, self._first_s = now, time_s
            due = self._start_s + (time_s - self._first_s) / self._speed
            if due > now:
                self._clock.sleep(min(wait_s, due - now))
                if due > self._clock.monotonic():
                    return b""
        self._next = None
        return data

    def close(self) -> None:
        self._pieces.close()
