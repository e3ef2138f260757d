"""Passwords: in a file of their own that only this user can read, never in the database, an export or a log."""

from __future__ import annotations

import json
import os
from pathlib import Path

from openstake.workflow.context import Context


def _path(context: Context) -> Path:
    return context.data_dir / "passwords.json"


def _all(context: Context) -> dict[str, str]:
    try:
        document = json.loads(_path(context).read_text())
    except (OSError, ValueError):
        return {}
    return document if isinstance(document, dict) else {}


def keep_secret(context: Context, key: str, secret: str | None) -> None:
    """Keep a password under a key; nothing where none was given."""
    if not secret:
        return
    text = json.dumps(_all(context) | {key: secret})
    draft = _path(context).with_suffix(".draft")
    with os.fdopen(os.open(draft, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        file.write(text)
    draft.replace(_path(context))


def secret_of(context: Context, key: str | None) -> str | None:
    """Return the password kept under a key."""
    return _all(context).get(key) if key else None


def has_secret(context: Context, key: str) -> bool:
    return key in _all(context)
