"""What all routes share: dataclasses published as they are, the answers they document, files sent in JSON or sent back."""

from __future__ import annotations

import base64
import binascii
import threading
from collections.abc import Callable
from dataclasses import MISSING, dataclass, fields, is_dataclass
from functools import cache, wraps
from inspect import getdoc
from typing import Any, Literal, TypeVar, cast, get_type_hints

from flask import Blueprint, Response, current_app
from pydantic import BaseModel, ConfigDict, RootModel, TypeAdapter, create_model
from pydantic.json_schema import GenerateJsonSchema
from spectree import Response as Answers
from spectree import SpecTree

from openstake.core.errors import InputError
from openstake.core.limits import ShortText


@dataclass(frozen=True, kw_only=True)
class Problem:
    """A problem that a person can mend (RFC 9457)."""

    title: str
    detail: str
    status: int
    field: str | None = None


@dataclass(frozen=True)
class Nothing:
    """Done; there is nothing more to say."""

    done: Literal[True] = True


@dataclass(frozen=True)
class FileSent:
    """A file, base64."""

    content_base64: str
    name: ShortText = ""


class _AllThere(GenerateJsonSchema):
    """What an answer has by default is there all the same."""

    def field_is_required(self, field: Any, total: bool) -> bool:
        return True


class _Answer:
    """A published answer: what its schema names is always there."""

    @classmethod
    def model_json_schema(cls, *args: Any, **kwargs: Any) -> dict[str, Any]:
        there = kwargs | {"mode": "serialization", "schema_generator": _AllThere}
        return super().model_json_schema(*args, **there)  # type: ignore[misc, no-any-return]


T = TypeVar("T")
# What a model needs to read and write is made when it first does: some hundred of them at every start would take seconds.
_DEFERRED = ConfigDict(defer_build=True)


class _Root(RootModel[T]):
    model_config = _DEFERRED


class Spec(SpecTree):
    """Makes what a route needs when it is first asked, and the OpenAPI document when somebody wants it: two hundred routes at
    every start would take long."""

    def __init__(self, **options: Any) -> None:
        super().__init__("flask", **options)
        self._shown: dict[str, tuple[type[BaseModel], Any]] = {}
        self._views: dict[str, Callable[[], Handler]] = {}
        self._making = threading.Lock()

    def later(self, endpoint: str, make: Callable[[], Handler]) -> Handler:
        """Return a view of that endpoint that is made when it is first asked."""

        def one_at_a_time() -> Handler:
            # Two threads would publish one shape as two models.
            with self._making:
                return make()

        self._views[endpoint] = made = cache(one_at_a_time)
        return lambda **given: made()(**given)

    def _add_model(self, model: Any, mode: Any = "validation") -> str:
        name: str = self.naming_strategy(model)
        self._shown[name] = (model, mode)
        return name

    def _generate_spec(self) -> Any:
        current_app.view_functions.update({endpoint: made() for endpoint, made in self._views.items()})
        for model, mode in self._shown.values():
            super()._add_model(model, mode)
        return super()._generate_spec()


Handler = Callable[..., Any]
_PUBLISHED: dict[str, type] = {}


@cache
def published(shape: type, answer: bool = False) -> type[BaseModel]:
    """Return the model that publishes a dataclass under its own name; two shapes of one name are a broken program."""
    if _PUBLISHED.setdefault(shape.__name__, shape) is not shape:
        raise TypeError(f"{shape.__name__} is published twice: by {shape} and {_PUBLISHED[shape.__name__]}")
    if issubclass(shape, BaseModel):
        return shape
    bases = (_Answer, _Root[shape]) if answer else (_Root[shape],)  # type: ignore[valid-type]
    return type(shape.__name__, bases, {"__doc__": shape.__doc__, "__module__": shape.__module__})


@cache
def _asked(shape: Any) -> type[BaseModel]:
    """Return the model of a query: each field of the dataclass is a parameter of its own."""
    if issubclass(shape, BaseModel):
        return cast(type[BaseModel], shape)
    hints = get_type_hints(shape, include_extras=True)
    parts: dict[str, Any] = {item.name: (hints[item.name], ... if item.default is MISSING else item.default) for item in fields(shape)}
    model: type[BaseModel] = create_model(shape.__name__, __config__=_DEFERRED, __doc__=shape.__doc__, **parts)
    return model


