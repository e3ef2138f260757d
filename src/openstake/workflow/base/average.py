"""Averages at the base: of its own receiver, or of a rover held over the mark; live or from a log."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, InputError
from openstake.core.evidence import Epoch, RefersTo
from openstake.core.limits import Seconds, ShortText
from openstake.core.occupation import PositionAverage, average_of_epochs
from openstake.core.units import text_from_metres
from openstake.derive.averages import AverageResult, average_result
from openstake.derive.heights import height_row, read_height, rover_arp_to_apc_m
from openstake.derive.job import job_of
from openstake.derive.kit import KitNow, kit_of, refers_to_of
from openstake.live.average import Average
from openstake.store.models import AverageEpoch, PositionAverageRow
from openstake.store.records.epochs import epoch_columns
from openstake.workflow.base.setup import needed_setup
from openstake.workflow.captures import epochs_of_content
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context
from openstake.workflow.secrets import checked_address

Purpose = Literal["base", "mark"]


@dataclass(frozen=True, kw_only=True)
class AverageView:
    """An average that is being taken; over a mark it waits for fixed first."""

    purpose: Purpose
    running: bool
    waiting: bool
    seconds: float
    elapsed_s: float
    problem: str
    result: AverageResult | None


def average_view(average: Average) -> AverageView:
    """Return the state of an average for the page."""
    try:
        result = average_result(average_of_epochs(average.epochs))
    except InputError:
        result = None
    return AverageView(
        purpose="mark" if average.purpose == "mark" else "base",
        running=average.running,
        waiting=average.waiting,
        seconds=average.seconds,
        elapsed_s=round(min(average.seconds, average.elapsed_s), 1),
        problem=average.problem,
        result=result,
    )


@dataclass(frozen=True, kw_only=True)
class AverageRequest:
    """Average the base's receiver (`base`), or a rover held over the mark (`reading` and `feature` of its pole)."""

    url: ShortText | None = None
    seconds: Seconds = 60
    purpose: Purpose = "base"
    reading: ShortText = ""
    feature: ShortText = ""
    refers_to: RefersTo | None = None


@dataclass(frozen=True, kw_only=True)
class LogQuery:
    """What a log that is sent is an average of."""

    name: ShortText = ""
    purpose: Purpose = "base"
    reading: ShortText = ""
    feature: ShortText = ""
    refers_to: RefersTo | None = None


def begin_average(context: Context, job_id: str, request: AverageRequest) -> AverageView:
    """Begin to average what a receiver reports; one runs at a time in a job."""
    purpose, url = request.purpose, request.url
    with context.database.read() as session:
        job = job_of(session, job_id)
    practice = context.practice if job.practice else None
    if url is None and practice is not None:
        url = practice.base_receiver_url if purpose == "base" else practice.rover_url
    if not url:
        raise InputError("Give the address of the receiver's NMEA, such as tcp://192.168.1.20:5016.", field="url")
    address, password = checked_address(url, "url")
    with context.running.of_job(job_id):
        before = context.running.average(job_id)
        if before is not None and before.running:
            raise ConflictError("An average is running already. Wait for it or stop it.")
        return average_view(_begin(context, job_id, request, address, password))


def _begin(context: Context, job_id: str, request: AverageRequest, url: str, password: str | None) -> Average:
    """Start an average as the only one of its job."""
    purpose = request.purpose
    with context.database.read() as session:
        practice = context.stand_ins(job_id) if job_of(session, job_id).practice else None
    store = _average_store(context, job_id, request, f"{'its own' if purpose == 'base' else 'a rover'} NMEA")
    if practice is not None and purpose == "mark":
        # Where no stand-in base sends, the stand-in rover hears a network, as a real one would: until the base broadcasts.
        practice.start_network()
    average = Average(
        url, password, request.seconds, purpose, lambda: publish_average(context, job_id), store, context.outside_of_job(job_id)
    )
    context.running.keep_average(job_id, average)
    return average


def average_log(context: Context, job_id: str, request: LogQuery, content: bytes) -> None:
    """Take the average of a log that was sent, as if it had been averaged here."""
    epochs = epochs_of_content(content, request.name or "The file")
    _average_store(context, job_id, request, f"the log {request.name}"[:200])(epochs, context.now(job_id))
    context.changed(job_id)


