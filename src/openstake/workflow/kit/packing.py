"""The packing and charging list of a job, ticked off by the crew."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.errors import NotFoundError
from openstake.core.kit.packing import PackingItem, packing_list
from openstake.workflow.context import Context, job_of
from openstake.workflow.kit.gear import gear_by_name
from openstake.workflow.kit.profiles import chosen_profiles
from openstake.workflow.ticks import set_tick, ticked_at

LIST = "packing"


def _items(session: Session, job_id: str) -> list[PackingItem]:
    return packing_list(chosen_profiles(session, job_id), gear_by_name(session))


def view(context: Context, job_id: str) -> dict[str, Any]:
    """Return the list with its ticks and when each was set, and the profiles it comes from."""
    with context.database.read() as session:
        job_of(session, job_id)
        ticks = ticked_at(session, job_id, LIST)
        items = _items(session, job_id)
        names = [profile.name for profile in chosen_profiles(session, job_id)]
    shown = [asdict(item) | {"done": item.key in ticks, "at_s": ticks.get(item.key)} for item in items]
    return {"profiles": names, "items": shown}


def tick(context: Context, job_id: str, key: str, done: bool) -> dict[str, Any]:
    """Tick a thing off, or untick it; the Book says when."""

    def work(session: Session) -> None:
        job_of(session, job_id)
        item = next((item for item in _items(session, job_id) if item.key == key), None)
        if item is None:
            raise NotFoundError("This is not on the packing list any more. Look at the list again.")
        set_tick(session, job_id, LIST, key, item.what, done, context.now())

    context.database.write(work)
    context.changed(job_id)
    return view(context, job_id)
