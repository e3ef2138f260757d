"""Settings of a job that are a line of rows, each JSON of one described dataclass: read, and kept by a new row."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Generic, TypeVar

from sqlalchemy.orm import Session

from openstake.core.describe import typed
from openstake.core.errors import ConflictError
from openstake.store.book import write_entry
from openstake.store.records import lines

T = TypeVar("T")


class SettingsLine(Generic[T]):
    """One kind of settings: the table of its rows, its dataclass, what makes it usable, and its words in the Book."""

    def __init__(
        self, model: type[Any], cls: type[T], checked: Callable[[T], T], kind: str, changed: str, words: Callable[[T], str]
    ) -> None:
        self._model, self._cls, self._checked = model, cls, checked
        self._kind, self._changed, self._words = kind, changed, words

    def read(self, session: Session, job_id: str) -> tuple[str | None, T]:
        """Return the id of the row in force and what it says; None and the usual settings where there is none."""
        row = session.scalars(lines.heads(self._model, self._model.job_id == job_id)).first()
        return (None, self._cls()) if row is None else (row.id, row.data)

    def typed(self, values: Mapping[str, Any], unit: str | None) -> T:
        """Return settings as typed; InputError where they cannot be used."""
        return self._checked(typed(self._cls, values, unit))

    def keep(self, session: Session, job_id: str, settings: T, replaces_id: str | None, now_s: float) -> None:
        """Add the row that holds from now on; ConflictError where another one was added since."""
        present, now = self.read(session, job_id)
        if present != replaces_id:
            raise ConflictError(f"{self._changed} in the meantime: {self._words(now)} Look at them and try again.")
        session.add(self._model(job_id=job_id, data=settings, replaces_id=present, created_s=now_s))
        write_entry(session, now_s, self._kind, self._words(settings), job_id)
