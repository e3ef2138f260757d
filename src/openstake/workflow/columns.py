"""What the JSON of a job's rows may hold: each column read by the type that it was written by, whole, and nothing else taken.

A form makes such a row out of a dataclass; a row that comes in a package is held against the same one.
"""

from __future__ import annotations

import json
import unicodedata
from collections.abc import Callable, Collection, Mapping
from functools import partial
from typing import Any

from pydantic import ValidationError
from sqlalchemy import Table
from sqlalchemy.orm import Session

from openstake.core.describe import typed
from openstake.core.errors import OpenStakeError
from openstake.core.kit.gear import GEAR
from openstake.core.shot_series import SERIES_KINDS
from openstake.store.jsoncolumn import JsonText, json_columns
from openstake.store.models import Base, ShotSeries
from openstake.store.package import of_job, tables
from openstake.store.records.lines import rows_by_id
from openstake.store.rowdoor import refused, shown
from openstake.wire.jsontext import read_json
from openstake.wire.profile import read_profile

LEAST, MOST = -1e9, 1e11  # of any number in these texts: metres, parts per million, UTC seconds until the year 5138


def hold_texts(session: Session, job_id: str, brought: Mapping[str, Collection[str]]) -> None:
    """Hold every JSON text of a job against what it was written from; FileError with table, row and field.

    `brought` are the ids of the rows of the kit, by table, that came with it.
    """
    for table, column, read in _columns():
        name = table.name
        where = table.c.id.in_(brought[name]) if name in brought else of_job(table, job_id)
        for n, row in enumerate(rows_by_id(session, table, where), 1):
            if getattr(row, column) is None:
                continue
            try:
                document = read_json(getattr(row, column))
                _hold_numbers(document)
                read(row)
            except OpenStakeError as error:
                raise refused(name, n, column, f"cannot be read: {error.sentence.rstrip('.')}") from None
            except ValidationError as error:
                first = error.errors()[0]
                at = ".".join(str(part) for part in first["loc"]) or "all of it"
                raise refused(name, n, column, f"cannot be read: {shown(at)[1:-1]}: {first['msg']}") from None
            except (ArithmeticError, ValueError, LookupError, TypeError, AttributeError) as error:
                raise refused(name, n, column, f"cannot be read ({type(error).__name__}: {shown(str(error))[1:-1]})") from None


def _hold_numbers(document: object) -> None:
    waiting = [document]
    while waiting:
        item = waiting.pop()
        if isinstance(item, dict | list):
            waiting += item.values() if isinstance(item, dict) else item
        elif isinstance(item, int | float) and not LEAST <= item <= MOST:
            raise ValueError(f"{item:g} is out of range")


def _columns() -> list[tuple[Table, str, Callable[[Any], object]]]:
    """Return what reads each column of JSON out of a row: its type, what else must be so, and texts that are files by themselves."""
    found = [(table, column, _ALSO.get(table.name) or partial(_by_type, column, kind)) for table, column, kind in json_columns(tables())]
    return found + [(Base.metadata.tables[name], column, read) for (name, column), read in _FILES.items()]


def _by_type(column: str, kind: JsonText, row: Any) -> None:
    kind.read(getattr(row, column))


def _gear(row: Any) -> None:
    item = typed(GEAR[row.kind], json.loads(row.data), None)
    if item.name != unicodedata.normalize("NFC", row.name.strip()):
        raise ValueError("its name is another than its row's")


def _series(row: Any) -> None:
    if SERIES_KINDS[type(_SETTLED.read(row.data))] != row.kind:
        raise ValueError("it is settled as another kind of series")


def _profile(row: Any) -> None:
    profile = read_profile(row.data.encode())
    if (profile.name, profile.role) != (unicodedata.normalize("NFC", row.name.strip()), row.role):
        raise ValueError("its name or role is another than its row's")


def _signed(row: Any) -> None:
    """The lines of a frozen copy; that it is the one that was signed, its hash in the Book says."""
    for line in json.loads(row.content)["lines"]:
        if int(line["sequence"]) < 1 or not isinstance(read_json(line["text"]), dict):
            raise ValueError("a line of it is not of the Book")


_SETTLED: Any = ShotSeries.__table__.c.data.type
_ALSO: Mapping[str, Callable[[Any], object]] = {"gear": _gear, "shot_series": _series}
# Kept as the file that they are.
_FILES: Mapping[tuple[str, str], Callable[[Any], object]] = {("profile", "data"): _profile, ("signed_day", "content"): _signed}