def _average_store(context: Context, job_id: str, request: AverageRequest | LogQuery, origin: str) -> Callable[[list[Epoch], float], None]:
    """Return what stores an average once its epochs are there; what is over the mark is read now, not then."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
    height = None
    if request.purpose == "mark":
        height = read_height(kit, job.length_unit, request.reading, request.feature or "rod", "rover")
        refers_to = kit.said_refers_to(request.refers_to)
        above = rover_arp_to_apc_m(kit) if refers_to is RefersTo.APC else None
    else:
        refers_to, above = _base_refers_to(kit)

    def store(epochs: list[Epoch], began_s: float) -> None:
        average = average_of_epochs(epochs)  # before the one writer is asked

        def work(tx: Transaction) -> None:
            setup = needed_setup(tx.session, tx.job, tx.now_s)
            reading = None if height is None else tx.add(height_row(height, job_id, tx.now_s, "rover"))
            row = store_average(
                tx.session,
                job_id,
                request.purpose,
                average,
                epochs,
                origin,
                began_s,
                tx.now_s,
                refers_to,
                above,
                setup_id=setup.id,
                mark_id=setup.settled.mark_id,
                height_reading_id=reading.id if reading else None,
            )
            what = "the base's receiver" if request.purpose == "base" else "a rover over the mark"
            tx.tell(
                "average",
                f"Average of {what}: {row.used} {row.lowest_status} positions over {row.span_s:.0f} s, "
                f"{_noise(average, tx.job.length_unit)}.",
                "machine",
                average=row.id,
                x_m=row.x_m,
                y_m=row.y_m,
                z_m=row.z_m,
                effective_n=row.effective_n,
            )

        carry_out(context, job_id, work)

    return store


def _noise(average: PositionAverage, unit: str) -> str:
    """Return the noise of a mean as the Book says it: half widths of 95 %, which say nothing of its bias."""
    _, _, up = average.worth
    if average.half_95_horizontal_m is None or up.half_95_m is None:
        return "one position tells no noise"
    short = ", too short to tell" if average.is_short else ""
    horizontal, upward = (text_from_metres(half_m, unit) for half_m in (average.half_95_horizontal_m, up.half_95_m))
    return f"noise of the mean {horizontal} horizontally, {upward} up (95 %{short})"


def _base_refers_to(kit: KitNow) -> tuple[RefersTo, float | None]:
    """Return what the base receiver's own position refers to, as the kit describes it, and its phase centre's height."""
    receiver, above = kit.receiver(base=True), kit.phase_centre_m(base=True)
    refers_to = None if receiver is None else refers_to_of(receiver)
    return (refers_to, above) if refers_to is RefersTo.APC and above is not None else (RefersTo.ARP, None)


def store_average(
    session: Session,
    job_id: str,
    purpose: str,
    average: PositionAverage,
    epochs: Sequence[Epoch],
    origin: str,
    began_s: float,
    now: float,
    refers_to: RefersTo,
    arp_to_apc_m: float | None,
    **more: Any,
) -> PositionAverageRow:
    """Store an average with its epochs; what it is worth is computed from them again whenever it is shown."""
    x, y, z = average.xyz_m
    row = PositionAverageRow(
        job_id=job_id,
        purpose=purpose,
        origin=origin,
        refers_to=refers_to.value,
        arp_to_apc_m=arp_to_apc_m,
        x_m=x,
        y_m=y,
        z_m=z,
        epochs=average.epochs,
        used=average.used,
        span_s=average.span_s,
        effective_n=average.effective_n,
        lowest_status=average.lowest_status.value,
        accuracy_95_m=average.accuracy_95_m,
        created_s=now,
        **more,
    )
    session.add(row)
    session.flush()
    session.add_all(AverageEpoch(average_id=row.id, n=n, **epoch_columns(epoch, began_s, None)) for n, epoch in enumerate(epochs))
    session.flush()
    return row


def publish_average(context: Context, job_id: str) -> None:
    """Send the state of a job's average to its browsers."""
    average = context.running.average(job_id)
    context.hub.publish(f"average:{job_id}", None if average is None else average_view(average))


def cancel_average(context: Context, job_id: str) -> None:
    average = context.running.average(job_id)
    if average is not None:
        average.cancel()
