"""Labelled values of a mail: latitude, longitude, height, X, Y, Z, frame, epoch, sigmas, each with the line it stands in.

A value is taken only where everything between its label and the next one is understood: number, sign, unit, hemisphere.  What is
left over makes it one that is shown and not taken.  Common practice, no source.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from math import pi

from openstake.core.errors import InputError
from openstake.core.units import degrees_from_text, metres_from_text

_HEMISPHERES = {"n": "N", "north": "N", "s": "S", "south": "S", "e": "E", "east": "E", "w": "W", "west": "W"}
_HEMISPHERE = r"(?:north|south|east|west|[nsew])"
# The labels.  A hemisphere before one belongs to it where it is of its axis, else to the value before.
_LABELS: tuple[tuple[str, str], ...] = (
    ("latitude", r"(?:(?P<ns>north|south|[ns])\s+)?lat(?:itude)?"),
    ("longitude", r"(?:(?P<ew>east|west|[ew])\s+)?lon(?:g(?:itude)?)?"),
    ("height", r"(?:ellips(?:oid(?:al)?|\.)?\s*(?:height|hgt|ht)|h(?:eight)?\s*\(?ellips\w*\)?|ell?\s*hgt)"),
    ("sigma_horizontal", r"(?:sigma|std(?:\.|dev)?)\s*(?:horizontal|hz|h)"),
    ("sigma_vertical", r"(?:sigma|std(?:\.|dev)?)\s*(?:vertical|up|v)"),
    ("epoch", r"epoch"),
    ("x", r"x"),
    ("y", r"y"),
    ("z", r"z"),
)
_LABEL = re.compile(r"(?<![\w.])(?:" + "|".join(f"(?P<{name}>{label})" for name, label in _LABELS) + r")(?![\w.])", re.IGNORECASE)
# A label's own remark: its unit or form in brackets, and the mark that leads to the value.
_REMARK = re.compile(r"^\s*(?:[(\[]\s*(?P<unit>[a-z.° ]{1,12})\s*[)\]])?\s*[:=]?\s*", re.IGNORECASE)
_FORMS = {"dms", "d", "deg", "°", "dd", "dm", "decimal", "degrees", "ellipsoidal", "ellips.", "ell."}
_ENDS_WITH = re.compile(r"\s*[.,;|]+\s*$")
_COLUMNS = re.compile(r"\s{2,}|\t|\s*\|\s*")
_ANGLES = ("latitude", "longitude")
_CENTRED = ("x", "y", "z")


@dataclass(frozen=True, kw_only=True)
class Found:
    """A value as it was understood: its field, its text as it would be typed, its line and that line's number.

    `column`: the heading it stands under where a line has several; `problem` says what was not understood: it is not taken.
    """

    field: str
    text: str
    line: str
    number: int
    column: str = ""
    problem: str = ""


def labelled(lines: Sequence[str]) -> Iterator[Found]:
    """Yield what stands behind labels, understood or not, in the order of the text."""
    for number, line in enumerate(lines, 1):
        shown = line.strip()[:200]
        marks = [match for match in _LABEL.finditer(line[:500]) if _leads(line, match)]
        for n, match in enumerate(marks):
            field = next(name for name, _ in _LABELS if match[name])
            upto = marks[n + 1].start() if n + 1 < len(marks) else min(len(line), 500)
            yield from _values(field, match["ns"] or match["ew"] or "", line[match.end() : upto], lines, number, shown)


def _leads(line: str, match: re.Match[str]) -> bool:
    """Whether a label leads to a value: a digit follows soon; a word in a sentence does not."""
    return bool(
        re.match(
            r"\s*(?:[(\[][^)\]]{1,12}[)\]])?[\s:=.]*(?:north|south|east|west|[nsew])?[\s:=]*[-+−–]?\s*[.,]?\d",
            line[match.end() :],
            re.IGNORECASE,
        )
    )


def _values(field: str, before: str, rest: str, lines: Sequence[str], number: int, shown: str) -> Iterator[Found]:
    remark = _REMARK.match(rest)
    unit = (remark["unit"] or "").strip().lower() if remark else ""
    text = _ENDS_WITH.sub("", rest[remark.end() if remark else 0 :]).strip()
    read = _reader(field, before, "" if unit in _FORMS else unit)
    try:
        yield Found(field=field, text=read(text), line=shown, number=number)
        return
    except InputError as error:
        problem = error.sentence
    columns = [part for part in _COLUMNS.split(text) if part]
    if len(columns) > 1:
        try:
            read_columns = [read(part) for part in columns]
        except InputError:
            read_columns = []
        headings = _headings(lines, number, len(columns))
        for value, heading in zip(read_columns, headings, strict=False):
            yield Found(field=field, text=value, line=shown, number=number, column=heading)
        if read_columns:
            return
    yield Found(field=field, text=text[:80], line=shown, number=number, problem=problem)


def _headings(lines: Sequence[str], number: int, count: int) -> list[str]:
    """Return what stands over the columns of a line: the nearest line above with as many parts and no value in it."""
    for line in reversed(lines[max(0, number - 12) : number - 1]):
        parts = [part for part in _COLUMNS.split(line.strip()) if part]
        if any(_LABEL.search(part) and re.search(r"\d{3}", part) is None for part in parts[:1]):
            parts = parts[1:]
        if len(parts) == count and not _LABEL.match(line.strip()):
            return parts
    return [f"column {n + 1}" for n in range(count)]


def _reader(field: str, before: str, unit: str) -> Callable[[str], str]:
    if field in _ANGLES:
        return lambda text: _angle(text, field, before, unit)
    if field == "epoch":
        return _epoch
    if field in _CENTRED:
        return lambda text: _centred(text, unit)
    return lambda text: _length(text, unit)


# --- angles ---

_SIGNS = str.maketrans({"−": "-", "–": "-", "—": "-", "\u2010": "-", "\u2011": "-", "\u00a0": " ", "′": "'", "’": "'", "″": '"', "”": '"'})
_NUMBER = r"\d{1,3}(?:[.,]\d+)?"
_WHOLE = rf"(?P<sign>[-+])?\s*(?P<d>{_NUMBER})"
# Degrees, minutes, seconds; between them a mark, a space or a dash, the same all through.
_DMS = re.compile(
    rf"{_WHOLE}(?:\s*(?:°|d|deg|:|-|\s)\s*(?P<m>\d{{1,2}}(?:[.,]\d+)?)\s*['m]?(?:\s*(?:'|m|:|-|\s)\s*(?P<s>\d{{1,2}}(?:[.,]\d+)?)\s*(?:\"|''|s)?)?)?"
    r"\s*(?P<unit>°|deg(?:rees)?|gon|grad|g|rad(?:ians)?)?",
    re.IGNORECASE,
)
_GON, _RAD = ("gon", "grad", "g"), ("rad", "radian", "radians")


def _angle(text: str, axis: str, before: str, unit: str) -> str:
    """Return an angle as it would be typed, in degrees where it is in gon or radians; InputError where any of it is left over."""
    cleaned = " ".join(text.translate(_SIGNS).split())
    sides = [before] if before else []
    if match := re.match(rf"({_HEMISPHERE})(?![a-z])\s*", cleaned, re.IGNORECASE):
        sides.append(match[1])
        cleaned = cleaned[match.end() :]
    if match := re.search(rf"\s*(?<![a-z])({_HEMISPHERE})$", cleaned, re.IGNORECASE):
        sides.append(match[1])
        cleaned = cleaned[: match.start()]
    letters = {_HEMISPHERES[side.lower()] for side in sides}
    found = _DMS.fullmatch(cleaned.strip())
    said = ((found["unit"] if found else None) or unit).lower()
    if found is None or len(letters) > 1 or (letters and found["sign"]):
        raise InputError(f"'{text.strip()[:60]}' cannot be read whole as a {axis}.")
    letter = next(iter(letters), "")
    degrees, minutes, seconds = (found[part] and found[part].replace(",", ".") for part in ("d", "m", "s"))
    if (minutes and "." in degrees) or (seconds and minutes and "." in minutes) or (minutes and said in (*_GON, *_RAD)):
        raise InputError(f"'{text.strip()[:60]}' cannot be read whole as a {axis}.")
    if said in (*_GON, *_RAD):
        value = float(degrees) * (0.9 if said in _GON else 180.0 / pi)
        typed = f"{found['sign'] or ''}{value:.11f}"
    elif said and said not in ("°", "deg", "degrees"):
        raise InputError(f"'{said}' is not a unit of a {axis}.")
    else:
        typed = (found["sign"] or "").replace("+", "") + " ".join(part for part in (degrees, minutes, seconds) if part)
    typed = f"{typed} {letter}".strip()
    degrees_from_text(typed, axis)
    return typed


# --- lengths, epochs ---


def _length(text: str, unit: str) -> str:
    """Return a length with its unit as it would be typed; InputError where any of it is left over, or a comma may be two things."""
    cleaned = " ".join(text.translate(_SIGNS).split())
    if re.fullmatch(r"[-+]?\d{1,3}(?:,\d{3})+(?:\s*[a-z .]*)?", cleaned, re.IGNORECASE):
        raise InputError(f"'{cleaned[:40]}' may have a decimal comma, or a comma for thousands.")
    match = re.fullmatch(r"([-+]?(?:\d+(?:[.,]\d+)?|[.,]\d+))\s*([a-z][a-z .]*)?", cleaned, re.IGNORECASE)
    if match is None:
        raise InputError(f"'{cleaned[:60]}' cannot be read whole as a length.")
    said = " ".join((match[2] or unit).lower().replace(".", "").split())
    words = _UNITS.get(said) if said else ""
    if words is None:
        raise InputError(f"'{said}' is not a unit of a length here.")
    typed = f"{match[1]} {words}".strip()
    metres_from_text(typed, "m")
    return typed


_UNITS = {
    "m": "m",
    "metre": "m",
    "metres": "m",
    "meter": "m",
    "meters": "m",
    "mm": "mm",
    "cm": "cm",
    "km": "km",
    "ft": "ft",
    "feet": "ft",
    "foot": "ft",
    "ift": "ft",
    "international feet": "ft",
    "int ft": "ft",
    "sft": "sft",
    "usft": "sft",
    "us ft": "sft",
    "us survey feet": "sft",
    "us survey foot": "sft",
    "ussft": "sft",
    "ftus": "sft",
}


def _centred(text: str, unit: str) -> str:
    typed = _length(text, unit)
    match = re.fullmatch(r"([-+]?\d{4,8}(?:[.,]\d+)?)(?: m)?", typed)
    if match is None:
        raise InputError(f"'{text.strip()[:40]}' cannot be read whole as an Earth-centred metre value.")
    return match[1]


def _epoch(text: str) -> str:
    match = re.fullmatch(r"((?:19|20)\d{2}(?:-\d{2}-\d{2}|\.\d+)?)", text.strip())
    if match is None:
        raise InputError(f"'{text.strip()[:40]}' cannot be read whole as an epoch.")
    return match[1]


# --- frames ---

_FRAME = re.compile(
    r"\b(ITRF\s?(?:20|19)?\d{2}|ETRF\s?(?:20|19)?\d{2}|ETRS\s?89|IG[Sb]\w{0,2}\s?\d{2}|NAD\s?83\s?\(\w+\)|GDA\s?2020|WGS\s?84(?:\s?\(G\d{3,4}\))?)(?!\w)"
)
_MOST_FRAMES = 8


def frames_in(lines: Iterable[tuple[int, str]]) -> Iterator[Found]:
    """Yield the frames that lines name, each once."""
    seen: set[str] = set()
    for number, line in lines:
        for match in _FRAME.finditer(line[:500]):
            name = re.sub(r"\s+(?=\d)", "", match[1]) if not match[1].startswith("WGS") else " ".join(match[1].split())
            if name not in seen and len(seen) < _MOST_FRAMES:
                seen.add(name)
                yield Found(field="frame", text=name, line=line.strip()[:200], number=number)
