"""One program at a time on a data folder: a lock of the operating system, which goes with the process that holds it."""

from __future__ import annotations

import fcntl
import os
import sys
from pathlib import Path

from openstake.core.errors import ConflictError


class FolderLock:
    """Held by what serves or writes a data folder; ConflictError with the other process where another holds it."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._file = os.open(folder / "in-use", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            holder = os.read(self._file, 200).decode("utf-8", "replace").strip()
            os.close(self._file)
            raise ConflictError(
                f"The data folder {folder} is in use by {holder or 'another process'}. Stop that one, or name another folder."
            ) from None
        os.ftruncate(self._file, 0)
        os.write(self._file, f"process {os.getpid()} ({Path(sys.argv[0]).name or 'python'})\n".encode())

    def release(self) -> None:
        """Let go of the folder; calling twice does no harm."""
        if self._file >= 0:
            os.close(self._file)
            self._file = -1
