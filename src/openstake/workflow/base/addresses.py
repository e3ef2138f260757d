"""Where a base and its rover are listened to: addresses checked, parted from their passwords, kept as a row."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, cast

from openstake.core.base_settled import Settled
from openstake.core.errors import InputError
from openstake.core.evidence import RefersTo
from openstake.core.limits import ShortText
from openstake.derive.heights import rover_arp_to_apc_m
from openstake.derive.kit import kit_of
from openstake.store.models import Listening
from openstake.workflow.base.setup import SetUpNow
from openstake.workflow.command import Transaction
from openstake.workflow.context import Context
from openstake.workflow.receivers import keep_refers_to
from openstake.workflow.secrets import ADDRESSES, keep_secrets, parted_addresses, secrets_of


@dataclass(frozen=True, kw_only=True)
class Listen:
    """Where to listen, and what the rover's position refers to there (as its receiver says in the kit where it is None); the password is written and never read."""

    base_url: ShortText | None = None
    base_password: ShortText | None = None
    rover_url: ShortText | None = None
    receiver_url: ShortText | None = None
    refers_to: RefersTo | None = None


@dataclass(frozen=True)
class CheckedListen:
    """Where to listen, its addresses checked and without passwords; those by the address they stood in."""

    request: Listen
    passwords: dict[str, str]


def settled_listen(context: Context, setup: SetUpNow) -> CheckedListen:
    """Return where the set-up says to listen, with the passwords it keeps."""
    settled = setup.settled
    refers_to = RefersTo(settled.refers_to) if settled.refers_to else None
    listen = checked_listen(
        Listen(
            base_url=settled.base_url,
            base_password=None,
            rover_url=settled.rover_url,
            receiver_url=settled.receiver_url,
            refers_to=refers_to,
        )
    )
    return with_kept(context, listen, setup.id, settled)


def with_kept(context: Context, asked: CheckedListen, owner_id: str, before: Settled | Listening) -> CheckedListen:
    """Return where to listen, with the passwords kept for a set-up or session `before` where its address is the same."""
    same = [field for field in ADDRESSES if getattr(asked.request, field) == getattr(before, field)]
    return replace(asked, passwords=secrets_of(context, owner_id, same) | asked.passwords)


def keep_passwords_of(context: Context, listening: Listening, listen: CheckedListen, base_password: str | None) -> None:
    """Keep the passwords of a session of listening, before it is stored."""
    typed = base_password or listen.request.base_password
    keep_secrets(context, listening.id, listen.passwords | ({"base_url": typed} if typed else {}))


def checked_listen(request: Listen) -> CheckedListen:
    """Return where to listen, its addresses checked and parted from their passwords; InputError where none is given."""
    if not request.rover_url and not request.base_url:
        raise InputError("Give the address of the rover's NMEA, of the base's stream, or both.", field="rover_url")
    addresses, passwords = parted_addresses({field: getattr(request, field) for field in ADDRESSES})
    return CheckedListen(replace(request, **cast("dict[str, Any]", addresses)), passwords)


def listening_row(tx: Transaction, listen: CheckedListen, occupation_id: str) -> Listening:
    """Return the row of a session of listening; what its position refers to is taken from the kit of now."""
    request = listen.request
    kit = kit_of(tx.session, tx.job_id)
    refers_to, receiver = kit.said_refers_to(request.refers_to), kit.receiver(base=False)
    above = rover_arp_to_apc_m(kit) if refers_to is RefersTo.APC else None
    if receiver is not None:
        keep_refers_to(tx, receiver, refers_to)
    return Listening(
        occupation_id=occupation_id,
        base_url=request.base_url,
        rover_url=request.rover_url,
        receiver_url=request.receiver_url,
        refers_to=refers_to.value,
        arp_to_apc_m=above,
        device=receiver.name if receiver else "",
        started_s=tx.now_s,
    )
