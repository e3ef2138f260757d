"""Time in a practice job: half an hour that nobody wants to sit through, and a link that is cut for a while."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

from annotated_types import Ge, Le

from openstake.core.errors import ConflictError
from openstake.core.units import text_from_seconds
from openstake.derive.job import job_of
from openstake.live.session import RunningSession
from openstake.store.models import Occupation, TimePassed
from openstake.store.records.bases import open_occupation
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context, PracticeField

# The usual wait before a mark is measured again, and the interval of the checks (common practice, no source).
_WAITS_S = (600.0, 1800.0, 7200.0)
_CUTS_S = (10.0, 60.0, 600.0)


@dataclass(frozen=True)
class WaitRequest:
    """How much time is let pass, seconds."""

    seconds: Annotated[float, Ge(60), Le(86_400)]


@dataclass(frozen=True)
class CutRequest:
    """For how long no correction reaches the rovers, seconds."""

    seconds: Annotated[float, Ge(10), Le(600)]


@dataclass(frozen=True)
class Offered:
    """A time that is one press away."""

    seconds: float
    words: str


@dataclass(frozen=True, kw_only=True)
class PracticeTime:
    """What time it is in a practice job (Unix seconds), how much was let pass, and what can be asked for."""

    practice: bool
    now_s: float
    passed_s: float
    words: str
    waits: tuple[Offered, ...]
    cuts: tuple[Offered, ...]


def view(context: Context, job_id: str) -> PracticeTime:
    """Return the time of a job; in one that counts it is the host's and nothing is offered."""
    with context.database.read() as session:
        job = job_of(session, job_id)
    passed_s = context.passed_s(job_id)
    offers = job.practice and context.practice is not None
    return PracticeTime(
        practice=offers,
        now_s=context.now(job_id),
        passed_s=passed_s,
        words=f"{text_from_seconds(passed_s)} skipped here" if passed_s else "",
        waits=tuple(Offered(seconds, f"{text_from_seconds(seconds)} later") for seconds in _WAITS_S) if offers else (),
        cuts=tuple(Offered(seconds, f"Cut it for {text_from_seconds(seconds)}") for seconds in _CUTS_S) if offers else (),
    )


@command(view, alone=True)
def let_pass(tx: Transaction, request: WaitRequest) -> None:
    """Let time pass in a practice job, and in no other: its clock goes on, its stand-ins with it."""
    context, job_id = tx.context, tx.job_id
    _stand_ins_of(context, job_id)
    _refuse_while_measuring(context, job_id)
    row = tx.add(TimePassed(job_id=job_id, seconds=request.seconds, created_s=tx.now_s))
    sentence = f"For practice, {text_from_seconds(request.seconds)} were skipped."
    replace(tx, now_s=tx.now_s + request.seconds).tell("time-passed", sentence, passed=row.id, seconds=request.seconds)
    tx.once_stored(lambda: _time_was_let_pass(context, job_id))


def _time_was_let_pass(context: Context, job_id: str) -> None:
    context.changed(job_id)  # from here on its clock is later
    context.stand_ins(job_id)
    running = _running(context, job_id)
    if running is not None:
        running.time_was_let_pass()


@command(view, alone=True)
def cut_link(tx: Transaction, request: CutRequest) -> None:
    """Let no correction reach the stand-in rovers of a practice job for a while."""
    practice = _stand_ins_of(tx.context, tx.job_id)
    if _open_occupation(tx.context, tx.job_id) is None:
        raise ConflictError("No base is running in this job, so there is no link to cut. Start one first.")
    tx.tell("link-cut", f"For practice, the link was cut for {text_from_seconds(request.seconds)}.", seconds=request.seconds)
    tx.once_stored(lambda: practice.cut_link(request.seconds))


def _stand_ins_of(context: Context, job_id: str) -> PracticeField:
    with context.database.read() as session:
        job = job_of(session, job_id)
    practice = context.stand_ins(job_id) if job.practice else None
    if practice is None:
        raise ConflictError("This job has real devices: its time is the clock's, and its link is the radio's.")
    return practice


def _open_occupation(context: Context, job_id: str) -> Occupation | None:
    with context.database.read() as session:
        return open_occupation(session, job_id)


def _running(context: Context, job_id: str) -> RunningSession | None:
    occupation = _open_occupation(context, job_id)
    return None if occupation is None else context.running.session(occupation.id)


def _refuse_while_measuring(context: Context, job_id: str) -> None:
    """Refuse where something is being measured that a leap in time would tear apart."""
    # In any job: the stand-ins are shared, and a shot of another job that hears them would be torn, too.
    if any(session.is_recording for session in context.running.sessions):
        raise ConflictError("A shot is being recorded. Wait for its end, or cancel it first.")
    average, bench = context.running.average(job_id), context.running.bench(job_id)
    if (average is not None and average.running) or (bench is not None and bench.running):
        raise ConflictError("An average or a bench test is running. Wait for its end, or stop it first.")
