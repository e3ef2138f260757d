"""Events that repeat, folded: the first few are told each, what goes on is one line with count, first and last."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass

PLAIN = 4
WITHIN_S = 60.0
SETTLED_S = 30.0
LONGEST_S = 600.0


@dataclass(frozen=True, kw_only=True)
class Folded:
    """So many events of a kind, host seconds of the first and the last of them, and what the last one said."""

    kind: str
    count: int
    first_s: float
    last_s: float
    last: str


class Folding:
    """Told of every event: whether it is written by itself, and what has been folded since.

    Four within a minute are written; those that follow are folded until half a minute is quiet, ten minutes at most.
    """

    def __init__(self) -> None:
        self._seen: dict[str, deque[float]] = {}
        self._folded: dict[str, Folded] = {}

    def is_plain(self, kind: str, sentence: str, now_s: float) -> bool:
        """Take an event in; tell whether it is to be written by itself."""
        seen, before = self._seen.setdefault(kind, deque(maxlen=PLAIN)), self._folded.get(kind)
        plain = before is None and (len(seen) < PLAIN or now_s - seen[0] > WITHIN_S)
        seen.append(now_s)
        if plain:
            return True
        count, first_s = (before.count, before.first_s) if before else (0, now_s)
        self._folded[kind] = Folded(kind=kind, count=count + 1, first_s=first_s, last_s=now_s, last=sentence)
        return False

    def due(self, now_s: float, final: bool = False) -> list[Folded]:
        """Return what is to be written of what was folded; it is told `written` once it is."""
        return [item for item in self._folded.values() if final or now_s - item.last_s > SETTLED_S or now_s - item.first_s > LONGEST_S]

    def written(self, items: Iterable[Folded]) -> None:
        """Forget what is safe."""
        for item in items:
            self._folded.pop(item.kind, None)
