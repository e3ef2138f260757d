"""Ticks of a job's lists: set and taken back by adding, the time of each in the Book."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.limits import ShortText
from openstake.store.models import Tick
from openstake.store.records.kits import tick_rows
from openstake.workflow.command import Transaction


@dataclass(frozen=True)
class TickRequest:
    """A thing to tick off, or to untick."""

    key: ShortText
    done: bool


def ticked_at(session: Session, job_id: str, list_name: str) -> dict[str, float]:
    """Return when each thing that is ticked was ticked, by its key."""
    latest = {row.item: row for row in tick_rows(session, job_id, list_name)}
    return {key: row.created_s for key, row in latest.items() if row.done}


def set_tick(tx: Transaction, list_name: str, request: TickRequest, words: str) -> None:
    """Tick a thing off, or untick it, and say so in the Book."""
    tx.add(Tick(job_id=tx.job_id, list=list_name, item=request.key, done=request.done, created_s=tx.now_s))
    tx.tell("tick", f"{'Ticked off' if request.done else 'Not ticked any more'}: {words}.", list=list_name)
