"""The bytes of a feed as they came, in files that are capped, rotated and never deleted."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

MOST_BYTES = 64 << 20


@dataclass(frozen=True)
class Place:
    """Where in the raw files something begins."""

    file: str
    offset: int


class RawFile:
    """Appends to `stem-001.raw`, `stem-002.raw` ...; what is written survives the death of this process at once."""

    def __init__(self, stem: Path, most_bytes: int = MOST_BYTES) -> None:
        self._stem, self._most = stem, most_bytes
        stem.parent.mkdir(parents=True, exist_ok=True)
        self._number = len(list(stem.parent.glob(f"{stem.name}-*.raw")))
        self._written_before = self._size = 0
        self._open_next()

    def _open_next(self) -> None:
        self._number += 1
        self._path = self._stem.with_name(f"{self._stem.name}-{self._number:03d}.raw")
        self._file = self._path.open("ab", buffering=0)
        self._written_before += self._size
        self._size = 0

    @property
    def written_bytes(self) -> int:
        return self._written_before + self._size

    def write(self, data: bytes) -> None:
        if self._size + len(data) > self._most and self._size:
            self._file.close()
            self._open_next()
        self._file.write(data)
        self._size += len(data)

    def place(self, stream_offset: int) -> Place:
        """Return where a byte of this feed's stream lies; bytes of an earlier file count from this one's start."""
        return Place(self._path.name, max(0, stream_offset - self._written_before))

    def close(self) -> None:
        self._file.close()
