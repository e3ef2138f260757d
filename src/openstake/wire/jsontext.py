"""JSON as it comes from outside: one door, with limits on depth, digits and characters.  Source: RFC 8259."""

from __future__ import annotations

import codecs
import json
import math
import re
from typing import Any

import orjson

MOST_DEPTH = 60
MOST_DIGITS = 18  # of a whole number: what 64 bits hold
LONGEST_NUMBER = 400
# What no text holds: control characters but tab and line ends, what turns the order of letters around (UAX 9: a name that reads
# otherwise than it is written), halves of characters, and what Unicode says is none.
FORBIDDEN = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069\ud800-\udfff\ufdd0-\ufdef\ufffe\uffff]")
_STRING = re.compile(r'"(?:[^"\\]|\\.)*"', re.DOTALL)
_BRACKET = re.compile(r"[\[\]{}]")
# An escape that may stand for a character that no text holds.
_ESCAPE = re.compile(r"\\[ubf]")


class JsonError(ValueError):
    """Why a text is no JSON that is taken here: a sentence without its subject."""


def _whole(text: str) -> int:
    if len(text.lstrip("-")) > MOST_DIGITS:
        raise JsonError(f"holds a whole number of {len(text.lstrip('-'))} digits; at most {MOST_DIGITS} are taken")
    return int(text)


def _decimal(text: str) -> float:
    value = float(text) if len(text) <= LONGEST_NUMBER else math.inf
    if not math.isfinite(value):
        raise JsonError(f"holds the number {text[:30]}, which is out of range")
    return value


def _constant(text: str) -> float:
    raise JsonError(f"holds {text}, which is not a number of JSON")


def _object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) != len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise JsonError(f"names {twice[:40]} twice")
    return found


def read_json(content: bytes | str) -> Any:
    """Return the value of a JSON text; JsonError with what is wrong with it."""
    try:
        text = content.removeprefix(codecs.BOM_UTF8).decode() if isinstance(content, bytes) else content
    except UnicodeDecodeError:
        raise JsonError("is not valid JSON: its bytes are no UTF-8 text") from None
    try:
        value = orjson.loads(text)
        if _is_plain(text, value):
            return value
    except orjson.JSONDecodeError:
        pass  # what is wrong with it, the long way says
    _check_depth(text)
    try:
        value = json.loads(text, parse_int=_whole, parse_float=_decimal, parse_constant=_constant, object_pairs_hook=_object)
    except JsonError:
        raise
    except (ValueError, RecursionError) as error:
        raise JsonError(f"is not valid JSON: {str(error)[:120]}") from None
    _check_texts(value)
    return value


def _is_plain(text: str, value: Any) -> bool:
    """Whether a text is written as its value would be, character by character: then nothing in it was passed over, no name given twice."""
    if text.count("[") + text.count("{") > MOST_DEPTH or ("\\" in text and _ESCAPE.search(text)):
        return False
    # Of ASCII JSON has no other control character in a string.
    if "\x7f" in text if text.isascii() else FORBIDDEN.search(text):
        return False
    try:
        return orjson.dumps(value, option=orjson.OPT_STRICT_INTEGER) == text.encode()
    except orjson.JSONEncodeError:
        return False  # a whole number of more than 53 bits


def _check_depth(text: str) -> None:
    depth = 0
    for bracket in _BRACKET.finditer(_STRING.sub('""', text)):
        depth += 1 if bracket[0] in "[{" else -1
        if depth > MOST_DEPTH:
            raise JsonError(f"is nested more than {MOST_DEPTH} deep")


def _check_texts(value: Any) -> None:
    waiting = [value]
    while waiting:
        item = waiting.pop()
        if isinstance(item, str):
            if found := FORBIDDEN.search(item):
                raise JsonError(f"holds the character U+{ord(found[0]):04X}, which no text may hold")
        elif isinstance(item, dict):
            waiting += [*item, *item.values()]
        elif isinstance(item, list):
            waiting += item
