"""A static solution as it comes from a computation: SINEX, or the text of a mail with labelled values.

Nothing is taken unseen: each value comes with the line that it stands in, and where a label stands more than once all are offered.
Sources: SINEX 2.02 (IERS), blocks SITE/ID, SITE/ECCENTRICITY, SOLUTION/ESTIMATE; of mails common practice, no source.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from openstake.core.errors import FileError
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes

SolutionField = Literal[
    "latitude", "longitude", "height", "x", "y", "z", "frame", "epoch", "sigma_horizontal", "sigma_vertical"
]
_CENTRED_FIELDS: tuple[SolutionField, ...] = ("x", "y", "z")
_WORDS: dict[SolutionField, str] = {
    "latitude": "latitude", "longitude": "longitude", "height": "ellipsoidal height", "x": "X", "y": "Y", "z": "Z", "frame": "frame",
    "epoch": "epoch", "sigma_horizontal": "sigma, horizontal", "sigma_vertical": "sigma, height",
}  # fmt: skip
MOST_BYTES = 4 << 20
_MOST_LINES, _MOST_OF_ONE = 100_000, 8


@dataclass(frozen=True)
class SolutionValue:
    """A value that was found: its field (in `words`), as it would be typed, the line it stands in and that line's number from 1.

    `taken`: it stands there once, so it is filled in; of what stands more than once a person takes one.
    """

    field: SolutionField
    text: str
    line: str
    number: int
    words: str = ""
    taken: bool = False


@dataclass(frozen=True)
class SolutionFile:
    """What a file says of one point; `site` is its name there, `header_height` what it says of the antenna, empty where nothing.

    `sites` are all points of a SINEX file: which of several is meant is asked.
    """

    kind: Literal["SINEX", "text"]
    site: str
    sites: tuple[str, ...]
    values: tuple[SolutionValue, ...]
    header_height: str


def read_solution(content: bytes, name: str, site: str = "") -> SolutionFile:
    """Read a solution; FileError where nothing in it is a coordinate, or where it holds several points and none is named."""
    if len(content) > MOST_BYTES:
        raise FileError(f"{name[:60]} has {len(content) / 1e6:.1f} MB; a solution has at most {MOST_BYTES >> 20} MB.")
    if b"\0" in content:
        raise FileError(f"{name[:60]} is no text: it holds bytes that no mail or SINEX file has.")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = content.decode("latin-1")
    lines = text.splitlines()
    if len(lines) > _MOST_LINES:
        raise FileError(f"{name[:60]} has {len(lines)} lines; at most {_MOST_LINES} are read.")
    if text.startswith("%=SNX"):
        return _sinex(lines, name, site)
    values = tuple(_labelled(lines))
    fields = {value.field for value in values}
    if not {"latitude", "longitude"} <= fields and not {"x", "y", "z"} <= fields:
        raise FileError(
            f"{name[:60]} names no latitude and longitude, and no X, Y and Z. Copy the coordinate from it and paste it instead."
        )
    return SolutionFile("text", "", (), _marked(values), "")


def _marked(values: Sequence[SolutionValue]) -> tuple[SolutionValue, ...]:
    """Return values with their words, and whether each is filled in: X, Y and Z only where no latitude is, and all three."""
    counts = Counter(value.field for value in values)
    once = {field for field, count in counts.items() if count == 1}
    if counts["latitude"] or not once.issuperset(_CENTRED_FIELDS):
        once -= set(_CENTRED_FIELDS)
    return tuple(replace(value, words=_WORDS[value.field], taken=value.field in once) for value in values)


# --- SINEX ---


def _blocks(lines: Sequence[str]) -> dict[str, list[tuple[int, str]]]:
    found: dict[str, list[tuple[int, str]]] = {}
    block = ""
    for number, line in enumerate(lines, 1):
        if line.startswith("+"):
            block = line[1:].strip()
        elif line.startswith("-"):
            block = ""
        elif block and not line.startswith("*"):
            found.setdefault(block, []).append((number, line))
    return found


def _sinex(lines: Sequence[str], name: str, site: str) -> SolutionFile:
    blocks = _blocks(lines)
    rows: dict[str, dict[str, tuple[int, str, list[str]]]] = {}
    for number, line in blocks.get("SOLUTION/ESTIMATE", []):
        parts = line.split()
        # index, type, site code, point, solution, epoch, unit, constraint, value, standard deviation
        if len(parts) >= 10 and parts[1] in ("STAX", "STAY", "STAZ"):
            rows.setdefault(parts[2], {})[parts[1]] = (number, line, parts)
    whole = {code: found for code, found in rows.items() if len(found) == 3}
    if not whole:
        raise FileError(f"{name[:60]} is SINEX and holds no point with STAX, STAY and STAZ in SOLUTION/ESTIMATE.")
    if not site and len(whole) > 1:
        raise FileError(
            f"{name[:60]} holds {len(whole)} points: {', '.join(sorted(whole)[:12])}. Say which one is the base.",
            field="site",
        )
    code = site or next(iter(whole))
    if code not in whole:
        raise FileError(
            f"{name[:60]} holds no point '{site[:20]}'. It has {', '.join(sorted(whole)[:12])}.", field="site"
        )
    return SolutionFile(
        "SINEX", code, tuple(sorted(whole)), _marked((*_estimated(whole[code], name), *_said_frame(blocks))), _eccentricity(blocks, code)
    )  # fmt: skip


def _estimated(found: dict[str, tuple[int, str, list[str]]], name: str) -> Iterator[SolutionValue]:
    try:
        numbers = {key: (float(parts[8]), float(parts[9])) for key, (_, _, parts) in found.items()}
    except ValueError:
        numbers = {}
    if not all(abs(value) < 1e8 and abs(sigma) < 1e8 for value, sigma in numbers.values()) or not numbers:
        raise FileError(f"{name[:60]} has a coordinate that is no number.")
    for key, field in (("STAX", "x"), ("STAY", "y"), ("STAZ", "z")):
        number, line, parts = found[key]
        if parts[6] != "m":
            raise FileError(f"{name[:60]} gives {key} in '{parts[6][:8]}'; SINEX has metres there.")
        yield SolutionValue(field, f"{numbers[key][0]:.5f}", line.strip(), number)  # type: ignore[arg-type]
    number, line, parts = found["STAX"]
    if epoch := _epoch(parts[5]):
        yield SolutionValue("epoch", epoch, line.strip(), number)
    place = np.array([numbers[key][0] for key in ("STAX", "STAY", "STAZ")])
    sigmas = np.array([numbers[key][1] for key in ("STAX", "STAY", "STAZ")])
    if (sigmas > 0.0).all() and 6.3e6 < float(np.linalg.norm(place)) < 6.4e6:
        latitude, longitude, _ = (float(value) for value in geodetic_from_ecef(place))
        # Without the correlations, which SINEX has in another block: the three as if they were independent.
        east, north, up = np.sqrt((enu_axes(latitude, longitude) ** 2) @ sigmas**2)
        said = "standard deviations " + ", ".join(parts[9] for _, _, parts in found.values())
        yield SolutionValue("sigma_horizontal", f"{float(np.hypot(east, north)) / 2**0.5:.4f} m", said, number)
        yield SolutionValue("sigma_vertical", f"{float(up):.4f} m", said, number)


def _epoch(text: str) -> str:
    """Return an epoch YY:DOY:SSSSS (or YYYY:…) as a decimal year; empty where it is all zeros."""
    match = re.fullmatch(r"(\d{2}|\d{4}):(\d{3}):(\d{5})", text)
    if match is None or int(match[2]) == 0:
        return ""
    year = int(match[1])
    if year < 100:
        year += 1900 if year > 50 else 2000  # SINEX 2.02, section 2
    days = 366.0 if year % 4 == 0 and (year % 100 != 0 or year % 400 == 0) else 365.0
    return f"{year + (int(match[2]) - 1 + int(match[3]) / 86_400.0) / days:.4f}"


def _eccentricity(blocks: dict[str, list[tuple[int, str]]], code: str) -> str:
    """Return what the file says of the antenna's height above the mark, in words."""
    for _, line in blocks.get("SITE/ECCENTRICITY", []):
        parts = line.split()
        # site code, point, solution, type, start, end, reference system, then up, north, east (UNE) or X, Y, Z
        if len(parts) >= 10 and parts[0] == code and parts[6] == "UNE":
            return f"{parts[7]} m from the mark up to the ARP"
    return ""


