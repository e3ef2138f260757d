"""The bench test of a pair: begun, watched, kept with the kit, and shown beside the packing list."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.judge.bench import BenchRecord, BenchSeen, judge_bench
from openstake.core.judge.broadcast import judge_messages, judge_satellites
from openstake.core.judge.device import judge_device
from openstake.core.judge.finding import Finding
from openstake.core.kit.packing import SHUT_DOWN
from openstake.core.limits import BENCH_EPOCHS_S, LONGEST_BENCH_S, ShortText
from openstake.core.units import metres_from_text
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.live.bench import Bench, BenchHeard
from openstake.live.rover import Address
from openstake.store.models import BenchTest
from openstake.store.records.bases import one_is_of_practice
from openstake.store.records.kits import bench_rows
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context
from openstake.workflow.secrets import checked_address

_SHOWN = 10


@dataclass(frozen=True)
class BenchRequest:
    """A bench test: the taped distance from bottom of mount to bottom of mount, and where both units are heard."""

    tape: ShortText
    base_url: ShortText = ""
    rover_url: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class BenchResult(BenchRecord):
    """A bench test as it is kept, with its row."""

    id: str
    created_s: float


@dataclass(frozen=True, kw_only=True)
class BenchView:
    """The bench test that runs, and those before it, newest first; `shut_down` is the order in which things are switched off."""

    running: bool
    elapsed_s: float
    most_s: float
    fixed_for_s: float
    wanted_s: float
    status: str
    sentences: tuple[str, ...]
    problem: str
    base: str
    rover: str
    practice_tape: str
    results: list[BenchResult]
    shut_down: tuple[str, ...]


def view(context: Context, job_id: str) -> BenchView:
    """Return the bench test of a job's pair."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        kit = kit_of(session, job_id)
        results = _results(session, job_id)
    bench = context.running.bench(job_id)
    base, rover = _names(kit)
    practice = context.practice is not None and job.practice
    return BenchView(
        running=bench is not None and bench.running,
        elapsed_s=bench.elapsed_s if bench else 0.0,
        most_s=LONGEST_BENCH_S,
        fixed_for_s=min(bench.fixed_for_s, BENCH_EPOCHS_S) if bench else 0.0,
        wanted_s=BENCH_EPOCHS_S,
        status=bench.status if bench else "",
        sentences=bench.sentences if bench and bench.running else (),
        problem=bench.problem if bench else "",
        base=base,
        rover=rover,
        practice_tape=PRACTICE_TAPE if practice else "",
        results=results,
        shut_down=SHUT_DOWN,
    )


PRACTICE_TAPE = "1.800 m"  # the stand-ins are put so far apart


def _names(kit: KitNow) -> tuple[str, str]:
    found = (kit.receiver(base=True), kit.receiver(base=False))
    base, rover = (receiver.name if receiver else "" for receiver in found)
    return base or "base", rover or "rover"


def _results(session: Session, job_id: str) -> list[BenchResult]:
    return [_result(row) for row in bench_rows(session, job_id, _SHOWN)]


def newest_result(session: Session, job_id: str) -> BenchResult | None:
    """Return a job's last bench test."""
    return next(iter(_results(session, job_id)), None)


def _result(row: BenchTest) -> BenchResult:
    return BenchResult(id=row.id, created_s=row.created_s, **vars(row.data))


def _standins_at_work(context: Context) -> bool:
    """Whether a session of a practice job listens; one of receivers of one's own takes no stand-in."""
    listening = context.running.occupations
    with context.database.read() as session:
        return one_is_of_practice(session, listening)


