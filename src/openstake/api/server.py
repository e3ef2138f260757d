"""The Flask application: routes, errors in one place, the built front end, and what keeps strangers out."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import flask
from flask import Flask, Response, request
from werkzeug.routing import Rule

from openstake.api.common import Spec
from openstake.api.doors import JsonIn, JsonOut, SentOnce, keep_strangers_out, problem, take_errors, visitor_of
from openstake.api.routes import routes
from openstake.store.book import written_by
from openstake.workflow.access import Access
from openstake.workflow.context import Context

MOST_BODY_BYTES = 8 << 20
# Not every machine's tables know it.
_TYPES = {".webmanifest": "application/manifest+json", ".js": "text/javascript"}
_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; manifest-src 'self'; worker-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
_DATA_POLICY = "default-src 'none'; sandbox; frame-ancestors 'none'"


class _Route(Rule):
    """A route whose way from values to an address is compiled when one is asked for: two hundred at every start cost more than
    all else that makes the application."""

    def _compile_builder(self, append_unknown: bool = True) -> Callable[..., Any]:
        made: list[Callable[..., Any]] = []

        def build(*given: Any, **named: Any) -> Any:
            if not made:
                made.append(super(_Route, self)._compile_builder(append_unknown))
            return made[0](*given, **named)

        return build


class _Application(Flask):
    """Flask with our doors: JSON in and out, and requests that are done once however often they are sent."""

    json_provider_class = JsonOut
    request_class = JsonIn
    url_rule_class = _Route

    def __init__(self, access: Access) -> None:
        super().__init__("openstake", static_folder=None)
        self._sent = SentOnce()
        self._access = access

    def full_dispatch_request(self) -> Response:
        # Before anything is remembered or answered again: whose request it is, and whether it may come in.
        visitor = flask.g.visitor = visitor_of(self._access)
        refused = keep_strangers_out(self._access, visitor)
        if refused is not None:
            return self.finalize_request(refused)
        with written_by(visitor.who if visitor else ""):
            return self._sent(super().full_dispatch_request)


def create_app(context: Context, web_dir: Path | None) -> Flask:
    """Return the application over a context; `web_dir` holds the built front end."""
    app = _Application(context.access)
    app.config["MAX_CONTENT_LENGTH"] = MOST_BODY_BYTES
    spec = Spec(
        annotations=True,
        validation_error_status=422,
        naming_strategy=lambda model: model.__name__,
        nested_naming_strategy=lambda parent, child: child,
        path="openapi",
        title="Open Stake",
        before=_on_validation,
    )
    app.register_blueprint(routes(spec, context))
    spec.register(app)
    app.extensions["spec"] = spec
    take_errors(app)
    app.after_request(_headers)
    if web_dir is not None:
        _serve_front_end(app, web_dir)
    return app


def openapi_text(app: Flask) -> str:
    """Return the OpenAPI document of the application, as docs/openapi.json has it."""
    with app.app_context():
        return json.dumps(app.extensions["spec"].spec, indent=1, sort_keys=True) + "\n"


def _on_validation(req: Any, response: Any, error: Any, instance: Any, adapter: Any = None) -> None:
    """Say the first thing that pydantic refused as a problem, in place of its list."""
    if error is None:
        return
    first = error.errors()[0]
    field = ".".join(str(part) for part in first["loc"])
    flask.abort(problem(422, "This cannot be used", f"{field or 'The request'}: {first['msg']}.", field or None))


def _headers(response: Response) -> Response:
    is_api = request.path.startswith("/api/")
    # What the API sends is data.  A PDF is our own, and browsers show none in a sandbox.
    policy = _DATA_POLICY if is_api and response.mimetype != "application/pdf" else _POLICY
    response.headers["Content-Security-Policy"] = policy
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    if is_api:
        response.headers.setdefault("Cache-Control", "no-store")
    return response


def _serve_front_end(app: Flask, web_dir: Path) -> None:
    # Only what was built: what a path may lead to elsewhere is never looked at.
    files = {item.relative_to(web_dir).as_posix() for item in web_dir.rglob("*") if item.is_file()}

    @app.get("/", defaults={"path": ""})
    @app.get("/<path:path>")
    def front_end(path: str) -> Response:
        if path.startswith("api/"):
            return problem(404, "Not found", f"There is no /{path}.")
        if path in files:
            response = flask.send_from_directory(web_dir, path, mimetype=_TYPES.get(Path(path).suffix))
            if path.startswith("assets/"):
                response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
            return response
        if not (web_dir / "index.html").is_file():
            return problem(503, "Not built", "The front end is not built. Run make setup.")
        response = flask.send_from_directory(web_dir, "index.html")
        response.headers["Cache-Control"] = "no-cache"
        return response
