"""Ticks of a job's lists: set and taken back by adding, the time of each in the Book."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.limits import ShortText
from openstake.store.book import write_entry
from openstake.store.models import Tick


@dataclass(frozen=True)
class TickWish:
    """A thing to tick off, or to untick."""

    key: ShortText
    done: bool


def ticked_at(session: Session, job_id: str, list_name: str) -> dict[str, float]:
    """Return when each thing that is ticked was ticked, by its key."""
    rows = session.scalars(select(Tick).where(Tick.job_id == job_id, Tick.list == list_name).order_by(Tick.created_s, Tick.id))
    latest = {row.item: row for row in rows}
    return {key: row.created_s for key, row in latest.items() if row.done}


def set_tick(session: Session, job_id: str, list_name: str, key: str, words: str, done: bool, now: float) -> None:
    """Tick a thing off, or untick it, and say so in the Book."""
    session.add(Tick(job_id=job_id, list=list_name, item=key, done=done, created_s=now))
    write_entry(session, now, "tick", f"{'Ticked off' if done else 'Not ticked any more'}: {words}.", job_id, list=list_name)
