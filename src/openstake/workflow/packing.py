"""The packing and charging list of a job, ticked off by the crew."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.errors import NotFoundError
from openstake.core.kit.packing import PackingItem, packing_list
from openstake.store.book import write_entry
from openstake.store.models import PackingTick
from openstake.workflow.context import Context, job_of
from openstake.workflow.gear import gear_by_name
from openstake.workflow.profiles import chosen_profiles


def _items(session: Session, job_id: str) -> list[PackingItem]:
    return packing_list(chosen_profiles(session, job_id), gear_by_name(session))


def view(context: Context, job_id: str) -> dict[str, Any]:
    """Return the list with its ticks and when each was set, and the profiles it comes from."""
    with context.database.read() as session:
        job_of(session, job_id)
        rows = session.scalars(select(PackingTick).where(PackingTick.job_id == job_id).order_by(PackingTick.n))
        ticks = {row.item: row for row in rows}
        items = _items(session, job_id)
        names = [profile.name for profile in chosen_profiles(session, job_id)]
    shown = []
    for item in items:
        tick = ticks.get(item.key)
        done = tick is not None and tick.done
        shown.append(asdict(item) | {"done": done, "at_s": tick.created_s if tick is not None and done else None})
    return {"profiles": names, "items": shown}


def tick(context: Context, job_id: str, key: str, done: bool) -> dict[str, Any]:
    """Tick a thing off, or untick it; the Book says when."""

    def work(session: Session) -> None:
        job_of(session, job_id)
        item = next((item for item in _items(session, job_id) if item.key == key), None)
        if item is None:
            raise NotFoundError("This is not on the packing list any more. Look at the list again.")
        now = context.now()
        session.add(PackingTick(job_id=job_id, item=key, done=done, created_s=now))
        write_entry(session, now, "packing", f"{'Ticked off' if done else 'Not ticked any more'}: {item.what}.", job_id)

    context.database.write(work)
    context.changed(job_id)
    return view(context, job_id)
