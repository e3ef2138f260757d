"""The web servers of the program: plain on the loopback, TLS only on the network, both over one application."""

from __future__ import annotations

import contextlib
import logging
import socket
import ssl
import sys
import threading
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import ifaddr
from cheroot.ssl.builtin import BuiltinSSLAdapter
from cheroot.wsgi import Server
from flask import Flask

from openstake.api.doors import NETWORK_DOOR
from openstake.core.errors import InputError
from openstake.live.network import HOST, LOOPBACK
from openstake.live.transport import listening_socket
from openstake.reception import CountedConnection, Reception
from openstake.workflow.access import Access, Door

if TYPE_CHECKING:
    from openstake.store.certificates import ServedCertificate

_LOG = logging.getLogger("openstake.web")
# Every event stream holds a thread; the hub keeps their number below this.
_THREADS = 64
# Connections that wait for a thread; more are answered with 503, so that nobody takes all the files of the process.
_MOST_WAITING = 256
_MOST_HEADER_BYTES = 64 << 10
# Who takes nothing for so long is gone: a phone out of the Wi-Fi gives its thread back.
_SILENT_S = 20
_ALL_ADDRESSES = "0.0.0.0"


@dataclass(frozen=True, kw_only=True)
class LanRequest:
    """What was asked of the listener on the network: its port, its addresses (none: all of IPv4), a certificate of one's own."""

    port: int
    addresses: tuple[str, ...] = ()
    certificate: Path | None = None
    key: Path | None = None

    def __post_init__(self) -> None:
        if (self.certificate is None) != (self.key is None):
            raise InputError("A certificate and its key belong together: give both --certificate and --key.")


class WebServer:
    """A server in this process on a socket that is open already; it ends with the process.

    `limited`: strangers reach it, and one address may hold so many of its connections and threads only.
    """

    def __init__(self, app: Callable[..., Iterable[bytes]], listener: socket.socket, limited: bool = False) -> None:
        self._server = _OnSocket(listener, app, limited)

    def serve_tls(self, certificate: ServedCertificate) -> None:
        """Serve TLS and nothing else; called again, the next connections are shown another certificate."""
        held = self._server.ssl_adapter
        if held is None:
            self._server.ssl_adapter = _Tls(str(certificate.certificate), str(certificate.key))
            self._server.ssl_adapter.context.minimum_version = ssl.TLSVersion.TLSv1_2
        else:
            held.context.load_cert_chain(certificate.certificate, certificate.key)

    def begin(self, name: str) -> None:
        """Serve in a thread of its own."""
        self._server.prepare()
        threading.Thread(target=self._serve, name=name, daemon=True).start()

    def _serve(self) -> None:
        with contextlib.suppress(OSError):
            self._server.serve()


class Lan:
    """The listener on the network: nobody is served but over TLS, and the certificate follows the machine's addresses."""

    def __init__(self, app: Flask, access: Access, data_dir: Path, request: LanRequest, listeners: list[socket.socket]) -> None:
        self._access, self._data_dir, self._wish = access, data_dir, request
        self._port = listeners[0].getsockname()[1]
        self._servers = [WebServer(_over_the_network(app), listener, limited=True) for listener in listeners]

    def begin(self, now_s: float) -> None:
        """Open the door."""
        self.refresh(now_s)
        for server in self._servers:
            server.begin("web server on the network")

    def refresh(self, now_s: float) -> None:
        """Show what is in the files now: a certificate made here follows the machine's addresses and is renewed in time."""
        request = self._wish
        if request.certificate is not None and request.key is not None:
            from openstake.store.certificates import user_certificate

            served = user_certificate(request.certificate, request.key, now_s)
            names = served.names
        else:
            names = request.addresses or addresses_here()
            # Out of every network nobody comes; once it is in one, the next look finds its address.
            from openstake.store.certificates import made_here

            served = made_here(self._data_dir, names or (LOOPBACK,), now_s)
        for server in self._servers:
            server.serve_tls(served)
        self._access.door = Door(
            names=names,
            port=self._port,
            root_pem=served.root_pem,
            fingerprint=served.fingerprint,
            own_certificate=request.certificate is not None,
        )


def lan_sockets(request: LanRequest) -> list[socket.socket]:
    """Return the sockets that are listened to on the network; DeviceError where a port is taken."""
    first, *others = request.addresses or (_ALL_ADDRESSES,)
    opened = [listening_socket(request.port, HOST.network, first)]
    port = opened[0].getsockname()[1]
    return [*opened, *(listening_socket(port, HOST.network, address) for address in others)]


def addresses_here() -> tuple[str, ...]:
    """Return this machine's IPv4 addresses on private networks, the loopback's not among them."""
    found = {str(ip.ip) for adapter in ifaddr.get_adapters() for ip in adapter.ips if ip.is_IPv4}
    from openstake.store.certificates import is_private_address

    return tuple(sorted(item for item in found if not item.startswith("127.") and is_private_address(item)))


def _over_the_network(app: Flask) -> Callable[..., Iterable[bytes]]:
    """Return an application that knows that its requests come over the network."""

    def marked(environ: dict[str, Any], start_response: Any) -> Iterable[bytes]:
        return app.wsgi_app(environ | {NETWORK_DOOR: True}, start_response)

    return marked


class _OnSocket(Server):
    """cheroot on a socket that is open already, its words in our log."""

    ConnectionClass = CountedConnection
    keep_alive_conn_limit: Any = None  # the reception counts connections itself
    _connections: Any

    def __init__(self, listener: socket.socket, app: Callable[..., Iterable[bytes]], limited: bool) -> None:
        super().__init__(
            listener.getsockname()[:2],
            app,
            numthreads=_THREADS,
            server_name="Open Stake",
            timeout=_SILENT_S,
            shutdown_timeout=1,
            request_queue_size=128,
            accepted_queue_size=_MOST_WAITING,
            accepted_queue_timeout=1,
        )
        self._listener = listener
        self.software = "Open Stake"
        self.max_request_header_size = _MOST_HEADER_BYTES
        self._limited = limited

    def prepare(self) -> None:
        """Make ready to serve."""
        super().prepare()
        self._connections.close()
        self._connections = Reception(self, self._limited)

    def bind(self, family: int, type: int, proto: int = 0) -> socket.socket:
        self.socket = self._listener
        # Head and body of an answer are sent apart: waiting for the first one's receipt takes 40 ms.
        self._listener.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self.bind_addr = self._listener.getsockname()[:2]
        return self._listener

    def error_log(self, msg: str = "", level: int = 20, traceback: bool = False) -> None:
        # Clients come and go in every way there is: that is no mistake of the program.
        gone = not traceback or isinstance(sys.exc_info()[1], OSError)
        _LOG.log(logging.DEBUG if gone else level, msg, exc_info=traceback)


class _Tls(BuiltinSSLAdapter):
    """TLS whose handshake is done as its parts come: a client that says nothing keeps nobody waiting."""

    def wrap(self, sock: socket.socket) -> tuple[ssl.SSLSocket, dict[str, Any]]:
        wrapped = self.context.wrap_socket(sock, server_side=True, do_handshake_on_connect=False)
        return wrapped, {"wsgi.url_scheme": "https", "HTTPS": "on"}
