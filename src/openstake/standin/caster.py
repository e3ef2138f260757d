"""The stand-in caster: NTRIP 1 and 2 on the loopback, push and pull, source table."""

from __future__ import annotations

import contextlib
import socket
import threading
from collections import deque
from datetime import UTC, datetime
from email.utils import format_datetime

from openstake.core.evidence import StationReference
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.live.clock import Clock
from openstake.live.network import Connection, Outside
from openstake.live.transport import listening_socket
from openstake.wire.ntrip.http import LONGEST_HEAD, ChunkReader, Request, chunk, parse_request
from openstake.wire.ntrip.sourcetable import StreamRow, table_text
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.summary import StreamSummary

_SERVER = "NTRIP OpenStake stand-in caster/0.1"
_QUEUE_PIECES = 200
_SILENCE_S = 60.0
_MOST_CLIENTS = 100


class _Mailbox:
    """What waits for one listener; it holds so many pieces and no more."""

    def __init__(self, clock: Clock) -> None:
        self._changed = clock.condition()
        self._pieces: deque[bytes | None] = deque()

    def put(self, piece: bytes | None) -> bool:
        """Add a piece; False where there is no room for it."""
        with self._changed:
            if len(self._pieces) >= _QUEUE_PIECES:
                return False
            self._pieces.append(piece)
            self._changed.notify_all()
        return True

    def get(self, wait_s: float) -> bytes | None:
        """Return the next piece; None at the end, and where none has come for so long."""
        with self._changed:
            if not self._pieces:
                self._changed.wait(wait_s)
            return self._pieces.popleft() if self._pieces else None


class Mount:
    """One mountpoint while its base is connected: what it sends, and who listens."""

    def __init__(self, name: str, clock: Clock) -> None:
        self.name, self._clock = name, clock
        self._frames, self.summary = FrameReader(), StreamSummary()
        self._listeners: list[_Mailbox] = []
        self._lock = threading.Lock()

    def listen(self) -> _Mailbox:
        mailbox = _Mailbox(self._clock)
        with self._lock:
            self._listeners.append(mailbox)
        return mailbox

    def leave(self, mailbox: _Mailbox) -> None:
        with self._lock, contextlib.suppress(ValueError):
            self._listeners.remove(mailbox)

    def send(self, data: bytes | None) -> None:
        """Pass bytes to every listener; None ends them.  One that does not keep up is cut off."""
        if data:
            for frame in self._frames.feed(data):
                self.summary.add(frame)
        with self._lock:
            listeners = list(self._listeners)
        for mailbox in listeners:
            if not mailbox.put(data):
                self.leave(mailbox)

    def row(self) -> StreamRow:
        """Return the mountpoint's row, from what it really sends."""
        summary = self.summary
        station: StationReference | None = summary.stations[-1] if summary.stations else None
        latitude, longitude = (float(x) for x in geodetic_from_ecef(station.xyz_m)[:2]) if station else (None, None)
        details = ",".join(f"{number}({max(1, round(count.mean_interval_s or 1))})" for number, count in sorted(summary.messages.items()))
        codes = {"GPS": "GPS", "GLONASS": "GLO", "Galileo": "GAL", "BeiDou": "BDS", "QZSS": "QZS", "SBAS": "SBS"}
        systems = "+".join(codes.get(name, name) for name in dict.fromkeys(key[0] for key in summary.observables))
        virtual = bool(station and station.virtual)
        return StreamRow(
            mountpoint=self.name,
            identifier=self.name,
            format="RTCM 3.3",
            format_details=details,
            carrier=2,
            systems=systems,
            network_name="practice",
            country="",
            latitude_deg=latitude,
            longitude_deg=longitude,
            needs_gga=False,
            network=virtual,
            generator="stand-in base",
            authentication="B",
            bit_rate_bps=None,
        )


