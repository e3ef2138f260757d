"""Files that only this user can read: passwords, sessions, keys.  Never in the database, a backup, an export or a log."""

from __future__ import annotations

import os
import secrets
import tempfile
from contextlib import suppress
from pathlib import Path

CERTIFICATES = "tls"  # the folder of certificates and their keys in a data folder
DOOR_TOKEN = "door-token"
_OURS = (
    "openstake.db",
    "in-use",
    "program.log",
    "passwords",
    "access",
    "world.json",
    "further.json",
    DOOR_TOKEN,
    CERTIFICATES,
    "raw",
    "photos",
    "geoid",
    "datum",
    "backups",
    "package-",
)


def this_user_only(folder: Path) -> None:
    """Let nobody else of this machine read a data folder: what is in it, and what this process writes from now on."""
    os.umask(0o077)
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    with suppress(PermissionError):  # a folder of somebody else's that we may write: theirs to close
        was_open = folder.stat().st_mode & 0o077
        folder.chmod(0o700)
        for top in folder.iterdir() if was_open else ():
            if top.name.startswith(_OURS) and not top.is_symlink():
                for path in (top, *(top.rglob("*") if top.is_dir() else ())):
                    if not path.is_symlink():
                        path.chmod(0o700 if path.is_dir() else 0o600)


def door_token(folder: Path) -> str:
    """Return what opens the door on this machine: made once, in a file that this user alone can read."""
    path = folder / DOOR_TOKEN
    with suppress(OSError):
        if (kept := path.read_text("ascii", "replace").strip()) and len(kept) >= 32 and kept.isascii():
            return kept
    made = secrets.token_urlsafe(32)
    write_private(path, f"{made}\n".encode())
    return made


def write_private(path: Path, content: bytes) -> None:
    """Put a file in place of the one before it, mode 0600; on the disk, whole, when this returns."""
    path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    number, draft = tempfile.mkstemp(dir=path.parent, prefix=f"{path.stem}-", suffix=".draft")
    try:
        with os.fdopen(number, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        Path(draft).replace(path)
    except BaseException:
        Path(draft).unlink(missing_ok=True)
        raise
