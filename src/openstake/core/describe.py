"""Fields that describe themselves: one declaration gives the form, the reading of what is typed, and the file format."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Mapping, Sequence
from dataclasses import MISSING, Field, dataclass, field, fields, is_dataclass
from functools import cache
from typing import Any, TypeVar, get_args, get_origin, get_type_hints

from openstake.core.errors import InputError
from openstake.core.units import degrees_from_text, exact_number, metres_from_text

T = TypeVar("T")

# How a value is typed and kept: `text`; `number` and `count` in the unit said; `length` (typed with any unit, kept in metres);
# `latitude` and `longitude` (degrees); `flag`; `choice` of the options; `list` of texts, comma between; `group` of fields;
# `table` of rows.
KINDS = ("text", "number", "count", "length", "latitude", "longitude", "flag", "choice", "list", "group", "table")


def described(
    label: str,
    kind: str,
    *,
    unit: str = "",
    options: Sequence[str] = (),
    hint: str = "",
    least: float | None = None,
    most: float | None = None,
    default: Any = MISSING,
    factory: Callable[[], Any] | None = None,
    optional: bool = False,
    words: Mapping[str, str] | None = None,
    used_with: tuple[str, Sequence[str]] | None = None,
) -> Any:
    """Return a dataclass field with what a form and a reader need to know of it; `optional` allows it to be left empty.

    `words` says options as people do.  `used_with` names a choice beside it and the options with which it is used: with
    others a form neither shows nor takes it.
    """
    metadata = {
        "label": label,
        "kind": kind,
        "unit": unit,
        "options": tuple(options),
        "hint": hint,
        "least": least,
        "most": most,
        "optional": optional,
        "words": dict(words or {}),
        "used_with": used_with,
    }
    if factory is not None:
        return field(default_factory=factory, metadata=metadata)
    if optional and default is MISSING:
        default = None
    return field(metadata=metadata) if default is MISSING else field(default=default, metadata=metadata)


@dataclass(frozen=True)
class UsedWith:
    """A field is used where the choice of that name, beside it, is one of these."""

    choice: str
    options: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class FieldShown:
    """One field as a form shows it; `fields` are those of a group or of a table's row.

    `option_words` says each option as people do; `used_with` None: it is always used.
    """

    name: str
    label: str
    kind: str
    unit: str
    options: tuple[str, ...]
    option_words: tuple[str, ...]
    hint: str
    optional: bool
    used_with: UsedWith | None
    fields: tuple[FieldShown, ...] = ()


def fields_shown(cls: type) -> tuple[FieldShown, ...]:
    """Return the fields of a described dataclass for a form, in order."""
    shown = []
    for item in fields(cls):
        inner = _inner(cls, item)
        meta = item.metadata
        shown.append(
            FieldShown(
                name=item.name,
                label=meta["label"],
                kind=meta["kind"],
                unit=meta["unit"],
                options=meta["options"],
                option_words=tuple(word_of(meta, option) for option in meta["options"]),
                hint=meta["hint"],
                optional=meta["optional"],
                used_with=UsedWith(meta["used_with"][0], tuple(meta["used_with"][1])) if meta["used_with"] else None,
                fields=fields_shown(inner) if inner else (),
            )
        )
    return tuple(shown)


def word_of(meta: Mapping[str, Any], option: str) -> str:
    """Return an option as people say it."""
    word: str = meta["words"].get(option, option)
    return word


def _is_used(cls: type, item: Field[Any], values: Mapping[str, Any]) -> bool:
    """Say whether a field is used with the choices beside it."""
    if item.metadata["used_with"] is None:
        return True
    name, options = item.metadata["used_with"]
    choice = next(other for other in fields(cls) if other.name == name)
    return (values.get(name) or choice.default) in options


_hints = cache(get_type_hints)


def _inner(cls: type, item: Field[Any]) -> type | None:
    """Return the dataclass inside a group or table field."""
    if item.metadata["kind"] not in ("group", "table"):
        return None
    kind = _hints(cls)[item.name]
    candidates = [kind, *get_args(kind), *(inner for part in get_args(kind) for inner in get_args(part))]
    return next(candidate for candidate in candidates if is_dataclass(candidate) and get_origin(candidate) is None)  # type: ignore[return-value]


def inner_of(cls: type, name: str) -> type:
    """Return the dataclass inside a group or table field of a described dataclass."""
    inner = _inner(cls, next(item for item in fields(cls) if item.name == name))
    if inner is None:
        raise KeyError(name)
    return inner


def typed(cls: type[T], values: Mapping[str, Any], unit: str | None, path: str = "") -> T:
    """Return a described dataclass from what was typed; an InputError names the field (`link.fec`, `features.0.name`).

    Numbers may come as text; lengths are read by the one reader of lengths, a bare number in `unit`; what a choice does not
    use is left empty.  `unit` None is for files: numbers are numbers (lengths in metres) and lists are lists.
    """
    known = {item.name for item in fields(cls)}  # type: ignore[arg-type]
    if extra := [str(name) for name in values if name not in known]:
        raise InputError(f"'{path}{extra[0]}' is not a field here.", field=f"{path}{extra[0]}")
    found = {}
    for item in fields(cls):  # type: ignore[arg-type]
        value = values.get(item.name)
        at = f"{path}{item.name}"
        if unit is not None and not _is_used(cls, item, values):
            value = None
        if value is None or (unit is not None and isinstance(value, str) and not value.strip()):
            found[item.name] = _left_empty(item, at)
            continue
        found[item.name] = _value(cls, item, value, unit, at)
    return cls(**found)


def _left_empty(item: Field[Any], at: str) -> Any:
    if item.metadata["optional"]:
        return None
    if item.default is not MISSING:
        return item.default
    if item.default_factory is not MISSING:
        return item.default_factory()
    raise InputError(f"{item.metadata['label']} is missing.", field=at)


def _value(cls: type, item: Field[Any], value: Any, unit: str | None, at: str) -> Any:
    kind = item.metadata["kind"]
    if kind in ("group", "table"):
        return _fields_value(cls, item, value, unit, at)
    if kind == "list":
        return _list_value(item, value, unit, at)
    if kind == "flag":
        return _flag_value(item, value, at)
    if kind in ("latitude", "longitude") and isinstance(value, str) and unit is not None:
        return _angle_value(value, kind, at)
    if kind in ("number", "count", "length", "latitude", "longitude"):
        return _number(value, item, unit, at)
    return _text_value(item, value, at)


def _fields_value(cls: type, item: Field[Any], value: Any, unit: str | None, at: str) -> Any:
    kind, label = item.metadata["kind"], item.metadata["label"]
    inner = _inner(cls, item)
    rows = value if kind == "table" else [value]
    if inner is None or not isinstance(rows, (list, tuple)) or not all(isinstance(row, Mapping) for row in rows):
        raise InputError(f"{label} is not a {kind} of fields.", field=at)
    if kind == "group":
        return typed(inner, value, unit, f"{at}.")
    return tuple(typed(inner, row, unit, f"{at}.{n}.") for n, row in enumerate(rows))


def _list_value(item: Field[Any], value: Any, unit: str | None, at: str) -> tuple[str, ...]:
    parts = value.replace(";", ",").split(",") if isinstance(value, str) and unit is not None else value
    if not isinstance(parts, (list, tuple)) or not all(isinstance(part, str) for part in parts):
        raise InputError(f"{item.metadata['label']} is not a list of words.", field=at)
    return tuple(_choice(part.strip(), item, at) for part in parts if part.strip())


def _flag_value(item: Field[Any], value: Any, at: str) -> bool:
    if not isinstance(value, bool):
        raise InputError(f"{item.metadata['label']} is yes or no.", field=at)
    return value


def _angle_value(text: str, axis: str, at: str) -> float:
    try:
        return degrees_from_text(text, axis)
    except InputError as error:
        error.field = at
        raise


# What no line of text holds: what ends a line, steers a terminal, or makes a name read otherwise than it is written (Unicode 9.0, UAX 9).
NOT_ON_A_LINE = re.compile("[\x00-\x1f\x7f-\x9f\u2028\u2029\u200b\u2060\ufeff\u202a-\u202e\u2066-\u2069]")


def one_line(text: str, label: str, field: str) -> str:
    """Return a text of one line without the blanks around it, composed (NFC): what looks alike is alike.

    InputError where it holds what no line holds.
    """
    found = unicodedata.normalize("NFC", text.strip())
    if NOT_ON_A_LINE.search(found):
        raise InputError(f"{label} holds a line break or a character that is not seen. Type it on one line.", field=field)
    return found


def _text_value(item: Field[Any], value: Any, at: str) -> str:
    label = item.metadata["label"]
    if not isinstance(value, str):
        raise InputError(f"{label} is not a text.", field=at)
    text = value.strip()
    if len(text) > 2000:
        raise InputError(f"{label} is longer than 2000 characters.", field=at)
    if item.metadata["kind"] == "text":
        text = one_line(text, label, at)
    return _choice(text, item, at) if item.metadata["kind"] == "choice" else text


def _choice(text: str, item: Field[Any], at: str) -> str:
    options = item.metadata["options"]
    if options and text not in options:
        raise InputError(f"'{text[:40]}' is not one of: {', '.join(options)} ({item.metadata['label']}).", field=at)
    return text


def _typed_number(text: str, item: Field[Any], unit: str, at: str) -> float:
    """Return a number that was typed: a length with any unit, any other with its own or none."""
    meta = item.metadata
    try:
        if meta["kind"] == "length":
            return metres_from_text(text, unit)
        own = meta["unit"]
        bare = text.strip()
        bare = bare[: -len(own)].strip() if own and bare.lower().endswith(own.lower()) else bare
        if len(bare) > 60:
            raise InputError(f"{meta['label']} is longer than any number.")
        if not re.fullmatch(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d{1,2})?", bare):
            raise InputError(f"{meta['label']} is a number{f' in {own}' if own else ''}; '{text.strip()[:30]}' is not.")
        return float(exact_number(bare))
    except InputError as error:
        error.field = at
        raise


def _the(label: str) -> str:
    """Return a label as a sentence begins with it: an abbreviation keeps its letters."""
    return f"The {label if label[:2].isupper() else label[:1].lower() + label[1:]}"


def _number(value: Any, item: Field[Any], unit: str | None, at: str) -> float | int:
    kind, meta = item.metadata["kind"], item.metadata
    if isinstance(value, bool):
        raise InputError(f"{meta['label']} is not a number.", field=at)
    if isinstance(value, str) and unit is not None:
        number = _typed_number(value, item, unit, at)
    elif isinstance(value, (int, float)):
        number = float(value)
    else:
        raise InputError(f"{meta['label']} is not a number.", field=at)
    if number != number or abs(number) == float("inf"):
        raise InputError(f"{meta['label']} is not a finite number.", field=at)
    least, most = meta["least"], meta["most"]
    unit_sign = "m" if kind == "length" else meta["unit"]
    sign = f"{'' if unit_sign == '°' else ' '}{unit_sign}" if unit_sign else ""
    if least is not None and number < least:
        raise InputError(f"{_the(meta['label'])} must be {least:g}{sign} or more; you typed {number:g}{sign}.", field=at)
    if most is not None and number > most:
        raise InputError(f"{_the(meta['label'])} must be {most:g}{sign} or less; you typed {number:g}{sign}.", field=at)
    if kind == "count":
        if number != int(number):
            raise InputError(f"{meta['label']} is a whole number; {number:g} is not.", field=at)
        return int(number)
    return number
