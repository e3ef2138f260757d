"""Columns of JSON: each holds one dataclass, and reads and writes it whole.

A row that comes in a package is read by the same type before it is stored (`workflow/columns.py`).
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, is_dataclass
from functools import lru_cache
from operator import itemgetter
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import Table, Text, type_coerce
from sqlalchemy.engine import Dialect
from sqlalchemy.orm import Session
from sqlalchemy.sql.elements import ColumnElement
from sqlalchemy.types import TypeDecorator

from openstake.core.describe import typed
from openstake.core.geodesy.frames import FrameDefinition
from openstake.core.localfit.choice import FitChoice, choice_of
from openstake.core.localfit.kept import AppliedFit, redundancy_of_old
from openstake.core.sky.skyline import Skyline, skyline_of


def write(value: object) -> str:
    """Return a dataclass, or what JSON knows, as it stands in a row."""
    return json.dumps(asdict(value) if is_dataclass(value) and not isinstance(value, type) else value)


class JsonText(TypeDecorator[Any]):
    """Text in the database, `read` to what it says and written back to the same text by `write`."""

    impl = Text
    cache_ok = True

    def __init__(self, read: Callable[[str], Any], write: Callable[[Any], str] = write) -> None:
        super().__init__()
        self.read, self.write = read, write

    def process_bind_param(self, value: Any, dialect: Dialect) -> str | None:
        return None if value is None else self.write(value)

    def process_result_value(self, value: str | None, dialect: Dialect) -> Any:
        return None if value is None else self.read(value)


@lru_cache
def _adapter(cls: Any) -> TypeAdapter[Any]:
    return TypeAdapter(cls)


def json_of(cls: Any) -> JsonText:
    """Return the type of a column that holds a dataclass (or a union, a tuple): every field of the type declared; what an older
    version wrote besides is passed over."""
    return JsonText(lambda text: _adapter(cls).validate_json(text, strict=True))


def settings_of(cls: type[Any]) -> JsonText:
    """Return the type of a column that holds settings as a form describes them: what an older version did not know is as usual."""
    return JsonText(lambda text: typed(cls, _object(text), None))


def _object(text: str) -> dict[str, Any]:
    document = json.loads(text)
    if not isinstance(document, dict):
        raise ValueError("it is not an object")
    return document


# Of several kinds of thing: which one, another column says.
DOCUMENT = JsonText(_object)


# --- columns with a history of their own ---


def write_frame(definition: FrameDefinition) -> str:
    """Return a frame's definition as canonical text; what nobody said leaves the text as it always was."""
    document = asdict(definition)
    if not document["datum_is"]:
        del document["datum_is"]
    return json.dumps(document, sort_keys=True, ensure_ascii=False)


@lru_cache(maxsize=256)
def _read_frame(text: str) -> FrameDefinition:
    found: FrameDefinition = _adapter(FrameDefinition).validate_json(text, strict=True)
    return found


def _read_choice(text: str) -> FitChoice:
    return choice_of(_object(text))


def _read_applied(text: str) -> AppliedFit:
    document = _object(text)
    document["reach"] = redundancy_of_old(document["reach"], document["redundancy"])
    found: AppliedFit = _adapter(AppliedFit).validate_json(json.dumps(document), strict=True)
    return found


def _read_skyline(text: str) -> Skyline:
    return skyline_of([(float(azimuth), float(elevation)) for azimuth, elevation in json.loads(text)])


def _write_skyline(skyline: Skyline) -> str:
    return json.dumps(list(zip(skyline.azimuths_deg, skyline.elevations_deg, strict=True)))


FRAME = JsonText(_read_frame, write_frame)
SKYLINE = JsonText(_read_skyline, _write_skyline)
FIT_CHOICE = JsonText(_read_choice)
APPLIED_FIT = JsonText(_read_applied)


# --- rows as they are stored ---


def as_stored(table: Table) -> list[ColumnElement[Any]]:
    """Return a table's columns, JSON as text, for packages and for two crews' rows compared."""
    return [text_of(item) if isinstance(item.type, JsonText) else item for item in table.columns]


def text_of(column: ColumnElement[Any]) -> ColumnElement[str]:
    """Return a column of JSON as the text that it is, under its name."""
    return type_coerce(column, Text()).label(str(column.key))


def insert_stored(session: Session, table: Table, rows: Sequence[Mapping[str, Any]]) -> None:
    """Insert rows as `as_stored` gives them: of plain values, which need nothing done to each by itself."""
    if not rows:
        return
    connection = session.connection()
    compiled = table.insert().compile(dialect=connection.dialect)
    values = itemgetter(*compiled.positiontup or ())
    connection.exec_driver_sql(str(compiled), list(map(values, rows)))


def json_columns(tables: Mapping[str, Table]) -> list[tuple[Table, str, JsonText]]:
    """Return every column of JSON by table and name, in the order of the tables."""
    return [(table, item.name, item.type) for table in tables.values() for item in table.columns if isinstance(item.type, JsonText)]
