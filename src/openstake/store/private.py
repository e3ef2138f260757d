"""Files that only this user can read: passwords, sessions, keys.  Never in the database, a backup, an export or a log."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

CERTIFICATES = "tls"  # the folder of certificates and their keys in a data folder


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
