"""Backups as the program makes and tells them: one at every start, the newest seven kept beside the data."""

from __future__ import annotations

import threading
from dataclasses import dataclass

from openstake.core.errors import OpenStakeError
from openstake.live.clock import HOST_CLOCK
from openstake.store import backup
from openstake.workflow.context import Context

MOST_KEPT = 7


@dataclass(frozen=True, kw_only=True)
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
    advice: str
    running: bool


def view(context: Context) -> BackupsView:
    """Return the backups that were made beside the data."""
    state, folder = context.backup, context.data_dir / backup.FOLDER
    kept = backup.backups_in(folder)
    last = kept[-1] if kept else None
    advice = f"Kept: {len(kept)} of {MOST_KEPT}, in {folder.resolve()}. Take one to another disk: openstake backup DIR."
    return BackupsView(
        kept=len(kept),
        most=MOST_KEPT,
        last_s=last.created_s if last else None,
        words=backup.in_words(last) if last else "",
        folder=str(folder.resolve()),
        read_back=last is not None,
        problem=state.problem,
        advice=advice,
        running=state.lock.locked(),
    )


def make(context: Context) -> BackupsView:
    """Begin a backup in a thread of its own, which takes the oldest out when it is done; where one is being made, nothing is begun.

    What goes wrong is told by the view.
    """
    state = context.backup
    if state.lock.acquire(blocking=False):
        threading.Thread(target=_made, args=(context,), name="backup", daemon=True).start()
    return view(context)


def _made(context: Context) -> None:
    folder = context.data_dir / backup.FOLDER
    try:
        backup.back_up(context.data_dir, folder, HOST_CLOCK.now())
        backup.prune(folder, MOST_KEPT)
        context.backup.problem = ""
    except Exception as error:  # the program goes on, and the crew is told
        said = error.sentence if isinstance(error, OpenStakeError) else str(error)
        context.backup.problem = f"The last backup failed: {said.rstrip('.')}."
    finally:
        context.backup.lock.release()
