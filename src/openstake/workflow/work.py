"""Long work: begun by one request, shown while it goes on, ended by a press; what it made is fetched when it is done."""

from __future__ import annotations

import logging
import tempfile
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from openstake.core.errors import CancelledError, ConflictError, NotFoundError, OpenStakeError
from openstake.core.progress import progress_told_to
from openstake.live.clock import Clock
from openstake.store.book import writes_by, written_by
from openstake.store.models import new_id

_MOST_KEPT = 12
_MOST_AT_ONCE = 3
_LOG = logging.getLogger(__name__)


@dataclass(frozen=True, kw_only=True)
class Made:
    """What a work came to: in words; the file to fetch, where there is one, with its name and media type; the job it is of.

    `fingerprint`: what two people read out to each other of a package.
    """

    words: str
    file: Path | None = None
    name: str = ""
    media_type: str = ""
    job: str = ""
    fingerprint: str = ""

    @property
    def shown(self) -> bool:
        """Whether a browser shows the file."""
        return self.media_type == "application/pdf"


@dataclass(frozen=True, kw_only=True)
class WorkView:
    """A work: how far it is (0 to 1), and once it is over what came of it.

    `path` is where its file is fetched, empty without one; `shown`: a browser shows it, of any other it is saved.
    `fingerprint` of a package, else empty.
    """

    id: str
    title: str
    state: Literal["running", "done", "failed", "cancelled"]
    part: float
    words: str
    path: str
    shown: bool
    job: str
    fingerprint: str


class Work:
    """One piece of long work in a thread of its own."""

    def __init__(self, title: str, folder: Path, do: Callable[[Path], Made], clock: Clock) -> None:
        self.id, self.title, self.folder = new_id(), title, folder
        self._do, self._stop, self._by = do, clock.event(), writes_by()
        self._done, self._total = 0, 1
        self._state: Literal["running", "done", "failed", "cancelled"] = "running"
        self.made: Made | None = None
        self._problem = ""
        self._thread = clock.thread(self._run, "work")
        self._thread.start()

    def tell_progress(self, done: int, total: int) -> None:
        """Say how far it is; CancelledError where it is to end."""
        if self._stop.is_set():
            raise CancelledError("It was stopped. Nothing was changed.")
        self._done, self._total = done, max(total, 1)

    def _run(self) -> None:
        try:
            with progress_told_to(self.tell_progress), written_by(self._by):
                self.made = self._do(self.folder)
            self._state = "done"
        except CancelledError as error:
            self._problem, self._state = error.sentence, "cancelled"
        except OpenStakeError as error:
            self._problem, self._state = error.sentence, "failed"
        except Exception as error:  # the crew is told, the program goes on
            _LOG.exception("%s failed", self.title)
            self._problem, self._state = f"It failed: {error}. Nothing was changed.", "failed"

    @property
    def running(self) -> bool:
        return self._state == "running"

    def cancel(self) -> None:
        self._stop.set()

    def wait(self, seconds: float) -> None:
        self._thread.join(seconds)

    def view(self) -> WorkView:
        state = self._state  # before what came of it, which stands when it has ended
        made = self.made
        path = f"/api/works/{self.id}/file" if made is not None and made.file is not None else ""
        part = 1.0 if state == "done" else min(self._done / self._total, 1.0)
        return WorkView(
            id=self.id,
            title=self.title,
            state=state,
            part=part,
            words=self._problem or (made.words if made else ""),
            path=path,
            shown=made is not None and made.shown,
            job=made.job if made else "",
            fingerprint=made.fingerprint if made else "",
        )


class Works:
    """The works of this run, newest last; the files of those that are forgotten go with them."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._works: dict[str, Work] = {}
        self._lock = threading.Lock()
        self._folder: tempfile.TemporaryDirectory[str] | None = None

    def begin(self, title: str, do: Callable[[Path], Made]) -> Work:
        """Begin a work; `do` gets a folder for its files."""
        with self._lock:
            if sum(work.running for work in self._works.values()) >= _MOST_AT_ONCE:
                raise ConflictError(f"{_MOST_AT_ONCE} tasks are running. Wait for one to finish, or stop it.")
            if self._folder is None:
                self._folder = tempfile.TemporaryDirectory(prefix="openstake-", ignore_cleanup_errors=True)
            folder = Path(self._folder.name) / new_id()
            folder.mkdir()
            work = Work(title, folder, do, self._clock)
            self._works[work.id] = work
            for old in [item for item in self._works.values() if not item.running][:-_MOST_KEPT]:
                del self._works[old.id]
                if old.made is not None and old.made.file is not None:
                    old.made.file.unlink(missing_ok=True)
            return work

    def begin_file(self, title: str, job_id: str, make: Callable[[], tuple[bytes, str, str]]) -> Work:
        """Begin to make a file: `make` returns its content, media type and name."""

        def do(folder: Path) -> Made:
            content, media_type, name = make()
            out = folder / "file"
            out.write_bytes(content)
            return Made(words=f"{name}: {len(content) / 1000:.0f} kB.", file=out, name=name, media_type=media_type, job=job_id)

        return self.begin(title, do)

    def get(self, work_id: str) -> Work:
        work = self._works.get(work_id)
        if work is None:
            raise NotFoundError("This has ended and was cleared. Start it again.")
        return work

    def file(self, work_id: str) -> Made:
        """Return what a work made, where that is a file."""
        made = self.get(work_id).made
        if made is None or made.file is None or not made.file.is_file():
            raise NotFoundError("There is no file for this. Start it again.")
        return made

    def close(self) -> None:
        """End what is under way, and take the files away."""
        with self._lock:
            for work in self._works.values():
                work.cancel()
            for work in self._works.values():
                work.wait(1.0)
            if self._folder is not None:
                self._folder.cleanup()
