"""What every step of the work needs: the store, the hub, the running sessions, the practice devices, the clock."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

from openstake.live.hub import Hub
from openstake.live.running import Running
from openstake.store.database import Database
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
        self, latitude_deg: float, longitude_deg: float, height_m: float, arp_height_m: float, station_id: int,
        **switched: Any,
    ) -> None:  # fmt: skip
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


@dataclass
class Context:
    """Filled by the composition root; handed to every function of `workflow/`."""

    database: Database
    hub: Hub
    data_dir: Path
    practice: PracticeField | None
    running: Running = field(default_factory=Running)
    backup: BackupState = field(default_factory=BackupState)
    works: Works = field(default_factory=Works)
    now: Callable[[], float] = time.time
    access: Access = field(init=False)

    def __post_init__(self) -> None:
        self.access = Access(self.data_dir, self.now, lambda session_id: self.hub.end_session(session_id))

    def changed(self, job_id: str) -> None:
        """Tell browsers that what is stored of a job has changed."""
        self.hub.publish(f"job:{job_id}", JobChanged(job_id))


def file_name(name: str) -> str:
    """Return a name as a file's name: letters and digits of ASCII, a dash for all else."""
    return "".join(letter if letter.isalnum() and letter.isascii() else "-" for letter in name)
