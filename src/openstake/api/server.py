"""The Flask application: routes, errors in one place, the built front end, and what keeps strangers out."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import flask
from flask import Flask, Response, request
from spectree import SpecTree
from spectree.model_adapter import get_pydantic_model_adapter
from werkzeug.exceptions import HTTPException

from openstake.api.routes import routes
from openstake.core.errors import ConflictError, DeviceError, NotFoundError, OpenStakeError
from openstake.workflow.context import Context

MOST_BODY_BYTES = 8 << 20
_LOCAL_HOSTS = {"127.0.0.1", "localhost", "::1"}
_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)


@cache
def _schemas_made_once() -> Any:
    """Return spectree's adapter with a memory: many routes answer with the same model, and its schema is copied anyway."""
    adapter = get_pydantic_model_adapter()
    adapter.json_schema = cache(adapter.json_schema)  # type: ignore[method-assign, assignment]
    return adapter


def create_app(context: Context, web_dir: Path | None) -> Flask:
    """Return the application over a context; `web_dir` holds the built front end."""
    app = Flask("openstake", static_folder=None)
    app.config["MAX_CONTENT_LENGTH"] = MOST_BODY_BYTES
    spec = SpecTree(
        "flask",
        annotations=True,
        validation_error_status=422,
        naming_strategy=lambda model: model.__name__,
        nested_naming_strategy=lambda parent, child: child,
        path="openapi",
        title="Open Stake",
        before=_on_validation,
        model_adapter=_schemas_made_once(),
    )
    app.before_request(_keep_strangers_out)
    app.register_blueprint(routes(spec, context))
    spec.register(app)
    app.extensions["spec"] = spec
    app.register_error_handler(OpenStakeError, _problem_of_ours)
    app.register_error_handler(HTTPException, _problem_of_http)
    app.after_request(_headers)
    if web_dir is not None:
        _serve_front_end(app, web_dir)
    return app


def openapi_text(app: Flask) -> str:
    """Return the OpenAPI document of the application, as docs/openapi.json has it."""
    with app.app_context():
        return json.dumps(app.extensions["spec"].spec, indent=1, sort_keys=True) + "\n"


def problem(status: int, title: str, detail: str, field: str | None = None) -> Response:
    """Return a problem document (RFC 9457)."""
    response = flask.jsonify({"title": title, "detail": detail, "status": status, "field": field})
    response.status_code, response.mimetype = status, "application/problem+json"
    return response


def _status_of(error: OpenStakeError) -> int:
    if isinstance(error, NotFoundError):
        return 404
    if isinstance(error, ConflictError):
        return 409
    return 502 if isinstance(error, DeviceError) else 422


def _problem_of_ours(error: OpenStakeError) -> Response:
    return problem(_status_of(error), error.title, error.sentence, error.field)


def _problem_of_http(error: HTTPException) -> Response:
    return problem(error.code or 500, error.name, error.description or error.name)


def _on_validation(req: Any, response: Any, error: Any, instance: Any, adapter: Any = None) -> None:
    """Say the first thing that pydantic refused as a problem, in place of its list."""
    if error is None:
        return
    first = error.errors()[0]
    field = ".".join(str(part) for part in first["loc"])
    flask.abort(problem(422, "This cannot be used", f"{field or 'The request'}: {first['msg']}.", field or None))


def _keep_strangers_out() -> Response | None:
    """Refuse other hosts' names (DNS rebinding), other sites' requests (CSRF) and bodies that are not JSON."""
    host = urlsplit(f"//{request.host}").hostname
    if host not in _LOCAL_HOSTS:
        return problem(403, "Not from here", f"This program answers on this machine only, not as {host}.")
    if request.method not in ("GET", "HEAD", "OPTIONS"):
        origin = request.headers.get("Origin")
        if origin is not None and urlsplit(origin).netloc != request.host:
            return problem(403, "Not from here", "The request comes from another site.")
        if request.headers.get("Sec-Fetch-Site", "same-origin") not in ("same-origin", "none"):
            return problem(403, "Not from here", "The request comes from another site.")
        if request.content_length and request.mimetype == "application/octet-stream":
            return None  # a file; no page of another site can send this type without being asked first
        if request.content_length and not request.is_json:
            return problem(415, "This cannot be used", "The request's body is not JSON.")
        if request.content_length and request.get_json(silent=True) is None:
            return problem(400, "This cannot be used", "The request's body is not valid JSON.")
    return None


def _headers(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = _POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    if request.path.startswith("/api/"):
        response.headers.setdefault("Cache-Control", "no-store")
    return response


def _serve_front_end(app: Flask, web_dir: Path) -> None:
    @app.get("/", defaults={"path": ""})
    @app.get("/<path:path>")
    def front_end(path: str) -> Response:
        if path.startswith("api/"):
            return problem(404, "Not found", f"There is no /{path}.")
        if path and (web_dir / path).is_file():
            response = flask.send_from_directory(web_dir, path)
            if path.startswith("assets/"):
                response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
            return response
        if not (web_dir / "index.html").is_file():
            return problem(503, "Not built", "The front end is not built. Run make setup.")
        response = flask.send_from_directory(web_dir, "index.html")
        response.headers["Cache-Control"] = "no-cache"
        return response
