"""The doors of the API: who may come in, JSON in and out, a request that is sent twice, and what to say when something breaks."""

from __future__ import annotations

import hashlib
import html
import json
import logging
import math
import re
import threading
import uuid
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlsplit

import flask
from flask import Flask, Response, request
from flask.json.provider import DefaultJSONProvider
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException

from openstake.core.errors import (
    ConflictError,
    DeviceError,
    NotFoundError,
    NotHereError,
    NotSignedInError,
    OpenStakeError,
    StorageError,
    TooOftenError,
)
from openstake.store.database import of_request, storage_error_of
from openstake.store.private import DOOR_TOKEN
from openstake.wire.jsontext import FORBIDDEN, JsonError, read_json
from openstake.workflow.access import Access, Visitor, alike

# How the listener on the network marks its requests in the WSGI environment; a header cannot say it (PEP 3333: those begin with HTTP_).
NETWORK_DOOR = "openstake.network"
# The prefix binds it to this host and to TLS (RFC 6265bis, 4.1.3.2).
COOKIE = "__Host-openstake"
DEVICE_COOKIE = "__Host-openstake-device"
# What opens the door on this machine, in an address once and in a cookie after that; browsers keep cookies of all ports together.
DOOR_QUERY, _DOOR_COOKIE = "door", "openstake-door-{port}"
_DOOR_S = 400 * 24 * 3600
CSRF_HEADER = "X-CSRF-Token"
# The pages' files hold nothing of a job: what they show is asked of the API.
_BEFORE_SIGN_IN = {"front_end", "api.sign_in"}
_LOCAL_HOSTS = {"127.0.0.1", "localhost", "::1"}
_STATUS: tuple[tuple[type[OpenStakeError], int], ...] = (
    (NotFoundError, 404),
    (ConflictError, 409),
    (DeviceError, 502),
    (StorageError, 507),
    (NotSignedInError, 401),
    (NotHereError, 403),
    (TooOftenError, 429),
)
_LOG = logging.getLogger("openstake")


def problem(status: int, title: str, detail: str, field: str | None = None) -> Response:
    """Return a problem document (RFC 9457)."""
    response = flask.jsonify({"title": title, "detail": detail, "status": status, "field": field})
    response.status_code, response.mimetype = status, "application/problem+json"
    return response


class JsonOut(DefaultJSONProvider):
    """JSON as it leaves: NaN and Infinity are none of it, and a browser shows nothing at all where they stand."""

    def dumps(self, obj: Any, **kwargs: Any) -> str:
        return super().dumps(obj, allow_nan=False, **kwargs)


class JsonIn(flask.Request):
    """A request whose JSON comes through the one door: limits of depth, digits and characters."""

    def get_json(self, force: bool = False, silent: bool = False, cache: bool = True) -> Any:
        if not hasattr(self, "_taken"):
            try:
                self._taken = read_json(self.get_data())
            except JsonError:
                if not silent:
                    raise
                return None
        return self._taken


def visitor_of(access: Access) -> Visitor | None:
    """Return who asks: on the loopback the user whose program it is, over the network whoever a cookie's session belongs to."""
    if not _over_the_network():
        return Visitor() if access.is_owner(_given_at_the_door()) else None
    token = request.cookies.get(COOKIE, "")
    return access.visitor(token) if token else None


def _given_at_the_door() -> str:
    """Return what a request on this machine brings to open the door: a bearer token (RFC 6750), a cookie, or none."""
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    return token.strip() if scheme.lower() == "bearer" else request.cookies.get(_door_cookie(), "")


def _door_cookie() -> str:
    return _DOOR_COOKIE.format(port=_port_of(request.host, 80) or 0)


def _this_machines_door(access: Access) -> Response:
    """Answer who asks for a page on this machine without what opens its door: let in by the address, or told where it stands."""
    if access.is_owner(request.args.get(DOOR_QUERY, "")) and request.method == "GET":
        # Not a redirect: to one that another site's link began, browsers send no cookie that is strict.
        response = Response(_OPENED, mimetype="text/html")
        response.set_cookie(_door_cookie(), access.door_token or "", max_age=_DOOR_S, path="/", httponly=True, samesite="Strict")
    else:
        response = Response(_CLOSED.format(where=html.escape(str(access.folder / DOOR_TOKEN))), 401, mimetype="text/html")
    response.headers["Cache-Control"] = "no-store"
    return response


