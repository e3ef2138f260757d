"""Two crews' values of one thing settled by a person: the one that holds is written anew, in place of both."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.errors import ConflictError, InputError
from openstake.core.limits import ShortText, Text
from openstake.derive.crews import CrewsDiffer, crews_of
from openstake.derive.job import job_of
from openstake.store.models import new_id
from openstake.store.records.crews import settle_by
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context


@dataclass(frozen=True)
class CrewsView:
    """What two crews replaced apart from each other, and nobody has settled."""

    differ: list[CrewsDiffer]


@dataclass(frozen=True, kw_only=True)
class SettleRequest:
    """Which value holds: `id` of what differs, `value_id` of the one that holds, by whom, and why."""

    id: ShortText
    value_id: ShortText
    who: ShortText
    reason: Text = ""


def view(context: Context, job_id: str) -> CrewsView:
    """Return what is to be settled."""
    with context.database.read() as session:
        job_of(session, job_id)
        return CrewsView(crews_of(session, job_id))


@command(view)
def settle(tx: Transaction, request: SettleRequest) -> None:
    """Write the value that holds in place of both; ConflictError where it has been settled in the meantime."""
    who = " ".join(request.who.split())
    if not who:
        raise InputError("Say who settles it.", field="who")
    differs = next((item for item in crews_of(tx.session, tx.job_id) if item.id == request.id), None)
    if differs is None:
        raise ConflictError("This has been settled in the meantime. Look at the present value.")
    value = next((item for item in differs.values if item.id == request.value_id), None)
    if value is None:
        raise InputError("Choose one of the values that two crews have.", field="value_id")
    reason = f"settles two crews' values{': ' + request.reason.strip() if request.reason.strip() else ''}"
    said = {"id": new_id(), "replaces_id": differs.id, "reason": reason, "who": who[:80], "at_s": tx.now_s}
    row_id = settle_by(tx.session, differs.table, value.id, said)
    tx.tell(
        "settled",
        f"{differs.what}: {value.words} holds, by {who}; {reason}.",
        replaces=differs.id,
        row=row_id,
        values=[item.words for item in differs.values],
    )
