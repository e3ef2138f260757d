"""What a value of a row may be, wherever it comes from: the door that forms have, for rows that come in a package.

A column says by its name what it is: its unit ends the name.  What JSON a column holds is held against its dataclass where the
dataclass is known (`workflow.packages`); this is what numbers, times, names, kinds and keys are.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from operator import itemgetter
from typing import Any

from sqlalchemy import Boolean, Float, Integer, String, Table

from openstake.core.describe import NOT_ON_A_LINE
from openstake.core.errors import FileError
from openstake.core.kit.gear import GEAR, METHODS
from openstake.core.kit.profile import ROLES
from openstake.core.limits import HIGHEST_ANTENNA_M, LARGEST_STATION_ID, LONGEST_MEASURE_M
from openstake.core.mark import HEIGHT_KINDS
from openstake.core.sky.skyline import SKYLINE_ORIGINS
from openstake.wire.elements import ELEMENT_KINDS
from openstake.wire.pictures import KINDS

Row = dict[str, Any]

_UUID = re.compile(r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}")
_HASH = re.compile(r"[0-9a-f]{64}")
_DAY = re.compile(r"\d{4}-\d\d-\d\d")
_VERSION = re.compile(r"\d{1,4}\.\d{1,4}\.\d{1,4}")

# Of a number, by what its column's name is or ends with; the first that fits.  Metres, degrees, seconds as everywhere.
_RANGES: tuple[tuple[str, float, float], ...] = (
    (r"(created|started|ended|heard|host|initialised)_s", 0.0, 1e11),
    (r"time_of_day_s", 0.0, 86_402.0),
    (r"(seconds|age_s|span_s)", 0.0, 1e9),
    (r"[xyz]_m", -1e8, 1e8),
    (r"latitude_deg", -90.0, 90.0),
    (r"\w+_deg", -360.0, 360.0),
    (r"(arp_height|reading|rim_radius|from_above|to_above|antenna_height)_m", -HIGHEST_ANTENNA_M, 2 * HIGHEST_ANTENNA_M),
    (r"(arp_to_apc|feature_to_arp)_m", -10.0, 10.0),
    (r"measured_m", -LONGEST_MEASURE_M, LONGEST_MEASURE_M),
    (r"(sigma|accuracy|tolerance)_\w+_m|sigma_\w+|sigma_m", 0.0, 1e7),
    (r"(height_limit)_m", 0.0, 1.0),
    (r"(\w+_)?(height|h|altitude|separation)_m", -20_000.0, 100_000.0),
    (r"\w+_m", -1e8, 1e8),
    (r"\w+_m2", -1e14, 1e14),
    (r"station_id", -1, 16 * LARGEST_STATION_ID),
    (r"(sequence|raw_offset)", 0, float(1 << 50)),
    (r"number", 0, 4095),
    (r"(n|epochs|used|satellites|quality|version)", 0, 1e8),
    (r"(pdop|hdop|vdop|effective_n)", 0.0, 1e9),
)
_UNITS = ("m", "ft", "sft")
_CHOICES: Mapping[str, tuple[str, ...]] = {
    "job_settings.length_unit": _UNITS,
    "height_reading.bare_unit": _UNITS,
    "mark.height_kind": HEIGHT_KINDS,
    "height_reading.subject": ("base", "rover"),
    "height_reading.moment": ("before", "after"),
    "height_reading.method": tuple(METHODS),
    "position_average.purpose": ("base", "mark"),
    "position_average.lowest_status": ("none", "single", "dgps", "float", "fixed", "other"),
    "position_average.refers_to": ("apc", "arp", "mark"),
    "listening.refers_to": ("apc", "arp", "mark"),
    "shot.refers_to": ("apc", "arp", "mark"),
    "shot.kind": ("check", "quick", "topo", "control", "track"),
    "reference.origin": ("decoded", "declared"),
    "ground_measure.kind": ("slope", "horizontal", "levelled"),
    "shot_series.kind": ("pole turn", "field test"),
    "gear.kind": tuple(GEAR),
    "profile.role": tuple(ROLES),
    "element_file.kind": ELEMENT_KINDS,
    "skyline.origin": SKYLINE_ORIGINS,
    "photo.media_type": tuple(kind.media_type for kind in KINDS.values()),
}
# Texts that name something: never empty, and no two of a table that look alike are written differently.
_NAMES = ("mark.name", "gear.name", "profile.name", "fit_mark.name", "point_label.name", "job_settings.name")
_SHORT = 200  # a text that is declared shorter stands on one line


@dataclass(frozen=True, kw_only=True)
class _Column:
    """What a value of a column must be, in words and as a test."""

    name: str
    words: str
    is_sound: Callable[[Any], bool]
    is_range: bool = False

    def holds(self, values: set[Any]) -> bool:
        """Whether all values are sound: of a range its ends are."""
        return all(map(self.is_sound, {min(values), max(values)} if self.is_range and values else values))


@cache
def _columns(table: Table) -> tuple[_Column, ...]:
    found = []
    for item in table.columns:
        key = f"{table.name}.{item.name}"
        if key in _CHOICES:
            found.append(_Column(name=item.name, words=f"must be one of: {', '.join(_CHOICES[key])}", is_sound=_one_of(_CHOICES[key])))
        elif isinstance(item.type, Boolean):
            continue
        elif isinstance(item.type, Float | Integer):
            least, most = _range_of(item.name)
            found.append(_Column(name=item.name, words=f"must be from {least:g} to {most:g}", is_sound=_within(least, most), is_range=True))
        elif isinstance(item.type, String):
            found += _text_columns(key, item.name, item.type.length or 0)
    return tuple(found)


def _range_of(name: str) -> tuple[float, float]:
    for pattern, least, most in _RANGES:
        if re.fullmatch(pattern, name):
            return least, most
    raise KeyError(f"{name} has no range: give it one in rowdoor.py")


def _text_columns(key: str, name: str, longest: int) -> list[_Column]:
    if name == "id" or name.endswith("_id"):
        return [_Column(name=name, words="must be a UUID", is_sound=lambda value: bool(_UUID.fullmatch(value)))]
    if name in ("hash", "previous_hash"):
        return [_Column(name=name, words="must be a SHA-256", is_sound=lambda value: bool(_HASH.fullmatch(value)))]
    if name in ("day", "date"):
        return [_Column(name=name, words="must be a day", is_sound=lambda value: value == "" or bool(_DAY.fullmatch(value)))]
    found = []
    if key in _NAMES:
        found.append(_Column(name=name, words="must not be empty", is_sound=lambda value: bool(value.strip())))
    if 0 < longest <= _SHORT:
        words = "must be one line without invisible characters"
        found.append(_Column(name=name, words=words, is_sound=lambda value: not NOT_ON_A_LINE.search(value)))
    return found


def _one_of(options: tuple[str, ...]) -> Callable[[Any], bool]:
    return lambda value: value in options


def _within(least: float, most: float) -> Callable[[Any], bool]:
    return lambda value: least <= value <= most


class RowDoor:
    """Holds the rows of one package, table by table, as they come."""

    def __init__(self) -> None:
        self._keys: dict[str, set[tuple[Any, ...]]] = {}
        self._names: dict[str, list[tuple[int, str, Any, str]]] = {}

    def taken(self, table: Table, batches: Iterable[list[Row]]) -> Iterator[Row]:
        """Yield rows that come in batches, as each batch is taken."""
        first = 1
        for batch in batches:
            self.take(table, batch, first)
            first += len(batch)
            yield from batch

    def take(self, table: Table, rows: Sequence[Row], first: int) -> None:
        """Refuse rows that no form would have made: FileError with its table, its number (the first is row `first`), and the field."""
        if not rows:
            return
        held = _columns(table)
        by_column = zip(*map(itemgetter(*(column.name for column in held)), rows), strict=True)
        if not all(column.holds(set(values) - {None}) for column, values in zip(held, by_column, strict=True)):
            for n, row in enumerate(rows, first):
                _hold(table, row, n)
        keys = self._keys.setdefault(table.name, set())
        names = [item.name for item in table.primary_key.columns]
        for n, key in enumerate(map(itemgetter(*names), rows), first):
            if key in keys:
                raise refused(table.name, n, names[0], "is that of another row as well")
            keys.add(key)
        if f"{table.name}.name" in _NAMES or table.name == "photo":
            for n, row in enumerate(rows, first):
                self._take_name(table.name, row, n)

    def _take_name(self, table: str, row: Mapping[str, Any], n: int) -> None:
        if table != "photo":
            self._names.setdefault(table, []).append((n, row["id"], row.get("replaces_id"), row["name"]))
            return
        ending = next(kind.ending for kind in KINDS.values() if kind.media_type == row["media_type"])
        if not re.fullmatch(rf"[0-9a-f]{{64}}\.{ending}", row["file"]):
            raise refused(table, n, "file", f"must be a SHA-256 and .{ending}; it is {shown(row['file'])}")

    def finish(self, table: Table) -> None:
        """Refuse names of a table that look alike and are written otherwise, unless one is the other corrected."""
        rows = self._names.pop(table.name, [])
        before = {row_id: replaces for _, row_id, replaces, _ in rows}
        seen: dict[str, tuple[str, str]] = {}
        for n, row_id, _, name in rows:
            root = row_id
            while before.get(root) in before:
                root = before[root]
            alike = unicodedata.normalize("NFC", name.strip())
            first, of_line = seen.setdefault(alike, (name, root))
            if first != name and of_line != root:
                raise refused(table.name, n, "name", f"looks the same as another one and is spelled differently: {shown(name)}")


def _hold(table: Table, row: Row, n: int) -> None:
    """Refuse a row of which a value is not sound."""
    for column in _columns(table):
        value = row[column.name]
        if value is not None and not column.is_sound(value):
            raise refused(table.name, n, column.name, f"{column.words}; it is {shown(value)}")


def refused(table: str, n: int, field: str, why: str) -> FileError:
    """Return why a row is not taken."""
    return FileError(f"Row {n} of {table}: {field} {why}. Nothing was unpacked.")


def shown(value: object) -> str:
    """Return a value of somebody else's file in a sentence: short, and with nothing in it that steers a screen."""
    text = repr(value) if not isinstance(value, str) else f"'{value[:80]}{'...' if len(value) > 80 else ''}'"
    return "".join(letter if letter.isprintable() else "?" for letter in text)[:100]


def checked_manifest(version: str, job: str, devices: tuple[str, ...], hashes: tuple[str, ...]) -> str:
    """Return what is wrong with texts of a manifest that are shown, told to the Book or held against rows; empty where nothing is."""
    if not _VERSION.fullmatch(version):
        return "its version is not a version number"
    if not all(_UUID.fullmatch(text) for text in (job, *devices)):
        return "a job or an installation has no UUID"
    return "" if all(_HASH.fullmatch(text) for text in hashes) else "a SHA-256 is malformed"