_OPENED = '<!doctype html><html lang="en"><head><meta http-equiv="refresh" content="0;url=/"><title>Open Stake</title></head></html>'
_CLOSED = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>Open Stake</title>
<style>body{{font:1.25rem/1.6 sans-serif;max-width:40rem;margin:3rem auto;padding:0 1rem}}code{{overflow-wrap:anywhere}}</style></head>
<body><h1>Open Stake</h1>
<p><strong>This program answers only the user who started it.</strong></p>
<p>Open the address that it printed when it started. What comes after <code>?door=</code> in it stands in the file
<code>{where}</code>, which that user alone can read.</p></body></html>
"""


def keep_strangers_out(access: Access, visitor: Visitor | None) -> Response | None:
    """Refuse other hosts' names (DNS rebinding), other sites' requests (CSRF), who has not signed in, and bodies that are not JSON."""
    if not _is_ours(access):
        return problem(403, "Not from here", "This program does not answer under that name.")
    if visitor is None and (closed := _closed_to_strangers(access)) is not None:
        return closed
    if any(FORBIDDEN.search(text) for text in (*request.args, *request.args.values())):
        return problem(400, "This cannot be used", "The request holds a character that no text may hold.")
    return None if request.method in ("GET", "HEAD", "OPTIONS") else _keep_other_sites_out(visitor)


def _keep_other_sites_out(visitor: Visitor | None) -> Response | None:
    """Refuse what writes and was sent by another site's page, without the session's token, or is not JSON."""
    scheme = "https" if _over_the_network() else "http"
    origin = request.headers.get("Origin")
    other = origin is not None and origin != f"{scheme}://{request.host}"
    if other or request.headers.get("Sec-Fetch-Site", "same-origin") not in ("same-origin", "none"):
        return problem(403, "Not from here", "The request comes from another site.")
    if visitor is not None and not alike(request.headers.get(CSRF_HEADER, ""), visitor.csrf):
        return problem(403, "Not from here", "The request carries no token of this session. Load the page again.")
    if not request.content_length or request.mimetype == "application/octet-stream":
        return None  # a file; no page of another site can send this type without being asked first
    if not request.is_json:
        return problem(415, "This cannot be used", "The request's body is not JSON.")
    try:
        request.get_json()
    except JsonError as error:
        return problem(400, "This cannot be used", f"The request's body {error}.")
    return None


def _closed_to_strangers(access: Access) -> Response | None:
    """Answer who is not known; None for what strangers may ask."""
    if _over_the_network():
        if request.endpoint in _BEFORE_SIGN_IN:
            return None
        return problem(401, "Not signed in", "Sign in with the passphrase.")
    if not request.path.startswith("/api/"):
        return _this_machines_door(access)
    return problem(401, "Not from here", "Open the address that the program printed when it started: it lets you in.")


def only_here() -> None:
    """Raise NotHereError where somebody asks over the network."""
    if not flask.g.visitor.here:
        raise NotHereError("This can only be done on the program's own machine.")


def _over_the_network() -> bool:
    return bool(request.environ.get(NETWORK_DOOR))


def _is_ours(access: Access) -> bool:
    """Say whether a request names a host that its door answers to."""
    host = _host_of(f"//{request.host}")
    if not _over_the_network():
        return host in _LOCAL_HOSTS
    return access.door is not None and access.door.answers_to(host, _port_of(request.host))


def _host_of(address: str) -> str | None:
    try:
        return urlsplit(address).hostname
    except ValueError:
        return None


def _port_of(host: str, usual: int = 443) -> int | None:
    try:
        return urlsplit(f"//{host}").port or usual
    except ValueError:
        return None


@dataclass
class _Sent:
    """A request that carried a key: what it asked, and its answer once there is one."""

    asked: str
    done: threading.Event = field(default_factory=threading.Event)
    answer: tuple[int, str, bytes] | None = None


class SentOnce:
    """Requests with an `Idempotency-Key`: sent again with the same key, one is done once and answered alike.

    While one is worked on the other waits.  The last answers to what was stored are kept in memory; that a key was stored is
    kept in the database, in the transaction of what it stored.
    Source: the HTTP header of that name (draft-ietf-httpapi-idempotency-key-header).
    """

    KEPT = 1000
    WAITS_S = 60.0

    def __init__(self) -> None:
        self._sent: OrderedDict[str, _Sent] = OrderedDict()
        self._lock = threading.Lock()

    def __call__(self, handle: Callable[[], Response]) -> Response:
        """Return the answer of this request: of `handle`, or as it was given before."""
        key = request.headers.get("Idempotency-Key")
        if key is None or request.method in ("GET", "HEAD", "OPTIONS"):
            return handle()
        if not re.fullmatch(r"[!-~]{8,80}", key):
            return problem(422, "This cannot be used", "An Idempotency-Key has 8 to 80 characters.", "Idempotency-Key")
        # A file is not read here: its route takes it as it streams in.
        is_file = request.mimetype == "application/octet-stream"
        body = str(request.content_length).encode() if is_file else request.get_data()
        asked = hashlib.sha256(request.method.encode() + request.full_path.encode() + body).hexdigest()
        # Another session's answer is nobody else's.
        key = f"{flask.g.visitor.session_id if flask.g.visitor else ''}:{key}"
        with self._lock:
            before = self._sent.get(key)
            if before is None:
                mine = self._sent[key] = _Sent(asked)
                while len(self._sent) > self.KEPT:
                    self._sent.popitem(last=False)
        if before is not None:
            return self._again(before, asked)
        return self._first(key, mine, handle)

    def _again(self, before: _Sent, asked: str) -> Response:
        if before.asked != asked:
            return problem(422, "This cannot be used", "This Idempotency-Key came with another request before.", "Idempotency-Key")
        if not before.done.wait(self.WAITS_S) or before.answer is None:
            return problem(409, "Not now", "The same request is still being worked on. Wait a moment.")
        status, media_type, body = before.answer
        return Response(body, status, mimetype=media_type)

    def _first(self, key: str, mine: _Sent, handle: Callable[[], Response]) -> Response:
        kept = False
        try:
            with of_request(key) as request_to_write:
                response = handle()
            mine.answer = (response.status_code, response.mimetype or "", response.get_data())
            kept = request_to_write.stored
            return response
        finally:
            mine.done.set()
            if not kept:  # nothing was stored: sent again it is done again
                with self._lock:
                    self._sent.pop(key, None)


def take_errors(app: Flask) -> None:
    """Answer every error in one place: ours as a sentence, a full disk as one, all others with a number that stands in the log."""
    app.register_error_handler(OpenStakeError, _of_ours)
    app.register_error_handler(HTTPException, _of_http)
    app.register_error_handler(OSError, _of_system)
    app.register_error_handler(OperationalError, _of_system)
    app.register_error_handler(Exception, internal_error)


def _of_ours(error: OpenStakeError) -> Response:
    status = next((status for kind, status in _STATUS if isinstance(error, kind)), 422)
    said = problem(status, error.title, error.sentence, error.field)
    if isinstance(error, TooOftenError):
        said.headers["Retry-After"] = str(math.ceil(float(str(error.seen["wait_s"]))))
    return said


def _of_http(error: HTTPException) -> Response:
    too_large = "What was sent is larger than is taken here. Nothing was stored."
    said = too_large if error.code == 413 else error.description or error.name
    return problem(error.code or 500, error.name, said)


def _of_system(error: OSError | OperationalError) -> Response:
    full = storage_error_of(error)
    return _of_ours(full) if full is not None else internal_error(error)


def internal_error(error: Exception) -> Response:
    number = uuid.uuid4().hex[:8]
    _LOG.error("problem %s: %s %s", number, request.method, json.dumps(request.path), exc_info=error)
    return problem(
        500,
        "The program made a mistake",
        f"This could not be done. The fault is in the program, not in what you typed alone. It is in the log as {number}.",
    )