def _said_frame(blocks: dict[str, list[tuple[int, str]]]) -> Iterator[SolutionValue]:
    """Yield the frames that the file's comments name: SINEX has no place for it."""
    yield from _frames_in(
        (number, line) for block in ("FILE/COMMENT", "FILE/REFERENCE") for number, line in blocks.get(block, [])
    )


# --- text ---

_ANGLE = r"[NSEW]?\s*[+-]?\s*\d{1,3}(?:[°:\s]\s*\d{1,2}(?:['′:\s]\s*\d{1,2}(?:[.,]\d+)?[\"″]?)?|[.,]\d+)?\s*°?\s*(?:[NSEW]\b)?"
_LENGTH = r"[+-]?\d{1,5}(?:[.,]\d+)?\s*(?:m|ft|sft|feet|US ft)?\b"
_CENTRED = r"[+-]?\d{4,7}(?:[.,]\d+)?"
_LABELS: tuple[tuple[SolutionField, str, str], ...] = (
    ("latitude", r"\blat(?:itude)?\b", _ANGLE), ("longitude", r"\b(?:lon(?:g(?:itude)?)?)\b", _ANGLE),
    ("height", r"\b(?:ellips(?:oid(?:al)?|\.)?\s*(?:height|hgt|ht)|h(?:eight)?\s*\(?ellips\w*\)?|el(?:l)?\s*hgt)\b", _LENGTH),
    ("x", r"(?<![\w.])X(?![\w.])", _CENTRED), ("y", r"(?<![\w.])Y(?![\w.])", _CENTRED), ("z", r"(?<![\w.])Z(?![\w.])", _CENTRED),
    ("epoch", r"\bepoch\b", r"(?:19|20)\d{2}(?:-\d{2}-\d{2}|\.\d+)?"),
    ("sigma_horizontal", r"\b(?:sigma|std(?:\.|dev)?)\s*(?:horizontal|hz|h)\b", _LENGTH),
    ("sigma_vertical", r"\b(?:sigma|std(?:\.|dev)?)\s*(?:vertical|up|v)\b", _LENGTH),
)  # fmt: skip
_BETWEEN = r"[^\w+-]{0,12}(?:\((?:m|deg|dms|d)\))?[\s:=.]*"
_PATTERNS = tuple((field, re.compile(f"{label}{_BETWEEN}({value})", re.IGNORECASE)) for field, label, value in _LABELS)
_FRAME = re.compile(
    r"\b(ITRF\s?(?:20|19)?\d{2}|ETRF\s?(?:20|19)?\d{2}|ETRS\s?89|IG[Sb]\w{0,2}\s?\d{2}|NAD\s?83\s?\(\w+\)|GDA\s?2020|WGS\s?84(?:\s?\(G\d{3,4}\))?)(?!\w)"
)


