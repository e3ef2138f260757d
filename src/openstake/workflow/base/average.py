"""Averages at the base: of its own receiver, or of a rover held over the mark; live or from a log."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.errors import InputError
from openstake.core.evidence import Epoch, RefersTo
from openstake.core.kit.gear import Receiver
from openstake.store.book import write_entry
from openstake.workflow.base.setup import check_url, needed_setup
from openstake.workflow.captures import epochs_of_content
from openstake.workflow.context import Context, job_of
from openstake.workflow.kit.gear import gear_by_name
from openstake.workflow.kit.profiles import chosen_profiles
from openstake.workflow.now.averages import Average, needed_average, store_average
from openstake.workflow.now.heights import (
    base_phase_centre_m,
    height_row,
    read_height,
    rover_arp_to_apc_m,
    rover_refers_to,
)


def begin_average(
    context: Context, job_id: str, url: str | None, seconds: float, purpose: str = "base", **over: Any
) -> dict[str, Any]:
    """Begin to average what a receiver reports; one runs at a time in a job.

    `purpose` is `base` (the base's own receiver) or `mark` (a rover held over the mark: `reading`, `feature` of its pole).
    """
    if purpose not in ("base", "mark"):
        raise InputError("An average is of the base's receiver or of a rover over the mark.", field="purpose")
    with context.database.read() as session:
        job = job_of(session, job_id)
    practice = context.practice if job.practice else None
    if url is None and practice is not None:
        url = practice.base_receiver_url if purpose == "base" else practice.rover_url
    if not url:
        raise InputError("Give the address of the receiver's NMEA, such as tcp://192.168.1.20:5016.", field="url")
    check_url(url, "url")
    needed_average(context.averages.get(job_id))
    store = _average_store(context, job_id, purpose, f"{'its own' if purpose == 'base' else 'a rover'} NMEA", over)
    end = _nothing
    if practice is not None and purpose == "mark":
        # Where no stand-in base sends, the stand-in rover hears a network meanwhile, as a real one would.
        practice.start_network()
        end = practice.hang_up_network
    try:
        average = Average(url, seconds, purpose, lambda: publish_average(context, job_id), store, end)
    except InputError:
        end()
        raise
    context.averages[job_id] = average
    return average.view()


def _nothing() -> None:
    """End an average of a real receiver: nothing was switched on for it."""


def average_log(context: Context, job_id: str, name: str, content: bytes, purpose: str, **over: Any) -> None:
    """Take the average of a log that was sent, as if it had been averaged here."""
    if purpose not in ("base", "mark"):
        raise InputError("An average is of the base's receiver or of a rover over the mark.", field="purpose")
    epochs = epochs_of_content(content, name or "The file")
    _average_store(context, job_id, purpose, f"the log {name}"[:200], over)(epochs, context.now())
    context.changed(job_id)


def _average_store(
    context: Context, job_id: str, purpose: str, origin: str, over: Mapping[str, Any]
) -> Callable[[list[Epoch], float], None]:
    """Return what stores an average once its epochs are there; what is over the mark is read now, not then."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        height = None
        if purpose == "mark":
            height = read_height(session, job, over.get("reading") or "", over.get("feature") or "rod", "rover")
            refers_to = RefersTo(over.get("refers_to") or rover_refers_to(session, job_id))
            above = rover_arp_to_apc_m(session, job_id) if refers_to is RefersTo.APC else None
        else:
            refers_to, above = _base_refers_to(session, job_id)

    def store(epochs: list[Epoch], began_s: float) -> None:
        def work(session: Session) -> None:
            job, now = job_of(session, job_id), context.now()
            setup = needed_setup(session, job, now)
            reading = None
            if height is not None:
                reading = height_row(height, job_id, now, "rover")
                session.add(reading)
                session.flush()
            row = store_average(
                session, job_id, purpose, epochs, origin, began_s, now, refers_to, above, setup_id=setup.id,
                mark_id=setup.settled.mark_id, height_reading_id=reading.id if reading else None,
            )  # fmt: skip
            what = "the base's receiver" if purpose == "base" else "a rover over the mark"
            write_entry(
                session, now, "average", f"Average of {what}: {row.used} {row.lowest_status} positions over {row.span_s:.0f} s.",
                job_id, "machine", average=row.id, x_m=row.x_m, y_m=row.y_m, z_m=row.z_m, effective_n=row.effective_n,
            )  # fmt: skip

        context.database.write(work)
        context.changed(job_id)

    return store


def _base_refers_to(session: Session, job_id: str) -> tuple[RefersTo, float | None]:
    """Return what the base receiver's own position refers to, as the kit describes it, and its phase centre's height."""
    gear = gear_by_name(session)
    above = base_phase_centre_m(session, job_id)
    for profile in chosen_profiles(session, job_id):
        receiver = gear.get(("receiver", profile.receiver))
        if profile.role == "base" and isinstance(receiver, Receiver):
            refers_to = RefersTo(receiver.nmea_refers_to.lower())
            return (refers_to, above) if refers_to is RefersTo.APC and above is not None else (RefersTo.ARP, None)
    return RefersTo.ARP, None


def publish_average(context: Context, job_id: str) -> None:
    average = context.averages.get(job_id)
    if average is not None:
        context.hub.publish(f"average:{job_id}", average.view())


def cancel_average(context: Context, job_id: str) -> None:
    average = context.averages.get(job_id)
    if average is not None:
        average.cancel()
