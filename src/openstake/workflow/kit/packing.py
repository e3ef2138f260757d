"""The packing and charging list of a job, ticked off by the crew."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, cast

from sqlalchemy.orm import Session

from openstake.core.errors import NotFoundError
from openstake.core.kit.packing import BENCH_KEY, HOURS_KEY, packing_list
from openstake.derive.job import job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.sky import hours_said
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context
from openstake.workflow.kit.bench import newest_result
from openstake.workflow.ticks import TickRequest, set_tick, ticked_at

LIST = "packing"
Group = Literal["charge", "pack", "look"]


@dataclass(frozen=True, kw_only=True)
class PackingLine:
    """One thing to charge, pack or look at, and when it was ticked off."""

    key: str
    group: Group
    what: str
    why: str
    done: bool
    at_s: float | None


@dataclass(frozen=True)
class Packing:
    """The list with its ticks, and the profiles it comes from."""

    profiles: list[str]
    items: list[PackingLine]


def view(context: Context, job_id: str) -> Packing:
    """Return the list with its ticks and when each was set, and the profiles it comes from."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        return packing_of(session, job_id, kit, hours_said(session, job, kit, context.now(job_id)))


def packing_of(session: Session, job_id: str, kit: KitNow, hours: str = "") -> Packing:
    """Return the list of a job whose kit has been read; `hours` say when its sky is good."""
    ticks = ticked_at(session, job_id, LIST)
    bench = newest_result(session, job_id)
    last = "" if bench is None else f"The last one {'agrees' if bench.agrees else 'does not agree'}: {bench.findings[0].sentence}"
    found = {BENCH_KEY: last, HOURS_KEY: hours}
    items = [
        PackingLine(
            key=item.key,
            group=cast(Group, item.group),
            what=item.what,
            why=found.get(item.key) or item.why,
            done=item.key in ticks,
            at_s=ticks.get(item.key),
        )
        for item in packing_list(kit.profiles, kit.gear)
    ]
    return Packing([profile.name for profile in kit.profiles], items)


@command(view)
def tick(tx: Transaction, request: TickRequest) -> None:
    """Tick a thing off, or untick it; the Book says when."""
    kit = kit_of(tx.session, tx.job_id)
    item = next((item for item in packing_list(kit.profiles, kit.gear) if item.key == request.key), None)
    if item is None:
        raise NotFoundError("This is not on the packing list any more. Look at the list again.")
    set_tick(tx, LIST, request, item.what)
