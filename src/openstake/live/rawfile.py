"""The bytes of a feed as they came, in files that are capped, rotated and never deleted."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

MOST_BYTES = 64 << 20
# What waits in memory while the disk takes nothing: twenty minutes of a rover at 20 Hz.
MOST_WAITING_BYTES = 8 << 20


@dataclass(frozen=True)
class Place:
    """Where in the raw files something begins."""

    file: str
    offset: int


class RawFile:
    """Appends to `stem-001.raw`, `stem-002.raw` ...; what is written survives the death of this process at once.

    While the disk takes nothing, bytes wait in memory up to a limit; what is beyond it is lost, and counted.
    """

    def __init__(self, stem: Path, most_bytes: int = MOST_BYTES, most_waiting_bytes: int = MOST_WAITING_BYTES) -> None:
        self._stem, self._most, self._most_waiting = stem, most_bytes, most_waiting_bytes
        stem.parent.mkdir(parents=True, exist_ok=True)
        self._number = len(list(stem.parent.glob(f"{stem.name}-*.raw")))
        self._written_before = self._size = 0
        self._file = -1
        self._waiting = bytearray()
        self.lost_bytes = 0
        self.problem = ""
        self._number += 1
        self._name_next()

    def _name_next(self) -> None:
        self._path = self._stem.with_name(f"{self._stem.name}-{self._number:03d}.raw")

    @property
    def written_bytes(self) -> int:
        """How far the feed's bytes go, those that wait included."""
        return self._written_before + self._size + len(self._waiting)

    @property
    def waiting_bytes(self) -> int:
        return len(self._waiting)

    def write(self, data: bytes) -> None:
        """Keep bytes: on the disk, else in memory, else counted as lost; never raises for a disk that takes nothing."""
        self._waiting += data
        try:
            self._write_waiting()
            self.problem = ""
        except OSError as error:
            self.problem = error.strerror or str(error)
            if (over := len(self._waiting) - self._most_waiting) > 0:
                # The newest go: places of what was heard before still hold.
                del self._waiting[-over:]
                self.lost_bytes += over

    def _write_waiting(self) -> None:
        while self._waiting:
            if self._size and self._size + len(self._waiting) > self._most:
                os.close(self._file)
                self._file = -1
                self._number += 1
                self._name_next()
                self._written_before += self._size
                self._size = 0
            if self._file < 0:
                self._file = os.open(self._path, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_CLOEXEC, 0o600)
            count = os.write(self._file, self._waiting[: self._most])
            del self._waiting[:count]
            self._size += count

    def place(self, stream_offset: int) -> Place:
        """Return where a byte of this feed's stream lies; bytes of an earlier file count from this one's start."""
        return Place(self._path.name, max(0, stream_offset - self.lost_bytes - self._written_before))

    def close(self) -> None:
        if self._file >= 0:
            os.close(self._file)
            self._file = -1
