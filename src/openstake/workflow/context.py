"""What every step of the work needs: the store, the hub, the running sessions, the practice devices, the clock."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Protocol

from openstake.live.clock import HOST_CLOCK, Clock, ShiftedClock
from openstake.live.hub import Hub
from openstake.live.network import HOST, Outside
from openstake.live.running import Running
from openstake.store.database import Database
from openstake.store.time_passed import time_passed_s
from openstake.workflow.access import Access
from openstake.workflow.work import Works


class PracticeField(Protocol):
    """The stand-ins as the steps see them: where they are listened to, and what a base that is a stand-in is told."""

    @property
    def base_stream_url(self) -> str: ...
    @property
    def rover_url(self) -> str: ...
    @property
    def base_receiver_url(self) -> str: ...
    @property
    def password(self) -> str: ...

    def broadcast(
        self, latitude_deg: float, longitude_deg: float, height_m: float, arp_height_m: float, station_id: int, **switched: Any
    ) -> None:
        """Type a mark's coordinate and the antenna height into the stand-in base, and start it."""

    def silence(self) -> None:
        """Stop the stand-in base."""

    def start_network(self) -> None:
        """Let a permanent station send corrections until it is hung up."""

    def hang_up_network(self) -> None:
        """End the network's corrections."""

    def further_rover(self) -> str:
        """Return the address of a second stand-in rover."""

    def begin_bench(self, apart_m: float) -> None:
        """Put the stand-in base and rover so far apart, and let the base broadcast until it is silenced."""

    def initialise_anew(self, further: bool) -> None:
        """Let a stand-in rover drop all satellites and begin again."""

    def live_at(self, ahead_s: float) -> None:
        """Live so many seconds ahead of the clock, as the job does that works with them."""

    def cut_link(self, seconds: float) -> None:
        """Let no correction reach the stand-in rovers for so long."""

    def close(self) -> None:
        """Stop all stand-ins."""


@dataclass(frozen=True)
class JobChanged:
    """Something stored of a job has changed: what was read of it before is read again."""

    job_id: str


@dataclass
class BackupState:
    """One backup is made at a time; `problem` is what the last one said where it failed."""

    lock: threading.Lock = field(default_factory=threading.Lock)
    problem: str = ""


@dataclass(kw_only=True)
class Context:
    """Filled by the composition root; handed to every function of `workflow/`."""

    database: Database
    hub: Hub
    data_dir: Path
    practice: PracticeField | None
    outside: Outside = HOST
    running: Running = field(init=False)
    works: Works = field(init=False)
    backup: BackupState = field(default_factory=BackupState)
    access: Access = field(init=False)
    _passed_s: dict[str, float] = field(init=False, default_factory=dict)
    _changes: int = field(init=False, default=0)
    _remembering: threading.Lock = field(init=False, default_factory=threading.Lock)

    def __post_init__(self) -> None:
        self.running, self.works = Running(self.clock), Works(self.clock)
        self.access = Access(self.data_dir, HOST_CLOCK.now, HOST_CLOCK.monotonic, lambda session_id: self.hub.end_session(session_id))

    @property
    def clock(self) -> Clock:
        """The time of all that is of no job; a job's own is `now`."""
        return self.outside.clock

    def now(self, job_id: str) -> float:
        """Return Unix seconds as they are in a job: where somebody let time pass to practise, it is later there."""
        return self.clock.now() + self.passed_s(job_id)

    def passed_s(self, job_id: str) -> float:
        """Return how much time has been let pass in a job, seconds."""
        passed_s = self._passed_s.get(job_id)
        if passed_s is None:
            seen = self._changes
            with self.database.read() as session:
                passed_s = time_passed_s(session, job_id)
            with self._remembering:
                # What was read before something changed is not remembered after it.
                if seen == self._changes:
                    self._passed_s[job_id] = passed_s
        return passed_s

    def stand_ins(self, job_id: str) -> PracticeField | None:
        """Return the stand-ins for work in a practice job, in that job's time; None where the program has none."""
        if self.practice is not None:
            self.practice.live_at(self.passed_s(job_id))
        return self.practice

    def outside_of_job(self, job_id: str) -> Outside:
        """Return the time and the network as what runs in a job has them."""
        return replace(self.outside, clock=ShiftedClock(self.clock, lambda: self.passed_s(job_id)))

    def changed(self, job_id: str) -> None:
        """Tell browsers that what is stored of a job has changed."""
        with self._remembering:
            self._changes += 1
            self._passed_s.pop(job_id, None)
        self.hub.publish(f"job:{job_id}", JobChanged(job_id))


def file_name(name: str) -> str:
    """Return a name as a file's name: letters and digits of ASCII, a dash for all else."""
    return "".join(letter if letter.isalnum() and letter.isascii() else "-" for letter in name)