class Caster:
    """Listens on 127.0.0.1.  One user may read; the same password lets a base push."""

    def __init__(self, port: int, user: str, password: str, outside: Outside) -> None:
        self._user, self._password, self._clock = user, password, outside.clock
        self._listener = listening_socket(port, outside.network)
        self.port = self._listener.getsockname()[1]
        self._mounts: dict[str, Mount] = {}
        self._lock = threading.Lock()
        self._connections: set[Connection] = set()
        self._stopped = False
        self._clock.thread(self._accept, f"caster {self.port}").start()

    def close(self) -> None:
        self._stopped = True
        with contextlib.suppress(OSError):
            self._listener.shutdown(socket.SHUT_RDWR)
        self._listener.close()
        for connection in list(self._connections):
            with contextlib.suppress(OSError):
                connection.shutdown(socket.SHUT_RDWR)

    def _accept(self) -> None:
        while not self._stopped:
            try:
                connection, _ = self._listener.accept()
            except OSError:
                return
            if len(self._connections) >= _MOST_CLIENTS:
                connection.close()
                continue
            self._connections.add(connection)
            self._clock.thread(self._serve, "caster client", connection).start()

    def _serve(self, connection: Connection) -> None:
        try:
            connection.settimeout(10.0)
            data = b""
            while b"\r\n\r\n" not in data and len(data) < LONGEST_HEAD:
                piece = connection.recv(4096)
                if not piece:
                    return
                data += piece
            head, _, rest = data.partition(b"\r\n\r\n")
            try:
                request = parse_request(head)
            except ValueError:
                connection.sendall(b"HTTP/1.1 400 Bad Request\r\nConnection: close\r\n\r\n")
                return
            self._answer(connection, request, rest)
        except OSError:
            pass
        finally:
            self._connections.discard(connection)
            connection.close()

    def _answer(self, connection: Connection, request: Request, rest: bytes) -> None:
        if request.method == "SOURCE":
            if request.source_password != self._password:
                connection.sendall(b"ERROR - Bad Password\r\n")
                return
            self._take_push(connection, request, rest, b"ICY 200 OK\r\n\r\n", b"ERROR - Mount Point Taken or Invalid\r\n")
        elif request.method == "POST":
            if request.credentials != (self._user, self._password):
                connection.sendall(self._head(2, "401 Unauthorized", 'WWW-Authenticate: Basic realm="push"'))
                return
            self._take_push(connection, request, rest, self._head(2, "200 OK", open_end=True), self._head(2, "409 Conflict"))
        else:
            self._send_stream(connection, request)

    def _head(self, version: int, status: str, *lines: str, open_end: bool = False) -> bytes:
        first = f"HTTP/1.{'1' if version == 2 else '0'} {status}"
        fixed = [f"Server: {_SERVER}", f"Date: {format_datetime(datetime.fromtimestamp(self._clock.now(), UTC), usegmt=True)}"]
        if version == 2:
            # No source-table filters, no streams over RTSP or UDP: none of the flags of RTCM 10410.1 is set.
            fixed += ["Ntrip-Version: Ntrip/2.0", "Ntrip-Flags: "]
        fixed += [*lines, "Connection: close"]
        if not open_end and not any(line.startswith("Content-Length") for line in lines):
            fixed.append("Content-Length: 0")
        return ("\r\n".join([first, *fixed]) + "\r\n\r\n").encode()

    def _send_stream(self, connection: Connection, request: Request) -> None:
        version = request.version
        mount = self._mounts.get(request.mount)
        if not request.mount or (mount is None and version == 1):
            self._send_table(connection, version)
            return
        if mount is None:
            # Said before the password is asked for: the table is public, so this tells nobody more.
            connection.sendall(self._head(2, "404 Not Found"))
            return
        if request.credentials != (self._user, self._password):
            realm = f'WWW-Authenticate: Basic realm="{request.mount[:60]}"'
            connection.sendall(self._head(version, "401 Unauthorized", realm))
            return
        if version == 2:
            connection.sendall(
                self._head(
                    2,
                    "200 OK",
                    "Cache-Control: no-store, no-cache, max-age=0",
                    "Pragma: no-cache",
                    "Content-Type: gnss/data",
                    "Transfer-Encoding: chunked",
                    open_end=True,
                )
            )
        else:
            connection.sendall(b"ICY 200 OK\r\n\r\n")
        mailbox = mount.listen()
        try:
            while (data := mailbox.get(_SILENCE_S)) is not None:
                connection.sendall(chunk(data) if version == 2 else data)
            if version == 2:
                connection.sendall(b"0\r\n\r\n")
        finally:
            mount.leave(mailbox)

    def _send_table(self, connection: Connection, version: int) -> None:
        with self._lock:
            body = table_text([mount.row() for mount in self._mounts.values()]).encode()
        length = f"Content-Length: {len(body)}"
        if version == 2:
            connection.sendall(self._head(2, "200 OK", "Content-Type: gnss/sourcetable", length) + body)
            return
        head = f"SOURCETABLE 200 OK\r\nServer: {_SERVER}\r\nContent-Type: text/plain\r\n{length}\r\n\r\n"
        connection.sendall(head.encode() + body)

    def _take_push(self, connection: Connection, request: Request, rest: bytes, yes: bytes, no: bytes) -> None:
        with self._lock:
            taken = not request.mount or request.mount in self._mounts or "/" in request.mount
            if not taken:
                mount = self._mounts[request.mount] = Mount(request.mount, self._clock)
        if taken:
            connection.sendall(no)
            return
        chunks = ChunkReader() if request.headers.get("transfer-encoding", "").lower() == "chunked" else None
        try:
            connection.sendall(yes)
            connection.settimeout(_SILENCE_S)
            data = rest or connection.recv(1 << 16)
            while data and not (chunks and chunks.ended):
                for piece in chunks.feed(data) if chunks else (data,):
                    mount.send(piece)
                data = connection.recv(1 << 16)
        except ValueError:
            pass  # a garbled chunk ends the push
        finally:
            with self._lock:
                self._mounts.pop(request.mount, None)
            mount.send(None)