def _labelled(lines: Sequence[str]) -> Iterator[SolutionValue]:
    counts: dict[str, int] = {}
    for number, line in enumerate(lines, 1):
        for field, pattern in _PATTERNS:
            for match in pattern.finditer(line[:500]):
                counts[field] = counts.get(field, 0) + 1
                if counts[field] <= _MOST_OF_ONE:
                    yield SolutionValue(field, _typed(field, match[1]), line.strip()[:200], number)
    yield from _frames_in(enumerate(lines, 1))


def _typed(field: SolutionField, text: str) -> str:
    """Return a value as it would be typed: one space between its parts, the hemisphere behind."""
    cleaned = " ".join(text.replace("°", " ").replace(":", " ").split()).rstrip(".,")
    if field in ("latitude", "longitude") and cleaned[:1].upper() in "NSEW":
        cleaned = f"{cleaned[1:].strip()} {cleaned[0].upper()}"
    return cleaned


def _frames_in(lines: Iterable[tuple[int, str]]) -> Iterator[SolutionValue]:
    seen: set[str] = set()
    for number, line in lines:
        for match in _FRAME.finditer(line[:500]):
            name = re.sub(r"\s+(?=\d)", "", match[1]) if not match[1].startswith("WGS") else " ".join(match[1].split())
            if name not in seen and len(seen) < _MOST_OF_ONE:
                seen.add(name)
                yield SolutionValue("frame", name, line.strip()[:200], number)