def begin(context: Context, job_id: str, request: BenchRequest) -> BenchView:
    """Begin a bench test; one runs at a time in a job."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
    try:
        taped_m = metres_from_text(request.tape, job.length_unit)
    except InputError as error:
        error.field = "tape"
        raise
    if not 0.3 <= taped_m <= 100.0:
        raise InputError("Tape a distance of 0.3 to 100 m between the two units.", field="tape")
    with context.running.of_job(job_id):
        before = context.running.bench(job_id)
        if before is not None and before.running:
            raise ConflictError("A bench test is running already. Wait for it or stop it.")
        practice = context.stand_ins(job_id) if job.practice else None
        base_url, rover_url, end = request.base_url, request.rover_url, _nothing
        base_password: str | None = None
        if practice is not None and not (base_url or rover_url):
            if _standins_at_work(context):
                raise ConflictError("The stand-ins are at work in a job. End that base first.")
            practice.begin_bench(taped_m)
            base_url, rover_url, base_password, end = (practice.base_stream_url, practice.rover_url, practice.password, practice.silence)
        if not base_url or not rover_url:
            raise InputError(
                "Give the address of the base's stream and of the rover's NMEA.", field="rover_url" if base_url else "base_url"
            )
        base, typed_password = checked_address(base_url, "base_url")
        rover, rover_password = checked_address(rover_url, "rover_url")
        bench = Bench(
            (base, typed_password or base_password),
            Address(id="bench", name="", url=rover, password=rover_password),
            lambda: context.changed(job_id),
            lambda heard: _store(context, job, kit, request.tape, taped_m, heard, practice is not None),
            end,
            context.outside_of_job(job_id),
        )
        context.running.keep_bench(job_id, bench)
    return view(context, job_id)


def _nothing() -> None:
    """End a bench test of real devices: nothing was switched on for it."""


def cancel(context: Context, job_id: str) -> None:
    """Stop the bench test that runs; nothing is kept of it."""
    bench = context.running.bench(job_id)
    if bench is None or not bench.running:
        raise NotFoundError("No bench test is running.")
    bench.cancel()


def _store(context: Context, job: JobNow, kit: KitNow, tape: str, taped_m: float, heard: BenchHeard, practice: bool) -> None:
    distances = np.array(heard.distances_m)
    measured = float(distances.mean()) if len(distances) else None
    claim = float(np.sqrt(np.mean(np.array(heard.claims_m) ** 2))) if heard.claims_m else None
    findings = judge_bench(
        BenchSeen(
            taped_m=taped_m,
            measured_m=measured,
            claim_m=claim,
            epochs=len(distances),
            fix_after_s=heard.fix_after_s,
            listened_s=heard.listened_s,
            unit=job.length_unit,
        )
    )
    agrees = all(item.code == "bench-agrees" for item in findings)
    findings += _streams(kit, heard, practice)
    base, rover = _names(kit)
    record = BenchRecord(
        base=base,
        rover=rover,
        tape=tape,
        taped_m=taped_m,
        measured_m=measured,
        scatter_m=float(distances.std(ddof=1)) if len(distances) > 1 else None,
        epochs=len(distances),
        fix_after_s=heard.fix_after_s,
        agrees=agrees,
        findings=findings,
    )

    def work(tx: Transaction) -> None:
        row = BenchTest(job_id=job.id, data=record, created_s=tx.now_s)
        tx.add(row)
        tx.tell("bench-test", f"Bench test of {base} and {rover}: {findings[0].sentence}", bench=row.id)

    carry_out(context, job.id, work)


def _streams(kit: KitNow, heard: BenchHeard, practice: bool) -> list[Finding]:
    """Return where the streams are not as the profiles have them."""
    profile = next(iter(kit.of_role(base=True)), None)
    found: list[Finding] = []
    if profile is not None and heard.stream.span_s > 0.0:
        found += judge_messages(profile.messages, heard.stream)
        found += judge_satellites(profile.constellations, heard.stream, (), profile.elevation_mask_deg)
    # The time of stand-ins may run faster than the host's.
    told = judge_device(heard.device) if heard.device else []
    return found + [item for item in told if item.code != "clock-off" or not practice]
