"""Closing: one list, in order, from everything that the job knows of itself."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.chain import State
from openstake.core.chain_links import links
from openstake.core.closing import ClosingItem, ClosingKnown, closing_list
from openstake.core.errors import NotFoundError
from openstake.core.kit.packing import packing_list
from openstake.derive.base import base_of, open_base
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.store.records.bases import count_open_logs, latest_occupation, open_occupation
from openstake.store.records.shots import last_point_s, newest_check
from openstake.workflow.chain.steps import evidence_of
from openstake.workflow.check.checks import checked
from openstake.workflow.command import carry_out
from openstake.workflow.context import Context
from openstake.workflow.ticks import TickRequest, set_tick, ticked_at

LIST = "closing"


@dataclass(frozen=True)
class Closing:
    """What is to be done at the end of a day, in order; `due` counts what is left."""

    items: tuple[ClosingItem, ...]
    due: int


def view(context: Context, job_id: str) -> Closing:
    """Return the list as it stands now."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        evidence = evidence_of(context, session, job, kit_of(session, job_id), open_base(session, job_id))
        unchecked = tuple(link.name for link in links(evidence) if link.state is not State.CHECKED and link.name in _CHECKABLE)
        known = _known(context, session, job, unchecked)
        ticked = tuple(ticked_at(session, job_id, _list_of(session, job_id)))
    items = closing_list(known, ticked)
    return Closing(items, sum(item.state == "due" for item in items))


# What streams and shots can check while the crew is on site.
_CHECKABLE = ("base mark", "base antenna", "broadcast", "link", "control")


def _list_of(session: Session, job_id: str) -> str:
    """Return the name of the list of ticks: each base that was set up is closed by itself."""
    occupation = latest_occupation(session, job_id)
    return f"{LIST} {occupation.id}" if occupation else LIST


def _known(context: Context, session: Session, job: JobNow, unchecked: tuple[str, ...]) -> ClosingKnown:
    occupation, running_now = latest_occupation(session, job.id), open_occupation(session, job.id)
    running = context.running.session(running_now.id) if running_now else None
    readings = base_of(session, occupation).readings if occupation else None
    last_point = last_point_s(session, job.id)
    last = newest_check(session, job.id)
    check = None if last is None else checked(session, job, [last])[0].check
    own = occupation.id if occupation else ""
    if check is not None and check.occupation_id != own:
        check = None  # of an earlier base: it proves nothing of this one
    logs = count_open_logs(session, own)
    kit = kit_of(session, job.id)
    return ClosingKnown(
        now_s=context.now(job.id),
        recording=running is not None and running.is_recording,
        base_runs=running_now is not None,
        last_point_s=last_point,
        last_check_s=check.created_s if check else None,
        last_check_agrees=check is not None and check.agrees,
        last_check_mark=check.mark_name if check else "",
        closing_readings=len(readings.current("after")) if readings else 0,
        opening_readings=len(readings.current("before")) if readings else 0,
        logs_running=logs or 0,
        raw_files=sum(1 for _ in (context.data_dir / "raw").glob("*.raw")),
        unchecked=unchecked,
        charge=tuple(item.what for item in packing_list(kit.profiles, kit.gear) if item.group == "charge"),
    )


def tick(context: Context, job_id: str, request: TickRequest) -> Closing:
    """Tick a thing off, or untick it; what the program knows by itself is not ticked."""
    item = next((item for item in view(context, job_id).items if item.key == request.key), None)
    if item is None or item.known:
        raise NotFoundError("This is not ticked off here: its state comes from what was done.")
    carry_out(context, job_id, lambda tx: set_tick(tx, _list_of(tx.session, job_id), request, item.what))
    return view(context, job_id)
