"""Backups as the program makes and tells them: one at every start, the newest seven kept beside the data."""

from __future__ import annotations

import threading
from dataclasses import dataclass

from openstake.core.errors import OpenStakeError
from openstake.store import backup
from openstake.workflow.context import Context

MOST_KEPT = 7


@dataclass(frozen=True)
class BackupsView:
    """The backups beside the data: how many, when the last one was made (None: never), what it holds, and what went wrong since.

    `read_back`: each is read back before it counts as made.
    """

    kept: int
    most: int
    last_s: float | None
    words: str
    folder: str
    read_back: bool
    problem: str
    running: bool


def view(context: Context) -> BackupsView:
    """Return the backups that were made beside the data."""
    state, folder = context.backup, context.data_dir / backup.FOLDER
    kept = backup.backups_in(folder)
    last = kept[-1] if kept else None
    return BackupsView(
        len(kept), MOST_KEPT, last.created_s if last else None, backup.in_words(last) if last else "", str(folder.resolve()), last is not None,
        state.problem, state.lock.locked(),
    )  # fmt: skip


def make(context: Context) -> BackupsView:
    """Make a backup now, and take the oldest out; where one is being made, nothing is begun.  What goes wrong is told by the view."""
    state, folder = context.backup, context.data_dir / backup.FOLDER
    if state.lock.acquire(blocking=False):
        try:
            backup.back_up(context.data_dir, folder, context.now())
            backup.prune(folder, MOST_KEPT)
            state.problem = ""
        except (OpenStakeError, OSError) as error:
            said = error.sentence if isinstance(error, OpenStakeError) else error.strerror or str(error)
            state.problem = f"The last backup failed: {said.rstrip('.')}."
        finally:
            state.lock.release()
    return view(context)


def make_at_start(context: Context) -> threading.Thread:
    """Make a backup in a thread of its own: nothing waits for it."""
    thread = threading.Thread(target=make, args=(context,), name="backup", daemon=True)
    thread.start()
    return thread
