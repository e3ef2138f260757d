"""Where a base and its rover are listened to: addresses checked, parted from their passwords, kept as a row."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.errors import InputError
from openstake.core.evidence import RefersTo
from openstake.core.limits import ShortText
from openstake.store.models import Listening
from openstake.store.passwords import keep_passwords
from openstake.workflow.base.setup import SetUpNow
from openstake.workflow.context import Context
from openstake.workflow.now.heights import rover_arp_to_apc_m
from openstake.workflow.now.kit import kit_of
from openstake.workflow.secrets import ADDRESSES, checked_address, secret_key, secret_of


@dataclass(frozen=True)
class Listen:
    """Where to listen, and what the rover's position refers to there; the password is written and never read."""

    base_url: ShortText | None = None
    base_password: ShortText | None = None
    rover_url: ShortText | None = None
    receiver_url: ShortText | None = None
    refers_to: RefersTo = RefersTo.ARP


@dataclass(frozen=True)
class CheckedListen:
    """Where to listen, its addresses checked and without passwords; those by the address they stood in."""

    wish: Listen
    passwords: dict[str, str]


def settled_listen(context: Context, setup: SetUpNow) -> CheckedListen:
    settled = setup.settled
    refers_to = RefersTo(settled.refers_to or RefersTo.ARP)
    listen = checked_listen(Listen(settled.base_url, None, settled.rover_url, settled.receiver_url, refers_to))
    kept = {field: secret_of(context, secret_key(setup.id, field)) for field in ADDRESSES}
    return CheckedListen(listen.wish, {field: password for field, password in kept.items() if password})


def with_settled(context: Context, asked: CheckedListen, setup: SetUpNow) -> CheckedListen:
    """Return where to listen, with the passwords that the set-up keeps for the same addresses."""
    kept = {
        field: secret_of(context, secret_key(setup.id, field))
        for field in ADDRESSES
        if getattr(asked.wish, field) == getattr(setup.settled, field)
    }
    return replace(asked, passwords={field: text for field, text in kept.items() if text} | asked.passwords)


def keep_passwords_of(context: Context, listening: Listening, listen: CheckedListen, base_password: str | None) -> None:
    """Keep the passwords of a session of listening, before it is stored."""
    passwords = dict(listen.passwords)
    if typed := base_password or listen.wish.base_password:
        passwords["base_url"] = typed
    keep_passwords(context.data_dir, {secret_key(listening.id, field): text for field, text in passwords.items()})


def checked_listen(wish: Listen) -> CheckedListen:
    if not wish.rover_url and not wish.base_url:
        raise InputError("Give the address of the rover's NMEA, of the base's stream, or both.", field="rover_url")
    addresses: dict[str, Any] = {}
    passwords: dict[str, str] = {}
    for field in ADDRESSES:
        if url := getattr(wish, field):
            addresses[field], password = checked_address(url, field)
            if password:
                passwords[field] = password
    return CheckedListen(replace(wish, **addresses), passwords)


def listening_row(session: Session, job_id: str, listen: CheckedListen, occupation_id: str, now: float) -> Listening:
    wish = listen.wish
    above = rover_arp_to_apc_m(kit_of(session, job_id)) if wish.refers_to is RefersTo.APC else None
    return Listening(
        occupation_id=occupation_id, base_url=wish.base_url, rover_url=wish.rover_url, receiver_url=wish.receiver_url,
        refers_to=wish.refers_to.value, arp_to_apc_m=above, started_s=now,
    )  # fmt: skip
