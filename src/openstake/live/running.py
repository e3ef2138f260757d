"""What runs: the sessions that listen, the averages that are taken and the bench tests, owned by one place that lists and stops them."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from weakref import WeakValueDictionary

from openstake.core.errors import ConflictError
from openstake.live.average import Average
from openstake.live.bench import Bench
from openstake.live.clock import Clock, Lock
from openstake.live.session import RunningSession

_ENDS_WITHIN_S = 1.5


class Running:
    """Sessions by occupation and averages by job.  What starts or ends something of a job holds that job's lock."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._sessions: dict[str, RunningSession] = {}
        self._averages: dict[str, Average] = {}
        self._benches: dict[str, Bench] = {}
        # A lock is there as long as somebody holds or waits for it: ids that name nothing leave nothing behind.
        self._jobs: WeakValueDictionary[str, Lock] = WeakValueDictionary()
        self._guard = threading.Lock()
        self._closed = False

    @contextmanager
    def of_job(self, job_id: str) -> Iterator[None]:
        """Hold the lock of a job: start, listen, end and average of one job are one after the other."""
        with self._guard:
            of_job = self._jobs.get(job_id) or Lock(self._clock.condition())
            self._jobs[job_id] = of_job
        with of_job:
            yield

    def session(self, occupation_id: str) -> RunningSession | None:
        return self._sessions.get(occupation_id)

    def average(self, job_id: str) -> Average | None:
        return self._averages.get(job_id)

    def bench(self, job_id: str) -> Bench | None:
        return self._benches.get(job_id)

    def keep_bench(self, job_id: str, bench: Bench) -> None:
        with self._guard:
            self._benches[job_id] = bench

    @property
    def occupations(self) -> list[str]:
        """The occupations whose sessions listen now."""
        with self._guard:
            return list(self._sessions)

    @property
    def sessions(self) -> list[RunningSession]:
        """All that listen now."""
        with self._guard:
            return list(self._sessions.values())

    def begin_session(self, occupation_id: str, session: RunningSession) -> None:
        """Start a session as the only one of its occupation: the one before it is stopped first."""
        self.end_session(occupation_id)
        with self._guard:
            if self._closed:
                raise ConflictError("The program is ending.")
            self._sessions[occupation_id] = session
            session.start()

    def end_session(self, occupation_id: str) -> bool:
        """Stop an occupation's session, what it brought is written; False where none ran."""
        with self._guard:
            session = self._sessions.pop(occupation_id, None)
        if session is not None:
            session.stop()
        return session is not None

    def keep_average(self, job_id: str, average: Average) -> None:
        with self._guard:
            self._averages[job_id] = average

    def forget_average(self, job_id: str) -> None:
        """Let go of a job's average; one that still runs is stopped."""
        with self._guard:
            average = self._averages.pop(job_id, None)
        if average is not None:
            average.cancel()

    def close(self) -> None:
        """Stop everything; nothing starts any more."""
        with self._guard:
            self._closed = True
            sessions = list(self._sessions.values())
            taken: list[Average | Bench] = [*self._averages.values(), *self._benches.values()]
            self._sessions.clear()
        for item in taken:
            item.cancel()
        stoppers = [self._clock.thread(session.stop, "stopper") for session in sessions]
        for thread in stoppers:
            thread.start()
        for thread in stoppers:
            thread.join(_ENDS_WITHIN_S)
