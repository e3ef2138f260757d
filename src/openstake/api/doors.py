"""The doors of the API: who may come in, JSON in and out, a request that is sent twice, and what to say when something breaks."""

from __future__ import annotations

import hashlib
import json
import logging
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
from werkzeug.exceptions import HTTPException

from openstake.core.errors import ConflictError, DeviceError, NotFoundError, OpenStakeError, StorageError
from openstake.store.database import of_request, storage_error_of
from openstake.wire.jsontext import JsonError, read_json

_LOCAL_HOSTS = {"127.0.0.1", "localhost", "::1"}
_STATUS: tuple[tuple[type[OpenStakeError], int], ...] = (
    (NotFoundError, 404), (ConflictError, 409), (DeviceError, 502), (StorageError, 507),
)  # fmt: skip
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


def keep_strangers_out() -> Response | None:
    """Refuse other hosts' names (DNS rebinding), other sites' requests (CSRF) and bodies that are not JSON."""
    if _host_of(f"//{request.host}") not in _LOCAL_HOSTS:
        return problem(403, "Not from here", "This program answers on this machine only, and not under that name.")
    if request.method in ("GET", "HEAD", "OPTIONS"):
        return None
    origin = request.headers.get("Origin")
    other = origin is not None and origin.partition("://")[2] != request.host
    if other or request.headers.get("Sec-Fetch-Site", "same-origin") not in ("same-origin", "none"):
        return problem(403, "Not from here", "The request comes from another site.")
    if not request.content_length or request.mimetype == "application/octet-stream":
        return None  # a file; no page of another site can send this type without being asked first
    if not request.is_json:
        return problem(415, "This cannot be used", "The request's body is not JSON.")
    try:
        request.get_json()
    except JsonError as error:
        return problem(400, "This cannot be used", f"The request's body {error}.")
    return None


def _host_of(address: str) -> str | None:
    try:
        return urlsplit(address).hostname
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
            return problem(
                422,
                "This cannot be used",
                "An Idempotency-Key has 8 to 80 letters, digits or signs.",
                "Idempotency-Key",
            )
        # A file is not read here: its route takes it as it streams in.
        is_file = request.mimetype == "application/octet-stream"
        body = str(request.content_length).encode() if is_file else request.get_data()
        asked = hashlib.sha256(request.method.encode() + request.full_path.encode() + body).hexdigest()
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
            return problem(
                422, "This cannot be used", "This Idempotency-Key came with another request before.", "Idempotency-Key"
            )
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
    app.register_error_handler(Exception, _of_ourselves)


def _of_ours(error: OpenStakeError) -> Response:
    status = next((status for kind, status in _STATUS if isinstance(error, kind)), 422)
    return problem(status, error.title, error.sentence, error.field)


def _of_http(error: HTTPException) -> Response:
    return problem(error.code or 500, error.name, error.description or error.name)


def _of_system(error: OSError) -> Response:
    full = storage_error_of(error)
    return _of_ours(full) if full is not None else _of_ourselves(error)


def _of_ourselves(error: Exception) -> Response:
    number = uuid.uuid4().hex[:8]
    _LOG.error("problem %s: %s %s", number, request.method, json.dumps(request.path), exc_info=error)
    return problem(
        500, "The program made a mistake",
        f"What was asked could not be done, and it is not your input alone. It stands in the log as {number}.",
    )  # fmt: skip
