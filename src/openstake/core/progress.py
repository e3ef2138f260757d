"""How far long work is: whoever does it says so, and whoever began it is asked, where somebody did."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TypeVar

T = TypeVar("T")

# Told how many of how many are done; raises CancelledError where the work is to end.
Progress = Callable[[int, int], None]

_EVERY = 50
_PROGRESS: ContextVar[Progress | None] = ContextVar("progress", default=None)


@contextmanager
def progress_told_to(progress: Progress) -> Iterator[None]:
    """Tell the progress of what this thread does within to somebody."""
    token = _PROGRESS.set(progress)
    try:
        yield
    finally:
        _PROGRESS.reset(token)


def tell_progress(done: int, total: int) -> None:
    """Say how far the work of this thread is; where nobody began it, nothing happens."""
    progress_of_thread()(done, total)


def progress_of_thread() -> Progress:
    """Return who is told of this thread's work, for another thread that does a part of it."""
    return _PROGRESS.get() or (lambda done, total: None)


def with_progress(items: Iterable[T], total: int) -> Iterator[T]:
    """Yield items, and say how many of them are done."""
    for n, item in enumerate(items):
        if n % _EVERY == 0:
            tell_progress(n, total)
        yield item


@contextmanager
def part_of_progress(begins: float, ends: float) -> Iterator[None]:
    """Let what is told within be a part of the whole, from 0 to 1."""
    whole = _PROGRESS.get()
    if whole is None:
        yield
        return
    with progress_told_to(lambda done, total: whole(round(1000 * (begins + (ends - begins) * done / max(total, 1))), 1000)):
        yield
