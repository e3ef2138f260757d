"""Passwords as the steps see them: kept under the id of what they belong to, written and never shown."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from openstake.core.errors import InputError
from openstake.store.passwords import keep_passwords, passwords_of
from openstake.wire.address import split_url, without_password
from openstake.workflow.context import Context

# The three addresses of a set-up and of a session of listening.
ADDRESSES = ("base_url", "rover_url", "receiver_url")


def secret_key(owner_id: str, field: str) -> str:
    """Return the key under which the password of one of three addresses is kept: the base's under the owner's own id."""
    return owner_id if field == "base_url" else f"{owner_id}:{field}"


def keep_secret(context: Context, key: str, secret: str | None) -> None:
    """Keep a password under a key; nothing where none was given."""
    if secret:
        keep_passwords(context.data_dir, {key: secret})


def secret_of(context: Context, key: str | None) -> str | None:
    """Return the password kept under a key."""
    return passwords_of(context.data_dir).get(key) if key else None


def has_secret(context: Context, key: str) -> bool:
    return key in passwords_of(context.data_dir)


def secrets_of(context: Context, owner_id: str, fields: Iterable[str]) -> dict[str, str]:
    """Return the passwords kept for these addresses of a set-up or a session of listening, by field."""
    kept = passwords_of(context.data_dir)
    return {field: kept[key] for field in fields if (key := secret_key(owner_id, field)) in kept}


def keep_secrets(context: Context, owner_id: str, passwords: Mapping[str, str | None]) -> None:
    """Keep the passwords of addresses of a set-up or a session of listening, by field; None forgets one."""
    keep_passwords(context.data_dir, {secret_key(owner_id, field): text for field, text in passwords.items()})


def checked_address(url: str, field: str) -> tuple[str, str | None]:
    """Return an address that can be one, without its password, and the password; InputError with the field otherwise."""
    try:
        split_url(url)
    except InputError as error:
        error.field = field
        raise
    return without_password(url)


def parted_addresses(values: Mapping[str, Any]) -> tuple[dict[str, str], dict[str, str]]:
    """Return the addresses among values, checked and without their passwords, and those passwords, both by field."""
    addresses: dict[str, str] = {}
    passwords: dict[str, str] = {}
    for field in ADDRESSES:
        if values.get(field):
            addresses[field], password = checked_address(str(values[field]), field)
            if password:
                passwords[field] = password
    return addresses, passwords
