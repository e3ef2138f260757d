"""Profiles as JSON, with a published JSON Schema made from the same declarations.  Source: JSON Schema 2020-12."""

from __future__ import annotations

import json
from dataclasses import MISSING, asdict, fields
from typing import Any

from openstake.core.describe import FieldShown, fields_shown, inner_of, typed
from openstake.core.errors import FileError, InputError
from openstake.core.kit.profile import Profile
from openstake.wire.jsontext import JsonError, read_json

FORMAT = "openstake-profile"
VERSION = 1
MOST_BYTES = 1 << 20


def profile_as_json(profile: Profile) -> dict[str, Any]:
    """Return a profile as the file has it: `format` and `version`, then its fields; lengths in metres."""
    document: dict[str, Any] = json.loads(json.dumps(asdict(profile)))
    return {"format": FORMAT, "version": VERSION} | document


def write_profile(profile: Profile) -> str:
    """Return a profile's file."""
    return json.dumps(profile_as_json(profile), ensure_ascii=False, indent=2, allow_nan=False) + "\n"


def read_profile(content: bytes) -> Profile:
    """Return the profile of a file; FileError where it is none, InputError with the field where a value cannot be."""
    if len(content) > MOST_BYTES:
        raise FileError(f"The file has more than {MOST_BYTES >> 20} MB; a profile is much smaller.")
    try:
        document = read_json(content)
    except JsonError as error:
        raise FileError(f"The file {error}.") from None
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise FileError(f'The file is not a profile: it has no "format": "{FORMAT}".')
    if document.get("version") != VERSION:
        raise FileError(f"The profile is of version {document.get('version')}; this program reads version {VERSION}.")
    values = {name: value for name, value in document.items() if name not in ("format", "version")}
    try:
        profile = typed(Profile, values, None)
    except InputError as error:
        raise InputError(f"{error.field}: {error.sentence}", field=error.field) from None
    if not profile.name.strip():
        raise InputError("name: A profile needs a name.", field="name")
    return profile


def profile_schema() -> dict[str, Any]:
    """Return the JSON Schema of a profile's file."""
    schema = _object(Profile, fields_shown(Profile))
    properties = {"format": {"const": FORMAT}, "version": {"const": VERSION}} | schema["properties"]
    properties["name"] = properties["name"] | {"minLength": 1, "pattern": "\\S"}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Profile",
        "description": "How a base, a rover or a network rover is set. What two ends must agree in stands in `link`.",
        "type": "object",
        "properties": properties,
        "required": ["format", "version", *schema["required"]],
        "additionalProperties": False,
    }


def _object(cls: type, shown: tuple[FieldShown, ...]) -> dict[str, Any]:
    required = [item.name for item in fields(cls) if item.default is MISSING and item.default_factory is MISSING]
    by_name = {item.name: item for item in fields(cls)}
    return {
        "type": "object",
        "properties": {field.name: _property(field, by_name[field.name].metadata, cls) for field in shown},
        "required": required,
        "additionalProperties": False,
    }


def _property(field: FieldShown, meta: Any, cls: type) -> dict[str, Any]:
    words = field.label + (f", {field.unit}" if field.unit else ", metres" if field.kind == "length" else "")
    described: dict[str, Any] = {"description": f"{words}. {field.hint}".rstrip(" .") + "."}
    described |= _kind(field, meta, cls)
    if field.optional:
        described = {"description": described.pop("description"), "anyOf": [described, {"type": "null"}]}
    return described


def _kind(field: FieldShown, meta: Any, cls: type) -> dict[str, Any]:
    if field.kind in ("group", "table"):
        inner = _object(inner_of(cls, field.name), field.fields)
        return inner if field.kind == "group" else {"type": "array", "items": inner}
    if field.kind == "list":
        return {"type": "array", "items": {"type": "string"} | ({"enum": list(field.options)} if field.options else {})}
    if field.kind == "flag":
        return {"type": "boolean"}
    if field.kind in ("number", "length", "count"):
        limits = {"minimum": meta["least"], "maximum": meta["most"]}
        kind = "integer" if field.kind == "count" else "number"
        return {"type": kind} | {name: value for name, value in limits.items() if value is not None}
    return {"type": "string"} | ({"enum": list(field.options)} if field.options else {"maxLength": 2000})
