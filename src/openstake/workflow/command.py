"""One way to write: what a person does is one transaction, and whoever looks on is told once it is stored."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import nullcontext
from dataclasses import dataclass, field, replace
from functools import cached_property, wraps
from typing import Any, Concatenate, ParamSpec, TypeVar, cast, overload

from sqlalchemy.orm import Session

from openstake.core.errors import NotFoundError
from openstake.derive.job import JobNow, job_of
from openstake.store.book import write_entry
from openstake.store.models import BookEntry, Job
from openstake.store.records.lines import replaced_by
from openstake.workflow.context import Context

P = ParamSpec("P")
T = TypeVar("T")
Row = TypeVar("Row")

OF_NO_JOB = ""


@dataclass(frozen=True, kw_only=True)
class Transaction:
    """What a person does, while it is done: its rows, its moment (Unix seconds, the job's), and who is told afterwards.

    `job_id` is empty where it is of no job: the kit, grids, new jobs.
    """

    context: Context
    session: Session
    job_id: str
    now_s: float
    _once_stored: list[Callable[[], object]] = field(default_factory=list)

    @cached_property
    def job(self) -> JobNow:
        """The job as it stood when this began."""
        return job_of(self.session, self.job_id)

    def add(self, row: Row) -> Row:
        """Store a row; what it refers to, and who refers to it, is held at once."""
        self.session.add(row)
        self.session.flush()
        return row

    def replace(self, old: Row, **changed: Any) -> Row:
        """Store a row in place of the head of a line: equal to it but for what is changed."""
        return self.add(replaced_by(old, self.now_s, **changed))

    def tell(self, kind: str, sentence: str, side: str = "crew", **data: Any) -> BookEntry:
        """Write a line of the Book."""
        return write_entry(self.session, self.now_s, kind, sentence, self.job_id or None, side, **data)

    def of(self, job_id: str) -> Transaction:
        """Return the same transaction as one of a job that was made in it."""
        return replace(self, job_id=job_id)

    def once_stored(self, call: Callable[[], object]) -> None:
        """Call this after the commit: whoever runs or draws learns of nothing that is not kept."""
        self._once_stored.append(call)


def carry_out(context: Context, job_id: str, work: Callable[[Transaction], T]) -> T:
    """Do work in one transaction and return what it returns; then stand-ins, feeds and browsers are told.

    The request's key is stored with it (`of_request`), and its lines of the Book are by whoever asked (`written_by`).
    NotFoundError where there is no such job.
    """
    once_stored: list[Callable[[], object]] = []

    def write(session: Session) -> T:
        if job_id and session.get(Job, job_id) is None:
            raise NotFoundError("This job is not in this data folder. Go back to the list of jobs.")
        now_s = context.now(job_id) if job_id else context.clock.now()
        return work(Transaction(context=context, session=session, job_id=job_id, now_s=now_s, _once_stored=once_stored))

    result = context.database.write(write)
    for call in once_stored:
        call()
    if job_id:
        context.changed(job_id)
    return result


Verb = Callable[Concatenate[Transaction, P], T]
Command = Callable[Concatenate[Context, str, P], T]


@overload
def command(shows: Callable[[Context, str], T], *, alone: bool = False) -> Callable[[Verb[P, Any]], Command[P, T]]: ...
@overload
def command(shows: None = None, *, alone: bool = False) -> Callable[[Verb[P, T]], Command[P, T]]: ...
def command(shows: Callable[[Context, str], Any] | None = None, *, alone: bool = False) -> Callable[[Verb[P, Any]], Command[P, Any]]:
    """Make a verb of a job of what is done in its transaction: called with the context and the job's id, it returns what `shows` does.

    `alone`: nobody begins or ends listening in the job meanwhile.
    """

    def made(verb: Verb[P, Any]) -> Command[P, Any]:
        @wraps(verb)
        def done(context: Context, job_id: str, *args: P.args, **kwargs: P.kwargs) -> Any:
            with context.running.of_job(job_id) if alone else nullcontext():
                result = carry_out(context, job_id, lambda tx: verb(tx, *args, **kwargs))
                return result if shows is None else shows(context, job_id)

        return cast(Command[P, Any], done)

    return made
