"""What the JSON of a job's rows may hold: each column read by the dataclass that it was written from, whole, and nothing else taken.

A form makes such a row out of a dataclass; a row that comes in a package is held against the same one.
"""

from __future__ import annotations

import json
import unicodedata
from collections.abc import Callable, Collection, Mapping
from dataclasses import asdict, fields
from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter, ValidationError
from sqlalchemy.orm import Session

from openstake.core.describe import typed
from openstake.core.errors import OpenStakeError
from openstake.core.geodesy.frames import FrameDefinition
from openstake.core.kit.gear import GEAR
from openstake.core.localfit.choice import choice_of
from openstake.derive.applied import Applied, applied_of_row
from openstake.derive.budget import BUDGET
from openstake.derive.job import definition_from_json
from openstake.derive.series import FieldTestSettled, TurnSettled, kind_of
from openstake.store.models import Base
from openstake.store.package import of_job
from openstake.store.records.lines import rows_by_id
from openstake.store.rowdoor import refused, shown
from openstake.wire.jsontext import read_json
from openstake.wire.profile import read_profile
from openstake.workflow.base.setup import Settled
from openstake.workflow.check.settings import CHECKS
from openstake.workflow.fit.choose import FitResult
from openstake.workflow.kit.bench import BenchResult
from openstake.workflow.watch.kinds import SHOTS

_TEXTS: Any = tuple[str, ...]
LEAST, MOST = -1e9, 1e11  # of any number in these texts: metres, parts per million, UTC seconds until the year 5138


def hold_texts(session: Session, job_id: str, brought: Mapping[str, Collection[str]]) -> None:
    """Hold every JSON text of a job against what it was written from; FileError with table, row and field.

    `brought` are the ids of the rows of the kit, by table, that came with it.
    """
    for (name, column), read in _READERS.items():
        table = Base.metadata.tables[name]
        where = table.c.id.in_(brought[name]) if name in brought else of_job(table, job_id)
        for n, row in enumerate(rows_by_id(session, table, where), 1):
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


@lru_cache
def _adapter(cls: Any) -> TypeAdapter[Any]:
    return TypeAdapter(cls)


def _strict(cls: type, text: str) -> None:
    """Read a dataclass from its JSON: every type as it is declared.  What an older version wrote besides is passed over."""
    document = json.loads(text)
    if not isinstance(document, dict):
        raise ValueError("it is no object")
    known = {item.name for item in fields(cls)}
    _adapter(cls).validate_json(json.dumps({name: value for name, value in document.items() if name in known}), strict=True)


def _gear(row: Any) -> None:
    item = typed(GEAR[row.kind], json.loads(row.data), None)
    if item.name != unicodedata.normalize("NFC", row.name.strip()):
        raise ValueError("its name is another than its row's")


def _profile(row: Any) -> None:
    profile = read_profile(row.data.encode())
    if (profile.name, profile.role) != (unicodedata.normalize("NFC", row.name.strip()), row.role):
        raise ValueError("its name or role is another than its row's")


def _series(row: Any) -> None:
    _strict(next(cls for cls in (TurnSettled, FieldTestSettled) if kind_of(cls) == row.kind), row.data)


def _bench(row: Any) -> None:
    document = json.loads(row.data)
    _adapter(BenchResult).validate_json(json.dumps(document | {"id": row.id, "created_s": row.created_s}), strict=True)


def _frame(row: Any) -> None:
    _adapter(FrameDefinition).validate_python(asdict(definition_from_json(row.frame)))


def _applied(row: Any) -> None:
    _adapter(Applied).validate_python(asdict(applied_of_row(row)))


def _ids(column: str) -> Callable[[Any], Any]:
    return lambda row: _adapter(_TEXTS).validate_json(getattr(row, column), strict=True)


def _signed(row: Any) -> None:
    """The lines of a frozen copy; that it is the one that was signed, its hash in the Book says."""
    for line in json.loads(row.content)["lines"]:
        if int(line["sequence"]) < 1 or not isinstance(read_json(line["text"]), dict):
            raise ValueError("a line of it is not of the Book")


_READERS: dict[tuple[str, str], Callable[[Any], Any]] = {
    ("gear", "data"): _gear,
    ("profile", "data"): _profile,
    ("job_settings", "frame"): _frame,
    ("setup", "data"): lambda row: _strict(Settled, row.data),
    ("shot_settings", "data"): lambda row: SHOTS.of_text(row.data),
    ("check_settings", "data"): lambda row: CHECKS.of_text(row.data),
    ("budget_settings", "data"): lambda row: BUDGET.of_text(row.data),
    ("shot", "rests_on"): _ids("rests_on"),
    ("shot_series", "data"): _series,
    ("bench_test", "data"): _bench,
    ("fit_chosen", "data"): lambda row: choice_of(json.loads(row.data)),
    ("fit_chosen", "result"): lambda row: _strict(FitResult, row.result),
    ("fit_applied", "data"): _applied,
    ("fit_applied", "rests_on"): _ids("rests_on"),
    ("signed_day", "content"): _signed,
}
