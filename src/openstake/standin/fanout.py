"""A TCP port that sends the same bytes to whoever connects; a slow reader is dropped, not waited for."""

from __future__ import annotations

import contextlib
import socket
import threading

from openstake.live.network import Connection, Outside
from openstake.live.transport import listening_socket


class Fanout:
    """Listens on 127.0.0.1; `send` goes to all who are connected."""

    def __init__(self, port: int, outside: Outside) -> None:
        self._listener = listening_socket(port, outside.network)
        self.port = self._listener.getsockname()[1]
        self._clients: list[Connection] = []
        self._lock = threading.Lock()
        self._stopped = False
        outside.clock.thread(self._accept, f"port {self.port}").start()

    def _accept(self) -> None:
        while not self._stopped:
            try:
                client, _ = self._listener.accept()
            except OSError:
                return
            client.settimeout(1.0)
            with self._lock:
                self._clients.append(client)

    def send(self, data: bytes) -> None:
        with self._lock:
            clients = list(self._clients)
        for client in clients:
            try:
                client.sendall(data)
            except OSError:
                self._drop(client)

    def _drop(self, client: Connection) -> None:
        with self._lock, contextlib.suppress(ValueError):
            self._clients.remove(client)
        client.close()

    def close(self) -> None:
        self._stopped = True
        with contextlib.suppress(OSError):
            self._listener.shutdown(socket.SHUT_RDWR)
        self._listener.close()
        for client in list(self._clients):
            self._drop(client)
