"""Passwords: in a file of their own that only this user can read, never in the database, an export or a log."""

from __future__ import annotations

import json
import threading
from collections.abc import Mapping
from pathlib import Path

from openstake.store.private import write_private

_ONE_WRITER = threading.Lock()


def _path(folder: Path) -> Path:
    return folder / "passwords.json"


def passwords_of(folder: Path) -> dict[str, str]:
    """Return the passwords of a data folder by their keys."""
    try:
        document = json.loads(_path(folder).read_text())
    except (OSError, ValueError):
        return {}
    return document if isinstance(document, dict) else {}


def keep_passwords(folder: Path, passwords: Mapping[str, str | None]) -> None:
    """Keep passwords under their keys beside those of a data folder, None forgets one; on the disk when this returns."""
    if not passwords:
        return
    with _ONE_WRITER:
        kept = passwords_of(folder) | dict(passwords)
        text = json.dumps({key: password for key, password in kept.items() if password is not None})
        write_private(_path(folder), text.encode())
