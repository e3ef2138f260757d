"""What can never change, kept in memory by the id of its row, so that it is read and computed once."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable, Mapping
from threading import Lock
from typing import Generic, TypeVar

T = TypeVar("T")


class Cache(Generic[T]):
    """At most so many values, for all threads; what was put in first goes first."""

    def __init__(self, most: int) -> None:
        self._most, self._kept, self._lock = most, OrderedDict[str, T](), Lock()

    def of(self, ids: Iterable[str]) -> dict[str, T]:
        """Return those that are kept, by id."""
        with self._lock:
            return {item: self._kept[item] for item in ids if item in self._kept}

    def keep(self, values: Mapping[str, T]) -> None:
        """Put values in."""
        with self._lock:
            self._kept.update(values)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._kept.clear()

    def __len__(self) -> int:
        return len(self._kept)