@cache
def _writer(shape: Any) -> TypeAdapter[Any]:
    return TypeAdapter(shape)


def written(shape: Any, value: object) -> bytes:
    """Return a value as JSON, as its shape is published."""
    return _writer(shape).dump_json(value)


def answers(shape: type) -> Answers:
    """Return the documented answers of a route: its shape, or a problem."""
    problem = published(Problem, True)
    return Answers(HTTP_200=published(shape, True), HTTP_404=problem, HTTP_409=problem, HTTP_422=problem, HTTP_502=problem)


class Api:
    """The routes of a blueprint: a handler's annotations are its contract.

    `json` and `query` are dataclasses (or a model, where what is left out differs from None); what it returns is published.
    A handler that returns a Response is a file or a stream; `said` names what a stream sends, or is Response for a large file.
    """

    def __init__(self, blueprint: Blueprint, spec: Spec) -> None:
        self._blueprint, self._spec = blueprint, spec

    def get(self, path: str, tag: str, said: type | None = None) -> Callable[[Handler], Handler]:
        return self._route("GET", path, tag, said)

    def post(self, path: str, tag: str) -> Callable[[Handler], Handler]:
        return self._route("POST", path, tag, None)

    def delete(self, path: str, tag: str) -> Callable[[Handler], Handler]:
        return self._route("DELETE", path, tag, None)

    def _route(self, method: str, path: str, tag: str, said: type | None) -> Callable[[Handler], Handler]:
        def decorate(handler: Handler) -> Handler:
            name = handler.__name__
            view = self._spec.later(f"{self._blueprint.name}.{name}", lambda: self._view(handler, tag, said))
            self._blueprint.add_url_rule(path, view_func=view, methods=[method], endpoint=name)
            return handler

        return decorate

    def _view(self, handler: Handler, tag: str, said: type | None) -> Handler:
        hints = get_type_hints(handler)
        ways: dict[str, Callable[[type], type[BaseModel]]] = {"json": published, "query": _asked}
        inputs: dict[str, Any] = {name: model(hints[name]) for name, model in ways.items() if name in hints}
        shape = said or hints["return"]
        shown: type | None = shape if isinstance(shape, type) and is_dataclass(shape) else None

        def adapter(**given: Any) -> Any:
            for name in inputs:
                given[name] = _as_declared(hints[name], given[name])
            value = handler(**given)
            return published(shown, True).model_construct(root=value) if shown and not said else value

        adapter.__name__, adapter.__doc__ = handler.__name__, getdoc(handler)
        adapter.__annotations__ = inputs
        documented: Handler = self._spec.validate(resp=answers(shown) if shown else None, tags=[tag])(adapter)
        # A stream never ends, and a file may be large: documented, and served past the validation that would read it whole.
        return _undocumented(handler, documented) if said else documented


def _undocumented(handler: Handler, documented: Handler) -> Handler:
    """Return a view that runs the handler itself and is described by another."""

    @wraps(documented)
    def view(**given: Any) -> Any:
        return handler(**given)

    return view


def _as_declared(shape: type, model: BaseModel) -> Any:
    """Return what arrived as what the handler declares."""
    if isinstance(model, shape):
        return model
    if not isinstance(model, BaseModel):
        # A head that promises another body than JSON keeps the models from it.
        raise InputError("The request's body is not what is asked for here: send it as JSON.")
    return model.root if isinstance(model, RootModel) else shape(**vars(model))


def content_of(content_base64: str) -> bytes:
    """Return a file that came as base64."""
    try:
        return base64.b64decode(content_base64, validate=True)
    except (binascii.Error, ValueError):
        raise InputError("The file did not arrive whole. Choose it again.", field="content_base64") from None


def as_file(content: bytes | str, media_type: str, name: str) -> Response:
    """Return a file to be saved."""
    return Response(content, mimetype=media_type, headers={"Content-Disposition": f'attachment; filename="{name}"'})
